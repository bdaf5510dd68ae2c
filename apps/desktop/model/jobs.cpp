#include "apps/desktop/model/jobs.h"

#include <QMetaObject>

namespace dusky::desktop {

Jobs::Jobs(DocumentModel& model, QObject* parent) : QObject(parent), model_(model) {
  connect(&model_, &DocumentModel::opened, this, [this] {
    states_ = {};
    delivered_.clear();
    emit changed();
  });
}

Jobs::~Jobs() {
  worker_.request_stop();
  if (worker_.joinable()) worker_.join();
}

void Jobs::post(std::function<void()> action) {
  QMetaObject::invokeMethod(
      this,
      [this, serial = serial_, action = std::move(action)] {
        if (serial == serial_) action();
      },
      Qt::QueuedConnection);
}

void Jobs::start(Step step, Work work) {
  if (busy()) return;
  if (worker_.joinable()) worker_.join();
  ++serial_;
  running_ = step;
  states_[static_cast<std::size_t>(step)] = {.running = true, .what = tr("starting")};
  emit changed();
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
  JobState& job = states_[static_cast<std::size_t>(*running_)];
  const Step step = *running_;
  job = {};
  if (!status.ok()) job.failure = QString::fromStdString(status.error().message);
  running_.reset();
  model_.dropPartial();
  emit changed();
  if (!status.ok() && step == Step::Footage) emit openFailed(job.failure);
  emit finished(status.ok());
}

void Jobs::open(const QString& path) {
  start(Step::Footage, [this, path = path.toStdString()](std::stop_token) {
    auto workspace = std::make_shared<Workspace>();
    std::string warning;
    const bool project = path.ends_with(".moth");
    const Status opened = project ? workspace->openProject(path, &warning) : workspace->openFootage(path);
    post([this, workspace, opened, warning] {
      if (opened.ok()) model_.adopt(std::move(*workspace));
      endWith(opened);
      if (!warning.empty()) emit openFailed(QString::fromStdString(warning));
    });
  });
}

bool Jobs::track(const Document& document, const std::string& key, TrackSetPtr& tracks, std::stop_token stop) {
  const auto partial = [this](TrackSetPtr so_far) { post([this, so_far] { model_.showPartial(so_far); }); };
  const auto tracked = dusky::runTracks(document, progressOf(Step::Tracks, stop), partial);
  if (!tracked.ok()) {
    post([this, error = tracked.error()] { endWith(error); });
    return false;
  }
  tracks = *tracked;
  post([this, tracks, key] { model_.takeTracks(tracks, key); });
  return true;
}

void Jobs::solve(const Document& document, const std::string& key, const TrackSet& tracks, std::stop_token stop) {
  const auto partial = [this](SolutionPtr so_far) { post([this, so_far] { model_.showPartial(so_far); }); };
  const auto solved = dusky::runSolve(document, tracks, progressOf(Step::Solve, stop), partial);
  post([this, solved, key] {
    if (solved.ok()) model_.takeSolution(*solved, key);
    endWith(solved.ok() ? Status(Done{}) : Status(solved.error()));
  });
}

void Jobs::runTracks() {
  if (!model_.hasFootage()) return;
  const std::string key = tracksKey(model_.document(), model_.workspace().footage());
  start(Step::Tracks, [this, document = model_.document(), key](std::stop_token stop) {
    TrackSetPtr tracks;
    if (track(document, key, tracks, stop)) post([this] { endWith(Done{}); });
  });
}

void Jobs::runSolve() {
  if (!model_.hasFootage()) return;
  const Workspace& workspace = model_.workspace();
  const std::string track_key = tracksKey(model_.document(), workspace.footage()), key = solveKey(model_.document(), workspace.footage());
  const TrackSetPtr ready = workspace.status(Step::Tracks).state == StepState::Current ? workspace.tracks() : nullptr;
  start(ready ? Step::Solve : Step::Tracks, [this, document = model_.document(), track_key, key, ready](std::stop_token stop) {
    TrackSetPtr tracks = ready;
    if (!tracks) {
      if (!track(document, track_key, tracks, stop)) return;
      post([this] { moveTo(Step::Solve); });
    }
    solve(document, key, *tracks, stop);
  });
}

void Jobs::deliver() {
  const auto job = model_.workspace().deliveryJob();
  if (!job.ok()) {
    states_[static_cast<std::size_t>(Step::Deliver)].failure = QString::fromStdString(job.error().message);
    emit changed();
    return;
  }
  const DeliveryOptions options = deliveryOptionsOf(model_.document());
  start(Step::Deliver, [this, job = *job, options, scene_settings = model_.document().scene](std::stop_token stop) {
    const auto files = job.run(options, progressOf(Step::Deliver, stop));
    post([this, files, folder = options.folder.string(), solution = job.solution, scene = scene_settings] {
      delivered_solution_ = solution;
      delivered_scene_ = scene;
      delivered_ = files.ok() ? *files : std::vector<DeliveredFile>{};
      delivered_to_ = QString::fromStdString(folder);
      endWith(files.ok() ? Status(Done{}) : Status(files.error()));
    });
  });
}

void Jobs::cancel() { worker_.request_stop(); }

void Jobs::forgetFailures() {
  for (JobState& state : states_) state.failure.clear();
  emit changed();
}

}  // namespace dusky::desktop
