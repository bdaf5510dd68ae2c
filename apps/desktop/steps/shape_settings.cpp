#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/image/frame_ranges.h"
#include "core/mask/mask_keys.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

using Tool = ViewSettings::Tool;

void change(Session& session, const char* name, const std::function<void(Mask&)>& how) {
  const Mask* mask = session.chosenMask();
  if (!mask) return;
  Mask changed = *mask;
  how(changed);
  session.model.run(changeMask(name, session.model.document(), std::move(changed)));
}

/// Ellipse, box, curve: what is drawn next.
QWidget* drawButtons(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(4);
  const auto add = [&](const QString& text, const char* name, const QString& tip, Tool tool) {
    auto* button = new QPushButton(text);
    button->setObjectName(name);
    button->setCheckable(true);
    button->setToolTip(tip);
    line->addWidget(button, 1);
    QObject::connect(button, &QPushButton::clicked, row, [&session, tool](bool on) { session.view.setTool(on ? tool : Tool::Box); });
    QObject::connect(&session.view, &ViewSettings::changed, button, [&session, button, tool] { button->setChecked(session.view.tool() == tool); });
  };
  add(QObject::tr("Ellipse"), "drawEllipse", QObject::tr("Drag an ellipse on the Plate."), Tool::MaskEllipse);
  add(QObject::tr("Box"), "drawBox", QObject::tr("Drag a box on the Plate."), Tool::MaskBox);
  add(QObject::tr("Curve"), "drawCurve", QObject::tr("Click the corners of a closed smooth curve on the Plate."), Tool::MaskCurve);
  add(QObject::tr("Edit"), "editMasks", QObject::tr("Move, turn, scale and reshape masks on the Plate; each change is a key in its frame (E)."),
      Tool::MaskEdit);
  return row;
}

/// Step to a key, add one, take one out.
QWidget* keyButtons(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(4);
  const auto add = [&](const QString& text, const char* name, const QString& tip, std::function<void()> act) {
    auto* button = new QPushButton(text);
    button->setObjectName(name);
    button->setToolTip(tip);
    line->addWidget(button, 1);
    QObject::connect(button, &QPushButton::clicked, row, std::move(act));
    return button;
  };
  const auto go = [&session](int direction) {
    const Mask* mask = session.chosenMask();
    const auto frame = mask ? neighbourKey(*mask, session.playback.frame(), direction) : std::nullopt;
    if (!frame) return;
    session.playback.pause();
    session.playback.setFrame(*frame);
  };
  auto* before = add("‹", "previousKey", QObject::tr("To the key before this frame."), [go] { go(-1); });
  auto* put = add(QObject::tr("Key"), "putKey", QObject::tr("Sets a key in this frame where the mask lies now."), [&session] {
    const int frame = session.playback.frame();
    change(session, "Set mask key", [frame](Mask& mask) { putKey(mask, maskAt(mask, frame)); });
  });
  auto* remove = add(QObject::tr("No key"), "removeKey", QObject::tr("Takes the key of this frame out. The last one stays."), [&session] {
    const int frame = session.playback.frame();
    change(session, "Remove mask key", [frame](Mask& mask) { removeKey(mask, frame); });
  });
  auto* after = add("›", "nextKey", QObject::tr("To the key after this frame."), [go] { go(1); });
  const auto refresh = [&session, before, put, remove, after] {
    const Mask* mask = session.chosenMask();
    const int frame = session.playback.frame();
    const bool keyed = mask && std::any_of(mask->keys.begin(), mask->keys.end(), [frame](const MaskKey& k) { return k.frame == frame; });
    before->setEnabled(mask && neighbourKey(*mask, frame, -1));
    after->setEnabled(mask && neighbourKey(*mask, frame, 1));
    put->setEnabled(mask && !keyed);
    remove->setEnabled(mask && keyed && mask->keys.size() > 1);
  };
  QObject::connect(&session.view, &ViewSettings::changed, row, refresh);
  QObject::connect(&session.playback, &Playback::frameChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  refresh();
  return row;
}

/// The settings of the chosen mask.
QWidget* chosenSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(8);
  grid->setVerticalSpacing(6);
  grid->setColumnStretch(0, 1);
  auto* name = new QLineEdit;
  name->setObjectName("maskName");
  auto* role = new QComboBox;
  role->setObjectName("maskRole");
  role->addItems({QObject::tr("leave out"), QObject::tr("only inside")});
  auto* grow = new QDoubleSpinBox;
  grow->setObjectName("maskGrow");
  grow->setRange(-500, 500);
  grow->setDecimals(0);
  grow->setSuffix(QObject::tr(" px"));
  grow->setKeyboardTracking(false);
  auto* frames = new QLineEdit;
  frames->setObjectName("maskFrames");
  frames->setPlaceholderText(QObject::tr("all"));
  auto* problem = new QLabel;
  problem->setObjectName("maskFramesProblem");
  problem->setProperty("role", "failure");
  problem->setWordWrap(true);
  problem->hide();
  addField(*grid, QObject::tr("Name"), name, QObject::tr("What the mask is called."));
  addField(*grid, QObject::tr("What it does"), role,
           QObject::tr("Leave out: nothing is tracked inside. Only inside: nothing is tracked elsewhere, for the camera around a moving object."));
  addField(*grid, QObject::tr("Expand"), grow, QObject::tr("How far it reaches beyond its line, px; under 0 it shrinks."));
  addField(*grid, QObject::tr("Holds in frames"), frames, QObject::tr("Frames and ranges in which the mask holds, like 1-40, 60-80; empty: in all."));
  column->addLayout(grid);
  column->addWidget(problem);
  auto* inverted = new QCheckBox(QObject::tr("Inside and outside exchanged"));
  inverted->setObjectName("maskInverted");
  inverted->setToolTip(QObject::tr("What lies outside the line counts as inside."));
  column->addWidget(inverted);
  column->addWidget(keyButtons(session));
  auto* remove = new QPushButton(QObject::tr("Remove this mask"));
  remove->setObjectName("removeMask");
  remove->setToolTip(QObject::tr("Takes the mask away with all its keys. Undo brings it back."));
  column->addWidget(remove);
  QObject::connect(name, &QLineEdit::editingFinished, body, [&session, name] {
    const std::string text = name->text().trimmed().toStdString();
    if (!text.empty()) change(session, "Rename mask", [&](Mask& mask) { mask.name = text; });
  });
  QObject::connect(role, &QComboBox::currentIndexChanged, body,
                   [&session](int index) { change(session, "Change mask", [index](Mask& m) { m.only_inside = index == 1; }); });
  QObject::connect(grow, &QDoubleSpinBox::valueChanged, body, [&session](double px) { change(session, "Grow mask", [px](Mask& m) { m.grow_px = px; }); });
  QObject::connect(inverted, &QCheckBox::toggled, body, [&session](bool on) { change(session, "Invert mask", [on](Mask& m) { m.inverted = on; }); });
  QObject::connect(frames, &QLineEdit::editingFinished, body, [&session, frames, problem] {
    const auto ranges = readRanges(frames->text().toStdString());
    problem->setVisible(!ranges.ok());
    if (!ranges.ok()) return problem->setText(QString::fromStdString(ranges.error().message));
    change(session, "Change mask range", [&](Mask& m) { m.ranges = *ranges; });
  });
  QObject::connect(remove, &QPushButton::clicked, body, [&session] { session.model.run(removeMask(session.model.document(), session.view.chosenMask())); });
  const auto refresh = [=, &session] {
    const Mask* mask = session.chosenMask();
    body->setVisible(mask != nullptr);
    if (!mask) return;
    const QSignalBlocker a(role), b(grow), c(frames), d(inverted), e(name);
    problem->hide();
    frames->setText(QString::fromStdString(listed(mask->ranges)));
    name->setText(QString::fromStdString(mask->name));
    role->setCurrentIndex(mask->only_inside);
    grow->setValue(mask->grow_px);
    inverted->setChecked(mask->inverted);
  };
  QObject::connect(&session.view, &ViewSettings::changed, body, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  refresh();
  return body;
}

QListWidget* maskList(Session& session) {
  auto* list = new QListWidget;
  list->setObjectName("maskList");
  list->setFixedHeight(74);
  list->setToolTip(QObject::tr("The masks of this shot. Choose one to change it."));
  const auto refresh = [&session, list] {
    const QSignalBlocker quiet(list);
    list->clear();
    const auto& shapes = session.model.document().masks.shapes;
    for (const Mask& mask : shapes) {
      const QString keys = mask.keys.size() == 1 ? QObject::tr("1 key") : QObject::tr("%1 keys").arg(mask.keys.size());
      auto* item = new QListWidgetItem(
          QObject::tr("%1 · %2 · %3").arg(QString::fromStdString(mask.name), mask.only_inside ? QObject::tr("only inside") : QObject::tr("left out"), keys),
          list);
      item->setData(Qt::UserRole, mask.id);
      if (mask.id == session.view.chosenMask()) list->setCurrentItem(item);
    }
    list->setVisible(!shapes.empty());
  };
  QObject::connect(list, &QListWidget::currentItemChanged, list, [&session, list](QListWidgetItem* item) {
    if (!item) return;
    // Choosing fills the list anew, which must wait until the list is done with this item.
    const auto choose = [&session, id = item->data(Qt::UserRole).toInt()] {
      session.view.chooseMask(id);
      session.view.setTool(Tool::MaskEdit);
    };
    QMetaObject::invokeMethod(list, choose, Qt::QueuedConnection);
  });
  QObject::connect(&session.view, &ViewSettings::changed, list, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, list, refresh);
  QObject::connect(&session.model, &DocumentModel::opened, list, refresh);
  refresh();
  return list;
}
}  // namespace

QWidget* shapeSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(quietLabel(QObject::tr("Draw round what moves on its own. A mask follows it by keys; between them it changes evenly.")));
  column->addWidget(drawButtons(session));
  column->addWidget(maskList(session));
  column->addWidget(chosenSettings(session));
  return body;
}
}  // namespace dusky::desktop
