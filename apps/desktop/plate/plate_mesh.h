#pragma once
#include <QImage>
#include <QObject>
#include <QPolygonF>

#include "apps/desktop/model/newest_only.h"
#include "apps/desktop/model/session.h"
#include "core/scene/seen_mesh.h"

namespace dusky::desktop {

/// The mesh of the set as the camera of a frame sees it, worked out on a thread of its own: always the newest that is asked for. Interface thread only.
class PlateMesh : public QObject {
  Q_OBJECT
 public:
  explicit PlateMesh(Session& session, QObject* parent = nullptr);

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
    bool is(const Asked& other) const;
  };
  struct Seen {
    std::vector<QPolygonF> lines;
    QImage shade;
  };
  void answer(const Asked& asked, std::stop_token dropped);
  static Seen look(const Asked& asked, std::stop_token stop);

  Session& session_;
  Seen seen_;
  std::optional<Asked> last_;
  NewestOnly<Asked> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
