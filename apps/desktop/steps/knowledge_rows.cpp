#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <algorithm>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/clear_layout.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/statement_dialog.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"
#include "core/review/knowledge_words.h"
#include "core/scene/mesh_in_scene.h"

namespace dusky::desktop {
namespace {

constexpr std::ptrdiff_t kMostOnMesh = 6;  // that have a row of their own

QString text(const std::string& words) { return QString::fromStdString(words); }

/// A tick whose words end in dots where the steps are too narrow for them.
class StatementBox : public QCheckBox {
 public:
  explicit StatementBox(const QString& words) : words_(words) { setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed); }

 protected:
  void resizeEvent(QResizeEvent* event) override {
    constexpr int kTick = 24;
    QCheckBox::resizeEvent(event);
    setText(fontMetrics().elidedText(words_, Qt::ElideRight, width() - kTick));
  }

 private:
  const QString words_;
};

/// What is known of the set: each statement on or off, with what the solve says of it.
class KnowledgeRows : public QWidget {
 public:
  explicit KnowledgeRows(Session& session) : session_(session), grid_(new QGridLayout(this)) {
    setObjectName("knowledgeRows");
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setVerticalSpacing(2);
    grid_->setColumnStretch(0, 1);
    connect(&session_.model, &DocumentModel::documentChanged, this, &KnowledgeRows::refresh);
    connect(&session_.model, &DocumentModel::solutionChanged, this, [this] { show(true); });
    connect(&session_.model, &DocumentModel::sceneChanged, this, [this] { show(true); });
    refresh();
  }

 private:
  const Knowledge& known() const { return session_.model.document().picks.knowledge; }
  void refresh() { show(false); }

  void show(bool anew) {
    if (known() == shown_ && unit() == shown_unit_ && !anew) return;
    shown_ = known(), shown_unit_ = unit();
    clearLayout(*grid_);
    const bool solved = session_.model.solution() != nullptr;
    setVisible(!shown_.empty() || solved);
    if (shown_.empty() && !solved) return;
    if (!shown_.empty()) grid_->addWidget(quietLabel(tr("Known of the set, taken in by the solve")), 0, 0, 1, 4);
    const bool folded = std::count_if(shown_.survey.begin(), shown_.survey.end(), isOnMesh) > kMostOnMesh;
    for (const StatementRef& ref : statementsOf(shown_)) {
      if (!folded || ref.part != StatementRef::Part::Survey || !isOnMesh(shown_.survey[ref.index])) addRow(ref);
    }
    if (folded) addMeshRow();
    addMore();
  }

  /// What takes a dialog to say: of planes and lines that are there already, of where a track was measured, of the camera.
  void addMore() {
    addButtons(ofCamera());
    addButtons(ofSets());
  }

  void addButtons(const std::vector<QPushButton*>& buttons) {
    auto* holder = new QWidget;
    auto* row = new QHBoxLayout(holder);
    row->setContentsMargins(0, 0, 0, 0);
    for (QPushButton* button : buttons) row->addWidget(button);
    row->addStretch();
    grid_->addWidget(holder, grid_->rowCount(), 0, 1, 4);
  }

  std::vector<QPushButton*> ofCamera() {
    auto* measured =
        smallButton(tr("Measured place…"), tr("Where one selected track was measured in the world: three or more place the scene."), "measuredPlace");
    auto* camera = smallButton(tr("Of the camera…"),
                               tr("It moves on a straight line, at one height, evenly; it stands still, at a known place, looks a known way."), "ofCamera");
    const auto refresh = [this, measured, camera] {
      const SolutionPtr solution = session_.model.solution();
      const auto& ids = session_.selection.ids();
      const SolvedTrack* track = solution && ids.size() == 1 ? solution->find(ids.front()) : nullptr;
      measured->setEnabled(track && track->hasPlace());
      camera->setEnabled(solution != nullptr);
    };
    connect(&session_.selection, &Selection::changed, measured, refresh);
    connect(&session_.model, &DocumentModel::solutionChanged, measured, refresh);
    refresh();
    connect(measured, &QPushButton::clicked, this, &KnowledgeRows::sayMeasured);
    connect(camera, &QPushButton::clicked, this, &KnowledgeRows::sayOfCamera);
    return {measured, camera};
  }

  void sayMeasured() {
    Knowledge more = known();
    const int id = session_.selection.ids().front();
    const std::string name = session_.model.workspace().nameOf(id);
    std::erase_if(more.survey, [id](const SurveyPoint& point) { return point.track == id; });
    SurveyPoint point{.name = name.empty() ? "S" + std::to_string(id) : name, .track = id, .sigma = Vec3::Constant(0.01)};
    const auto& scene = session_.model.scene();
    if (scene) point.at = scene->scene_from_solve * session_.model.solution()->find(id)->point;
    more.survey.push_back(std::move(point));
    const StatementRef ref{StatementRef::Part::Survey, more.survey.size() - 1};
    openDialog(std::move(more), ref, true);
  }

  void sayOfCamera() {
    Knowledge more = known();
    const auto& frames = session_.model.solution()->frames;
    more.camera.push_back({.fact = CameraFact::Straight, .first = frames.front().frame, .last = frames.back().frame});
    const StatementRef ref{StatementRef::Part::Camera, more.camera.size() - 1};
    openDialog(std::move(more), ref, true);
  }

  std::vector<QPushButton*> ofSets() {
    const bool two = shown_.sets.size() >= 2;
    const bool plane = std::any_of(shown_.sets.begin(), shown_.sets.end(), [](const KnownSet& set) { return set.kind == SetKind::Plane; });
    std::vector<QPushButton*> buttons;
    if (two) {
      auto* relate = smallButton(tr("Relate two…"), tr("Square, parallel, at an angle, one with each other, or a distance apart."), "relate");
      connect(relate, &QPushButton::clicked, this, [this] {
        Knowledge more = known();
        more.relations.push_back({.a = more.sets[0].name, .b = more.sets[1].name});
        const StatementRef ref{StatementRef::Part::Relation, more.relations.size() - 1};
        openDialog(std::move(more), ref, true);
      });
      buttons.push_back(relate);
    }
    if (plane) buttons.push_back(planeDistanceButton());
    return buttons;
  }

  QPushButton* planeDistanceButton() {
    auto* button = smallButton(tr("Distance from a plane…"), tr("One selected track whose distance from a plane is known."), "planeDistance");
    const auto refresh = [this, button] { button->setEnabled(session_.selection.ids().size() == 1); };
    connect(&session_.selection, &Selection::changed, button, refresh);
    refresh();
    connect(button, &QPushButton::clicked, this, [this] {
      Knowledge more = known();
      const auto plane = std::find_if(more.sets.begin(), more.sets.end(), [](const KnownSet& set) { return set.kind == SetKind::Plane; });
      more.plane_distances.push_back({.track = session_.selection.ids().front(), .plane = plane->name});
      const StatementRef ref{StatementRef::Part::PlaneDistance, more.plane_distances.size() - 1};
      openDialog(std::move(more), ref, true);
    });
    return button;
  }

  QString found(const StatementRef& ref) const {
    const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
    if (!solution) return {};
    const std::string solved = foundInWords(solution->knowledge, shown_, ref, unit());
    return solved.empty() ? placedAs(ref, *solution) : text(solved);
  }

  /// How far a distance or a survey point is off in the scene as it is placed, before a solve takes it in.
  QString placedAs(const StatementRef& ref, const Solution& solution) const {
    const auto& scene = session_.model.scene();
    const bool survey = ref.part == StatementRef::Part::Survey;
    if (!scene || !isOn(shown_, ref) || (ref.part != StatementRef::Part::Distance && !survey)) return {};
    Knowledge one;
    if (survey) one.survey = {shown_.survey[ref.index]};
    if (!survey) one.distances = {shown_.distances[ref.index]};
    const auto residuals = sceneResiduals(solution, *scene, {}, one);
    if (residuals.empty()) return {};
    const SceneResidual& r = residuals.front();
    if (survey) return tr("%1 off as the scene is placed").arg(lengthText(r.found, 2));
    const double percent = 100 * r.share();
    return tr("%1 as the scene is placed (%2%3 %)").arg(lengthText(r.found, 4)).arg(QChar(percent < 0 ? u'−' : u'+')).arg(std::abs(percent), 0, 'f', 2);
  }
  std::string_view unit() const {
    const auto& scene = session_.model.workspace().scene();
    return scene.ok() ? scene->unit() : "units";
  }

  void addRow(const StatementRef& ref) {
    const int row = grid_->rowCount();
    const QString says = text(inWords(shown_, ref, unit()));
    auto* box = new StatementBox(says);
    box->setChecked(isOn(shown_, ref));
    box->setToolTip(tr("%1. Whether the next solve takes it in.").arg(says));
    box->setObjectName("known " + says);
    connect(box, &QCheckBox::toggled, this, [this, ref](bool on) {
      Knowledge changed = known();
      switchStatement(changed, ref, on);
      run(on ? "Switch statement on" : "Switch statement off", changed);
    });
    grid_->addWidget(box, row, 0, 1, 2);
    auto* edit = new QToolButton;
    edit->setText(tr("…"));
    edit->setToolTip(tr("Changes this statement."));
    edit->setObjectName("edit " + says);
    connect(edit, &QToolButton::clicked, this, [this, ref] { openDialog(known(), ref, false); });
    grid_->addWidget(edit, row, 2);
    auto* cross = crossButton(tr("Takes this statement away."));
    cross->setObjectName("forget " + says);
    connect(cross, &QToolButton::clicked, this, [this, ref] {
      Knowledge changed = known();
      removeStatement(changed, ref);
      run("Remove statement", changed);
    });
    grid_->addWidget(cross, row, 3);
    const std::vector<int> tracks = tracksOf(shown_, ref);
    addFound(row + 1, found(ref), tracks.empty() ? 4 : 1);
    if (!tracks.empty()) grid_->addWidget(membersButton(tracks), row + 1, 1, 1, 3, Qt::AlignTop | Qt::AlignRight);
    addLetGo(row + 2, ref);
  }

  /// All points on the mesh as one statement.
  void addMeshRow() {
    const int row = grid_->rowCount();
    std::vector<int> tracks;
    bool on = false;
    double squares = 0;
    const SolutionPtr solution = session_.model.solution();
    const auto& scene = session_.model.scene();
    for (const SurveyPoint& point : shown_.survey) {
      if (!isOnMesh(point)) continue;
      tracks.push_back(point.track), on = on || point.on;
      const SolvedTrack* track = solution ? solution->find(point.track) : nullptr;
      if (track && scene) squares += (scene->scene_from_solve * track->point - point.at).squaredNorm();
    }
    auto* box = new QCheckBox(tr("%1 points on the mesh").arg(tracks.size()));
    box->setObjectName("known mesh");
    box->setChecked(on);
    box->setToolTip(tr("Whether they place the scene and the next solve takes them in."));
    connect(box, &QCheckBox::toggled, this, [this](bool use) {
      Knowledge changed = known();
      for (SurveyPoint& point : changed.survey) {
        if (isOnMesh(point)) point.on = use;
      }
      run(use ? "Switch points on the mesh on" : "Switch points on the mesh off", changed);
    });
    grid_->addWidget(box, row, 0, 1, 3);
    auto* cross = crossButton(tr("Takes all of them away."));
    cross->setObjectName("forget mesh");
    connect(cross, &QToolButton::clicked, this, [this] {
      Knowledge changed = known();
      std::erase_if(changed.survey, isOnMesh);
      run("Remove points on the mesh", changed);
    });
    grid_->addWidget(cross, row, 3);
    const double off = std::sqrt(squares / static_cast<double>(tracks.size()));
    addFound(row + 1, tr("%1 off (RMS) as the scene is placed").arg(lengthText(off, 2)), 1);
    grid_->addWidget(membersButton(tracks), row + 1, 1, 1, 3, Qt::AlignTop | Qt::AlignRight);
  }

  /// Members that disagree can be let go at once.
  void addLetGo(int row, const StatementRef& ref) {
    const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
    if (ref.part != StatementRef::Part::Set || !solution) return;
    const auto& sets = solution->knowledge.sets;
    const auto found = std::find_if(sets.begin(), sets.end(), [&](const SolvedSet& set) { return set.name == shown_.sets[ref.index].name; });
    if (found == sets.end() || found->disagree.empty()) return;
    std::vector<int> strangers;
    for (const auto& d : found->disagree) strangers.push_back(d.track);
    const auto& tracks = shown_.sets[ref.index].tracks;
    std::erase_if(strangers, [&tracks](int id) { return std::find(tracks.begin(), tracks.end(), id) == tracks.end(); });
    if (strangers.empty() || tracks.size() - strangers.size() < shown_.sets[ref.index].leastTracks()) return;
    auto* button = new QPushButton(strangers.size() == 1 ? tr("Let go of it") : tr("Let go of those %1").arg(strangers.size()));
    button->setProperty("role", "small");
    button->setObjectName("letGo " + text(shown_.sets[ref.index].name));
    button->setToolTip(tr("Takes the tracks that disagree out of this set. They stay in the solve."));
    connect(button, &QPushButton::clicked, this, [this, ref, strangers] {
      Knowledge changed = known();
      std::erase_if(changed.sets[ref.index].tracks, [&](int id) { return std::find(strangers.begin(), strangers.end(), id) != strangers.end(); });
      run("Let go of tracks", changed);
    });
    grid_->addWidget(button, row, 0, 1, 2, Qt::AlignLeft);
  }

  void openDialog(Knowledge knowledge, StatementRef ref, bool is_new) {
    auto* dialog = new StatementDialog(session_, std::move(knowledge), ref, is_new, window());
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setModal(false);  // members are picked in the views meanwhile
    dialog->show();
  }

  QPushButton* membersButton(const std::vector<int>& tracks) {
    auto* members = new QPushButton(QString::number(tracks.size()));
    members->setFixedWidth(44);
    members->setProperty("role", "small");
    members->setToolTip(tracks.size() == 1 ? tr("Its track: click to select it.") : tr("Its %1 tracks: click to select them.").arg(tracks.size()));
    connect(members, &QPushButton::clicked, this, [this, tracks] { session_.selection.pick(tracks, Selection::Mode::Replace); });
    return members;
  }

  void addFound(int row, const QString& found, int columns) {
    if (found.isEmpty()) return;
    auto* line = quietLabel(found);
    line->setMinimumWidth(1);
    line->setContentsMargins(22, 0, 0, 2);
    grid_->addWidget(line, row, 0, 1, columns);
  }

  void run(std::string name, const Knowledge& knowledge) { session_.model.run(changeKnowledge(std::move(name), session_.model.document(), knowledge)); }

  Session& session_;
  QGridLayout* grid_;
  Knowledge shown_;
  std::string_view shown_unit_;
};

}  // namespace

QWidget* knowledgeRows(Session& session) { return new KnowledgeRows(session); }

}  // namespace dusky::desktop
