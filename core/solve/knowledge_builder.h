#pragma once
#include <map>

#include "core/geometry/principal_axes.h"
#include "core/solve/knowledge_fit.h"
#include "core/solve/knowledge_setup.h"
#include "core/solve/knowledge_world.h"

namespace dusky {

/// What setUpKnowledge puts together: sets (knowledge_sets.cpp), the world with distances and a survey (knowledge_lengths.cpp; of a camera that only rotates
/// knowledge_rays.cpp), pairs of tracks (knowledge_pairs.cpp), the camera (knowledge_camera.cpp).
class KnowledgeBuilder {
 public:
  KnowledgeBuilder(const SolveState& state, const Solution& plain, const Knowledge& knowledge, const Similarity& scene, double variance_px2);
  Result<SolvedKnowledge> make();

 private:
  // What all parts need.
  double weightOf(double sigma, double exact) const;
  double scale() const { return world() ? world()->world_from_solve.scale : scene_.scale; }
  SetWorld* world() { return out_.beliefs.world < 0 ? nullptr : &std::get<SetWorld>(out_.beliefs.shapes[static_cast<std::size_t>(out_.beliefs.world)]); }
  const SetWorld* world() const { return out_.world(); }
  /// What is up is an axis of the world that is looked for.
  bool turnKnown() const { return world() && world()->free_turn; }
  int addShape(SetShape shape);
  int addStatement(SolvedStatement statement);
  SolvedStatement& statement(int k) { return out_.statements[static_cast<std::size_t>(k)]; }
  const SetPlane& plane(int shape) const { return std::get<SetPlane>(out_.beliefs.shapes[static_cast<std::size_t>(shape)]); }
  Vec3 axis(int shape) const { return axisOf(out_.beliefs.shapes[static_cast<std::size_t>(shape)]); }
  const SolvedSet& setNamed(const std::string& name) const;
  /// A track that takes part with a depth; nullptr where it does not.
  const WorkTrack* placed(int id) const;
  SurePoint sure(int id) const;
  /// Indices of the frames that have a camera.
  std::vector<int> framesOf(const KnownCamera& camera) const;
  /// How far the solve reaches, its units: the usual distance of a point from the middle of the path.
  double reach() const;

  Status addSet(const KnownSet& set);
  void addUp();
  Vec3 crossOf(const std::vector<Vec3>& walls) const;
  void addFacings();
  void addFacing(const SolvedSet& set, int k);
  void addOffset(const SolvedSet& set, const Vec3& direction, double side);
  void addRelation(const KnownRelation& relation);
  void addAngle(const SolvedSet& a, const SolvedSet& b, double radians, double sigma, SolvedStatement solved);
  void addSame(const SolvedSet& a, const SolvedSet& b, double sigma, SolvedStatement solved);
  void addApart(const SolvedSet& a, const SolvedSet& b, const KnownRelation& relation, SolvedStatement solved);

  Status makeWorld();
  void makeWorldByRays();
  void guessWorld(SetWorld& world) const;
  void guessScale(SetWorld& world) const;
  void guessTurn(SetWorld& world) const;
  /// Survey points that take part, and how far the others put each off where it was measured.
  struct SeenSurvey {
    struct Off {
      double away = 0;       ///< Scene units.
      bool too_far = false;  ///< Wrong, for all that the others say.
    };
    std::vector<const SurveyPoint*> points;
    std::vector<Off> off;            ///< Of each; empty: no world fits them.
    std::string not_seen, no_world;  ///< Why a point takes no part; why no world fits.
  };
  void addSurvey(const SeenSurvey& seen);
  Status checkUnit(const std::optional<WorldFit>& fit) const;
  int placeOf(int id);
  /// How often each track is one of a pair that is known of.
  void countPairs();
  /// The two ends of a pair: the one of the fewer pairs as a point, where it is no place yet, the other as a place.
  struct Ends {
    int a = 0, b = 0;  ///< Of the belief: a track and a shape, or two shapes.
    bool from_point = false;
  };
  Ends endsOf(int from, int to);
  /// Refuses a statement one of whose tracks takes no part with a depth.
  Status checkPlaced(const std::vector<int>& ids, const std::string& who) const;
  Status addDistance(const KnownDistance& distance);
  Status addPlaneDistance(const KnownPlaneDistance& distance);
  Status addEqual(const KnownEqual& equal);
  Status addMirror(const KnownMirror& mirror);
  int mirrorPlane(const KnownMirror& mirror);

  Status addCamera(const KnownCamera& camera);
  std::string whyNothing(const KnownCamera& camera) const;
  void addCameraBeliefs(const KnownCamera& camera, const std::vector<int>& frames, int k);
  void addLevel(int plane, int k);
  void addOn(int shape, const std::vector<int>& frames, double weight, int k);
  SetPlane levelPlane(const std::vector<Vec3>& centres) const;

  const Reconstruction& work_;
  const Solution& plain_;
  const Knowledge& knowledge_;
  const Similarity scene_;
  const bool moves_;  ///< The camera has places of its own.
  const bool nodal_;  ///< It only rotates.
  double noise_px2_ = 0, variance_px2_ = 0;
  std::map<int, int> index_of_, place_of_, pairs_of_;
  bool whole_world_ = false;  ///< Its place, turn and scale are looked for.
  int up_ = -1;               ///< The shape that is what is up; -1: there is none.
  SolvedKnowledge out_;
};

}  // namespace dusky
