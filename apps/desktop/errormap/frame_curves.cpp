#include "apps/desktop/errormap/frame_curves.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "core/base/numbers.h"

namespace dusky::desktop {
namespace {

const FrameFigures* figuresAt(const Session& session, int frame) {
  const auto& frames = session.facts.now()->frames;
  const auto found = std::lower_bound(frames.begin(), frames.end(), frame, [](const FrameFigures& f, int number) { return f.frame < number; });
  return found != frames.end() && found->frame == frame ? &*found : nullptr;
}

const CheckedFrame* checkedAt(const Session& session, int frame) {
  const auto& checked = session.jobs.checked();
  const auto found = std::find_if(checked.begin(), checked.end(), [frame](const CheckedFrame& f) { return f.frame == frame; });
  return found != checked.end() ? &*found : nullptr;
}

QString px(double value) { return std::isnan(value) ? QString() : QObject::tr("%1 px").arg(pxText(value)); }

/// The scale: of what is usual, and of what stands out.
void scale(CurveSet& set) {
  std::vector<double> values;
  for (const auto* line : {&set.main, &set.second}) {
    for (const CurveSet::Point& p : *line) {
      if (std::isfinite(p.value)) values.push_back(p.value);
    }
  }
  if (values.empty()) return;
  set.top = std::max(1e-9, *std::max_element(values.begin(), values.end()));
  const double usual = median(std::move(values));
  constexpr double kStandsOut = 12;
  if (usual > 0 && set.top > kStandsOut * usual) set.bend = usual;
}

template <class Frames, class Value>
std::vector<CurveSet::Point> lineOf(const Frames& frames, Value&& value) {
  std::vector<CurveSet::Point> line;
  line.reserve(frames.size());
  for (const auto& frame : frames) line.push_back({frame.frame, static_cast<double>(value(frame))});
  return line;
}

CurveSet checkedCurves(const Session& session) {
  CurveSet set;
  set.main = lineOf(session.jobs.checked(), [](const CheckedFrame& f) { return f.sharpness; });
  if (set.main.empty()) set.missing = QObject::tr("The Footage step’s frame check finds out how sharp each frame is.");
  scale(set);
  // As a share of the sharpest: its unit says little.
  for (auto& p : set.main) p.value *= 100 / set.top;
  set.second = lineOf(session.jobs.checked(), [](const CheckedFrame& f) { return f.brightness / 2.55; });
  set.top = 100, set.bend = 0;
  set.top_text = QObject::tr("100 %");
  return set;
}

CurveSet solvedCurves(const Session& session, const Solution& solution, FrameCurve curve) {
  CurveSet set;
  const auto& figures = session.facts.now()->frames;
  if (curve == FrameCurve::Errors) {
    set.main = lineOf(solution.frames, [](const SolvedFrame& f) { return f.rms_px; });
    set.second = lineOf(solution.frames, [](const SolvedFrame& f) { return f.holdout_rms_px; });
  } else if (curve == FrameCurve::Worst) {
    set.main = lineOf(figures, [](const FrameFigures& f) { return f.worst_px; });
  } else if (curve == FrameCurve::Kept) {
    set.main = lineOf(solution.frames, [](const SolvedFrame& f) { return f.tracks; });
  } else {
    set.main = lineOf(figures, [](const FrameFigures& f) { return 100 * f.explained_share; });
  }
  scale(set);
  if (curve == FrameCurve::Kept) set.bend = 0;
  if (curve == FrameCurve::Explained) set.top = 100, set.bend = 0;
  set.top_text = curve == FrameCurve::Kept ? QString::number(set.top) : curve == FrameCurve::Explained ? QObject::tr("100 %") : px(set.top);
  return set;
}

}  // namespace

QString nameOf(FrameCurve curve) {
  switch (curve) {
    case FrameCurve::Errors: return QObject::tr("RMS, holdout");
    case FrameCurve::Worst: return QObject::tr("worst");
    case FrameCurve::Kept: return QObject::tr("kept tracks");
    case FrameCurve::Explained: return QObject::tr("explained");
    case FrameCurve::Sharpness: return QObject::tr("sharpness");
    case FrameCurve::Count: break;
  }
  return {};
}

QString tipOf(FrameCurve curve) {
  switch (curve) {
    case FrameCurve::Errors: return QObject::tr("RMS error of the kept tracks in each frame (solid) and of the holdout tracks (dashed), px.");
    case FrameCurve::Worst: return QObject::tr("Largest error of a kept track in each frame, px.");
    case FrameCurve::Kept: return QObject::tr("Kept tracks that take part in each frame.");
    case FrameCurve::Explained: return QObject::tr("Share of the sightings in each frame that the solve explains, per cent.");
    case FrameCurve::Sharpness: return QObject::tr("Sharpness, per cent of the sharpest frame, and brightness (dashed), per cent; of a frame check.");
    case FrameCurve::Count: break;
  }
  return {};
}

QString valueOf(const Session& session, FrameCurve curve, int frame) {
  const SolutionPtr solution = session.model.solution();
  const SolvedFrame* solved = solution ? solution->frameAt(frame) : nullptr;
  const FrameFigures* figures = figuresAt(session, frame);
  const CheckedFrame* checked = checkedAt(session, frame);
  switch (curve) {
    case FrameCurve::Errors: return solved ? px(solved->rms_px) : QString();
    case FrameCurve::Worst: return figures ? px(figures->worst_px) : QString();
    case FrameCurve::Kept: return solved ? QString::number(solved->tracks) : QString();
    case FrameCurve::Explained:
      return figures && !std::isnan(figures->explained_share) ? QObject::tr("%1 %").arg(100 * figures->explained_share, 0, 'f', 0) : QString();
    case FrameCurve::Sharpness: {
      if (!checked) return {};
      double sharpest = 1e-9;
      for (const CheckedFrame& f : session.jobs.checked()) sharpest = std::max(sharpest, f.sharpness);
      return QObject::tr("%1 %").arg(100 * checked->sharpness / sharpest, 0, 'f', 0);
    }
    case FrameCurve::Count: break;
  }
  return {};
}

double CurveSet::heightOf(double value) const {
  const double share = bend > 0 ? std::log1p(value / bend) / std::log1p(top / bend) : value / top;
  return std::clamp(share, 0.0, 1.0);
}

const CurveSet::Point* CurveSet::at(int frame) const {
  const auto found = std::lower_bound(main.begin(), main.end(), frame, [](const Point& p, int number) { return p.frame < number; });
  return found != main.end() && found->frame == frame ? &*found : nullptr;
}

CurveSet curvesOf(const Session& session, FrameCurve curve) {
  const SolutionPtr solution = session.model.solution();
  if (curve == FrameCurve::Sharpness || (!solution && !session.jobs.checked().empty())) return checkedCurves(session);
  if (solution) return solvedCurves(session, *solution, curve);
  CurveSet set;
  set.missing = session.model.tracks() ? QObject::tr("Solve, and the error of each frame is drawn here.") : QString();
  return set;
}

}  // namespace dusky::desktop
