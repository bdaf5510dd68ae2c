#include "apps/desktop/model/dense_store.h"

#include <QMetaObject>
#include <algorithm>
#include <numeric>

#include "core/base/random.h"
#include "core/dense/dense_files.h"
#include "core/dense/rolling.h"
#include "core/image/color_scale.h"

namespace dusky::desktop {
namespace {

/// Points in an order of chance that is the same every time.
std::vector<std::size_t> shuffled(std::size_t count) {
  std::vector<std::size_t> order(count);
  std::iota(order.begin(), order.end(), std::size_t{0});
  Random random(1);
  for (std::size_t k = count; k > 1; --k) std::swap(order[k - 1], order[static_cast<std::size_t>(random.index(static_cast<int>(k)))]);
  return order;
}

DenseVertex vertexOf(const DensePoint& point, const Similarity& scene_from_solve) {
  const Eigen::Vector3f at = (scene_from_solve * point.at.cast<double>()).cast<float>();
  return {at.x(), at.y(), at.z(), point.color.r, point.color.g, point.color.b, 255};
}

std::vector<DenseVertex> verticesOf(const std::vector<DensePoint>& points, const Similarity& scene_from_solve) {
  std::vector<DenseVertex> vertices;
  vertices.reserve(points.size());
  for (const std::size_t k : shuffled(points.size())) vertices.push_back(vertexOf(points[k], scene_from_solve));
  return vertices;
}

/// Depths as light: near is bright.
QImage coloursOf(const FusedView& view, const Solution& solution) {
  const DepthMap& map = view.map;
  const SolvedFrame* frame = solution.frameAt(map.frame);
  if (!frame) return {};
  const Lens lens = solution.lensAt(*frame);
  const RollingFrame rolling(solution, *frame);
  std::vector<float> known;
  for (const float depth : map.depth.data) {
    if (depth > 0) known.push_back(depth);
  }
  if (known.empty()) return {};
  const auto at = [&](double share) {
    const auto place = known.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(known.size() - 1));
    std::nth_element(known.begin(), place, known.end());
    return *place;
  };
  const float low = at(0.02), high = std::max(at(0.98), 1.001F * low);
  const int w = std::max(1, lens.width / 2), h = std::max(1, lens.height / 2);
  QImage out(w, h, QImage::Format_ARGB32_Premultiplied);
  out.fill(Qt::transparent);
  for (int y = 0; y < h; ++y) {
    auto* row = reinterpret_cast<QRgb*>(out.scanLine(y));
    for (int x = 0; x < w; ++x) {
      const auto n = rolling.still(lens, Vec2((x + 0.5) * lens.width / w, (y + 0.5) * lens.height / h));
      if (!n) continue;
      const int u = static_cast<int>(std::floor(map.camera.fx * n->x() + map.camera.cx)),
                v = static_cast<int>(std::floor(map.camera.fy * n->y() + map.camera.cy));
      if (u < 0 || v < 0 || u >= map.depth.width || v >= map.depth.height) continue;
      const float depth = map.depth.at(u, v);
      if (!(depth > 0) || map.cost.at(u, v) > 0.6F) continue;
      const float far = std::clamp(std::log(depth / low) / std::log(high / low), 0.0F, 1.0F);
      const Rgb c = errorColor(0.12 + 0.88 * static_cast<double>(1 - far));
      row[x] = qRgb(c.r, c.g, c.b);
    }
  }
  return out;
}

}  // namespace

DenseStore::DenseStore(DocumentModel& model, Jobs& jobs, QObject* parent)
    : QObject(parent),
      model_(model),
      reader_([this](const Question& question, std::stop_token dropped) { answer(question, dropped); }),
      depth_reader_([this](const DepthQuestion& question, std::stop_token dropped) { answerDepth(question, dropped); }),
      forecaster_([this](const DenseJob& job, std::stop_token dropped) { answerForecast(job, dropped); }) {
  connect(&model_, &DocumentModel::opened, this, [this] {
    part_.reset(), points_.reset(), surface_.reset(), asked_.reset();
    loaded_ = {}, forecast_of_ = {}, forecast_ = {};
    depth_frame_ = -1, depth_ = QImage();
    emit changed();
  });
  connect(&model_, &DocumentModel::documentChanged, this, &DenseStore::look);
  connect(&model_, &DocumentModel::solutionChanged, this, &DenseStore::forgetPicked);
  connect(&model_, &DocumentModel::resultsChanged, this, &DenseStore::look);
  connect(&jobs, &Jobs::denseBegun, this, [this] { part_ = std::make_shared<Points>(); });
  connect(&jobs, &Jobs::densePart, this, &DenseStore::addPart);
  connect(&jobs, &Jobs::denseEnded, this, [this](const DenseResultPtr& made, const DenseJob& job) {
    if (made) loaded_ = {job.shot.solution, job.folder(), made};
    part_.reset(), asked_.reset(), points_.reset(), forecast_of_ = {};  // the machine is known better now
    look();
    emit changed();
  });
  connect(&jobs, &Jobs::surfaceMade, this, [this](const std::shared_ptr<const Surface>& surface, const DenseJob& job) {
    surface_ = surface, surface_settings_ = job.settings(), surface_scene_ = job.shot.scene.scene_from_solve, surface_folder_ = job.folder();
    emit changed();
  });
}

static bool alike(const Similarity& a, const Similarity& b) { return a.scale == b.scale && a.shift == b.shift && a.rotation.coeffs() == b.rotation.coeffs(); }

bool DenseStore::surfaceIsCurrent() const {
  if (!surface_) return false;
  const DenseSettings& now = model_.document().dense;
  return now.clean == surface_settings_.clean && now.spacing == surface_settings_.spacing && now.triangles == surface_settings_.triangles && asked_ &&
         alike(asked_->scene_from_solve, surface_scene_);
}

void DenseStore::showNothing() {
  reader_.dropOlder(), asked_.reset(), reading_ = false;
  if (points_ && !part_) points_.reset(), emit changed();
}

/// What is to be shown now; asks for it where that is something else than before. Every edit comes here.
void DenseStore::look() {
  const Workspace& workspace = model_.workspace();
  if (model_.partial() || model_.peeked() != 0 || !workspace.solution() || !workspace.scene().ok()) {
    if (surface_) surface_.reset(), emit changed();
    return showNothing();
  }
  lookAhead();
  const std::filesystem::path folder = workspace.denseFolder();
  if (surface_ && surface_folder_ != folder) surface_.reset(), emit changed();
  const bool loaded = loaded_.dense && loaded_.solution == workspace.solution() && loaded_.folder == folder;
  if (!loaded && workspace.dense().points == 0) return showNothing();
  DenseSettings settings = workspace.document().dense;
  settings.triangles = DenseSettings().triangles;  // of the mesh alone
  const Similarity& scene = workspace.scene()->scene_from_solve;
  if (asked_ && asked_->folder == folder && asked_->settings == settings && alike(asked_->scene_from_solve, scene)) return;
  asked_ = {folder, settings, scene, loaded ? loaded_.dense : nullptr};
  reading_ = true;
  reader_.ask(*asked_);
  emit changed();
}

/// What making them will take, where solve, quality or keyframes are others than before.
void DenseStore::lookAhead() {
  const Forecast of{model_.workspace().solution(), model_.document().dense.quality, model_.document().dense.keyframes};
  if (forecast_of_ == of) return;
  auto job = model_.workspace().denseJob();
  if (!job.ok()) return;
  forecast_of_ = of;
  forecaster_.ask(std::move(*job));
}

void DenseStore::answerForecast(const DenseJob& job, std::stop_token dropped) {
  auto forecast = job.forecast();
  QMetaObject::invokeMethod(
      this,
      [this, forecast = std::move(forecast), dropped] {
        if (dropped.stop_requested()) return;
        forecast_ = forecast.ok() ? *forecast : DenseForecast();
        forecast_problem_ = forecast.ok() ? QString() : QString::fromStdString(forecast.error().message);
        emit changed();
      },
      Qt::QueuedConnection);
}

void DenseStore::answer(const Question& question, std::stop_token dropped) {
  auto points = std::make_shared<Points>();
  const auto dense = question.dense ? Result<DenseResultPtr>(question.dense) : storedDense(question.folder);
  if (!dense.ok()) {
    points->problem = QString::fromStdString(dense.error().message);
    return send(points, dropped);
  }
  const auto cleaning = cleanDense((*dense)->cloud, question.settings.clean, question.scene_from_solve, Progress({}, dropped));
  if (!cleaning.ok()) return;
  points->dense = *dense, points->counts = cleaning->counts;
  DenseCloud kept;
  std::vector<DensePoint> going;
  for (std::size_t k = 0; k < cleaning->reasons.size(); ++k)
    (cleaning->reasons[k] == CleanReason::Kept ? kept.points : going).push_back((*dense)->cloud.points[k]);
  if (kept.points.empty()) points->problem = tr("The clean-up rules leave no dense point: loosen them.");
  if (question.settings.spacing > 0) kept = thinned(std::move(kept), question.settings.spacing / question.scene_from_solve.scale);
  points->kept = verticesOf(kept.points, question.scene_from_solve), points->going = verticesOf(going, question.scene_from_solve);
  send(points, dropped);
}

/// To the interface thread, where it is still waited for.
void DenseStore::send(PointsPtr points, std::stop_token dropped) {
  QMetaObject::invokeMethod(
      this,
      [this, points = std::move(points), dropped] {
        if (dropped.stop_requested()) return;
        points_ = points, reading_ = false;
        if (points_->dense && asked_) loaded_ = {model_.workspace().solution(), asked_->folder, points_->dense};
        emit changed();
      },
      Qt::QueuedConnection);
}

/// A few points of a depth map, as soon as it is there.
void DenseStore::addPart(const FusedViewPtr& view) {
  const auto& scene = model_.scene();
  if (!scene || !part_) return;
  constexpr int kEvery = 3;
  auto more = std::make_shared<Points>(*part_);
  const DepthMap& map = view->map;
  for (int y = 0; y < map.depth.height; y += kEvery) {
    for (int x = 0; x < map.depth.width; x += kEvery) {
      const double depth = static_cast<double>(map.depth.at(x, y));
      if (!(depth > 0) || map.cost.at(x, y) > 0.5F || static_cast<double>(map.sigma.at(x, y)) > 0.005 * depth) continue;
      const Vec3 at = scene->scene_from_solve * map.camera.place(Vec2(x + 0.5, y + 0.5), depth);
      const Rgb& c = view->picture.at(x, y);
      more->kept.push_back({static_cast<float>(at.x()), static_cast<float>(at.y()), static_cast<float>(at.z()), c.r, c.g, c.b, 255});
    }
  }
  part_ = more, points_ = more;
  emit changed();
}

std::vector<Vec3> DenseStore::picked() const {
  std::vector<Vec3> places;
  for (const Vec3& place : picked_) {
    if (model_.scene()) places.push_back(model_.scene()->scene_from_solve * place);
  }
  return places;
}

void DenseStore::pick(const Vec3& place) {
  if (!model_.scene()) return;
  picked_.push_back(model_.scene()->scene_from_solve.inverse() * place);
  emit pickedChanged();
}

void DenseStore::forgetPicked() {
  if (picked_.empty()) return;
  picked_.clear();
  emit pickedChanged();
}

std::vector<int> DenseStore::keyframes() const {
  std::vector<int> frames;
  for (const DenseFrame& frame : model_.workspace().dense().frames) frames.push_back(frame.frame);
  return frames;
}

std::vector<int> DenseStore::plannedKeyframes() const {
  if (!model_.document().dense.keyframes.empty()) return model_.document().dense.keyframes;
  std::vector<int> made = keyframes();
  return made.empty() ? forecast_.frames : made;
}

void DenseStore::setKeyframes(const char* name, std::vector<int> frames) {
  DenseSettings settings = model_.document().dense;
  settings.keyframes = std::move(frames);
  if (settings.check().ok()) model_.set(name, &Document::dense, settings);
}

void DenseStore::toggleKeyframe(int frame) {
  std::vector<int> frames = plannedKeyframes();
  const auto at = std::lower_bound(frames.begin(), frames.end(), frame);
  const bool there = at != frames.end() && *at == frame;
  there ? void(frames.erase(at)) : void(frames.insert(at, frame));
  if (frames.size() >= 3) setKeyframes(there ? "Leave out keyframe" : "Add keyframe", std::move(frames));
}

void DenseStore::moveKeyframe(int from, int to) {
  std::vector<int> frames = plannedKeyframes();
  if (from == to || std::binary_search(frames.begin(), frames.end(), to)) return;
  std::erase(frames, from);
  frames.insert(std::upper_bound(frames.begin(), frames.end(), to), to);
  setKeyframes("Move keyframe", std::move(frames));
}

void DenseStore::watch(bool on) {
  if (watched_ == on) return;
  watched_ = on;
  emit changed();
}

QImage DenseStore::depthPicture(int frame) {
  const SolutionPtr solution = model_.solution();
  const std::filesystem::path folder = asked_ ? asked_->folder : std::filesystem::path();
  const std::vector<int> keys = keyframes();
  if (!solution || folder.empty() || !std::binary_search(keys.begin(), keys.end(), frame)) return {};
  if (depth_frame_ == frame && depth_folder_ == folder) return depth_;
  depth_frame_ = frame, depth_folder_ = folder, depth_ = QImage();
  depth_reader_.ask({folder, frame, solution});
  return {};
}

void DenseStore::answerDepth(const DepthQuestion& question, std::stop_token dropped) {
  const auto view = readFusedView(depthMapIn(question.folder, question.frame));
  QImage picture = view.ok() ? coloursOf(**view, *question.solution) : QImage();
  if (dropped.stop_requested()) return;
  QMetaObject::invokeMethod(
      this,
      [this, frame = question.frame, picture, dropped] {
        if (dropped.stop_requested() || frame != depth_frame_) return;
        depth_ = picture;
        emit depthReady();
      },
      Qt::QueuedConnection);
}

}  // namespace dusky::desktop
