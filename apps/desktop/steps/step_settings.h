#pragma once
#include <QWidget>

#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/model/session.h"

class QGridLayout;
class QLabel;
class QPushButton;
class QToolButton;

namespace dusky::desktop {

// The settings of each step, as it stands open in the steps column. Each has one primary button.

QWidget* footageSettings(Session& session, QAction* open_footage);
QWidget* maskSettings(Session& session);
/// The masks that are drawn; part of maskSettings.
QWidget* shapeSettings(Session& session);
QWidget* tracksSettings(Session& session);
/// Tracks by hand; part of tracksSettings.
QWidget* handSettings(Session& session);
QWidget* solveSettings(Session& session);
/// What the solve found and how far it can be trusted; part of solveSettings.
QWidget* solveFindings(Session& session);
/// Takes a lens from a file and locks it; a file that holds none goes out as a problem.
void useLensFile(Session& session, const QString& path);
QWidget* pruneSettings(Session& session);
QWidget* sceneSettings(Session& session, TrackActions& actions);
/// Test objects with size and turn; part of sceneSettings.
QWidget* objectRows(Session& session);
QWidget* knowledgeRows(Session& session);
/// The scene moved by hand; part of sceneSettings.
QWidget* sceneMoves(Session& session);
/// The mesh of the set; part of sceneSettings.
QWidget* meshRows(Session& session);
QWidget* denseSettings(Session& session);
/// Which dense points are left out; part of denseSettings.
QWidget* cleanRows(Session& session);
QWidget* deliverSettings(Session& session);

/// A label and its field, side by side, with the same tooltip.
void addField(QGridLayout& grid, const QString& label, QWidget* field, const QString& tip);
/// A wrapped text that stands back.
QLabel* quietLabel(const QString& text);
/// A small cross that takes something away.
QToolButton* crossButton(const QString& tip);
/// A small one with its tooltip; in a dialog Enter does not press it.
QPushButton* smallButton(const QString& text, const QString& tip, const char* name);
/// Leaves out what the mattes in this folder show; an empty folder: none.
void useMattes(Session& session, const QString& folder);
}  // namespace dusky::desktop
