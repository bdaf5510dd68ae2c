#include "core/deliver/read_back.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

Error damaged(const fs::path& path, std::string_view what) { return unreadable(fmt::format("{} {}.", path.filename().string(), what)); }

double displayOf(double light) { return 255 * readAsScreen(light); }

template <class T>
T valueAt(const std::string& bytes, std::size_t at) {
  if (at + sizeof(T) > bytes.size()) throw std::runtime_error("is cut off");
  T value;
  std::memcpy(&value, bytes.data() + at, sizeof(T));
  return value;
}

/// The parts of a binary glTF file.
class Glb {
 public:
  explicit Glb(std::string bytes) : bytes_(std::move(bytes)) {
    if (bytes_.substr(0, 4) != "glTF") throw std::runtime_error("is no binary glTF");
    if (valueAt<std::uint32_t>(bytes_, 8) != bytes_.size()) throw std::runtime_error("is cut off: it is not as long as it says");
    const auto length = valueAt<std::uint32_t>(bytes_, 12);
    if (20 + std::size_t{length} + 8 > bytes_.size()) throw std::runtime_error("is cut off");
    json_ = parsedJson<Json>(bytes_.substr(20, length));
    data_ = 20 + std::size_t{length} + 8;
  }
  const Json& json() const { return json_; }

  /// The bytes of one of its parts.
  std::string part(int index) const {
    const Json& view = json_.at("bufferViews").at(index);
    return bytes_.substr(data_ + view.value("byteOffset", std::size_t{0}), view.at("byteLength").get<std::size_t>());
  }

  /// The numbers of an accessor, as light or lengths: normalised ones 0 to 1.
  std::vector<double> numbers(int index) const {
    const Json& accessor = json_.at("accessors").at(index);
    const Json& view = json_.at("bufferViews").at(accessor.at("bufferView").get<int>());
    const std::size_t first = data_ + view.value("byteOffset", std::size_t{0}) + accessor.value("byteOffset", std::size_t{0});
    static const std::map<std::string, std::size_t> sizes = {{"SCALAR", 1}, {"VEC3", 3}, {"VEC4", 4}};
    const std::size_t count = accessor.at("count").get<std::size_t>() * sizes.at(accessor.at("type").get<std::string>());
    const int type = accessor.at("componentType").get<int>();
    std::vector<double> values(count);
    for (std::size_t i = 0; i < count; ++i) {
      if (type == 5126) values[i] = static_cast<double>(valueAt<float>(bytes_, first + 4 * i));
      if (type == 5123) values[i] = valueAt<std::uint16_t>(bytes_, first + 2 * i) / 65535.0;
      if (type == 5121) values[i] = valueAt<std::uint8_t>(bytes_, first + i) / 255.0;
    }
    return values;
  }

 private:
  std::string bytes_;
  Json json_;
  std::size_t data_ = 0;
};

Vec3 tripleAt(const std::vector<double>& values, std::size_t k) { return {values.at(3 * k), values.at(3 * k + 1), values.at(3 * k + 2)}; }

void readGlbPoints(const Glb& glb, ReadScene& scene) {
  for (const Json& mesh : glb.json().value("meshes", Json::array())) {
    const Json& primitive = mesh.at("primitives").at(0);
    const Json& attributes = primitive.at("attributes");
    if (primitive.value("mode", 4) != 0 || !attributes.contains("_TRACK")) continue;
    const auto places = glb.numbers(attributes.at("POSITION").get<int>()), colors = glb.numbers(attributes.at("COLOR_0").get<int>()),
               tracks = glb.numbers(attributes.at("_TRACK").get<int>());
    for (std::size_t k = 0; k < tracks.size(); ++k)
      scene.points.push_back({static_cast<int>(std::lround(tracks[k])),
                              tripleAt(places, k),
                              {displayOf(colors.at(4 * k)), displayOf(colors.at(4 * k + 1)), displayOf(colors.at(4 * k + 2))}});
  }
}

void readGlbKeys(const Glb& glb, double first, ReadScene& scene) {
  const Json& view = glb.json().at("cameras").at(0).at("perspective");
  const double aspect = view.at("aspectRatio").get<double>();
  const Json& animation = glb.json().at("animations").at(0);
  std::vector<double> times, places, turns, angles;
  for (const Json& channel : animation.at("channels")) {
    const Json& sampler = animation.at("samplers").at(channel.at("sampler").get<int>());
    const auto path = channel.at("target").at("path").get<std::string>();
    auto& values = path == "translation" ? places : path == "rotation" ? turns : angles;
    values = glb.numbers(sampler.at("output").get<int>());
    times = glb.numbers(sampler.at("input").get<int>());
  }
  for (std::size_t k = 0; k < times.size(); ++k) {
    const double up = std::tan(0.5 * (angles.empty() ? view.at("yfov").get<double>() : angles.at(k)));
    const Eigen::Quaterniond q(turns.at(4 * k + 3), turns.at(4 * k), turns.at(4 * k + 1), turns.at(4 * k + 2));
    scene.keys.push_back({first + times[k] * scene.fps, q.normalized().toRotationMatrix(), tripleAt(places, k), {up * aspect, up}});
  }
}

/// Walks through text.
class Cursor {
 public:
  explicit Cursor(std::string_view text) : text_(text) {}
  /// Behind a word; false, and where it was, where there is none before `end`.
  bool past(std::string_view word, std::size_t end = std::string::npos) {
    const std::size_t found = text_.find(word, at_);
    if (found == std::string::npos || found >= end) return false;
    at_ = found + word.size();
    return true;
  }
  void mustPass(std::string_view word) {
    if (!past(word)) throw std::runtime_error(fmt::format("has no \"{}\"", word));
  }
  /// The next number, over what may stand between numbers.
  double number() {
    while (at_ < text_.size() && std::strchr(" \n\t,()[]{}:", text_[at_]) != nullptr) ++at_;
    double value = 0;
    const auto [end, problem] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
    if (problem != std::errc()) throw std::runtime_error("has no number where one should be");
    at_ = static_cast<std::size_t>(end - text_.data());
    return value;
  }
  /// Whether a list or a block ends here.
  bool ends(char bracket) {
    while (at_ < text_.size() && std::strchr(" \n\t,)", text_[at_]) != nullptr) ++at_;
    return at_ >= text_.size() || text_[at_] == bracket;
  }
  std::vector<double> list() {
    mustPass("[");
    std::vector<double> values;
    while (!ends(']')) values.push_back(number());
    return values;
  }
  std::size_t at() const { return at_; }
  void goTo(std::size_t at) { at_ = at; }
  std::size_t find(std::string_view word) const { return text_.find(word, at_); }

 private:
  std::string_view text_;
  std::size_t at_ = 0;
};

double after(const std::string& text, std::string_view word) {
  Cursor cursor(text);
  cursor.mustPass(word);
  return cursor.number();
}

void readUsdaKeys(const std::string& text, const std::string& camera, ReadScene& scene) {
  Cursor start(text);
  start.mustPass("def Camera \"" + camera + "\"");
  const auto sizeOf = [&](std::string_view word) {
    Cursor cursor = start;
    cursor.mustPass(word);
    return cursor.number();
  };
  const double wide = sizeOf("float horizontalAperture ="), high = sizeOf("float verticalAperture =");
  scene.width = static_cast<int>(sizeOf("dusky:plateWidth =")), scene.height = static_cast<int>(sizeOf("dusky:plateHeight ="));
  std::map<double, double> focal;
  Cursor cursor = start;
  if (cursor.past("float focalLength.timeSamples = {")) {
    while (!cursor.ends('}')) {
      const double frame = cursor.number();
      focal[frame] = cursor.number();
    }
  }
  const double still = focal.empty() ? sizeOf("float focalLength =") : 0;
  cursor = start;
  cursor.mustPass("matrix4d xformOp:transform.timeSamples = {");
  while (!cursor.ends('}')) {
    ReadScene::Key key;
    key.frame = cursor.number();
    Eigen::Matrix4d m;
    for (int i = 0; i < 16; ++i) m(i % 4, i / 4) = cursor.number();  // rows are columns there
    key.turn = m.topLeftCorner<3, 3>(), key.place = m.topRightCorner<3, 1>();
    const double f = focal.empty() ? still : focal.at(key.frame);
    key.half_view = {0.5 * wide / f, 0.5 * high / f};
    scene.keys.push_back(key);
  }
}

void readUsdaPoints(const std::string& text, const std::string& points, ReadScene& scene) {
  Cursor cursor(text);
  if (!cursor.past("def Points \"" + points + "\"")) return;
  const std::size_t block = cursor.at();
  cursor.mustPass("point3f[] points =");
  const auto places = cursor.list();
  cursor.goTo(block), cursor.mustPass("int64[] ids =");
  const auto ids = cursor.list();
  cursor.goTo(block), cursor.mustPass("primvars:displayColor =");
  const auto colors = cursor.list();
  for (std::size_t k = 0; k < ids.size(); ++k)
    scene.points.push_back(
        {static_cast<int>(ids[k]), tripleAt(places, k), {displayOf(colors.at(3 * k)), displayOf(colors.at(3 * k + 1)), displayOf(colors.at(3 * k + 2))}});
}

/// What reading threw, in a sentence.
template <class Read>
auto reading(const fs::path& path, const Read& read) -> Result<decltype(read(std::string()))> {
  auto bytes = readFile(path);
  if (!bytes.ok()) return bytes.error();
  try {
    return read(std::move(*bytes));
  } catch (const nlohmann::json::exception& problem) {
    return damaged(path, whyUnreadable(problem));
  } catch (const std::exception& problem) {
    return damaged(path, problem.what());
  }
}

std::vector<std::string> linesOf(const std::string& text) {
  std::vector<std::string> lines;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    lines.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return lines;
}

}  // namespace

double readAsScreen(double light) {
  light = std::clamp(light, 0.0, 1.0);
  return light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055;
}

std::optional<ReadScene::Key> ReadScene::at(double frame) const {
  constexpr double kSame = 1e-3;
  const auto after = std::lower_bound(keys.begin(), keys.end(), frame - kSame, [](const Key& key, double f) { return key.frame < f; });
  if (after == keys.end()) return std::nullopt;
  if (after->frame <= frame + kSame) return *after;
  if (after == keys.begin()) return std::nullopt;
  const Key& a = *std::prev(after);
  const double t = (frame - a.frame) / (after->frame - a.frame);
  Key key{frame, {}, a.place + t * (after->place - a.place), a.half_view + t * (after->half_view - a.half_view)};
  key.turn = Eigen::Quaterniond(a.turn).slerp(t, Eigen::Quaterniond(after->turn)).toRotationMatrix();
  return key;
}

Result<ReadScene> readBackGlb(const fs::path& path) {
  return reading(path, [](std::string bytes) {
    const Glb glb(std::move(bytes));
    ReadScene scene;
    const Json& extras = glb.json().at("scenes").at(0).at("extras");
    scene.fps = extras.at("fps").get<double>();
    const Json& fits = glb.json().at("cameras").at(0).at("extras").at("fits");
    scene.width = fits.at("width").get<int>(), scene.height = fits.at("height").get<int>();
    readGlbKeys(glb, extras.at("first_frame").get<double>(), scene);
    readGlbPoints(glb, scene);
    return scene;
  });
}

Result<std::string> pictureInGlb(const fs::path& path) {
  return reading(path, [](std::string bytes) {
    const Glb glb(std::move(bytes));
    return glb.part(glb.json().at("images").at(0).at("bufferView").get<int>());
  });
}

Result<ReadScene> readBackUsda(const fs::path& path, const std::string& camera, const std::string& points) {
  return reading(path, [&](const std::string& text) {
    if (!text.starts_with("#usda 1.0")) throw std::runtime_error("is no USD text");
    if (std::count(text.begin(), text.end(), '{') != std::count(text.begin(), text.end(), '}'))
      throw std::runtime_error("is cut off: its brackets do not close");
    ReadScene scene;
    scene.fps = after(text, "timeCodesPerSecond =");
    Cursor up(text);
    up.mustPass("upAxis = \"");
    scene.up = text.at(up.at());
    readUsdaKeys(text, camera, scene);
    readUsdaPoints(text, points, scene);
    return scene;
  });
}

Result<ReadScene> readBackPly(const fs::path& path) {
  return reading(path, [](const std::string& bytes) {
    const std::size_t end = bytes.find("end_header\n");
    if (end == std::string::npos || !bytes.starts_with("ply\nformat binary_little_endian 1.0\n")) throw std::runtime_error("is no binary PLY");
    ReadScene scene;
    std::size_t count = 0, size = 0;
    std::map<std::string, std::size_t> place;
    static const std::map<std::string, std::size_t> sizes = {{"float", 4}, {"uchar", 1}, {"int", 4}};
    for (const std::string& line : linesOf(bytes.substr(0, end))) {
      if (line.starts_with("element vertex ")) count = std::stoul(line.substr(15));
      if (line.starts_with("comment") && line.find("Z up") != std::string::npos) scene.up = 'Z';
      if (!line.starts_with("property ")) continue;
      const std::string type = line.substr(9, line.find(' ', 9) - 9), name = line.substr(line.rfind(' ') + 1);
      place[name] = size, size += sizes.at(type);
    }
    const std::size_t first = end + 11;
    if (bytes.size() != first + count * size) throw std::runtime_error("is cut off, or too long for the points it says it has");
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t row = first + k * size;
      const auto number = [&](const char* name) { return static_cast<double>(valueAt<float>(bytes, row + place.at(name))); };
      const auto byte = [&](const char* name) { return static_cast<double>(valueAt<std::uint8_t>(bytes, row + place.at(name))); };
      const int track = place.contains("track") ? valueAt<std::int32_t>(bytes, row + place.at("track")) : -1;
      scene.points.push_back({track, {number("x"), number("y"), number("z")}, {byte("red"), byte("green"), byte("blue")}});
    }
    return scene;
  });
}

Result<ReadScene> readBackCsv(const fs::path& path) {
  return reading(path, [](const std::string& text) {
    ReadScene scene;
    bool named = false;
    double first_time = 0;
    for (const std::string& line : linesOf(text)) {
      if (line.starts_with("#")) {
        if (line.find("Z up") != std::string::npos) scene.up = 'Z';
        continue;
      }
      if (!named) {
        if (!line.starts_with("frame,time_s,x,y,z,qw,qx,qy,qz")) throw std::runtime_error("does not begin with the names of its columns");
        named = true;
        continue;
      }
      Cursor cursor(line);
      ReadScene::Key key;
      key.frame = cursor.number();
      const double time = cursor.number();
      for (int k = 0; k < 3; ++k) key.place[k] = cursor.number();
      const double w = cursor.number(), x = cursor.number(), y = cursor.number(), z = cursor.number();
      key.turn = Eigen::Quaterniond(w, x, y, z).toRotationMatrix() * Eigen::DiagonalMatrix<double, 3>(1, -1, -1);
      if (!scene.keys.empty()) scene.fps = (key.frame - scene.keys.front().frame) / (time - first_time);
      if (scene.keys.empty()) first_time = time;
      scene.keys.push_back(key);
    }
    if (text.empty() || text.back() != '\n') throw std::runtime_error("is cut off");
    return scene;
  });
}

Result<ReadTransforms> readBackTransforms(const fs::path& path) {
  return reading(path, [](const std::string& text) {
    const Json json = parsedJson<Json>(text);
    const double wide = std::tan(0.5 * json.at("camera_angle_x").get<double>());
    ReadTransforms read;
    for (const Json& frame : json.at("frames")) {
      ReadScene::Key key;
      for (int i = 0; i < 3; ++i) {
        for (int k = 0; k < 3; ++k) key.turn(i, k) = frame.at("transform_matrix").at(i).at(k).get<double>();
        key.place[i] = frame.at("transform_matrix").at(i).at(3).get<double>();
      }
      key.half_view = {wide, 0};
      read.names.push_back(frame.at("file_path").get<std::string>());
      read.keys.push_back(key);
    }
    return read;
  });
}

}  // namespace dusky
