#pragma once
#include <QToolButton>
#include <QWidget>

class QHBoxLayout;
class QAction;
class QLabel;

namespace dusky::desktop {

/// A view with its head line: title, a note, tools to the right.
class ViewFrame : public QWidget {
  Q_OBJECT
 public:
  ViewFrame(const QString& title, QWidget* view, QWidget* parent = nullptr);

  void setNote(const QString& note);
  QToolButton* addTool(QAction* action);
  void addTool(QWidget* widget);
  void addGap();

 private:
  QHBoxLayout* head_;
  QLabel* note_;
};

}  // namespace dusky::desktop
