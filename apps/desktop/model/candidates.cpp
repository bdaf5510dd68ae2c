#include "apps/desktop/model/candidates.h"

#include <QMetaObject>

namespace dusky::desktop {

Candidates::Candidates(QObject* parent) : QObject(parent), worker_([this](std::stop_token stop) { run(stop); }) {}

Candidates::~Candidates() {
  worker_.request_stop();
  wake_.notify_all();
}

void Candidates::ask(const Document& document, int frame) {
  {
    const std::lock_guard lock(mutex_);
    question_ = Question{document, frame};
  }
  wake_.notify_all();
}

void Candidates::clear() {
  if (features_.empty()) return;
  features_.clear();
  frame_ = 0;
  emit changed();
}

void Candidates::run(std::stop_token stop) {
  std::unique_ptr<FrameSource> source;
  LiveMasks masks;
  std::string opened;
  ShotView view;
  while (!stop.stop_requested()) {
    Question question;
    {
      std::unique_lock lock(mutex_);
      if (!wake_.wait(lock, stop, [&] { return question_.has_value(); })) return;
      question = std::move(*question_);
      question_.reset();
    }
    if (!source || opened != question.document.footage_path || view != shotViewOf(question.document)) {
      auto fresh = openFootageOf(question.document);
      if (!fresh.ok()) continue;  // the Plate says why
      source = std::move(*fresh);
      opened = question.document.footage_path;
      view = shotViewOf(question.document);
    }
    auto found = findCandidates(*source, masks, question.document, question.frame);
    if (!found.ok()) continue;
    QMetaObject::invokeMethod(
        this,
        [this, features = std::move(*found), frame = question.frame] {
          features_ = features;
          frame_ = frame;
          emit changed();
        },
        Qt::QueuedConnection);
  }
}

}  // namespace dusky::desktop
