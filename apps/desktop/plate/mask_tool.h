#pragma once
#include <optional>

#include "apps/desktop/model/session.h"
#include "apps/desktop/plate/plate_tool.h"

namespace dusky::desktop {

/// Draws masks and edits them: inside moves, corners change the form, the round handle turns, the square one scales. Each change is a key
/// in the frame on the screen.
class MaskTool final : public PlateTool {
 public:
  explicit MaskTool(Session& session) : session_(session) {}

  bool active() const override;
  bool press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  void drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) override;
  bool doubleClick(const PlatePlace& place, const QPointF& at) override;
  Qt::CursorShape cursorAt(const PlatePlace& place, const QPointF& at) const override;
  void cancel() override;
  void draw(QPainter& painter, const PlatePlace& place) const override;
  QString hint() const override;

 private:
  enum class Grip { None, Inside, Corner, Turn, Scale };
  struct Hold {
    Grip grip = Grip::None;
    int corner = 0;
  };
  const Mask* chosen() const;
  Hold gripAt(const PlatePlace& place, const QPointF& at) const;
  int maskAtPoint(const PlatePlace& place, const QPointF& at) const;
  bool pressDrawing(const PlatePlace& place, const QPointF& at);
  void closeCurve(int frame);
  void pull(const PlatePlace& place, const QPointF& at);
  void take(Mask mask, const char* name);
  void drawOutline(QPainter& painter, const PlatePlace& place, const Mask& mask, bool chosen) const;
  void drawHandles(QPainter& painter, const PlatePlace& place, const Mask& mask) const;
  std::vector<QPointF> corners(const PlatePlace& place, const Mask& mask) const;
  QPointF turnHandle(const PlatePlace& place, const Mask& mask) const;
  QPointF scaleHandle(const PlatePlace& place, const Mask& mask) const;

  Session& session_;
  Hold hold_;
  QPointF pressed_;
  MaskKey key_at_press_;
  std::optional<Mask> working_;  ///< While it is drawn or pulled; the document hears of it when the button goes up.
  std::vector<Vec2> line_;       ///< Corners of a curve being drawn, px of the footage.
};

}  // namespace dusky::desktop
