#include "apps/desktop/closeup/closeup_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "apps/desktop/closeup/track_card.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/paint/track_text.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr int kCurve_px = 58, kPiece_px = 52, kReference_px = 96, kGap_px = 4;
constexpr int kLeast = 4, kMost = 32, kCardLines = 5;
/// The picture keeps at least so much.
constexpr int kLeastPicture_px = 110;

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
  setToolTip(
      tr("The track that is pointed at or selected, enlarged and held still. Drag a track by hand to set its key; click a piece of its life or the curve to go "
         "there; "
         "wheel: enlarge."));
  connect(&session_.selection, &Selection::changed, this, &CloseupView::refresh);
  connect(&session_.selection, &Selection::hoverChanged, this, &CloseupView::refresh);
  connect(&session_.facts, &TrackFacts::changed, this, &CloseupView::refresh);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &CloseupView::refresh);
  connect(&session_.playback, &Playback::frameChanged, this, &CloseupView::refresh);
  connect(&session_.frames, &FrameStore::ready, this, qOverload<>(&QWidget::update));
}

int CloseupView::track() const {
  if (session_.selection.hovered() != 0 && !press_) return session_.selection.hovered();
  return session_.selection.empty() ? 0 : session_.selection.ids().back();
}

int CloseupView::frame() const {
  const bool pointed = session_.selection.hovered() != 0 && session_.selection.hoveredFrame() && !press_;
  return pointed ? *session_.selection.hoveredFrame() : session_.playback.frame();
}

const SolvedTrack* CloseupView::solved() const {
  const SolutionPtr solution = session_.model.solution();
  return solution ? solution->find(track()) : nullptr;
}

std::optional<CloseupView::Subject> CloseupView::subject() const {
  const TrackSetPtr tracks = session_.model.tracks();
  Subject subject;
  subject.track = tracks ? tracks->find(track()) : nullptr;
  if (!subject.track) return std::nullopt;
  subject.by_hand = session_.model.document().work.find(track());
  subject.pattern_px = subject.by_hand ? subject.by_hand->pattern_px : session_.model.document().tracking.patch_radius;
  const int frame = this->frame();
  const auto& seen = subject.track->observations;
  const auto after = std::upper_bound(seen.begin(), seen.end(), frame, [](int f, const Observation& o) { return f < o.frame; });
  const Observation& nearest = after == seen.begin() ? seen.front() : *std::prev(after);
  subject.place = nearest.position;
  subject.here = nearest.frame == frame;
  return subject;
}

void CloseupView::refresh() {
  const auto now = subject();
  emit noteChanged(now ? tr("track %1 · ×%2").arg(QString::fromStdString(session_.model.workspace().nameOf(track()))).arg(zoom_) : "");
  update();
}

void CloseupView::setZoom(int times) {
  zoom_ = std::clamp(times, kLeast, kMost);
  refresh();
}

/// From the bottom up: curve, strip, card; the strip and then the card give way where there is little room.
QRect CloseupView::curveArea() const { return {0, height() - kCurve_px, width(), kCurve_px}; }

QRect CloseupView::stripArea() const {
  const int card = kCardLines * fontMetrics().height() + 6;
  const bool room = height() - kCurve_px - card - kPiece_px - 3 * kGap_px >= kLeastPicture_px;
  const int tall = room ? kPiece_px : 0;
  return {0, curveArea().top() - kGap_px - tall, width(), tall};
}

QRect CloseupView::cardArea() const {
  const int card = kCardLines * fontMetrics().height() + 6;
  const int tall = stripArea().top() - card - kGap_px >= kLeastPicture_px ? card : 0;
  return {0, stripArea().top() - (stripArea().isEmpty() ? 0 : kGap_px) - tall, width(), tall};
}

QRect CloseupView::pictureArea() const { return {0, 0, width(), cardArea().top() - (cardArea().isEmpty() ? 0 : kGap_px)}; }

/// The curve spans the track's life.
double CloseupView::curveX(const Track& track, double frame) const {
  return 4 + (width() - 8) * (frame - track.firstFrame()) / (track.lastFrame() - track.firstFrame() + 1);
}

int CloseupView::curveFrame(const Track& track, double x) const {
  const int frames = track.lastFrame() - track.firstFrame() + 1;
  return std::clamp(track.firstFrame() + static_cast<int>((x - 4) * frames / std::max(1, width() - 8)), track.firstFrame(), track.lastFrame());
}

std::vector<int> CloseupView::strip() const {
  const auto now = subject();
  return now && !stripArea().isEmpty() ? tellingFrames(*now->track, solved()) : std::vector<int>();
}

QRect CloseupView::pieceBox(int index) const {
  const double each = static_cast<double>(width()) / kMostPieces;
  return {static_cast<int>(index * each), stripArea().top(), static_cast<int>(each) - 2, stripArea().height()};
}

/// The piece of a frame about a place, enlarged; null while the frame is being read.
QImage CloseupView::pieceOf(int frame, const Vec2& place, const QSize& size, double scale, bool alone) const {
  const QImage picture = session_.frames.frame(frame, alone);
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
  const QImage piece = pieceOf(frame(), subject.place, area.size(), zoom_, session_.selection.hoveredFrame().has_value());
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
  const HandPoint* point = subject.by_hand ? subject.by_hand->at(frame()) : nullptr;
  const QString what = !subject.here  ? tr("not seen in this frame")
                       : !point       ? tr("frame %1").arg(frame())
                       : point->keyed ? tr("frame %1 · key").arg(frame())
                                      : tr("frame %1 · likeness %2").arg(frame()).arg(point->likeness, 0, 'f', 2);
  frameText(painter, area, what);
}

/// How it looked where it began: what is compared with.
void CloseupView::drawReference(QPainter& painter, const Subject& subject) const {
  const QRect area = pictureArea();
  const QRect box(area.right() - kReference_px - 5, area.top() + 6, kReference_px, kReference_px);
  int from = subject.track->born();
  if (subject.by_hand) {
    for (const HandPoint& p : subject.by_hand->points) {
      if (p.keyed && (p.frame <= frame() || from > frame())) from = p.frame;
    }
  }
  const Observation* seen = subject.track->at(from);
  if (!seen || area.width() < 2 * kReference_px) return;
  const QImage piece = pieceOf(from, seen->position, box.size(), kReference_px / (2.0 * subject.pattern_px + 1), true);
  if (piece.isNull()) return;
  painter.drawImage(box.topLeft(), piece);
  frameText(painter, box, tr("as in %1").arg(from));
}

void CloseupView::drawReprojection(QPainter& painter, const Subject& subject) const {
  const TrackError* error = solved() ? errorAt(*solved(), frame()) : nullptr;
  if (!error || std::isnan(error->error_px) || !subject.here) return;
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

void CloseupView::drawCard(QPainter& painter, const Subject& subject) const {
  const QRect area = cardArea();
  if (area.isEmpty()) return;
  painter.fillRect(area, color::Panel);
  const int line = painter.fontMetrics().height();
  int y = area.top() + 3;
  painter.setPen(color::Text);
  for (const QString& text : trackCard(session_, subject.track->id)) {
    painter.drawText(QRect(6, y, area.width() - 12, line), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(text, Qt::ElideRight, area.width() - 12));
    painter.setPen(color::Quiet);
    y += line;
  }
}

/// The track's place in the middle of each piece; the dot is where the solve puts it.
void CloseupView::drawStrip(QPainter& painter, const Subject& subject) const {
  const std::vector<int> frames = strip();
  const SolvedTrack* after = solved();
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const QRect box = pieceBox(static_cast<int>(i));
    const Observation* seen = subject.track->at(frames[i]);
    const double scale = box.height() / (2.0 * subject.pattern_px + 1);
    const QImage piece = pieceOf(frames[i], seen->position, box.size(), scale, true);
    painter.fillRect(box, color::Panel);
    if (!piece.isNull()) painter.drawImage(box.topLeft(), piece);
    const QPointF middle = QRectF(box).center();
    painter.setPen(QPen(color::Lamp, 1));
    for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)}) painter.drawLine(middle + 3 * way, middle + 7 * way);
    const TrackError* error = after ? errorAt(*after, frames[i]) : nullptr;
    if (error && !std::isnan(error->error_px)) {
      const Vec2 away = scale * (error->reprojected - seen->position);
      painter.setBrush(errorQColor(error->error_px, session_.view.errorTop()));
      painter.setPen(QPen(color::Night, 1));
      painter.drawEllipse(middle + QPointF(away.x(), away.y()), 3, 3);
    }
    const bool worst = after && frames[i] == after->worst_frame;
    frameText(painter, box, worst ? tr("%1 worst").arg(frames[i]) : QString::number(frames[i]));
    if (frames[i] != frame()) continue;
    painter.setPen(QPen(color::Text, 1));
    painter.drawRect(box.adjusted(0, 0, -1, -1));
  }
}

void CloseupView::drawLikeness(QPainter& painter, const Subject& subject) const {
  const QRect area = curveArea();
  QPolygonF line;
  for (const HandPoint& p : subject.by_hand->points)
    line << QPointF(curveX(*subject.track, p.frame + 0.5), area.bottom() - 4 - (area.height() - 20) * std::clamp<double>(p.likeness, 0, 1));
  painter.setPen(color::Quiet);
  painter.drawText(area.adjusted(5, 1, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("likeness with the key, 0 to 1"));
  painter.setPen(QPen(QColor(0xe9, 0xdf, 0xf2), 1.4));
  painter.setBrush(Qt::NoBrush);
  painter.drawPolyline(line);
}

/// Of a track by hand, before a solve, its likeness; else how far off the solve is.
void CloseupView::drawCurve(QPainter& painter, const Subject& subject) const {
  const QRect area = curveArea();
  painter.fillRect(area, color::Night);
  const TrackResiduals residuals = residualsOf(*subject.track, solved());
  if (!residuals.samples.empty()) {
    drawResiduals(painter, area, residuals, std::max(residuals.most_px, 0.5 * session_.view.errorTop()), [&](double f) { return curveX(*subject.track, f); });
  } else if (subject.by_hand) {
    drawLikeness(painter, subject);
  } else {
    painter.setPen(color::Quiet);
    painter.drawText(area.adjusted(5, 1, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("no error known before a solve"));
  }
  if (subject.by_hand) {
    painter.setBrush(color::Lamp);
    painter.setPen(Qt::NoPen);
    for (const HandPoint& p : subject.by_hand->points) {
      if (p.keyed) painter.drawRect(QRectF(curveX(*subject.track, p.frame + 0.5) - 2, area.bottom() - 6, 4, 6));
    }
  }
  painter.setPen(QPen(color::Text, 1));
  const double now = curveX(*subject.track, frame() + 0.5);
  if (now >= area.left() && now <= area.right()) painter.drawLine(QPointF(now, area.top() + 17), QPointF(now, area.bottom()));
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
  drawCard(painter, *now);
  drawStrip(painter, *now);
  drawCurve(painter, *now);
}

void CloseupView::mousePressEvent(QMouseEvent* event) {
  const auto now = subject();
  if (event->button() != Qt::LeftButton || !now) return;
  if (curveArea().contains(event->position().toPoint())) {
    session_.playback.pause();
    return session_.playback.setFrame(curveFrame(*now->track, event->position().x()));
  }
  const std::vector<int> frames = strip();
  for (std::size_t i = 0; i < frames.size(); ++i) {
    if (!pieceBox(static_cast<int>(i)).contains(event->position().toPoint())) continue;
    session_.playback.pause();
    return session_.playback.setFrame(frames[i]);
  }
  if (now->by_hand && pictureArea().contains(event->position().toPoint())) press_ = event->position();
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
