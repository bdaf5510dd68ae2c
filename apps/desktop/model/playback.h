#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

namespace dusky::desktop {

/// The frame shown everywhere, and its moving on at the footage's rate.
class Playback : public QObject {
  Q_OBJECT
 public:
  explicit Playback(QObject* parent = nullptr);

  int frame() const { return frame_; }
  int first() const { return first_; }
  int last() const { return last_; }
  bool playing() const { return timer_.isActive(); }
  double speed() const { return speed_; }

  void setRange(int first, int last, double fps);

 public slots:
  void setFrame(int frame);  ///< Clamped to the range.
  void play(int direction);  ///< 1 forward, -1 backward; goes round at the ends.
  void pause();
  void toggle();
  void step(int frames);
  void setSpeed(double times);

 signals:
  void frameChanged(int frame);
  void stateChanged();
  void rangeChanged();

 private:
  void tick();

  int first_ = 1, last_ = 1, frame_ = 1, from_ = 1, direction_ = 1;
  double fps_ = 24, speed_ = 1;
  QTimer timer_;
  QElapsedTimer since_;
};

}  // namespace dusky::desktop
