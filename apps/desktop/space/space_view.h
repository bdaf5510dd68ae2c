#pragma once
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLTexture>
#include <QOpenGLVertexArrayObject>
#include <QOpenGLWidget>
#include <memory>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/space/eye.h"
#include "apps/desktop/space/space_scene.h"

class QMenu;

namespace dusky::desktop {

/// The set and the camera in three dimensions. Left: pick, box or lasso; right drag: turn; middle or Shift+right drag: move;
/// wheel: nearer.
class SpaceView : public QOpenGLWidget, protected QOpenGLFunctions_3_3_Core {
  Q_OBJECT
 public:
  SpaceView(Session& session, QMenu* track_menu, QWidget* parent = nullptr);
  ~SpaceView() override;

  const SpaceContents& contents() const { return contents_; }
  Eye::Mode mode() const { return eye_.mode; }
  /// Where a track's point is on the screen; nothing when it is behind or not shown.
  std::optional<QPointF> placeOf(int track) const;
  QSize minimumSizeHint() const override { return {200, 120}; }

 public slots:
  void setMode(Eye::Mode mode);
  void frameAll();

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
  };

  void rebuild();
  void rebuildNow();
  void rebuildMarked();
  void draw();
  void updateHovered();
  void turnHome();
  void upload();
  void giveBack();
  void takePicture();
  /// `sizes`: floats of each attribute of a vertex.
  void makeBatch(Batch& batch, std::initializer_list<int> sizes);
  void drawPicture();
  void drawBatch(Batch& batch, QOpenGLShaderProgram& program, GLenum kind);
  void drawOverlay(QPainter& painter) const;
  QMatrix4x4 matrix() const;
  std::optional<QPointF> onScreen(const QMatrix4x4& clip_from_world, const SpacePoint& point) const;
  int nearest(const QPointF& place) const;
  void tellNote();

  Session& session_;
  QMenu* track_menu_;
  QWidget* overlay_;
  Eye eye_;
  SpaceContents contents_;
  CameraNow camera_now_;
  QImage picture_;  ///< Of the frame that is shown, small.
  std::vector<SpacePoint> marked_points_;
  bool stale_upload_ = true, stale_now_ = true, stale_marked_ = true, stale_picture_ = true;  ///< What is to be brought to the graphics card.
  bool looked_ = false;
  QRect hover_box_;  ///< Where the ring about what is pointed at was drawn last.
  RegionGesture gesture_;
  QPointF drag_from_;
  Qt::MouseButton drag_ = Qt::NoButton;
  bool dragged_ = false;
  std::unique_ptr<QOpenGLShaderProgram> flat_, shapes_, textured_;
  std::unique_ptr<QOpenGLTexture> texture_;
  Batch lines_, solids_, points_, now_, marked_, plate_;
};

}  // namespace dusky::desktop
