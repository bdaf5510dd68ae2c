#include "apps/desktop/errormap/error_map.h"

#include <QScrollBar>
#include <cmath>

#include "apps/desktop/errormap/margin_brushes.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_state.h"
#include "core/image/color_scale.h"
#include "core/review/frame_figures.h"

namespace dusky::desktop {
namespace {

constexpr double kLargestRow_px = 16, kFewestColumns = 6;
/// Places along a scroll bar for each row or column.
constexpr double kSteps = 16;

/// What would go slants.
QRgb slanting(int x, int y) { return ((x + y) % 6 < 2 ? color::Text : color::Raised).rgb(); }

}  // namespace

ErrorMap::ErrorMap(Session& session, QWidget* parent)
    : QWidget(parent),
      session_(session),
      down_(new QScrollBar(Qt::Vertical, this)),
      across_(new QScrollBar(Qt::Horizontal, this)),
      margins_(new MarginBrushes(session, this)) {
  setObjectName("errorMap");
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  vertical_.setLargest(kLargestRow_px);
  horizontal_.setFewest(kFewestColumns);
  connect(down_, &QScrollBar::valueChanged, this, &ErrorMap::takeBars);
  connect(across_, &QScrollBar::valueChanged, this, &ErrorMap::takeBars);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &ErrorMap::refresh);
  connect(&session_.model, &DocumentModel::opened, this, [this] {
    vertical_.showAll(), horizontal_.showAll();
    refresh();
  });
  connect(&session_.facts, &TrackFacts::changed, this, &ErrorMap::refresh);
  connect(&session_.view, &ViewSettings::errorTopChanged, this, &ErrorMap::renderCells);
  connect(&session_.playback, &Playback::frameChanged, this, &ErrorMap::followPlayhead);
  connect(&session_.playback, &Playback::rangeChanged, this, &ErrorMap::layOut);
  connect(&session_.selection, &Selection::changed, this, &ErrorMap::refreshLane);
  connect(&session_.view, &ViewSettings::changed, this, [this] {
    if (otherSolve() != other_) refresh();
    refreshLane();
  });
  connect(&session_.jobs, &Jobs::comparisonChanged, this, &ErrorMap::refresh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &ErrorMap::refreshLane);
  connect(&session_.dense, &DenseStore::changed, this, &ErrorMap::refreshLane);
  connect(&session_.jobs, &Jobs::footageChecked, this, &ErrorMap::refreshCurves);
  connect(&session_.selection, &Selection::hoverChanged, this, &ErrorMap::updateHovered);
}

int ErrorMap::frames() const { return session_.model.lastFrame() - session_.model.firstFrame() + 1; }

void ErrorMap::setOrder(RowOrder order) {
  order_ = order;
  vertical_.scrollTo(0);
  refresh();
}

void ErrorMap::setGrouping(RowGrouping grouping) {
  grouping_ = grouping;
  vertical_.scrollTo(0);
  refresh();
}

void ErrorMap::setCurve(FrameCurve curve) {
  curve_ = curve;
  refreshCurves();
}

void ErrorMap::showAll() {
  vertical_.showAll(), horizontal_.showAll();
  showBars();
  renderCells();
}

/// The grid is made anew only for other rows, tracks or errors; what slants or was set aside is a look of its rows.
void ErrorMap::refresh() {
  const TrackSetPtr tracks = session_.model.tracks();
  const SolutionPtr solution = session_.model.solution();
  const SolutionPtr other = otherSolve();
  const bool same_results = tracks == tracks_ && solution == solution_ && other == other_;
  tracks_ = tracks, solution_ = solution, other_ = other;
  const std::vector<int> before = std::exchange(rows_, rowsOf(session_, order_, grouping_)).tracks;
  if (!same_results || rows_.tracks != before) fillGrid();
  takeLooks();
  emit noteChanged(headingNote());
  layOut();
  refreshCurves();
}

/// Of the two runs that are compared: the one that is not shown.
SolutionPtr ErrorMap::otherSolve() const {
  const Jobs::Comparison& compared = session_.jobs.compared();
  const SolutionPtr shown = session_.model.solution();
  if (!session_.view.differenceShown() || !compared.first || !compared.same_tracks) return nullptr;
  return shown == compared.first->solution ? compared.second->solution : shown == compared.second->solution ? compared.first->solution : nullptr;
}

QString ErrorMap::headingNote() const {
  if (rows_.tracks.empty()) return {};
  if (!other_) return tr("%1 tracks").arg(rows_.tracks.size());
  return tr("%1 less %2 · warm: larger errors, cool: smaller").arg(nameOfCompared(false), nameOfCompared(true));
}

QString ErrorMap::nameOfCompared(bool other) const {
  const Jobs::Comparison& compared = session_.jobs.compared();
  const bool first = (other_ == compared.first->solution) == other;
  return QString::fromStdString(session_.model.document().ledger.nameOf((first ? *compared.first : *compared.second).run.id));
}

void ErrorMap::fillGrid() {
  grid_ = ErrorGrid();
  if (rows_.tracks.empty()) return;
  // A column for every frame of the range, also for those not looked at.
  grid_ = ErrorGrid(rowCount(), tracks_->last_frame - tracks_->first_frame + 1);
  for (int r = 0; r < rowCount(); ++r) fillRow(r);
}

void ErrorMap::fillRow(int row) {
  ErrorGrid::Level* line = grid_.row(row);
  const int id = trackAt(row);
  const SolvedTrack* solved = solution_ ? solution_->find(id) : nullptr;
  if (!solved) {
    for (const Observation& o : tracks_->find(id)->observations) line[o.frame - tracks_->first_frame] = ErrorGrid::kQuiet;
    return;
  }
  const SolvedTrack* other = other_ ? other_->find(id) : nullptr;
  // Frames that the solve left out are dealt with: they no longer glow.
  for (const TrackError& e : solved->errors) {
    if (e.frame < tracks_->first_frame || e.frame > tracks_->last_frame) continue;
    ErrorGrid::Level& cell = line[e.frame - tracks_->first_frame];
    const TrackError* before = other ? errorAt(*other, e.frame) : nullptr;
    if (!e.used)
      cell = ErrorGrid::kQuiet;
    else if (!other_)
      cell = ErrorGrid::levelOf(e.error_px);
    else
      cell = before && before->used ? ErrorGrid::levelOfDifference(e.error_px - before->error_px) : ErrorGrid::kQuiet;
  }
}

QRgb ErrorMap::colorOf(ErrorGrid::Level level) const {
  const double top = session_.view.errorTop();
  if (!other_) return errorQColor(ErrorGrid::errorOf(level), top).rgb();
  const double more = ErrorGrid::differenceOf(level);
  constexpr double kAlike = 0.02;  // of the scale
  if (std::abs(more) < kAlike * top) return qRgb(44, 40, 66);
  if (more > 0) return errorQColor(more, top).rgb();
  const Rgb c = gainColor(-more / top);
  return qRgb(c.r, c.g, c.b);
}

void ErrorMap::takeLooks() {
  for (int r = 0; r < rowCount(); ++r) {
    const Glyph glyph = glyphNow(session_.model, trackAt(r), solution_ ? solution_->find(trackAt(r)) : nullptr);
    grid_.setLook(r, glyph == Glyph::SetAside ? ErrorGrid::Look::Quiet : glyph == Glyph::Going ? ErrorGrid::Look::Going : ErrorGrid::Look::AsIs);
  }
}

ErrorGrid::Part ErrorMap::part() const {
  // The grid begins with the tracks' range, the axis with the shot's.
  const int ahead = tracks_ ? tracks_->first_frame - session_.model.firstFrame() : 0;
  return {vertical_.first(), vertical_.shown(), horizontal_.first() - ahead, horizontal_.shown()};
}

void ErrorMap::renderCells() {
  update();
  cells_ = QImage();
  if (rows_.tracks.empty() || map_.width() < 1 || map_.height() < 1) return;
  std::array<QRgb, 256> colors{};
  colors[ErrorGrid::kNone] = color::Night.rgb();
  colors[ErrorGrid::kQuiet] = (solution_ ? color::Raised : color::Edge).rgb();
  for (int level = ErrorGrid::kLeast; level < 256; ++level) colors[static_cast<std::size_t>(level)] = colorOf(static_cast<ErrorGrid::Level>(level));
  const std::vector<ErrorGrid::Level> levels = grid_.binned(part(), map_.width(), map_.height());
  cells_ = QImage(map_.size(), QImage::Format_RGB32);
  for (int y = 0; y < map_.height(); ++y) {
    auto* line = reinterpret_cast<QRgb*>(cells_.scanLine(y));
    const ErrorGrid::Level* from = levels.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(map_.width());
    for (int x = 0; x < map_.width(); ++x) line[x] = from[x] == ErrorGrid::kGoing ? slanting(x, y) : colors[from[x]];
  }
  if (vertical_.size_px() < 1) markGoing();
}

/// Where many rows share a pixel, those that would go are hidden by others: they are told at the map's edge.
void ErrorMap::markGoing() {
  constexpr int kEdge_px = 7;
  for (int r = 0; r < rowCount(); ++r) {
    const int y = static_cast<int>(std::floor(vertical_.placeOf(r)));
    if (grid_.look(r) != ErrorGrid::Look::Going || y < 0 || y >= map_.height()) continue;
    auto* line = reinterpret_cast<QRgb*>(cells_.scanLine(y));
    for (int x = 0; x < std::min(kEdge_px, map_.width()); ++x) line[x] = slanting(x, y);
  }
}

void ErrorMap::refreshCurves() {
  curves_ = curvesOf(session_, curve_);
  update();
}

void ErrorMap::layOut() {
  constexpr int kBar = 11, kMargin = 122, kLane = 15, kGutter = 86;
  const int curve_height = std::clamp(height() / 4, 68, 96);
  const int right = width() - kMargin - kBar - 8;
  const int lane_height = laneKeys().empty() ? 0 : kLane;
  const bool named = grouping_ != RowGrouping::State && !rows_.groups.empty();
  const int left = named ? 6 + kGutter : 6;
  const int below = height() - curve_height - lane_height - 6;
  gutter_ = named ? QRect(6, 2, kGutter - 4, below) : QRect();
  map_ = QRect(left, 2, right - left, below);
  lane_ = QRect(left, map_.bottom() + 2, map_.width(), lane_height);
  curve_box_ = QRect(left, map_.bottom() + lane_height + 3, map_.width(), curve_height);
  curve_names_ = QRect(right + kBar + 6, curve_box_.top(), kMargin - 4, curve_height);
  lane_name_ = QRect(curve_names_.left() + 4, lane_.top(), curve_names_.width() - 8, lane_height);
  margins_->setGeometry(right + kBar + 6, 2, kMargin - 4, map_.height());
  down_->setGeometry(right + 1, map_.top(), kBar, map_.height());
  across_->setGeometry(map_.left(), map_.bottom() - kBar + 1, map_.width(), kBar);
  vertical_.setCount(rowCount(), map_.height());
  horizontal_.setCount(frames(), map_.width());
  showBars();
  renderCells();
}

/// The bars stand as the axes do.
void ErrorMap::showBars() {
  for (const auto& [bar, axis] : {std::pair{down_, &vertical_}, {across_, &horizontal_}}) {
    const QSignalBlocker quiet(bar);
    bar->setRange(0, static_cast<int>(kSteps * std::max(0.0, axis->count() - axis->shown())));
    bar->setPageStep(static_cast<int>(kSteps * axis->shown()));
    bar->setSingleStep(static_cast<int>(std::max(kSteps, kSteps * axis->shown() / 10)));
    bar->setValue(static_cast<int>(std::lround(kSteps * axis->first())));
    bar->setVisible(!axis->all() && axis->count() > axis->shown());
  }
}

void ErrorMap::takeBars() {
  vertical_.scrollTo(down_->value() / kSteps);
  horizontal_.scrollTo(across_->value() / kSteps);
  renderCells();
}

void ErrorMap::resizeEvent(QResizeEvent*) { layOut(); }

double ErrorMap::columnOf(double frame) const { return map_.left() + horizontal_.placeOf(frame - session_.model.firstFrame()); }

int ErrorMap::frameOf(double x) const {
  const int column = static_cast<int>(std::floor(horizontal_.indexAt(x - map_.left())));
  return session_.model.firstFrame() + std::clamp(column, 0, std::max(0, frames() - 1));
}

int ErrorMap::rowOf(double y) const {
  const int row = static_cast<int>(std::floor(vertical_.indexAt(y - map_.top())));
  return y >= map_.top() && y <= map_.bottom() && row >= 0 && row < rowCount() ? row : -1;
}

ErrorGrid::Cell ErrorMap::cellUnder(const QPointF& at) const {
  const QPoint place = at.toPoint() - map_.topLeft();
  if (rows_.tracks.empty() || !map_.contains(at.toPoint())) return {};
  return grid_.largestUnder(part(), map_.width(), map_.height(), place.x(), place.y());
}

const RowGroup* ErrorMap::groupUnder(const QPointF& at) const {
  const int row = gutter_.contains(at.toPoint()) ? rowOf(at.y()) : -1;
  const auto found = std::find_if(rows_.groups.begin(), rows_.groups.end(), [row](const RowGroup& g) { return row >= g.first && row < g.first + g.count; });
  return row >= 0 && found != rows_.groups.end() ? &*found : nullptr;
}

QPointF ErrorMap::cellAt(int row, int frame) const { return {columnOf(frame + 0.5), map_.top() + vertical_.placeOf(row + 0.5)}; }

std::optional<QPointF> ErrorMap::curveAt(int frame) const {
  const CurveSet::Point* point = curves_.at(frame);
  if (!point || std::isnan(point->value)) return std::nullopt;
  const QRect room = curveRoom();
  return QPointF(columnOf(frame + 0.5), room.bottom() - room.height() * curves_.heightOf(point->value));
}

/// Under the line of text, so that no curve runs through it.
QRect ErrorMap::curveRoom() const { return curve_box_.adjusted(0, 16, 0, -3); }

QRect ErrorMap::curveName(FrameCurve curve) const {
  const int each = curve_names_.height() / kFrameCurves;
  return {curve_names_.left(), curve_names_.top() + static_cast<int>(curve) * each, curve_names_.width(), each};
}

std::optional<int> ErrorMap::rowOfTrack(int track) const {
  const auto found = std::find(rows_.tracks.begin(), rows_.tracks.end(), track);
  return found != rows_.tracks.end() ? std::optional(static_cast<int>(found - rows_.tracks.begin())) : std::nullopt;
}

QRectF ErrorMap::rowBox(int row) const {
  return {1.0 * map_.left(), map_.top() + vertical_.placeOf(row), 1.0 * map_.width(), std::max(1.0, vertical_.size_px())};
}

void ErrorMap::updateHovered(int before) {
  for (const int track : {before, session_.selection.hovered()}) {
    if (const auto row = rowOfTrack(track)) update(rowBox(*row).toAlignedRect().adjusted(0, -2, 0, 2));
  }
}

void ErrorMap::reveal(int track) {
  const auto row = rowOfTrack(track);
  if (!row) return;
  vertical_.reveal(*row);
  showBars();
  renderCells();
}

void ErrorMap::followPlayhead() {
  if (!horizontal_.all() && !scrubbing_) {
    const double before = horizontal_.first();
    horizontal_.reveal(session_.playback.frame() - session_.model.firstFrame());
    if (horizontal_.first() != before) showBars(), renderCells();
  }
  update();
}

std::optional<double> ErrorMap::errorIn(int row, int frame) const {
  const SolvedTrack* track = solution_ && row >= 0 ? solution_->find(trackAt(row)) : nullptr;
  const TrackError* error = track ? errorAt(*track, frame) : nullptr;
  return error && !std::isnan(error->error_px) ? std::optional(error->error_px) : std::nullopt;
}

}  // namespace dusky::desktop
