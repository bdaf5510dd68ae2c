#include "apps/desktop/model/test_objects.h"

#include <algorithm>
#include <utility>

#include "core/project/edits.h"

namespace dusky::desktop {

TestObjects::TestObjects(DocumentModel& model, QObject* parent) : QObject(parent), model_(model) {
  connect(&model_, &DocumentModel::opened, this, [this] { chosen_ = 0, dragged_.reset(); });
}

std::vector<TestObject> TestObjects::shown() const {
  std::vector<TestObject> objects = model_.document().picks.objects;
  for (TestObject& object : objects) {
    if (dragged_ && object.id == dragged_->id) object = *dragged_;
  }
  return objects;
}

std::optional<TestObject> TestObjects::chosen() const {
  const auto objects = shown();
  const auto found = std::find_if(objects.begin(), objects.end(), [this](const TestObject& object) { return object.id == chosen_; });
  return found != objects.end() ? std::optional(*found) : std::nullopt;
}

void TestObjects::choose(int id) {
  if (id == chosen_) return;
  chosen_ = id;
  dragged_.reset();  // a drag under way counts for nothing
  emit changed();
}

void TestObjects::drag(const TestObject& object) {
  if (dragged_ == object) return;
  dragged_ = object;
  emit changed();
}

void TestObjects::letGo() {
  const auto dragged = std::exchange(dragged_, std::nullopt);
  if (!dragged) return;
  if (dragged == chosen()) return emit changed();
  model_.run(changeObject(model_.document(), *dragged));
}

}  // namespace dusky::desktop
