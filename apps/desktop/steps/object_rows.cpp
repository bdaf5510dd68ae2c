#include <QGridLayout>
#include <QPushButton>
#include <QToolButton>
#include <algorithm>
#include <map>

#include "apps/desktop/paint/clear_layout.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

const TestObject* objectIn(const Document& document, int id) {
  const auto& objects = document.picks.objects;
  const auto found = std::find_if(objects.begin(), objects.end(), [id](const TestObject& o) { return o.id == id; });
  return found != objects.end() ? &*found : nullptr;
}

NumberField* numberOfObject(Session& session, int id, double TestObject::*member, const QString& tip) {
  auto* field = new NumberField(
      session.model,
      [id, member](const Document& d) {
        const TestObject* object = objectIn(d, id);
        return object ? object->*member : 1.0;
      },
      [id, member](const Document& d, double value) {
        const TestObject* object = objectIn(d, id);
        TestObject changed = object ? *object : TestObject();
        changed.*member = value;
        return changeObject(d, changed);
      });
  field->setToolTip(tip);
  return field;
}

/// The test objects of the shot, each with its size and turn.
class ObjectRows : public QWidget {
 public:
  explicit ObjectRows(Session& session) : session_(session), grid_(new QGridLayout(this)) {
    setObjectName("objectRows");
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setVerticalSpacing(4);
    grid_->setColumnStretch(0, 1);
    connect(&session_.model, &DocumentModel::documentChanged, this, &ObjectRows::refresh);
    connect(&session_.objects, &TestObjects::changed, this, &ObjectRows::markChosen);
    refresh();
  }

 private:
  /// Made anew only when there are others: a field that is typed into must stay.
  void refresh() {
    std::vector<int> ids;
    for (const TestObject& object : session_.model.document().picks.objects) ids.push_back(object.id);
    if (ids == shown_) return;
    shown_ = ids;
    clearLayout(*grid_);
    names_.clear();
    for (std::size_t row = 0; row < ids.size(); ++row) addRow(*objectIn(session_.model.document(), ids[row]), static_cast<int>(row));
    markChosen();
  }

  void addRow(const TestObject& object, int row) {
    auto* name = new QPushButton(words(describe(object.shape)));
    name->setProperty("role", "small");
    name->setCheckable(true);
    name->setObjectName(QString("choose object %1").arg(object.id));
    name->setToolTip((object.plane.empty() ? tr("On track %1.").arg(object.track)
                                           : tr("On track %1, in the plane of %2 tracks.").arg(object.track).arg(object.plane.size())) +
                     tr(" Shows the handles that move, turn and scale it in Plate and Space."));
    connect(name, &QPushButton::clicked, this, [this, id = object.id](bool on) { session_.objects.choose(on ? id : 0); });
    names_[object.id] = name;
    auto* size = numberOfObject(session_, object.id, &TestObject::size, tr("Its height, or the side of a floor."))->range(0.01, 1e5, 2, 0.1, "");
    size->setFixedWidth(78);
    size->setObjectName(QString("size of object %1").arg(object.id));
    auto* turn = numberOfObject(session_, object.id, &TestObject::turn_deg, tr("Turned about its upright axis, degrees."))->range(-360, 360, 0, 5, "°");
    turn->setFixedWidth(66);
    turn->setObjectName(QString("turn of object %1").arg(object.id));
    auto* cross = crossButton(tr("Takes this one away."));
    cross->setObjectName(QString("remove object %1").arg(object.id));
    connect(cross, &QToolButton::clicked, this, [this, id = object.id] { session_.model.run(removeObject(session_.model.document(), id)); });
    grid_->addWidget(name, row, 0);
    grid_->addWidget(size, row, 1);
    grid_->addWidget(turn, row, 2);
    grid_->addWidget(cross, row, 3);
  }

  void markChosen() {
    const auto chosen = session_.objects.chosen();
    for (const auto& [id, name] : names_) name->setChecked(chosen && chosen->id == id);
  }

  Session& session_;
  QGridLayout* grid_;
  std::map<int, QPushButton*> names_;
  std::vector<int> shown_;
};

}  // namespace

QWidget* objectRows(Session& session) { return new ObjectRows(session); }

}  // namespace dusky::desktop
