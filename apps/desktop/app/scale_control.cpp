#include "apps/desktop/app/scale_control.h"

#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QSignalBlocker>

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {
namespace {

QPixmap swatch() {
  QPixmap picture(96, 8);
  QPainter painter(&picture);
  for (int x = 0; x < picture.width(); ++x) painter.fillRect(x, 0, 1, 8, errorQColor(x, picture.width() - 1));
  return picture;
}

}  // namespace

ScaleControl::ScaleControl(ViewSettings& view, QWidget* parent) : QWidget(parent) {
  auto* line = new QHBoxLayout(this);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(6);
  auto* zero = new QLabel("0");
  zero->setProperty("role", "quiet");
  auto* bar = new QLabel;
  bar->setPixmap(swatch());
  auto* top = new QDoubleSpinBox;
  top->setObjectName("errorTop");
  top->setRange(0.01, 100);
  top->setDecimals(2);
  top->setStepType(QAbstractSpinBox::AdaptiveDecimalStepType);
  top->setSuffix(" px");
  top->setKeyboardTracking(false);
  top->setFocusPolicy(Qt::ClickFocus);
  top->setFixedWidth(88);
  const QString tip = tr("The error colours in all views run from 0 to this error, px.");
  top->setToolTip(tip);
  bar->setToolTip(tip);
  line->addWidget(zero);
  line->addWidget(bar);
  line->addWidget(top);
  const auto show = [top, &view] {
    const QSignalBlocker quiet(top);
    top->setValue(view.errorTop());
  };
  connect(&view, &ViewSettings::changed, top, show);
  connect(top, &QDoubleSpinBox::valueChanged, &view, &ViewSettings::setErrorTop);
  show();
}

}  // namespace dusky::desktop
