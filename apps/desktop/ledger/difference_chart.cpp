#include "apps/desktop/ledger/difference_chart.h"

#include <QComboBox>
#include <QLabel>
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

}  // namespace

DifferenceChart::DifferenceChart(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), sentence_(new QLabel), quantity_(new QComboBox), chart_(new Chart) {
  sentence_->setObjectName("differenceSentence");
  sentence_->setWordWrap(true);
  sentence_->setTextFormat(Qt::RichText);
  connect(sentence_, &QLabel::linkActivated, this, [this] { session_.selection.pick(moved_, Selection::Mode::Replace); });
  quantity_->setObjectName("differenceQuantity");
  quantity_->addItem(tr("camera place"), static_cast<int>(Quantity::Centre));
  quantity_->addItem(tr("orientation"), static_cast<int>(Quantity::Rotation));
  quantity_->addItem(tr("focal length"), static_cast<int>(Quantity::Focal));
  quantity_->setToolTip(tr("What of the two cameras is compared, frame by frame; the band is two standard deviations."));
  auto* head = new QHBoxLayout;
  head->addWidget(sentence_, 1);
  head->addWidget(quantity_, 0, Qt::AlignTop);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(6, 2, 6, 4);
  all->setSpacing(4);
  all->addLayout(head);
  all->addWidget(chart_, 1);
  connect(&session_.jobs, &Jobs::comparisonChanged, this, &DifferenceChart::refresh);
  connect(quantity_, &QComboBox::currentIndexChanged, this, &DifferenceChart::draw);
  refresh();
}

QString DifferenceChart::sentence() const { return sentence_->text(); }

void DifferenceChart::refresh() {
  const Jobs::Comparison& comparison = session_.jobs.compared();
  quantity_->setVisible(comparison.first.has_value());
  chart_->setVisible(comparison.first.has_value());
  if (!comparison.first) return sentence_->setText(tr("Choose two runs (Ctrl+click) and press Compare: how their cameras differ stands here."));
  const LedgerMarks& marks = session_.model.document().ledger;
  const SolveDifference& difference = comparison.difference;
  const auto named = [&](int run) {
    const QString name = QString::fromStdString(marks.nameOf(run)).toHtmlEscaped();
    return marks.names.contains(run) ? tr("“%1”").arg(name) : name;
  };
  QString text = tr("%1 beside %2: an insert lined up under the one slips %3 px under the other.")
                     .arg(named(comparison.second->run.id), named(comparison.first->run.id), pxText(difference.slip_px));
  moved_.clear();
  for (const auto& point : difference.points) {
    if (point.distance > 3 * point.sigma) moved_.push_back(point.id);
  }
  if (comparison.same_tracks)
    text += " " + tr("%1 of %2 points moved by more than three standard deviations%3.")
                      .arg(moved_.size())
                      .arg(difference.points.size())
                      .arg(moved_.empty() ? QString() : tr(" (<a href='moved'>select them</a>)"));
  else
    text += " " + tr("They are made from other tracks, so their points are not compared.");
  sentence_->setText(text);
  draw();
}

void DifferenceChart::draw() {
  const Jobs::Comparison& comparison = session_.jobs.compared();
  if (!comparison.first) return;
  const auto quantity = static_cast<Quantity>(quantity_->currentData().toInt());
  const auto scene = orientScene(*comparison.first->solution, session_.model.document().picks.scene, session_.model.document().picks.knowledge);
  const double scale = scene.ok() ? scene->scene_from_solve.scale * (scene->metric ? unitsPerMetre() : 1) : 1;
  std::vector<Chart::Sample> values;
  std::vector<QPointF> lower, upper;
  double most = 1e-9, least = 0;
  for (const SolveDifference::Frame& frame : comparison.difference.frames) {
    const auto [difference, sigma] = valueOf(frame, quantity, scale);
    const double band = std::isnan(sigma) ? 0 : 2 * sigma, below = quantity == Quantity::Focal ? -band : 0;
    values.push_back({static_cast<double>(frame.frame), difference, kUnknown});
    upper.emplace_back(frame.frame, band), lower.emplace_back(frame.frame, below);
    most = std::max({most, difference, band}), least = std::min({least, difference, below});
  }
  const bool metric = scene.ok() && scene->metric;
  const QString unit = metric ? unitSign() : tr("units");
  chart_->clear();
  chart_->setAxes(tr("frame"),
                  quantity == Quantity::Centre     ? tr("camera place, %1").arg(unit)
                  : quantity == Quantity::Rotation ? tr("orientation, °")
                                                   : tr("focal length, px"),
                  {static_cast<double>(comparison.difference.frames.front().frame), static_cast<double>(comparison.difference.frames.back().frame),
                   1.08 * least, 1.08 * most});
  chart_->addBand(lower, upper);
  chart_->addCurve(values, 0);
}

}  // namespace dusky::desktop
