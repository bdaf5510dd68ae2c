// Which dense points are left out: each rule with what it takes, the region, and cuts in Space.
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>

#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"

namespace dusky::desktop {
namespace {

void change(Session& session, const char* name, const std::function<void(CleanRules&)>& how) {
  DenseSettings settings = session.model.document().dense;
  how(settings.clean);
  session.model.set(name, &Document::dense, settings);
}

/// How many points a reason takes.
QLabel* counter(Session& session, CleanReason reason) {
  auto* count = new QLabel;
  count->setProperty("role", "quiet");
  count->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  count->setFixedWidth(38);
  count->setToolTip(QObject::tr("Dense points that go by this alone, of those that the rules above it keep."));
  const auto refresh = [&session, count, reason] {
    const auto& points = session.dense.points();
    const std::size_t going = points ? points->counts[static_cast<std::size_t>(reason)] : 0;
    count->setText(going > 0 ? QString::fromStdString(roundedCount(going)) : QString());
  };
  QObject::connect(&session.dense, &DenseStore::changed, count, refresh);
  refresh();
  return count;
}

struct Rule {
  const char* name;
  double low, high;
  int decimals;
  double step;
  const char* unit;
  const char* off;  ///< How it reads where it takes nothing.
  bool off_is_low;
  const char* tip;
  CleanReason reason;
};

template <class Value>
void addRule(Session& session, QGridLayout& grid, const Rule& rule, Value CleanRules::*field) {
  auto* number = new NumberField(
      session.model, [field](const Document& d) { return static_cast<double>(d.dense.clean.*field); },
      [field](const Document& d, double value) {
        DenseSettings settings = d.dense;
        settings.clean.*field = static_cast<Value>(value);
        return setMember<DenseSettings>("Change clean-up rule", &Document::dense, settings);
      });
  number->range(rule.low, rule.high, rule.decimals, rule.step, QObject::tr(rule.unit));
  if (rule.off_is_low) number->setSpecialValueText(QObject::tr(rule.off));
  number->setObjectName(QString("clean %1").arg(rule.name));
  number->setToolTip(QObject::tr(rule.tip));
  number->setFixedWidth(84);
  auto* label = new QLabel(QObject::tr(rule.name));
  label->setToolTip(QObject::tr(rule.tip));
  const int row = grid.rowCount();
  grid.addWidget(label, row, 0);
  grid.addWidget(number, row, 1);
  grid.addWidget(counter(session, rule.reason), row, 2);
}

/// One end of the region along one axis.
NumberField* regionField(Session& session, int axis, bool high) {
  auto* number = new NumberField(
      session.model,
      [axis, high](const Document& d) {
        const auto& region = d.dense.clean.region;
        return region ? (high ? region->high : region->low)[axis] : 0;
      },
      [axis, high](const Document& d, double value) {
        DenseSettings settings = d.dense;
        if (settings.clean.region) {
          RegionBox& box = *settings.clean.region;
          (high ? box.high : box.low)[axis] = high ? std::max(value, box.low[axis]) : std::min(value, box.high[axis]);
        }
        return setMember<DenseSettings>("Change region of dense points", &Document::dense, settings);
      });
  number->range(-1e6, 1e6, 2, 0.1, QString());
  number->setObjectName(QString("region %1 %2").arg(high ? "high" : "low").arg(axis));
  number->setButtonSymbols(QAbstractSpinBox::NoButtons);
  number->setFixedWidth(70);
  number->setToolTip(QObject::tr("Where the region %1 along %2, in the scene (%2 as it is drawn in Space, Y up).")
                         .arg(high ? QObject::tr("ends") : QObject::tr("begins"), QString("XYZ"[axis])));
  return number;
}

QWidget* regionRows(Session& session) {
  auto* rows = new QWidget;
  auto* grid = new QGridLayout(rows);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(6);
  auto* draw = smallButton(QObject::tr("Region on the Plate"),
                           QObject::tr("Draw a box on the Plate: dense points outside of what is seen in it, all round, go."), "drawDenseRegion");
  auto* none = smallButton(QObject::tr("None"), QObject::tr("Takes the region away: all of the set stays."), "noDenseRegion");
  grid->addWidget(draw, 0, 0, 1, 2);
  grid->addWidget(none, 0, 2);
  grid->addWidget(counter(session, CleanReason::Region), 0, 3);
  auto* fields = new QWidget;  // of its own: the buttons above are wider than its columns
  auto* ends = new QGridLayout(fields);
  ends->setContentsMargins(0, 0, 0, 0);
  for (int axis = 0; axis < 3; ++axis) {
    ends->addWidget(new QLabel(QString("XYZ"[axis])), axis, 0, Qt::AlignRight);
    ends->addWidget(regionField(session, axis, false), axis, 1);
    ends->addWidget(regionField(session, axis, true), axis, 2);
  }
  ends->setColumnStretch(3, 1);
  grid->addWidget(fields, 1, 0, 1, 4);
  QObject::connect(draw, &QPushButton::clicked, rows, [&session] { session.view.setTool(ViewSettings::Tool::DenseRegion); });
  QObject::connect(none, &QPushButton::clicked, rows,
                   [&session] { change(session, "No region of dense points", [](CleanRules& rules) { rules.region.reset(); }); });
  const auto refresh = [&session, draw, none, fields] {
    const bool has = session.model.document().dense.clean.region.has_value();
    draw->setEnabled(session.dense.points() != nullptr);
    none->setEnabled(has);
    fields->setVisible(has);
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, rows, refresh);
  QObject::connect(&session.dense, &DenseStore::changed, rows, refresh);
  refresh();
  return rows;
}

QWidget* cutRows(Session& session) {
  auto* row = new QWidget;
  auto* grid = new QGridLayout(row);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(6);
  auto* cut =
      smallButton(QObject::tr("Cut"), QObject::tr("Draw round dense points in Space, or brush over them: they go, as deep as the wheel says."), "cutDense");
  auto* keep = smallButton(QObject::tr("Keep only"), QObject::tr("Draw round dense points in Space, or brush over them: all others go."), "keepDense");
  auto* shape = new QComboBox;
  shape->setObjectName("cutShape");
  shape->addItems({QObject::tr("with a lasso"), QObject::tr("with a box"), QObject::tr("with a brush")});
  shape->setToolTip(QObject::tr("What Cut and Keep only draw with. The brush stays in the hand until Backspace; Shift and wheel change its size."));
  auto* forget = smallButton(QObject::tr("Forget"), QObject::tr("Takes all cuts away."), "forgetCuts");
  grid->addWidget(cut, 0, 0);
  grid->addWidget(keep, 0, 1);
  grid->addWidget(forget, 0, 2);
  grid->addWidget(counter(session, CleanReason::Cut), 0, 3);
  grid->addWidget(shape, 1, 0, 1, 3);
  QObject::connect(shape, &QComboBox::currentIndexChanged, &session.view,
                   [&session](int i) { session.view.setCutShape(static_cast<ViewSettings::CutShape>(i)); });
  QObject::connect(&session.view, &ViewSettings::changed, shape, [&session, shape] {
    const QSignalBlocker quiet(shape);
    shape->setCurrentIndex(static_cast<int>(session.view.cutShape()));
  });
  QObject::connect(cut, &QPushButton::clicked, row, [&session] { session.view.setTool(ViewSettings::Tool::DenseCut); });
  QObject::connect(keep, &QPushButton::clicked, row, [&session] { session.view.setTool(ViewSettings::Tool::DenseKeep); });
  QObject::connect(forget, &QPushButton::clicked, row, [&session] { change(session, "Forget cuts", [](CleanRules& rules) { rules.cuts.clear(); }); });
  const auto refresh = [&session, cut, keep, forget] {
    const auto cuts = session.model.document().dense.clean.cuts.size();
    for (QPushButton* one : {cut, keep}) one->setEnabled(session.dense.points() != nullptr);
    forget->setEnabled(cuts > 0);
    forget->setText(cuts > 1 ? QObject::tr("Forget %1").arg(cuts) : QObject::tr("Forget"));
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.dense, &DenseStore::changed, row, refresh);
  refresh();
  return row;
}

}  // namespace

QWidget* cleanRows(Session& session) {
  Body body;
  body.column->setContentsMargins(0, 0, 0, 0);
  QGridLayout& grid = *body.grid;
  addRule(session, grid,
          {QT_TR_NOOP("Views at least"), 3, 16, 0, 1, "", "off", true, QT_TR_NOOP("Points on which fewer depth maps agree go. All agree on 3 at least."),
           CleanReason::Views},
          &CleanRules::least_views);
  addRule(session, grid,
          {QT_TR_NOOP("Confidence"), 0, 1, 2, 0.05, "", "off", true,
           QT_TR_NOOP("Points of less confidence go: how alike the pictures are there, over the views that agree and those that do not, 0 to 1."),
           CleanReason::Confidence},
          &CleanRules::least_confidence);
  addRule(
      session, grid,
      {QT_TR_NOOP("Slant at most"), 10, 90, 0, 5, "°", "", false,
       QT_TR_NOOP("Points of surfaces that no view sees more squarely go: the angle between the surface's normal and the view. 90°: any."), CleanReason::Slant},
      &CleanRules::most_slant_deg);
  addRule(session, grid,
          {QT_TR_NOOP("Colours apart"), 5, 255, 0, 5, "", "", false,
           QT_TR_NOOP("Points whose colours in the views are farther from their mean go, grey levels of 255: shine and reflections. 255: any."),
           CleanReason::Color},
          &CleanRules::most_color_apart);
  addRule(session, grid,
          {QT_TR_NOOP("Neighbours"), 0, 1, 2, 0.05, "", "off", true,
           QT_TR_NOOP("Points with less of the surface around them go, a share: strays have few neighbours."), CleanReason::Stray},
          &CleanRules::least_neighbours);
  body.column->addWidget(regionRows(session));
  body.column->addWidget(cutRows(session));
  auto* shown = new QCheckBox(QObject::tr("Show what goes, glowing"));
  shown->setObjectName("showGoingDense");
  shown->setToolTip(QObject::tr("In Space. Nothing is lost by a rule: it comes back when the rule is loosened."));
  QObject::connect(shown, &QCheckBox::toggled, &session.view, &ViewSettings::showGoingDense);
  const auto refresh = [&session, shown] {
    const QSignalBlocker quiet(shown);
    shown->setChecked(session.view.goingDenseShown());
  };
  QObject::connect(&session.view, &ViewSettings::changed, shown, refresh);
  refresh();
  body.column->addWidget(shown);
  return body.widget;
}

}  // namespace dusky::desktop
