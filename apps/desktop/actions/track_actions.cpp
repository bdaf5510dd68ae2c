#include "apps/desktop/actions/track_actions.h"

#include <QAction>
#include <QInputDialog>
#include <QMenu>
#include <QPushButton>
#include <algorithm>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_state.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr std::size_t kMostObjects = 12;

bool within(const std::vector<int>& sorted, int id) { return std::binary_search(sorted.begin(), sorted.end(), id); }
}  // namespace

TrackActions::TrackActions(Session& session, QObject* parent) : QObject(parent), session_(session) {
  ground =
      make(tr("Use as ground"), tr("Three or more placed tracks that lie on the ground: the plane through them becomes height 0."), &TrackActions::useGround);
  origin = make(tr("Use as origin"), tr("One placed track becomes the world's origin."), &TrackActions::useOrigin);
  direction = make(tr("Use as direction"), tr("Two placed tracks: the line from the first to the second runs along X."), &TrackActions::useDirection);
  length = make(tr("Use as length"), tr("Two placed tracks whose distance is known: it sets the scale."), &TrackActions::useLength);
  flat = make(tr("Make flat"), tr("Three or more placed tracks that lie in one plane, however it stands: the next solve holds them to it."),
              &TrackActions::knowFlat);
  level = make(tr("Make a level plane"), tr("Three or more placed tracks of a floor, a table, still water: one plane, and level."), &TrackActions::knowLevel);
  upright = make(tr("Make an upright plane"), tr("Three or more placed tracks of a wall: one plane, and upright."), &TrackActions::knowUpright);
  straight = make(tr("Make straight"), tr("Three or more placed tracks along an edge or a rail: the next solve holds them to one straight line."),
                  &TrackActions::knowStraight);
  distance = make(tr("Add known distance"), tr("Two placed tracks: one more distance that is known, beside the one that sets the scale."),
                  &TrackActions::knowDistance);
  equal = make(tr("Make distances equal"),
               tr("Four or more placed tracks, picked pair by pair: the first is as far from the second as the third from the fourth, and so on."),
               &TrackActions::knowEqual);
  mirrored = make(tr("Make pairs mirror each other"),
                  tr("Four or more placed tracks, picked pair by pair: the first mirrors the second, the third the fourth, all in one plane."),
                  &TrackActions::knowMirrored);
  aside = make(tr("Set aside"), tr("Takes the selected tracks out of the next solve. They can come back."), &TrackActions::setSelectedAside);
  back = make(tr("Bring back"), tr("Lets selected tracks that were set aside take part again."), &TrackActions::bringSelectedBack);
  pin = make(tr("Pin"), tr("Protects the selected tracks from being set aside."), &TrackActions::pinSelected);
  unpin = make(tr("Unpin"), tr("Takes the protection off again."), &TrackActions::unpinSelected);
  weigh = make(tr("Weight…"), tr("How much the selected tracks count in the next solve: 4 pulls as four tracks would, 0.25 as a quarter of one."),
               &TrackActions::weighSelected);
  cone = make(tr("Stand a cone here"), tr("A solid cone on each selected placed track (12 at most), seen in Plate and Space."), &TrackActions::placeCone);
  cube = make(tr("Stand a cube here"), tr("A solid cube on each selected placed track (12 at most), seen in Plate and Space."), &TrackActions::placeCube);
  card = make(tr("Stand a card here"), tr("A flat card on each selected placed track; with three or more selected, one that stands on their plane."),
              &TrackActions::placeCard);
  floor = make(tr("Lay a floor here"), tr("Light and dark squares on each selected placed track; with three or more selected, one floor in their plane."),
               &TrackActions::placeFloor);
  figure =
      make(tr("Stand a figure here"), tr("A person of 1.8 m (units before a distance is known) on each selected placed track."), &TrackActions::placeFigure);
  remove_objects = make(tr("Remove test objects"), tr("Takes all of them away."), &TrackActions::removeAllObjects);
  select_all = make(tr("Select all tracks"), tr("Every track of the shot."), &TrackActions::selectAll);
  select_none = make(tr("Select none"), tr("Lets go of the selection."), &TrackActions::selectNone);
  select_others = make(tr("Select the others"), tr("Every track that is not selected now."), &TrackActions::selectOthers);
  next_worst = make(tr("Next worst track"), tr("Selects the kept track with the next smaller worst error, and goes to its worst frame."),
                    &TrackActions::selectNextWorst);
  worst_before = make(tr("Next worse track"), tr("The same the other way: towards the worst."), &TrackActions::selectWorstBefore);
  aside->setShortcut(QKeySequence(Qt::Key_X));
  back->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_X));
  pin->setShortcut(QKeySequence(Qt::Key_N));
  ground->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_G));
  origin->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_O));
  select_all->setShortcut(QKeySequence::SelectAll);
  select_none->setShortcut(QKeySequence(Qt::Key_Escape));
  select_others->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_I));
  next_worst->setShortcut(QKeySequence(Qt::Key_W));
  worst_before->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_W));
  connect(&session_.selection, &Selection::changed, this, &TrackActions::refresh);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &TrackActions::refresh);
  connect(&session_.objects, &TestObjects::changed, this, &TrackActions::refresh);
  connect(&session_.model, &DocumentModel::scenePreviewed, this, &TrackActions::refresh);
  connect(&session_.model, &DocumentModel::opened, &session_.selection, &Selection::clear);
  refresh();
}

QAction* TrackActions::make(const QString& text, const QString& tip, void (TrackActions::*slot)()) {
  auto* action = new QAction(text, this);
  action->setToolTip(tip);
  action->setStatusTip(tip);
  connect(action, &QAction::triggered, this, slot);
  return action;
}

void TrackActions::fill(QMenu& menu) const {
  menu.setToolTipsVisible(true);
  menu.addActions({ground, origin, direction, length});
  menu.addSeparator();
  menu.addActions({flat, level, upright, straight, distance, equal, mirrored});
  menu.addSeparator();
  menu.addActions({cone, cube, card, floor, figure, remove_objects});
  menu.addSeparator();
  menu.addActions({aside, back, pin, unpin, weigh});
}

std::vector<int> TrackActions::placed() const {
  std::vector<int> ids;
  const SolutionPtr solution = session_.model.solution();
  for (int id : session_.selection.ids()) {
    const SolvedTrack* track = solution ? solution->find(id) : nullptr;
    if (track && track->state != TrackState::Unplaced) ids.push_back(id);
  }
  return ids;
}

void TrackActions::refresh() {
  const Document& document = session_.model.document();
  const auto& ids = session_.selection.ids();
  const std::size_t places = placed().size();
  const auto any = [&](const auto& holds) { return std::any_of(ids.begin(), ids.end(), holds); };
  ground->setEnabled(places >= 3);
  origin->setEnabled(places == 1);
  direction->setEnabled(places == 2);
  length->setEnabled(places == 2);
  for (QAction* plane : {flat, level, upright, straight}) plane->setEnabled(places >= 3);
  distance->setEnabled(places == 2);
  for (QAction* pairs : {equal, mirrored}) pairs->setEnabled(places >= 4 && places % 2 == 0);
  distance->setText(tr("Add known distance of %1").arg(lengthText(length_metres_)));
  length->setText(tr("Use as length of %1").arg(lengthText(length_metres_)));
  cone->setEnabled(places >= 1 && places <= kMostObjects);
  for (QAction* shape : {cube, card, floor, figure}) shape->setEnabled(cone->isEnabled());
  remove_objects->setEnabled(!document.picks.objects.empty());
  aside->setEnabled(any([&](int id) { return !within(document.picks.set_aside, id) && !within(document.picks.pinned, id); }));
  back->setEnabled(any([&](int id) { return within(document.picks.set_aside, id); }));
  pin->setEnabled(any([&](int id) { return !within(document.picks.pinned, id); }));
  unpin->setEnabled(any([&](int id) { return within(document.picks.pinned, id); }));
  weigh->setEnabled(!ids.empty());
  select_none->setEnabled(!ids.empty() || session_.objects.chosen() || session_.mover.dragging());
  select_all->setEnabled(session_.model.tracks() != nullptr);
  select_others->setEnabled(select_all->isEnabled());
  for (QAction* step : {next_worst, worst_before}) step->setEnabled(session_.model.solution() != nullptr);
}

void TrackActions::setLengthMetres(double metres) {
  length_metres_ = metres;
  refresh();
}

void TrackActions::useGround() { session_.model.run(dusky::useAsGround(session_.model.document(), placed())); }
void TrackActions::useOrigin() { session_.model.run(dusky::useAsOrigin(session_.model.document(), placed().front())); }
void TrackActions::useDirection() { session_.model.run(dusky::useAsDirection(session_.model.document(), placed()[0], placed()[1])); }
void TrackActions::useLength() { session_.model.run(dusky::useAsLength(session_.model.document(), placed()[0], placed()[1], length_metres_)); }
void TrackActions::know(SetKind kind, SetFacing facing) { session_.model.run(addKnownSet(session_.model.document(), kind, facing, placed())); }
void TrackActions::knowDistance() { session_.model.run(addKnownDistance(session_.model.document(), placed()[0], placed()[1], length_metres_)); }
void TrackActions::knowEqual() { session_.model.run(addEqualDistances(session_.model.document(), placed())); }
void TrackActions::knowMirrored() { session_.model.run(addMirroredPairs(session_.model.document(), placed())); }
void TrackActions::setSelectedAside() { session_.model.run(dusky::setAside(session_.model.document(), session_.selection.ids())); }
void TrackActions::bringSelectedBack() { session_.model.run(dusky::bringBack(session_.model.document(), session_.selection.ids())); }
void TrackActions::pinSelected() { session_.model.run(dusky::pinTracks(session_.model.document(), session_.selection.ids(), true)); }
void TrackActions::unpinSelected() { session_.model.run(dusky::pinTracks(session_.model.document(), session_.selection.ids(), false)); }

void TrackActions::weighSelected() {
  constexpr int kDecimals = 2;
  const std::vector<int> ids = session_.selection.ids();
  const double now = weightOfTrack(session_.model.document().picks.weights, ids.front());
  bool sure = false;
  const double weight = QInputDialog::getDouble(nullptr, tr("Weight of tracks"), tr("Counts as so many tracks (1: as any other):"), now, kLeastTrackWeight,
                                                kMostTrackWeight, kDecimals, &sure);
  if (sure) session_.model.run(weighTracks(session_.model.document(), ids, weight));
}

void TrackActions::removeAllObjects() { session_.model.run(dusky::removeObjects(session_.model.document())); }
void TrackActions::selectNone() {
  if (session_.mover.dragging()) return session_.mover.cancel();
  session_.selection.clear();
  session_.objects.choose(0);
}

/// The newest one shows its handles.
void TrackActions::placeAs(std::unique_ptr<Edit> placing) {
  session_.model.run(std::move(placing));
  session_.objects.choose(session_.model.document().picks.objects.back().id);
}

void TrackActions::place(ObjectShape shape) {
  const auto ids = placed();
  placeAs(placeObjects(session_.model.document(), shape, ids, usualSize(*session_.model.solution(), *session_.model.scene(), ids.front())));
}

void TrackActions::placeFlat(ObjectShape shape, double times) {
  const auto ids = placed();
  const double size = times * usualSize(*session_.model.solution(), *session_.model.scene(), ids.front());
  const Document& document = session_.model.document();
  placeAs(ids.size() >= 3 ? placeOnPlane(document, shape, ids, size) : placeObjects(document, shape, ids, size));
}

void TrackActions::placeFigure() {
  constexpr double kTall = 1.8;
  placeAs(placeObjects(session_.model.document(), ObjectShape::Figure, placed(), kTall));
}

void TrackActions::selectAll() {
  std::vector<int> ids;
  for (const Track& track : session_.model.tracks()->tracks) ids.push_back(track.id);
  session_.selection.pick(ids, Selection::Mode::Replace);
}

void TrackActions::selectOthers() {
  std::vector<int> ids;
  for (const Track& track : session_.model.tracks()->tracks) {
    if (!session_.selection.contains(track.id)) ids.push_back(track.id);
  }
  session_.selection.pick(ids, Selection::Mode::Replace);
}

void TrackActions::stepWorst(int way) {
  const SolutionPtr solution = session_.model.solution();
  std::vector<const SolvedTrack*> tracks;
  for (const SolvedTrack& track : solution->tracks) {
    const Glyph glyph = glyphNow(session_.model, track.id, &track);
    if ((glyph == Glyph::Kept || glyph == Glyph::Going) && track.worst_error_px > 0) tracks.push_back(&track);
  }
  std::stable_sort(tracks.begin(), tracks.end(), [](const SolvedTrack* a, const SolvedTrack* b) { return a->worst_error_px > b->worst_error_px; });
  if (tracks.empty()) return;
  const int now = session_.selection.ids().size() == 1 ? session_.selection.ids().front() : 0;
  const SolvedTrack* selected = now != 0 ? solution->find(now) : nullptr;
  // From where the selected one stands, also when it was set aside since.
  auto at = tracks.begin();
  if (selected) {
    const auto found = std::find(tracks.begin(), tracks.end(), selected);
    at = found != tracks.end()
             ? found
             : std::find_if(tracks.begin(), tracks.end(), [&](const SolvedTrack* t) { return t->worst_error_px <= selected->worst_error_px; });
    if (way < 0 && at != tracks.begin()) --at;
    if (way > 0 && found != tracks.end() && std::next(at) != tracks.end()) ++at;
    if (at == tracks.end()) --at;
  }
  session_.playback.pause();
  session_.playback.setFrame((*at)->worst_frame);
  session_.selection.pick({(*at)->id}, Selection::Mode::Replace);
}

QPushButton* buttonFor(QAction* action, const QString& text, bool primary) {
  auto* button = new QPushButton(text);
  button->setProperty("primary", primary);
  button->setToolTip(action->toolTip());
  button->setEnabled(action->isEnabled());
  QObject::connect(button, &QPushButton::clicked, action, &QAction::trigger);
  QObject::connect(action, &QAction::enabledChanged, button, &QPushButton::setEnabled);
  return button;
}
}  // namespace dusky::desktop
