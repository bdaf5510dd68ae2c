#pragma once
#include <QElapsedTimer>
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLTexture>
#include <QOpenGLVertexArrayObject>
#include <QOpenGLWidget>
#include <QTimer>
#include <memory>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/scene_tool.h"
#include "apps/desktop/space/region_handles.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/space/eye.h"
#include "apps/desktop/space/space_mesh.h"
#include "apps/desktop/space/space_scene.h"

class QMenu;

namespace dusky::desktop {

/// The set and the camera in three dimensions. Left: pick, box or lasso (the wheel says how deep it reaches); right drag: turn; middle or Shift+right drag:
/// move; wheel: nearer.
class SpaceView : public QOpenGLWidget, protected QOpenGLFunctions_3_3_Core {
  Q_OBJECT
 public:
  SpaceView(Session& session, QMenu* track_menu, QWidget* parent = nullptr);
  ~SpaceView() override;

  const SpaceContents& contents() const { return contents_; }
  Eye::Mode mode() const { return eye_.mode; }
  const Eye& eye() const { return eye_; }
  /// Dense points in the picture that was drawn last.
  std::size_t denseDrawn() const { return dense_drawn_; }
  /// Where a track's point is on the screen; nothing when it is behind or not shown.
  std::optional<QPointF> placeOf(int track) const;
  /// Where a handle that moves the scene is on the screen; nothing where it is not shown.
  std::optional<QPointF> placeOf(SceneHandle handle) const { return scene_tool_.handlePlace(sight(), handle); }
  /// The tip by which a plane or line that is being edited is turned.
  std::optional<QPointF> setTipPlace() const { return scene_tool_.setTipPlace(sight()); }
  /// The handle of a face of the dense points' region.
  std::optional<QPointF> regionHandlePlace(int axis, bool high) const { return region_handles_.handlePlace(sight(), axis, high); }
  QSize minimumSizeHint() const override { return {200, 120}; }

 public slots:
  void setMode(Eye::Mode mode);
  void frameAll();
  /// Brings the selected points into view; everything where none is selected.
  void frameSelection();

 signals:
  void noteChanged(const QString& note);
  void modeChanged(Eye::Mode mode);

 protected:
  void initializeGL() override;
  void paintGL() override;
  void resizeGL(int width, int height) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void leaveEvent(QEvent*) override;

 private:
  class Overlay;
  struct Batch {
    QOpenGLBuffer buffer{QOpenGLBuffer::VertexBuffer};
    QOpenGLVertexArrayObject array;
    int count = 0;
    bool stale = true;  ///< What it shows is to be brought to the graphics card.
  };
  /// What a box or a lasso takes of the set.
  struct RegionPick {
    std::vector<std::pair<int, QPointF>> taken;  ///< Track and where it is seen.
    int inside = 0;                              ///< How many lie in it at any depth.
    double depth = 0;                            ///< How far behind the nearest of them it reaches, scene units.
  };

  void rebuild();
  void rebuildNow();
  void rebuildMarked();
  void rebuildSolids();
  void rebuildMesh();
  void drawMesh();
  /// What lassos take of the dense points, about.
  struct DensePick {
    double count = 0, near = 0, far = 0;  ///< How deep, along the view, scene units.
    bool exact = true;
  };
  void connectDense();
  void rebuildDense();
  void rebuildRegion();
  void eyeMoves();
  void makeDenseBatch(Batch& batch);
  void drawDense();
  double movingTime_ms();
  void learnDenseTime(double took_ms);
  void drawDenseNotes(QPainter& painter) const;
  void drawMeasured(QPainter& painter) const;
  bool measuring() const { return session_.view.tool() == ViewSettings::Tool::DenseMeasure; }
  void measureAt(const QPointF& place);
  DensePick denseIn(const QPolygonF& region) const;
  /// What is drawn, as a cut that reaches as deep as there is anything.
  DenseCut shapeOf(const QPolygonF& region) const;
  bool brushing() const { return cutting() && session_.view.cutShape() == ViewSettings::CutShape::Brush; }
  Vec3 lookedAlong() const;
  bool cutting() const;
  bool boxing() const;
  void cutDense(const QPolygonF& region);
  void draw();
  void updateHovered();
  void turnHome();
  void turn(float right_px, float down_px);
  template <class Vertices>
  void fill(Batch& batch, const Vertices& vertices);
  void upload();
  void giveBack();
  void takePicture();
  /// `sizes`: floats of each attribute of a vertex.
  void makeBatch(Batch& batch, std::initializer_list<int> sizes);
  void drawPicture();
  void drawBatch(Batch& batch, QOpenGLShaderProgram& program, GLenum kind);
  void drawOverlay(QPainter& painter) const;
  void drawDepth(QPainter& painter) const;
  void drawNotes(QPainter& painter) const;
  void drawFilmGate(QPainter& painter) const;
  void drawTimes(QPainter& painter) const;
  QVector3D pivotAt(const QPointF& place) const;
  QMatrix4x4 matrix() const;
  std::optional<QPointF> onScreen(const QVector4D& clip) const;
  SceneSight sight() const;
  /// Of a track, where it is shown; nullptr else.
  const SpacePoint* pointOf(int track) const;
  RegionPick pickIn(const QPolygonF& region) const;
  /// Track of the point nearest to a place, within so many px; 0: none.
  int nearest(const QPointF& place, double reach = 8) const;
  void tellNote();

  Session& session_;
  QMenu* track_menu_;
  QWidget* overlay_;
  Eye eye_;
  SpaceContents contents_;
  CameraNow camera_now_;
  QImage picture_;  ///< Of the frame that is shown, small.
  SpaceMarked marked_now_;
  std::vector<SpaceVertex> solids_now_;
  bool stale_picture_ = true;
  bool looked_ = false;
  QRect hover_box_;  ///< Where the ring about what is pointed at was drawn last.
  RegionGesture gesture_;
  double depth_share_ = 1;  ///< Of the depth of what lies in the region being drawn, how much of it is taken.
  SceneTool scene_tool_{session_, false};
  RegionHandles region_handles_{session_};
  QPointF pointer_;         ///< Where the mouse was last.
  bool cut_begun_ = false;  ///< What is being drawn began as a cut.
  QPointF drag_from_;
  QVector3D pivot_;  ///< That the drag turns about.
  Qt::MouseButton drag_ = Qt::NoButton;
  bool dragged_ = false;
  std::unique_ptr<QOpenGLShaderProgram> flat_, shapes_, textured_;
  std::unique_ptr<QOpenGLTexture> texture_;
  SpaceMesh mesh_now_;
  std::optional<SpaceMeshKey> mesh_key_;
  Batch mesh_faces_, mesh_edges_, mesh_points_;
  DenseStore::PointsPtr dense_now_;
  std::shared_ptr<const Surface> surface_now_;
  std::vector<SpaceVertex> surface_faces_, region_lines_;
  Batch dense_, dense_going_, surface_, region_;
  std::unique_ptr<QOpenGLShaderProgram> specks_;
  QTimer rest_;  ///< Runs out when the eye has come to rest.
  bool moving_ = false;
  QElapsedTimer since_dense_;  ///< They were drawn last, while the eye moved.
  double ms_per_dense_ = 0, took_dense_ms_ = 0, other_ms_ = 0;
  std::size_t dense_drawn_ = 0;
  Batch lines_, solids_, points_, now_, marked_, ellipsoids_, plate_;
};

}  // namespace dusky::desktop
