#pragma once
#include <QImage>
#include <QObject>

#include "apps/desktop/model/newest_only.h"
#include "apps/desktop/model/session.h"
#include "core/scene/objects_on_mesh.h"

namespace dusky::desktop {

/// Where the mesh of the set hides test objects and lies in their shadow, in the picture of a frame; worked out on a thread of its own, always the newest that
/// is asked for. Interface thread only.
class PlateOcclusion : public QObject {
  Q_OBJECT
 public:
  explicit PlateOcclusion(Session& session, QObject* parent = nullptr);

  /// What belongs to a camera; asks for it where it is not there. Nothing: there is no camera, or no objects are shown.
  void show(const std::optional<SceneCamera>& camera);

  const QImage& hidden() const { return hidden_; }  ///< Over the whole footage, opaque where objects are hidden; null: not known.
  const QImage& shadow() const { return shadow_; }  ///< The shadows as they are drawn; null: not known.

 signals:
  void changed();

 private:
  struct Question {
    SceneCamera camera;
    MeshSurfacePtr surface;
    MeshSettings mesh;
    std::vector<SolidFace> objects;
    bool is(const Question& other) const;
  };
  void answer(const Question& question, std::stop_token dropped);

  Session& session_;
  QImage hidden_, shadow_;
  std::optional<Question> last_;
  NewestOnly<Question> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
