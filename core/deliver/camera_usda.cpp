#include <fmt/format.h>

#include <cmath>

#include "core/deliver/scene_parts.h"
#include "core/deliver/writers.h"
#include "core/image/srgb.h"

namespace dusky {
namespace {

/// Row vectors, as USD has them. Its cameras look along -Z with Y up.
std::string matrixOf(const Pose& pose) {
  const Mat3 r = viewerTurn(pose).toRotationMatrix();
  std::string rows = "( ";
  for (int k = 0; k < 3; ++k) rows += fmt::format("({:.17g}, {:.17g}, {:.17g}, 0), ", r(0, k), r(1, k), r(2, k));
  return rows + fmt::format("({:.17g}, {:.17g}, {:.17g}, 1) )", pose.centre.x(), pose.centre.y(), pose.centre.z());
}

template <class Items, class Words>
std::string listOf(const Items& items, const Words& words) {
  std::string list = "[";
  bool first = true;
  for (const auto& item : items) list += fmt::format("{}{}", first ? "" : ", ", words(item)), first = false;
  return list + "]";
}

std::string placeOf(const Vec3& p) { return fmt::format("({:.9g}, {:.9g}, {:.9g})", p.x(), p.y(), p.z()); }

std::string header(const DeliveryInput& input, const DeliveryView& view) {
  const int first = input.footage.first + view.frame_shift, last = input.footage.last + view.frame_shift;
  std::string text = fmt::format(
      "#usda 1.0\n(\n    defaultPrim = \"shot\"\n    doc = \"\"\"Dusky Moth. The camera fits the undistorted picture of {}x{} px, not the footage "
      "itself.\"\"\"\n    endTimeCode = {}\n    framesPerSecond = {:.10g}\n",
      view.plate.width, view.plate.height, last, view.fps);
  if (view.metres > 0) text += fmt::format("    metersPerUnit = {:.10g}\n", view.metres);
  return text +
         fmt::format("    startTimeCode = {}\n    timeCodesPerSecond = {:.10g}\n    upAxis = \"{}\"\n)\n\n", first, view.fps, view.up == UpAxis::Z ? 'Z' : 'Y');
}

/// Apertures and focal length are in tenths of a unit of the scene, by USD's schema.
std::string cameraOf(const DeliveryInput& input, const DeliveryView& view) {
  const Plate& plate = view.plate;
  const double tenths = view.metres > 0 ? input.sensor_mm / 1000 / view.metres * 10 : input.sensor_mm;
  const double per_px = tenths / input.footage.width;  // the sensor is as wide as the footage; an overscanned plate is wider
  std::string text = fmt::format(
      "    def Camera \"{}\"\n    {{\n        float2 clippingRange = ({:.6g}, {:.6g})\n        float horizontalAperture = {:.10g}\n"
      "        float horizontalApertureOffset = 0\n        float verticalAperture = {:.10g}\n        float verticalApertureOffset = 0\n"
      "        token projection = \"perspective\"\n",
      view.camera_name, 0.01 * view.world_from_solve.scale, 1e5 * view.world_from_solve.scale, per_px * plate.width,
      per_px * plate.height / plate.pixel_aspect);
  if (view.zooms()) {
    text += "        float focalLength.timeSamples = {\n";
    for (const auto& camera : view.cameras) {
      if (camera.key) text += fmt::format("            {}: {:.10g},\n", camera.frame, per_px * camera.focal_px);
    }
    text += "        }\n";
  } else if (!view.cameras.empty()) {
    text += fmt::format("        float focalLength = {:.10g}\n", per_px * view.cameras.front().focal_px);
  }
  text += "        matrix4d xformOp:transform.timeSamples = {\n";
  for (const auto& camera : view.cameras) {
    if (camera.key) text += fmt::format("            {}: {},\n", camera.frame, matrixOf(view.turnedUp() * camera.pose));
  }
  text += "        }\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n";
  return text + fmt::format(
                    "        custom int dusky:plateWidth = {}\n        custom int dusky:plateHeight = {}\n        custom double dusky:platePixelAspect = "
                    "{:.10g}\n    }}\n",
                    plate.width, plate.height, plate.pixel_aspect);
}

std::string pointsOf(const DeliveryView& view) {
  if (view.points.empty()) return {};
  using Point = DeliveryView::Point;
  const Similarity turned = view.turnedUp();
  const double width = 0.004 * (view.points.front().at - (view.cameras.empty() ? Vec3::Zero() : view.cameras.front().pose.centre)).norm();
  std::string text = fmt::format("\n    def Points \"{}\"\n    {{\n", view.points_name);
  text += "        point3f[] points = " + listOf(view.points, [&](const Point& p) { return placeOf(turned * p.at); });
  text += "\n        float[] widths = " + listOf(view.points, [&](const Point&) { return fmt::format("{:.4g}", width); });
  text += "\n        int64[] ids = " + listOf(view.points, [](const Point& p) { return std::to_string(p.track); });
  text += "\n        color3f[] primvars:displayColor = " + listOf(view.points, [](const Point& p) {
            return fmt::format("({:.6g}, {:.6g}, {:.6g})", lightOf(p.color.r / 255.0), lightOf(p.color.g / 255.0), lightOf(p.color.b / 255.0));
          });
  text += " (\n            interpolation = \"vertex\"\n        )";
  text += "\n        float[] primvars:errorPx = " +
          listOf(view.points, [](const Point& p) { return fmt::format("{:.5g}", std::isnan(p.error_px) ? -1 : p.error_px); });
  return text + " (\n            interpolation = \"vertex\"\n        )\n    }\n";
}

std::string partOf(const ScenePart& part, const DeliveryView& view) {
  const Similarity turned = view.turnedUp();
  const bool mesh = !part.triangles.empty();
  std::string text = fmt::format("\n    def {} \"{}\"\n    {{\n", mesh ? "Mesh" : "Points", part.name);
  text += "        point3f[] points = " + listOf(part.places, [&](const Vec3& p) { return placeOf(turned * p); }) + "\n";
  if (mesh) {
    text += "        int[] faceVertexCounts = " + listOf(part.triangles, [](const auto&) { return std::string("3"); });
    text += "\n        int[] faceVertexIndices = " + listOf(part.triangles, [](const auto& t) { return fmt::format("{}, {}, {}", t[0], t[1], t[2]); });
    text += "\n        uniform token subdivisionScheme = \"none\"\n        uniform bool doubleSided = 1\n";
  }
  if (part.see_through) text += "        uniform token purpose = \"guide\"\n";
  return text + fmt::format("        color3f[] primvars:displayColor = [({:.4g}, {:.4g}, {:.4g})]\n    }}\n", part.tint[0], part.tint[1], part.tint[2]);
}

}  // namespace

Result<std::string> cameraUsda(const DeliveryInput& input, const DeliveryView& view) {
  const auto parts = scenePartsOf(input, view, {});
  if (!parts.ok()) return parts.error();
  std::string text = header(input, view) + "def Xform \"shot\"\n{\n" + cameraOf(input, view) + pointsOf(view);
  for (const ScenePart& part : *parts) text += partOf(part, view);
  return text + "}\n";
}

}  // namespace dusky
