#pragma once
#include <QObject>
#include <QString>
#include <thread>

#include "apps/desktop/model/document_model.h"
#include "core/mesh/mesh_surface.h"

namespace dusky::desktop {

/// The mesh of the set that the document names, read on a thread of its own. Interface thread only.
class MeshStore : public QObject {
  Q_OBJECT
 public:
  explicit MeshStore(DocumentModel& model, QObject* parent = nullptr);

  /// A mesh that is there; surface is nullptr else.
  struct Mesh {
    MeshSurfacePtr surface;
    SetMeshPtr drawn;             ///< What is drawn of it.
    std::vector<MeshEdge> edges;  ///< Of what is drawn.
  };
  const Mesh& mesh() const { return mesh_; }
  bool reading() const { return reading_; }
  double fraction() const { return fraction_; }
  QString problem() const { return problem_; }  ///< Why there is none; empty: nothing went wrong.
  /// Reads it again: the file may be another by now.
  void readAgain();

 signals:
  void changed();

 private:
  void look();
  void take(int generation, const Result<Mesh>& read);

  DocumentModel& model_;
  std::string path_;
  Mesh mesh_;
  bool reading_ = false;
  double fraction_ = 0;
  QString problem_;
  int generation_ = 0;
  std::jthread worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
