#include "apps/desktop/paint/track_text.h"

#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_state.h"

namespace dusky::desktop {
namespace {

/// How far it is from the nearest camera that sees it, and how well that is known.
QString depthText(const Session& session, const TrackMeasures& measures) {
  if (std::isnan(measures.depth)) return QObject::tr("no depth: its rays hardly differ");
  const QString sure = std::isnan(measures.depth_sigma_pc) ? QString() : QObject::tr(" ± %1 %").arg(measures.depth_sigma_pc, 0, 'g', 2);
  const auto& scene = session.model.scene();
  if (!scene || !scene->metric) return QObject::tr("depth %1 × the usual%2").arg(measures.distance, 0, 'g', 3).arg(sure);
  return QObject::tr("depth %1%2").arg(lengthText(measures.depth * scene->scene_from_solve.scale, 3)).arg(sure);
}

/// "set aside (high error)".
QString stateText(const DocumentModel& model, const SolvedTrack& solved) {
  const Glyph glyph = glyphNow(model, solved.id, &solved);
  const bool says_why = glyph != Glyph::Kept && solved.reason != AsideReason::None;
  return says_why ? QObject::tr("%1 (%2)").arg(glyphName(glyph), words(describe(solved.reason))) : QString(glyphName(glyph));
}

/// "typical 0.93 px · worst 4.6 px at 98"; empty where that is not known.
QString errorText(const SolvedTrack& solved) {
  if (std::isnan(solved.typical_error_px)) return {};
  return QObject::tr("typical %1 px · worst %2 px at %3").arg(pxText(solved.typical_error_px), pxText(solved.worst_error_px)).arg(solved.worst_frame);
}

/// "weight 4"; empty of a track that counts as any other.
QString weightText(const DocumentModel& model, int id) {
  const double weight = weightOfTrack(model.document().picks.weights, id);
  return weight == 1 ? QString() : QObject::tr("weight %1").arg(weight, 0, 'g', 3);
}

QString joined(QStringList parts) {
  parts.removeAll(QString());
  return parts.join(QObject::tr(" · "));
}

}  // namespace

QString sceneLengthText(const SceneFrame& scene, double length, int digits) {
  constexpr double kLeast = 0.001;  // below it a number of units says nothing
  if (!scene.metric && length > 0 && length < kLeast) return QObject::tr("under %1 units").arg(kLeast);
  return scene.metric ? lengthText(length, digits) : QObject::tr("%1 units").arg(length, 0, 'g', digits);
}

QString selectionText(const Session& session) {
  const auto& ids = session.selection.ids();
  const QString count = QObject::tr("%1 tracks selected").arg(ids.size());
  const auto& scene = session.model.scene();
  if (!scene || !session.model.solution() || ids.size() < 2 || ids.size() > 3) return count;
  std::vector<Vec3> places;
  for (const int id : ids) {
    const SolvedTrack* track = session.model.solution()->find(id);
    if (!track || !track->hasPlace()) return count;
    places.push_back(scene->scene_from_solve * track->point);
  }
  if (places.size() == 2) return joined({count, QObject::tr("%1 apart").arg(sceneLengthText(*scene, (places[1] - places[0]).norm(), 3))});
  const Vec3 one = places[0] - places[1], other = places[2] - places[1];
  const double angle = std::atan2(one.cross(other).norm(), one.dot(other)) * 180 / M_PI;
  return joined({count, QObject::tr("%1° at track %2").arg(angle, 0, 'f', 1).arg(QString::fromStdString(session.model.workspace().nameOf(ids[1])))});
}

QString trackText(const DocumentModel& model, int id) {
  const TrackSetPtr tracks = model.tracks();
  const Track* track = tracks ? tracks->find(id) : nullptr;
  if (!track) return {};
  QStringList parts = {QObject::tr("track %1").arg(QString::fromStdString(model.workspace().nameOf(id))),
                       track->life() == 1 ? QObject::tr("life 1 frame") : QObject::tr("life %1 frames").arg(track->life()), weightText(model, id)};
  const SolutionPtr solution = model.solution();
  const SolvedTrack* solved = solution ? solution->find(id) : nullptr;
  if (!solved) return joined(parts << words(describe(track->stop)));
  parts << errorText(*solved);
  if (!std::isnan(solved->parallax_rad)) parts << QObject::tr("parallax %1°").arg(solved->parallax_rad * 180 / M_PI, 0, 'f', 1);
  if (glyphNow(model, id, solved) != Glyph::Kept) parts << stateText(model, *solved);
  return joined(parts);
}

QStringList trackCard(const Session& session, int id) {
  const TrackSetPtr tracks = session.model.tracks();
  const Track* track = tracks ? tracks->find(id) : nullptr;
  if (!track) return {};
  const SolutionPtr solution = session.model.solution();
  const SolvedTrack* solved = solution ? solution->find(id) : nullptr;
  const TrackMeasures* measures = session.facts.current() ? session.facts.now()->find(id) : nullptr;
  QStringList lines;
  if (solved) lines << joined({stateText(session.model, *solved), errorText(*solved)});
  lines << QObject::tr("frames %1–%2, seen in %3").arg(track->firstFrame()).arg(track->lastFrame()).arg(track->life());
  const QString before = words(describe(track->start)), after = words(describe(track->stop));
  lines << (before == after ? QObject::tr("before and after: %1").arg(before) : QObject::tr("before: %1 · after: %2").arg(before, after));
  if (const QString weight = weightText(session.model, id); !weight.isEmpty()) lines << QObject::tr("%1 in the solve").arg(weight);
  if (!measures) return lines;
  lines << joined({std::isnan(measures->parallax_deg) ? QString() : QObject::tr("parallax %1°").arg(measures->parallax_deg, 0, 'g', 3),
                   depthText(session, *measures), measures->behind ? QObject::tr("behind a camera") : QString()});
  const QString follows = joined({measures->creep_px > 0 ? QObject::tr("slides by %1 px over its life").arg(pxText(measures->creep_px)) : QString(),
                                  measures->shared_px > 0 ? QObject::tr("%1 px shared with its neighbours").arg(pxText(measures->shared_px)) : QString()});
  if (!follows.isEmpty()) lines << follows;
  return lines;
}

}  // namespace dusky::desktop
