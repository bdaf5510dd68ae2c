#pragma once
#include <QWidget>

#include "apps/desktop/tracklist/track_list_model.h"

class QMenu;
class QTableView;

namespace dusky::desktop {

/// The tracks as a table: sorted by any column, narrowed by words, the same selection as everywhere.
class TrackList : public QWidget {
  Q_OBJECT
 public:
  explicit TrackList(Session& session, QMenu* track_menu, QWidget* parent = nullptr);
  int shown() const { return filter_->rowCount(); }

 signals:
  void noteChanged(const QString& note);

 protected:
  void showEvent(QShowEvent*) override { model_->watch(true); }
  void hideEvent(QHideEvent*) override { model_->watch(false); }

 private:
  void takeSelection();
  void letGo();
  void followSelection();
  void tellCount();

  Session& session_;
  TrackListModel* model_;
  TrackListFilter* filter_;
  QTableView* table_;
  bool following_ = false;  ///< A change of the selection goes round once.
};
}  // namespace dusky::desktop
