#pragma once
#include <QWidget>
#include <memory>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/scene_tool.h"
#include "apps/desktop/plate/plate_mesh.h"
#include "apps/desktop/plate/plate_occlusion.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/plate/plate_marks.h"
#include "apps/desktop/plate/plate_tool.h"

class QMenu;

namespace dusky::desktop {

/// The picture with what was found in it. Left: pick, box or lasso; right drag or middle drag: move; wheel: magnify.
class PlateView : public QWidget {
  Q_OBJECT
 public:
  explicit PlateView(Session& session, QMenu* track_menu, QWidget* parent = nullptr);

  const std::vector<PlateMark>& marks() const { return marks_; }
  /// Whether the lens's distortion is taken out of what is shown.
  bool straight() const { return straight_.has_value(); }
  /// Footage px (without distortion where that is taken out) to widget coordinates.
  QPointF toWidget(const QPointF& picture) const { return offset_ + scale_ * picture; }
  /// The same of a line.
  QPolygonF toWidget(const std::vector<QPointF>& points) const { return toWidget(QPolygonF(QList<QPointF>(points.begin(), points.end()))); }
  QPolygonF toWidget(const QPolygonF& points) const {
    QPolygonF placed;
    for (const QPointF& p : points) placed << toWidget(p);
    return placed;
  }
  /// Where a place of the footage lies in what is shown: moved where the distortion is taken out.
  QPointF asShown(const Vec2& place) const;
  /// Gives up what a tool has half done; false when there was nothing to give up.
  bool leaveTool();
  /// Where a handle that moves the scene is seen; nothing where it is not shown.
  std::optional<QPointF> placeOf(SceneHandle handle) const { return scene_tool_.handlePlace(sight(), handle); }
  /// The tip by which a plane or line that is being edited is turned.
  std::optional<QPointF> setTipPlace() const { return scene_tool_.setTipPlace(sight()); }
  QSize minimumSizeHint() const override { return {200, 120}; }

 public slots:
  void fit();
  void actualSize();

 signals:
  void zoomChanged(const QString& note);

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
  void refresh();
  void refreshObjects();
  void refreshMesh();
  std::optional<SceneCamera> cameraShown() const;
  int shownFrame() const { return picture_.isNull() ? session_.playback.frame() : picture_frame_; }
  SceneSight sight() const;
  PlateTool* tool() const;
  PlatePlace place() const { return {offset_, scale_, picture_.isNull() ? 1 : picture_frame_}; }
  void drawCandidates(QPainter& painter) const;
  void showFrame();
  void zoomAbout(const QPointF& place, double scale);
  void tellZoom();
  void updateHovered(int before);
  QRectF boxOf(const PlateMark& mark) const;
  QPointF whiskerEnd(const PlateMark& mark) const;
  const PlateMark* markNear(const QPointF& place, double reach) const;
  bool shown(const PlateMark& mark) const;
  void drawPicture(QPainter& painter);
  std::optional<Lens> lensOf(int frame) const;
  void straighten();
  void drawGrid(QPainter& painter) const;
  void drawSets(QPainter& painter) const;
  void drawSolids(QPainter& painter) const;
  void drawFaces(QPainter& painter) const;
  void drawMesh(QPainter& painter) const;
  void drawField(QPainter& painter) const;
  void drawPruneRegions(QPainter& painter) const;
  double fieldScale() const;
  QString fieldNote() const;
  void drawDepths(QPainter& painter) const;
  QString depthNote() const;
  void drawPaths(QPainter& painter, const PlateMark& mark, double seen) const;
  /// `calm`: how much of a mark without an error worth looking at is seen, 0 to 1.
  void drawMark(QPainter& painter, const PlateMark& mark, double calm) const;
  QColor darkness() const;
  void drawNotes(QPainter& painter) const;

  Session& session_;
  QMenu* track_menu_;
  QImage picture_;
  int picture_frame_ = 0;
  std::vector<PlateMark> marks_;
  PlateObjects objects_;
  std::vector<QPolygonF> grid_;
  std::vector<PlateSet> sets_;
  std::optional<Lens> straight_;  ///< The lens whose distortion is taken out of what is shown.
  QImage straight_picture_;
  PlatePlace straight_place_;
  std::vector<std::unique_ptr<PlateTool>> tools_;
  bool tool_holds_ = false;  ///< The button went down on a tool.
  RegionGesture gesture_;
  SceneTool scene_tool_{session_, true};
  PlateMesh mesh_{session_};
  PlateOcclusion occlusion_{session_};
  QPointF drag_from_, offset_;
  double scale_ = 1;
  bool fitted_ = true, dragging_ = false, dragged_ = false;
  QString failure_;
};

}  // namespace dusky::desktop
