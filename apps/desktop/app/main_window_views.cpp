#include <QAction>
#include <QActionGroup>
#include <QComboBox>
#include <QCursor>
#include <QLabel>
#include <QMenu>
#include <QSlider>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <map>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/app/scale_control.h"
#include "apps/desktop/app/view_frame.h"
#include "apps/desktop/cards/transport.h"
#include "apps/desktop/cards/verdict_line.h"
#include "apps/desktop/cards/welcome.h"
#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/curves/lens_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/errormap/margin_brushes.h"
#include "apps/desktop/ledger/ledger_view.h"
#include "apps/desktop/model/user_settings.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/sweep/sweep_view.h"
#include "apps/desktop/tracklist/track_list.h"
#include "apps/desktop/twoframes/two_frames_view.h"

namespace dusky::desktop {
namespace {

QComboBox* whiskerField(ViewSettings& view) {
  auto* field = new QComboBox;
  for (int times : {1, 5, 10, 20, 50, 100}) field->addItem(QObject::tr("×%1").arg(times), static_cast<double>(times));
  field->setCurrentIndex(field->findData(view.whisker()));
  field->setFocusPolicy(Qt::NoFocus);
  field->setFixedWidth(60);
  field->setToolTip(QObject::tr("Whiskers run from where a track was measured to where the solve puts it; drawn this many times longer."));
  QObject::connect(&view, &ViewSettings::changed, field, [field, &view] { field->setCurrentIndex(field->findData(view.whisker())); });
  QObject::connect(field, &QComboBox::currentIndexChanged, &view, [field, &view] { view.setWhisker(field->currentData().toDouble()); });
  return field;
}

QComboBox* pointColorField(ViewSettings& view) {
  using PointColor = ViewSettings::PointColor;
  auto* field = new QComboBox;
  field->setObjectName("pointColor");
  const std::vector<std::pair<QString, PointColor>> colors = {{QObject::tr("picture"), PointColor::Picture},
                                                              {QObject::tr("error"), PointColor::Error},
                                                              {QObject::tr("depth"), PointColor::Depth},
                                                              {QObject::tr("parallax"), PointColor::Parallax},
                                                              {QObject::tr("depth ±"), PointColor::DepthSigma}};
  for (const auto& [name, color] : colors) field->addItem(name, static_cast<int>(color));
  field->setFocusPolicy(Qt::NoFocus);
  field->setToolTip(
      QObject::tr("What colours the points: the picture, with errors that glow over it; their error; how far they are from the nearest camera; "
                  "how much their rays differ (light: hardly); how sure their depth is (light: hardly)."));
  QObject::connect(field, &QComboBox::currentIndexChanged, &view,
                   [field, &view] { view.setPointColor(static_cast<PointColor>(field->currentData().toInt())); });
  QObject::connect(&view, &ViewSettings::changed, field, [field, &view] { field->setCurrentIndex(field->findData(static_cast<int>(view.pointColor()))); });
  return field;
}

QSlider* marksField(ViewSettings& view) {
  auto* field = new QSlider(Qt::Horizontal);
  field->setObjectName("pictureOrMarks");
  field->setRange(0, 100);
  field->setValue(view.marks());
  field->setFixedWidth(64);
  field->setFocusPolicy(Qt::NoFocus);
  field->setToolTip(QObject::tr("From the picture alone (left) to the marks alone (right)."));
  QObject::connect(field, &QSlider::valueChanged, &view, &ViewSettings::setMarks);
  return field;
}

/// From where Space is seen: what is chosen, and the others in a menu.
QToolButton* spaceModeField(QActionGroup& modes) {
  auto* field = new QToolButton;
  field->setObjectName("spaceMode");
  field->setIconSize({18, 18});
  field->setPopupMode(QToolButton::InstantPopup);
  field->setFocusPolicy(Qt::NoFocus);
  auto* menu = new QMenu(field);
  menu->addActions(modes.actions());
  field->setMenu(menu);
  const auto tell = [field, &modes] {
    field->setIcon(modes.checkedAction()->icon());
    field->setToolTip(QObject::tr("From where the set is seen. Now: %1").arg(modes.checkedAction()->text()));
  };
  for (QAction* mode : modes.actions()) {
    QObject::connect(mode, &QAction::toggled, field, [tell](bool on) {
      if (on) tell();
    });
  }
  tell();
  return field;
}

QComboBox* orderField(ErrorMap& map) {
  auto* field = new QComboBox;
  field->setObjectName("order");
  const std::vector<std::pair<QString, RowOrder>> orders = {
      {QObject::tr("worst error first"), RowOrder::Worst},       {QObject::tr("typical error first"), RowOrder::Typical},
      {QObject::tr("longest life first"), RowOrder::Life},       {QObject::tr("by first frame"), RowOrder::Start},
      {QObject::tr("least parallax first"), RowOrder::Parallax}, {QObject::tr("least sure depth first"), RowOrder::DepthSigma},
      {QObject::tr("what slides first"), RowOrder::Slides},      {QObject::tr("shared errors first"), RowOrder::Shared}};
  for (const auto& [name, order] : orders) field->addItem(name, static_cast<int>(order));
  field->setFocusPolicy(Qt::NoFocus);
  field->setToolTip(QObject::tr("The order of the rows."));
  QObject::connect(field, &QComboBox::currentIndexChanged, &map, [field, &map] { map.setOrder(static_cast<RowOrder>(field->currentData().toInt())); });
  return field;
}

QComboBox* groupingField(ErrorMap& map) {
  auto* field = new QComboBox;
  field->setObjectName("grouping");
  const std::vector<std::pair<QString, RowGrouping>> groupings = {
      {QObject::tr("by state"), RowGrouping::State}, {QObject::tr("by kind"), RowGrouping::Kind},   {QObject::tr("by group"), RowGrouping::Label},
      {QObject::tr("by mask"), RowGrouping::Mask},   {QObject::tr("by depth"), RowGrouping::Depth}, {QObject::tr("by place"), RowGrouping::Region}};
  for (const auto& [name, grouping] : groupings) field->addItem(name, static_cast<int>(grouping));
  field->setFocusPolicy(Qt::NoFocus);
  field->setToolTip(
      QObject::tr("Which rows stand together: by what the solve made of them, the kind of feature, the group written in the list of tracks, the mask they "
                  "lie in, their distance, or where in the picture they are in the middle of their life."));
  QObject::connect(field, &QComboBox::currentIndexChanged, &map, [field, &map] { map.setGrouping(static_cast<RowGrouping>(field->currentData().toInt())); });
  return field;
}

}  // namespace

ViewFrame* MainWindow::framePlate() {
  auto* frame = new ViewFrame(tr("PLATE"), plate_);
  for (QAction* tool : {box_, lasso_, mask_edit_, hand_, region_}) frame->addTool(tool);
  frame->addGap();
  for (QAction* tool : {fit_, actual_}) frame->addTool(tool);
  frame->addGap();
  for (QAction* tool : {tracks_, aside_, paths_, field_, candidates_, masks_, grid_, objects_}) frame->addTool(tool);
  frame->addGap();
  frame->addTool(whiskerField(session_.view));
  frame->addTool(marksField(session_.view));
  connect(plate_, &PlateView::zoomChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameSpace() {
  auto* frame = new ViewFrame(tr("SPACE"), space_);
  frame->addTool(spaceModeField(*space_modes_));
  frame->addTool(frame_all_);
  frame->addTool(handles_);
  frame->addTool(ellipsoids_);
  frame->addTool(pointColorField(session_.view));
  connect(space_, &SpaceView::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameErrorMap() {
  auto* frame = new ViewFrame(tr("ERROR MAP"), error_map_);
  auto* order = orderField(*error_map_);
  frame->addTool(order);
  frame->addTool(groupingField(*error_map_));
  frame->addTool(whole_map_);
  frame->addTool(difference_);
  frame->addGap();
  frame->addTool(new ScaleControl(session_.view));
  connect(error_map_, &ErrorMap::noteChanged, frame, &ViewFrame::setNote);
  connect(&error_map_->margins(), &MarginBrushes::brushed, steps_, [this] { steps_->openStep(Step::Prune); });
  connect(verdict_, &VerdictLine::errorAsked, order, [this, order] {
    order->setCurrentIndex(0);
    if (!session_.selection.empty()) error_map_->reveal(session_.selection.ids().front());
  });
  return frame;
}

QWidget* MainWindow::makeWork() {
  above_ = new QSplitter(Qt::Horizontal);
  halves_ = new QSplitter(Qt::Vertical);
  places_ = {{ViewPlace::Left, makeFrame(View::Plate)}, {ViewPlace::Right, stackOf(ViewPlace::Right)}, {ViewPlace::Below, stackOf(ViewPlace::Below)}};
  above_->addWidget(places_[ViewPlace::Left]);
  above_->addWidget(places_[ViewPlace::Right]);
  above_->setStretchFactor(0, 5);
  above_->setStretchFactor(1, 4);
  halves_->addWidget(above_);
  halves_->addWidget(places_[ViewPlace::Below]);
  halves_->setStretchFactor(0, 3);
  halves_->setStretchFactor(1, 2);
  above_->setSizes({560, 450});
  halves_->setSizes({380, 280});
  above_->setObjectName("above"), halves_->setObjectName("halves");
  // Not with every step of a drag: it is a file.
  auto* later = new QTimer(this);
  later->setSingleShot(true);
  later->setInterval(400);
  connect(later, &QTimer::timeout, this, &MainWindow::rememberSplitters);
  for (QSplitter* splitter : {above_, halves_}) {
    splitter->setHandleWidth(6);
    splitter->setChildrenCollapsible(false);
    splitter->restoreState(userSettings().value("splitter/" + splitter->objectName()).toByteArray());
    connect(splitter, &QSplitter::splitterMoved, later, qOverload<>(&QTimer::start));
  }
  for (const auto& [place, widget] : places_) {
    for (ViewFrame* frame : widget->findChildren<ViewFrame*>()) connect(frame, &ViewFrame::fillAsked, this, [this, at = place] { fillWith(at); });
    if (auto* frame = qobject_cast<ViewFrame*>(widget)) connect(frame, &ViewFrame::fillAsked, this, [this, at = place] { fillWith(at); });
  }
  auto* right = new QVBoxLayout;
  right->setSpacing(6);
  right->setContentsMargins(6, 6, 6, 6);
  right->addWidget(halves_, 1);
  right->addWidget(new Transport(session_));
  auto* middle = new QHBoxLayout;
  middle->setSpacing(0);
  middle->addWidget(steps_);
  middle->addLayout(right, 1);
  auto* work = new QWidget;
  auto* all = new QVBoxLayout(work);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  all->addLayout(middle, 1);
  all->addWidget(verdict_);
  return work;
}

void MainWindow::rememberSplitters() {
  for (const QSplitter* splitter : {above_, halves_}) userSettings().setValue("splitter/" + splitter->objectName(), splitter->saveState());
}

void MainWindow::fillWith(ViewPlace place) {
  filled_ = filled_ ? std::nullopt : std::optional(place);
  for (const auto& [at, widget] : places_) widget->setVisible(!filled_ || at == *filled_);
  above_->setVisible(!filled_ || *filled_ != ViewPlace::Below);
  fill_->setChecked(filled_.has_value());
}

/// The view that the pointer is over, else the Plate.
void MainWindow::fillUnderPointer() {
  ViewPlace place = ViewPlace::Left;
  for (const auto& [at, widget] : places_) {
    if (widget->isVisible() && widget->rect().contains(widget->mapFromGlobal(QCursor::pos()))) place = at;
  }
  fillWith(place);
}

void MainWindow::makeViews() {
  plate_ = new PlateView(session_, track_menu_);
  space_ = new SpaceView(session_, track_menu_);
  error_map_ = new ErrorMap(session_);
  closeup_ = new CloseupView(session_);
  two_frames_ = new TwoFramesView(session_);
  track_list_ = new TrackList(session_, track_menu_);
  coverage_ = new CoverageView(session_);
  lens_view_ = new LensView(session_);
  sweep_view_ = new SweepView(session_);
  ledger_view_ = new LedgerView(session_);
  addAction(ledger_view_->flip());
  verdict_ = new VerdictLine(session_);
  steps_ = new StepsPanel(session_, *track_actions_, open_footage_);
  welcome_ = new Welcome(open_footage_, open_project_, open_demo_);
  connect(welcome_, &Welcome::openAsked, this, &MainWindow::open);
  connect(welcome_, &Welcome::unsavedAsked, this, &MainWindow::openUnsaved);
  connect(welcome_, &Welcome::dropAsked, this, &MainWindow::dropUnsaved);
  connect(verdict_, &VerdictLine::stepAsked, steps_, &StepsPanel::openStep);
  connect(fit_, &QAction::triggered, plate_, &PlateView::fit);
  connect(actual_, &QAction::triggered, plate_, &PlateView::actualSize);
  connect(space_, &SpaceView::modeChanged, this, [this](Eye::Mode mode) {
    const std::map<Eye::Mode, QAction*> chosen = {
        {Eye::Mode::Orbit, orbit_}, {Eye::Mode::Top, top_}, {Eye::Mode::Front, front_}, {Eye::Mode::Side, side_}, {Eye::Mode::Camera, through_}};
    chosen.at(mode)->setChecked(true);
  });
  connect(frame_all_, &QAction::triggered, space_, &SpaceView::frameSelection);
  connect(whole_map_, &QAction::triggered, error_map_, &ErrorMap::showAll);
  pages_ = new QStackedWidget;
  pages_->addWidget(welcome_);
  pages_->addWidget(makeWork());
  auto* whole = new QWidget;
  auto* column = new QVBoxLayout(whole);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(makeNotice());
  column->addWidget(pages_, 1);
  setCentralWidget(whole);
}

}  // namespace dusky::desktop
