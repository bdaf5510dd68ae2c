#include "apps/desktop/model/jobs.h"

#include <fmt/format.h>

#include <QMetaObject>

#include "apps/desktop/model/unsaved.h"
#include "core/base/atomic_file.h"
#include "core/base/log.h"
#include "core/project/edits.h"
#include "core/scene/mesh_in_scene.h"
#include "core/track/track_files.h"

namespace dusky::desktop {

Jobs::Jobs(DocumentModel& model, const HandTrack& hand_defaults, QObject* parent) : QObject(parent), model_(model), hand_defaults_(hand_defaults) {
  connect(&model_, &DocumentModel::opened, this, [this] {
    waiting_.clear();
    states_ = {};
    delivered_ = {};
    checked_.clear();
    sweep_ = {};
    comparison_ = {};
    prune_note_.clear();
    emit sweepChanged();
    emit comparisonChanged();
    emit footageChecked();
    emit changed();
  });
}

Jobs::~Jobs() {
  worker_.request_stop();
  if (worker_.joinable()) worker_.join();
  if (looker_.joinable()) looker_.join();
}

void Jobs::post(std::function<void()> action) {
  QMetaObject::invokeMethod(
      this,
      [this, serial = serial_, action = std::move(action)] {
        if (serial == serial_) action();
      },
      Qt::QueuedConnection);
}

void Jobs::ask(Step step, std::string what, Prepare prepare) {
  const bool waits = std::any_of(waiting_.begin(), waiting_.end(), [&](const Request& one) { return one.what == what; });
  if (waits || (running_ && running_what_ == what && running_for_ == model_.document())) return;
  waiting_.push_back({step, std::move(what), std::move(prepare)});
  if (running_) {
    states_[static_cast<std::size_t>(step)].waiting = true;
    emit changed();
  } else {
    beginNext();
  }
}

void Jobs::beginNext() {
  while (!running_ && !waiting_.empty()) {
    const Request next = std::move(waiting_.front());
    waiting_.pop_front();
    states_[static_cast<std::size_t>(next.step)].waiting = false;
    if (auto work = next.prepare()) begin(next.step, next.what, std::move(*work));
  }
  emit changed();
}

void Jobs::begin(Step step, const std::string& what, Work work) {
  if (worker_.joinable()) worker_.join();
  ++serial_;
  running_ = step, running_what_ = what, running_for_ = model_.document();
  since_ = Stopwatch();
  logLine(fmt::format("{}: begun", what));
  states_[static_cast<std::size_t>(step)] = {.running = true, .what = tr("starting")};
  worker_ = std::jthread([work = std::move(work)](std::stop_token stop) { work(stop); });
}

void Jobs::moveTo(Step step) {
  if (running_) states_[static_cast<std::size_t>(*running_)] = {};
  running_ = step;
  states_[static_cast<std::size_t>(step)] = {.running = true, .what = tr("starting")};
  emit changed();
}

Progress Jobs::progressOf(Step step, std::stop_token stop) {
  auto last = std::make_shared<Stopwatch>();
  auto told = std::make_shared<double>(-1);
  return Progress(
      [this, step, last, told](const ProgressState& state) {
        if (last->seconds() - *told < 0.06 && state.fraction < 1) return;
        *told = last->seconds();
        post([this, step, state] {
          JobState& job = states_[static_cast<std::size_t>(step)];
          job.fraction = state.fraction;
          job.what = QString::fromStdString(state.what);
          job.seconds_left = state.seconds_left;
          emit changed();
        });
      },
      std::move(stop));
}

void Jobs::endWith(const Status& status) {
  const Step step = *running_;
  endQuietly(status);
  if (!status.ok() && step == Step::Footage) emit openFailed(QString::fromStdString(status.error().message));
  emit finished(status.ok());
}

void Jobs::endQuietly(const Status& status) {
  JobState& job = states_[static_cast<std::size_t>(*running_)];
  job = {};
  if (!status.ok()) job.failure = QString::fromStdString(status.error().message), logProblem(status.error().message);
  logLine(fmt::format("{}: ended after {:.2f} s", running_what_, since_.seconds()));
  running_.reset();
  model_.dropPartial();
  emit changed();
  // After everybody heard of this end.
  if (!waiting_.empty()) QMetaObject::invokeMethod(this, &Jobs::beginNext, Qt::QueuedConnection);
}

void Jobs::open(const QString& path, const QSize& picture) {
  logLine("opening " + path.toStdString());
  openBy([path = path.toStdString(), picture](Workspace& workspace, std::string& warning) {
    if (path.ends_with(".moth")) return workspace.openProject(path, &warning);
    const Status opened = workspace.openFootage(path, picture.width(), picture.height());
    workspace.keepUnsavedIn(unsavedFolder());
    return opened;
  });
}

void Jobs::openUnsaved(const std::filesystem::path& kept) {
  logLine("opening what was kept unsaved: " + kept.string());
  openBy([kept](Workspace& workspace, std::string& warning) { return workspace.openUnsaved(kept, &warning); });
}

void Jobs::openBy(Opening opening) {
  ask(Step::Footage, "open", [this, opening = std::move(opening)] {
    return Work([this, opening, writer = model_.workspace().writer()](std::stop_token) {
      if (writer) (void)writer->flush();  // it may be this very file
      auto workspace = std::make_shared<Workspace>();
      std::string warning;
      const Status opened = opening(*workspace, warning);
      if (opened.ok() && workspace->footageGone()) warning += " File › Relink footage… says where it lies now.";
      post([this, workspace, opened, warning] {
        if (opened.ok()) model_.adopt(std::move(*workspace));
        endWith(opened);
        if (!warning.empty()) emit openFailed(QString::fromStdString(warning));
      });
    });
  });
}

void Jobs::relinkFootage(const QString& path) {
  if (!model_.hasFootage()) return;
  ask(Step::Footage, "relink", [this, path = path.toStdString()] {
    return Work([this, path, was = model_.workspace().footageInFile()](std::stop_token) {
      const auto found = lookForFootage(was, path);
      post([this, found] {
        if (found.ok()) model_.relinkFootage(*found);
        endWith(found.ok() ? Status(Done{}) : Status(found.error()));
      });
    });
  });
}

void Jobs::importTracks(const QString& path) {
  if (!model_.hasFootage()) return;
  ask(Step::Tracks, "import " + path.toStdString(), [this, path = std::filesystem::path(path.toStdString())] {
    return Work([this, path, info = model_.workspace().footage()](std::stop_token) {
      auto read = readTrackFile(path, info.width, info.height);
      const Status fits = read.ok() ? checkInFootage(*read, info) : Status(read.error());
      auto tracks = fits.ok() ? std::make_shared<TrackSet>(std::move(*read)) : nullptr;
      post([this, tracks, fits, group = path.stem().string()] {
        if (tracks) model_.run(dusky::importTracks(model_.document(), std::move(*tracks), group));
        endQuietly(fits);
      });
    });
  });
}

void Jobs::exportTracks(const QString& path) {
  ask(Step::Tracks, "export " + path.toStdString(), [this, path = std::filesystem::path(path.toStdString())]() -> std::optional<Work> {
    const TrackSetPtr tracks = model_.workspace().tracks();
    if (!tracks) return std::nullopt;
    return [this, path, tracks](std::stop_token) {
      const Status written = writeFileAtomically(path, path.extension() == ".csv" ? tracksToCsv(*tracks) : tracksToJson(*tracks));
      post([this, written] { endQuietly(written); });
    };
  });
}

Jobs::TrackTask Jobs::trackTask() const {
  const Workspace& workspace = model_.workspace();
  const FilePrints& files = workspace.filePrints();
  const std::string key = tracksKey(model_.document(), workspace.footage(), files, runsOf(model_.document()));
  return {model_.document(), workspace.footage(), files, key, workspace.tracksStart(), workspace.picksAsMade()};
}

void Jobs::lookAtFiles(TrackTask& task) {
  const FilePrints now = filePrintsOf(task.document);
  if (now == task.files) return;
  task.files = now, task.start = {};
  task.key = tracksKey(task.document, task.footage, now, runsOf(task.document));
  post([this, now] { model_.takeFilePrints(now); });
}

void Jobs::lookAtFiles() {
  if (!model_.hasFootage() || busy() || looking_) return;
  if (looker_.joinable()) looker_.join();
  looking_ = true;
  looker_ = std::jthread([this, document = model_.document()] {
    QMetaObject::invokeMethod(
        this,
        [this, document, now = filePrintsOf(document)] {
          looking_ = false;
          const bool same = document.footage_path == model_.document().footage_path && document.masks.mattes.folder == model_.document().masks.mattes.folder;
          if (same) model_.takeFilePrints(now);
        },
        Qt::QueuedConnection);
  });
}

bool Jobs::track(const TrackTask& task, TrackSetPtr& tracks, std::stop_token stop) {
  const auto partial = [this](TrackSetPtr so_far) { post([this, so_far] { model_.showPartial(so_far); }); };
  const auto tracked = dusky::runTracks(task.document, progressOf(Step::Tracks, stop), partial, task.start);
  if (!tracked.ok()) {
    post([this, error = tracked.error()] { endWith(error); });
    return false;
  }
  post([this, followed = *tracked, key = task.key] { model_.takeTracks(followed, key); });
  tracks = withHandWork(*tracked, task.key, task.document, task.footage);
  return true;
}

void Jobs::solve(const SolveTask& task, const TrackSet& tracks, std::stop_token stop) {
  const auto partial = [this, &task](SolutionPtr so_far) {
    const auto scene = orientScene(*so_far, {});
    post([this, so_far, frame = scene.ok() ? std::optional(*scene) : std::nullopt, key = task.tracks_key] { model_.showPartial(so_far, frame, key); });
  };
  const auto solved = dusky::runSolve(task.document, task.footage, tracks, progressOf(Step::Solve, stop), partial, task.from);
  RunOrigin origin{.document = task.document, .parent = task.parent, .carried_on = task.from != nullptr};
  post([this, solved, origin = std::move(origin), keys = solveKeys(task.document, task.footage, task.tracks_key, task.from_key)] {
    if (solved.ok()) model_.takeSolution(*solved, keys, origin);
    endWith(solved.ok() ? Status(Done{}) : Status(solved.error()));
  });
}

void Jobs::runTracks() {
  if (!model_.hasFootage()) return;
  ask(Step::Tracks, "track", [this] {
    return Work([this, task = trackTask()](std::stop_token stop) mutable {
      TrackSetPtr tracks;
      lookAtFiles(task);
      if (track(task, tracks, stop)) post([this] { endWith(Done{}); });
    });
  });
}

void Jobs::placeByHand(const KeyPlace& key) {
  if (!model_.hasFootage()) return;
  ask(Step::Tracks, fmt::format("place {} {} {} {}", key.track, key.frame, key.place.x(), key.place.y()), [this, key] {
    const HandTrack* there = model_.document().work.find(key.track);
    const HandTrack track = there ? *there : newHandTrack(model_.document(), hand_defaults_);
    return Work([this, document = model_.document(), track, key, fresh = !there](std::stop_token) {
      auto placed = placeKey(document, track, key.frame, key.place, key.snap);
      post([this, placed, fresh] {
        if (placed.ok()) model_.run(changeHandTrack(fresh ? "Place track" : "Set key", model_.document(), *placed));
        endQuietly(placed.ok() ? Status(Done{}) : Status(placed.error()));
        if (placed.ok()) emit placedByHand(placed->id);
      });
    });
  });
}

void Jobs::followByHand(int track, const HandOptions& options) {
  ask(Step::Tracks, fmt::format("follow {} by hand", track), [this, track, options]() -> std::optional<Work> {
    const HandTrack* there = model_.document().work.find(track);
    if (!there) return std::nullopt;
    return [this, document = model_.document(), from = *there, options](std::stop_token stop) {
      std::string note;
      auto followed = runHandTrack(document, from, options, progressOf(Step::Tracks, stop), &note);
      post([this, followed, note] {
        if (followed.ok()) model_.run(changeHandTrack("Follow by hand", model_.document(), *followed));
        endQuietly(followed.ok() ? Status(Done{}) : Status(followed.error()));
        if (followed.ok()) emit handNote(QString::fromStdString(note));
      });
    };
  });
}

void Jobs::checkFootage() {
  if (!model_.hasFootage()) return;
  ask(Step::Footage, "check frames", [this] {
    const FollowOptions& range = model_.document().tracking;
    return Work([this, document = model_.document(), options = FrameCheckOptions{.range = {range.first_frame, range.last_frame}}](std::stop_token stop) {
      auto source = openFootageOf(document);
      auto checked = source.ok() ? checkFrames(**source, options, progressOf(Step::Footage, stop)) : Result<std::vector<CheckedFrame>>(source.error());
      post([this, checked] {
        if (checked.ok()) checked_ = *checked;
        endQuietly(checked.ok() ? Status(Done{}) : Status(checked.error()));
        if (checked.ok()) emit footageChecked();
      });
    });
  });
}

void Jobs::runSolve() {
  if (!model_.hasFootage()) return;
  const bool tracked = model_.workspace().status(Step::Tracks).state == StepState::Current;
  ask(tracked ? Step::Solve : Step::Tracks, "solve", [this] {
    const Workspace& workspace = model_.workspace();
    const TrackSetPtr ready = workspace.status(Step::Tracks).state == StepState::Current ? workspace.tracks() : nullptr;
    return Work([this, task = trackTask(), ready, ready_key = workspace.followedKey(), parent = workspace.shownRun()](std::stop_token stop) mutable {
      TrackSetPtr tracks = ready;
      if (tracks) {
        task.key = ready_key;
      } else {
        lookAtFiles(task);
        if (!track(task, tracks, stop)) return;
      }
      post([this] { moveTo(Step::Solve); });
      Document document = task.document;
      document.picks = task.picks.carriedTo(*tracks, task.key, document.footage.frame_offset);
      solve({document, task.footage, task.key, nullptr, {}, parent}, *tracks, stop);
    });
  });
}

void Jobs::carryOn() {
  if (!model_.workspace().solution() || model_.workspace().status(Step::Tracks).state != StepState::Current) return runSolve();
  ask(Step::Solve, "refine", [this]() -> std::optional<Work> {
    const Workspace& workspace = model_.workspace();
    if (!workspace.solution() || workspace.status(Step::Tracks).state != StepState::Current) return std::nullopt;
    const SolveTask task{model_.document(),    workspace.footage(),          workspace.followedKey(),
                         workspace.solution(), workspace.solutionKeys().own, workspace.shownRun()};
    return [this, task, tracks = workspace.tracks()](std::stop_token stop) { solve(task, *tracks, stop); };
  });
}

void Jobs::runSweep(const SweepOptions& asked) {
  ask(Step::Solve, "sweep", [this, asked]() -> std::optional<Work> {
    const Workspace& workspace = model_.workspace();
    if (!workspace.solution() || !workspace.tracks()) return std::nullopt;
    sweep_ = {.asked = asked, .points = {}, .result = std::nullopt, .problem = {}};
    emit sweepChanged();
    const SolveTask task{model_.document(), workspace.footage(), workspace.followedKey(), workspace.solution(), {}, 0};
    return [this, task, tracks = workspace.tracks(), asked](std::stop_token stop) {
      const auto on_point = [this](const SweepPoint& point) {
        post([this, point] {
          sweep_.points.insert(std::upper_bound(sweep_.points.begin(), sweep_.points.end(), point, before), point);
          emit sweepChanged();
        });
      };
      const auto swept = dusky::runSweep(task.document, task.footage, *tracks, *task.from, asked, progressOf(Step::Solve, stop), on_point);
      post([this, swept] {
        if (swept.ok())
          sweep_.points = swept->points, sweep_.result = *swept;
        else
          sweep_.problem = QString::fromStdString(swept.error().message);
        endQuietly(swept.ok() ? Status(Done{}) : Status(swept.error()));
        emit sweepChanged();
      });
    };
  });
}

void Jobs::restoreRun(int run) {
  ask(Step::Solve, fmt::format("go back to run {}", run), [this, run]() -> std::optional<Work> {
    const auto source = model_.workspace().runSource(run);
    if (!source.ok()) return std::nullopt;
    return [this, source = *source](std::stop_token) {
      auto read = source.read();
      post([this, read] {
        if (read.ok()) model_.restoreRun(*read);
        endQuietly(read.ok() ? Status(Done{}) : Status(read.error()));
      });
    };
  });
}

void Jobs::pruneWhileItHelps() {
  ask(Step::Prune, "prune", [this]() -> std::optional<Work> {
    const Workspace& workspace = model_.workspace();
    if (!workspace.solution() || workspace.status(Step::Solve).state != StepState::Current) {
      states_[static_cast<std::size_t>(Step::Prune)].failure = tr("There is no solve of the present settings. Solve first.");
      return std::nullopt;
    }
    const PruneTask task{model_.document(), workspace.footage(), workspace.tracks(), workspace.solution()};
    return [this, task](std::stop_token stop) {
      const auto pruned = pruneAutomatically(task, progressOf(Step::Prune, stop));
      post([this, pruned, task] {
        if (pruned.ok()) prune_note_ = QString::fromStdString(pruned->note);
        // What was changed meanwhile stays as it is.
        if (pruned.ok() && !pruned->choice.empty() && task.document == model_.document()) model_.takePruned(*pruned);
        endQuietly(pruned.ok() ? Status(Done{}) : Status(pruned.error()));
      });
    };
  });
}

void Jobs::compareRuns(int first, int second) {
  ask(Step::Solve, fmt::format("compare runs {} and {}", first, second), [this, first, second]() -> std::optional<Work> {
    // The one that is shown comes first: Space shows the other one's path in its world.
    const bool turned = second == model_.workspace().shownRun();
    const auto a = model_.workspace().runSource(turned ? second : first), b = model_.workspace().runSource(turned ? first : second);
    if (!a.ok() || !b.ok()) return std::nullopt;
    return [this, a = *a, b = *b](std::stop_token) {
      const auto one = a.read(), other = b.read();
      Status status = !one.ok() ? Status(one.error()) : !other.ok() ? Status(other.error()) : Status(Done{});
      Comparison comparison;
      if (status.ok()) {
        comparison = {*one, *other, {}, one->run.keys.tracks == other->run.keys.tracks};
        const auto difference = differenceOf(*one->solution, *one->tracks, *other->solution, comparison.same_tracks);
        if (difference.ok())
          comparison.difference = *difference;
        else
          status = difference.error();
      }
      post([this, status, comparison = std::move(comparison)] {
        if (status.ok()) comparison_ = comparison;
        endQuietly(status);
        emit comparisonChanged();
      });
    };
  });
}

void Jobs::layOnMesh(const MeshSurfacePtr& surface, bool keep_scale) {
  ask(Step::Scene, "lay the scene on the mesh", [this, surface, keep_scale]() -> std::optional<Work> {
    const SolutionPtr solution = model_.workspace().solution();
    const auto scene = model_.workspace().scene();
    if (!surface || !solution || !scene.ok()) return std::nullopt;
    return [this, surface, keep_scale, solution, frame = *scene, document = model_.document()](std::stop_token stop) {
      const auto laid = dusky::layOnMesh(*solution, frame, document.picks.knowledge, *surface, document.mesh, keep_scale, progressOf(Step::Scene, stop));
      post([this, laid, document] {
        if (laid.ok() && document == model_.document()) {
          mesh_note_ = QString::fromStdString(describe(*laid)), laid_ = laid->knowledge;
          model_.run(changeKnowledge("Lay the scene on the mesh", model_.document(), laid->knowledge));
        }
        endQuietly(laid.ok() ? Status(Done{}) : Status(laid.error()));
      });
    };
  });
}

/// A failed receipt is a failed delivery.
static Status failureOf(const Result<Delivered>& delivered) {
  if (!delivered.ok()) return delivered.error();
  if (!delivered->receipt || delivered->receipt->passed()) return Done{};
  return invalidInput(QObject::tr("The receipt failed; what was written lies in \"failed-delivery\". ").toStdString() + delivered->receipt->failure());
}

void Jobs::deliver() {
  ask(Step::Deliver, "deliver", [this]() -> std::optional<Work> {
    const auto job = model_.workspace().deliveryJob();
    if (!job.ok()) {
      states_[static_cast<std::size_t>(Step::Deliver)].failure = QString::fromStdString(job.error().message);
      return std::nullopt;
    }
    const std::filesystem::path folder = defaultDeliveryFolder(model_.document());
    const DeliveryChoices choices = model_.document().delivery.choices;
    return [this, job = *job, folder, choices, scene_settings = model_.document().picks.scene](std::stop_token stop) {
      const auto delivered = job.run(folder, choices, progressOf(Step::Deliver, stop));
      post([this, delivered, folder = folder.string(), solution = job.solution, scene = scene_settings] {
        delivered_solution_ = solution;
        delivered_scene_ = scene;
        delivered_ = delivered.ok() ? *delivered : Delivered{};
        delivered_to_ = QString::fromStdString(folder);
        endWith(failureOf(delivered));
      });
    };
  });
}

void Jobs::cancel() {
  waiting_.clear();
  for (JobState& state : states_) state.waiting = false;
  worker_.request_stop();
  emit changed();
}

void Jobs::cancel(Step step) {
  std::erase_if(waiting_, [step](const Request& request) { return request.step == step; });
  states_[static_cast<std::size_t>(step)].waiting = false;
  if (running_ == step) worker_.request_stop();
  emit changed();
}

void Jobs::forgetFailures() {
  for (JobState& state : states_) state.failure.clear();
  emit changed();
}
}  // namespace dusky::desktop
