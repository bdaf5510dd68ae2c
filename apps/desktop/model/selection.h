#pragma once
#include <QObject>
#include <algorithm>
#include <optional>
#include <utility>
#include <vector>

namespace dusky::desktop {

/// The tracks that are selected, everywhere at once, in the order they were picked; and the one under the pointer.
class Selection : public QObject {
  Q_OBJECT
 public:
  enum class Mode { Replace, Add, Toggle };
  using QObject::QObject;

  const std::vector<int>& ids() const { return ids_; }
  bool contains(int id) const { return std::binary_search(sorted_.begin(), sorted_.end(), id); }
  bool empty() const { return ids_.empty(); }
  int hovered() const { return hovered_; }  ///< 0: none.
  /// The frame that is pointed at with it, where one is.
  const std::optional<int>& hoveredFrame() const { return hovered_frame_; }

  void pick(const std::vector<int>& ids, Mode mode) {
    std::vector<int> next = mode == Mode::Replace ? std::vector<int>{} : ids_;
    for (int id : ids) {
      const auto found = std::find(next.begin(), next.end(), id);
      if (found == next.end())
        next.push_back(id);
      else if (mode == Mode::Toggle)
        next.erase(found);
    }
    if (next == ids_) return;
    ids_ = std::move(next);
    sorted_ = ids_;
    std::sort(sorted_.begin(), sorted_.end());
    emit changed();
  }
  void clear() { pick({}, Mode::Replace); }
  void hover(int id, std::optional<int> frame = std::nullopt) {
    if (id == hovered_ && frame == hovered_frame_) return;
    const int before = std::exchange(hovered_, id);
    hovered_frame_ = frame;
    emit hoverChanged(before);
  }

 signals:
  void changed();
  /// `before`: the track that was pointed at before; 0: none.
  void hoverChanged(int before);

 private:
  std::vector<int> ids_, sorted_;
  int hovered_ = 0;
  std::optional<int> hovered_frame_;
};

/// Selection mode from the keys held: Shift adds, Ctrl toggles.
inline Selection::Mode selectionMode(Qt::KeyboardModifiers keys) {
  return keys & Qt::ShiftModifier ? Selection::Mode::Add : keys & Qt::ControlModifier ? Selection::Mode::Toggle : Selection::Mode::Replace;
}

}  // namespace dusky::desktop
