#pragma once
#include <QWidget>
#include <vector>

#include "core/pipeline/unsaved_shots.h"

class QAction;
class QVBoxLayout;

namespace dusky::desktop {

/// What an empty window offers: footage, the demo shot, and what was open before.
class Welcome : public QWidget {
  Q_OBJECT
 public:
  Welcome(QAction* open_footage, QAction* open_project, QAction* open_demo, QWidget* parent = nullptr);
  void setRecent(const QStringList& paths);
  void setUnsaved(const std::vector<UnsavedShot>& shots);

 signals:
  void openAsked(const QString& path);
  void unsavedAsked(const QString& kept);
  void dropAsked(const QString& kept);

 private:
  QVBoxLayout *unsaved_, *recent_;
};

}  // namespace dusky::desktop
