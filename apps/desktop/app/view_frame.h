#pragma once
#include <QLabel>
#include <QToolButton>
#include <QWidget>

class QHBoxLayout;
class QAction;

namespace dusky::desktop {

/// A text that is left out where there is no room for all of it.
class WholeLabel : public QLabel {
 public:
  using QLabel::QLabel;

 protected:
  void paintEvent(QPaintEvent* event) override {
    if (width() >= fontMetrics().horizontalAdvance(text())) QLabel::paintEvent(event);
  }
};

/// A view with its head line: title, a note, tools to the right.
class ViewFrame : public QWidget {
  Q_OBJECT
 public:
  ViewFrame(const QString& title, QWidget* view, QWidget* parent = nullptr);

  void setNote(const QString& note);
  /// Puts one button for each view that shares this place where the title stands.
  void setTabs(const QList<QAction*>& views);
  QToolButton* addTool(QAction* action);
  void addTool(QWidget* widget);
  void addGap();

 signals:
  /// The heading was double-clicked: this view is to fill the window, or no longer.
  void fillAsked();

 protected:
  void resizeEvent(QResizeEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void makeRoom();
  QWidget* bar_;
  QHBoxLayout* head_;
  QLabel *name_, *note_;
  QList<QWidget*> tabs_, tools_;
  QToolButton* more_;  ///< Has what does not fit.
};

}  // namespace dusky::desktop
