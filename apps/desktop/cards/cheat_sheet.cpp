#include "apps/desktop/cards/cheat_sheet.h"

#include <QGridLayout>
#include <QLabel>
#include <QPainter>
#include <QPixmap>

#include "apps/desktop/model/view_table.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_glyphs.h"

namespace dusky::desktop {
namespace {

struct Line {
  std::string keys, what;
};

/// The keys of the views that share a place: "Ctrl+1 to 3".
Line viewsIn(ViewPlace place) {
  QStringList names;
  int first = 0, last = 0;
  for (const ViewInfo& info : kViews) {
    if (info.place != place || info.key == 0) continue;
    names << QString(info.name).toLower();
    if (first == 0) first = info.key;
    last = info.key;
  }
  return {QString("Ctrl+%1 to %2").arg(first - Qt::Key_0).arg(last - Qt::Key_0).toStdString(), names.join(", ").toStdString()};
}

const std::vector<std::pair<const char*, std::vector<Line>>>& groups() {
  static const std::vector<std::pair<const char*, std::vector<Line>>> all = {
      {"Time", {{"Space", "play, pause"}, {"J  K  L", "play back, stop, play"}, {"Left, Right", "one frame back, on"}, {"Home, End", "first, last frame"}}},
      {"Steps", {{"Ctrl+T", "track features"}, {"Ctrl+R", "solve the camera (tracks first where needed)"}, {"Ctrl+D", "deliver"}}},
      {"Selecting, in every view",
       {{"Left click", "pick the nearest track"},
        {"Left drag", "box, or lasso (Q changes the tool; Alt: lasso once)"},
        {"Shift, Ctrl", "add, toggle"},
        {"Esc", "select none"}}},
      {"Tracks",
       {{"X, Shift+X", "set aside, bring back"},
        {"N", "pin"},
        {"W, Shift+W", "the next worst, the one before"},
        {"Shift+G", "use as ground"},
        {"Shift+O", "use as origin"},
        {"Shift+C, Shift+J", "cut here, join two"},
        {"Ctrl+[  Ctrl+]", "remove what lies before, after"},
        {"Delete", "remove"},
        {"Right click", "everything else"}}},
      {"Plate",
       {{"Wheel", "magnify"},
        {"Right or middle drag", "move"},
        {"F", "fit"},
        {"1", "one to one"},
        {"G", "ground grid"},
        {"S", "paths of tracks"},
        {"V", "mean errors over the picture"},
        {"M", "what masks leave out"},
        {"U", "without the lens’s distortion"},
        {"Shift+T", "candidates"}}},
      {"Tools on the Plate",
       {{"E", "edit masks"},
        {"P", "place tracks by hand; drag sets a key"},
        {"Alt+arrows", "nudge the key 0.1 px (with Shift 1 px)"},
        {"I, Shift+I", "set, remove the key here"},
        {"R", "add tracks in a drawn region"},
        {"B", "straight-line check of the lens"},
        {"Backspace", "back to selecting"}}},
      {"Space",
       {{"Right drag", "turn about what is under the pointer"},
        {"Middle or Shift+right drag", "move"},
        {"Wheel", "nearer, farther"},
        {"2, 3, 5, 6", "orbit, from above, the front, the side"},
        {"4", "through the camera"},
        {"Wheel while selecting", "how deep it reaches"},
        {"D", "ellipsoids of the selection"},
        {"A", "selection, or everything, in view"},
        {"C", "other colours of points"},
        viewsIn(ViewPlace::Right),
        viewsIn(ViewPlace::Below),
        {"Y, Shift+Y", "the other run of a comparison; their difference in the map"},
        {"Z", "one view fills the window, and back"}}},
      {"Error map",
       {{"Click a cell", "pick its track, go to its frame"},
        {"Drag", "pick rows"},
        {"Ctrl+wheel, Shift+wheel", "enlarge rows, frames"},
        {"Middle drag", "move"},
        {"Shift+A, double click", "the whole shot"},
        {"Margins", "drag: a limit; double click: none"},
        {"Curve", "click: its frame and worst tracks"}}}};
  return all;
}

QLabel* shapeLabel(Glyph glyph, bool pinned) {
  QPixmap picture(44, 36);
  picture.setDevicePixelRatio(2);
  picture.fill(Qt::transparent);
  QPainter painter(&picture);
  painter.setRenderHint(QPainter::Antialiasing);
  drawGlyph(painter, {11, 9}, glyph, pinned, color::Text, 8);
  painter.end();
  auto* label = new QLabel;
  label->setPixmap(picture);
  return label;
}

}  // namespace

CheatSheet::CheatSheet(QWidget* parent) : QDialog(parent) {
  setWindowTitle(tr("Keys and gestures"));
  auto* columns = new QHBoxLayout(this);
  columns->setSpacing(36);
  columns->setContentsMargins(24, 18, 24, 22);
  QGridLayout* grid = nullptr;
  const auto nextColumn = [&] {
    grid = new QGridLayout;
    grid->setHorizontalSpacing(16);
    grid->setVerticalSpacing(5);
    columns->addLayout(grid);
  };
  const auto head = [&](const QString& text) {
    auto* label = new QLabel(text);
    label->setProperty("role", "head");
    label->setContentsMargins(0, 10, 0, 0);
    grid->addWidget(label, grid->rowCount(), 0, 1, 2);
  };
  constexpr int kInFirstColumn = 5;  // so that both are about as high, and no higher than a small screen
  int shown = 0;
  for (const auto& [name, lines] : groups()) {
    if (shown == 0 || shown == kInFirstColumn) nextColumn();
    ++shown;
    head(tr(name).toUpper());
    for (const Line& line : lines) {
      const int row = grid->rowCount();
      auto* keys = new QLabel(tr(line.keys.c_str()));
      keys->setProperty("role", "quiet");
      grid->addWidget(keys, row, 0);
      grid->addWidget(new QLabel(tr(line.what.c_str())), row, 1);
    }
    grid->setRowStretch(grid->rowCount(), shown == kInFirstColumn ? 1 : 0);
  }
  head(tr("SHAPES OF TRACKS"));
  for (const auto& [glyph, pinned, words] : {std::tuple{Glyph::Kept, false, tr("kept: takes part in the solve")},
                                             {Glyph::Holdout, false, tr("holdout: only judges the solve")},
                                             {Glyph::Unplaced, false, tr("unplaced: no 3D position")},
                                             {Glyph::SetAside, false, tr("set aside: can come back")},
                                             {Glyph::Going, false, tr("would go by the pruning rules")},
                                             {Glyph::Kept, true, tr("pinned: protected")}}) {
    const int row = grid->rowCount();
    grid->addWidget(shapeLabel(glyph, pinned), row, 0);
    grid->addWidget(new QLabel(words), row, 1);
  }
  grid->setRowStretch(grid->rowCount(), 1);
}

}  // namespace dusky::desktop
