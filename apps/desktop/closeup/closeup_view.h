#pragma once
#include <QImage>
#include <QWidget>
#include <map>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// One track enlarged and held still: what lies under it in this frame, how it looked where it began, pieces of its life, what is known of it, and how far off
/// the solve is along the way. What is pointed at in another view comes first, in the frame pointed at. Left drag: move the key of a track by hand; click on a
/// piece or on the curve: go there; wheel: enlarge.
class CloseupView : public QWidget {
  Q_OBJECT
 public:
  explicit CloseupView(Session& session, QWidget* parent = nullptr);

  int zoom() const { return zoom_; }
  /// The track that is looked at: the one pointed at elsewhere, else the one selected last; 0: none.
  int track() const;
  /// The frame that it is looked at in.
  int frame() const;
  /// The frames that stand in its strip.
  std::vector<int> strip() const;
  /// Where one of them stands, widget coordinates.
  QRect pieceBox(int index) const;
  QSize minimumSizeHint() const override { return {200, 120}; }

 public slots:
  void setZoom(int times);

 signals:
  void noteChanged(const QString& note);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;

 private:
  struct Subject {
    const Track* track = nullptr;
    const HandTrack* by_hand = nullptr;
    Vec2 place = Vec2::Zero();  ///< In the frame shown, or where it was last seen before it (first after it).
    bool here = false;          ///< Whether it has a place in this frame.
    int pattern_px = 11;
  };
  std::optional<Subject> subject() const;
  QRect pictureArea() const;
  QRect cardArea() const;
  QRect stripArea() const;
  QRect curveArea() const;
  const SolvedTrack* solved() const;
  double curveX(const Track& track, double frame) const;
  int curveFrame(const Track& track, double x) const;
  void refresh();
  QImage pieceOf(int frame, const Vec2& place, const QSize& size, double scale, bool alone = false) const;
  void drawPicture(QPainter& painter, const Subject& subject) const;
  void drawReference(QPainter& painter, const Subject& subject) const;
  void drawReprojection(QPainter& painter, const Subject& subject) const;
  void drawCard(QPainter& painter, const Subject& subject) const;
  void drawStrip(QPainter& painter, const Subject& subject) const;
  void drawCurve(QPainter& painter, const Subject& subject) const;
  void drawLikeness(QPainter& painter, const Subject& subject) const;

  Session& session_;
  int zoom_ = 8;
  QPointF dragged_;  ///< Of the key being moved, px of the screen.
  std::optional<QPointF> press_;
};

}  // namespace dusky::desktop
