#pragma once
#include <QObject>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>
#include <vector>

#include "core/pipeline/steps.h"

namespace dusky::desktop {

/// The features that tracking would begin with in one frame, found anew on a thread of its own whenever settings, masks or frame change; only
/// the newest question is answered. Interface thread only.
class Candidates : public QObject {
  Q_OBJECT
 public:
  explicit Candidates(QObject* parent = nullptr);
  ~Candidates() override;

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
  void run(std::stop_token stop);

  std::vector<Feature> features_;
  int frame_ = 0;

  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any wake_;
  std::optional<Question> question_;
  std::jthread worker_;  ///< Last: it uses the others.
};

}  // namespace dusky::desktop
