#pragma once
#include <functional>

#include "core/pipeline/steps.h"

namespace dusky {

/// What is left out of a shot's frames, opened when it is first asked for; empty: nothing is masked. Speaks of the document and the footage while it lives.
std::function<Result<Plane<std::uint8_t>>(int frame)> maskOfShot(const Document& document, const FootageInfo& footage);

}  // namespace dusky
