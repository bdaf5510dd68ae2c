#pragma once
#include <memory>
#include <string>
#include <vector>

#include "core/project/document.h"

namespace dusky {

/// One change of the document. apply and revert are each other's inverse, as often as wanted.
class Edit {
 public:
  explicit Edit(std::string name) : name_(std::move(name)) {}
  virtual ~Edit() = default;
  /// For the menu: "Use as ground".
  const std::string& name() const { return name_; }
  virtual void apply(Document& document) = 0;
  virtual void revert(Document& document) = 0;

 private:
  std::string name_;
};

/// Replaces one member of the document.
template <class T>
class SetMember final : public Edit {
 public:
  SetMember(std::string name, T Document::*member, T value) : Edit(std::move(name)), member_(member), value_(std::move(value)) {}
  void apply(Document& document) override { std::swap(document.*member_, value_); }
  void revert(Document& document) override { std::swap(document.*member_, value_); }

 private:
  T Document::*member_;
  T value_;  ///< The other state: new before apply, old after it.
};

template <class T>
std::unique_ptr<Edit> setMember(std::string name, T Document::*member, std::type_identity_t<T> value) {
  return std::make_unique<SetMember<T>>(std::move(name), member, std::move(value));
}

/// Runs edits and takes them back. An edit that changes nothing is dropped.
class UndoStack {
 public:
  /// Applies the edit; false when it changed nothing. What was undone can no longer be redone.
  bool run(Document& document, std::unique_ptr<Edit> edit);
  bool canUndo() const { return at_ > 0; }
  bool canRedo() const { return at_ < edits_.size(); }
  void undo(Document& document);
  void redo(Document& document);
  /// Names for the menu; empty when there is nothing.
  std::string undoName() const { return canUndo() ? edits_[at_ - 1]->name() : ""; }
  std::string redoName() const { return canRedo() ? edits_[at_]->name() : ""; }
  void clear();

 private:
  std::vector<std::unique_ptr<Edit>> edits_;
  std::size_t at_ = 0;
};

}  // namespace dusky
