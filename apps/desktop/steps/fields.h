#pragma once
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <functional>

#include "apps/desktop/model/document_model.h"

namespace dusky::desktop {

/// Faces of one setting of the document: they keep no copy, hear every change (undo too) and change it only by an edit.
class NumberField : public QDoubleSpinBox {
  Q_OBJECT
 public:
  using Get = std::function<double(const Document&)>;
  using Change = std::function<std::unique_ptr<Edit>(const Document&, double)>;
  NumberField(DocumentModel& model, Get get, Change change, QWidget* parent = nullptr);
  NumberField* range(double low, double high, int decimals, double step, const QString& suffix);

 private:
  void refresh();
  DocumentModel& model_;
  Get get_;
  Change change_;
};

class SwitchField : public QCheckBox {
  Q_OBJECT
 public:
  using Get = std::function<bool(const Document&)>;
  using Change = std::function<std::unique_ptr<Edit>(const Document&, bool)>;
  SwitchField(const QString& text, DocumentModel& model, Get get, Change change, QWidget* parent = nullptr);
};

class ChoiceField : public QComboBox {
  Q_OBJECT
 public:
  using Get = std::function<int(const Document&)>;
  using Change = std::function<std::unique_ptr<Edit>(const Document&, int)>;
  ChoiceField(const QStringList& choices, DocumentModel& model, Get get, Change change, QWidget* parent = nullptr);
};

/// An edit of one field inside a struct member of the document.
template <class Struct, class Value>
std::unique_ptr<Edit> changeField(const char* name, const Document& document, Struct Document::*member, Value Struct::*field,
                                  std::type_identity_t<Value> value) {
  Struct changed = document.*member;
  changed.*field = std::move(value);
  return setMember<Struct>(name, member, std::move(changed));
}

/// A number that is one field of a struct member of the document.
template <class Struct, class Value>
NumberField* numberOf(DocumentModel& model, const char* name, Struct Document::*member, Value Struct::*field) {
  return new NumberField(
      model, [member, field](const Document& d) { return static_cast<double>(d.*member.*field); },
      [name, member, field](const Document& d, double v) { return changeField(name, d, member, field, static_cast<Value>(v)); });
}
}  // namespace dusky::desktop
