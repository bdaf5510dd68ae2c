#include "core/project/undo_stack.h"

namespace dusky {

bool UndoStack::run(Document& document, std::unique_ptr<Edit> edit) {
  const Document before = document;
  edit->apply(document);
  if (document == before) return false;
  edits_.resize(at_);
  edits_.push_back(std::move(edit));
  ++at_;
  return true;
}

void UndoStack::undo(Document& document) {
  if (canUndo()) edits_[--at_]->revert(document);
}

void UndoStack::redo(Document& document) {
  if (canRedo()) edits_[at_++]->apply(document);
}

void UndoStack::clear() {
  edits_.clear();
  at_ = 0;
}

}  // namespace dusky
