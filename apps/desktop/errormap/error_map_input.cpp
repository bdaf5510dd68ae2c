#include <QHelpEvent>
#include <QMouseEvent>
#include <QScrollBar>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/model/preferences.h"
#include "core/review/frame_figures.h"

namespace dusky::desktop {
namespace {

constexpr double kDrag_px = 4, kNear_px = 8;
/// So many of a frame's worst tracks are picked with it.
constexpr int kWorstOfFrame = 12;

}  // namespace

bool ErrorMap::isOnCurve(const QPointF& at) const {
  const auto curve = solution_ && curve_box_.contains(at.toPoint()) ? curveAt(frameOf(at.x())) : std::nullopt;
  return curve && std::abs(curve->y() - at.y()) <= kNear_px;
}

std::optional<FrameCurve> ErrorMap::curveNameUnder(const QPointF& at) const {
  for (int i = 0; i < kFrameCurves; ++i) {
    if (curveName(static_cast<FrameCurve>(i)).contains(at.toPoint())) return static_cast<FrameCurve>(i);
  }
  return std::nullopt;
}

void ErrorMap::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::MiddleButton) moved_ = event->position();
  if (event->button() != Qt::LeftButton || !session_.model.hasFootage()) return;
  if (const auto key = laneKeyAt(event->position())) {
    held_key_ = key, held_to_ = *key;
    session_.playback.pause();
    return session_.playback.setFrame(*key);
  }
  if (const auto name = curveNameUnder(event->position())) return setCurve(*name);
  if (const RowGroup* group = groupUnder(event->position())) {
    const auto first = rows_.tracks.begin() + group->first;
    return session_.selection.pick({first, first + group->count}, selectionMode(event->modifiers()));
  }
  press_ = now_ = event->position();
  scrubbing_ = rowOf(event->position().y()) < 0;
  if (scrubbing_) pressCurves(event->position(), event->modifiers());
}

/// Goes to the frame; on the curve itself its worst tracks are picked as well.
void ErrorMap::pressCurves(const QPointF& at, Qt::KeyboardModifiers keys) {
  const int frame = frameOf(at.x());
  session_.playback.pause();
  session_.playback.setFrame(frame);
  if (!isOnCurve(at)) return;
  const std::vector<int> worst = worstTracksIn(*solution_, frame, kWorstOfFrame);
  if (!worst.empty()) session_.selection.pick(worst, selectionMode(keys));
}

void ErrorMap::mouseMoveEvent(QMouseEvent* event) {
  now_ = event->position();
  if (held_key_) {
    held_to_ = frameOf(now_.x());
    session_.playback.setFrame(held_to_);
    return update();
  }
  if (moved_) {
    vertical_.scrollTo(vertical_.first() - (now_.y() - moved_->y()) / vertical_.size_px());
    horizontal_.scrollTo(horizontal_.first() - (now_.x() - moved_->x()) / horizontal_.size_px());
    moved_ = now_;
    showBars();
    return renderCells();
  }
  if (!press_) {
    const ErrorGrid::Cell cell = cellUnder(now_);
    setCursor(isOnCurve(now_) || groupUnder(now_) || curveNameUnder(now_) ? Qt::PointingHandCursor : Qt::ArrowCursor);
    return cell.row >= 0 ? session_.selection.hover(trackAt(cell.row), tracks_->first_frame + cell.column) : session_.selection.hover(0);
  }
  if (scrubbing_) session_.playback.setFrame(frameOf(now_.x()));
  update();
}

void ErrorMap::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() == Qt::MiddleButton) moved_.reset();
  if (held_key_) {
    const int from = *std::exchange(held_key_, std::nullopt);
    if (held_to_ != from) moveLaneKey(from, held_to_);
    return update();
  }
  if (event->button() != Qt::LeftButton || !press_) return;
  const QPointF from = *press_, to = event->position();
  press_.reset();
  update();
  if (!std::exchange(scrubbing_, false)) pickRows(from, to, event->modifiers());
}

void ErrorMap::pickRows(const QPointF& from, const QPointF& to, Qt::KeyboardModifiers keys) {
  if ((to - from).manhattanLength() < kDrag_px) {
    const ErrorGrid::Cell cell = cellUnder(from);
    if (cell.row < 0) return;
    session_.playback.pause();
    session_.playback.setFrame(std::clamp(tracks_->first_frame + cell.column, session_.model.firstFrame(), session_.model.lastFrame()));
    return session_.selection.pick({trackAt(cell.row)}, selectionMode(keys));
  }
  const int a = rowOf(from.y()), end = rowOf(std::clamp<double>(to.y(), map_.top(), map_.bottom()));
  const int b = end < 0 ? rowCount() - 1 : end;
  if (a < 0) return;
  const auto first = rows_.tracks.begin();
  session_.selection.pick({first + std::min(a, b), first + std::max(a, b) + 1}, selectionMode(keys));
}

void ErrorMap::mouseDoubleClickEvent(QMouseEvent* event) {
  if (map_.contains(event->position().toPoint()) && !showsAll()) showAll();
}

void ErrorMap::wheelEvent(QWheelEvent* event) {
  const QPoint turned = event->angleDelta();
  const double steps = (turned.y() != 0 ? turned.y() : turned.x()) / 120.0;
  const double factor = std::pow(1.25, steps);
  const bool rows = event->modifiers() & Qt::ControlModifier, columns = event->modifiers() & Qt::ShiftModifier;
  if (rows) vertical_.zoom(factor, event->position().y() - map_.top());
  if (columns) horizontal_.zoom(factor, event->position().x() - map_.left());
  if (!rows && !columns) {
    vertical_.scrollTo(vertical_.first() - (turned.y() / 120.0) * std::max(3.0, vertical_.shown() / 8));
    horizontal_.scrollTo(horizontal_.first() - (turned.x() / 120.0) * std::max(1.0, horizontal_.shown() / 8));
  }
  showBars();
  renderCells();
}

void ErrorMap::leaveEvent(QEvent*) { session_.selection.hover(0); }

/// ", 0.12 px less than in Run 3"; empty where errors themselves are shown.
QString ErrorMap::differenceText(int row, int frame) const {
  const SolvedTrack* other = other_ ? other_->find(trackAt(row)) : nullptr;
  const TrackError* before = other ? errorAt(*other, frame) : nullptr;
  if (!before) return {};
  const QString name = nameOfCompared(true);
  if (!before->used) return tr(", left out in %1").arg(name);
  const double more = *errorIn(row, frame) - before->error_px;
  return (more > 0 ? tr(", %1 px more than in %2") : tr(", %1 px less than in %2")).arg(pxText(std::abs(more)), name);
}

QString ErrorMap::tipAt(const QPointF& at) const {
  const QPoint place = at.toPoint();
  const int frame = frameOf(at.x());
  if (const RowGroup* group = groupUnder(at)) return tr("%1: %2 tracks. Click to select them.").arg(group->name).arg(group->count);
  if (const auto name = curveNameUnder(at)) return tipOf(*name);
  if (const ErrorGrid::Cell cell = cellUnder(at); cell.row >= 0) {
    const int seen = tracks_->first_frame + cell.column;
    const auto error = errorIn(cell.row, seen);
    const QString name = QString::fromStdString(session_.model.workspace().nameOf(trackAt(cell.row)));
    const QString what =
        error ? tr("Track %1, frame %2: %3 px%4").arg(name).arg(seen).arg(pxText(*error), differenceText(cell.row, seen)) : tr("Track %1").arg(name);
    return vertical_.size_px() < 1 ? tr("%1 (the worst here)\nCtrl+wheel enlarges rows, Shift+wheel frames, a double click shows all.").arg(what) : what;
  }
  if (!lane_.isEmpty() && lane_.contains(place) && !session_.chosenHand() && !session_.chosenMask())
    return tr("Keyframes that dense points are made from. Drag one to another frame; click to go there. The Dense step adds and leaves out.");
  if (!lane_.isEmpty() && lane_.contains(place))
    return tr("Keys of the chosen mask or the selected track by hand. Drag a key to another frame; click to go there.");
  if (!curve_box_.contains(place)) return {};
  const SolvedFrame* solved = solution_ ? solution_->frameAt(frame) : nullptr;
  if (solved && !solved->placed)
    return tr("Frame %1 has no camera: %2. “Refine this solve” tries again.").arg(frame).arg(QString::fromStdString(solved->why_not));
  return solution_ ? tr("%1 Click or drag to go to a frame; click on the curve to pick the worst tracks there.").arg(tipOf(curve_))
                   : tipOf(FrameCurve::Sharpness) + tr(" Marks: blurred, repeated or cut.");
}

bool ErrorMap::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const QString tip = tipAt(help->pos());
  tip.isEmpty() ? QToolTip::hideText() : QToolTip::showText(help->globalPos(), tip, this);
  return true;
}

}  // namespace dusky::desktop
