#pragma once
#include <QApplication>
#include <QColor>
#include <QIcon>

namespace dusky::desktop {

/// The room is dark dusk: one place for its colours, which applyTheme() sets. Contrast of text on every ground is 4.5:1 or more; with higher contrast 7:1.
namespace color {
inline QColor Night(0x14, 0x10, 0x1a);   ///< Behind pictures and points.
inline QColor Ground(0x1a, 0x16, 0x22);  ///< The window.
inline QColor Panel(0x23, 0x1e, 0x2d);   ///< A step lighter.
inline QColor Raised(0x31, 0x2a, 0x3e);  ///< Buttons and fields.
inline QColor Edge(0x43, 0x3a, 0x53);
inline QColor Text(0xec, 0xe6, 0xf1);
inline QColor Quiet(0xa9, 0x9d, 0xb6);  ///< Second lines, units.
inline QColor Calm(0x8e, 0x80, 0xa3);   ///< Things that have no error.
inline QColor Lamp(0xf4, 0xb4, 0x5f);   ///< Selection and the primary action, nothing else.
}  // namespace color

/// Fonts, palette and style sheet.
void applyTheme(QApplication& application, bool high_contrast = false);
/// One of our line icons by its file name.
QIcon icon(const char* name);
/// The error colour of a share of the scale's top; see core errorColor.
QColor errorQColor(double error_px, double top_px);
/// How much an error glows: 0 up to half of the scale, where good tracks lie, 1 near its top.
double glow(double error_px, double top_px);

}  // namespace dusky::desktop
