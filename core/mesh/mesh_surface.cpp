#include "core/mesh/mesh_surface.h"

#include <embree3/rtcore.h>

#include <nanoflann.hpp>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

/// A cloud's points, as nanoflann wants them.
struct CloudPoints {
  const std::vector<Eigen::Vector3f>* points;
  std::size_t kdtree_get_point_count() const { return points->size(); }
  float kdtree_get_pt(std::size_t i, std::size_t axis) const { return (*points)[i][static_cast<Eigen::Index>(axis)]; }
  template <class Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};
using CloudTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, CloudPoints>, CloudPoints, 3>;

}  // namespace

/// Of triangles what Embree holds; of a cloud a tree of its points.
struct MeshSurface::Scene {
  RTCDevice device = nullptr;
  RTCScene scene = nullptr;
  CloudPoints cloud{};
  std::unique_ptr<CloudTree> tree;
  ~Scene() {
    if (scene) rtcReleaseScene(scene);
    if (device) rtcReleaseDevice(device);
  }
};

namespace {

Eigen::Vector3f floats(const Vec3& v) { return v.cast<float>(); }

/// A triangle's place that is nearest to a point. Source: Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
Vec3 nearestIn(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& p) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return a;
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return b;
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + d1 / (d1 - d3) * ab;
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return c;
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + d2 / (d2 - d6) * ac;
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b);
  const double whole = va + vb + vc;
  return whole > 0 ? Vec3(a + vb / whole * ab + vc / whole * ac) : a;
}

struct Corners {
  Vec3 a, b, c;
  Vec3 normal() const { return (b - a).cross(c - a).normalized(); }
};

Corners cornersOf(const SetMesh& mesh, unsigned triangle) {
  const auto& t = mesh.triangles[triangle];
  return {mesh.points[t[0]].cast<double>(), mesh.points[t[1]].cast<double>(), mesh.points[t[2]].cast<double>()};
}

/// The nearest one so far.
struct Nearest {
  const SetMesh* mesh = nullptr;
  Vec3 place;
  double away = 0;
  std::optional<unsigned> primitive;
  Vec3 at;
};

bool lookAt(RTCPointQueryFunctionArguments* args) {
  auto& nearest = *static_cast<Nearest*>(args->userPtr);
  const Corners t = cornersOf(*nearest.mesh, args->primID);
  const Vec3 at = nearestIn(t.a, t.b, t.c, nearest.place);
  const double away = (at - nearest.place).norm();
  if (away >= nearest.away) return false;
  nearest.away = away, nearest.primitive = args->primID, nearest.at = at;
  args->query->radius = static_cast<float>(away);
  return true;
}

bool stopBuilding(void* progress, double share) {
  const auto& told = *static_cast<const Progress*>(progress);
  told.report(share, "preparing the mesh");
  return !told.stopRequested();
}

}  // namespace

MeshSurface::MeshSurface(SetMeshPtr mesh, std::unique_ptr<Scene> scene) : mesh_(std::move(mesh)), scene_(std::move(scene)) {}
MeshSurface::~MeshSurface() = default;

Result<MeshSurfacePtr> MeshSurface::make(SetMeshPtr mesh, const Progress& progress) {
  auto made = std::make_unique<Scene>();
  if (mesh->isCloud()) {
    constexpr std::size_t kLeaf = 16;
    made->cloud.points = &mesh->points;
    made->tree = std::make_unique<CloudTree>(3, made->cloud, nanoflann::KDTreeSingleIndexAdaptorParams(kLeaf));
    if (progress.stopRequested()) return cancelled();
    return MeshSurfacePtr(new MeshSurface(std::move(mesh), std::move(made)));
  }
  made->device = rtcNewDevice(nullptr);
  if (!made->device) return invalidInput("The mesh cannot be prepared for picking on this computer.");
  made->scene = rtcNewScene(made->device);
  RTCGeometry geometry = rtcNewGeometry(made->device, RTC_GEOMETRY_TYPE_TRIANGLE);
  auto* points =
      static_cast<float*>(rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(Eigen::Vector3f), mesh->points.size()));
  if (points) std::copy_n(mesh->points.front().data(), 3 * mesh->points.size(), points);
  rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh->triangles.data(), 0, sizeof(mesh->triangles[0]),
                             mesh->triangles.size());
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(made->scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcSetSceneFlags(made->scene, RTC_SCENE_FLAG_ROBUST);
  rtcSetSceneProgressMonitorFunction(made->scene, stopBuilding, const_cast<Progress*>(&progress));
  rtcCommitScene(made->scene);
  rtcSetSceneProgressMonitorFunction(made->scene, nullptr, nullptr);
  if (progress.stopRequested()) return cancelled();
  if (rtcGetDeviceError(made->device) != RTC_ERROR_NONE) return invalidInput("There is not memory enough to prepare the mesh for picking.");
  return MeshSurfacePtr(new MeshSurface(std::move(mesh), std::move(made)));
}

std::optional<MeshPoint> MeshSurface::hitCloud(const Vec3& from, const Vec3& direction, double within_rad) const {
  const Eigen::Vector3f eye = floats(from), along = floats(direction.normalized());
  const auto slope = static_cast<float>(std::pow(std::tan(within_rad), 2));
  float first = std::numeric_limits<float>::infinity();
  const Eigen::Vector3f* found = nullptr;
  for (const Eigen::Vector3f& p : mesh_->points) {
    const Eigen::Vector3f to = p - eye;
    const float depth = to.dot(along);
    if (depth <= 0 || depth >= first) continue;
    if (to.squaredNorm() - depth * depth <= slope * depth * depth) first = depth, found = &p;
  }
  if (!found) return std::nullopt;
  const Vec3 at = found->cast<double>();
  return MeshPoint{at, Vec3::Zero(), (at - from).norm()};
}

std::optional<MeshPoint> MeshSurface::hit(const Vec3& from, const Vec3& direction, double within_rad) const {
  if (mesh_->isCloud()) return hitCloud(from, direction, within_rad);
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRayHit ray{};
  ray.ray.org_x = static_cast<float>(from.x()), ray.ray.org_y = static_cast<float>(from.y()), ray.ray.org_z = static_cast<float>(from.z());
  const Vec3 along = direction.normalized();
  ray.ray.dir_x = static_cast<float>(along.x()), ray.ray.dir_y = static_cast<float>(along.y()), ray.ray.dir_z = static_cast<float>(along.z());
  ray.ray.tfar = std::numeric_limits<float>::infinity(), ray.ray.mask = ~0u;
  ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  rtcIntersect1(scene_->scene, &context, &ray);
  if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return std::nullopt;
  const Corners t = cornersOf(*mesh_, ray.hit.primID);
  const double u = ray.hit.u, v = ray.hit.v;
  const Vec3 at = (1 - u - v) * t.a + u * t.b + v * t.c;
  return MeshPoint{at, t.normal(), (at - from).norm()};
}

bool MeshSurface::hides(const Vec3& from, const Vec3& to) const {
  if (mesh_->isCloud()) return false;
  constexpr double kShort = 1 - 1e-3;  // what ends on the surface is not hidden by it
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  const Vec3 way = kShort * (to - from);
  RTCRay ray{};
  ray.org_x = static_cast<float>(from.x()), ray.org_y = static_cast<float>(from.y()), ray.org_z = static_cast<float>(from.z());
  ray.dir_x = static_cast<float>(way.x()), ray.dir_y = static_cast<float>(way.y()), ray.dir_z = static_cast<float>(way.z());
  ray.tfar = 1, ray.mask = ~0u;
  rtcOccluded1(scene_->scene, &context, &ray);
  return ray.tfar < 0;
}

/// Points beside one another say how the surface lies that they were taken of, where they are flat.
std::optional<MeshPoint> MeshSurface::nearestOfCloud(const Vec3& place, double reach) const {
  constexpr std::size_t kBeside = 10;
  constexpr double kFlat = 0.3;
  const Eigen::Vector3f at = floats(place);
  std::array<std::uint32_t, kBeside> indices{};
  std::array<float, kBeside> squares{};
  const std::size_t found = scene_->tree->knnSearch(at.data(), kBeside, indices.data(), squares.data());
  if (found == 0) return std::nullopt;
  std::vector<Vec3> beside;
  for (std::size_t k = 0; k < found; ++k) beside.push_back(mesh_->points[indices[k]].cast<double>());
  MeshPoint nearest{beside.front(), Vec3::Zero(), (beside.front() - place).norm()};
  if (!(nearest.away < reach)) return std::nullopt;
  const PrincipalAxes axes = principalAxes(beside);
  if (found == kBeside && axes.extent[0] < kFlat * axes.extent[1]) nearest.normal = axes.directions.col(0);
  return nearest;
}

std::optional<MeshPoint> MeshSurface::nearest(const Vec3& place, double reach) const {
  if (mesh_->isCloud()) return nearestOfCloud(place, reach);
  RTCPointQueryContext context;
  rtcInitPointQueryContext(&context);
  RTCPointQuery query{};
  query.x = static_cast<float>(place.x()), query.y = static_cast<float>(place.y()), query.z = static_cast<float>(place.z());
  query.radius = static_cast<float>(reach);
  Nearest nearest{mesh_.get(), place, reach, std::nullopt, Vec3::Zero()};
  rtcPointQuery(scene_->scene, &query, &context, lookAt, &nearest);
  if (!nearest.primitive) return std::nullopt;
  return MeshPoint{nearest.at, cornersOf(*mesh_, *nearest.primitive).normal(), nearest.away};
}

}  // namespace dusky
