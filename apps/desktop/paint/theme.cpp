#include "apps/desktop/paint/theme.h"

#include <QFont>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>
#include <array>

#include "core/image/color_scale.h"

/// Resources of a static library are only there once asked for; the macro must stand outside any namespace.
static void useResources() { Q_INIT_RESOURCE(desktop); }

namespace dusky::desktop {
namespace {

constexpr const char* kSheet = R"(
* { font-size: 12px; }
QMainWindow, QDialog, QMessageBox, QFileDialog { background: #1a1622; }
QMenuBar { background: #1a1622; color: #ece6f1; padding: 2px 4px; }
QMenuBar::item { padding: 4px 9px; border-radius: 3px; }
QMenuBar::item:selected, QMenu::item:selected { background: #3d3450; }
QMenu { background: #231e2d; border: 1px solid #433a53; padding: 4px; }
QMenu::item { padding: 5px 26px 5px 22px; border-radius: 3px; }
QMenu::item:disabled { color: #7b7188; }
QMenu::separator { height: 1px; background: #433a53; margin: 4px 8px; }
QToolTip { background: #312a3e; color: #ece6f1; border: 1px solid #554a68; padding: 4px; }
QLabel[role="quiet"] { color: #a99db6; }
QLabel[role="title"] { font-size: 13px; font-weight: 600; }
QLabel[role="head"] { color: #a99db6; font-size: 11px; font-weight: 600; letter-spacing: 1px; }
QLabel[role="failure"] { color: #ffe3a8; background: #3b2a33; border-radius: 4px; padding: 6px 8px; }
QPushButton { background: #312a3e; color: #ece6f1; border: 1px solid #433a53; border-radius: 4px; padding: 5px 10px; }
QPushButton:hover { background: #3d3450; }
QPushButton:pressed { background: #292335; }
QPushButton:disabled { color: #7b7188; background: #262030; border-color: #2f283c; }
QPushButton:focus, QToolButton:focus { border: 1px solid #a99db6; }
QPushButton[primary="true"] { background: #f4b45f; color: #241a10; border: 1px solid #f4b45f; font-weight: 600; }
QPushButton[primary="true"]:hover { background: #ffc679; }
QPushButton[primary="true"]:disabled { background: #3a3138; color: #8d8179; border-color: #3a3138; }
QPushButton[role="small"] { padding: 4px 2px; }
QPushButton[role="verdict"] { background: transparent; border: 1px solid transparent; padding: 3px 7px; text-align: left; }
QPushButton[role="verdict"]:hover { background: #312a3e; border-color: #433a53; }
QToolButton { background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 2px; color: #ece6f1; }
QToolButton:hover { background: #312a3e; }
QToolButton:checked { background: #3d3450; border-color: #6a5c82; }
QToolButton[role="tab"] { color: #a99db6; font-size: 11px; font-weight: 600; letter-spacing: 1px; padding: 2px 5px; border-radius: 0; }
QToolButton[role="tab"]:checked { background: transparent; color: #ece6f1; border-color: transparent; border-bottom: 2px solid #c6b5dc; }
QPushButton:checked { background: #3d3450; border-color: #c6b5dc; }
QTableView { background: #14101a; alternate-background-color: #1a1622; border: 1px solid #433a53; selection-background-color: #4b3f3a; selection-color: #ffd9a3; }
QHeaderView::section { background: #231e2d; color: #a99db6; border: 0; border-right: 1px solid #433a53; padding: 3px 6px; }
QTableView QTableCornerButton::section { background: #231e2d; }
QSpinBox, QDoubleSpinBox, QComboBox, QLineEdit { background: #18141f; border: 1px solid #433a53; border-radius: 4px; padding: 3px 6px; selection-background-color: #6a5c82; }
QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus, QLineEdit:focus { border-color: #a99db6; }
QSpinBox:disabled, QDoubleSpinBox:disabled, QComboBox:disabled, QLineEdit:disabled { color: #7b7188; }
QSpinBox::up-button, QDoubleSpinBox::up-button { subcontrol-position: top right; width: 16px; border: 0; background: transparent; }
QSpinBox::down-button, QDoubleSpinBox::down-button { subcontrol-position: bottom right; width: 16px; border: 0; background: transparent; }
QSpinBox::up-arrow, QDoubleSpinBox::up-arrow { image: url(:/icons/arrow-up.svg); width: 8px; height: 8px; }
QSpinBox::down-arrow, QDoubleSpinBox::down-arrow { image: url(:/icons/arrow-down.svg); width: 8px; height: 8px; }
QComboBox::drop-down { border: 0; width: 18px; }
QComboBox::down-arrow { image: url(:/icons/arrow-down.svg); width: 8px; height: 8px; }
QComboBox QAbstractItemView { background: #231e2d; border: 1px solid #433a53; selection-background-color: #3d3450; }
QCheckBox { spacing: 7px; }
QCheckBox::indicator { width: 13px; height: 13px; border: 1px solid #6a5c82; border-radius: 3px; background: #18141f; }
QCheckBox::indicator:checked { background: #18141f; border-color: #c6b5dc; image: url(:/icons/tick.svg); }
QSlider::groove:horizontal { height: 3px; background: #433a53; border-radius: 1px; }
QSlider::handle:horizontal { width: 11px; margin: -5px 0; border-radius: 5px; background: #d8cfe2; }
QProgressBar { background: #18141f; border: 0; border-radius: 3px; max-height: 6px; }
QProgressBar::chunk { background: #c6b5dc; border-radius: 3px; }
QScrollBar:vertical { background: transparent; width: 10px; }
QScrollBar::handle:vertical { background: #4a4060; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: transparent; height: 0; width: 0; }
QSplitter::handle { background: #14101a; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QWidget#panel, QFrame#panel { background: #231e2d; }
QWidget#steps { background: #1f1a28; }
QWidget#stepOpen { background: #282233; border-left: 3px solid #8e80a3; }
QWidget#stepShut { border-left: 3px solid transparent; }
QFrame#notice { background: #3b2a33; border-bottom: 1px solid #6b4a4f; }
QFrame#unsaved { background: #282233; border: 1px solid #6a5c82; border-radius: 4px; }
QListWidget { background: #18141f; border: 1px solid #433a53; border-radius: 4px; }
QScrollArea { border: 0; background: transparent; }
)";

/// A colour of the usual room, and the one in its place where more contrast is wanted.
struct Shade {
  QColor* color;  ///< nullptr: only the style sheet has it.
  const char *usual, *contrast;
};
const std::array kShades = {
    Shade{&color::Night, "#14101a", "#040305"},  Shade{&color::Ground, "#1a1622", "#0a080e"}, Shade{&color::Panel, "#231e2d", "#120f18"},
    Shade{&color::Raised, "#312a3e", "#292234"}, Shade{&color::Edge, "#433a53", "#85779e"},   Shade{&color::Text, "#ece6f1", "#ffffff"},
    Shade{&color::Quiet, "#a99db6", "#dbd2e6"},  Shade{&color::Calm, "#8e80a3", "#b9aad2"},   Shade{nullptr, "#18141f", "#060508"},
    Shade{nullptr, "#1f1a28", "#0e0b13"},        Shade{nullptr, "#282233", "#1a1524"},        Shade{nullptr, "#7b7188", "#a99dba"}};

}  // namespace

void applyTheme(QApplication& application, bool high_contrast) {
  useResources();
  QString sheet = kSheet;
  for (const Shade& shade : kShades) {
    if (shade.color) *shade.color = QColor(high_contrast ? shade.contrast : shade.usual);
    if (high_contrast) sheet.replace(shade.usual, shade.contrast);
  }
  // Each of these goes over all widgets.
  if (application.styleSheet().isEmpty()) {
    application.setStyle(QStyleFactory::create("Fusion"));
    QFont font("Inter");
    font.setPixelSize(12);
    application.setFont(font);
  }
  QPalette palette;
  palette.setColor(QPalette::Window, color::Ground);
  palette.setColor(QPalette::WindowText, color::Text);
  palette.setColor(QPalette::Base, high_contrast ? QColor(0x06, 0x05, 0x08) : QColor(0x18, 0x14, 0x1f));
  palette.setColor(QPalette::AlternateBase, color::Panel);
  palette.setColor(QPalette::Text, color::Text);
  palette.setColor(QPalette::Button, color::Raised);
  palette.setColor(QPalette::ButtonText, color::Text);
  palette.setColor(QPalette::ToolTipBase, color::Raised);
  palette.setColor(QPalette::Link, color::Lamp);
  palette.setColor(QPalette::ToolTipText, color::Text);
  palette.setColor(QPalette::Highlight, QColor(0x6a, 0x5c, 0x82));
  palette.setColor(QPalette::HighlightedText, color::Text);
  palette.setColor(QPalette::PlaceholderText, color::Quiet);
  palette.setColor(QPalette::Disabled, QPalette::WindowText, QColor(0x7b, 0x71, 0x88));
  palette.setColor(QPalette::Disabled, QPalette::Text, QColor(0x7b, 0x71, 0x88));
  palette.setColor(QPalette::Disabled, QPalette::ButtonText, QColor(0x7b, 0x71, 0x88));
  application.setPalette(palette);
  application.setStyleSheet(sheet);
  application.setWindowIcon(QIcon(":/icons/moth.svg"));
}

QIcon icon(const char* name) { return QIcon(QString(":/icons/%1.svg").arg(name)); }

double glow(double error_px, double top_px) { return errorGlow(error_px / top_px); }

QColor errorQColor(double error_px, double top_px) {
  const Rgb c = errorColor(error_px / top_px);
  return QColor(c.r, c.g, c.b);
}

}  // namespace dusky::desktop
