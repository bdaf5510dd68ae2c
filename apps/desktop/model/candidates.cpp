#include "apps/desktop/model/candidates.h"

#include <QMetaObject>

namespace dusky::desktop {

Candidates::Candidates(QObject* parent) : QObject(parent), worker_([this](const Question& question, const std::stop_token&) { answer(question); }) {}

void Candidates::ask(const Document& document, int frame) { worker_.ask({document, frame}); }

void Candidates::clear() {
  if (features_.empty()) return;
  features_.clear();
  frame_ = 0;
  emit changed();
}

void Candidates::answer(const Question& question) {
  if (!reader_.source || reader_.opened != question.document.footage_path || reader_.view != shotViewOf(question.document)) {
    auto fresh = openFootageOf(question.document);
    if (!fresh.ok()) return;  // the Plate says why
    reader_.source = std::move(*fresh);
    reader_.opened = question.document.footage_path;
    reader_.view = shotViewOf(question.document);
  }
  auto found = findCandidates(*reader_.source, reader_.masks, question.document, question.frame);
  if (!found.ok()) return;
  QMetaObject::invokeMethod(
      this,
      [this, features = std::move(*found), frame = question.frame] {
        features_ = features;
        frame_ = frame;
        emit changed();
      },
      Qt::QueuedConnection);
}

}  // namespace dusky::desktop
