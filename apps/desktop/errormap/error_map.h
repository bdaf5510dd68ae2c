#pragma once
#include <QImage>
#include <QWidget>
#include <optional>
#include <vector>

#include "apps/desktop/errormap/error_grid.h"
#include "apps/desktop/errormap/frame_curves.h"
#include "apps/desktop/errormap/map_rows.h"
#include "apps/desktop/errormap/map_window.h"
#include "apps/desktop/model/session.h"

class QScrollBar;

namespace dusky::desktop {

class MarginBrushes;

/// Tracks as rows, frames as columns, each cell the error of one observation; where many share a pixel, the largest is seen. Under it curves of each frame,
/// beside it histograms that are brushes. Click: pick the track and go to the frame; drag: pick rows; wheel: scroll; with Ctrl: enlarge rows; with Shift:
/// enlarge frames; middle button: move; double click: everything.
class ErrorMap : public QWidget {
  Q_OBJECT
 public:
  explicit ErrorMap(Session& session, QWidget* parent = nullptr);

  int rowCount() const { return static_cast<int>(rows_.tracks.size()); }
  /// Track of a row, worst first under RowOrder::Worst.
  int trackAt(int row) const { return rows_.tracks[static_cast<std::size_t>(row)]; }
  const std::vector<RowGroup>& groups() const { return rows_.groups; }
  /// Middle of a key's mark in the lane, widget coordinates.
  QPointF keyPlace(int frame) const { return {columnOf(frame + 0.5), lane_.center().y() + 0.5}; }
  /// Middle of a cell in widget coordinates.
  QPointF cellAt(int row, int frame) const;
  /// Where the curve runs in a frame, widget coordinates; nothing where it is not known.
  std::optional<QPointF> curveAt(int frame) const;
  /// What is seen of the grid, as it was last made, one pixel each of the screen's.
  const QImage& cells() const { return cells_; }
  MarginBrushes& margins() { return *margins_; }
  FrameCurve curve() const { return curve_; }
  RowOrder order() const { return order_; }
  RowGrouping grouping() const { return grouping_; }
  /// Whether cells show how much larger errors are than another run's.
  bool showsDifference() const { return other_ != nullptr; }
  bool showsAll() const { return vertical_.all() && horizontal_.all(); }
  QSize minimumSizeHint() const override { return {300, 130}; }

 public slots:
  void setOrder(dusky::desktop::RowOrder order);
  void setGrouping(dusky::desktop::RowGrouping grouping);
  void setCurve(dusky::desktop::FrameCurve curve);
  /// The whole shot in the height and width there is.
  void showAll();
  /// Scrolls so that the row of this track is seen, at a height that can be seen.
  void reveal(int track);

 signals:
  void noteChanged(const QString& note);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;
  bool event(QEvent*) override;

 private:
  // What there is to see.
  void refresh();
  SolutionPtr otherSolve() const;
  /// Of the two that are compared: the one whose errors are taken off, or the one that is shown.
  QString nameOfCompared(bool other) const;
  void fillGrid();
  void fillRow(int row);
  QRgb colorOf(ErrorGrid::Level level) const;
  void takeLooks();
  void renderCells();
  void markGoing();
  void refreshCurves();
  void updateHovered(int before);
  // Where it is.
  void layOut();
  void takeBars();
  void showBars();
  int frames() const;
  ErrorGrid::Part part() const;
  double columnOf(double frame) const;
  int frameOf(double x) const;
  int rowOf(double y) const;
  ErrorGrid::Cell cellUnder(const QPointF& at) const;
  std::optional<int> rowOfTrack(int track) const;
  QRectF rowBox(int row) const;
  const RowGroup* groupUnder(const QPointF& at) const;
  QRect curveRoom() const;
  QRect curveName(FrameCurve curve) const;
  bool isOnCurve(const QPointF& at) const;
  std::optional<FrameCurve> curveNameUnder(const QPointF& at) const;
  // What is done with it.
  void pickRows(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers keys);
  void pressCurves(const QPointF& at, Qt::KeyboardModifiers keys);
  void followPlayhead();
  QString tipAt(const QPointF& at) const;
  std::optional<double> errorIn(int row, int frame) const;
  QString differenceText(int row, int frame) const;
  QString headingNote() const;
  // How it looks.
  void drawCells(QPainter& painter, const QRect& where) const;
  void drawPicked(QPainter& painter, const QRect& where) const;
  void drawGroups(QPainter& painter, const QRect& where) const;
  void drawCurves(QPainter& painter) const;
  void drawCurveNames(QPainter& painter) const;
  void drawPlayhead(QPainter& painter) const;
  void drawChecks(QPainter& painter) const;
  void drawLeftOut(QPainter& painter) const;
  void drawMissing(QPainter& painter) const;
  // The lane of keys, under the map: of the selected track by hand, else of the chosen mask.
  std::vector<int> laneKeys() const;
  std::optional<int> laneKeyAt(const QPointF& at) const;
  void moveLaneKey(int from, int to);
  void drawLane(QPainter& painter) const;
  void refreshLane();

  Session& session_;
  TrackSetPtr tracks_;  ///< That rows and grid were made from, with the solve of that moment.
  SolutionPtr solution_;
  SolutionPtr other_;  ///< Whose errors are taken off; nothing: errors are shown.
  RowOrder order_ = RowOrder::Worst;
  RowGrouping grouping_ = RowGrouping::State;
  FrameCurve curve_ = FrameCurve::Errors;
  MapRows rows_;
  ErrorGrid grid_;
  CurveSet curves_;
  MapAxis vertical_, horizontal_;
  QScrollBar *down_, *across_;
  MarginBrushes* margins_;
  QImage cells_;
  QRect gutter_;                  ///< Empty while there are no groups to name.
  QRect map_, lane_, lane_name_;  ///< The lane is empty while there are no keys.
  QRect curve_box_, curve_names_;
  std::optional<int> held_key_;           ///< Being dragged along the lane; from this frame ...
  int held_to_ = 0;                       ///< ... to this one.
  std::optional<QPointF> press_, moved_;  ///< Of the left button; of the middle one.
  QPointF now_;
  bool scrubbing_ = false;
};

}  // namespace dusky::desktop
