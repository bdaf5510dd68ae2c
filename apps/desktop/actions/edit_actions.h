#pragma once
#include <QObject>

#include "apps/desktop/model/session.h"

class QAction;
class QMenu;

namespace dusky::desktop {

/// What mends the selected tracks: cut, shorten, join, remove, group; and the keys of a track by hand. Each is enabled only when it would do
/// something.
class EditActions : public QObject {
  Q_OBJECT
 public:
  explicit EditActions(Session& session, QObject* parent = nullptr);

  QAction *cut, *drop_before, *drop_after, *join, *group, *remove;
  QAction *key_here, *no_key;
  std::vector<QAction*> nudges;  ///< A tenth of a px and a whole one, in four directions.

  void fill(QMenu& menu) const;

 private:
  QAction* make(const QString& text, const QString& tip, const QKeySequence& key, std::function<void()> act);
  void makeNudges();
  void refresh();
  const std::vector<int>& ids() const { return session_.selection.ids(); }
  const HandTrack* hand() const;
  void joinSelected();
  void groupSelected();
  void changeHand(const char* name, const std::function<void(HandTrack&)>& change);

  Session& session_;
};

}  // namespace dusky::desktop
