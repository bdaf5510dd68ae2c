#pragma once
#include <QWidget>
#include <optional>

#include "apps/desktop/model/session.h"
#include "core/track/frame_pair.h"

class QLabel;
class QSpinBox;

namespace dusky::desktop {

/// One of the two pictures: the common tracks, the chosen point or its line.
class PairPicture : public QWidget {
  Q_OBJECT
 public:
  explicit PairPicture(Session& session, QWidget* parent = nullptr);
  void show(int frame, const FramePair* pair, bool second);
  /// The point picked in this picture, or the line of the one picked in the other; px of the footage.
  void mark(std::optional<Vec2> point, std::optional<Vec3> line);
  QPointF toWidget(const Vec2& p) const;
  QSize minimumSizeHint() const override { return {120, 80}; }

 signals:
  void picked(const Vec2& point, int track);  ///< Of a track near the pointer, else 0.

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;

 private:
  QRectF area() const;
  void drawLine(QPainter& painter, const Vec3& line) const;

  Session& session_;
  int frame_ = 1;
  const FramePair* pair_ = nullptr;
  bool second_ = false;
  std::optional<Vec2> point_;
  std::optional<Vec3> line_;
};

/// Two frames side by side: what they have in common, and where a point of one must lie in the other.
class TwoFramesView : public QWidget {
  Q_OBJECT
 public:
  explicit TwoFramesView(Session& session, QWidget* parent = nullptr);
  const std::optional<FramePair>& pair() const { return pair_; }
  PairPicture& picture(bool second) { return *pictures_[second ? 1 : 0]; }

 protected:
  void showEvent(QShowEvent*) override;

 private:
  void refresh();
  void pick(bool second, const Vec2& point, int track);
  void tell(const QString& extra);

  Session& session_;
  std::array<PairPicture*, 2> pictures_;
  std::array<QSpinBox*, 2> frames_;
  QLabel* text_;
  std::optional<FramePair> pair_;
  QString problem_;
  bool stale_ = true;
};

}  // namespace dusky::desktop
