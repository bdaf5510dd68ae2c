#include "tests/support/shot_maker.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <Eigen/Dense>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/media/footage.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {

double hashed(int x, int y, int z, int which) {
  std::uint32_t h = static_cast<std::uint32_t>(x) * 374761393u + static_cast<std::uint32_t>(y) * 668265263u + static_cast<std::uint32_t>(z) * 2147483647u +
                    static_cast<std::uint32_t>(which) * 1274126177u;
  h = (h ^ (h >> 13)) * 1274126177u;
  h = (h ^ (h >> 16)) * 2246822519u;
  return static_cast<double>(h ^ (h >> 15)) / 4294967295.0;
}

double valueNoise(const Vec3& p, int which) {
  const Vec3 base(std::floor(p.x()), std::floor(p.y()), std::floor(p.z()));
  Vec3 t = p - base;
  for (double& c : t) c = c * c * (3 - 2 * c);
  double sum = 0;
  for (int corner = 0; corner < 8; ++corner) {
    const int dx = corner & 1, dy = (corner >> 1) & 1, dz = corner >> 2;
    const double weight = (dx ? t.x() : 1 - t.x()) * (dy ? t.y() : 1 - t.y()) * (dz ? t.z() : 1 - t.z());
    sum += weight * hashed(static_cast<int>(base.x()) + dx, static_cast<int>(base.y()) + dy, static_cast<int>(base.z()) + dz, which);
  }
  return sum;
}

/// Where a ray ends. The texture is looked up only for the nearest thing.
struct Hit {
  double distance = 1e30;
  int thing = -1;  ///< -1 sky, 0 ground, 1 wall, 2... faces of boxes; neighbours with other things get more rays.
  Vec3 place = Vec3::Zero();
  int texture = 0;
  double shade = 0, low = 0, contrast = 0;
  double gloss = 0;
  Vec3 normal = Vec3::Zero();

  double grey(const Vec3& ray) const {
    if (thing < 0) return 0.82 - 0.25 * std::max(0.0, ray.normalized().y());
    const double own = dusky::testing::texture(place, texture);
    if (gloss == 0) return shade * (low + contrast * own);
    constexpr int kSurroundings = 900;
    const Vec3 mirrored = (ray - 2 * ray.dot(normal) * normal).normalized();
    return shade * (low + contrast * ((1 - gloss) * own + gloss * dusky::testing::texture(3 * mirrored, kSurroundings)));
  }
};

/// A box as one frame's rays meet it.
struct PlacedBox {
  Mat3 box_from_world;
  Vec3 centre, half;
  double radius = 0;
  int texture = 0;
  double gloss = 0;
};

class Set {
 public:
  Set(const ShotPlan& plan, double frame) : plan_(plan) {
    for (const Box& box : plan.boxes) {
      boxes_.push_back({Eigen::AngleAxisd(-box.turn_rad, Vec3::UnitY()).toRotationMatrix(), box.centre + frame * box.velocity, box.half, box.half.norm(),
                        box.texture, box.gloss});
    }
  }

  Hit cast(const Vec3& origin, const Vec3& ray) const {
    Hit hit;
    hitGround(origin, ray, hit);
    if (plan_.wall) hitWall(origin, ray, hit);
    const double squared = ray.squaredNorm();
    for (std::size_t i = 0; i < boxes_.size(); ++i) {
      const Vec3 to = boxes_[i].centre - origin;
      const double along = to.dot(ray);
      if (to.squaredNorm() - along * along / squared < boxes_[i].radius * boxes_[i].radius) hitBox(static_cast<int>(i), origin, ray, hit);
    }
    return hit;
  }

 private:
  static constexpr double kWallZ = -9.0;

  double ground(double x, double z) const { return plan_.bump_height * (valueNoise(Vec3(0.6 * x, 0, 0.6 * z), 77) - 0.5); }

  void hitGround(const Vec3& origin, const Vec3& ray, Hit& hit) const {
    if (ray.y() > -1e-4) return;
    double t = -origin.y() / ray.y();
    // The bumps are gentle: a few secant steps land on them.
    for (int i = 0; i < 6 && plan_.bump_height > 0; ++i) {
      const Vec3 p = origin + t * ray;
      t += (ground(p.x(), p.z()) - p.y()) / ray.y();
    }
    if (t <= 1e-6 || t >= hit.distance || t > 200) return;
    const Vec3 p = origin + t * ray;
    hit = {t, 0, Vec3(p.x(), 0, p.z()), 1, 1.0, 0.15, 0.6};
  }

  static void hitWall(const Vec3& origin, const Vec3& ray, Hit& hit) {
    if (std::abs(ray.z()) < 1e-9) return;
    const double t = (kWallZ - origin.z()) / ray.z();
    const Vec3 p = origin + t * ray;
    if (t <= 1e-6 || t >= hit.distance || p.y() > 4.5 || std::abs(p.x()) > 11) return;
    hit = {t, 1, p, 2, 1.0, 0.2, 0.6};
  }

  void hitBox(int index, const Vec3& origin, const Vec3& ray, Hit& hit) const {
    const PlacedBox& box = boxes_[index];
    const Vec3 o = box.box_from_world * (origin - box.centre), r = box.box_from_world * ray;
    double near = -1e30, far = 1e30;
    int axis = 0;
    for (int k = 0; k < 3; ++k) {
      if (std::abs(r[k]) < 1e-12) {
        if (std::abs(o[k]) > box.half[k]) return;
        continue;
      }
      double a = (-box.half[k] - o[k]) / r[k], b = (box.half[k] - o[k]) / r[k];
      if (a > b) std::swap(a, b);
      if (a > near) near = a, axis = k;
      far = std::min(far, b);
    }
    if (near > far || near <= 1e-6 || near >= hit.distance) return;
    constexpr double shade[3] = {0.8, 1.0, 0.9};
    hit = {near, 2 + 3 * index + axis, o + near * r, 10 + box.texture * 3 + axis, shade[axis], 0.15, 0.75, box.gloss, box.box_from_world.row(axis).transpose()};
  }

  const ShotPlan& plan_;
  std::vector<PlacedBox> boxes_;
};

Pose lookAt(const Vec3& centre, const Vec3& target, double roll_rad = 0) {
  const Vec3 forward = (target - centre).normalized();
  const Vec3 right = forward.cross(Vec3::UnitY()).normalized();
  Mat3 axes;
  axes << right, forward.cross(right), forward;
  return {Eigen::Quaterniond(axes) * Eigen::Quaterniond(Eigen::AngleAxisd(roll_rad, Vec3::UnitZ())), centre};
}

std::vector<Box> usualBoxes() {
  std::vector<Box> boxes;
  Random random(31);
  for (int i = 0; i < 13; ++i) {
    const Vec3 half(random.between(0.25, 0.8), random.between(0.2, 1.0), random.between(0.25, 0.8));
    boxes.push_back({Vec3(random.between(-4.5, 4.5), half.y(), random.between(-7.5, -1.0)), half, random.between(0, 3.1), i});
  }
  return boxes;
}
}  // namespace

double texture(const Vec3& place, int which) {
  return 0.45 * valueNoise(2.3 * place, which) + 0.33 * valueNoise(7.1 * place, which + 100) + 0.22 * valueNoise(19.0 * place, which + 200);
}

ShotPlan planShot(ShotKind kind) {
  ShotPlan plan;
  plan.boxes = usualBoxes();
  plan.lens.k1() = -0.06;
  plan.lens.cx_px += 2.5;
  plan.lens.cy_px -= 1.5;
  const auto shaken = [](double t) { return Vec3(0.03 * std::sin(19 * t), 0.025 * std::sin(31 * t + 1), 0.02 * std::sin(23 * t + 2)); };
  plan.path = [shaken](double t) {
    return lookAt(Vec3(-1.6 + 3.0 * t, 1.7 + 0.2 * std::sin(3 * t), 4.2 - 1.2 * t) + shaken(t), Vec3(0.8 * t - 0.3, 0.9, -4), 0.03 * std::sin(9 * t));
  };
  switch (kind) {
    case ShotKind::Free: break;
    case ShotKind::Dolly: plan.path = [shaken](double t) { return lookAt(Vec3(0.2, 1.6, 5.0 - 2.6 * t) + shaken(t), Vec3(0.3, 1.0, -6), 0); }; break;
    case ShotKind::Orbit:
      plan.path = [shaken](double t) {
        const double a = -0.45 + 0.9 * t;
        return lookAt(Vec3(0, 2.4, -4) + 8.0 * Vec3(std::sin(a), 0, std::cos(a)) + shaken(t), Vec3(0, 0.6, -4), 0);
      };
      break;
    case ShotKind::Nodal: plan.path = [](double t) { return lookAt(Vec3(0, 1.7, 4), Vec3(-2.2 + 4.4 * t, 1.0 + 0.3 * std::sin(4 * t), -4), 0.02 * t); }; break;
    case ShotKind::Planar:
      plan.boxes.clear();
      plan.wall = false;
      plan.bump_height = 0;
      plan.path = [shaken](double t) { return lookAt(Vec3(-1.2 + 2.4 * t, 2.6, 3.5 - t) + shaken(t), Vec3(0.4 * t, 0, 0.2), 0.05 * t); };
      break;
    case ShotKind::Still: plan.path = [](double) { return lookAt(Vec3(-0.5, 1.7, 4), Vec3(0, 1, -4), 0); }; break;
    case ShotKind::Moving: plan.boxes.push_back({Vec3(-1.5, 0.9, 0.3), Vec3(0.35, 0.9, 0.3), 0.3, 40, Vec3(0.06, 0, 0.005)}); break;
    case ShotKind::Zoom: plan.focal_px = [](double t) { return 520 + 180 * t; }; break;
  }
  return plan;
}

MadeShot::MadeShot(ShotPlan plan) : plan_(std::move(plan)) {
  info_ = {"made-up shot", "made", plan_.width, plan_.height, 24.0, plan_.first_frame, plan_.first_frame + plan_.frames - 1};
  for (int i = 0; i < plan_.frames; ++i) {
    const double t = plan_.frames > 1 ? static_cast<double>(i) / (plan_.frames - 1) : 0.0;
    truth_.poses.push_back(plan_.path(t));
    Lens lens = plan_.lens;
    lens.width = plan_.width, lens.height = plan_.height;
    if (plan_.focal_px) lens.focal_px = plan_.focal_px(t);
    truth_.lenses.push_back(lens);
  }
  pictures_.resize(plan_.frames);
  for (int i = 0; i < plan_.frames; ++i) render(i);
  choosePoints();
}

namespace {
/// The camera and the set as they are at one moment, in frames.
struct Moment {
  Pose pose;
  Set set;
  Moment(const ShotPlan& plan, double at) : pose(plan.path(plan.frames > 1 ? at / (plan.frames - 1) : 0.0)), set(plan, at) {}
  Hit cast(const Vec3& camera_ray) const { return set.cast(pose.centre, pose.direction(camera_ray)); }
  double grey(const Vec3& camera_ray) const { return cast(camera_ray).grey(pose.direction(camera_ray)); }
};

/// The moments in which a row is lit; the middle one last.
std::vector<Moment> momentsOf(const ShotPlan& plan, int index, int row) {
  const double middle = index + plan.readout * ((row + 0.5) / plan.height - 0.5);
  std::vector<Moment> moments;
  for (int s = 0; plan.shutter > 0 && s < plan.blur_samples; ++s) moments.emplace_back(plan, middle + plan.shutter * ((s + 0.5) / plan.blur_samples - 0.5));
  moments.emplace_back(plan, middle);
  return moments;
}
}  // namespace

void MadeShot::castRays(const Lens& lens) {
  if (!rays_.empty() && lens == rays_lens_) return;
  const int w = plan_.width, h = plan_.height;
  rays_.assign(static_cast<std::size_t>(w) * h, Vec3::UnitZ());
  rays_lens_ = lens;
  parallelFor(
      h,
      [&](int y) {
        for (int x = 0; x < w; ++x) rays_[static_cast<std::size_t>(y) * w + x] = lens.undistort(Vec2(x + 0.5, y + 0.5)).value_or(Vec2::Zero()).homogeneous();
      },
      8);
}

/// One ray a pixel for each moment it is lit in, and samples x samples where a pixel's neighbours show another thing.
void MadeShot::render(int index) {
  const Lens& lens = truth_.lenses[index];
  const int w = plan_.width, h = plan_.height, n = plan_.samples;
  castRays(lens);
  FloatPlane picture(w, h);
  Plane<int> things(w, h);
  parallelFor(
      h,
      [&](int y) {
        std::vector<Moment> moments = momentsOf(plan_, index, y);
        for (int x = 0; x < w; ++x) {
          const Vec3& ray = rays_[static_cast<std::size_t>(y) * w + x];
          const Hit hit = moments.back().cast(ray);
          things.at(x, y) = hit.thing;
          double grey = 0;
          for (std::size_t m = 0; m + 1 < moments.size(); ++m) grey += moments[m].grey(ray) / static_cast<double>(moments.size() - 1);
          picture.at(x, y) = static_cast<float>(moments.size() > 1 ? grey : hit.grey(moments.back().pose.direction(ray)));
        }
      },
      4);
  parallelFor(
      h,
      [&](int y) {
        Random random(static_cast<std::uint64_t>(plan_.seed) * 7919 + static_cast<std::uint64_t>(index) * 10007 + static_cast<std::uint64_t>(y));
        const std::vector<Moment> moments = momentsOf(plan_, index, y);
        const std::size_t lit = std::max<std::size_t>(1, moments.size() - 1);
        for (int x = 0; x < w; ++x) {
          const int here = things.at(x, y);
          const bool edge = things.at(std::max(x - 1, 0), y) != here || things.at(std::min(x + 1, w - 1), y) != here ||
                            things.at(x, std::max(y - 1, 0)) != here || things.at(x, std::min(y + 1, h - 1)) != here;
          double grey = picture.at(x, y);
          if (edge && n > 1) {
            grey = 0;
            for (int s = 0; s < n * n; ++s) {
              const Vec2 pixel(x + (s % n + 0.5) / n, y + (s / n + 0.5) / n);
              const Vec3 ray = lens.undistort(pixel).value_or(Vec2::Zero()).homogeneous();
              grey += moments[static_cast<std::size_t>(s) % lit].grey(ray) / (n * n);
            }
          }
          picture.at(x, y) = static_cast<float>(std::clamp(255.0 * grey + plan_.noise * random.normal(), 0.0, 255.0));
        }
      },
      4);
  pictures_[index] = std::move(picture);
}

std::optional<Vec3> MadeShot::meet(const Vec3& origin, const Vec3& direction, int frame_index) const {
  const Hit hit = Set(plan_, frame_index).cast(origin, direction);
  if (hit.distance > 1e29) return std::nullopt;
  return origin + hit.distance * direction;
}

void MadeShot::choosePoints() {
  ShotPlan still = plan_;
  std::erase_if(still.boxes, [](const Box& box) { return box.velocity.norm() > 0; });
  const Set set(still, 0);
  for (int index : {0, plan_.frames / 2, plan_.frames - 1}) {
    for (int k = 0; k < 60; ++k) {
      const Vec2 pixel((k % 10 + 0.5) * plan_.width / 10, (k / 10 + 0.5) * plan_.height / 6);
      const Pose& pose = truth_.poses[index];
      const auto normal = truth_.lenses[index].undistort(pixel);
      if (!normal) continue;
      const Vec3 ray = pose.direction(normal->homogeneous());
      const Hit hit = set.cast(pose.centre, ray);
      if (hit.distance > 100) continue;
      const Vec3 point = pose.centre + hit.distance * ray;
      std::vector<int> visible;
      for (int f = 0; f < plan_.frames; ++f) {
        const Vec3 p = truth_.poses[f].toCamera(point);
        if (p.z() < 0.1 || !truth_.lenses[f].risingUpTo(p.hnormalized())) continue;
        const Vec2 seen = truth_.lenses[f].distort(p.hnormalized());
        if (seen.x() < 0 || seen.y() < 0 || seen.x() > plan_.width || seen.y() > plan_.height) continue;
        const Vec3 to = point - truth_.poses[f].centre;
        if (set.cast(truth_.poses[f].centre, to).distance > 1 - 1e-3) visible.push_back(plan_.first_frame + f);
      }
      if (static_cast<int>(visible.size()) < plan_.frames / 4) continue;
      truth_.points.push_back(point);
      truth_.visible.push_back(std::move(visible));
    }
  }
}

Result<Frame> MadeShot::read(int number, FrameUse use) {
  if (number < info_.first || number > info_.last) return invalidInput(fmt::format("Frame {} is not in the made-up shot.", number));
  Frame frame;
  frame.number = number;
  frame.luma = pictures_[number - info_.first];
  if (use == FrameUse::Plate) {
    frame.values = FloatPicture(plan_.width, plan_.height);
    for (std::size_t i = 0; i < frame.luma.data.size(); ++i) frame.values.data[i].fill(frame.luma.data[i] / 255);
  }
  frame.picture = Picture(plan_.width, plan_.height);
  for (std::size_t i = 0; i < frame.luma.data.size(); ++i) {
    const auto v = static_cast<std::uint8_t>(frame.luma.data[i] + 0.5f);
    frame.picture.data[i] = {v, v, v};
  }
  return frame;
}

std::string MadeShot::truthJson() const {
  nlohmann::json frames = nlohmann::json::array(), points = nlohmann::json::array();
  for (int i = 0; i < plan_.frames; ++i) {
    const Mat3 r = truth_.poses[i].world_from_camera.toRotationMatrix();
    const Vec3 c = truth_.poses[i].centre;
    nlohmann::json matrix = nlohmann::json::array();
    for (int k = 0; k < 3; ++k) matrix.push_back({r(k, 0), r(k, 1), r(k, 2), c[k]});
    matrix.push_back({0, 0, 0, 1});
    frames.push_back({{"frame", plan_.first_frame + i}, {"image", nullptr}, {"camera", "A"}, {"world_from_camera", matrix}});
    if (plan_.focal_px) frames.back()["focal_px"] = truth_.lenses[static_cast<std::size_t>(i)].focal_px;
  }
  for (std::size_t i = 0; i < truth_.points.size(); ++i) {
    const Vec3& p = truth_.points[i];
    points.push_back({{"id", i}, {"xyz", {p.x(), p.y(), p.z()}}, {"visible", truth_.visible[i]}});
  }
  const Lens& lens = truth_.lenses.front();
  nlohmann::json parameters;
  const auto names = lensParameterNames(lens.model);
  for (std::size_t k = 0; k < names.size(); ++k) parameters[std::string(names[k])] = lens.parameters()[k];
  return nlohmann::json{
      {"format", "dusky-moth-truth"},
      {"version", 1},
      {"footage", {{"path", "made"}, {"width", plan_.width}, {"height", plan_.height}, {"fps", 24}, {"first", info_.first}, {"last", info_.last}}},
      {"frames", frames},
      {"cameras", {{"A", {{"width", plan_.width}, {"height", plan_.height}, {"lens", {{"model", describe(lens.model)}, {"parameters", parameters}}}}}}},
      {"points", points}}
      .dump();
}

bool MadeShot::write(const std::string& folder, const std::string& name) const {
  for (int i = 0; i < plan_.frames; ++i) {
    const std::string file = fmt::format("{}/{}.{:04d}.png", folder, name, plan_.first_frame + i);
    const auto out = OIIO::ImageOutput::create(file);
    if (!out || !out->open(file, OIIO::ImageSpec(plan_.width, plan_.height, 1, OIIO::TypeDesc::UINT8))) return false;
    std::vector<std::uint8_t> bytes;
    for (float v : pictures_[i].data) bytes.push_back(static_cast<std::uint8_t>(v + 0.5f));
    if (!out->write_image(OIIO::TypeDesc::UINT8, bytes.data()) || !out->close()) return false;
  }
  std::ofstream(folder + "/truth.json") << truthJson();
  return true;
}
const std::string& quaySequence(int frames) {
  static const TemporaryFolder folders;
  static std::map<int, std::string> written;
  std::string& path = written[frames];
  if (!path.empty()) return path;
  path = (folders / ("quay" + std::to_string(frames))).string();
  std::filesystem::create_directory(path);
  ShotPlan plan = planShot(ShotKind::Free);
  plan.frames = frames;
  if (!MadeShot(plan).write(path, "quay")) throw std::runtime_error("the sequence cannot be written to " + path);
  return path;
}

}  // namespace dusky::testing
