#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_EXTERNAL_IMAGE
#include <tiny_gltf.h>

#include <cmath>
#include <cstring>
#include <sstream>

#include "core/deliver/delivery.h"

namespace dusky {
namespace {

/// Fills a model's one buffer with arrays, each with its view and accessor.
class Packer {
 public:
  explicit Packer(tinygltf::Model& model) : model_(model) { model_.buffers.emplace_back(); }

  int add(const std::vector<float>& values, int type, int components, bool with_bounds, int target = 0) {
    const int accessor = addBytes(values.data(), values.size() * sizeof(float), values.size() / components, TINYGLTF_COMPONENT_TYPE_FLOAT, type, target);
    if (with_bounds && !values.empty()) {
      auto& made = model_.accessors[accessor];
      for (int c = 0; c < components; ++c) {
        float low = values[c], high = values[c];
        for (std::size_t i = c; i < values.size(); i += components) low = std::min(low, values[i]), high = std::max(high, values[i]);
        made.minValues.push_back(low);
        made.maxValues.push_back(high);
      }
    }
    return accessor;
  }
  int addColors(const std::vector<std::uint8_t>& rgba) {
    const int accessor =
        addBytes(rgba.data(), rgba.size(), rgba.size() / 4, TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE, TINYGLTF_TYPE_VEC4, TINYGLTF_TARGET_ARRAY_BUFFER);
    model_.accessors[accessor].normalized = true;
    return accessor;
  }

 private:
  int addBytes(const void* data, std::size_t bytes, std::size_t count, int component, int type, int target) {
    auto& buffer = model_.buffers[0].data;
    buffer.resize((buffer.size() + 3) / 4 * 4);
    tinygltf::BufferView view;
    view.buffer = 0;
    view.byteOffset = buffer.size();
    view.byteLength = bytes;
    view.target = target;
    model_.bufferViews.push_back(view);
    buffer.resize(buffer.size() + bytes);
    std::memcpy(buffer.data() + view.byteOffset, data, bytes);
    tinygltf::Accessor accessor;
    accessor.bufferView = static_cast<int>(model_.bufferViews.size()) - 1;
    accessor.componentType = component;
    accessor.count = count;
    accessor.type = type;
    model_.accessors.push_back(accessor);
    return static_cast<int>(model_.accessors.size()) - 1;
  }

  tinygltf::Model& model_;
};

tinygltf::Value lensExtras(const DeliveryInput& input) {
  tinygltf::Value::Object lens;
  const Lens& solved = input.solution.lens();
  const auto names = lensParameterNames(solved.model);
  for (std::size_t k = 0; k < names.size(); ++k) lens[std::string(names[k])] = tinygltf::Value(solved.parameters()[k]);
  lens["pixel_aspect"] = tinygltf::Value(solved.pixel_aspect);
  if (input.solution.zooms()) {
    // glTF has no key for the focal length: one value a placed frame, in order.
    tinygltf::Value::Array focal;
    for (const SolvedFrame& frame : input.solution.frames) {
      if (frame.placed) focal.emplace_back(frame.focal_px);
    }
    lens["focal_px_by_frame"] = tinygltf::Value(focal);
  }
  lens["width"] = tinygltf::Value(input.footage.width);
  lens["height"] = tinygltf::Value(input.footage.height);
  lens["model"] = tinygltf::Value(std::string(describe(solved.model)));
  return tinygltf::Value(lens);
}

void addCamera(tinygltf::Model& model, const DeliveryInput& input) {
  tinygltf::Camera camera;
  camera.name = "camera";
  camera.type = "perspective";
  camera.perspective.yfov = 2 * std::atan(0.5 * input.footage.height / (input.solution.lens().focal_px * input.solution.lens().pixel_aspect));
  camera.perspective.aspectRatio = static_cast<double>(input.footage.width) / input.footage.height;
  camera.perspective.znear = 0.01;
  camera.perspective.zfar = 10000;
  camera.extras = lensExtras(input);
  model.cameras.push_back(camera);
}

/// glTF cameras look along -Z with Y up; ours along +Z with Y down: a half turn about x.
Eigen::Quaterniond gltfRotation(const Pose& pose) { return (pose.world_from_camera * Eigen::Quaterniond(0, 1, 0, 0)).normalized(); }

struct Key {
  float time_s = 0;
  Vec3 place = Vec3::Zero();
  Eigen::Quaterniond turn = Eigen::Quaterniond::Identity();
};

/// The placed frames' cameras in the scene's world, with their times.
std::vector<std::pair<float, Pose>> placedPoses(const DeliveryInput& input) {
  std::vector<std::pair<float, Pose>> poses;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (frame.placed)
      poses.emplace_back(static_cast<float>((frame.frame - input.footage.first) / input.footage.fps), input.scene.scene_from_solve * frame.pose);
  }
  return poses;
}

/// Moves a node along keys; it also stands where the first one is.
void animate(tinygltf::Model& model, Packer& packer, int node, const char* name, const std::vector<Key>& keys) {
  std::vector<float> times, places, turns;
  Eigen::Quaterniond last = Eigen::Quaterniond::Identity();
  for (const Key& key : keys) {
    Eigen::Quaterniond q = key.turn;
    if (q.dot(last) < 0) q.coeffs() = -q.coeffs();  // the short way from key to key
    last = q;
    times.push_back(key.time_s);
    for (double c : key.place) places.push_back(static_cast<float>(c));
    for (double c : {q.x(), q.y(), q.z(), q.w()}) turns.push_back(static_cast<float>(c));
  }
  if (keys.empty()) return;
  const Key& first = keys.front();
  model.nodes[node].translation = {first.place.x(), first.place.y(), first.place.z()};
  model.nodes[node].rotation = {first.turn.x(), first.turn.y(), first.turn.z(), first.turn.w()};
  tinygltf::Animation animation;
  animation.name = name;
  const int time = packer.add(times, TINYGLTF_TYPE_SCALAR, 1, true);
  const auto channel = [&](const char* path, int values) {
    tinygltf::AnimationSampler sampler;
    sampler.input = time;
    sampler.output = values;
    sampler.interpolation = "LINEAR";
    animation.samplers.push_back(sampler);
    tinygltf::AnimationChannel made;
    made.sampler = static_cast<int>(animation.samplers.size()) - 1;
    made.target_node = node;
    made.target_path = path;
    animation.channels.push_back(made);
  };
  channel("translation", packer.add(places, TINYGLTF_TYPE_VEC3, 3, false));
  channel("rotation", packer.add(turns, TINYGLTF_TYPE_VEC4, 4, false));
  model.animations.push_back(animation);
}

int addNode(tinygltf::Model& model, const char* name) {
  tinygltf::Node node;
  node.name = name;
  model.nodes.push_back(node);
  return static_cast<int>(model.nodes.size()) - 1;
}

int addCameraNode(tinygltf::Model& model) {
  const int node = addNode(model, "camera");
  model.nodes[node].camera = 0;
  return node;
}

/// COLOR_0 is linear light in glTF; footage colours are display-referred (IEC 61966-2-1).
std::uint8_t linearByte(std::uint8_t display) {
  const double v = display / 255.0;
  return static_cast<std::uint8_t>(std::lround(255 * (v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4))));
}

/// The node of the points, or -1 where there are none.
int addPoints(tinygltf::Model& model, Packer& packer, const DeliveryInput& input) {
  std::vector<float> places;
  std::vector<std::uint8_t> colors;
  for (const SolvedTrack& track : input.solution.tracks) {
    if (track.state != TrackState::Kept || (track.at_infinity && input.solution.motion != MotionKind::Nodal)) continue;
    const Vec3 p = input.scene.scene_from_solve * track.point;
    for (double c : p) places.push_back(static_cast<float>(c));
    colors.insert(colors.end(), {linearByte(track.color.r), linearByte(track.color.g), linearByte(track.color.b), 255});
  }
  if (places.empty()) return -1;
  tinygltf::Primitive primitive;
  primitive.mode = TINYGLTF_MODE_POINTS;
  primitive.attributes["POSITION"] = packer.add(places, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["COLOR_0"] = packer.addColors(colors);
  tinygltf::Mesh mesh;
  mesh.name = "points";
  mesh.primitives.push_back(primitive);
  model.meshes.push_back(mesh);
  const int node = addNode(model, "points");
  model.nodes[node].mesh = 0;
  return node;
}

/// Puts these nodes into the scene and writes it all.
std::string finished(tinygltf::Model& model, const DeliveryInput& input, const std::vector<int>& nodes) {
  tinygltf::Scene scene;
  scene.name = "shot";
  scene.nodes = nodes;
  tinygltf::Value::Object extras;
  extras["fps"] = tinygltf::Value(input.footage.fps);
  extras["first_frame"] = tinygltf::Value(input.footage.first);
  extras["units"] = tinygltf::Value(std::string(input.scene.metric ? "metres" : "unknown"));
  scene.extras = tinygltf::Value(extras);
  model.scenes.push_back(scene);
  model.defaultScene = 0;
  std::ostringstream out;
  tinygltf::TinyGLTF().WriteGltfSceneToStream(&model, out, false, true);
  return out.str();
}

tinygltf::Model newModel() {
  tinygltf::Model model;
  model.asset.version = "2.0";
  model.asset.generator = "Dusky Moth";
  return model;
}
}  // namespace

std::string cameraGlb(const DeliveryInput& input) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  addCamera(model, input);
  std::vector<int> nodes = {addCameraNode(model)};
  std::vector<Key> keys;
  for (const auto& [time_s, pose] : placedPoses(input)) keys.push_back({time_s, pose.centre, gltfRotation(pose)});
  animate(model, packer, nodes[0], "camera path", keys);
  if (const int points = addPoints(model, packer, input); points >= 0) nodes.push_back(points);
  return finished(model, input, nodes);
}

std::string objectGlb(const DeliveryInput& input) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  addCamera(model, input);
  const auto poses = placedPoses(input);
  const int camera = addCameraNode(model), object = addNode(model, "object");
  if (!poses.empty()) {
    const Pose& still = poses.front().second;
    const Eigen::Quaterniond q = gltfRotation(still);
    model.nodes[camera].translation = {still.centre.x(), still.centre.y(), still.centre.z()};
    model.nodes[camera].rotation = {q.x(), q.y(), q.z(), q.w()};
    std::vector<Key> keys;
    for (const auto& [time_s, pose] : poses) {
      // What the moving camera saw of the still object, the still one sees of the moving object.
      const Eigen::Quaterniond turn = (still.world_from_camera * pose.world_from_camera.conjugate()).normalized();
      keys.push_back({time_s, still.centre - turn * pose.centre, turn});
    }
    animate(model, packer, object, "object path", keys);
  }
  if (const int points = addPoints(model, packer, input); points >= 0) model.nodes[object].children = {points};
  return finished(model, input, {camera, object});
}
}  // namespace dusky
