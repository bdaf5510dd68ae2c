#include "apps/desktop/errormap/margin_brushes.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <array>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/theme.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// What a histogram is of, and the rule that its brush sets.
struct Measure {
  const char* name;
  const char* unit;
  const char* tip;
  double (*value)(const TrackMeasures&);
  double (*limit)(const PruneRules&);
  void (*set)(PruneRules&, double);
  bool below;     ///< What lies below the limit goes; else what lies above.
  bool is_error;  ///< Its bars have the error colours.
  int decimals;
};

template <auto Rule>
double limitOf(const PruneRules& rules) {
  return static_cast<double>(rules.*Rule);
}
template <auto Rule>
void setLimitOf(PruneRules& rules, double value) {
  using Value = std::decay_t<decltype(rules.*Rule)>;
  rules.*Rule = std::is_integral_v<Value> ? static_cast<Value>(std::lround(value)) : static_cast<Value>(value);
}
template <auto Rule>
constexpr Measure measureOf(const char* name, const char* unit, const char* tip, double (*value)(const TrackMeasures&), bool below, bool is_error,
                            int decimals) {
  return {name, unit, tip, value, &limitOf<Rule>, &setLimitOf<Rule>, below, is_error, decimals};
}

constexpr std::array<Measure, 7> kMeasures = {
    measureOf<&PruneRules::max_typical_px>(
        "typical", " px", "Typical error of the kept tracks (RMS over a track's used frames, px). What is right of the brush goes.",
        [](const TrackMeasures& m) { return m.typical_px; }, false, true, 2),
    measureOf<&PruneRules::max_worst_px>(
        "worst", " px", "Largest error of the kept tracks in any used frame, px. What is right of the brush goes.",
        [](const TrackMeasures& m) { return m.worst_px; }, false, true, 2),
    measureOf<&PruneRules::min_life>(
        "life", " frames", "Frames in which the kept tracks are seen. What is left of the brush goes.",
        [](const TrackMeasures& m) { return static_cast<double>(m.life); }, true, false, 0),
    measureOf<&PruneRules::min_parallax_deg>(
        "parallax", "°", "Largest angle between two rays of a kept track, degrees. What is left of the brush goes.",
        [](const TrackMeasures& m) { return m.parallax_deg; }, true, false, 1),
    measureOf<&PruneRules::max_depth_sigma_pc>(
        "depth ±", " %", "How well the places of the kept tracks are known: one standard deviation, per cent of the distance. What is right of the brush goes.",
        [](const TrackMeasures& m) { return m.depth_sigma_pc; }, false, false, 1),
    measureOf<&PruneRules::max_creep_px>(
        "slides", " px",
        "How far the errors of a kept track move along a line over its life, where that is clearly no chance, px. What is right of the brush goes.",
        [](const TrackMeasures& m) { return m.creep_px; }, false, false, 2),
    measureOf<&PruneRules::max_shared_px>(
        "shared", " px",
        "What the errors of a kept track have in common with those of its neighbours, px: a reflection, something that moves. What is right of the brush goes.",
        [](const TrackMeasures& m) { return m.shared_px; }, false, false, 2)};

constexpr int kLeastHeight_px = 42, kHead_px = 17;
constexpr std::size_t kBars = 27;

}  // namespace

int MarginBrushes::count() { return static_cast<int>(kMeasures.size()); }
int MarginBrushes::shown() const { return std::clamp(height() / kLeastHeight_px, 1, count()); }

double MarginBrushes::Histogram::shareOf(double value) const {
  const double share = log ? std::log(std::max(value, least) / least) / std::log(most / least) : (value - least) / (most - least);
  return std::clamp(share, 0.0, 1.0);
}

double MarginBrushes::Histogram::valueAt(double share) const { return log ? least * std::pow(most / least, share) : least + share * (most - least); }

MarginBrushes::MarginBrushes(Session& session, QWidget* parent) : QWidget(parent), session_(session), histograms_(kMeasures.size()) {
  setObjectName("marginBrushes");
  setCursor(Qt::SplitHCursor);
  connect(&session_.facts, &TrackFacts::changed, this, &MarginBrushes::measure);
  connect(&session_.prune, &PrunePreview::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.model, &DocumentModel::documentChanged, this, qOverload<>(&QWidget::update));
  connect(&session_.view, &ViewSettings::errorTopChanged, this, qOverload<>(&QWidget::update));
  measure();
}

/// The range is that of all kept tracks; where few lie far out, the axis is logarithmic.
void MarginBrushes::measure() {
  const auto facts = session_.facts.now();
  for (std::size_t i = 0; i < kMeasures.size(); ++i) {
    std::vector<double> values;
    for (const TrackMeasures& m : facts->tracks) {
      const SolvedTrack* solved = facts->solution->find(m.id);
      const double value = kMeasures[i].value(m);
      if (solved && solved->state == TrackState::Kept && std::isfinite(value)) values.push_back(value);
    }
    Histogram& h = histograms_[i];
    h = {};
    if (values.empty()) continue;
    std::sort(values.begin(), values.end());
    const double usual = values[values.size() / 2], least = values[values.size() / 50];
    h.most = std::max(1e-6, values.back());
    constexpr double kStandsOut = 8;
    h.log = usual > 0 && h.most > kStandsOut * usual;
    h.least = h.log ? std::max({values.front(), least / 2, h.most / 1e4, 1e-9}) : 0;
    if (h.most <= h.least) h.most = h.least + 1;
    h.counts.assign(kBars, 0);
    for (double value : values) ++h.counts[std::min(h.counts.size() - 1, static_cast<std::size_t>(h.shareOf(value) * static_cast<double>(h.counts.size())))];
  }
  update();
}

QRectF MarginBrushes::boxOf(int histogram) const {
  const double each = static_cast<double>(height()) / shown();
  return {0, histogram * each, static_cast<double>(width()), each - 4};
}

QRectF MarginBrushes::barsOf(int histogram) const { return boxOf(histogram).adjusted(4, kHead_px, -4, 0); }

int MarginBrushes::at(const QPointF& place) const {
  return std::clamp(static_cast<int>(place.y() / (static_cast<double>(height()) / shown())), 0, shown() - 1);
}

QPointF MarginBrushes::placeOf(int histogram, double value) const {
  const QRectF bars = barsOf(histogram);
  return {bars.left() + bars.width() * histograms_[static_cast<std::size_t>(histogram)].shareOf(value), bars.center().y()};
}

void MarginBrushes::draw(QPainter& painter, int histogram) const {
  const Measure& measure = kMeasures[static_cast<std::size_t>(histogram)];
  const Histogram& h = histograms_[static_cast<std::size_t>(histogram)];
  const QRectF box = boxOf(histogram), bars = barsOf(histogram);
  painter.fillRect(box, color::Night);
  const double limit = measure.limit(session_.prune.rules());
  const QRectF head = box.adjusted(4, 2, -4, 0);
  painter.setPen(color::Quiet);
  painter.drawText(head, Qt::AlignLeft | Qt::AlignTop, QObject::tr(measure.name));
  if (h.counts.empty()) return;
  const QString number = QString::number(limit > 0 ? limit : h.most, 'f', measure.decimals);
  const QString value = number + QObject::tr(measure.unit);
  painter.setPen(limit > 0 ? color::Lamp : color::Quiet);
  painter.drawText(head, Qt::AlignRight | Qt::AlignTop, limit > 0 ? (measure.below ? tr("≥ %1") : tr("≤ %1")).arg(value) : tr("to %1").arg(value));
  const int most = std::max(1, *std::max_element(h.counts.begin(), h.counts.end()));
  const double step = bars.width() / static_cast<double>(h.counts.size());
  for (std::size_t b = 0; b < h.counts.size(); ++b) {
    if (h.counts[b] == 0) continue;
    const double middle = h.valueAt((static_cast<double>(b) + 0.5) / static_cast<double>(h.counts.size()));
    const bool goes = limit > 0 && (measure.below ? middle < limit : middle > limit);
    // Few among thousands are what is looked for: never less than two pixels.
    const double tall = 2 + (bars.height() - 2) * std::sqrt(static_cast<double>(h.counts[b]) / most);
    const QRectF bar(bars.left() + static_cast<double>(b) * step, bars.bottom() - tall, step - 1, tall);
    const QColor paint = measure.is_error ? errorQColor(middle, session_.view.errorTop()) : color::Calm;
    if (goes) {
      painter.fillRect(bar, color::Raised);
      painter.fillRect(bar, QBrush(paint, Qt::BDiagPattern));
    } else {
      painter.fillRect(bar, paint);
    }
  }
  if (limit <= 0) return;
  const double x = placeOf(histogram, limit).x();
  painter.setPen(QPen(color::Lamp, 2));
  painter.drawLine(QPointF(x, bars.top()), QPointF(x, bars.bottom()));
}

void MarginBrushes::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  QFont small = font();
  small.setPixelSize(small.pixelSize() - 1);
  painter.setFont(small);
  for (int i = 0; i < shown(); ++i) draw(painter, i);
}

void MarginBrushes::setLimit(double x, bool done) {
  const Measure& measure = kMeasures[static_cast<std::size_t>(*held_)];
  const Histogram& h = histograms_[static_cast<std::size_t>(*held_)];
  const QRectF bars = barsOf(*held_);
  const double share = (x - bars.left()) / bars.width();
  // Dragged out on the side where all stay: no limit.
  const bool off = measure.below ? share <= 0 : share >= 1;
  PruneRules rules = session_.model.document().prune;
  measure.set(rules, off ? 0 : h.valueAt(std::clamp(share, 0.0, 1.0)));
  session_.prune.tryRules(done ? std::nullopt : std::optional(rules));
  if (done) session_.model.set("Brush a limit", &Document::prune, rules);
  update();
}

void MarginBrushes::mousePressEvent(QMouseEvent* event) {
  const int histogram = at(event->position());
  if (event->button() != Qt::LeftButton || histograms_[static_cast<std::size_t>(histogram)].counts.empty()) return;
  held_ = histogram;
  emit brushed();
  setLimit(event->position().x(), false);
}

void MarginBrushes::mouseMoveEvent(QMouseEvent* event) {
  if (held_) setLimit(event->position().x(), false);
}

void MarginBrushes::mouseReleaseEvent(QMouseEvent* event) {
  if (!held_) return;
  setLimit(event->position().x(), true);
  held_.reset();
}

void MarginBrushes::mouseDoubleClickEvent(QMouseEvent* event) {
  PruneRules rules = session_.model.document().prune;
  kMeasures[static_cast<std::size_t>(at(event->position()))].set(rules, 0);
  session_.model.set("Brush a limit", &Document::prune, rules);
}

bool MarginBrushes::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const int histogram = at(help->pos());
  const bool log = histograms_[static_cast<std::size_t>(histogram)].log;
  QToolTip::showText(help->globalPos(),
                     tr("%1 Drag to set the limit, double click for none.%2")
                         .arg(tr(kMeasures[static_cast<std::size_t>(histogram)].tip), log ? tr(" The axis is logarithmic.") : QString()),
                     this);
  return true;
}

}  // namespace dusky::desktop
