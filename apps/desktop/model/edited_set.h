#pragma once
#include <QObject>
#include <optional>

#include "core/geometry/pose.h"

namespace dusky::desktop {

/// How the plane or line that is being edited is to lie: shown in every view that shows the scene, and turned there by its handle.
class EditedSet : public QObject {
  Q_OBJECT
 public:
  struct Given {
    Vec3 foot = Vec3::Zero();   ///< In the middle of its tracks, scene coordinates.
    Vec3 axis = Vec3::UnitY();  ///< Of length 1: a plane's normal, a line's direction.
    bool line = false;
  };
  using QObject::QObject;

  const std::optional<Given>& given() const { return given_; }
  void show(const std::optional<Given>& given) {
    given_ = given;
    emit changed();
  }
  /// By its handle.
  void turn(const Vec3& axis) {
    if (!given_) return;
    given_->axis = axis;
    emit turned(axis);
    emit changed();
  }

 signals:
  void changed();
  void turned(const Vec3& axis);

 private:
  std::optional<Given> given_;
};

}  // namespace dusky::desktop
