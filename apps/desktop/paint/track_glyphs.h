#pragma once
#include <QColor>
#include <QPainter>

#include "core/solve/solution.h"

namespace dusky::desktop {

/// State is shape, not colour: it reads in greyscale.
enum class Glyph { Kept, Unplaced, SetAside, Holdout, Going };

/// The shape for a track: of the solve when there is one, a ring before that.
Glyph glyphOf(const SolvedTrack* track);
/// In words, for tooltips and the legend.
const char* glyphName(Glyph glyph);

/// Draws a state shape about `at`, about `size` px wide. A pinned one stands in square brackets.
void drawGlyph(QPainter& painter, const QPointF& at, Glyph glyph, bool pinned, const QColor& color, double size = 6);

}  // namespace dusky::desktop
