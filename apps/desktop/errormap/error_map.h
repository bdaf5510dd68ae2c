#pragma once
#include <QImage>
#include <QWidget>
#include <optional>
#include <vector>

#include "apps/desktop/model/session.h"

class QScrollBar;

namespace dusky::desktop {

/// Tracks as rows, frames as columns, each cell the error of one observation; under it the error of each frame. Click: pick the track and go to
/// the frame; drag: pick rows; wheel: scroll; Ctrl+wheel: row height.
class ErrorMap : public QWidget {
  Q_OBJECT
 public:
  enum class Order { Worst, Typical, Life, Start };
  explicit ErrorMap(Session& session, QWidget* parent = nullptr);

  int rowCount() const { return static_cast<int>(rows_.size()); }
  /// Track of a row, worst first under Order::Worst.
  int trackAt(int row) const { return rows_[static_cast<std::size_t>(row)]; }
  /// Middle of a key's mark in the lane, widget coordinates.
  QPointF keyPlace(int frame) const { return {columnOf(frame + 0.5), lane_.center().y() + 0.5}; }
  /// Middle of a cell in widget coordinates.
  QPointF cellAt(int row, int frame) const;
  /// One pixel a cell, as it was last made: rows x frames.
  const QImage& cells() const { return cells_; }
  QSize minimumSizeHint() const override { return {300, 110}; }

 public slots:
  void setOrder(Order order);
  /// Scrolls so that the row of this track is seen.
  void reveal(int track);

 signals:
  void noteChanged(const QString& note);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;
  bool event(QEvent*) override;

 private:
  void sortRows();
  void renderCells();
  void layOut();
  int frames() const;
  double columnOf(double frame) const;
  int frameOf(double x) const;
  int rowOf(double y) const;
  std::optional<double> errorIn(int row, int frame) const;
  void drawCells(QPainter& painter) const;
  void drawHistogram(QPainter& painter) const;
  void drawCurves(QPainter& painter) const;
  void drawPlayhead(QPainter& painter) const;
  QPolygonF curve(double SolvedFrame::*value) const;
  double curveTop() const;
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
  TrackSetPtr tracks_;  ///< That rows and cells were made from, with the solve of that moment.
  SolutionPtr solution_;
  QScrollBar* bar_;
  Order order_ = Order::Worst;
  int row_height_ = 3;
  std::vector<int> rows_;
  QImage cells_;
  QRect map_, lane_, curves_, histogram_;  ///< The lane is empty while there are no keys.
  std::optional<int> held_key_;            ///< Being dragged along the lane; from this frame ...
  int held_to_ = 0;                        ///< ... to this one.
  std::optional<QPointF> press_;
  QPointF now_;
  bool scrubbing_ = false;
};

}  // namespace dusky::desktop
