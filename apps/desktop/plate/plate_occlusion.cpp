#include "apps/desktop/plate/plate_occlusion.h"

#include <QMetaObject>
#include <algorithm>

#include "apps/desktop/plate/plate_marks.h"

namespace dusky::desktop {
namespace {

constexpr int kWidth = 640;

QImage imageOf(const Plane<std::uint8_t>& where, QRgb color) {
  if (where.empty()) return {};
  QImage image(where.width, where.height, QImage::Format_ARGB32_Premultiplied);
  for (int y = 0; y < where.height; ++y) {
    auto* row = reinterpret_cast<QRgb*>(image.scanLine(y));
    for (int x = 0; x < where.width; ++x) row[x] = where.at(x, y) ? qPremultiply(color) : 0;
  }
  return image;
}

}  // namespace

bool PlateOcclusion::Question::is(const Question& other) const {
  const auto same = [](const SolidFace& a, const SolidFace& b) { return a.corners == b.corners; };
  return sameView(camera, other.camera) && surface == other.surface && mesh == other.mesh &&
         std::equal(objects.begin(), objects.end(), other.objects.begin(), other.objects.end(), same);
}

PlateOcclusion::PlateOcclusion(Session& session, QObject* parent)
    : QObject(parent), session_(session), worker_([this](const Question& question, std::stop_token dropped) { answer(question, dropped); }) {}

void PlateOcclusion::show(const std::optional<SceneCamera>& camera) {
  const DocumentModel& model = session_.model;
  std::optional<Question> now;
  if (camera && session_.mesh.mesh().surface && model.solution() && model.scene()) {
    now = Question{*camera, session_.mesh.mesh().surface, model.document().mesh, {}};
    for (const TestObject& object : session_.objects.shown()) {
      const auto faces = solidOf(object, *model.solution(), *model.scene());
      now->objects.insert(now->objects.end(), faces.begin(), faces.end());
    }
    if (now->objects.empty()) now.reset();
  }
  if (now && last_ && now->is(*last_)) return;
  hidden_ = shadow_ = QImage();
  last_ = now;
  if (now)
    worker_.ask(*now);
  else
    worker_.dropOlder();
}

void PlateOcclusion::answer(const Question& question, std::stop_token dropped) {
  const ObjectsOnMesh seen = objectsOnMesh(question.camera, *question.surface, question.mesh, question.objects, kWidth, dropped);
  if (dropped.stop_requested()) return;
  QMetaObject::invokeMethod(
      this,
      [this, hidden = imageOf(seen.hidden, qRgba(0, 0, 0, 255)), shadow = imageOf(seen.shadow, qRgba(8, 5, 12, 150)), dropped] {
        if (dropped.stop_requested()) return;
        hidden_ = hidden, shadow_ = shadow;
        emit changed();
      },
      Qt::QueuedConnection);
}

}  // namespace dusky::desktop
