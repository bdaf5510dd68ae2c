#pragma once
#include <QSettings>

namespace dusky::desktop {

/// The settings file of the user: what was opened before, preferences, own sensors.
inline QSettings userSettings() { return QSettings("Dusky Moth", "dusky-moth"); }

}  // namespace dusky::desktop
