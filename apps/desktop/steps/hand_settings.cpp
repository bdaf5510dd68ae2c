#include <QButtonGroup>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

QSpinBox* pixels(const char* name, int low, int high) {
  auto* box = new QSpinBox;
  box->setObjectName(name);
  box->setRange(low, high);
  box->setSuffix(QObject::tr(" px"));
  box->setKeyboardTracking(false);
  box->setFocusPolicy(Qt::StrongFocus);
  return box;
}

QPushButton* way(const QString& text, const char* name, const QString& tip) {
  auto* made = new QPushButton(text);
  made->setObjectName(name);
  made->setToolTip(tip);
  made->setFocusPolicy(Qt::NoFocus);
  made->setMinimumWidth(30);
  made->setProperty("role", "small");
  return made;
}

/// Which way and how far the chosen track is followed from the frame on the screen.
QWidget* waysToFollow(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(3);
  struct Way {
    const char *text, *name, *tip;
    bool forward, backward;
    int frames;
  };
  static const Way kWays[] = {{"⇤", "handToStart", "Follow back to the first frame, or to the next key.", false, true, 0},
                              {"←", "handBack", "Follow one frame back.", false, true, 1},
                              {"↔", "handBoth", "Follow both ways from this frame.", true, true, 0},
                              {"→", "handOn", "Follow one frame on.", true, false, 1},
                              {"⇥", "handToEnd", "Follow on to the last frame, or to the next key.", true, false, 0}};
  for (const Way& w : kWays) {
    auto* button = way(QString::fromUtf8(w.text), w.name, QObject::tr(w.tip));
    line->addWidget(button, 1);
    QObject::connect(button, &QPushButton::clicked, row, [&session, w] {
      const HandTrack* track = session.chosenHand();
      if (track) session.jobs.followByHand(track->id, {.frame = session.playback.frame(), .forward = w.forward, .backward = w.backward, .frames = w.frames});
    });
  }
  const auto refresh = [&session, row] {
    const HandTrack* track = session.chosenHand();
    row->setEnabled(track && track->at(session.playback.frame()));
  };
  QObject::connect(&session.selection, &Selection::changed, row, refresh);
  QObject::connect(&session.playback, &Playback::frameChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.jobs, &Jobs::changed, row, refresh);
  refresh();
  return row;
}

void changeHand(Session& session, const char* name, const std::function<void(HandTrack&)>& change) {
  const HandTrack* track = session.chosenHand();
  if (!track) return change(session.hand_defaults);
  HandTrack changed = *track;
  change(changed);
  change(session.hand_defaults);
  session.model.run(changeHandTrack(name, session.model.document(), std::move(changed)));
}

}  // namespace

QWidget* handSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setContentsMargins(0, 6, 0, 0);
  column->setSpacing(6);
  auto* title = new QLabel(QObject::tr("Tracks by hand"));
  title->setProperty("role", "title");
  column->addWidget(title);
  auto* place = new QPushButton(QObject::tr("Place a track"));
  place->setObjectName("placeTrack");
  place->setCheckable(true);
  place->setToolTip(QObject::tr("Click on the Plate where a track should begin; drag its point to set keys (P)."));
  QObject::connect(place, &QPushButton::clicked, body, [&session](bool on) { session.view.setTool(on ? ViewSettings::Tool::Hand : ViewSettings::Tool::Box); });
  QObject::connect(&session.view, &ViewSettings::changed, place, [&session, place] { place->setChecked(session.view.tool() == ViewSettings::Tool::Hand); });
  column->addWidget(place);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(6);
  grid->setColumnStretch(0, 1);
  column->addLayout(grid);
  auto* kind = new QComboBox;
  kind->setObjectName("handKind");
  for (const HandKind k : {HandKind::Patch, HandKind::Corner, HandKind::Dot, HandKind::Crossing}) kind->addItem(QString::fromUtf8(describe(k).data()));
  auto* pattern = pixels("handPattern", 4, 30);
  auto* search = pixels("handSearch", 4, 200);
  addField(*grid, QObject::tr("Feature"), kind,
           QObject::tr(
               "Patch: any texture. Corner: placed on its tip. Dot: the middle of something symmetric, found anew in each frame. Crossing: where lines cross, "
               "found anew in each frame."));
  addField(*grid, QObject::tr("Pattern"), pattern, QObject::tr("Half side of the piece that is followed, px."));
  addField(*grid, QObject::tr("Search"), search, QObject::tr("How far from where the motion leads it is looked for, px."));
  column->addWidget(waysToFollow(session));
  auto* note = quietLabel("");
  note->setObjectName("handNote");
  column->addWidget(note);
  QObject::connect(&session.jobs, &Jobs::handNote, note, &QLabel::setText);
  QObject::connect(&session.model, &DocumentModel::opened, note, &QLabel::clear);
  QObject::connect(kind, &QComboBox::currentIndexChanged, body,
                   [&session](int index) { changeHand(session, "Change feature", [index](HandTrack& t) { t.kind = static_cast<HandKind>(index); }); });
  QObject::connect(pattern, &QSpinBox::valueChanged, body,
                   [&session](int px) { changeHand(session, "Change pattern", [px](HandTrack& t) { t.pattern_px = px; }); });
  QObject::connect(search, &QSpinBox::valueChanged, body,
                   [&session](int px) { changeHand(session, "Change search area", [px](HandTrack& t) { t.search_px = px; }); });
  const auto refresh = [&session, kind, pattern, search, place] {
    const HandTrack* track = session.chosenHand();
    const HandTrack& shown = track ? *track : session.hand_defaults;
    const QSignalBlocker a(kind), b(pattern), c(search);
    kind->setCurrentIndex(static_cast<int>(shown.kind));
    pattern->setValue(shown.pattern_px);
    search->setValue(shown.search_px);
    place->setEnabled(session.model.hasFootage());
  };
  QObject::connect(&session.selection, &Selection::changed, body, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  QObject::connect(&session.model, &DocumentModel::opened, body, refresh);
  refresh();
  return body;
}

}  // namespace dusky::desktop
