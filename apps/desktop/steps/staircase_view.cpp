#include "apps/desktop/steps/staircase_view.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {
namespace {

constexpr int kHead = 20, kRow = 20, kName = 96, kValue = 62;

double errorOf(const StaircaseStep& step) { return std::isnan(step.holdout_rms_px) ? step.rms_px : step.holdout_rms_px; }

}  // namespace

StaircaseView::StaircaseView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("staircase");
  connect(&session_.model, &DocumentModel::solutionChanged, this, &StaircaseView::refresh);
  refresh();
}

void StaircaseView::refresh() {
  const SolutionPtr solution = session_.model.partial() ? nullptr : session_.model.solution();
  steps_ = solution ? solution->staircase : std::vector<StaircaseStep>{};
  setVisible(!steps_.empty());
  setFixedHeight(kHead + kRow * static_cast<int>(steps_.size()));
  update();
}

QRect StaircaseView::rowRect(int row) const { return {0, kHead + kRow * row, width(), kRow}; }

void StaircaseView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(color::Quiet);
  painter.drawText(QRect(0, 0, width(), kHead), Qt::AlignVCenter, tr("Step by step: holdout error"));
  double most = 0;
  for (const StaircaseStep& step : steps_) most = std::max(most, errorOf(step));
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    const StaircaseStep& step = steps_[i];
    const QRect row = rowRect(static_cast<int>(i));
    painter.setPen(step.kept ? color::Text : color::Quiet);
    painter.drawText(row.adjusted(0, 0, -(width() - kName), 0), Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(QString::fromStdString(step.released), Qt::ElideRight, kName - 6));
    const QRectF all(kName, row.top() + 6, width() - kName - kValue, kRow - 12);
    painter.setPen(Qt::NoPen);
    const double share = most > 0 ? errorOf(step) / most : 0;
    painter.setBrush(step.kept ? QBrush(color::Calm) : QBrush(color::Edge, Qt::BDiagPattern));
    painter.drawRect(QRectF(all.left(), all.top(), std::max(1.0, share * all.width()), all.height()));
    painter.setPen(step.kept ? color::Text : color::Quiet);
    painter.drawText(row.adjusted(width() - kValue, 0, 0, 0), Qt::AlignVCenter | Qt::AlignRight,
                     step.kept ? tr("%1 px").arg(pxText(errorOf(step), 1)) : tr("rejected"));
  }
}

bool StaircaseView::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    if (!rowRect(static_cast<int>(i)).contains(help->pos())) continue;
    const StaircaseStep& s = steps_[i];
    const auto px = [](double v) { return pxText(v, 1); };
    QToolTip::showText(help->globalPos(), tr("%1: %2\nRMS %3 → %4 px, holdout %5 → %6 px\n%7")
                                              .arg(QString::fromStdString(s.released), s.kept ? tr("kept") : tr("rejected"), px(s.rms_before_px), px(s.rms_px),
                                                   px(s.holdout_before_px), px(s.holdout_rms_px), QString::fromStdString(s.why)));
    return true;
  }
  QToolTip::hideText();
  return true;
}

}  // namespace dusky::desktop
