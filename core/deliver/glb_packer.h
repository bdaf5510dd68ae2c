#pragma once
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_EXTERNAL_IMAGE
#include <tiny_gltf.h>

#include <array>
#include <cmath>
#include <cstring>
#include <string>
#include <vector>

#include "core/image/srgb.h"

namespace dusky {

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
  /// In 16 bits: in 8, linear light is far off in the darks.
  int addColors(const std::vector<std::uint16_t>& rgba) {
    const int accessor =
        addBytes(rgba.data(), 2 * rgba.size(), rgba.size() / 4, TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT, TINYGLTF_TYPE_VEC4, TINYGLTF_TARGET_ARRAY_BUFFER);
    model_.accessors[accessor].normalized = true;
    return accessor;
  }
  int addIndices(const std::vector<std::array<std::uint32_t, 3>>& triangles) {
    return addBytes(triangles.data(), sizeof(triangles[0]) * triangles.size(), 3 * triangles.size(), TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT, TINYGLTF_TYPE_SCALAR,
                    TINYGLTF_TARGET_ELEMENT_ARRAY_BUFFER);
  }
  /// A file that the model holds whole; its view.
  int addFile(const std::string& bytes) { return addView(bytes.data(), bytes.size(), 0); }

 private:
  int addView(const void* data, std::size_t bytes, int target) {
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
    return static_cast<int>(model_.bufferViews.size()) - 1;
  }

  int addBytes(const void* data, std::size_t bytes, std::size_t count, int component, int type, int target) {
    const int view = addView(data, bytes, target);
    tinygltf::Accessor accessor;
    accessor.bufferView = view;
    accessor.componentType = component;
    accessor.count = count;
    accessor.type = type;
    model_.accessors.push_back(accessor);
    return static_cast<int>(model_.accessors.size()) - 1;
  }

  tinygltf::Model& model_;
};

/// COLOR_0 is linear light in glTF; footage colours are display-referred (IEC 61966-2-1).
inline std::uint16_t linearWord(std::uint8_t screen) { return static_cast<std::uint16_t>(std::lround(65535 * lightOf(screen / 255.0))); }

inline tinygltf::Model newModel() {
  tinygltf::Model model;
  model.asset.version = "2.0";
  model.asset.generator = "Dusky Moth";
  return model;
}

}  // namespace dusky
