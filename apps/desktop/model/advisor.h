#pragma once
#include <QObject>

#include "apps/desktop/model/jobs.h"
#include "apps/desktop/model/newest_only.h"
#include "apps/desktop/model/track_facts.h"
#include "core/pipeline/advice_step.h"

namespace dusky::desktop {

/// Advice on the solve that is shown, worked out on a thread of its own when another is shown; takes one up on request, solves again, and tells what it did
/// gain. Interface thread only.
class Advisor : public QObject {
  Q_OBJECT
 public:
  Advisor(DocumentModel& model, TrackFacts& facts, Jobs& jobs, QObject* parent = nullptr);

  /// None while it is worked out, and for a solve whose settings changed since.
  const std::vector<Advice>& advice() const { return advice_; }
  /// What the piece that was taken up last did gain, beside what was expected; empty: none was.
  const QString& outcome() const { return outcome_; }
  /// Takes a piece up: an edit that can be undone, and a solve. Where that is for the artist to do, says so by asked().
  void take(std::size_t index);

 signals:
  void changed();
  /// A piece that only the artist can take up.
  void asked(const dusky::Advice& advice);

 private:
  struct Question {
    PruneTask task;
    TrackFacts::FactsPtr facts;
  };
  struct Taken {
    Advice advice;
    SolutionPtr before;
  };
  void ask();
  void answer(const Question& question, const std::stop_token& dropped);
  void tellOutcome();

  DocumentModel& model_;
  TrackFacts& facts_;
  Jobs& jobs_;
  std::vector<Advice> advice_;
  std::optional<Taken> taken_;
  QString outcome_;
  SolutionPtr asked_;
  NewestOnly<Question> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
