#include "apps/desktop/errormap/map_rows.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/paint/track_text.h"
#include "core/mask/mask_keys.h"

namespace dusky::desktop {
namespace {

/// Of which group a track is: its place among groups and its name.
struct GroupOf {
  int place = 0;
  QString name;
};

int stateRank(Glyph glyph) { return glyph == Glyph::SetAside ? 1 : glyph == Glyph::Unplaced ? 2 : 0; }

class Grouper {
 public:
  Grouper(const Session& session, RowGrouping grouping) : session_(session), grouping_(grouping), tracks_(*session.model.tracks()) {
    if (grouping != RowGrouping::Label) return;
    for (const Track& track : tracks_.tracks) {
      const TrackLabel* label = session.model.workspace().labelOf(track.id);
      if (label && !label->group.empty()) labels_.push_back(QString::fromStdString(label->group));
    }
    std::sort(labels_.begin(), labels_.end());
    labels_.erase(std::unique(labels_.begin(), labels_.end()), labels_.end());
  }

  GroupOf of(const Track& track, Glyph glyph) const {
    switch (grouping_) {
      case RowGrouping::State: return byState(glyph);
      case RowGrouping::Kind: return byKind(track);
      case RowGrouping::Label: return byLabel(track);
      case RowGrouping::Mask: return byMask(track);
      case RowGrouping::Depth: return byDepth(track);
      case RowGrouping::Region: return byRegion(track);
    }
    return {};
  }

 private:
  static GroupOf byState(Glyph glyph) {
    static const std::array<const char*, 3> kNames = {"kept", "set aside", "unplaced"};
    const int rank = stateRank(glyph);
    return {rank, QObject::tr(kNames[static_cast<std::size_t>(rank)])};
  }
  static GroupOf byKind(const Track& track) {
    if (track.kind == TrackKind::ByHand) return {0, QObject::tr("by hand")};
    if (track.kind == TrackKind::Imported) return {1, QObject::tr("imported")};
    return {2 + static_cast<int>(track.size), words(describe(track.size))};
  }
  GroupOf byLabel(const Track& track) const {
    const TrackLabel* label = session_.model.workspace().labelOf(track.id);
    const QString name = label ? QString::fromStdString(label->group) : QString();
    const auto found = std::find(labels_.begin(), labels_.end(), name);
    return found != labels_.end() ? GroupOf{static_cast<int>(found - labels_.begin()), name} : GroupOf{1 << 20, QObject::tr("no group")};
  }
  /// Where it is in the middle of its life.
  GroupOf byMask(const Track& track) const {
    const Observation& seen = track.observations[track.observations.size() / 2];
    const auto& shapes = session_.model.document().masks.shapes;
    for (std::size_t i = 0; i < shapes.size(); ++i) {
      if (covers(shapes[i], seen.frame, seen.position)) return {static_cast<int>(i), QString::fromStdString(shapes[i].name)};
    }
    return {1 << 20, QObject::tr("in no mask")};
  }
  GroupOf byDepth(const Track& track) const {
    const TrackMeasures* m = session_.facts.now()->find(track.id);
    if (!m || std::isnan(m->distance)) return {4, QObject::tr("no depth")};
    if (m->distance < 0.5) return {0, QObject::tr("near")};
    return m->distance < 2 ? GroupOf{1, QObject::tr("middle")} : m->distance < 10 ? GroupOf{2, QObject::tr("far")} : GroupOf{3, QObject::tr("very far")};
  }
  GroupOf byRegion(const Track& track) const {
    const Vec2& at = track.observations[track.observations.size() / 2].position;
    const int column = std::clamp(static_cast<int>(3 * at.x() / tracks_.width), 0, 2), row = std::clamp(static_cast<int>(3 * at.y() / tracks_.height), 0, 2);
    static const std::array<const char*, 9> kNames = {"top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right"};
    return {3 * row + column, QObject::tr(kNames[static_cast<std::size_t>(3 * row + column)])};
  }

  const Session& session_;
  RowGrouping grouping_;
  const TrackSet& tracks_;
  std::vector<QString> labels_;
};

/// Ascending: what is to be seen first is smallest.
double keyOf(RowOrder order, const Track& track, const SolvedTrack* solved, const TrackMeasures* m) {
  const double last = 1e300;
  const auto largestFirst = [last](double v) { return std::isnan(v) ? last : -v; };
  switch (order) {
    case RowOrder::Worst: return solved ? largestFirst(solved->worst_error_px) : track.firstFrame();
    case RowOrder::Typical: return solved ? largestFirst(solved->typical_error_px) : track.firstFrame();
    case RowOrder::Life: return -track.life();
    case RowOrder::Start: return track.firstFrame();
    case RowOrder::Parallax: return m && !std::isnan(m->parallax_deg) ? m->parallax_deg : last;
    case RowOrder::DepthSigma: return m ? largestFirst(m->depth_sigma_pc) : last;
    case RowOrder::Slides: return m ? largestFirst(m->creep_px) : last;
    case RowOrder::Shared: return m ? largestFirst(m->shared_px) : last;
  }
  return 0;
}

}  // namespace

MapRows rowsOf(const Session& session, RowOrder order, RowGrouping grouping) {
  const TrackSetPtr tracks = session.model.tracks();
  if (!tracks) return {};
  struct Row {
    GroupOf group;
    int state;
    double key;
    int id;
  };
  const SolutionPtr solution = session.model.solution();
  const TrackFacts::FactsPtr facts = session.facts.now();
  const Grouper grouper(session, grouping);
  std::vector<Row> rows;
  rows.reserve(tracks->tracks.size());
  for (const Track& track : tracks->tracks) {
    const SolvedTrack* solved = solution ? solution->find(track.id) : nullptr;
    const Glyph glyph = solved ? glyphNow(session.model, track.id, solved) : Glyph::Kept;
    rows.push_back({grouper.of(track, glyph), stateRank(glyph), keyOf(order, track, solved, facts->find(track.id)), track.id});
  }
  std::stable_sort(rows.begin(), rows.end(),
                   [](const Row& a, const Row& b) { return std::tuple(a.group.place, a.state, a.key) < std::tuple(b.group.place, b.state, b.key); });
  MapRows made;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (i == 0 || rows[i].group.place != rows[i - 1].group.place) made.groups.push_back({rows[i].group.name, static_cast<int>(i), 0});
    ++made.groups.back().count;
    made.tracks.push_back(rows[i].id);
  }
  return made;
}

}  // namespace dusky::desktop
