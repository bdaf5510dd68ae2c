#include "apps/desktop/model/frame_store.h"

#include <QMetaObject>
#include <algorithm>

#include "core/mask/preview.h"
#include "core/media/footage.h"
#include "core/pipeline/steps.h"

namespace dusky::desktop {
namespace {

constexpr int kAhead = 4;
constexpr std::size_t kMostWanted = 12;  // older wishes are given up

QImage toImage(const Picture& picture) {
  const QImage wrapped(&picture.data.front().r, picture.width, picture.height, 3 * picture.width, QImage::Format_RGB888);
  return wrapped.convertToFormat(QImage::Format_RGB32);
}
}  // namespace

FrameStore::FrameStore(QObject* parent) : QObject(parent), worker_([this](std::stop_token stop) { run(stop); }) {}

FrameStore::~FrameStore() {
  worker_.request_stop();
  wake_.notify_all();
}

void FrameStore::setFootage(const QString& path, const ShotView& view, int first, int last) {
  first_ = first, last_ = last;
  blank_ = QImage();
  forget();
  {
    const std::lock_guard lock(mutex_);
    path_ = path, view_ = view;
    wanted_.clear();
    reading_.reset();
    ++generation_, ++footage_generation_;
  }
  wake_.notify_all();
  emit ready(kAllChanged);
}

void FrameStore::setNoPictures(const QSize& size) {
  setFootage({}, {}, 1, 0);
  blank_ = QImage(size, QImage::Format_RGB32);
  blank_.fill(QColor(0x20, 0x1a, 0x28));
  emit ready(kAllChanged);
}

void FrameStore::setBound(std::size_t bytes) {
  bound_ = bytes;
  dropOldest();
}

void FrameStore::setMasks(const MaskSettings& masks, const FootageInfo& footage) {
  {
    const std::lock_guard lock(mutex_);
    footage_ = footage;
    if (masks_ == masks) return;
    masks_ = masks;
    reading_.reset();
    ++generation_;
  }
  forget();
  emit ready(kAllChanged);
}

void FrameStore::forget() {
  pictures_.clear();
  recent_.clear();
  bytes_ = 0;
}

/// What is asked for goes first, the frames after it last; several views may ask for different frames.
void FrameStore::want(int number, int ahead) {
  bool more = false;
  {
    const std::lock_guard lock(mutex_);
    const auto waits = [this](int n) { return std::find(wanted_.begin(), wanted_.end(), n) != wanted_.end(); };
    for (int n = number + 1; n <= std::min(number + ahead, last_); ++n) {
      if (n < first_ || pictures_.count(n) || waits(n)) continue;
      wanted_.push_back(n);
      more = true;
    }
    if (number >= first_ && number <= last_ && number != reading_ && !pictures_.count(number)) {
      std::erase(wanted_, number);
      wanted_.push_front(number);
      more = true;
    }
    while (wanted_.size() > kMostWanted) wanted_.pop_back();
  }
  if (more) wake_.notify_all();
}

QImage FrameStore::frame(int number, bool alone) {
  if (!blank_.isNull()) return blank_;
  want(number, alone ? 0 : kAhead);
  const auto found = pictures_.find(number);
  if (found == pictures_.end()) return {};
  recent_.remove(number);
  recent_.push_front(number);
  return found->second;
}

void FrameStore::keep(int number, QImage picture, int generation) {
  {
    const std::lock_guard lock(mutex_);
    if (reading_ == number) reading_.reset();
    if (generation != generation_) return;
  }
  if (pictures_.count(number)) return;
  bytes_ += static_cast<std::size_t>(picture.sizeInBytes());
  pictures_[number] = std::move(picture);
  recent_.push_front(number);
  dropOldest();
  emit ready(number);
}

void FrameStore::dropOldest() {
  while (bytes_ > bound_ && recent_.size() > 2) {
    const auto oldest = pictures_.find(recent_.back());
    recent_.pop_back();
    bytes_ -= static_cast<std::size_t>(oldest->second.sizeInBytes());
    pictures_.erase(oldest);
  }
}

void FrameStore::run(std::stop_token stop) {
  std::unique_ptr<FrameSource> source;
  LiveMasks masks;
  int opened = 0;
  while (!stop.stop_requested()) {
    QString path;
    ShotView view;
    int number = 0, generation = 0, footage_generation = 0;
    MaskSettings mask_settings;
    FootageInfo footage;
    {
      std::unique_lock lock(mutex_);
      if (!wake_.wait(lock, stop, [&] { return !wanted_.empty() && !path_.isEmpty(); })) return;
      path = path_, view = view_, generation = generation_, footage_generation = footage_generation_, number = wanted_.front();
      mask_settings = masks_, footage = footage_;
      wanted_.pop_front();
      reading_ = number;
    }
    const auto fail = [&, number](const Error& error) {
      {
        const std::lock_guard lock(mutex_);
        if (reading_ == number) reading_.reset();
      }
      const QString sentence = QString::fromStdString(error.message);
      QMetaObject::invokeMethod(
          this, [this, sentence] { emit failed(sentence); }, Qt::QueuedConnection);
    };
    if (footage_generation != opened) {
      auto fresh = openShot(path.toStdString(), view);
      if (!fresh.ok()) {
        fail(fresh.error());
        continue;
      }
      source = std::move(*fresh);
      opened = footage_generation;
    }
    auto frame = source->read(number);
    if (!frame.ok()) {
      fail(frame.error());
      continue;
    }
    const auto set = masks.of(mask_settings, footage, view.frame_offset);
    if (!set.ok()) {
      fail(set.error());
    } else if (*set) {
      const auto left_out = (*set)->leftOut(number);
      if (left_out.ok())
        frame->picture = previewOf(frame->picture, *left_out);
      else
        fail(left_out.error());
    }
    QMetaObject::invokeMethod(
        this, [this, number, generation, image = toImage(frame->picture)] { keep(number, image, generation); }, Qt::QueuedConnection);
  }
}
}  // namespace dusky::desktop
