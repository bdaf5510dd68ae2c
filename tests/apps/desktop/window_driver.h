#pragma once
#include <QTest>
#include <functional>

#include "apps/desktop/app/main_window.h"

namespace dusky::testing {

/// Lets the event loop run until something holds; false when it does not within the time.
bool waitUntil(const std::function<bool()>& holds, int timeout_ms = 120000);

/// Shows a window of 1280x800 and waits until it is on the screen.
void showWindow(desktop::MainWindow& window);

/// Opens footage or a project and waits for it and its first picture.
bool openAndWait(desktop::MainWindow& window, const QString& path);

/// Waits until no job runs.
bool waitForJobs(desktop::MainWindow& window, int timeout_ms = 240000);

/// Presses the button or field of this object name with the real mouse.
bool click(desktop::MainWindow& window, const char* name);

/// Presses on the first place of a path, moves along it and lets go on the last.
void drag(QWidget& view, const std::vector<QPointF>& path, Qt::KeyboardModifiers modifiers = Qt::NoModifier, Qt::MouseButton button = Qt::LeftButton);

/// Turns the wheel over a place, one notch for each step: up for more than 0.
void turnWheel(QWidget& view, const QPointF& at, int steps, Qt::KeyboardModifiers modifiers = Qt::NoModifier);

/// Settings and data of this program's own, and what OpenGL needs; before a QApplication is made.
void prepareApplication();

}  // namespace dusky::testing
