#pragma once
#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/plate/plate_tool.h"

namespace dusky::desktop {

/// Draws the region that more tracks are wanted in, and has them tracked.
class RegionTool final : public PlateTool {
 public:
  explicit RegionTool(Session& session) : session_(session) {}

  bool active() const override { return session_.view.tool() == ViewSettings::Tool::Region; }
  bool press(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) override;
  void drag(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) override;
  void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) override;
  void cancel() override { gesture_.cancel(); }
  void draw(QPainter& painter, const PlatePlace&) const override { gesture_.draw(painter); }
  QString hint() const override { return QObject::tr("Draw round where more tracks are wanted."); }

 private:
  Session& session_;
  RegionGesture gesture_;
};

}  // namespace dusky::desktop
