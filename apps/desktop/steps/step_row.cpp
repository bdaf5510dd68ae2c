#include "apps/desktop/steps/step_row.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QStyle>
#include <QVBoxLayout>
#include <cmath>

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {
namespace {

QString timeLeft(double seconds) {
  if (!std::isfinite(seconds)) return {};
  return seconds < 90 ? QObject::tr(" · %1 s left").arg(std::ceil(seconds)) : QObject::tr(" · %1 min left").arg(std::ceil(seconds / 60));
}

}  // namespace

void StepMark::show(Shape shape, double fraction) {
  shape_ = shape;
  fraction_ = fraction;
  update();
}

void StepMark::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF ring(width() / 2.0 - 5, height() / 2.0 - 5, 10, 10);
  const QColor ink = shape_ == Shape::NotRun ? color::Calm : QColor(0xd8, 0xcf, 0xe2);
  painter.setPen(QPen(ink, 1.4));
  painter.setBrush(shape_ == Shape::Current ? QBrush(ink) : QBrush(Qt::NoBrush));
  if (shape_ != Shape::Running) painter.drawEllipse(ring);
  if (shape_ == Shape::Stale) {
    painter.setBrush(ink);
    painter.drawPie(ring, 90 * 16, 180 * 16);
  } else if (shape_ == Shape::Running) {
    painter.setPen(QPen(color::Edge, 2.4));
    painter.drawEllipse(ring);
    painter.setPen(QPen(ink, 2.4));
    painter.drawArc(ring, 90 * 16, -static_cast<int>(360 * 16 * std::max(0.04, fraction_)));
  } else if (shape_ == Shape::Failed) {
    painter.drawLine(ring.topLeft(), ring.bottomRight());
  }
}

StepRow::StepRow(const QString& title, const QString& tip, QWidget* settings, QWidget* parent)
    : QWidget(parent),
      head_(new QWidget),
      settings_(settings),
      progress_(new QWidget),
      mark_(new StepMark),
      line_(new QLabel),
      tag_(new QLabel),
      failure_(new QLabel),
      what_(new QLabel),
      bar_(new QProgressBar) {
  setObjectName("stepShut");
  setAttribute(Qt::WA_StyledBackground);
  head_->setToolTip(tip);
  auto* name = new QLabel(title);
  name->setProperty("role", "title");
  line_->setProperty("role", "quiet");
  line_->setWordWrap(true);
  tag_->setProperty("role", "quiet");
  failure_->setProperty("role", "failure");
  failure_->setWordWrap(true);
  what_->setProperty("role", "quiet");
  what_->setWordWrap(true);
  bar_->setTextVisible(false);
  bar_->setRange(0, 1000);

  auto* texts = new QVBoxLayout;
  texts->setSpacing(1);
  auto* first = new QHBoxLayout;
  first->addWidget(name);
  first->addStretch();
  first->addWidget(tag_);
  texts->addLayout(first);
  texts->addWidget(line_);
  auto* head = new QHBoxLayout(head_);
  head->setContentsMargins(14, 5, 14, 4);
  head->setSpacing(9);
  head->addWidget(mark_, 0, Qt::AlignTop);
  head->addLayout(texts, 1);

  auto* cancel = new QPushButton(tr("Cancel"));
  cancel->setObjectName("cancel");
  cancel->setToolTip(tr("Stops this run; what was there before stays."));
  connect(cancel, &QPushButton::clicked, this, &StepRow::cancelClicked);
  auto* progress = new QGridLayout(progress_);
  progress->setContentsMargins(37, 0, 14, 8);
  progress->addWidget(bar_, 0, 0);
  progress->addWidget(cancel, 0, 1);
  progress->addWidget(what_, 1, 0, 1, 2);

  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  all->addWidget(head_);
  auto* failure_place = new QHBoxLayout;
  failure_place->setContentsMargins(14, 0, 14, 0);
  failure_place->addWidget(failure_);
  all->addLayout(failure_place);
  all->addWidget(progress_);
  settings_->setContentsMargins(14, 2, 14, 12);
  all->addWidget(settings_);
  settings_->hide();
  progress_->hide();
  failure_->hide();
}

void StepRow::show(const StepStatus& status, const JobState& job) {
  using Shape = StepMark::Shape;
  const Shape settled = status.state == StepState::Current ? Shape::Current : status.state == StepState::Stale ? Shape::Stale : Shape::NotRun;
  mark_->show(job.running ? Shape::Running : !job.failure.isEmpty() ? Shape::Failed : settled, job.fraction);
  line_->setText(QString::fromStdString(status.line));
  tag_->setText(job.running                        ? tr("%1 %").arg(static_cast<int>(100 * job.fraction))
                : job.waiting                      ? tr("waiting")
                : status.state == StepState::Stale ? tr("stale")
                : !job.failure.isEmpty()           ? tr("failed")
                                                   : "");
  failure_->setText(job.failure);
  failure_->setVisible(!job.failure.isEmpty());
  progress_->setVisible(job.running || job.waiting);
  bar_->setValue(static_cast<int>(1000 * job.fraction));
  what_->setText(job.running ? job.what + timeLeft(job.seconds_left) : tr("begins when what runs now has ended"));
}

void StepRow::setOpen(bool open) {
  open_ = open;
  settings_->setVisible(open);
  setObjectName(open ? "stepOpen" : "stepShut");
  style()->unpolish(this);
  style()->polish(this);
}

void StepRow::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && head_->geometry().contains(event->position().toPoint())) emit headClicked();
}

}  // namespace dusky::desktop
