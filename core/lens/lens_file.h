#pragma once
#include <string>

#include "core/base/result.h"
#include "core/lens/lens.h"

namespace dusky {

/// A lens as a JSON file ("dusky-moth-lens" version 1): picture size, pixel aspect, model, parameters by name.
std::string lensToJson(const Lens& lens);

/// Reads a lens file, or the first camera of a solve's report. Parameters that are not there are 0 (squeeze 1).
/// Errors: Unreadable: not JSON, neither kind of file, a model that is not known, no focal length, numbers that are none.
Result<Lens> lensFromJson(const std::string& text);

/// The lens for footage of a size: scaled where only the resolution differs.
/// Errors: InvalidInput naming both sizes where the shape of the picture differs.
Result<Lens> lensFor(const Lens& lens, int width, int height);

}  // namespace dusky
