#include "apps/desktop/actions/edit_actions.h"

#include <QAction>
#include <QInputDialog>
#include <QMenu>
#include <algorithm>
#include <limits>

#include "core/project/edits.h"

namespace dusky::desktop {

EditActions::EditActions(Session& session, QObject* parent) : QObject(parent), session_(session) {
  const auto frame = [this] { return session_.playback.frame(); };
  const auto run = [this](std::unique_ptr<Edit> edit) { session_.model.run(std::move(edit)); };
  const auto document = [this]() -> const Document& { return session_.model.document(); };
  const auto key = [this]() -> const std::string& { return session_.model.workspace().followedKey(); };
  cut = make(tr("Cut at this frame"), tr("From this frame on each selected track is a track of its own."), QKeySequence(Qt::SHIFT | Qt::Key_C),
             [=, this] { run(cutTracks(document(), ids(), frame(), key())); });
  drop_before =
      make(tr("Remove what lies before"), tr("Takes the frames before this one out of the selected tracks."), QKeySequence(Qt::CTRL | Qt::Key_BracketLeft),
           [=, this] { run(removeFrames(document(), ids(), std::numeric_limits<int>::min(), frame() - 1, key())); });
  drop_after =
      make(tr("Remove what lies after"), tr("Takes the frames after this one out of the selected tracks."), QKeySequence(Qt::CTRL | Qt::Key_BracketRight),
           [=, this] { run(removeFrames(document(), ids(), frame() + 1, std::numeric_limits<int>::max(), key())); });
  join = make(tr("Join two tracks"), tr("The second selected automatic track goes on in the first; where both have a place, the first one's stands."),
              QKeySequence(Qt::SHIFT | Qt::Key_J), [this] { joinSelected(); });
  group = make(tr("Put in a group…"), tr("A word that the tracks list finds the selected tracks by."), {}, [this] { groupSelected(); });
  remove = make(tr("Remove tracks"), tr("Takes the selected tracks away altogether. Undo brings them back."), QKeySequence(Qt::Key_Delete), [=, this] {
    const std::vector<int> gone = ids();
    session_.selection.clear();
    run(removeTracks(document(), gone, key()));
  });
  key_here =
      make(tr("Set a key here"), tr("The place of the track by hand in this frame stands; following never moves it."), QKeySequence(Qt::Key_I), [=, this] {
        changeHand("Set key", [&](HandTrack& track) {
          if (const HandPoint* point = track.at(frame())) track.putKey(frame(), Vec2(point->position));
        });
      });
  no_key = make(tr("Remove the key here"), tr("Takes the place of the track by hand in this frame out."), QKeySequence(Qt::SHIFT | Qt::Key_I),
                [=, this] { changeHand("Remove key", [&](HandTrack& track) { track.remove(frame(), frame()); }); });
  makeNudges();
  connect(&session_.selection, &Selection::changed, this, &EditActions::refresh);
  connect(&session_.playback, &Playback::frameChanged, this, &EditActions::refresh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &EditActions::refresh);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &EditActions::refresh);
  refresh();
}

QAction* EditActions::make(const QString& text, const QString& tip, const QKeySequence& key, std::function<void()> act) {
  auto* action = new QAction(text, this);
  action->setToolTip(tip);
  action->setShortcut(key);
  connect(action, &QAction::triggered, this, std::move(act));
  return action;
}

void EditActions::makeNudges() {
  struct Way {
    Qt::Key key;
    double x, y;
    const char* text;
  };
  for (const Way& way : {Way{Qt::Key_Left, -1, 0, "left"}, Way{Qt::Key_Right, 1, 0, "right"}, Way{Qt::Key_Up, 0, -1, "up"}, Way{Qt::Key_Down, 0, 1, "down"}}) {
    for (const double px : {0.1, 1.0}) {
      const auto keys = px < 1 ? QKeySequence(Qt::ALT | way.key) : QKeySequence(Qt::ALT | Qt::SHIFT | way.key);
      nudges.push_back(make(tr("Nudge %1 px %2").arg(px).arg(tr(way.text)), tr("Moves the key of the track by hand in this frame."), keys, [this, way, px] {
        changeHand("Nudge key", [&](HandTrack& track) {
          const int frame = session_.playback.frame();
          if (const HandPoint* point = track.at(frame)) track.putKey(frame, point->position + px * Vec2(way.x, way.y));
        });
      }));
    }
  }
}

void EditActions::fill(QMenu& menu) const {
  menu.addActions({cut, drop_before, drop_after, join, group, remove});
  menu.addSeparator();
  menu.addActions({key_here, no_key});
}

const HandTrack* EditActions::hand() const { return session_.chosenHand(); }

void EditActions::refresh() {
  const TrackSetPtr tracks = session_.model.tracks();
  const int frame = session_.playback.frame();
  const bool final = tracks && !session_.model.partial();
  const auto any = [&](const auto& holds) {
    return final && std::any_of(ids().begin(), ids().end(), [&](int id) {
             const Track* track = tracks->find(id);
             return track && holds(*track);
           });
  };
  cut->setEnabled(any([&](const Track& t) { return frame > t.firstFrame() && frame <= t.lastFrame(); }));
  drop_before->setEnabled(any([&](const Track& t) { return frame > t.firstFrame() && frame <= t.lastFrame(); }));
  drop_after->setEnabled(any([&](const Track& t) { return frame >= t.firstFrame() && frame < t.lastFrame(); }));
  const bool two = ids().size() == 2 && !keepsItsNumber(ids()[0]) && !keepsItsNumber(ids()[1]);
  join->setEnabled(two && any([](const Track&) { return true; }));
  group->setEnabled(any([](const Track&) { return true; }));
  remove->setEnabled(any([](const Track&) { return true; }));
  const HandPoint* point = hand() ? hand()->at(frame) : nullptr;
  key_here->setEnabled(point && !point->keyed);
  no_key->setEnabled(point && point->keyed);
  for (QAction* nudge : nudges) nudge->setEnabled(point);
}

void EditActions::joinSelected() {
  const TrackSetPtr tracks = session_.model.tracks();
  const Track *a = tracks->find(ids()[0]), *b = tracks->find(ids()[1]);
  if (!a || !b) return;
  if (const Status fine = canJoin(*a, *b); !fine.ok()) return emit session_.model.problem(QString::fromStdString(fine.error().message));
  const int kept = a->id;
  session_.model.run(joinTracks(session_.model.document(), a->id, b->id, session_.model.workspace().followedKey()));
  session_.selection.pick({kept}, Selection::Mode::Replace);
}

void EditActions::groupSelected() {
  bool sure = false;
  const QString name = QInputDialog::getText(nullptr, tr("Put in a group"), tr("Name of the group (empty: none):"), QLineEdit::Normal, {}, &sure);
  if (sure) session_.model.run(groupTracks(session_.model.document(), ids(), name.trimmed().toStdString(), session_.model.workspace().followedKey()));
}

void EditActions::changeHand(const char* name, const std::function<void(HandTrack&)>& change) {
  if (!hand()) return;
  HandTrack changed = *hand();
  change(changed);
  if (changed.points.empty()) return session_.model.run(removeTracks(session_.model.document(), {changed.id}, session_.model.workspace().followedKey()));
  session_.model.run(changeHandTrack(name, session_.model.document(), std::move(changed)));
}

}  // namespace dusky::desktop
