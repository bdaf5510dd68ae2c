#include "apps/desktop/model/track_facts.h"

#include <QMetaObject>

#include "core/solve/remeasure.h"

namespace dusky::desktop {

const TrackMeasures* TrackFacts::Facts::find(int track) const {
  const auto found = std::lower_bound(tracks.begin(), tracks.end(), track, [](const TrackMeasures& m, int id) { return m.id < id; });
  return found != tracks.end() && found->id == track ? &*found : nullptr;
}

TrackFacts::TrackFacts(DocumentModel& model, QObject* parent)
    : QObject(parent), model_(model), worker_([this](const Question& question, const std::stop_token& dropped) { answer(question, dropped); }) {
  connect(&model_, &DocumentModel::solutionChanged, this, &TrackFacts::ask);
  connect(&model_, &DocumentModel::tracksChanged, this, &TrackFacts::ask);
}

void TrackFacts::ask() {
  const SolutionPtr solution = model_.solution();
  const TrackSetPtr tracks = model_.tracks();
  // One on its way is no solve to be judged yet.
  const bool told = solution && tracks && !model_.partial();
  if (told && solution == asked_) return;
  asked_ = told ? solution : nullptr;
  worker_.dropOlder();
  if (told) return worker_.ask({solution, tracks});
  facts_ = std::make_shared<Facts>();
  emit changed();
}

void TrackFacts::answer(const Question& question, const std::stop_token& dropped) {
  auto facts = std::make_shared<Facts>();
  facts->solution = question.solution;
  facts->frames = frameFigures(*question.solution);
  if (madeFrom(*question.solution, *question.tracks)) {
    facts->tracks = measureTracks(*question.solution, *question.tracks);
    facts->field = residualField(*question.solution, *question.tracks);
  }
  QMetaObject::invokeMethod(
      this,
      [this, facts, dropped] {
        if (dropped.stop_requested()) return;
        facts_ = facts;
        emit changed();
      },
      Qt::QueuedConnection);
}

}  // namespace dusky::desktop
