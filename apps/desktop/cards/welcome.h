#pragma once
#include <QWidget>

class QAction;
class QVBoxLayout;

namespace dusky::desktop {

/// What an empty window offers: footage, the demo shot, and what was open before.
class Welcome : public QWidget {
  Q_OBJECT
 public:
  Welcome(QAction* open_footage, QAction* open_project, QAction* open_demo, QWidget* parent = nullptr);
  void setRecent(const QStringList& paths);

 signals:
  void openAsked(const QString& path);

 private:
  QVBoxLayout* recent_;
};

}  // namespace dusky::desktop
