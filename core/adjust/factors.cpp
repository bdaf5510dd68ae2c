#include "core/adjust/factors.h"

#include <cmath>

#include "core/adjust/set_factors.h"

namespace dusky {
namespace {

using Visit = std::function<void(const FactorRow&)>;

void priors(const Bundle& bundle, const BundleOptions& options, const ObservationModel& model, const Visit& visit) {
  for (int l = 0; l < static_cast<int>(bundle.lenses.size()); ++l) {
    const LensParameters values = bundle.lenses[l].parameters();
    const LensPrior& prior = options.priorOf(l);
    const auto& index = model.lensIndex(l);
    for (std::size_t k = 0; k < index.size(); ++k) {
      const double root = std::sqrt(prior.weight[index[k]]);
      if (!(root > 0)) continue;
      FactorRow row(root * (values[index[k]] - prior.mean[index[k]]));
      row.add(UnknownOf::Lens, l, static_cast<int>(k), root);
      visit(row);
    }
  }
}

void tie(const Bundle& bundle, const CameraTie& tie, const Visit& visit) {
  const Vec3 apart = bundle.cameras[tie.a].centre - bundle.cameras[tie.b].centre;
  for (int k = 0; k < 3 && tie.centre > 0; ++k) {
    const double root = std::sqrt(tie.centre);
    FactorRow row(root * apart[k]);
    row.add(UnknownOf::Camera, tie.a, 3 + k, root);
    row.add(UnknownOf::Camera, tie.b, 3 + k, -root);
    visit(row);
  }
  if (!bundle.zooms() || tie.focal <= 0) return;
  const double difference = std::log(bundle.focal_px[tie.a] / bundle.focal_px[tie.b]);
  const double root = std::sqrt(tie.focal * leapWeight(difference, tie.focal_leap));
  FactorRow row(root * difference);
  row.cost = tie.focal * leapLoss(difference, tie.focal_leap);
  row.add(UnknownOf::Camera, tie.a, 6, root);
  row.add(UnknownOf::Camera, tie.b, 6, -root);
  visit(row);
}

void zoom(const Bundle& bundle, const BundleOptions& options, const Visit& visit) {
  const FocalBelief& belief = options.zoom_belief;
  for (int c = 0; c < static_cast<int>(bundle.focal_px.size()) && belief.weight > 0; ++c) {
    const double root = std::sqrt(belief.weight);
    FactorRow row(root * std::log(bundle.focal_px[c] / belief.mean_px));
    if (options.free_focal) row.add(UnknownOf::Camera, c, 6, root);
    visit(row);
  }
}

void cameraOnPlane(const Bundle& bundle, const CameraPlane& plane, const Visit& visit) {
  const double root = std::sqrt(plane.weight);
  FactorRow row(root * (plane.normal.dot(bundle.cameras[plane.camera].centre) - plane.offset));
  for (int k = 0; k < 3; ++k) row.add(UnknownOf::Camera, plane.camera, 3 + k, root * plane.normal[k]);
  visit(row);
}

}  // namespace

std::optional<int> FactorRow::point() const {
  for (int k = 0; k < count; ++k) {
    if (slopes[static_cast<std::size_t>(k)].of == UnknownOf::Point) return slopes[static_cast<std::size_t>(k)].index;
  }
  return std::nullopt;
}

Vec3 FactorRow::byPoint() const {
  Vec3 by = Vec3::Zero();
  for (int k = 0; k < count; ++k) {
    const Slope& s = slopes[static_cast<std::size_t>(k)];
    if (s.of == UnknownOf::Point) by[s.at] += s.slope;
  }
  return by;
}

void forEachFactor(const Bundle& bundle, const BundleOptions& options, const ObservationModel& model, const std::function<void(const FactorRow&)>& visit) {
  priors(bundle, options, model, visit);
  for (const CameraTie& one : bundle.ties) tie(bundle, one, visit);
  zoom(bundle, options, visit);
  for (const CameraPlane& one : bundle.planes) cameraOnPlane(bundle, one, visit);
  forEachSetFactor(bundle, visit);
}

double leapLoss(double deviation, double leap) { return deviation * deviation / (1 + deviation * deviation / (leap * leap)); }

double leapWeight(double deviation, double leap) {
  const double w = 1 / (1 + deviation * deviation / (leap * leap));
  return w * w;
}

}  // namespace dusky
