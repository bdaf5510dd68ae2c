#pragma once
#include <QObject>
#include <optional>
#include <vector>

#include "apps/desktop/model/document_model.h"

namespace dusky::desktop {

/// The test objects as views show them: those of the document, one of them perhaps as it is being dragged. One may be chosen: it shows its handles.
class TestObjects : public QObject {
  Q_OBJECT
 public:
  explicit TestObjects(DocumentModel& model, QObject* parent = nullptr);

  std::vector<TestObject> shown() const;
  /// As it is shown; nothing: none is chosen, or it is gone.
  std::optional<TestObject> chosen() const;
  void choose(int id);  ///< 0: none.

  /// Shows the chosen one like this until it is let go.
  void drag(const TestObject& object);
  /// The document takes it as it is shown, as one change.
  void letGo();

 signals:
  void changed();  ///< Another is chosen, or it is shown elsewhere.

 private:
  DocumentModel& model_;
  int chosen_ = 0;
  std::optional<TestObject> dragged_;
};

}  // namespace dusky::desktop
