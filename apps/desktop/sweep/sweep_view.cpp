#include "apps/desktop/sweep/sweep_view.h"
#include "apps/desktop/model/scalar_names.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <cmath>

#include "core/base/numbers.h"
#include "core/knowledge/known_scalars.h"
#include "core/review/swept_knowledge.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// A span that shows the valley: some standard deviations where they are known, else what lenses usually vary by.
double usualSpan(const Solution& solution, int parameter) {
  const double sigma = parameter >= 0 ? solution.cameras.front().sigma[static_cast<std::size_t>(parameter)] : kUnknown;
  const double usual = parameter < 0 ? 10 : parameter == 0 ? 0.02 * solution.lens().focal_px : parameter < 3 ? 0.01 * solution.lens().width : 0.04;
  return std::isnan(sigma) || sigma <= 0 ? usual : 8 * sigma;
}

QDoubleSpinBox* numberField(const char* object, const QString& tip) {
  auto* field = new QDoubleSpinBox;
  field->setObjectName(object);
  field->setRange(-1e6, 1e6);
  field->setButtonSymbols(QAbstractSpinBox::NoButtons);
  field->setToolTip(tip);
  return field;
}

}  // namespace

SweepView::Axis SweepView::makeAxis(QGridLayout& grid, int row, const QString& name, const char* object) {
  Axis axis{new QComboBox, numberField("", tr("First value.")), numberField("", tr("Last value.")), new QSpinBox};
  axis.scalar->setObjectName(object);
  axis.from->setObjectName(QString("%1From").arg(object)), axis.to->setObjectName(QString("%1To").arg(object));
  axis.scalar->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  axis.points->setRange(3, 200);
  axis.points->setValue(17);
  axis.points->setButtonSymbols(QAbstractSpinBox::NoButtons);
  axis.points->setFixedWidth(44);
  axis.points->setToolTip(tr("How many values; of a single scalar more follow about each valley."));
  grid.addWidget(new QLabel(name), row, 0);
  grid.addWidget(axis.scalar, row, 1, 1, 4);
  grid.addWidget(axis.from, row + 1, 1);
  grid.addWidget(new QLabel(tr("to")), row + 1, 2);
  grid.addWidget(axis.to, row + 1, 3);
  grid.addWidget(axis.points, row + 1, 4);
  return axis;
}

SweepView::SweepView(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), plot_(new SweepPlot(session)), run_(new QPushButton(tr("Sweep"))), take_(new QPushButton), sentence_(new QLabel) {
  setObjectName("sweepView");
  auto* form = new QWidget;
  form->setFixedWidth(268);
  auto* grid = new QGridLayout(form);
  grid->setContentsMargins(4, 2, 4, 2);
  grid->setHorizontalSpacing(6);
  grid->setVerticalSpacing(4);
  grid->setColumnStretch(1, 1);
  grid->setColumnStretch(3, 1);
  first_ = makeAxis(*grid, 0, tr("Scalar"), "sweepFirst");
  second_ = makeAxis(*grid, 2, tr("and"), "sweepSecond");
  first_.scalar->setToolTip(tr("What is held at each value while everything else is adjusted."));
  second_.scalar->setToolTip(tr("A second scalar: both together, as a map."));
  second_.points->setValue(9);
  run_->setObjectName("runSweep");
  run_->setToolTip(tr("Adjusts everything else at each value, on all cores; the points show as they come."));
  take_->setObjectName("takeValue");
  take_->setToolTip(tr("Makes the chosen value (a click in the plot; else the best one) known for the next solve. Can be undone."));
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(run_);
  buttons->addWidget(take_, 1);
  grid->addLayout(buttons, 4, 0, 1, 5);
  sentence_->setWordWrap(true);
  sentence_->setObjectName("sweepSentence");
  sentence_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  grid->addWidget(sentence_, 5, 0, 1, 5);
  grid->setRowStretch(5, 1);
  auto* line = new QHBoxLayout(this);
  line->setContentsMargins(0, 0, 0, 0);
  line->addWidget(form);
  line->addWidget(plot_, 1);
  connect(run_, &QPushButton::clicked, this, &SweepView::run);
  connect(take_, &QPushButton::clicked, this, &SweepView::take);
  for (const Axis& axis : {first_, second_}) {
    connect(axis.scalar, &QComboBox::currentIndexChanged, this, [this, axis] {
      offerRange(axis);
      refresh();
    });
  }
  connect(&session_.model, &DocumentModel::solutionChanged, this, &SweepView::refreshScalars);
  connect(&session_.jobs, &Jobs::changed, this, &SweepView::refresh);
  connect(plot_, &SweepPlot::choiceChanged, this, &SweepView::refresh);
  refreshScalars();
}

void SweepView::refreshScalars() {
  const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
  if (solution) {
    for (const Axis& axis : {first_, second_}) {
      const QSignalBlocker quiet(axis.scalar);
      const QString before = axis.scalar->currentData().toString();
      axis.scalar->clear();
      if (axis.scalar == second_.scalar) axis.scalar->addItem(tr("no other"), QString());
      for (const std::string_view name : lensParameterNames(solution->lens().model))
        axis.scalar->addItem(scalarName(std::string(name)), QString::fromUtf8(name.data(), static_cast<qsizetype>(name.size())));
      axis.scalar->addItem(scalarName("readout_ms"), "readout_ms");
      for (const SweptScalar& known : sweptScalars(*solution)) axis.scalar->addItem(scalarName(known.parameter), QString::fromStdString(known.parameter));
      axis.scalar->setCurrentIndex(std::max(0, axis.scalar->findData(before)));
      offerRange(axis);
    }
  }
  refresh();
}

void SweepView::offerRange(const Axis& axis) {
  const SolutionPtr solution = session_.model.solution();
  const std::string scalar = axis.scalar->currentData().toString().toStdString();
  if (!solution || scalar.empty()) return;
  const auto show = [&axis](double from, double to) {
    const double span = (to - from) / 2;
    for (QDoubleSpinBox* field : {axis.from, axis.to}) {
      field->setDecimals(std::clamp(decimalsFor(span) + 2, 1, 7));
      field->setSingleStep(span / 8);
      field->setValue(field == axis.from ? from : to);
    }
  };
  for (const SweptScalar& known : sweptScalars(*solution)) {
    if (known.parameter != scalar) continue;
    const bool angle = isKnownAngle(scalar);
    const double from = known.value - known.span, to = known.value + known.span;
    return show(angle ? std::max(kLeastAngle_deg, from) : from, angle ? std::min(90.0, to) : to);
  }
  const auto names = lensParameterNames(solution->lens().model);
  const auto found = std::find(names.begin(), names.end(), scalar);
  const int parameter = found != names.end() ? static_cast<int>(found - names.begin()) : -1;
  const double fps = session_.model.workspace().footage().fps;
  const double value = parameter >= 0 ? solution->lens().parameters()[static_cast<std::size_t>(parameter)] : fps > 0 ? 1000 * solution->readout / fps : 0;
  const double span = usualSpan(*solution, parameter);
  show(value - span, value + span);
}

SweepAxis SweepView::asked(const Axis& axis) const {
  return {.parameter = axis.scalar->currentData().toString().toStdString(), .from = axis.from->value(), .to = axis.to->value(), .points = axis.points->value()};
}

void SweepView::run() {
  SweepOptions options{.first = asked(first_), .second = std::nullopt};
  const SweepAxis other = asked(second_);
  if (!other.parameter.empty()) options.second = other;
  session_.jobs.runSweep(options);
}

void SweepView::take() {
  const auto chosen = plot_->choice();
  if (!chosen) return;
  const SweepOptions& asked = session_.jobs.swept().asked;
  std::vector<std::pair<std::string, double>> values = {{asked.first.parameter, chosen->value}};
  if (asked.second) values.emplace_back(asked.second->parameter, chosen->second);
  session_.model.run(takeValues(session_.model.document(), session_.model.workspace().footage(), values));
}

void SweepView::refresh() {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
  const bool idle = !session_.jobs.busy();
  const bool two = !second_.scalar->currentData().toString().isEmpty();
  for (QWidget* field : {static_cast<QWidget*>(second_.from), static_cast<QWidget*>(second_.to), static_cast<QWidget*>(second_.points)}) field->setEnabled(two);
  run_->setEnabled(solution && first_.scalar->currentIndex() >= 0 && first_.scalar->currentData() != second_.scalar->currentData());
  const auto chosen = plot_->choice();
  // The focal lengths of a zoom are not one value.
  const auto takes = [](const std::string& parameter) { return kindOfScalar(parameter) != ScalarKind::Tilt; };  // no statement says one
  const bool can_take = chosen && idle && takes(sweep.asked.first.parameter) && !(sweep.asked.second && !takes(sweep.asked.second->parameter)) &&
                        !(solution && solution->zooms() && sweep.asked.first.parameter == "focal_px");
  take_->setEnabled(can_take);
  take_->setText(chosen ? two || sweep.asked.second ? tr("Take both values") : tr("Take %1").arg(chosen->value, 0, 'g', 6) : tr("Take this value"));
  sentence_->setText(sweep.result               ? QString::fromStdString(sweep.result->sentence)
                     : !sweep.problem.isEmpty() ? sweep.problem
                     : sweep.points.empty()     ? QString()
                                                : tr("%n value(s) so far", nullptr, static_cast<int>(sweep.points.size())));
}

}  // namespace dusky::desktop
