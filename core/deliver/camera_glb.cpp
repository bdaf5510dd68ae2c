#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/deliver/glb_packer.h"
#include "core/deliver/scene_parts.h"
#include "core/deliver/writers.h"

namespace dusky {
namespace {

/// What the camera fits, and the lens that the footage was taken with: glTF has no place for either.
tinygltf::Value cameraExtras(const DeliveryInput& input, const DeliveryView& view) {
  using Value = tinygltf::Value;
  const Lens& solved = input.solution.lens();
  Value::Object lens;
  const auto names = lensParameterNames(solved.model);
  for (std::size_t k = 0; k < names.size(); ++k) lens[std::string(names[k])] = Value(solved.parameters()[k]);
  lens["pixel_aspect"] = Value(solved.pixel_aspect);
  lens["width"] = Value(input.footage.width);
  lens["height"] = Value(input.footage.height);
  lens["model"] = Value(std::string(describe(solved.model)));
  const Plate& plate = view.plate;
  Value::Object fits;
  fits["picture"] = Value(std::string("undistorted, its axis in the middle; not the footage itself"));
  fits["width"] = Value(plate.width);
  fits["height"] = Value(plate.height);
  fits["pixel_aspect"] = Value(plate.pixel_aspect);
  fits["overscan_left"] = Value(plate.left);
  fits["overscan_top"] = Value(plate.top);
  Value::Array frames, focal;
  for (const DeliveryView::Camera& camera : view.cameras) {
    if (camera.key) frames.emplace_back(camera.frame), focal.emplace_back(camera.focal_px);
  }
  if (!view.cameras.empty()) fits["focal_px"] = Value(view.cameras.front().focal_px);
  if (view.zooms()) fits["focal_px_by_frame"] = Value(focal);
  lens["fits"] = Value(fits);
  lens["frames"] = Value(frames);
  return Value(lens);
}

double fieldOfView(const Plate& plate, double focal_px) { return 2 * std::atan(0.5 * plate.height / (focal_px * plate.pixel_aspect)); }

void addCamera(tinygltf::Model& model, const DeliveryInput& input, const DeliveryView& view) {
  const Plate& plate = view.plate;
  tinygltf::Camera camera;
  camera.name = "camera";
  camera.type = "perspective";
  camera.perspective.yfov = fieldOfView(plate, view.cameras.empty() ? plate.focalOf(input.solution.lens()) : view.cameras.front().focal_px);
  camera.perspective.aspectRatio = plate.width * plate.pixel_aspect / plate.height;
  camera.perspective.znear = 0.01;
  camera.perspective.zfar = 10000;
  camera.extras = cameraExtras(input, view);
  model.cameras.push_back(camera);
}

struct Key {
  double time_s = 0;
  Vec3 place = Vec3::Zero();
  Eigen::Quaterniond turn = Eigen::Quaterniond::Identity();
};

/// Moves a node along keys; it also stands where the first one is.
void animate(tinygltf::Model& model, Packer& packer, int node, const char* name, const std::vector<Key>& keys) {
  std::vector<float> times, places, turns;
  Eigen::Quaterniond last = Eigen::Quaterniond::Identity();
  for (const Key& key : keys) {
    Eigen::Quaterniond q = key.turn;
    if (q.dot(last) < 0) q.coeffs() = -q.coeffs();  // the short way from key to key
    last = q;
    times.push_back(static_cast<float>(key.time_s));
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

constexpr const char* kPointer = "KHR_animation_pointer";

/// Of a zoom: its field of view goes along with the path.
void animateZoom(tinygltf::Model& model, Packer& packer, const DeliveryView& view) {
  std::vector<float> angles;
  for (const DeliveryView::Camera& camera : view.cameras) {
    if (camera.key) angles.push_back(static_cast<float>(fieldOfView(view.plate, camera.focal_px)));
  }
  tinygltf::Animation& path = model.animations.front();
  tinygltf::AnimationSampler sampler;
  sampler.input = path.samplers.front().input;
  sampler.output = packer.add(angles, TINYGLTF_TYPE_SCALAR, 1, false);
  sampler.interpolation = "LINEAR";
  path.samplers.push_back(sampler);
  tinygltf::AnimationChannel channel;
  channel.sampler = static_cast<int>(path.samplers.size()) - 1;
  channel.target_path = "pointer";
  tinygltf::Value::Object pointer;
  pointer["pointer"] = tinygltf::Value(std::string("/cameras/0/perspective/yfov"));
  channel.target_extensions[kPointer] = tinygltf::Value(pointer);
  path.channels.push_back(channel);
  model.extensionsUsed.emplace_back(kPointer);
}

/// A binary glTF file anew, without the node that the library writes beside a pointer, where the extension forbids one.
std::string withoutPointerNodes(const std::string& glb) {
  constexpr std::size_t kHeader = 12, kChunk = 8;
  std::uint32_t length = 0;
  std::memcpy(&length, glb.data() + kHeader, sizeof(length));
  auto json = nlohmann::ordered_json::parse(glb.substr(kHeader + kChunk, length));
  for (auto& animation : json["animations"]) {
    for (auto& channel : animation["channels"]) {
      if (channel["target"]["path"] == "pointer") channel["target"].erase("node");
    }
  }
  std::string text = json.dump();
  text.resize((text.size() + 3) / 4 * 4, ' ');
  const auto word = [](std::size_t value) {
    const auto bits = static_cast<std::uint32_t>(value);
    std::string bytes(sizeof(bits), '\0');
    std::memcpy(bytes.data(), &bits, sizeof(bits));
    return bytes;
  };
  const std::string rest = glb.substr(kHeader + kChunk + length);
  return glb.substr(0, 8) + word(kHeader + kChunk + text.size() + rest.size()) + word(text.size()) + glb.substr(kHeader + 4, 4) + text + rest;
}

int addNode(tinygltf::Model& model, const std::string& name) {
  tinygltf::Node node;
  node.name = name;
  model.nodes.push_back(node);
  return static_cast<int>(model.nodes.size()) - 1;
}

int addCameraNode(tinygltf::Model& model, const std::string& name) {
  const int node = addNode(model, name);
  model.nodes[node].camera = 0;
  return node;
}

/// The node of the points, or -1 where there are none.
int addPoints(tinygltf::Model& model, Packer& packer, const DeliveryView& view, const std::string& name) {
  std::vector<float> places;
  std::vector<std::uint16_t> colors;
  std::vector<float> tracks;
  for (const DeliveryView::Point& point : view.points) {
    tracks.push_back(static_cast<float>(point.track));
    for (double c : point.at) places.push_back(static_cast<float>(c));
    colors.insert(colors.end(), {linearWord(point.color.r), linearWord(point.color.g), linearWord(point.color.b), 65535});
  }
  if (places.empty()) return -1;
  tinygltf::Primitive primitive;
  primitive.mode = TINYGLTF_MODE_POINTS;
  primitive.attributes["POSITION"] = packer.add(places, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["COLOR_0"] = packer.addColors(colors);
  primitive.attributes["_TRACK"] = packer.add(tracks, TINYGLTF_TYPE_SCALAR, 1, false, TINYGLTF_TARGET_ARRAY_BUFFER);
  tinygltf::Mesh mesh;
  mesh.name = name;
  mesh.primitives.push_back(primitive);
  model.meshes.push_back(mesh);
  const int node = addNode(model, name);
  model.nodes[node].mesh = static_cast<int>(model.meshes.size()) - 1;
  return node;
}

int addMaterial(tinygltf::Model& model, const ScenePart& part) {
  constexpr double kGuide = 0.25;  // how opaque
  tinygltf::Material material;
  material.name = part.name;
  material.doubleSided = true;
  material.pbrMetallicRoughness.baseColorFactor = {part.tint[0], part.tint[1], part.tint[2], part.see_through ? kGuide : 1};
  material.pbrMetallicRoughness.metallicFactor = 0;
  if (part.see_through) material.alphaMode = "BLEND";
  model.materials.push_back(material);
  return static_cast<int>(model.materials.size()) - 1;
}

/// What else is of the set, each as a node.
std::vector<int> addParts(tinygltf::Model& model, Packer& packer, const std::vector<ScenePart>& parts) {
  std::vector<int> nodes;
  for (const ScenePart& part : parts) {
    std::vector<float> places;
    for (const Vec3& place : part.places) {
      for (double c : place) places.push_back(static_cast<float>(c));
    }
    tinygltf::Primitive primitive;
    primitive.mode = part.triangles.empty() ? TINYGLTF_MODE_POINTS : TINYGLTF_MODE_TRIANGLES;
    primitive.attributes["POSITION"] = packer.add(places, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
    if (!part.triangles.empty()) primitive.indices = packer.addIndices(part.triangles);
    primitive.material = addMaterial(model, part);
    tinygltf::Mesh mesh;
    mesh.name = part.name;
    mesh.primitives.push_back(primitive);
    model.meshes.push_back(mesh);
    nodes.push_back(addNode(model, part.name));
    model.nodes[nodes.back()].mesh = static_cast<int>(model.meshes.size()) - 1;
  }
  return nodes;
}

/// Puts these nodes into the scene and writes it all.
std::string finished(tinygltf::Model& model, const DeliveryInput& input, const DeliveryView& view, const std::vector<int>& nodes) {
  tinygltf::Scene scene;
  scene.name = "shot";
  scene.nodes = nodes;
  tinygltf::Value::Object extras;
  extras["fps"] = tinygltf::Value(view.fps);
  extras["first_frame"] = tinygltf::Value(input.footage.first + view.frame_shift);
  extras["units"] = tinygltf::Value(view.unit == "m" ? std::string("metres") : view.unit);
  scene.extras = tinygltf::Value(extras);
  model.scenes.push_back(scene);
  model.defaultScene = 0;
  std::ostringstream out;
  tinygltf::TinyGLTF().WriteGltfSceneToStream(&model, out, false, true);
  return model.extensionsUsed.empty() ? out.str() : withoutPointerNodes(out.str());
}
}  // namespace

Result<std::string> cameraGlb(const DeliveryInput& input, const DeliveryView& view) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  addCamera(model, input, view);
  std::vector<int> nodes = {addCameraNode(model, view.camera_name)};
  std::vector<Key> keys;
  for (const DeliveryView::Camera& camera : view.cameras) {
    if (camera.key) keys.push_back({camera.time_s, camera.pose.centre, viewerTurn(camera.pose)});
  }
  animate(model, packer, nodes[0], "camera path", keys);
  if (view.zooms()) animateZoom(model, packer, view);
  if (const int points = addPoints(model, packer, view, view.points_name); points >= 0) nodes.push_back(points);
  const auto parts = scenePartsOf(input, view, {});
  if (!parts.ok()) return parts.error();
  for (const int node : addParts(model, packer, *parts)) nodes.push_back(node);
  return finished(model, input, view, nodes);
}

std::string objectGlb(const DeliveryInput& input, const DeliveryView& view) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  addCamera(model, input, view);
  const int camera = addCameraNode(model, view.camera_name), object = addNode(model, "object");
  if (!view.cameras.empty()) {
    const Pose& still = view.cameras.front().pose;
    const Eigen::Quaterniond q = viewerTurn(still);
    model.nodes[camera].translation = {still.centre.x(), still.centre.y(), still.centre.z()};
    model.nodes[camera].rotation = {q.x(), q.y(), q.z(), q.w()};
    std::vector<Key> keys;
    for (const DeliveryView::Camera& one : view.cameras) {
      // What the moving camera saw of the still object, the still one sees of the moving object.
      const Eigen::Quaterniond turn = (still.world_from_camera * one.pose.world_from_camera.conjugate()).normalized();
      if (one.key) keys.push_back({one.time_s, still.centre - turn * one.pose.centre, turn});
    }
    animate(model, packer, object, "object path", keys);
    if (view.zooms()) animateZoom(model, packer, view);
  }
  if (const int points = addPoints(model, packer, view, view.points_name); points >= 0) model.nodes[object].children = {points};
  return finished(model, input, view, {camera, object});
}
}  // namespace dusky
