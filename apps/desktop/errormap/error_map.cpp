#include "apps/desktop/errormap/error_map.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QScrollBar>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_state.h"

namespace dusky::desktop {

ErrorMap::ErrorMap(Session& session, QWidget* parent) : QWidget(parent), session_(session), bar_(new QScrollBar(Qt::Vertical, this)) {
  setObjectName("errorMap");
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  connect(bar_, &QScrollBar::valueChanged, this, qOverload<>(&QWidget::update));
  connect(&session_.model, &DocumentModel::resultsChanged, this, &ErrorMap::sortRows);
  connect(&session_.model, &DocumentModel::opened, this, &ErrorMap::sortRows);
  connect(&session_.view, &ViewSettings::errorTopChanged, this, &ErrorMap::renderCells);
  connect(&session_.playback, &Playback::frameChanged, this, qOverload<>(&QWidget::update));
  connect(&session_.selection, &Selection::changed, this, &ErrorMap::refreshLane);
  connect(&session_.view, &ViewSettings::changed, this, &ErrorMap::refreshLane);
  connect(&session_.model, &DocumentModel::documentChanged, this, &ErrorMap::refreshLane);
  connect(&session_.jobs, &Jobs::footageChecked, this, qOverload<>(&QWidget::update));
  connect(&session_.selection, &Selection::hoverChanged, this, qOverload<>(&QWidget::update));
}

int ErrorMap::frames() const { return session_.model.lastFrame() - session_.model.firstFrame() + 1; }

void ErrorMap::setOrder(Order order) {
  order_ = order;
  bar_->setValue(0);
  sortRows();
}

void ErrorMap::sortRows() {
  struct Row {
    int group;
    double key;
    int id;
  };
  std::vector<Row> rows;
  tracks_ = session_.model.tracks(), solution_ = session_.model.solution();
  for (const Track& track : tracks_ ? tracks_->tracks : std::vector<Track>{}) {
    const SolvedTrack* solved = solution_ ? solution_->find(track.id) : nullptr;
    const auto known = [](double v) { return std::isnan(v) ? -1.0 : v; };
    double key = 0;
    switch (order_) {
      case Order::Worst: key = solved ? -known(solved->worst_error_px) : track.firstFrame(); break;
      case Order::Typical: key = solved ? -known(solved->typical_error_px) : track.firstFrame(); break;
      case Order::Life: key = -track.life(); break;
      case Order::Start: key = track.firstFrame(); break;
    }
    // What takes part comes first; what was dealt with lies below it.
    const Glyph glyph = solved ? glyphNow(session_.model, track.id, solved) : Glyph::Kept;
    const int group = glyph == Glyph::SetAside ? 1 : glyph == Glyph::Unplaced ? 2 : 0;
    rows.push_back({group, key, track.id});
  }
  std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return std::pair(a.group, a.key) < std::pair(b.group, b.key); });
  rows_.clear();
  for (const Row& row : rows) rows_.push_back(row.id);
  layOut();
  renderCells();
  emit noteChanged(rows_.empty() ? "" : tr("%1 tracks").arg(rows_.size()));
}

void ErrorMap::renderCells() {
  cells_ = QImage();
  if (rows_.empty()) return update();
  // A column for every frame of the range, also for those not looked at.
  cells_ = QImage(tracks_->last_frame - tracks_->first_frame + 1, static_cast<int>(rows_.size()), QImage::Format_RGB32);
  cells_.fill(color::Night);
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    auto* line = reinterpret_cast<QRgb*>(cells_.scanLine(static_cast<int>(r)));
    const SolvedTrack* solved = solution_ ? solution_->find(rows_[r]) : nullptr;
    const Glyph glyph = glyphNow(session_.model, rows_[r], solved);
    const bool aside = glyph == Glyph::SetAside || glyph == Glyph::Going;
    if (!solved || aside) {
      const QRgb quiet = (aside ? color::Raised : color::Edge).rgb();
      for (const Observation& o : tracks_->find(rows_[r])->observations) line[o.frame - tracks_->first_frame] = quiet;
      continue;
    }
    // Frames that the solve left out are dealt with: they no longer glow.
    for (const TrackError& e : solved->errors) {
      if (e.frame < tracks_->first_frame || e.frame > tracks_->last_frame) continue;
      line[e.frame - tracks_->first_frame] = e.used ? errorQColor(e.error_px, session_.view.errorTop()).rgb() : color::Raised.rgb();
    }
  }
  update();
}

void ErrorMap::layOut() {
  constexpr int kBar = 11, kHistogram = 118, kLane = 15;
  const int curve_height = std::clamp(height() / 4, 30, 64);
  const int right = width() - kHistogram - kBar - 8;
  const int lane_height = laneKeys().empty() ? 0 : kLane;
  map_ = QRect(6, 2, right - 6, height() - curve_height - lane_height - 6);
  lane_ = QRect(6, map_.bottom() + 2, right - 6, lane_height);
  curves_ = QRect(6, map_.bottom() + lane_height + 3, right - 6, curve_height);
  histogram_ = QRect(right + kBar + 6, 2, kHistogram - 4, height() - 6);
  bar_->setGeometry(right + 1, map_.top(), kBar, map_.height());
  const int visible = std::max(1, map_.height() / row_height_);
  bar_->setRange(0, std::max(0, static_cast<int>(rows_.size()) - visible));
  bar_->setPageStep(visible);
}

void ErrorMap::resizeEvent(QResizeEvent*) { layOut(); }

double ErrorMap::columnOf(double frame) const { return map_.left() + map_.width() * (frame - session_.model.firstFrame()) / frames(); }

int ErrorMap::frameOf(double x) const {
  const int column = static_cast<int>(std::floor((x - map_.left()) * frames() / std::max(1, map_.width())));
  return session_.model.firstFrame() + std::clamp(column, 0, frames() - 1);
}

int ErrorMap::rowOf(double y) const {
  const int row = bar_->value() + static_cast<int>(std::floor((y - map_.top()) / row_height_));
  return y >= map_.top() && y <= map_.bottom() && row >= 0 && row < static_cast<int>(rows_.size()) ? row : -1;
}

QPointF ErrorMap::cellAt(int row, int frame) const { return {columnOf(frame + 0.5), map_.top() + (row - bar_->value() + 0.5) * row_height_}; }

void ErrorMap::reveal(int track) {
  const auto found = std::find(rows_.begin(), rows_.end(), track);
  if (found != rows_.end()) bar_->setValue(static_cast<int>(found - rows_.begin()) - bar_->pageStep() / 2);
}

std::optional<double> ErrorMap::errorIn(int row, int frame) const {
  const SolvedTrack* track = solution_ && row >= 0 ? solution_->find(trackAt(row)) : nullptr;
  const TrackError* error = track ? errorAt(*track, frame) : nullptr;
  return error && !std::isnan(error->error_px) ? std::optional(error->error_px) : std::nullopt;
}

void ErrorMap::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton || !session_.model.hasFootage()) return;
  if (const auto key = laneKeyAt(event->position())) {
    held_key_ = key, held_to_ = *key;
    session_.playback.pause();
    return session_.playback.setFrame(*key);
  }
  scrubbing_ = rowOf(event->position().y()) < 0;
  press_ = now_ = event->position();
  if (scrubbing_) session_.playback.pause(), session_.playback.setFrame(frameOf(event->position().x()));
}

void ErrorMap::mouseMoveEvent(QMouseEvent* event) {
  if (held_key_) {
    held_to_ = frameOf(event->position().x());
    session_.playback.setFrame(held_to_);
    return update();
  }
  if (!press_) {
    const int row = rowOf(event->position().y());
    session_.selection.hover(row >= 0 && map_.contains(event->position().toPoint()) ? trackAt(row) : 0);
    return;
  }
  now_ = event->position();
  if (scrubbing_) session_.playback.setFrame(frameOf(now_.x()));
  update();
}

void ErrorMap::mouseReleaseEvent(QMouseEvent* event) {
  if (held_key_) {
    const int from = *std::exchange(held_key_, std::nullopt);
    if (held_to_ != from) moveLaneKey(from, held_to_);
    return update();
  }
  if (event->button() != Qt::LeftButton || !press_) return;
  const QPointF from = *press_, to = event->position();
  press_.reset();
  update();
  if (scrubbing_) return;
  const int a = rowOf(from.y()), b = rowOf(std::clamp<double>(to.y(), map_.top(), map_.bottom()));
  if (a < 0) return;
  if ((to - from).manhattanLength() < 4) {
    session_.playback.pause();
    session_.playback.setFrame(frameOf(from.x()));
    session_.selection.pick({trackAt(a)}, selectionMode(event->modifiers()));
    return;
  }
  std::vector<int> ids;
  for (int row = std::min(a, b < 0 ? rowCount() - 1 : b); row <= std::max(a, b < 0 ? rowCount() - 1 : b); ++row) ids.push_back(trackAt(row));
  session_.selection.pick(ids, selectionMode(event->modifiers()));
}

void ErrorMap::wheelEvent(QWheelEvent* event) {
  const int steps = event->angleDelta().y() / 120;
  if (event->modifiers() & Qt::ControlModifier) {
    row_height_ = std::clamp(row_height_ + steps, 1, 16);
    layOut();
    update();
  } else {
    bar_->setValue(bar_->value() - steps * std::max(3, bar_->pageStep() / 8));
  }
}

void ErrorMap::leaveEvent(QEvent*) { session_.selection.hover(0); }

bool ErrorMap::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const int row = rowOf(help->pos().y()), frame = frameOf(help->pos().x());
  if (histogram_.contains(help->pos())) {
    QToolTip::showText(help->globalPos(), tr("How many tracks have which typical error (RMS over a track's used frames, px)."), this);
  } else if (row >= 0 && map_.contains(help->pos())) {
    const auto error = errorIn(row, frame);
    QToolTip::showText(help->globalPos(),
                       error ? tr("Track %1, frame %2: %3 px").arg(trackAt(row)).arg(frame).arg(pxText(*error)) : tr("Track %1").arg(trackAt(row)), this);
  } else if (!lane_.isEmpty() && lane_.contains(help->pos())) {
    QToolTip::showText(help->globalPos(), tr("Keys of the chosen mask or the selected track by hand. Drag a key to another frame; click to go there."), this);
  } else if (curves_.contains(help->pos()) && !solution_) {
    QToolTip::showText(help->globalPos(), tr("Sharpness and brightness (dashed) of each frame after a frame check; marks: blurred, repeated or cut."), this);
  } else if (curves_.contains(help->pos())) {
    const SolvedFrame* solved = solution_->frameAt(frame);
    QToolTip::showText(help->globalPos(),
                       solved && !solved->placed
                           ? tr("Frame %1 has no camera: %2. “Refine this solve” tries again.").arg(frame).arg(QString::fromStdString(solved->why_not))
                           : tr("RMS error of each frame (solid) and of the holdout tracks in it (dashed), px. Click or drag to go to a frame."),
                       this);
  }
  return true;
}

}  // namespace dusky::desktop
