#include "apps/desktop/curves/lens_view.h"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {
namespace {

constexpr double kBand = 2;  // standard deviations

ChartRange rangeOf(const std::vector<Chart::Sample>& samples, double x0, double x1, double least_height) {
  ChartRange range{x0, x1, 1e300, -1e300};
  for (const Chart::Sample& s : samples) {
    if (std::isnan(s.y)) continue;
    const double half = std::isnan(s.sigma) ? 0 : 1.5 * kBand * s.sigma;
    range.y0 = std::min(range.y0, s.y - half), range.y1 = std::max(range.y1, s.y + half);
  }
  if (range.y0 > range.y1) return {x0, x1, 0, 1};
  const double more = std::max(0.08 * (range.y1 - range.y0), (least_height - (range.y1 - range.y0)) / 2);
  range.y0 -= more, range.y1 += more;
  return range;
}

QString plusMinus(double sigma, int decimals) { return std::isnan(sigma) ? QString() : QObject::tr(" ± %1").arg(sigma, 0, 'f', decimals); }

}  // namespace

LensView::LensView(Session& session, QWidget* parent) : QWidget(parent), session_(session), focal_chart_(new Chart), bend_chart_(new Chart) {
  setObjectName("lensView");
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  connect(&session_.model, &DocumentModel::solutionChanged, this, &LensView::refresh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &LensView::tellFrame);
  connect(&session_.playback, &Playback::frameChanged, this, &LensView::tellFrame);
  auto* both = new QHBoxLayout(this);
  both->setContentsMargins(0, 0, 0, 0);
  both->setSpacing(16);
  both->addWidget(focal_chart_, 1);
  both->addWidget(bend_chart_, 1);
  focal_chart_->paintOver([this](QPainter& painter) {
    const double now = focal_chart_->at(session_.playback.frame(), 0).x();
    painter.setPen(QPen(color::Text, 1));
    painter.drawLine(QPointF(now, focal_chart_->area().top()), QPointF(now, focal_chart_->area().bottom()));
  });
  refresh();
}

void LensView::refresh() {
  solution_ = session_.model.partial() ? nullptr : session_.model.solution();
  focal_.clear(), bend_.clear();
  QString note;
  if (solution_) {
    for (const SolvedFrame& frame : solution_->frames) {
      const bool own = solution_->zooms();
      const SolvedCamera& camera = solution_->cameras[static_cast<std::size_t>(frame.camera)];
      const double value = own ? frame.focal_px : camera.lens.focal_px, sigma = own ? frame.sigma_focal_px : camera.sigma[0];
      focal_.push_back({static_cast<double>(frame.frame), frame.placed ? value : kUnknown, sigma});
    }
    for (const LensCurvePoint& p : solution_->cameras.front().curve) bend_.push_back({p.radius_px, p.bend_px, p.sigma_px});
    note = tr("%1 lens · bands: two standard deviations").arg(QString::fromUtf8(describe(solution_->lens().model).data()));
  }
  emit noteChanged(note);
  drawCurves();
}

void LensView::drawCurves() {
  for (Chart* chart : {focal_chart_, bend_chart_}) {
    chart->clear();
    chart->setVisible(solution_ != nullptr);
  }
  if (!solution_) return update();
  focal_chart_->setAxes(tr("frame"), tr("focal length, px"),
                        rangeOf(focal_, session_.model.firstFrame(), session_.model.lastFrame(), 0.004 * solution_->lens().focal_px));
  focal_chart_->addCurve(focal_, kBand);
  ChartRange range = rangeOf(bend_, 0, bend_.empty() ? 1 : bend_.back().x, 1);
  range.y0 = std::min(range.y0, 0.0), range.y1 = std::max(range.y1, 0.0);
  bend_chart_->setAxes(tr("distance from the lens’s axis, px"), tr("outwards, px"), range);
  bend_chart_->addCurve(bend_, kBand);
  bend_chart_->setVisible(!bend_.empty());
  if (!bend_.empty()) bend_chart_->setNote(tr("corner: %1").arg(bendText(bend_.back().x)));
  tellFrame();
  update();
}

void LensView::tellFrame() {
  if (solution_) focal_chart_->setNote(focalText(session_.playback.frame()));
}

/// What there is no chart of.
void LensView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), color::Night);
  painter.setPen(color::Quiet);
  if (!solution_)
    painter.drawText(rect(), Qt::AlignCenter, session_.model.hasFootage() ? tr("Solve the shot: then this shows its focal length and its lens.") : "");
  else if (bend_.empty())
    painter.drawText(rect().adjusted(0, 0, -20, 0), Qt::AlignRight | Qt::AlignBottom, tr("A lens without distortion."));
}

QString LensView::focalText(int frame) const {
  const SolvedFrame* solved = solution_->frameAt(frame);
  if (!solved || !solved->placed) return tr("frame %1: no camera").arg(frame);
  const Chart::Sample& s = focal_[static_cast<std::size_t>(solved - solution_->frames.data())];
  const double mm = session_.model.document().lens.sensor_mm / solution_->lens().width;
  return tr("frame %1: %2%3 px, %4 mm on a sensor of %5 mm")
      .arg(frame)
      .arg(s.y, 0, 'f', 1)
      .arg(plusMinus(s.sigma, 1))
      .arg(s.y * mm, 0, 'f', 2)
      .arg(session_.model.document().lens.sensor_mm, 0, 'g', 4);
}

QString LensView::bendText(double radius_px) const {
  const auto near = std::min_element(bend_.begin(), bend_.end(),
                                     [&](const Chart::Sample& a, const Chart::Sample& b) { return std::abs(a.x - radius_px) < std::abs(b.x - radius_px); });
  return tr("%1%2 px").arg(near->y, 0, 'f', 2).arg(plusMinus(near->sigma, 2));
}

void LensView::goTo(const QPointF& at) {
  if (!solution_ || !focal_chart_->geometry().contains(at.toPoint())) return;
  session_.playback.pause();
  session_.playback.setFrame(static_cast<int>(std::lround(focal_chart_->xAt(at.x()))));
}

void LensView::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) goTo(event->position());
}

void LensView::mouseMoveEvent(QMouseEvent* event) {
  if (event->buttons() & Qt::LeftButton) goTo(event->position());
}

bool LensView::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip || !solution_) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  if (focal_chart_->geometry().contains(help->pos())) {
    QToolTip::showText(help->globalPos(),
                       tr("Focal length of each frame with two standard deviations. Click to go to a frame.\n%1")
                           .arg(focalText(static_cast<int>(std::lround(focal_chart_->xAt(help->pos().x()))))),
                       this);
  } else if (!bend_.empty()) {
    const double radius = std::clamp(bend_chart_->xAt(help->pos().x()), 0.0, bend_.back().x);
    QToolTip::showText(help->globalPos(),
                       tr("How far the lens moves the picture outwards (inwards where negative), with two standard deviations.\n"
                          "%1 px from the axis: %2")
                           .arg(radius, 0, 'f', 0)
                           .arg(bendText(radius)),
                       this);
  }
  return true;
}

}  // namespace dusky::desktop
