#include "apps/desktop/coverage/coverage_view.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr int kNames_px = 96;  // left of the map

}  // namespace

CoverageView::CoverageView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("coverage");
  setFocusPolicy(Qt::ClickFocus);
  connect(&session_.model, &DocumentModel::tracksChanged, this, [this] {
    stale_ = true;
    if (isVisible() && !session_.model.partial()) refresh();
  });
  connect(&session_.model, &DocumentModel::opened, this, [this] {
    choice_.reset();
    emit choiceChanged();
  });
  connect(&session_.playback, &Playback::frameChanged, this, qOverload<>(&QWidget::update));
}

void CoverageView::showEvent(QShowEvent*) {
  if (stale_) refresh();
}

void CoverageView::refresh() {
  stale_ = false;
  coverage_.reset();
  image_ = QImage();
  const TrackSetPtr tracks = session_.model.tracks();
  if (tracks) {
    coverage_ = coverageOf(*tracks);
    image_ = QImage(frames(), coverage_->cells(), QImage::Format_RGB32);
    image_.fill(color::Night);
    for (int i = 0; i < static_cast<int>(coverage_->frames.size()); ++i) {
      const int column = coverage_->frames[static_cast<std::size_t>(i)] - session_.model.firstFrame();
      for (int cell = 0; column >= 0 && column < frames() && cell < coverage_->cells(); ++cell) {
        const int count = coverage_->count(i, cell);
        image_.setPixelColor(column, cell,
                             count >= kEnough                 ? color::Raised
                             : coverage_->hasTexture(i, cell) ? errorQColor(kEnough - count, kEnough)
                                                              : color::Ground);
      }
    }
  }
  const double share = coverage_ ? coverage_->shareWith(kEnough) : kUnknown;
  emit noteChanged(std::isnan(share) ? "" : tr("%1 % of the cells with texture hold %2 tracks or more").arg(100 * share, 0, 'f', 1).arg(kEnough));
  update();
}

QRect CoverageView::area() const { return rect().adjusted(kNames_px, 4, -8, -6); }

QPointF CoverageView::placeOf(int cell, int frame) const {
  const QRect box = area();
  return {box.left() + box.width() * (frame - session_.model.firstFrame() + 0.5) / frames(), box.top() + box.height() * (cell + 0.5) / coverage_->cells()};
}

CoverageView::Spot CoverageView::spotAt(const QPointF& at) const {
  const QRect box = area();
  const int cells = coverage_->cells();
  const int cell = std::clamp(static_cast<int>((at.y() - box.top()) * cells / std::max(1, box.height())), 0, cells - 1);
  const int frame = session_.model.firstFrame() + static_cast<int>(std::floor((at.x() - box.left()) * frames() / std::max(1, box.width())));
  return {cell, std::clamp(frame, session_.model.firstFrame(), session_.model.lastFrame())};
}

void CoverageView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const QRect box = area();
  painter.fillRect(box, color::Night);
  if (!coverage_) {
    painter.setPen(color::Quiet);
    painter.drawText(rect(), Qt::AlignCenter, session_.model.hasFootage() ? tr("Track features first: then this shows where picture and time are thin.") : "");
    return;
  }
  painter.drawImage(box, image_);
  painter.setPen(QPen(color::Night, 2));
  for (int row = 1; row < coverage_->rows; ++row) {
    const int y = box.top() + box.height() * row / coverage_->rows;
    painter.drawLine(box.left(), y, box.right(), y);
  }
  painter.setPen(color::Quiet);
  for (int row = 0; row < coverage_->rows; ++row) {
    const QRect name(0, box.top() + box.height() * row / coverage_->rows, kNames_px - 8, box.height() / coverage_->rows);
    const QString text = row == 0 ? tr("picture’s top") : row == coverage_->rows - 1 ? tr("bottom") : tr("row %1 of %2").arg(row + 1).arg(coverage_->rows);
    painter.drawText(name, Qt::AlignRight | Qt::AlignVCenter, text);
  }
  drawChoice(painter);
  painter.setPen(QPen(color::Text, 1));
  const double x = placeOf(0, session_.playback.frame()).x();
  painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()));
}

void CoverageView::drawChoice(QPainter& painter) const {
  if (!choice_) return;
  const QRect box = area();
  const auto& [a, b] = *choice_;
  const double w = static_cast<double>(box.width()) / frames(), h = static_cast<double>(box.height()) / coverage_->cells();
  const QPointF one = placeOf(std::min(a.cell, b.cell), std::min(a.frame, b.frame)) - QPointF(w / 2, h / 2);
  const QPointF two = placeOf(std::max(a.cell, b.cell), std::max(a.frame, b.frame)) + QPointF(w / 2, h / 2);
  painter.setPen(QPen(color::Lamp, 1.4));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(QRectF(one, two));
}

void CoverageView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton || !coverage_) return;
  from_ = spotAt(event->position());
  choice_.reset();
  session_.playback.pause();
  session_.playback.setFrame(from_->frame);
  emit choiceChanged();
}

void CoverageView::mouseMoveEvent(QMouseEvent* event) {
  if (!from_) return;
  choice_ = {*from_, spotAt(event->position())};
  update();
}

void CoverageView::mouseReleaseEvent(QMouseEvent* event) {
  if (!from_) return;
  const Spot to = spotAt(event->position());
  if (to.cell != from_->cell || to.frame != from_->frame) choice_ = {*from_, to};
  from_.reset();
  emit choiceChanged();
  update();
}

bool CoverageView::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip || !coverage_) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  if (!area().contains(help->pos())) {
    QToolTip::hideText();
    return true;
  }
  const Spot spot = spotAt(help->pos());
  const auto found = std::lower_bound(coverage_->frames.begin(), coverage_->frames.end(), spot.frame);
  const QString where = tr("Frame %1, column %2 of row %3").arg(spot.frame).arg(spot.cell % coverage_->columns + 1).arg(spot.cell / coverage_->columns + 1);
  const bool there = found != coverage_->frames.end() && *found == spot.frame;
  QToolTip::showText(
      help->globalPos(),
      there ? tr("%1: %2").arg(where, countText(static_cast<int>(found - coverage_->frames.begin()), spot.cell)) : tr("%1: not looked at").arg(where), this);
  return true;
}

QString CoverageView::countText(int frame_index, int cell) const {
  const int count = coverage_->count(frame_index, cell);
  const QString text = count == 1 ? tr("1 track") : tr("%1 tracks").arg(count);
  return coverage_->hasTexture(frame_index, cell) ? text : tr("%1; nothing over the floor of strength to track here").arg(text);
}

void CoverageView::addTracksHere() {
  if (!choice_ || !coverage_) return;
  const auto& [a, b] = *choice_;
  const FootageInfo& info = session_.model.workspace().footage();
  const double w = static_cast<double>(info.width) / coverage_->columns, h = static_cast<double>(info.height) / coverage_->rows;
  const int first = std::min(a.cell, b.cell), last = std::max(a.cell, b.cell);
  int left = coverage_->columns, right = 0;
  for (int cell = first; cell <= last; ++cell) left = std::min(left, cell % coverage_->columns), right = std::max(right, cell % coverage_->columns + 1);
  const double top = first / coverage_->columns * h, bottom = (last / coverage_->columns + 1) * h;
  ExtraRun run{.first_frame = std::min(a.frame, b.frame), .last_frame = std::max(a.frame, b.frame)};
  run.region = {{left * w, top}, {right * w, top}, {right * w, bottom}, {left * w, bottom}};
  choice_.reset();
  emit choiceChanged();
  session_.model.run(addRun(session_.model.document(), std::move(run)));
  session_.jobs.runTracks();
}

}  // namespace dusky::desktop
