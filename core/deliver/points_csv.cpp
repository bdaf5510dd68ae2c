#include <fmt/format.h>

#include "core/deliver/delivery_view.h"
#include "core/deliver/writers.h"

namespace dusky {

std::string pointsCsv(const DeliveryInput&, const DeliveryView& view) {
  std::string out = fmt::format(
      "# Dusky Moth points. World right-handed, {} up, in {}. Colours for a screen, 0 to 255; error in px; sigma: one standard deviation.\n"
      "track,x,y,z,r,g,b,error_px,sigma\n",
      view.up == UpAxis::Z ? 'Z' : 'Y', view.unit);
  const auto figure = [](double v) { return std::isnan(v) ? std::string() : fmt::format("{:.6g}", v); };
  for (const DeliveryView::Point& point : view.points) {
    const Vec3 p = view.turnedUp() * point.at;
    out += fmt::format("{},{:.10g},{:.10g},{:.10g},{},{},{},{},{}\n", point.track, p.x(), p.y(), p.z(), point.color.r, point.color.g, point.color.b,
                       figure(point.error_px), figure(point.sigma));
  }
  return out;
}

}  // namespace dusky
