#include "apps/desktop/model/scene_mover.h"

#include <utility>

#include "core/project/edits.h"

namespace dusky::desktop {

SceneMover::SceneMover(DocumentModel& model, Selection& selection, QObject* parent) : QObject(parent), model_(model), selection_(selection) {
  connect(&model_, &DocumentModel::documentChanged, this, [this] { begun_.reset(), moved_.reset(); });
}

std::optional<Vec3> SceneMover::pivot() const {
  const SolutionPtr solution = model_.solution();
  if (!solution || !model_.scene()) return std::nullopt;
  Vec3 sum = Vec3::Zero();
  int count = 0;
  for (const int id : selection_.ids()) {
    const SolvedTrack* track = solution->find(id);
    if (track && track->hasPlace() && !track->at_infinity) sum += model_.scene()->scene_from_solve * track->point, ++count;
  }
  return count > 0 ? Vec3(sum / count) : Vec3::Zero();
}

void SceneMover::set(const SceneMove& move) {
  SceneSettings scene = model_.document().picks.scene;
  if (scene.move == move) return;
  scene.move = move;
  model_.run(changeScene("Move the scene", model_.document(), scene));
}

void SceneMover::begin() { begun_ = model_.scene(); }

void SceneMover::drag(const Similarity& by) {
  if (!begun_) return;
  moved_ = moveOf(by * similarityOf(begun_->moved), begun_->metric);
  // What is not free stays as it is to the last digit.
  if (!begun_->free.tilt) moved_->turn_deg.x() = begun_->moved.turn_deg.x(), moved_->turn_deg.z() = begun_->moved.turn_deg.z();
  model_.previewScene(movedTo(*begun_, *moved_));
}

void SceneMover::letGo() {
  const auto moved = std::exchange(moved_, std::nullopt);
  begun_.reset();
  if (moved && !(*moved == model_.document().picks.scene.move)) return set(*moved);
  model_.previewScene(std::nullopt);
}

void SceneMover::cancel() {
  begun_.reset(), moved_.reset();
  model_.previewScene(std::nullopt);
}

}  // namespace dusky::desktop
