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
  const auto values = input.solution.lens.parameters();
  for (std::size_t k = 0; k < values.size(); ++k) lens[std::string(kLensParameterNames[k])] = tinygltf::Value(values[k]);
  lens["width"] = tinygltf::Value(input.footage.width);
  lens["height"] = tinygltf::Value(input.footage.height);
  lens["model"] = tinygltf::Value(std::string("brown"));
  return tinygltf::Value(lens);
}

void addCamera(tinygltf::Model& model, const DeliveryInput& input) {
  tinygltf::Camera camera;
  camera.name = "camera";
  camera.type = "perspective";
  camera.perspective.yfov = 2 * std::atan(0.5 * input.footage.height / input.solution.lens.focal_px);
  camera.perspective.aspectRatio = static_cast<double>(input.footage.width) / input.footage.height;
  camera.perspective.znear = 0.01;
  camera.perspective.zfar = 10000;
  camera.extras = lensExtras(input);
  model.cameras.push_back(camera);
}

/// glTF cameras look along -Z with Y up; ours along +Z with Y down: a half turn about x.
Eigen::Quaterniond gltfRotation(const Pose& pose) { return (pose.world_from_camera * Eigen::Quaterniond(0, 1, 0, 0)).normalized(); }

void addMotion(tinygltf::Model& model, Packer& packer, const DeliveryInput& input) {
  std::vector<float> times, centres, turns;
  Eigen::Quaterniond last = Eigen::Quaterniond::Identity();
  tinygltf::Node node;
  node.name = "camera";
  node.camera = 0;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (!frame.placed) continue;
    const Pose pose = input.scene.scene_from_solve * frame.pose;
    Eigen::Quaterniond q = gltfRotation(pose);
    if (q.dot(last) < 0) q.coeffs() = -q.coeffs();  // the short way from key to key
    last = q;
    times.push_back(static_cast<float>((frame.frame - input.footage.first) / input.footage.fps));
    for (double c : pose.centre) centres.push_back(static_cast<float>(c));
    for (double c : {q.x(), q.y(), q.z(), q.w()}) turns.push_back(static_cast<float>(c));
    if (times.size() == 1) {
      node.translation = {pose.centre.x(), pose.centre.y(), pose.centre.z()};
      node.rotation = {q.x(), q.y(), q.z(), q.w()};
    }
  }
  model.nodes.push_back(node);
  tinygltf::Animation animation;
  animation.name = "camera path";
  const int time = packer.add(times, TINYGLTF_TYPE_SCALAR, 1, true);
  const auto channel = [&](const char* path, int values) {
    tinygltf::AnimationSampler sampler;
    sampler.input = time;
    sampler.output = values;
    sampler.interpolation = "LINEAR";
    animation.samplers.push_back(sampler);
    tinygltf::AnimationChannel made;
    made.sampler = static_cast<int>(animation.samplers.size()) - 1;
    made.target_node = 0;
    made.target_path = path;
    animation.channels.push_back(made);
  };
  channel("translation", packer.add(centres, TINYGLTF_TYPE_VEC3, 3, false));
  channel("rotation", packer.add(turns, TINYGLTF_TYPE_VEC4, 4, false));
  model.animations.push_back(animation);
}

/// COLOR_0 is linear light in glTF; footage colours are display-referred (IEC 61966-2-1).
std::uint8_t linearByte(std::uint8_t display) {
  const double v = display / 255.0;
  return static_cast<std::uint8_t>(std::lround(255 * (v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4))));
}

void addPoints(tinygltf::Model& model, Packer& packer, const DeliveryInput& input) {
  std::vector<float> places;
  std::vector<std::uint8_t> colors;
  for (const SolvedTrack& track : input.solution.tracks) {
    if (track.state != TrackState::Kept) continue;
    const Vec3 p = input.scene.scene_from_solve * track.point;
    for (double c : p) places.push_back(static_cast<float>(c));
    colors.insert(colors.end(), {linearByte(track.color.r), linearByte(track.color.g), linearByte(track.color.b), 255});
  }
  if (places.empty()) return;
  tinygltf::Primitive primitive;
  primitive.mode = TINYGLTF_MODE_POINTS;
  primitive.attributes["POSITION"] = packer.add(places, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["COLOR_0"] = packer.addColors(colors);
  tinygltf::Mesh mesh;
  mesh.name = "points";
  mesh.primitives.push_back(primitive);
  model.meshes.push_back(mesh);
  tinygltf::Node node;
  node.name = "points";
  node.mesh = 0;
  model.nodes.push_back(node);
}

}  // namespace

std::string cameraGlb(const DeliveryInput& input) {
  tinygltf::Model model;
  model.asset.version = "2.0";
  model.asset.generator = "Dusky Moth";
  Packer packer(model);
  addCamera(model, input);
  addMotion(model, packer, input);
  addPoints(model, packer, input);
  tinygltf::Scene scene;
  scene.name = "shot";
  for (std::size_t n = 0; n < model.nodes.size(); ++n) scene.nodes.push_back(static_cast<int>(n));
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

}  // namespace dusky
