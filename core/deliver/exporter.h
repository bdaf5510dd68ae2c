#pragma once
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/progress.h"
#include "core/deliver/delivery_view.h"

namespace dusky {

/// Writes one kind of delivery.
struct Exporter {
  std::string_view name;   ///< As it is chosen by: "camera.glb".
  std::string_view what;   ///< "animated camera and points (glTF 2.0)".
  std::string_view group;  ///< What it belongs to in lists: "3D scene".
  bool needs_pictures;     ///< Reads the footage's pictures.
  /// The files and folders that it makes.
  std::vector<std::string> (*makes)(const DeliveryChoices&);
  /// Writes them into a folder that is there. Errors: CannotWrite; InvalidInput: what was chosen does not fit the shot; Cancelled; what reading the footage
  /// says.
  Status (*write)(const DeliveryInput&, const DeliveryChoices&, const DeliveryView&, const std::filesystem::path& folder, const Progress&);
  bool needs_dense = false;  ///< Dense points were made.
};

/// All there are, in the order in which they are written and listed; those of a group stand together.
std::span<const Exporter> exporters();
const Exporter* exporterNamed(std::string_view name);

}  // namespace dusky
