#pragma once
#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/plate/plate_tool.h"

namespace dusky::desktop {

/// Draws a region: one that more tracks are wanted in, and has them tracked; or one whose tracks a pruning shall take out (`Tool::PruneRegion`); or one
/// whose dense points stay (`Tool::DenseRegion`).
class RegionTool final : public PlateTool {
 public:
  RegionTool(Session& session, ViewSettings::Tool tool) : session_(session), tool_(tool) {}

  bool active() const override { return session_.view.tool() == tool_; }
  bool press(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) override;
  void drag(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) override;
  void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) override;
  void cancel() override { gesture_.cancel(); }
  void draw(QPainter& painter, const PlatePlace&) const override { gesture_.draw(painter); }
  QString hint() const override {
    if (tool_ == ViewSettings::Tool::DenseRegion) return QObject::tr("Draw a box round the part of the set whose dense points stay.");
    return tool_ == ViewSettings::Tool::Region ? QObject::tr("Draw round where more tracks are wanted.")
                                               : QObject::tr("Draw round the tracks that shall go; nothing goes before Set aside.");
  }

 private:
  void trackIn(const PlatePlace& place, std::vector<Vec2> outline);
  void keepDenseIn(const PlatePlace& place, const QPolygonF& drawn);
  void pruneIn(const PlatePlace& place, std::vector<Vec2> outline);

  Session& session_;
  ViewSettings::Tool tool_;
  RegionGesture gesture_;
};

}  // namespace dusky::desktop
