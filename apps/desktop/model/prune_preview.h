#pragma once
#include <QObject>
#include <optional>

#include "apps/desktop/model/newest_only.h"
#include "apps/desktop/model/track_facts.h"
#include "core/pipeline/prune_step.h"

namespace dusky::desktop {

/// What the document's pruning rules would do to the solve that is shown, worked out on a thread of its own whenever either changes; only the newest question
/// is answered. While it is watched, the tracks that would go are the model's going(). Interface thread only.
class PrunePreview : public QObject {
  Q_OBJECT
 public:
  PrunePreview(DocumentModel& model, TrackFacts& facts, QObject* parent = nullptr);

  void watch(bool watched);
  bool watched() const { return watched_; }
  /// Looks at these rules in the place of the document's, while a brush is dragged; nothing: at the document's again.
  void tryRules(const std::optional<PruneRules>& rules);
  /// What is looked at now.
  const PruneRules& rules() const { return tried_ ? *tried_ : model_.document().prune; }
  const PruneChoice& choice() const { return choice_; }
  /// Nothing while it is worked out, and where nothing goes.
  const std::optional<PrunePrediction>& prediction() const { return prediction_; }
  bool working() const { return working_; }

 signals:
  void changed();

 private:
  struct Question {
    PruneTask task;
    TrackFacts::FactsPtr facts;
  };
  void ask();
  void answer(const Question& question, const std::stop_token& dropped);
  void show(const PruneChoice& choice);

  DocumentModel& model_;
  TrackFacts& facts_;
  bool watched_ = false, working_ = false;
  std::optional<PruneRules> tried_;
  PruneRules asked_rules_;
  SolutionPtr asked_solution_;
  std::vector<int> asked_pinned_;
  PruneChoice choice_;
  std::optional<PrunePrediction> prediction_;
  NewestOnly<Question> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
