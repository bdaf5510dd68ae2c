#include "apps/desktop/paint/track_text.h"

#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_state.h"

namespace dusky::desktop {
namespace {

QString words(std::string_view text) { return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size())); }

/// How far it is from the nearest camera that sees it, and how well that is known.
QString depthText(const Session& session, const TrackMeasures& measures) {
  if (std::isnan(measures.depth)) return QObject::tr("no depth: its rays hardly differ");
  const QString sure = std::isnan(measures.depth_sigma_pc) ? QString() : QObject::tr(" ± %1 %").arg(measures.depth_sigma_pc, 0, 'g', 2);
  const auto& scene = session.model.scene();
  if (!scene || !scene->metric) return QObject::tr("depth %1 × the usual%2").arg(measures.distance, 0, 'g', 3).arg(sure);
  return QObject::tr("depth %1%2").arg(lengthText(measures.depth * scene->scene_from_solve.scale, 3)).arg(sure);
}

QString stateText(const Session& session, const SolvedTrack& solved) {
  const Glyph glyph = glyphNow(session.model, solved.id, &solved);
  QString state = glyphName(glyph);
  if (glyph != Glyph::Kept && solved.reason != AsideReason::None) state += QObject::tr(" (%1)").arg(words(describe(solved.reason)));
  if (std::isnan(solved.typical_error_px)) return state;
  return QObject::tr("%1 · typical %2 px · worst %3 px at %4")
      .arg(state, pxText(solved.typical_error_px), pxText(solved.worst_error_px))
      .arg(solved.worst_frame);
}

}  // namespace

QString trackText(const DocumentModel& model, int id) {
  const TrackSetPtr tracks = model.tracks();
  const Track* track = tracks ? tracks->find(id) : nullptr;
  if (!track) return {};
  const QString name = QString::fromStdString(model.workspace().nameOf(id));
  QString text = QObject::tr("track %1 · life %2 %3").arg(name).arg(track->life()).arg(track->life() == 1 ? QObject::tr("frame") : QObject::tr("frames"));
  const SolutionPtr solution = model.solution();
  const SolvedTrack* solved = solution ? solution->find(id) : nullptr;
  if (!solved) return text + QObject::tr(" · %1").arg(QString::fromUtf8(describe(track->stop).data()));
  if (!std::isnan(solved->typical_error_px)) {
    text +=
        QObject::tr(" · typical %1 px · worst %2 px at %3").arg(pxText(solved->typical_error_px)).arg(pxText(solved->worst_error_px)).arg(solved->worst_frame);
  }
  if (!std::isnan(solved->parallax_rad)) text += QObject::tr(" · parallax %1°").arg(solved->parallax_rad * 180 / M_PI, 0, 'f', 1);
  const Glyph glyph = glyphNow(model, id, solved);
  if (glyph != Glyph::Kept) text += QObject::tr(" · %1").arg(glyphName(glyph));
  if (glyph != Glyph::Kept && solved->reason != AsideReason::None) text += QObject::tr(" (%1)").arg(QString::fromUtf8(describe(solved->reason).data()));
  return text;
}

QStringList trackCard(const Session& session, int id) {
  const TrackSetPtr tracks = session.model.tracks();
  const Track* track = tracks ? tracks->find(id) : nullptr;
  if (!track) return {};
  const SolutionPtr solution = session.model.solution();
  const SolvedTrack* solved = solution ? solution->find(id) : nullptr;
  const TrackMeasures* measures = session.facts.current() ? session.facts.now()->find(id) : nullptr;
  QStringList lines;
  if (solved) lines << stateText(session, *solved);
  lines << QObject::tr("frames %1–%2, seen in %3").arg(track->firstFrame()).arg(track->lastFrame()).arg(track->life());
  const QString before = words(describe(track->start)), after = words(describe(track->stop));
  lines << (before == after ? QObject::tr("before and after: %1").arg(before) : QObject::tr("before: %1 · after: %2").arg(before, after));
  if (!measures) return lines;
  QString place = depthText(session, *measures);
  if (!std::isnan(measures->parallax_deg)) place = QObject::tr("parallax %1° · %2").arg(measures->parallax_deg, 0, 'g', 3).arg(place);
  if (measures->behind) place += QObject::tr(" · behind a camera");
  lines << place;
  QStringList follows;
  if (measures->creep_px > 0) follows << QObject::tr("slides by %1 px over its life").arg(pxText(measures->creep_px));
  if (measures->shared_px > 0) follows << QObject::tr("%1 px shared with its neighbours").arg(pxText(measures->shared_px));
  if (!follows.isEmpty()) lines << follows.join(QObject::tr(" · "));
  return lines;
}

}  // namespace dusky::desktop
