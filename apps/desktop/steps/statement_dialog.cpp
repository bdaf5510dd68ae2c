#include "apps/desktop/steps/statement_dialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

using Part = StatementRef::Part;

QString sceneUnit(const Session& session) {
  const auto& scene = session.model.scene();
  return scene && scene->metric ? QObject::tr("m") : QObject::tr("units");
}

QPushButton* smallButton(const QString& text, const QString& tip, const char* name) {
  auto* button = new QPushButton(text);
  button->setProperty("role", "small");
  button->setToolTip(tip);
  button->setObjectName(name);
  button->setAutoDefault(false);
  return button;
}

enum Relation { Square, Parallel, Angle, Same, Apart };

Relation shownAs(const KnownRelation& relation) {
  if (relation.kind == RelationKind::Same) return Same;
  if (relation.kind == RelationKind::Apart) return Apart;
  return relation.value == 90 ? Square : relation.value == 0 ? Parallel : Angle;
}

}  // namespace

StatementDialog::StatementDialog(Session& session, std::optional<StatementRef> ref, QWidget* parent)
    : QDialog(parent), session_(session), ref_(ref), knowledge_(session.model.document().picks.knowledge) {
  setObjectName("statementDialog");
  setWindowTitle(ref ? tr("What is known") : tr("How two planes or lines stand to each other"));
  setMinimumWidth(420);
  if (!ref) knowledge_.relations.push_back({.a = knowledge_.sets[0].name, .b = knowledge_.sets[1].name});
  shown_ = ref.value_or(StatementRef{Part::Relation, knowledge_.relations.size() - 1});
  auto* column = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  addFields(*form);
  column->addLayout(form);
  problem_ = new QLabel;
  problem_->setProperty("role", "failure");
  problem_->setWordWrap(true);
  problem_->hide();
  column->addWidget(problem_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setObjectName("takeStatement");
  column->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &StatementDialog::takeOver);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  // What it shows is no longer what is known.
  connect(&session_.model, &DocumentModel::documentChanged, this, [this, opened = session_.model.document().picks.knowledge] {
    if (!(session_.model.document().picks.knowledge == opened)) reject();
  });
}

QDoubleSpinBox* StatementDialog::number(const char* name, double value, const QString& unit, double least) {
  auto* field = new QDoubleSpinBox;
  field->setObjectName(name);
  field->setDecimals(4);
  field->setRange(least, 1e6);
  field->setSuffix(" " + unit);
  field->setValue(value);
  return field;
}

void StatementDialog::addSigma(QFormLayout& form, double value, const QString& unit, const QString& tip) {
  sigma_ = number("statementSigma", value, unit, 0);
  sigma_->setSpecialValueText(tr("exact"));
  sigma_->setToolTip(tip);
  form.addRow(tr("Deviation"), sigma_);
}

void StatementDialog::addFields(QFormLayout& form) {
  switch (shown_.part) {
    case Part::Set: return addSetFields(form);
    case Part::Relation: return addRelationFields(form);
    case Part::Distance: {
      const KnownDistance& distance = knowledge_.distances[shown_.index];
      value_ = number("statementValue", distance.metres, tr("m"), 0.0001);
      form.addRow(tr("Tracks %1 – %2").arg(distance.from).arg(distance.to), value_);
      return addSigma(form, distance.sigma, tr("m"), tr("How surely it is known, one standard deviation."));
    }
    case Part::Survey: {
      const SurveyPoint& point = knowledge_.survey[shown_.index];
      const Vec3 at = toUpAxis(session_.model.document().picks.scene.up, point.at);
      form.addRow(tr("Track %1 at").arg(point.track), new QLabel(tr("%1, %2, %3").arg(at.x()).arg(at.y()).arg(at.z())));
      return addSigma(form, point.sigma.maxCoeff(), tr("m"), tr("How surely it was measured along each axis, one standard deviation."));
    }
    case Part::Camera: return addCameraFields(form);
  }
}

void StatementDialog::addSetFields(QFormLayout& form) {
  const KnownSet& set = knowledge_.sets[shown_.index];
  name_ = new QLineEdit(QString::fromStdString(set.name));
  name_->setObjectName("statementName");
  form.addRow(tr("Name"), name_);
  facing_ = new QComboBox;
  facing_->setObjectName("statementFacing");
  facing_->addItems({tr("any way"), tr("level"), tr("upright")});
  if (set.facing == SetFacing::Given) facing_->addItem(tr("as given"));
  facing_->setCurrentIndex(static_cast<int>(set.facing));
  form.addRow(tr("It lies"), facing_);
  addSigma(form, set.sigma, sceneUnit(session_),
           tr("How far its tracks stand off it, one standard deviation: 0 for a wall of glass, a few centimetres for old boards."));
  addMembers(form);
}

void StatementDialog::addMembers(QFormLayout& form) {
  members_ = knowledge_.sets[shown_.index].tracks;
  count_ = new QLabel;
  count_->setObjectName("statementMembers");
  auto* add = smallButton(tr("Add selected"), tr("The selected tracks lie in it too."), "addMembers");
  auto* drop = smallButton(tr("Take selected out"), tr("The selected tracks have no part in it."), "dropMembers");
  auto* row = new QHBoxLayout;
  row->addWidget(count_, 1);
  row->addWidget(add);
  row->addWidget(drop);
  form.addRow(tr("Tracks"), row);
  connect(add, &QPushButton::clicked, this, [this] {
    const auto& chosen = session_.selection.ids();
    members_.insert(members_.end(), chosen.begin(), chosen.end());
    std::sort(members_.begin(), members_.end());
    members_.erase(std::unique(members_.begin(), members_.end()), members_.end());
    showMembers();
  });
  connect(drop, &QPushButton::clicked, this, [this] {
    const auto& chosen = session_.selection.ids();
    std::erase_if(members_, [&chosen](int id) { return std::find(chosen.begin(), chosen.end(), id) != chosen.end(); });
    showMembers();
  });
  showMembers();
}

void StatementDialog::showMembers() { count_->setText(tr("%1 tracks").arg(members_.size())); }

void StatementDialog::addRelationFields(QFormLayout& form) {
  const KnownRelation& relation = knowledge_.relations[shown_.index];
  const auto setField = [&](const char* name, const std::string& chosen) {
    auto* field = new QComboBox;
    field->setObjectName(name);
    for (const KnownSet& set : knowledge_.sets) field->addItem(QString::fromStdString(set.name));
    field->setCurrentText(QString::fromStdString(chosen));
    return field;
  };
  a_ = setField("relationFrom", relation.a), b_ = setField("relationTo", relation.b);
  kind_ = new QComboBox;
  kind_->setObjectName("relationKind");
  kind_->addItems({tr("square to"), tr("parallel to"), tr("at an angle to"), tr("one with"), tr("parallel to, and apart from")});
  form.addRow(tr("The plane or line"), a_);
  form.addRow(tr("is"), kind_);
  form.addRow(tr("the plane or line"), b_);
  value_ = number("statementValue", relation.value, tr("°"), 0);
  form.addRow(tr("By"), value_);
  addSigma(form, relation.sigma, tr("°"), tr("How surely it is known, one standard deviation."));
  const auto refresh = [this](int kind) {
    value_->setEnabled(kind == Angle || kind == Apart);
    if (kind == Square) value_->setValue(90);
    if (kind == Parallel || kind == Same) value_->setValue(0);
    const QString unit = kind == Same || kind == Apart ? sceneUnit(session_) : tr("°");
    for (QDoubleSpinBox* field : {value_, sigma_}) field->setSuffix(" " + unit);
  };
  connect(kind_, &QComboBox::currentIndexChanged, this, refresh);
  kind_->setCurrentIndex(shownAs(relation));
  refresh(kind_->currentIndex());
}

void StatementDialog::addCameraFields(QFormLayout& form) {
  const KnownCamera& camera = knowledge_.camera[shown_.index];
  const auto frameField = [](const char* name, int value) {
    auto* field = new QSpinBox;
    field->setObjectName(name);
    field->setRange(-1000000, 10000000);
    field->setValue(value);
    return field;
  };
  first_ = frameField("statementFirst", camera.first), last_ = frameField("statementLast", camera.last);
  form.addRow(tr("First frame"), first_);
  form.addRow(tr("Last frame"), last_);
  addSigma(form, camera.sigma, camera.fact == CameraFact::Rotation ? tr("°") : sceneUnit(session_), tr("How far it may be off, one standard deviation."));
}

void StatementDialog::readInto(Knowledge& knowledge) const {
  switch (shown_.part) {
    case Part::Set: {
      KnownSet& set = knowledge.sets[shown_.index];
      const std::string name = name_->text().trimmed().toStdString();
      for (KnownRelation& relation : knowledge.relations) {
        if (relation.a == set.name) relation.a = name;
        if (relation.b == set.name) relation.b = name;
      }
      set.name = name, set.facing = static_cast<SetFacing>(facing_->currentIndex()), set.sigma = sigma_->value(), set.tracks = members_;
      if (set.facing != SetFacing::Given) set.offset.reset();
      return;
    }
    case Part::Relation: {
      KnownRelation& relation = knowledge.relations[shown_.index];
      const int kind = kind_->currentIndex();
      relation.a = a_->currentText().toStdString(), relation.b = b_->currentText().toStdString();
      relation.kind = kind == Same ? RelationKind::Same : kind == Apart ? RelationKind::Apart : RelationKind::Angle;
      relation.value = value_->value(), relation.sigma = sigma_->value();
      return;
    }
    case Part::Distance: knowledge.distances[shown_.index].metres = value_->value(), knowledge.distances[shown_.index].sigma = sigma_->value(); return;
    case Part::Survey: knowledge.survey[shown_.index].sigma = Vec3::Constant(sigma_->value()); return;
    case Part::Camera: {
      KnownCamera& camera = knowledge.camera[shown_.index];
      camera.first = first_->value(), camera.last = last_->value(), camera.sigma = sigma_->value();
      return;
    }
  }
}

/// What cannot be stays in the dialog, with the reason.
void StatementDialog::takeOver() {
  Knowledge changed = knowledge_;
  readInto(changed);
  if (const Status fine = changed.check(); !fine.ok()) {
    problem_->setText(QString::fromStdString(fine.error().message));
    problem_->show();
    return;
  }
  session_.model.run(changeKnowledge(ref_ ? "Change statement" : "Add relation", session_.model.document(), std::move(changed)));
  accept();
}

}  // namespace dusky::desktop
