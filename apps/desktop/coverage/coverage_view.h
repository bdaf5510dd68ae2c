#pragma once
#include <QImage>
#include <QWidget>
#include <optional>

#include "apps/desktop/model/session.h"
#include "core/track/coverage.h"

namespace dusky::desktop {

/// How evenly tracks fill picture and time: rows are the cells of the picture, columns the frames. What is thin glows. Drag to choose cells and
/// frames, then have more tracks found there.
class CoverageView : public QWidget {
  Q_OBJECT
 public:
  static constexpr int kEnough = 3;  ///< Tracks in a cell.

  explicit CoverageView(Session& session, QWidget* parent = nullptr);
  const std::optional<Coverage>& coverage() const { return coverage_; }
  /// Middle of a cell of the view, widget coordinates.
  QPointF placeOf(int cell, int frame) const;
  bool hasChoice() const { return choice_.has_value(); }
  QSize minimumSizeHint() const override { return {300, 100}; }

 public slots:
  /// More tracks in the chosen cells and frames.
  void addTracksHere();

 signals:
  void noteChanged(const QString& note);
  void choiceChanged();

 protected:
  void paintEvent(QPaintEvent*) override;
  void showEvent(QShowEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  bool event(QEvent*) override;

 private:
  struct Spot {
    int cell = 0, frame = 0;
  };
  void refresh();
  QString countText(int frame_index, int cell) const;
  QRect area() const;
  Spot spotAt(const QPointF& at) const;
  int frames() const { return session_.model.lastFrame() - session_.model.firstFrame() + 1; }
  void drawChoice(QPainter& painter) const;

  Session& session_;
  std::optional<Coverage> coverage_;
  QImage image_;
  std::optional<Spot> from_;
  std::optional<std::pair<Spot, Spot>> choice_;
  bool stale_ = true;
};

}  // namespace dusky::desktop
