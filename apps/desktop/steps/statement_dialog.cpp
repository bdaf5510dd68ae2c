#include "apps/desktop/steps/statement_dialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "apps/desktop/steps/step_settings.h"
#include "core/geometry/principal_axes.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

using Part = StatementRef::Part;

QString sceneUnit(const Session& session) {
  const auto& scene = session.model.scene();
  return scene && scene->metric ? QObject::tr("m") : QObject::tr("units");
}

/// Where tracks lie in the scene; those that lie nowhere are left out.
std::vector<Vec3> placesOf(const Session& session, const std::vector<int>& ids) {
  const SolutionPtr solution = session.model.solution();
  const auto& scene = session.model.scene();
  std::vector<Vec3> places;
  for (const int id : ids) {
    const SolvedTrack* track = solution ? solution->find(id) : nullptr;
    if (track && track->hasPlace() && scene) places.push_back(scene->scene_from_solve * track->point);
  }
  return places;
}

enum Relation { Square, Parallel, Angle, Same, Apart };

Relation shownAs(const KnownRelation& relation) {
  if (relation.kind == RelationKind::Same) return Same;
  if (relation.kind == RelationKind::Apart) return Apart;
  return relation.value == 90 ? Square : relation.value == 0 ? Parallel : Angle;
}

}  // namespace

StatementDialog::StatementDialog(Session& session, Knowledge knowledge, StatementRef shown, bool is_new, QWidget* parent)
    : QDialog(parent), session_(session), knowledge_(std::move(knowledge)), shown_(shown), is_new_(is_new) {
  setObjectName("statementDialog");
  setWindowTitle(!is_new                        ? tr("What is known")
                 : shown.part == Part::Relation ? tr("How two planes or lines stand to each other")
                 : shown.part == Part::Camera   ? tr("What is known of the camera")
                 : shown.part == Part::Survey   ? tr("Where a track was measured")
                                                : tr("How far a track is from a plane"));
  setMinimumWidth(420);
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

StatementDialog::~StatementDialog() { session_.edited_set.show(std::nullopt); }

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
    case Part::PlaneDistance: {
      const KnownPlaneDistance& distance = knowledge_.plane_distances[shown_.index];
      value_ = number("statementValue", distance.metres, tr("m"), 0.0001);
      plane_ = planeField(distance.plane, false);
      form.addRow(tr("Track %1 is").arg(distance.track), value_);
      form.addRow(tr("from the plane"), plane_);
      return addSigma(form, distance.sigma, tr("m"), tr("How surely it is known, one standard deviation."));
    }
    case Part::Equal: {
      addPairs(form, knowledge_.equals[shown_.index].pairs);
      return addSigma(form, knowledge_.equals[shown_.index].sigma, sceneUnit(session_), tr("How far each may be off, one standard deviation."));
    }
    case Part::Mirror: {
      const KnownMirror& mirror = knowledge_.mirrors[shown_.index];
      addPairs(form, mirror.pairs);
      plane_ = planeField(mirror.plane, true);
      form.addRow(tr("mirror each other in"), plane_);
      return addSigma(form, mirror.sigma, sceneUnit(session_), tr("How far one may be from the other's mirror image along each axis, one standard deviation."));
    }
    case Part::Survey: return addSurveyFields(form);
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
  facing_->addItems({tr("any way"), tr("level"), tr("upright"), tr("as given")});
  form.addRow(tr("It lies"), facing_);
  addOrientation(form);
  facing_->setCurrentIndex(static_cast<int>(set.facing));
  addSigma(form, set.sigma, sceneUnit(session_),
           tr("How far its tracks stand off it, one standard deviation: 0 for a wall of glass, a few centimetres for old boards."));
  addMembers(form);
}

/// Of a plane its normal and how far along that it is from the origin, of a line its direction: in numbers, or as selected tracks lie.
void StatementDialog::addOrientation(QFormLayout& form) {
  constexpr double kOpen = -1e6;
  const KnownSet& set = knowledge_.sets[shown_.index];
  const bool line = set.kind == SetKind::Line;
  auto* row = numbersRow(tr("%1 in the scene, of any length: X, Y, Z.").arg(line ? tr("Its direction") : tr("Its normal")));
  by_tracks_ = smallButton(line ? tr("By two tracks") : tr("By three tracks"),
                           line ? tr("From the first selected track to the second, as they lie in the scene now.")
                                : tr("The plane through the three selected tracks, as they lie in the scene now."),
                           "axisByTracks");
  row->addWidget(by_tracks_);
  as_found_ = smallButton(tr("As found"), tr("As the last solve found it, held there from now on."), "axisAsFound");
  as_found_->setEnabled(foundSet() != nullptr);
  row->addWidget(as_found_);
  form.addRow(line ? tr("Direction") : tr("Normal"), row);
  offset_ = number("statementOffset", set.offset.value_or(kOpen), sceneUnit(session_), kOpen);
  offset_->setSpecialValueText(tr("not known"));
  offset_->setToolTip(tr("How far along its normal it is from the world's origin."));
  if (!line) form.addRow(tr("Offset"), offset_);
  if (line) offset_->setParent(this), offset_->hide();
  showGiven(set.facing == SetFacing::Given ? set.axis : axisOfSelection().value_or(line ? Vec3::UnitX() : Vec3::UnitY()));
  const auto refresh = [this](int facing) {
    const bool is_given = facing == static_cast<int>(SetFacing::Given);
    for (QDoubleSpinBox* field : axis_) field->setEnabled(is_given);
    offset_->setEnabled(is_given);
    by_tracks_->setEnabled(is_given && axisOfSelection());
    showInViews();
  };
  for (QDoubleSpinBox* field : axis_) connect(field, &QDoubleSpinBox::valueChanged, this, &StatementDialog::showInViews);
  connect(&session_.edited_set, &EditedSet::turned, this, &StatementDialog::showGiven);
  connect(facing_, &QComboBox::currentIndexChanged, this, refresh);
  connect(by_tracks_, &QPushButton::clicked, this, [this] { showGiven(*axisOfSelection()); });
  connect(as_found_, &QPushButton::clicked, this, &StatementDialog::showFound);
  connect(&session_.selection, &Selection::changed, this, [this, refresh] { refresh(facing_->currentIndex()); });
  refresh(facing_->currentIndex());
}

QHBoxLayout* StatementDialog::numbersRow(const QString& tip) {
  auto* row = new QHBoxLayout;
  for (std::size_t k = 0; k < 3; ++k) {
    axis_[k] = number(std::array{"statementX", "statementY", "statementZ"}[k], 0, {}, -1e6);
    axis_[k]->setButtonSymbols(QAbstractSpinBox::NoButtons);
    axis_[k]->setToolTip(tip);
    row->addWidget(axis_[k]);
  }
  return row;
}

Vec3 StatementDialog::numbers() const { return {axis_[0]->value(), axis_[1]->value(), axis_[2]->value()}; }

void StatementDialog::showNumbers(const Vec3& shown) {
  for (std::size_t k = 0; k < 3; ++k) {
    const QSignalBlocker quiet(axis_[k]);
    axis_[k]->setValue(shown[static_cast<Eigen::Index>(k)]);
  }
}

void StatementDialog::showGiven(const Vec3& axis) {
  showNumbers(toUpAxis(session_.model.document().picks.scene.up, axis));
  showInViews();
}

/// As it is given, about its tracks; nothing where it is not.
void StatementDialog::showInViews() {
  const KnownSet& set = knowledge_.sets[shown_.index];
  const std::vector<Vec3> places = placesOf(session_, set.tracks);
  const bool is_given = facing_->currentIndex() == static_cast<int>(SetFacing::Given) && given().norm() > 1e-9 && !places.empty();
  if (!is_given && !session_.edited_set.given()) return;
  if (!is_given) return session_.edited_set.show(std::nullopt);
  session_.edited_set.show(EditedSet::Given{principalAxes(places).middle, given().normalized(), set.kind == SetKind::Line});
}

Vec3 StatementDialog::given() const { return fromUpAxis(session_.model.document().picks.scene.up, numbers()); }

std::optional<Vec3> StatementDialog::axisOfSelection() const {
  const std::vector<Vec3> places = placesOf(session_, session_.selection.ids());
  const bool line = knowledge_.sets[shown_.index].kind == SetKind::Line;
  if (places.size() != (line ? 2 : 3)) return std::nullopt;
  const Vec3 axis = line ? Vec3(places[1] - places[0]) : Vec3((places[1] - places[0]).cross(places[2] - places[0]));
  return axis.norm() > 1e-12 ? std::optional<Vec3>(axis.normalized()) : std::nullopt;
}

const SolvedSet* StatementDialog::foundSet() const {
  const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
  if (!solution || !session_.model.scene()) return nullptr;
  const auto& sets = solution->knowledge.sets;
  const auto found = std::find_if(sets.begin(), sets.end(), [this](const SolvedSet& set) { return set.name == knowledge_.sets[shown_.index].name; });
  return found != sets.end() && found->undetermined.empty() ? &*found : nullptr;
}

void StatementDialog::showFound() {
  const SolvedSet* found = foundSet();
  if (!found) return;
  const Similarity& scene = session_.model.scene()->scene_from_solve;
  const Vec3 axis = scene.rotation * found->axis;
  facing_->setCurrentIndex(static_cast<int>(SetFacing::Given));
  showGiven(axis);
  offset_->setValue(axis.dot(scene * found->through));
}

QComboBox* StatementDialog::planeField(const std::string& chosen, bool or_own) const {
  auto* field = new QComboBox;
  field->setObjectName("statementPlane");
  if (or_own) field->addItem(tr("a plane of their own"), QString());
  for (const KnownSet& set : knowledge_.sets) {
    if (set.kind == SetKind::Plane) field->addItem(QString::fromStdString(set.name), QString::fromStdString(set.name));
  }
  field->setCurrentIndex(std::max(0, field->findData(QString::fromStdString(chosen))));
  return field;
}

void StatementDialog::addPairs(QFormLayout& form, const std::vector<TrackPair>& pairs) {
  QStringList words;
  for (const TrackPair& pair : pairs) words << tr("%1 – %2").arg(pair.from).arg(pair.to);
  auto* label = new QLabel(words.join(", "));
  label->setWordWrap(true);
  label->setObjectName("statementPairs");
  form.addRow(tr("Tracks"), label);
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

void StatementDialog::addSurveyFields(QFormLayout& form) {
  const SurveyPoint& point = knowledge_.survey[shown_.index];
  name_ = new QLineEdit(QString::fromStdString(point.name));
  name_->setObjectName("statementName");
  form.addRow(tr("Name"), name_);
  form.addRow(tr("Track %1 at").arg(point.track), numbersRow(tr("Where it was measured, metres: X, Y, Z.")));
  showNumbers(toUpAxis(session_.model.document().picks.scene.up, point.at));
  addSigma(form, point.sigma.maxCoeff(), tr("m"), tr("How surely it was measured along each axis, one standard deviation."));
}

void StatementDialog::addCameraNumbers(QFormLayout& form) {
  auto* row = numbersRow(tr("In the scene. A place: X, Y, Z. A turn: degrees about Z, then X, then Y, from looking along Z with Y down in the picture."));
  auto* label = new QLabel;
  form.addRow(label, row);
  const auto refresh = [this, label](int kind) {
    const auto fact = static_cast<CameraFact>(kind);
    const bool place = fact == CameraFact::Position, turn = fact == CameraFact::Rotation;
    for (QWidget* one : std::initializer_list<QWidget*>{label, axis_[0], axis_[1], axis_[2]}) one->setVisible(place || turn);
    label->setText(place ? tr("Place") : tr("Turn"));
    for (QDoubleSpinBox* field : axis_) field->setSuffix(turn ? tr("°") : " " + sceneUnit(session_));
    sigma_->setSuffix(" " + (turn ? tr("°") : sceneUnit(session_)));
    sigma_->setSpecialValueText(fact == CameraFact::Smooth ? QString() : tr("exact"));
    const KnownCamera& camera = knowledge_.camera[shown_.index];
    const UpAxis up = session_.model.document().picks.scene.up;
    KnownCamera shown = camera;
    const SolutionPtr solution = session_.model.solution();
    const SolvedFrame* now = is_new_ && solution ? solution->frameAt(session_.playback.frame()) : nullptr;
    if (now && now->placed && session_.model.scene()) {  // as the camera of the frame that is shown is solved
      const Similarity& scene = session_.model.scene()->scene_from_solve;
      shown.at = scene * now->pose.centre, shown.rotation = scene.rotation * now->pose.world_from_camera;
    }
    if (is_new_ && (place || turn)) {
      first_->setValue(session_.playback.frame());
      last_->setValue(session_.playback.frame());
    }
    if (place) showNumbers(toUpAxis(up, shown.at));
    if (turn) showNumbers(moveOf({1, upAxisTurn(up) * shown.rotation, Vec3::Zero()}, true).turn_deg);
  };
  connect(kind_, &QComboBox::currentIndexChanged, this, refresh);
  refresh(kind_->currentIndex());
}

void StatementDialog::readCamera(KnownCamera& camera) const {
  const UpAxis up = session_.model.document().picks.scene.up;
  camera.fact = static_cast<CameraFact>(kind_->currentIndex());
  camera.first = first_->value(), camera.last = last_->value(), camera.sigma = sigma_->value();
  if (camera.fact == CameraFact::Position) camera.at = fromUpAxis(up, numbers());
  if (camera.fact == CameraFact::Rotation)
    camera.rotation = (upAxisTurn(up).conjugate() * similarityOf(SceneMove{.turn_deg = numbers()}).rotation).normalized();
}

void StatementDialog::addCameraFields(QFormLayout& form) {
  const KnownCamera& camera = knowledge_.camera[shown_.index];
  kind_ = new QComboBox;
  kind_->setObjectName("cameraKind");
  kind_->addItems({tr("moves on a straight line"), tr("stays at one height"), tr("stands at a known place"), tr("looks a known way"), tr("stands still"),
                   tr("moves smoothly")});
  kind_->setCurrentIndex(static_cast<int>(camera.fact));
  form.addRow(tr("The camera"), kind_);
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
  addSigma(form, camera.sigma, camera.fact == CameraFact::Rotation ? tr("°") : sceneUnit(session_),
           tr("How far it may be off, one standard deviation; of a smooth move from one frame to the next."));
  addCameraNumbers(form);
}

void StatementDialog::readInto(Knowledge& knowledge) const {
  switch (shown_.part) {
    case Part::Set: {
      KnownSet& set = knowledge.sets[shown_.index];
      renameSet(knowledge, shown_.index, name_->text().trimmed().toStdString());
      set.facing = static_cast<SetFacing>(facing_->currentIndex()), set.sigma = sigma_->value(), set.tracks = members_;
      set.offset.reset();
      if (set.facing != SetFacing::Given) return;
      set.axis = given();
      if (set.kind == SetKind::Plane && offset_->value() > offset_->minimum()) set.offset = offset_->value();
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
    case Part::PlaneDistance: {
      KnownPlaneDistance& distance = knowledge.plane_distances[shown_.index];
      distance.metres = value_->value(), distance.sigma = sigma_->value(), distance.plane = plane_->currentData().toString().toStdString();
      return;
    }
    case Part::Equal: knowledge.equals[shown_.index].sigma = sigma_->value(); return;
    case Part::Mirror:
      knowledge.mirrors[shown_.index].sigma = sigma_->value();
      knowledge.mirrors[shown_.index].plane = plane_->currentData().toString().toStdString();
      return;
    case Part::Survey: {
      SurveyPoint& point = knowledge.survey[shown_.index];
      point.name = name_->text().trimmed().toStdString(), point.at = given();
      if (std::abs(sigma_->value() - point.sigma.maxCoeff()) > 5e-5) point.sigma = Vec3::Constant(sigma_->value());
      return;
    }
    case Part::Camera: return readCamera(knowledge.camera[shown_.index]);
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
  session_.model.run(changeKnowledge(is_new_ ? "Add what is known" : "Change statement", session_.model.document(), std::move(changed)));
  accept();
}

}  // namespace dusky::desktop
