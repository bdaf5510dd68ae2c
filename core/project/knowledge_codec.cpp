#include "core/project/knowledge_codec.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

Json number(double v) { return std::isnan(v) ? Json(nullptr) : Json(v); }
double numberOf(const Json& json) { return json.is_null() ? kUnknown : json.get<double>(); }
Json vectorJson(const Vec3& v) { return {v.x(), v.y(), v.z()}; }
Vec3 vectorOf(const Json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }
Json turnJson(const Eigen::Quaterniond& q) { return {q.w(), q.x(), q.y(), q.z()}; }
Eigen::Quaterniond turnOf(const Json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>(), j.at(3).get<double>()}; }

template <class Enum>
Enum named(const Json& json, Enum last) {
  const int value = json.get<int>();
  if (value < 0 || value > static_cast<int>(last)) throw std::runtime_error("a code is out of range");
  return static_cast<Enum>(value);
}

// Shapes: what they are, then their numbers.

Json shapeJson(const SetPlane& p) { return {"plane", vectorJson(p.normal), p.offset, p.free_normal, p.free_offset}; }
Json shapeJson(const SetLine& l) { return {"line", vectorJson(l.along), vectorJson(l.through)}; }
Json shapeJson(const SetPlace& p) { return {"place", vectorJson(p.at)}; }
Json shapeJson(const SetWorld& w) {
  const Similarity& s = w.world_from_solve;
  return {"world", s.scale, turnJson(s.rotation), vectorJson(s.shift), w.free_scale, w.free_turn, w.free_shift};
}

Json shapeJson(const SetLength& l) { return {"length", l.length}; }

SetShape shapeOf(const Json& j) {
  const auto kind = j.at(0).get<std::string>();
  if (kind == "plane") return SetPlane{vectorOf(j.at(1)), j.at(2), j.at(3), j.at(4)};
  if (kind == "line") return SetLine{vectorOf(j.at(1)), vectorOf(j.at(2))};
  if (kind == "place") return SetPlace{vectorOf(j.at(1))};
  if (kind == "world") return SetWorld{{j.at(1), turnOf(j.at(2)), vectorOf(j.at(3))}, j.at(4), j.at(5), j.at(6)};
  if (kind == "length") return SetLength{j.at(1)};
  throw std::runtime_error("there is no such shape");
}

/// Beliefs, a list of numbers each.
struct BeliefsJson {
  static Json of(const OnShape& b) { return {b.index, b.shape, b.weight, b.camera, b.statement}; }
  static Json of(const AxisAngle& b) { return {b.a, b.b, b.cosine, b.weight, b.statement}; }
  static Json of(const AxisInWorld& b) { return {b.shape, vectorJson(b.direction), b.cosine, b.weight, b.statement}; }
  static Json of(const OffsetInWorld& b) { return {b.shape, b.offset, b.weight, b.statement}; }
  static Json of(const PlanesApart& b) { return {b.a, b.b, b.distance, b.weight, b.statement}; }
  static Json of(const PlacesApart& b) { return {b.a, b.b, b.distance, b.weight, b.statement, b.from_point}; }
  static Json of(const InWorld& b) { return {b.index, vectorJson(b.at), vectorJson(b.weight), b.camera, b.statement}; }
  static Json of(const TurnInWorld& b) { return {b.index, turnJson(b.world_from_camera), b.weight, b.statement}; }
  static Json of(const EvenMotion& b) { return {b.before, b.index, b.after, b.share, b.weight, b.statement}; }

  static Json of(const PlacesAtLength& b) { return {b.a, b.b, b.length, b.weight, b.statement, b.from_point}; }
  static Json of(const PlacesMirrored& b) { return {b.a, b.b, b.plane, b.weight, b.statement, b.from_point}; }
  static Json of(const PointFromPlane& b) { return {b.index, b.plane, b.distance, b.weight, b.statement}; }

  static void read(const Json& j, PlacesAtLength& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4), j.at(5)}; }
  static void read(const Json& j, PlacesMirrored& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4), j.at(5)}; }
  static void read(const Json& j, PointFromPlane& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4)}; }
  static void read(const Json& j, OnShape& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4)}; }
  static void read(const Json& j, AxisAngle& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4)}; }
  static void read(const Json& j, AxisInWorld& b) { b = {j.at(0), vectorOf(j.at(1)), j.at(2), j.at(3), j.at(4)}; }
  static void read(const Json& j, OffsetInWorld& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3)}; }
  static void read(const Json& j, PlanesApart& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4)}; }
  static void read(const Json& j, PlacesApart& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4), j.size() > 5 && j.at(5).get<bool>()}; }
  static void read(const Json& j, InWorld& b) { b = {j.at(0), vectorOf(j.at(1)), vectorOf(j.at(2)), j.at(3), j.at(4)}; }
  static void read(const Json& j, TurnInWorld& b) { b = {j.at(0), turnOf(j.at(1)), j.at(2), j.at(3)}; }
  static void read(const Json& j, EvenMotion& b) { b = {j.at(0), j.at(1), j.at(2), j.at(3), j.at(4), j.at(5)}; }
};

/// Whether every shape that a belief speaks of is there, and of the kind it must be.
class Sound {
 public:
  explicit Sound(const SetBeliefs& beliefs) : shapes_(beliefs.shapes) {}
  bool operator()(const OnShape& b) const { return is(b.shape, 0) || is(b.shape, 1) || is(b.shape, 2); }
  bool operator()(const AxisAngle& b) const { return hasAxis(b.a) && hasAxis(b.b); }
  bool operator()(const AxisInWorld& b) const { return hasAxis(b.shape); }
  bool operator()(const OffsetInWorld& b) const { return is(b.shape, 0); }
  bool operator()(const PlanesApart& b) const { return is(b.a, 0) && is(b.b, 0); }
  bool operator()(const PlacesApart& b) const { return isEnd(b) && is(b.b, 2); }
  bool operator()(const InWorld&) const { return true; }
  bool operator()(const TurnInWorld&) const { return true; }
  bool operator()(const EvenMotion&) const { return true; }
  bool operator()(const PlacesAtLength& b) const { return isEnd(b) && is(b.b, 2) && is(b.length, 4); }
  bool operator()(const PlacesMirrored& b) const { return isEnd(b) && is(b.b, 2) && is(b.plane, 0); }
  bool operator()(const PointFromPlane& b) const { return is(b.plane, 0); }
  bool isSet(int shape) const { return hasAxis(shape); }
  bool isWorld(int shape) const { return is(shape, 3); }

 private:
  bool is(int shape, std::size_t kind) const {
    return shape >= 0 && shape < static_cast<int>(shapes_.size()) && shapes_[static_cast<std::size_t>(shape)].index() == kind;
  }
  bool isEnd(const auto& pair) const { return pair.from_point || is(pair.a, 2); }
  bool hasAxis(int shape) const { return is(shape, 0) || is(shape, 1); }

  const std::vector<SetShape>& shapes_;
};

Json beliefsJson(const SetBeliefs& beliefs) {
  Json shapes = Json::array(), lists = Json::array();
  for (const SetShape& shape : beliefs.shapes) shapes.push_back(std::visit([](const auto& s) { return shapeJson(s); }, shape));
  SetBeliefs::visitLists(beliefs, [&lists](const auto& list) {
    Json all = Json::array();
    for (const auto& belief : list) all.push_back(BeliefsJson::of(belief));
    lists.push_back(all);
  });
  return {{"shapes", shapes}, {"world", beliefs.world}, {"lists", lists}};
}

SetBeliefs beliefsOf(const Json& j) {
  SetBeliefs beliefs;
  for (const Json& shape : j.at("shapes")) beliefs.shapes.push_back(shapeOf(shape));
  beliefs.world = j.at("world");
  const Sound sound(beliefs);
  if (beliefs.world >= 0 && !sound.isWorld(beliefs.world)) throw std::runtime_error("the world is none");
  std::size_t at = 0;
  SetBeliefs::visitLists(beliefs, [&](auto& list) {
    if (at >= j.at("lists").size()) return;  // earlier versions know of fewer
    for (const Json& one : j.at("lists").at(at)) {
      BeliefsJson::read(one, list.emplace_back());
      if (!sound(list.back())) throw std::runtime_error("a belief names no shape");
    }
    ++at;
  });
  return beliefs;
}

Json setJson(const SolvedSet& s) {
  Json disagree = Json::array();
  for (const auto& d : s.disagree) disagree.push_back({d.track, d.sigmas});
  return {s.name,
          s.kind,
          s.facing,
          s.exact,
          s.shape,
          vectorJson(s.axis),
          s.offset,
          vectorJson(s.through),
          s.tracks,
          number(s.sigma_axis_rad),
          number(s.sigma_offset),
          number(s.rms),
          number(s.rms_px_with),
          number(s.rms_px_without),
          disagree,
          s.undetermined};
}

SolvedSet setOf(const Json& j) {
  SolvedSet s{j.at(0),           named(j.at(1), SetKind::Line),  named(j.at(2), SetFacing::Given), j.at(3), j.at(4), vectorOf(j.at(5)), j.at(6),
              vectorOf(j.at(7)), j.at(8).get<std::vector<int>>()};
  s.sigma_axis_rad = numberOf(j.at(9)), s.sigma_offset = numberOf(j.at(10)), s.rms = numberOf(j.at(11));
  s.rms_px_with = numberOf(j.at(12)), s.rms_px_without = numberOf(j.at(13));
  for (const Json& d : j.at(14)) s.disagree.push_back({d.at(0), d.at(1)});
  s.undetermined = j.at(15);
  return s;
}

Json statementJson(const SolvedStatement& s) {
  return {s.kind,           s.name,         s.a,    s.b, s.tracks, s.exact, s.asked, number(s.found), number(s.without), number(s.cost_sigmas),
          number(s.rms_px), s.undetermined, s.turns};
}

SolvedStatement statementOf(const Json& j) {
  SolvedStatement s{named(j.at(0), StatementKind::Mirror), j.at(1), j.at(2), j.at(3), j.at(4).get<std::vector<int>>(), j.at(5), j.at(12), j.at(6)};
  s.found = numberOf(j.at(7)), s.without = numberOf(j.at(8)), s.cost_sigmas = numberOf(j.at(9)), s.rms_px = numberOf(j.at(10)), s.undetermined = j.at(11);
  return s;
}

}  // namespace

Json encodeKnowledge(const SolvedKnowledge& k) {
  Json sets = Json::array(), statements = Json::array();
  for (const SolvedSet& set : k.sets) sets.push_back(setJson(set));
  for (const SolvedStatement& statement : k.statements) statements.push_back(statementJson(statement));
  Json if_exact = Json::array();
  for (const IfExact& one : k.if_exact) if_exact.push_back({one.key, number(one.cost_sigmas)});
  return {{"sets", sets},
          {"if_exact", if_exact},
          {"statements", statements},
          {"beliefs", beliefsJson(k.beliefs)},
          {"up", k.up ? vectorJson(*k.up) : Json()},
          {"cost", {number(k.cost_sigmas), number(k.rms_px_without), number(k.holdout_px_without), number(k.sigma_scale_share)}}};
}

SolvedKnowledge decodeKnowledge(const Json& j) {
  SolvedKnowledge k;
  k.beliefs = beliefsOf(j.at("beliefs"));
  for (const Json& set : j.at("sets")) {
    k.sets.push_back(setOf(set));
    if (!Sound(k.beliefs).isSet(k.sets.back().shape)) throw std::runtime_error("a set has no shape");
  }
  for (const Json& statement : j.at("statements")) k.statements.push_back(statementOf(statement));
  for (const Json& one : j.value("if_exact", Json::array())) k.if_exact.push_back({one.at(0), numberOf(one.at(1))});
  if (!j.at("up").is_null()) k.up = vectorOf(j.at("up"));
  const Json& cost = j.at("cost");
  k.cost_sigmas = numberOf(cost.at(0)), k.rms_px_without = numberOf(cost.at(1)), k.holdout_px_without = numberOf(cost.at(2));
  k.sigma_scale_share = numberOf(cost.at(3));
  return k;
}

}  // namespace dusky
