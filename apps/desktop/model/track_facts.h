#pragma once
#include <QObject>

#include "apps/desktop/model/document_model.h"
#include "apps/desktop/model/newest_only.h"
#include "core/review/frame_figures.h"
#include "core/review/residual_field.h"
#include "core/review/track_measures.h"

namespace dusky::desktop {

/// What the solve that is shown says of its tracks and frames, worked out on a thread of its own whenever another is shown. Interface thread only.
class TrackFacts : public QObject {
  Q_OBJECT
 public:
  struct Facts {
    SolutionPtr solution;               ///< That they are of; nullptr: none are known.
    std::vector<TrackMeasures> tracks;  ///< By id.
    std::vector<FrameFigures> frames;
    ResidualField field;
    const TrackMeasures* find(int track) const;
  };
  using FactsPtr = std::shared_ptr<const Facts>;

  explicit TrackFacts(DocumentModel& model, QObject* parent = nullptr);

  /// Never null. While those of another solve are worked out, the ones before.
  const FactsPtr& now() const { return facts_; }
  /// Whether they are those of the solve that is shown.
  bool current() const { return facts_->solution == model_.solution(); }

 signals:
  void changed();

 private:
  struct Question {
    SolutionPtr solution;
    TrackSetPtr tracks;
  };
  void ask();
  void answer(const Question& question, const std::stop_token& dropped);

  DocumentModel& model_;
  FactsPtr facts_ = std::make_shared<Facts>();
  SolutionPtr asked_;
  NewestOnly<Question> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
