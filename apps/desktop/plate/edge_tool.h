#pragma once
#include <vector>

#include "apps/desktop/model/session.h"
#include "apps/desktop/plate/plate_tool.h"

namespace dusky::desktop {

/// A check of the lens by eye: a line drawn along something straight on the set shows how the solved lens would bend it.
class EdgeTool final : public PlateTool {
 public:
  explicit EdgeTool(Session& session) : session_(session) {}

  bool active() const override { return session_.view.tool() == ViewSettings::Tool::Edge; }
  bool press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) override;
  void drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) override;
  void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) override;
  /// Takes all lines away.
  void cancel() override { lines_.clear(); }
  void draw(QPainter& painter, const PlatePlace& place) const override;
  QString hint() const override;

  /// The curve of a line as the Plate shows it, px of the footage, and how far it is from its chord there.
  struct Curve {
    std::vector<Vec2> places;
    double sag_px = 0;
  };
  std::vector<Curve> curves(int frame) const;

 private:
  struct Line {
    int frame = 0;
    Vec2 a = Vec2::Zero(), b = Vec2::Zero();  ///< px of the footage as it is.
  };
  std::optional<Lens> lensAt(int frame) const;
  Vec2 footagePlace(const PlatePlace& place, const QPointF& at) const;

  Session& session_;
  std::vector<Line> lines_;
};

}  // namespace dusky::desktop
