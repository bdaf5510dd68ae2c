#pragma once
#include <QImage>
#include <QObject>
#include <QPolygonF>
#include <condition_variable>
#include <mutex>
#include <thread>

#include "apps/desktop/model/session.h"
#include "core/scene/seen_mesh.h"

namespace dusky::desktop {

/// The mesh of the set as the camera of a frame sees it, worked out on a thread of its own: always the newest that is asked for. Interface thread only.
class PlateMesh : public QObject {
  Q_OBJECT
 public:
  explicit PlateMesh(Session& session, QObject* parent = nullptr);
  ~PlateMesh() override;

  /// What belongs to a frame; asks for it where it is not there.
  void show(const std::optional<SceneCamera>& camera);

  const std::vector<QPolygonF>& lines() const { return seen_.lines; }  ///< Footage px.
  const QImage& shade() const { return seen_.shade; }                  ///< Over the whole footage; null: none.

 signals:
  void changed();

 private:
  struct Asked {
    SceneCamera camera;
    MeshStore::Mesh mesh;
    MeshSettings settings;
    ViewSettings::MeshStyle style = ViewSettings::MeshStyle::HiddenLines;
    bool is(const SceneCamera& seen_by, const MeshSurfacePtr& surface, const MeshSettings& placed, ViewSettings::MeshStyle drawn_as) const;
  };
  struct Seen {
    std::vector<QPolygonF> lines;
    QImage shade;
  };
  void work(std::stop_token stop);
  static Seen look(const Asked& asked, std::stop_token stop);

  Session& session_;
  Seen seen_;
  std::optional<Asked> last_;
  int generation_ = 0;
  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any wake_;
  std::optional<std::pair<int, Asked>> asked_;
  std::jthread worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
