#pragma once
#include <optional>

#include "apps/desktop/model/session.h"
#include "apps/desktop/plate/plate_tool.h"

namespace dusky::desktop {

/// Places tracks by hand and mends them: a click on free picture begins a track, dragging its point sets a key, the corners of the solid
/// square change the pattern and those of the dotted one the search area.
class HandTool final : public PlateTool {
 public:
  explicit HandTool(Session& session) : session_(session) {}

  bool active() const override { return session_.view.tool() == ViewSettings::Tool::Hand; }
  bool press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  void drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  Qt::CursorShape cursorAt(const PlatePlace& place, const QPointF& at) const override;
  void cancel() override { grip_ = Grip::None, working_.reset(); }
  void draw(QPainter& painter, const PlatePlace& place) const override;
  QString hint() const override;

 private:
  enum class Grip { None, New, Point, Pattern, Search };
  const HandTrack* chosen() const;
  Grip gripAt(const PlatePlace& place, const QPointF& at) const;
  int trackAt(const PlatePlace& place, const QPointF& at) const;

  Session& session_;
  Grip grip_ = Grip::None;
  QPointF pressed_;
  std::optional<HandTrack> working_;
};

}  // namespace dusky::desktop
