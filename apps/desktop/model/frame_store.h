#pragma once
#include <QImage>
#include <QObject>
#include <condition_variable>
#include <deque>
#include <limits>
#include <list>
#include <map>
#include <mutex>
#include <optional>
#include <thread>

#include "core/image/frame_source.h"
#include "core/mask/mask_set.h"
#include "core/media/shot_source.h"

namespace dusky::desktop {

/// Pictures of the footage for the screen, decoded on a thread of its own and kept within a bound. Interface thread only.
class FrameStore : public QObject {
  Q_OBJECT
 public:
  explicit FrameStore(QObject* parent = nullptr);
  ~FrameStore() override;

  /// Forgets everything and reads from here. An empty path: nothing to read.
  void setFootage(const QString& path, const ShotView& view, int first, int last);
  /// Forgets everything; there are no pictures, and every frame shows a dark field of this size: tracks without footage.
  void setNoPictures(const QSize& size);
  /// How much memory pictures may take, bytes.
  void setBound(std::size_t bytes);
  std::size_t bound() const { return bound_; }
  /// From now on pictures show what these masks leave out; none: nothing. Pictures made otherwise are forgotten.
  void setMasks(const MaskSettings& masks, const FootageInfo& footage);
  /// The picture when it is there; a null image otherwise, and it is asked for (with a few after it, unless it is looked at alone).
  QImage frame(int number, bool alone = false);
  static constexpr int kAllChanged = std::numeric_limits<int>::min();  ///< What ready() says when every picture is to be asked for anew.

 signals:
  void ready(int number);
  void failed(const QString& sentence);

 private:
  void forget();
  void want(int number, int ahead);
  void run(std::stop_token stop);
  void keep(int number, QImage picture, int generation);
  void dropOldest();

  int first_ = 1, last_ = 0;
  QImage blank_;  ///< Of a shot without pictures; null for others.
  std::map<int, QImage> pictures_;
  std::list<int> recent_;  ///< Newest first.
  std::size_t bytes_ = 0, bound_ = std::size_t{768} << 20;

  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any wake_;
  std::deque<int> wanted_;
  std::optional<int> reading_;
  QString path_;
  ShotView view_;
  MaskSettings masks_;
  FootageInfo footage_;
  int footage_generation_ = 0, generation_ = 0;  ///< Of the footage as it is taken; of that and the masks.
  std::jthread worker_;                          ///< Last: it uses the others.
};

}  // namespace dusky::desktop
