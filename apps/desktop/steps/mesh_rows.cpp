// The mesh of the set: what it is, how it lies to the solved points, picking on it and laying the scene on it.
#include <QCheckBox>
#include <QComboBox>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QToolButton>

#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/base/length_units.h"
#include "core/project/edits.h"
#include "core/scene/mesh_in_scene.h"

namespace dusky::desktop {
namespace {

QStringList unitNames() {
  QStringList names;
  for (const auto& [name, metres] : kLengthUnits) names << words(name);
  return names;
}

void change(Session& session, const char* name, const std::function<void(MeshSettings&)>& how) {
  MeshSettings mesh = session.model.document().mesh;
  how(mesh);
  if (!(mesh == session.model.document().mesh)) session.model.set(name, &Document::mesh, mesh);
}

QString countText(const Session& session) {
  const SetMesh& mesh = session.mesh.mesh().surface->mesh();
  const double metres = session.model.document().mesh.metres;
  const Vec3 size = metres * (mesh.high() - mesh.low());
  const QLocale locale;
  const QString count = mesh.isCloud() ? QObject::tr("%1 points").arg(locale.toString(mesh.points.size()))
                                       : QObject::tr("%1 triangles").arg(locale.toString(mesh.triangles.size()));
  return QObject::tr("%1, %2 × %3 × %4 m").arg(count).arg(size.x(), 0, 'g', 3).arg(size.y(), 0, 'g', 3).arg(size.z(), 0, 'g', 3);
}

/// How the solved points lie to it, once the scene is placed by a survey: before, that says nothing.
QString agreementText(const Session& session) {
  const SolutionPtr solution = session.model.solution();
  const auto& scene = session.model.scene();
  if (!solution || !scene) return {};
  if (!scene->surveyed) return QObject::tr("Pick three tracks or more on it: they place the scene.");
  const MeshAgreement lies = agreementWith(*solution, *scene, *session.mesh.mesh().surface, session.model.document().mesh);
  if (lies.near == 0) return QObject::tr("No solved point lies near it.");
  return QObject::tr("%1 of %2 points lie near it, %3 off it in the median.")
      .arg(lies.near)
      .arg(lies.near + lies.far)
      .arg(sceneLengthText(*scene, lies.typical, 2));
}

QString stateText(const Session& session) {
  const QString path = QString::fromStdString(session.model.document().mesh.path);
  if (path.isEmpty()) return QObject::tr("none: see “Mesh of the set…” in the File menu");
  const QString name = QFileInfo(path).fileName();
  if (session.mesh.reading()) return QObject::tr("%1: reading, %2 %").arg(name).arg(static_cast<int>(100 * session.mesh.fraction()));
  if (!session.mesh.problem().isEmpty()) return session.mesh.problem();
  if (!session.mesh.mesh().surface) return name;
  const QString note = session.jobs.meshNote();
  return QObject::tr("%1: %2. %3").arg(name, countText(session), note.isEmpty() ? agreementText(session) : note);
}

QComboBox* choice(const char* name, const QStringList& items, const QString& tip) {
  auto* box = new QComboBox;
  box->setObjectName(name);
  box->addItems(items);
  box->setToolTip(tip);
  return box;
}

class MeshRows : public QWidget {
 public:
  explicit MeshRows(Session& session) : session_(session) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(3);
    grid->setColumnStretch(0, 1), grid->setColumnStretch(1, 1);
    auto* head = new QHBoxLayout;
    head->addWidget(new QLabel(QObject::tr("Mesh of the set")), 1);
    head->addWidget(remove_);
    grid->addLayout(head, 0, 0, 1, 2);
    state_->setProperty("role", "quiet");
    state_->setObjectName("meshState");
    state_->setWordWrap(true);
    grid->addWidget(state_, 1, 0, 1, 2);
    grid->addWidget(unit_, 2, 0), grid->addWidget(up_, 2, 1);
    grid->addWidget(style_, 3, 0, 1, 2);
    grid->addWidget(pick_, 4, 0), grid->addWidget(lay_, 4, 1);
    grid->addWidget(keep_scale_, 5, 0, 1, 2);
    keep_scale_->setObjectName("keepScale");
    keep_scale_->setToolTip(
        QObject::tr("The scene is moved and turned onto the mesh, and stays as large as it is now: where a known distance says that better."));
    for (QPushButton* button : {pick_, lay_}) button->setProperty("role", "small");
    pick_->setObjectName("pickOnMesh");
    pick_->setToolTip(QObject::tr("For the selected track: then click in Plate or Space where it lies on the mesh: three such picks or more place the scene."));
    lay_->setObjectName("layOnMesh");
    lay_->setToolTip(QObject::tr("From where it is now: moves, turns and scales the scene until its points lie on the mesh, in spite of outliers."));
    connectAll();
    refresh();
  }

 private:
  void connectAll() {
    connect(remove_, &QToolButton::clicked, this, [this] { change(session_, "Remove the mesh", [](MeshSettings& m) { m = {}; }); });
    connect(unit_, &QComboBox::currentIndexChanged, this,
            [this](int i) { change(session_, "Unit of the mesh", [i](MeshSettings& m) { m.metres = kLengthUnits[static_cast<std::size_t>(i)].second; }); });
    connect(up_, &QComboBox::currentIndexChanged, this,
            [this](int i) { change(session_, "Up of the mesh", [i](MeshSettings& m) { m.up = i == 1 ? UpAxis::Z : UpAxis::Y; }); });
    connect(style_, &QComboBox::currentIndexChanged, this, [this](int i) {
      session_.view.showMesh(i < 3);
      if (i < 3) session_.view.setMeshStyle(static_cast<ViewSettings::MeshStyle>(i));
    });
    connect(pick_, &QPushButton::clicked, this, [this] { session_.view.setTool(ViewSettings::Tool::MeshPick); });
    connect(lay_, &QPushButton::clicked, this, [this] { session_.jobs.layOnMesh(session_.mesh.mesh().surface, keep_scale_->isChecked()); });
    connect(&session_.mesh, &MeshStore::changed, this, &MeshRows::refresh);
    connect(&session_.model, &DocumentModel::documentChanged, this, &MeshRows::refresh);
    connect(&session_.model, &DocumentModel::resultsChanged, this, &MeshRows::refresh);
    connect(&session_.selection, &Selection::changed, this, &MeshRows::refreshButtons);
    connect(&session_.view, &ViewSettings::changed, this, &MeshRows::refreshButtons);
    connect(&session_.jobs, &Jobs::changed, this, &MeshRows::refreshButtons);
  }

  void refresh() {
    const MeshSettings& mesh = session_.model.document().mesh;
    const bool named = !mesh.path.empty();
    state_->setText(stateText(session_));
    state_->setProperty("role", session_.mesh.problem().isEmpty() ? "quiet" : "failure");
    state_->style()->unpolish(state_), state_->style()->polish(state_);
    for (QWidget* one : std::initializer_list<QWidget*>{unit_, up_, style_, pick_, lay_, keep_scale_}) one->setVisible(named);
    remove_->setEnabled(named);
    const QSignalBlocker a(unit_), b(up_);
    for (std::size_t i = 0; i < kLengthUnits.size(); ++i) {
      if (kLengthUnits[i].second == mesh.metres) unit_->setCurrentIndex(static_cast<int>(i));
    }
    up_->setCurrentIndex(mesh.up == UpAxis::Z ? 1 : 0);
    refreshButtons();
  }

  void refreshButtons() {
    const bool there = session_.mesh.mesh().surface && session_.model.solution() && !session_.model.partial();
    const SolvedTrack* track = there && session_.selection.ids().size() == 1 ? session_.model.solution()->find(session_.selection.ids().front()) : nullptr;
    pick_->setEnabled(track && track->hasPlace());
    lay_->setEnabled(there && session_.model.scene() && !session_.jobs.busy());
    const QSignalBlocker quiet(style_);
    style_->setCurrentIndex(session_.view.meshShown() ? static_cast<int>(session_.view.meshStyle()) : 3);
  }

  Session& session_;
  QLabel* state_ = new QLabel;
  QToolButton* remove_ = crossButton(QObject::tr("Removes the mesh; what was picked on it stays."));
  QComboBox* unit_ = choice("meshUnit", unitNames(), QObject::tr("What one unit of its numbers is."));
  QComboBox* up_ = choice("meshUp", {QObject::tr("Y up"), QObject::tr("Z up")}, QObject::tr("Which axis is up in its file."));
  QComboBox* style_ = choice("meshStyle", {QObject::tr("Lines"), QObject::tr("Hidden lines"), QObject::tr("Solid"), QObject::tr("Not shown")},
                             QObject::tr("How it is drawn in Space and on the Plate: all edges, those that are not hidden, or its surface."));
  QPushButton* pick_ = new QPushButton(QObject::tr("Pick"));
  QPushButton* lay_ = new QPushButton(QObject::tr("Lay on it"));
  QCheckBox* keep_scale_ = new QCheckBox(QObject::tr("keep the scale"));
};

}  // namespace

QWidget* meshRows(Session& session) { return new MeshRows(session); }

}  // namespace dusky::desktop
