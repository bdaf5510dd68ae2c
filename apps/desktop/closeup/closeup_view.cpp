#include "apps/desktop/closeup/closeup_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_state.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr int kCurve_px = 52, kReference_px = 96, kGap_px = 6;
constexpr int kLeast = 4, kMost = 32;

const TrackError* errorIn(const DocumentModel& model, int id, int frame) {
  const SolutionPtr solution = model.solution();
  const SolvedTrack* track = solution ? solution->find(id) : nullptr;
  const TrackError* error = track ? errorAt(*track, frame) : nullptr;
  return error && !std::isnan(error->error_px) ? error : nullptr;
}

void frameText(QPainter& painter, const QRect& box, const QString& text) {
  painter.setPen(QPen(color::Edge, 1));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(box.adjusted(0, 0, -1, -1));
  const QRect line = painter.fontMetrics().boundingRect(text).adjusted(-4, -1, 4, 1);
  const QRect placed(box.left() + 1, box.top() + 1, line.width(), line.height());
  painter.fillRect(placed, QColor(20, 16, 26, 200));
  painter.setPen(color::Text);
  painter.drawText(placed, Qt::AlignCenter, text);
}

}  // namespace

CloseupView::CloseupView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("closeup");
  setFocusPolicy(Qt::ClickFocus);
  setAttribute(Qt::WA_OpaquePaintEvent);
  setToolTip(tr("The selected track, enlarged and held still. Drag a track by hand to set its key; wheel: enlarge."));
  connect(&session_.selection, &Selection::changed, this, &CloseupView::refresh);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &CloseupView::refresh);
  connect(&session_.playback, &Playback::frameChanged, this, &CloseupView::refresh);
  connect(&session_.frames, &FrameStore::ready, this, qOverload<>(&QWidget::update));
}

int CloseupView::track() const { return session_.selection.empty() ? 0 : session_.selection.ids().back(); }

std::optional<CloseupView::Subject> CloseupView::subject() const {
  const TrackSetPtr tracks = session_.model.tracks();
  Subject subject;
  subject.track = tracks ? tracks->find(track()) : nullptr;
  if (!subject.track) return std::nullopt;
  subject.by_hand = session_.model.document().work.find(track());
  subject.pattern_px = subject.by_hand ? subject.by_hand->pattern_px : session_.model.document().tracking.patch_radius;
  const int frame = session_.playback.frame();
  const auto& seen = subject.track->observations;
  const auto after = std::upper_bound(seen.begin(), seen.end(), frame, [](int f, const Observation& o) { return f < o.frame; });
  const Observation& nearest = after == seen.begin() ? seen.front() : *std::prev(after);
  subject.place = nearest.position;
  subject.here = nearest.frame == frame;
  return subject;
}

void CloseupView::refresh() {
  const auto now = subject();
  emit noteChanged(now ? tr("track %1 · ×%2").arg(track()).arg(zoom_) : "");
  update();
}

void CloseupView::setZoom(int times) {
  zoom_ = std::clamp(times, kLeast, kMost);
  refresh();
}

QRect CloseupView::pictureArea() const { return rect().adjusted(0, 0, 0, -kCurve_px - kGap_px); }
QRect CloseupView::curveArea() const { return {0, height() - kCurve_px, width(), kCurve_px}; }

/// The piece of a frame about a place, enlarged; null while the frame is being read.
QImage CloseupView::pieceOf(int frame, const Vec2& place, const QSize& size, double scale) const {
  const QImage picture = session_.frames.frame(frame);
  if (picture.isNull()) return {};
  QImage piece(size, QImage::Format_RGB32);
  piece.fill(color::Night);
  QPainter painter(&piece);
  painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
  painter.translate(size.width() / 2.0, size.height() / 2.0);
  painter.scale(scale, scale);
  painter.translate(-place.x(), -place.y());
  // Only what is seen: scaling the whole picture would cost a second.
  const double w = size.width() / scale, h = size.height() / scale;
  const QRectF source = QRectF(place.x() - w / 2 - 1, place.y() - h / 2 - 1, w + 2, h + 2).intersected(QRectF(picture.rect()));
  const QRect whole = source.toAlignedRect().intersected(picture.rect());
  painter.drawImage(whole, picture, whole);
  return piece;
}

void CloseupView::drawPicture(QPainter& painter, const Subject& subject) const {
  const QRect area = pictureArea();
  const QImage piece = pieceOf(session_.playback.frame(), subject.place, area.size(), zoom_);
  if (!piece.isNull()) painter.drawImage(area.topLeft(), piece);
  const QPointF middle = QRectF(area).center() + dragged_;
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setBrush(Qt::NoBrush);
  if (!subject.here) painter.setOpacity(0.45);
  const double half = (subject.pattern_px + 0.5) * zoom_;
  painter.setPen(QPen(color::Lamp, 1.2));
  painter.drawRect(QRectF(middle.x() - half, middle.y() - half, 2 * half, 2 * half));
  // A cross that leaves the very place free.
  for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)}) {
    painter.setPen(QPen(QColor(12, 8, 16, 190), 3));
    painter.drawLine(middle + 5 * way, middle + 16 * way);
    painter.setPen(QPen(color::Lamp, 1.2));
    painter.drawLine(middle + 5 * way, middle + 16 * way);
  }
  painter.setOpacity(1);
  const HandPoint* point = subject.by_hand ? subject.by_hand->at(session_.playback.frame()) : nullptr;
  const QString what = !subject.here  ? tr("not seen in this frame")
                       : !point       ? tr("frame %1").arg(session_.playback.frame())
                       : point->keyed ? tr("frame %1 · key").arg(session_.playback.frame())
                                      : tr("frame %1 · likeness %2").arg(session_.playback.frame()).arg(point->likeness, 0, 'f', 2);
  frameText(painter, area, what);
}

/// How it looked where it began: what is compared with.
void CloseupView::drawReference(QPainter& painter, const Subject& subject) const {
  const QRect area = pictureArea();
  const QRect box(area.right() - kReference_px - 5, area.top() + 6, kReference_px, kReference_px);
  int frame = subject.track->born();
  if (subject.by_hand) {
    for (const HandPoint& p : subject.by_hand->points) {
      if (p.keyed && (p.frame <= session_.playback.frame() || frame > session_.playback.frame())) frame = p.frame;
    }
  }
  const Observation* seen = subject.track->at(frame);
  if (!seen || area.width() < 2 * kReference_px) return;
  const QImage piece = pieceOf(frame, seen->position, box.size(), kReference_px / (2.0 * subject.pattern_px + 1));
  if (piece.isNull()) return;
  painter.drawImage(box.topLeft(), piece);
  frameText(painter, box, tr("as in %1").arg(frame));
}

void CloseupView::drawReprojection(QPainter& painter, const Subject& subject) const {
  const TrackError* error = errorIn(session_.model, subject.track->id, session_.playback.frame());
  if (!error || !subject.here) return;
  const QPointF middle = QRectF(pictureArea()).center();
  const Vec2 away = zoom_ * (error->reprojected - subject.place);
  const QPointF there = middle + QPointF(away.x(), away.y());
  const QColor paint = errorQColor(error->error_px, session_.view.errorTop());
  painter.setPen(QPen(QColor(12, 8, 16, 190), 4));
  painter.drawLine(middle, there);
  painter.setPen(QPen(paint, 2));
  painter.drawLine(middle, there);
  painter.setBrush(paint);
  painter.setPen(QPen(color::Night, 1));
  painter.drawEllipse(there, 4, 4);
}

/// Likeness of a track by hand, frame by frame; of others, after a solve, their error.
void CloseupView::drawCurve(QPainter& painter, const Subject& subject) const {
  const QRect area = curveArea();
  painter.fillRect(area, color::Night);
  const int first = session_.model.firstFrame(), last = session_.model.lastFrame();
  const auto xOf = [&](double frame) { return area.left() + 4 + (area.width() - 8) * (frame - first) / std::max(1, last - first + 1); };
  const auto yOf = [&](double share) { return area.bottom() - 4 - (area.height() - 20) * std::clamp(share, 0.0, 1.0); };
  QString name = subject.by_hand ? tr("likeness with the key, 0 to 1") : tr("error after a solve, px");
  QPolygonF line;
  if (subject.by_hand) {
    for (const HandPoint& p : subject.by_hand->points) line << QPointF(xOf(p.frame + 0.5), yOf(p.likeness));
  } else if (const SolutionPtr solution = session_.model.solution()) {
    const SolvedTrack* solved = solution->find(subject.track->id);
    for (const TrackError& e : solved ? solved->errors : std::vector<TrackError>{}) {
      if (!std::isnan(e.error_px)) line << QPointF(xOf(e.frame + 0.5), yOf(e.error_px / session_.view.errorTop()));
    }
  }
  painter.setPen(QPen(color::Quiet, 1));
  painter.drawText(area.adjusted(5, 1, 0, 0), Qt::AlignLeft | Qt::AlignTop, line.isEmpty() && !subject.by_hand ? tr("no error known before a solve") : name);
  painter.setPen(QPen(QColor(0xe9, 0xdf, 0xf2), 1.4));
  painter.setBrush(Qt::NoBrush);
  painter.drawPolyline(line);
  if (subject.by_hand) {
    painter.setBrush(color::Lamp);
    painter.setPen(Qt::NoPen);
    for (const HandPoint& p : subject.by_hand->points) {
      if (p.keyed) painter.drawRect(QRectF(xOf(p.frame + 0.5) - 2, area.bottom() - 6, 4, 6));
    }
  }
  painter.setPen(QPen(color::Text, 1));
  const double now = xOf(session_.playback.frame() + 0.5);
  painter.drawLine(QPointF(now, area.top()), QPointF(now, area.bottom()));
}

void CloseupView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), color::Night);
  const auto now = subject();
  if (!now) {
    painter.setPen(color::Quiet);
    painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, session_.model.tracks() ? tr("Select a track to see it close up.") : "");
    return;
  }
  painter.save();
  painter.setClipRect(pictureArea());
  drawPicture(painter, *now);
  drawReprojection(painter, *now);
  drawReference(painter, *now);
  painter.restore();
  drawCurve(painter, *now);
}

void CloseupView::mousePressEvent(QMouseEvent* event) {
  const auto now = subject();
  if (event->button() != Qt::LeftButton || !now) return;
  if (curveArea().contains(event->position().toPoint())) {
    const int first = session_.model.firstFrame(), last = session_.model.lastFrame();
    session_.playback.pause();
    session_.playback.setFrame(first + static_cast<int>((event->position().x() - 4) * (last - first + 1) / std::max(1, width() - 8)));
  } else if (now->by_hand) {
    press_ = event->position();
  }
}

void CloseupView::mouseMoveEvent(QMouseEvent* event) {
  if (!press_) return;
  dragged_ = event->position() - *press_;
  update();
}

void CloseupView::mouseReleaseEvent(QMouseEvent*) {
  if (!press_) return;
  press_.reset();
  const QPointF moved = std::exchange(dragged_, QPointF()) / zoom_;
  const auto now = subject();
  if (!now || !now->by_hand || moved.isNull()) return update();
  HandTrack changed = *now->by_hand;
  changed.putKey(session_.playback.frame(), now->place + Vec2(moved.x(), moved.y()));
  session_.model.run(changeHandTrack("Set key", session_.model.document(), std::move(changed)));
}

void CloseupView::wheelEvent(QWheelEvent* event) {
  const int steps = event->angleDelta().y() > 0 ? 1 : -1;
  setZoom(steps > 0 ? zoom_ + std::max(1, zoom_ / 4) : zoom_ - std::max(1, zoom_ / 5));
}

}  // namespace dusky::desktop
