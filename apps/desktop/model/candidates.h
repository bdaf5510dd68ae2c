#pragma once
#include <QObject>
#include <vector>

#include "apps/desktop/model/newest_only.h"
#include "core/pipeline/steps.h"

namespace dusky::desktop {

/// The features that tracking would begin with in one frame, found anew on a thread of its own whenever settings, masks or frame change; only
/// the newest question is answered. Interface thread only.
class Candidates : public QObject {
  Q_OBJECT
 public:
  explicit Candidates(QObject* parent = nullptr);

  /// Asks for the features of a frame.
  void ask(const Document& document, int frame);
  /// Forgets all; nothing is shown.
  void clear();
  const std::vector<Feature>& features() const { return features_; }
  int frame() const { return frame_; }  ///< That features() are of.

 signals:
  void changed();

 private:
  struct Question {
    Document document;
    int frame = 0;
  };
  /// What is kept from one question to the next; of the worker's thread.
  struct Reader {
    std::unique_ptr<FrameSource> source;
    LiveMasks masks;
    std::string opened;
    ShotView view;
  };
  void answer(const Question& question);

  std::vector<Feature> features_;
  int frame_ = 0;
  Reader reader_;
  NewestOnly<Question> worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
