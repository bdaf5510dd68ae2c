#pragma once
#include <QString>

#include "core/review/verdict.h"

namespace dusky::desktop {

/// "Trust", "Check", "Do not use".
QString wordOf(TrustLevel level);
/// The word and all that speaks for it, a line each, as rich text.
QString evidenceOf(const Verdict& verdict);

}  // namespace dusky::desktop
