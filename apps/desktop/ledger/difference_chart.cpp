#include "apps/desktop/ledger/difference_chart.h"

#include <QAreaSeries>
#include <QComboBox>
#include <QGraphicsLayout>
#include <QLabel>
#include <QLineSeries>
#include <QValueAxis>
#include <QVBoxLayout>
#include <cmath>
#include <numbers>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {
namespace {

using Quantity = DifferenceChart::Quantity;

/// What is drawn of a frame, and its deviation.
std::pair<double, double> valueOf(const SolveDifference::Frame& frame, Quantity quantity, double scale) {
  switch (quantity) {
    case Quantity::Centre: return {scale * frame.centre, scale * frame.sigma_centre};
    case Quantity::Rotation: return {frame.rotation_rad * 180 / std::numbers::pi, frame.sigma_rotation_rad * 180 / std::numbers::pi};
    case Quantity::Focal: return {frame.focal_px, frame.sigma_focal_px};
  }
  return {};
}

void dress(QValueAxis* axis, const QString& title) {
  axis->setTitleText(title);
  axis->setTitleBrush(color::Quiet);
  axis->setLabelsColor(color::Quiet);
  axis->setGridLineColor(color::Edge);
  axis->setLinePenColor(color::Edge);
  QFont font("Inter");
  font.setPixelSize(10);
  axis->setLabelsFont(font);
  axis->setTitleFont(font);
}

}  // namespace

DifferenceChart::DifferenceChart(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), sentence_(new QLabel), quantity_(new QComboBox), view_(new QChartView) {
  sentence_->setObjectName("differenceSentence");
  sentence_->setWordWrap(true);
  quantity_->setObjectName("differenceQuantity");
  quantity_->addItem(tr("camera place"), static_cast<int>(Quantity::Centre));
  quantity_->addItem(tr("orientation"), static_cast<int>(Quantity::Rotation));
  quantity_->addItem(tr("focal length"), static_cast<int>(Quantity::Focal));
  quantity_->setToolTip(tr("What of the two cameras is compared, frame by frame; the band is two standard deviations."));
  view_->setRenderHint(QPainter::Antialiasing);
  view_->setFrameShape(QFrame::NoFrame);
  view_->setBackgroundBrush(color::Night);
  auto* head = new QHBoxLayout;
  head->addWidget(sentence_, 1);
  head->addWidget(quantity_, 0, Qt::AlignTop);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(6, 2, 6, 4);
  all->setSpacing(4);
  all->addLayout(head);
  all->addWidget(view_, 1);
  connect(&session_.jobs, &Jobs::comparisonChanged, this, &DifferenceChart::refresh);
  connect(quantity_, &QComboBox::currentIndexChanged, this, &DifferenceChart::draw);
  refresh();
}

QString DifferenceChart::sentence() const { return sentence_->text(); }

void DifferenceChart::refresh() {
  const Jobs::Comparison& comparison = session_.jobs.compared();
  quantity_->setVisible(comparison.first.has_value());
  view_->setVisible(comparison.first.has_value());
  if (!comparison.first) return sentence_->setText(tr("Choose two runs (Ctrl+click) and press Compare: how their cameras differ stands here."));
  const LedgerMarks& marks = session_.model.document().ledger;
  const SolveDifference& difference = comparison.difference;
  const auto named = [&](int run) {
    const QString name = QString::fromStdString(marks.nameOf(run));
    return marks.names.contains(run) ? tr("“%1”").arg(name) : name;
  };
  QString text = tr("%1 beside %2: an insert lined up under the one slips %3 px under the other.")
                     .arg(named(comparison.second->run.id), named(comparison.first->run.id), pxText(difference.slip_px));
  const auto moved = std::count_if(difference.points.begin(), difference.points.end(), [](const auto& p) { return p.distance > 3 * p.sigma; });
  if (comparison.same_tracks)
    text += " " + tr("%1 of %2 points moved by more than three standard deviations.").arg(moved).arg(difference.points.size());
  else
    text += " " + tr("They are made from other tracks, so their points are not compared.");
  sentence_->setText(text);
  draw();
}

void DifferenceChart::draw() {
  const Jobs::Comparison& comparison = session_.jobs.compared();
  if (!comparison.first) return;
  const auto quantity = static_cast<Quantity>(quantity_->currentData().toInt());
  const auto scene = orientScene(*comparison.first->solution, session_.model.document().picks.scene);
  const double scale = scene.ok() ? scene->scene_from_solve.scale : 1;
  auto* value = new QLineSeries;
  auto *upper = new QLineSeries, *lower = new QLineSeries;
  double most = 1e-9, least = 0;
  for (const SolveDifference::Frame& frame : comparison.difference.frames) {
    const auto [difference, sigma] = valueOf(frame, quantity, scale);
    const double band = std::isnan(sigma) ? 0 : 2 * sigma;
    value->append(frame.frame, difference);
    upper->append(frame.frame, band), lower->append(frame.frame, quantity == Quantity::Focal ? -band : 0);
    most = std::max({most, difference, band}), least = std::min({least, difference, quantity == Quantity::Focal ? -band : 0});
  }
  auto* band = new QAreaSeries(upper, lower);
  upper->setParent(band), lower->setParent(band);
  band->setBrush(QColor(0x8e, 0x80, 0xa3, 60));
  band->setPen(Qt::NoPen);
  value->setPen(QPen(color::Text, 1.4));
  auto* chart = new QChart;
  chart->setBackgroundVisible(false);
  chart->legend()->hide();
  chart->setMargins({0, 0, 0, 0});
  chart->layout()->setContentsMargins(0, 0, 0, 0);
  chart->addSeries(band);
  chart->addSeries(value);
  auto *x = new QValueAxis, *y = new QValueAxis;
  const QString unit = scene.ok() && scene->metric ? tr("m") : tr("units");
  dress(x, tr("frame"));
  dress(y, quantity == Quantity::Centre ? tr("camera place, %1").arg(unit) : quantity == Quantity::Rotation ? tr("orientation, °") : tr("focal length, px"));
  x->setLabelFormat("%d");
  x->setRange(comparison.difference.frames.front().frame, std::max(comparison.difference.frames.back().frame, comparison.difference.frames.front().frame + 1));
  y->setRange(1.08 * least, 1.08 * most);
  y->setTickCount(4);
  y->applyNiceNumbers();
  y->setLabelFormat(most < 0.01 ? "%.4f" : most < 0.1 ? "%.3f" : most < 10 ? "%.2f" : "%.0f");
  for (QAbstractSeries* series : {static_cast<QAbstractSeries*>(band), static_cast<QAbstractSeries*>(value)}) {
    if (chart->axes().isEmpty()) chart->addAxis(x, Qt::AlignBottom), chart->addAxis(y, Qt::AlignLeft);
    series->attachAxis(x), series->attachAxis(y);
  }
  QChart* old = view_->chart();
  view_->setChart(chart);
  delete old;
}

}  // namespace dusky::desktop
