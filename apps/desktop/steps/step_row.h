#pragma once
#include <QWidget>

#include "apps/desktop/model/jobs.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QVBoxLayout;

namespace dusky::desktop {

/// The state of a step as a shape: not run (ring), current (dot), stale (half dot), running (turning arc), failed (crossed ring).
class StepMark : public QWidget {
 public:
  enum class Shape { NotRun, Current, Stale, Running, Failed };
  using QWidget::QWidget;
  void show(Shape shape, double fraction);
  QSize sizeHint() const override { return {14, 14}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  Shape shape_ = Shape::NotRun;
  double fraction_ = 0;
};

/// One step: mark, title and line; progress with Cancel while it runs; its settings when it is open.
class StepRow : public QWidget {
  Q_OBJECT
 public:
  StepRow(const QString& title, const QString& tip, QWidget* settings, QWidget* parent = nullptr);

  void show(const StepStatus& status, const JobState& job);
  void setOpen(bool open);
  bool isOpen() const { return open_; }

 signals:
  void headClicked();
  void cancelClicked();

 protected:
  void mouseReleaseEvent(QMouseEvent*) override;

 private:
  bool open_ = false;
  QWidget *head_, *settings_, *progress_;
  StepMark* mark_;
  QLabel *line_, *tag_, *failure_, *what_;
  QProgressBar* bar_;
};

}  // namespace dusky::desktop
