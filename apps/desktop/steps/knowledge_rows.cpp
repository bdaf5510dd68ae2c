#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "apps/desktop/paint/clear_layout.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

QString text(const std::string& words) { return QString::fromStdString(words); }

/// What the solve says of a plane; empty where it was not made with it.
QString foundText(const SolutionPtr& solution, const KnownPlane& plane) {
  if (!solution) return {};
  const auto& planes = solution->knowledge.planes;
  const auto found = std::find_if(planes.begin(), planes.end(), [&plane](const SolvedPlane& p) { return p.name == plane.name; });
  if (found == planes.end()) return {};
  QString line = QObject::tr("%1 px (%2 without), ± %3°")
                     .arg(found->rms_px_with, 0, 'f', 2)
                     .arg(found->rms_px_without, 0, 'f', 2)
                     .arg(found->sigma_normal_rad * 180 / std::numbers::pi, 0, 'g', 2);
  if (!found->undetermined.empty()) line += QObject::tr("\nundetermined: %1").arg(text(found->undetermined));
  if (!found->disagree.empty()) {
    const auto& worst = found->disagree.front();
    line += QObject::tr("\n%1 tracks disagree, %2 by %3 σ").arg(found->disagree.size()).arg(worst.track).arg(worst.sigmas, 0, 'f', 0);
  }
  return line;
}

QString foundText(const SolutionPtr& solution, const KnownAngle& angle) {
  if (!solution) return {};
  const SolvedKnowledge& known = solution->knowledge;
  for (const SolvedAngle& a : known.angles) {
    if (!a.asked || known.planes[static_cast<std::size_t>(a.a)].name != angle.a || known.planes[static_cast<std::size_t>(a.b)].name != angle.b) continue;
    return QObject::tr("%1° (%2° without), %3 σ")
        .arg(a.found_rad * 180 / std::numbers::pi, 0, 'f', 2)
        .arg(a.without_rad * 180 / std::numbers::pi, 0, 'f', 2)
        .arg(a.cost_sigmas, 0, 'f', 1);
  }
  return {};
}

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
    refresh();
  }

 private:
  const Knowledge& known() const { return session_.model.document().picks.knowledge; }
  void refresh() { show(false); }

  void show(bool anew) {
    if (known() == shown_ && !anew) return;
    shown_ = known();
    clearLayout(*grid_);
    setVisible(!shown_.planes.empty());
    if (shown_.planes.empty()) return;
    grid_->addWidget(quietLabel(tr("Known of the set, taken in by the solve")), 0, 0, 1, 3);
    const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
    for (std::size_t k = 0; k < shown_.planes.size(); ++k) addPlane(k, foundText(solution, shown_.planes[k]));
    for (std::size_t k = 0; k < shown_.angles.size(); ++k) addAngle(k, foundText(solution, shown_.angles[k]));
  }

  void addPlane(std::size_t k, const QString& found) {
    const KnownPlane& plane = shown_.planes[k];
    const QString facing = plane.facing == PlaneFacing::Free ? tr("flat") : words(describe(plane.facing));
    auto* members = new QPushButton(QString::number(plane.tracks.size()));
    members->setFixedWidth(44);
    members->setProperty("role", "small");
    members->setToolTip(tr("Its %1 tracks: click to select them.").arg(plane.tracks.size()));
    connect(members, &QPushButton::clicked, this, [this, ids = plane.tracks] { session_.selection.pick(ids, Selection::Mode::Replace); });
    addRow(
        tr("%1: %2").arg(text(plane.name), facing), plane.on, members, found,
        [this, k](bool on) {
          Knowledge changed = known();
          changed.planes[k].on = on;
          // An angle needs both of its planes.
          for (KnownAngle& angle : changed.angles) angle.on = angle.on && changed.find(angle.a)->on && changed.find(angle.b)->on;
          run(on ? "Switch plane on" : "Switch plane off", changed);
        },
        [this, k] {
          Knowledge changed = known();
          std::erase_if(changed.angles, [name = changed.planes[k].name](const KnownAngle& angle) { return angle.a == name || angle.b == name; });
          changed.planes.erase(changed.planes.begin() + static_cast<std::ptrdiff_t>(k));
          run("Remove plane", changed);
        });
  }

  void addAngle(std::size_t k, const QString& found) {
    const KnownAngle& angle = shown_.angles[k];
    const QString says = angle.degrees == 90 ? tr("square to") : angle.degrees == 0 ? tr("parallel to") : tr("at %1° to").arg(angle.degrees);
    addRow(
        tr("%1 %2 %3").arg(text(angle.a), says, text(angle.b)), angle.on, nullptr, found,
        [this, k](bool on) {
          Knowledge changed = known();
          KnownAngle& one = changed.angles[k];
          one.on = on;
          for (KnownPlane& plane : changed.planes) plane.on = plane.on || (on && (plane.name == one.a || plane.name == one.b));
          run(on ? "Switch angle on" : "Switch angle off", changed);
        },
        [this, k] {
          Knowledge changed = known();
          changed.angles.erase(changed.angles.begin() + static_cast<std::ptrdiff_t>(k));
          run("Remove angle", changed);
        });
  }

  template <class Switched, class Removed>
  void addRow(const QString& says, bool on, QWidget* more, const QString& found, const Switched& switched, const Removed& removed) {
    const int row = grid_->rowCount();
    auto* box = new QCheckBox(says);
    box->setChecked(on);
    box->setToolTip(tr("%1. Whether the next solve takes it in.").arg(says));
    box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);  // a long name does not widen the steps
    box->setObjectName("known " + says);
    connect(box, &QCheckBox::toggled, this, switched);
    auto* cross = crossButton(tr("Takes this statement away."));
    cross->setObjectName("forget " + says);
    connect(cross, &QToolButton::clicked, this, removed);
    grid_->addWidget(box, row, 0, 1, more ? 1 : 2);
    if (more) grid_->addWidget(more, row, 1);
    grid_->addWidget(cross, row, 2);
    if (found.isEmpty()) return;
    auto* line = quietLabel(found);
    line->setMinimumWidth(1);
    line->setContentsMargins(22, 0, 0, 2);
    grid_->addWidget(line, row + 1, 0, 1, 3);
  }

  void run(std::string name, const Knowledge& knowledge) { session_.model.run(changeKnowledge(std::move(name), session_.model.document(), knowledge)); }

  Session& session_;
  QGridLayout* grid_;
  Knowledge shown_;
};

}  // namespace

QWidget* knowledgeRows(Session& session) { return new KnowledgeRows(session); }

}  // namespace dusky::desktop
