#pragma once
#include <string>

#include "core/base/progress.h"

namespace dusky::cli {

enum class ProgressStyle { Line, Json, Quiet };

/// A listener that shows progress on standard error: one line that rewrites itself on a terminal (a line every tenth otherwise),
/// or one JSON object a line: {"fraction":0.31,"what":"...","seconds_left":8.2}.
Progress::Listener progressListener(ProgressStyle style);

}  // namespace dusky::cli
