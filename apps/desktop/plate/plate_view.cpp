#include "apps/desktop/plate/plate_view.h"

#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPaintEvent>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/select_by_gesture.h"
#include "apps/desktop/plate/edge_tool.h"
#include "apps/desktop/plate/hand_tool.h"
#include "apps/desktop/plate/mask_tool.h"
#include "apps/desktop/plate/region_tool.h"
#include "apps/desktop/plate/straight_picture.h"

namespace dusky::desktop {
namespace {

constexpr double kReach = 9;  // px of the screen within which the pointer finds a track

}  // namespace

PlateView::PlateView(Session& session, QMenu* track_menu, QWidget* parent) : QWidget(parent), session_(session), track_menu_(track_menu) {
  setObjectName("plateView");
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  setAttribute(Qt::WA_OpaquePaintEvent);
  tools_.push_back(std::make_unique<MaskTool>(session_));
  tools_.push_back(std::make_unique<HandTool>(session_));
  for (const auto tool : {ViewSettings::Tool::Region, ViewSettings::Tool::PruneRegion, ViewSettings::Tool::DenseRegion})
    tools_.push_back(std::make_unique<RegionTool>(session_, tool));
  tools_.push_back(std::make_unique<EdgeTool>(session_));
  connect(&session_.objects, &TestObjects::changed, this, &PlateView::refreshObjects);
  connect(&session_.mesh, &MeshStore::changed, this, &PlateView::refreshMesh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &PlateView::refreshMesh);
  connect(&mesh_, &PlateMesh::changed, this, qOverload<>(&QWidget::update));
  connect(&occlusion_, &PlateOcclusion::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.candidates, &Candidates::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.model, &DocumentModel::documentChanged, this, qOverload<>(&QWidget::update));
  connect(&session_.model, &DocumentModel::opened, this, [this] {
    picture_ = QImage();
    failure_.clear();
    fit();
    showFrame();
  });
  connect(&session_.model, &DocumentModel::resultsChanged, this, &PlateView::refresh);
  connect(&session_.model, &DocumentModel::scenePreviewed, this, &PlateView::refresh);
  connect(&session_.edited_set, &EditedSet::changed, this, [this] { update(); });
  connect(&session_.playback, &Playback::frameChanged, this, &PlateView::showFrame);
  connect(&session_.frames, &FrameStore::ready, this, [this](int number) {
    if (number == session_.playback.frame() || number == FrameStore::kAllChanged) showFrame();
  });
  connect(&session_.frames, &FrameStore::failed, this, [this](const QString& why) {
    failure_ = why;
    update();
  });
  connect(&session_.view, &ViewSettings::changed, this, &PlateView::refresh);
  connect(&session_.prune, &PrunePreview::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.facts, &TrackFacts::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.dense, &DenseStore::depthReady, this, qOverload<>(&QWidget::update));
  connect(&session_.selection, &Selection::changed, this, qOverload<>(&QWidget::update));
  connect(&session_.selection, &Selection::hoverChanged, this, &PlateView::updateHovered);
}

void PlateView::updateHovered(int before) {
  for (const PlateMark& mark : marks_) {
    if (mark.id == before || mark.id == session_.selection.hovered()) update(boxOf(mark).toAlignedRect());
  }
}

/// All that is ever drawn of it.
QRectF PlateView::boxOf(const PlateMark& mark) const {
  constexpr double kRoom = 12;
  QPolygonF reach = {toWidget(mark.measured), whiskerEnd(mark)};
  for (const auto* path : {&mark.before, &mark.after}) {
    for (const QPointF& p : *path) reach << toWidget(p);
  }
  return reach.boundingRect().adjusted(-kRoom, -kRoom, kRoom, kRoom);
}

QPointF PlateView::whiskerEnd(const PlateMark& mark) const {
  const QPointF at = toWidget(mark.measured);
  return std::isnan(mark.error_px) ? at : at + scale_ * session_.view.whisker() * (mark.reprojected - mark.measured);
}

void PlateView::showFrame() {
  const QImage picture = session_.model.hasFootage() ? session_.frames.frame(session_.playback.frame()) : QImage();
  if (!picture.isNull()) {
    picture_ = picture;
    picture_frame_ = session_.playback.frame();
    failure_.clear();
  }
  refresh();
}

/// Overlays belong to the picture that is on the screen, even while the next one is being decoded.
void PlateView::refresh() {
  const int frame = shownFrame();
  marks_ = plateMarks(session_.model, frame, session_.view.pathsShown());
  grid_ = session_.view.gridShown() || session_.view.handlesShown() ? plateGrid(session_.model, frame) : std::vector<QPolygonF>{};
  sets_ = session_.view.setsShown() ? plateSets(session_.model, frame) : std::vector<PlateSet>{};
  straight_ = session_.view.straight() ? lensOf(frame) : std::nullopt;
  straight_picture_ = QImage();
  if (straight_) straighten();
  refreshObjects();
  refreshMesh();
}

std::optional<Lens> PlateView::lensOf(int frame) const {
  const SolutionPtr solution = session_.model.solution();
  if (!solution || !solution->lens().coversPicture()) return std::nullopt;
  return solution->lensIn(frame);
}

/// Moves everything that lies over the picture to where it lies without the lens's distortion.
void PlateView::straighten() {
  const auto moveAll = [this](auto& places) {
    for (QPointF& p : places) p = straightened(*straight_, p).value_or(p);
  };
  for (PlateMark& mark : marks_) {
    mark.measured = straightened(*straight_, mark.measured).value_or(mark.measured);
    mark.reprojected = straightened(*straight_, mark.reprojected).value_or(mark.reprojected);
    moveAll(mark.before), moveAll(mark.after);
  }
  for (QPolygonF& line : grid_) moveAll(line);
  for (PlateSet& set : sets_) {
    for (QPolygonF& line : set.lines) moveAll(line);
    if (set.label) set.label = straightened(*straight_, *set.label);
  }
}

QPointF PlateView::asShown(const Vec2& place) const {
  const QPointF at(place.x(), place.y());
  return straight_ ? straightened(*straight_, at).value_or(at) : at;
}

void PlateView::fit() {
  fitted_ = true;
  const FootageInfo& info = session_.model.workspace().footage();
  if (info.width <= 0) return;
  scale_ = std::min(static_cast<double>(width()) / info.width, static_cast<double>(height()) / info.height);
  offset_ = QPointF((width() - scale_ * info.width) / 2, (height() - scale_ * info.height) / 2);
  tellZoom();
}

void PlateView::actualSize() { zoomAbout(rect().center(), 1.0 / devicePixelRatioF()); }

void PlateView::tellZoom() {
  emit zoomChanged(session_.model.hasFootage() ? tr("%1%2 %").arg(fitted_ ? tr("fit ") : "").arg(std::lround(100 * scale_ * devicePixelRatioF())) : "");
  update();
}

void PlateView::zoomAbout(const QPointF& place, double scale) {
  scale = std::clamp(scale, 0.05, 64.0);
  offset_ = place - (place - offset_) * (scale / scale_);
  scale_ = scale;
  fitted_ = false;
  tellZoom();
}

void PlateView::resizeEvent(QResizeEvent*) {
  if (fitted_) fit();
}

bool PlateView::shown(const PlateMark& mark) const {
  if (!session_.view.tracksShown()) return false;
  return mark.glyph != Glyph::SetAside || session_.view.asideShown() || session_.selection.contains(mark.id);
}

const PlateMark* PlateView::markNear(const QPointF& place, double reach) const {
  const PlateMark* nearest = nullptr;
  for (const PlateMark& mark : marks_) {
    const QPointF away = toWidget(mark.measured) - place;
    const double distance = std::hypot(away.x(), away.y());
    if (distance < reach && shown(mark)) nearest = &mark, reach = distance;
  }
  return nearest;
}

PlateTool* PlateView::tool() const {
  for (const auto& one : tools_) {
    if (one->active()) return one.get();
  }
  return nullptr;
}

bool PlateView::leaveTool() {
  PlateTool* chosen = tool();
  if (!chosen) return false;
  for (const auto& one : tools_) one->cancel();
  tool_holds_ = false;
  session_.view.setTool(ViewSettings::Tool::Box);
  return true;
}

void PlateView::mouseDoubleClickEvent(QMouseEvent* event) {
  PlateTool* chosen = tool();
  if (event->button() == Qt::LeftButton && chosen && !picture_.isNull() && chosen->doubleClick(place(), event->position())) return update();
  mousePressEvent(event);
}

void PlateView::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && !picture_.isNull() && tool()) {
    session_.playback.pause();
    tool_holds_ = tool()->press(place(), event->position(), event->modifiers());
    return update();
  }
  if (event->button() == Qt::LeftButton && scene_tool_.press(sight(), event->position())) {
    session_.playback.pause();
  } else if (event->button() == Qt::LeftButton && session_.model.hasFootage()) {
    gesture_.begin(event->position(), event->modifiers() & Qt::AltModifier ? ViewSettings::Tool::Lasso : session_.view.tool());
  } else if (event->button() == Qt::RightButton || event->button() == Qt::MiddleButton) {
    dragging_ = true, dragged_ = false;
    drag_from_ = event->position();
  }
}

void PlateView::mouseMoveEvent(QMouseEvent* event) {
  if (dragging_) {
    const QPointF moved = event->position() - drag_from_;
    if (!dragged_ && moved.manhattanLength() < 4) return;
    dragged_ = true;
    offset_ += moved;
    drag_from_ = event->position();
    fitted_ = false;
    tellZoom();
  } else if (tool_holds_ && tool()) {
    tool()->drag(place(), event->position(), event->modifiers());
    update();
  } else if (scene_tool_.holds()) {
    scene_tool_.drag(sight(), event->position(), event->modifiers());
  } else if (gesture_.active()) {
    gesture_.move(event->position());
    update();
  } else {
    setCursor(tool() ? tool()->cursorAt(place(), event->position()) : scene_tool_.cursorAt(sight(), event->position()).value_or(Qt::ArrowCursor));
    const PlateMark* mark = markNear(event->position(), kReach);
    session_.selection.hover(mark ? mark->id : 0);
  }
}

void PlateView::mouseReleaseEvent(QMouseEvent* event) {
  if (dragging_ && event->button() != Qt::LeftButton) {
    dragging_ = false;
    if (dragged_ || event->button() != Qt::RightButton) return;
    const PlateMark* mark = markNear(event->position(), kReach);
    if (mark && !session_.selection.contains(mark->id)) session_.selection.pick({mark->id}, Selection::Mode::Replace);
    track_menu_->popup(event->globalPosition().toPoint());
    return;
  }
  if (std::exchange(tool_holds_, false) && tool()) {
    tool()->release(place(), event->position(), event->modifiers());
    return update();
  }
  if (scene_tool_.holds()) return scene_tool_.release();
  if (!gesture_.active()) return;
  const auto nearest = [this](const QPointF& place) {
    const PlateMark* mark = markNear(place, kReach);
    return mark ? mark->id : 0;
  };
  if (gesture_.isClick()) scene_tool_.choose(sight(), event->position(), nearest(event->position()) != 0);
  selectByGesture(gesture_, *event, session_.selection, nearest, [this](const auto& visit) {
    for (const PlateMark& mark : marks_) {
      if (shown(mark)) visit(mark.id, toWidget(mark.measured));
    }
  });
  update();
}

void PlateView::wheelEvent(QWheelEvent* event) {
  if (session_.model.hasFootage()) zoomAbout(event->position(), scale_ * std::pow(1.0015, event->angleDelta().y()));
}

void PlateView::leaveEvent(QEvent*) { session_.selection.hover(0); }

bool PlateView::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  if (const PlateMark* mark = markNear(help->pos(), kReach)) {
    const QString error = std::isnan(mark->error_px)
                              ? tr("no error known")
                              : tr("%1 px in this frame%2").arg(pxText(mark->error_px)).arg(mark->used ? "" : tr(", left out of the solve"));
    QToolTip::showText(help->globalPos(),
                       tr("Track %1 · %2%3 · %4").arg(mark->id).arg(glyphName(mark->glyph)).arg(mark->pinned ? tr(", pinned") : "").arg(error), this);
  } else {
    QToolTip::hideText();
  }
  return true;
}

void PlateView::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  painter.fillRect(rect(), color::Night);
  if (!session_.model.hasFootage()) return;
  drawPicture(painter);
  drawDepths(painter);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.save();
  if (!straight_) painter.setClipRect(QRectF(offset_, scale_ * QSizeF(picture_.size())));
  drawMesh(painter);
  drawGrid(painter);
  drawSets(painter);
  drawSolids(painter);
  painter.restore();
  // Quiet ones first, so that what glows lies on top; selected ones last.
  std::vector<const PlateMark*> order;
  int all = 0;
  for (const PlateMark& mark : marks_) {
    if (!shown(mark)) continue;
    ++all;
    if (boxOf(mark).intersects(event->rect())) order.push_back(&mark);
  }
  const auto rank = [&](const PlateMark* m) {
    const double error = std::isnan(m->error_px) || !m->used ? -1 : m->error_px;
    return session_.selection.contains(m->id) || m->id == session_.selection.hovered() ? 1e9 + error : error;
  };
  std::stable_sort(order.begin(), order.end(), [&](const PlateMark* a, const PlateMark* b) { return rank(a) < rank(b); });
  painter.setOpacity(tool() ? 0.4 : 1);  // what is worked on stands out
  // A thousand dots hide a picture that a hundred do not.
  constexpr double kFew = 160;
  const double calm = std::min(1.0, session_.view.calmShown() * std::clamp(0.62 * std::sqrt(kFew / std::max(1, all)), 0.16, 0.62));
  for (const PlateMark* mark : order) drawMark(painter, *mark, calm);
  painter.setOpacity(1);
  drawCandidates(painter);
  if (tool() && !picture_.isNull()) tool()->draw(painter, place());
  if (!tool()) scene_tool_.draw(painter, sight());
  gesture_.draw(painter);
  drawField(painter);
  drawPruneRegions(painter);
  drawNotes(painter);
}

QColor PlateView::darkness() const { return {10, 7, 14, static_cast<int>(255 * session_.view.darkening())}; }

void PlateView::drawPicture(QPainter& painter) {
  if (picture_.isNull()) return;
  if (straight_) {
    const double ratio = devicePixelRatioF();
    const PlatePlace lies{offset_ * ratio, scale_ * ratio, picture_frame_};
    // Made anew only when it lies otherwise.
    if (straight_picture_.isNull() || straight_place_.offset != lies.offset || straight_place_.scale != lies.scale ||
        straight_picture_.size() != (QSizeF(size()) * ratio).toSize()) {
      straight_picture_ = straightPicture(picture_, *straight_, lies, (QSizeF(size()) * ratio).toSize());
      straight_place_ = lies;
    }
    painter.drawImage(QRectF(rect()), straight_picture_);
    if (session_.view.darkening() > 0) painter.fillRect(rect(), darkness());
    return;
  }
  painter.setRenderHint(QPainter::SmoothPixmapTransform, scale_ < 2);
  const QRectF place(offset_, scale_ * QSizeF(picture_.size()));
  painter.drawImage(place, picture_);
  if (session_.view.darkening() > 0) painter.fillRect(place, darkness());
}

void PlateView::drawGrid(QPainter& painter) const {
  painter.setPen(QPen(QColor(236, 230, 241, 110), 1));
  for (const QPolygonF& line : grid_) painter.drawPolyline(toWidget(line));
}

/// Planes and lines that shaped the solve.
void PlateView::drawSets(QPainter& painter) const {
  painter.setFont(font());
  for (const PlateSet& set : sets_) {
    painter.setPen(QPen(QColor(236, 230, 241, 150), 1, Qt::DashLine));
    for (const QPolygonF& line : set.lines) painter.drawPolyline(toWidget(line));
    if (set.label) drawNote(painter, set.name, (toWidget(*set.label) + QPointF(4, -4)).toPoint());
  }
}

/// Good tracks are nearly nothing, the less the more there are; what is wrong glows, with its whisker.
void PlateView::drawMark(QPainter& painter, const PlateMark& mark, double calm) const {
  const bool selected = session_.selection.contains(mark.id), hovered = mark.id == session_.selection.hovered();
  const QPointF at = toWidget(mark.measured);
  const bool dealt_with = mark.glyph == Glyph::SetAside || !mark.used;
  const bool known = !std::isnan(mark.error_px) && !dealt_with;
  const double light = known ? glow(mark.error_px, session_.view.errorTop()) : 0;
  const double seen = selected || hovered || mark.pinned || mark.glyph == Glyph::Going ? 1 : calm + (1 - calm) * light;
  QColor paint = light > 0 ? errorQColor(mark.error_px, session_.view.errorTop()) : dealt_with ? color::Calm : color::Text;
  paint.setAlphaF(static_cast<float>(seen));
  drawPaths(painter, mark, selected || hovered ? 1 : std::min(1.0, 0.4 + calm));
  if (known && seen > 0.02) {
    painter.setPen(QPen(paint, light > 0 ? 1.6 : 1, Qt::SolidLine, Qt::RoundCap));
    painter.drawLine(at, whiskerEnd(mark));
  }
  if (selected || hovered) {
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(selected ? color::Lamp : color::Text, 1.4));
    painter.drawEllipse(at, 7, 7);
  }
  if (light == 0 && mark.glyph == Glyph::Kept && !selected && !hovered && !mark.pinned) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(paint);
    painter.drawEllipse(at, 1.4, 1.4);
    return;
  }
  // A dark rim keeps what glows readable on a bright picture.
  const double size = light > 0 || selected || hovered || mark.pinned ? 4.5 + 1.5 * std::max(light, selected ? 1.0 : 0.0) : 5;
  drawGlyph(painter, at, mark.glyph, false, QColor(12, 8, 16, static_cast<int>(190 * seen)), size + 2.5);
  drawGlyph(painter, at, mark.glyph, mark.pinned, paint, size);
}

}  // namespace dusky::desktop
