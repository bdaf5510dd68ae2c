#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/deliver/writers.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// So many of them, the first and the last among them.
std::vector<const DeliveryView::Camera*> evenlyOf(const std::vector<const DeliveryView::Camera*>& all, int count) {
  const auto wanted = static_cast<std::size_t>(count);
  if (all.size() <= wanted) return all;
  if (wanted == 1) return {all[all.size() / 2]};
  std::vector<const DeliveryView::Camera*> chosen;
  for (std::size_t k = 0; k < wanted; ++k) chosen.push_back(all[k * (all.size() - 1) / (wanted - 1)]);
  return chosen;
}

}  // namespace

Result<std::vector<Still>> writeStillsInto(const DeliveryInput& input, const ReviewOptions& options, const DeliveryView& view, int count,
                                           const fs::path& folder, const Progress& progress) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  std::vector<const DeliveryView::Camera*> there;
  for (const DeliveryView::Camera& camera : view.cameras) {
    const bool asked = options.frames == FrameRange() || (camera.footage >= options.frames.first && camera.footage <= options.frames.last);
    if (asked && input.footage.has(camera.footage)) there.push_back(&camera);
  }
  const ReviewInput review = reviewInputOf(input);
  std::vector<Still> made;
  for (const DeliveryView::Camera* camera : evenlyOf(there, count)) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(made.size()) / count, "drawing stills");
    const auto read = (*source)->read(camera->footage, FrameUse::Screen);
    if (!read.ok()) return read.error();
    made.push_back({camera->frame, fmt::format("still.{:04}.png", camera->frame)});
    const Status put = writePicture(folder / made.back().name, reviewFrame(review, options, read->picture, camera->footage));
    if (!put.ok()) return put.error();
  }
  return made;
}

Status writeStills(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  const fs::path into = folder / kStillFolder;
  if (const Status made = makeFolder(into); !made.ok()) return made;
  const auto stills = writeStillsInto(input, choices.review, view, choices.review.stills, into, progress);
  if (!stills.ok()) return stills.error();
  if (stills->empty())
    return invalidInput("Stills: none of the frames that were asked for has both a picture and a camera. Choose other frames for the review.");
  return Done{};
}

}  // namespace dusky
