#pragma once
#include <QObject>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

#include "apps/desktop/model/document_model.h"
#include "core/pipeline/prune_step.h"

namespace dusky::desktop {

/// What the document's pruning rules would do to the solve that is shown, worked out on a thread of its own whenever either changes; only the newest question
/// is answered. While it is watched, the tracks that would go are the model's going(). Interface thread only.
class PrunePreview : public QObject {
  Q_OBJECT
 public:
  explicit PrunePreview(DocumentModel& model, QObject* parent = nullptr);
  ~PrunePreview() override;

  void watch(bool watched);
  const PruneChoice& choice() const { return choice_; }
  /// Nothing while it is worked out, and where nothing goes.
  const std::optional<PrunePrediction>& prediction() const { return prediction_; }
  bool working() const { return working_; }

 signals:
  void changed();

 private:
  void ask();
  void run(std::stop_token stop);
  void show(const PruneChoice& choice);

  DocumentModel& model_;
  bool watched_ = false, working_ = false;
  PruneRules asked_rules_;
  SolutionPtr asked_solution_;
  std::vector<int> asked_pinned_;
  PruneChoice choice_;
  std::optional<PrunePrediction> prediction_;
  int serial_ = 0;

  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any wake_;
  std::optional<std::pair<int, PruneTask>> question_;
  std::jthread worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
