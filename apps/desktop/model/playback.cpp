#include "apps/desktop/model/playback.h"

#include <algorithm>
#include <cmath>

namespace dusky::desktop {

Playback::Playback(QObject* parent) : QObject(parent) {
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&timer_, &QTimer::timeout, this, &Playback::tick);
}

void Playback::setRange(int first, int last, double fps) {
  first_ = first, last_ = std::max(first, last), fps_ = fps > 0 ? fps : 24;
  emit rangeChanged();
  setFrame(frame_);
}

void Playback::setFrame(int frame) {
  frame = std::clamp(frame, first_, last_);
  if (frame == frame_) return;
  frame_ = frame;
  emit frameChanged(frame_);
}

void Playback::play(int direction) {
  direction_ = direction;
  from_ = frame_;
  since_.start();
  timer_.start(std::max(4, static_cast<int>(500 / (fps_ * speed_))));
  emit stateChanged();
}

void Playback::pause() {
  if (!playing()) return;
  timer_.stop();
  emit stateChanged();
}

void Playback::toggle() { playing() ? pause() : play(1); }

void Playback::step(int frames) {
  pause();
  setFrame(frame_ + frames);
}

void Playback::setSpeed(double times) {
  speed_ = times;
  if (playing()) play(direction_);
}

/// By the clock, not by counting ticks: a slow screen drops frames and keeps the rate.
void Playback::tick() {
  const int count = last_ - first_ + 1;
  const auto moved = static_cast<int>(std::floor(static_cast<double>(since_.elapsed()) / 1000 * fps_ * speed_));
  const int offset = ((from_ - first_ + direction_ * moved) % count + count) % count;
  setFrame(first_ + offset);
}

}  // namespace dusky::desktop
