#include "core/media/shot_source.h"

#include <fmt/format.h>

namespace dusky {
namespace {

class ShotSource final : public FrameSource {
 public:
  ShotSource(std::unique_ptr<FrameSource> source, const ShotView& view, Channel channel)
      : source_(std::move(source)), view_(view), channel_(channel), info_(seenAs(source_->info(), view)) {}

  const FootageInfo& info() const override { return info_; }

  Result<Frame> read(int number, FrameUse use) override {
    if (use == FrameUse::Following && (channel_ != Channel::Luma || view_.tone.changesValues() || view_.tone.even_contrast)) use = FrameUse::Tracking;
    // A single channel comes from the full picture.
    auto frame =
        source_->read(number - view_.frame_offset, channel_ == Channel::Luma || use == FrameUse::Alpha || use == FrameUse::Plate ? use : FrameUse::Screen);
    if (!frame.ok()) return frame.error();
    frame->number = number;
    if (use == FrameUse::Alpha || use == FrameUse::Following || use == FrameUse::Plate) return frame;
    if (channel_ != Channel::Luma) frame->luma = channelOf(frame->picture, channel_);
    frame->luma = toned(std::move(frame->luma), view_.tone);
    frame->picture = toned(std::move(frame->picture), view_.tone);
    if (use == FrameUse::Screen) frame->picture = onlyChannel(std::move(frame->picture), channel_);
    if (use == FrameUse::Tracking && view_.tone.even_contrast) frame->luma = evenContrast(frame->luma, std::max(24, frame->luma.width / 40));
    return frame;
  }

 private:
  std::unique_ptr<FrameSource> source_;
  const ShotView view_;
  const Channel channel_;
  const FootageInfo info_;
};
}  // namespace

Status ShotView::check() const {
  if (!(fps >= 0 && fps <= 1000)) return invalidInput(fmt::format("Frames per second must be 0 (the footage's own) to 1000, not {}.", fps));
  if (frame_offset < -1000000 || frame_offset > 1000000)
    return invalidInput(fmt::format("The frame offset must be -1000000 to 1000000, not {}.", frame_offset));
  if (!(tone.exposure_stops >= -10 && tone.exposure_stops <= 10))
    return invalidInput(fmt::format("Exposure must be -10 to 10 stops, not {}.", tone.exposure_stops));
  if (!(tone.gamma >= 0.2 && tone.gamma <= 5)) return invalidInput(fmt::format("Gamma must be 0.2 to 5, not {}.", tone.gamma));
  return Done{};
}

FootageInfo seenAs(FootageInfo info, const ShotView& view) {
  if (view.fps > 0) info.fps = view.fps;
  info.first += view.frame_offset, info.last += view.frame_offset;
  for (int& number : info.missing) number += view.frame_offset;
  return info;
}

Result<std::unique_ptr<FrameSource>> openShot(const std::filesystem::path& path, const ShotView& view) {
  if (const Status fine = view.check(); !fine.ok()) return fine.error();
  auto source = openFootage(path);
  if (!source.ok() || view == ShotView()) return source;
  Channel channel = view.tone.channel;
  if (channel == Channel::Best) {
    auto first = (*source)->read((*source)->info().first);
    if (!first.ok()) return first.error();
    channel = bestChannel(first->picture);
  }
  return std::unique_ptr<FrameSource>(std::make_unique<ShotSource>(std::move(*source), view, channel));
}
}  // namespace dusky
