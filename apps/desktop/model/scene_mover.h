#pragma once
#include <QObject>
#include <optional>

#include "apps/desktop/model/document_model.h"
#include "apps/desktop/model/selection.h"
#include "core/scene/scene_handles.h"

namespace dusky::desktop {

/// Moves the scene as a whole: by numbers, or dragged about a pivot, which is seen at once and becomes one change when it is let go.
class SceneMover : public QObject {
  Q_OBJECT
 public:
  SceneMover(DocumentModel& model, Selection& selection, QObject* parent = nullptr);

  /// What the handles stand on, scene coordinates: the middle of the selected points, else the world's origin. Nothing without a scene.
  std::optional<Vec3> pivot() const;
  /// Moves it by numbers.
  void set(const SceneMove& move);

  void begin();
  bool dragging() const { return begun_.has_value(); }
  /// Shows it moved like this from where it was when the drag began.
  void drag(const Similarity& by);
  /// The document takes it as it is shown, as one change.
  void letGo();
  /// It stays where it was.
  void cancel();

 private:
  DocumentModel& model_;
  Selection& selection_;
  std::optional<SceneFrame> begun_;
  std::optional<SceneMove> moved_;
};

}  // namespace dusky::desktop
