#pragma once
#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// What is known of single lens parameters: those that stand or are believed to some deviation, and a line to say more.
QWidget* knownValues(Session& session);

}  // namespace dusky::desktop
