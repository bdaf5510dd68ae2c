#include "core/deliver/plates.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_pipeline.h>

#include <atomic>
#include <cmath>
#include <mutex>

#include "core/base/atomic_file.h"
#include "core/deliver/writers.h"
#include "core/image/srgb.h"
#include "core/media/movie_writer.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// Keeps the first error of several threads.
class FirstError {
 public:
  bool any() const { return any_; }
  void take(const Status& status) {
    if (status.ok()) return;
    const std::lock_guard lock(mutex_);
    if (!any_) error_ = status.error(), any_ = true;
  }
  Status status() const { return any_ ? Status(error_) : Status(Done{}); }

 private:
  std::mutex mutex_;
  std::atomic<bool> any_ = false;
  Error error_;
};

/// By a table: a power for every value of a picture takes longer than to write it.
float toLight(float v) {
  constexpr int kSteps = 16384;
  constexpr float kMost = 1.25f;  // what a filter puts over white
  static const std::vector<float> table = [] {
    std::vector<float> made(static_cast<std::size_t>(kSteps * kMost) + 2);
    for (std::size_t k = 0; k < made.size(); ++k) made[k] = static_cast<float>(lightOf(static_cast<double>(k) / kSteps));
    return made;
  }();
  if (!(v > 0)) return 0;
  if (v >= kMost) return lightOf(v);
  const float at = v * kSteps;
  const int below = static_cast<int>(at);
  return table[below] + (at - static_cast<float>(below)) * (table[below + 1] - table[below]);
}

/// Values as a kind of file has them: EXR light, the others for a screen (IEC 61966-2-1).
FloatPicture valuesFor(PlateFormat format, FloatPicture values, bool linear, bool log) {
  const bool light = format == PlateFormat::Exr;
  if (light == linear || (log && !linear)) return values;
  for (auto& pixel : values.data) {
    for (float& v : pixel) v = light ? toLight(v) : screenOf(std::clamp(v, 0.0f, 1.0f));
  }
  return values;
}

std::string_view endingOf(PlateFormat format) {
  switch (format) {
    case PlateFormat::Png: return "png";
    case PlateFormat::Exr: return "exr";
    case PlateFormat::Jpeg: return "jpg";
    case PlateFormat::Movie: break;
  }
  return "mp4";
}

PictureEncoding encodingOf(const DeliveryView& view, PlateFormat format, bool log) {
  using Depth = PictureEncoding::Depth;
  PictureEncoding encoding;
  encoding.depth = format == PlateFormat::Exr ? Depth::Half : format == PlateFormat::Png ? Depth::Word : Depth::Byte;
  encoding.linear = format == PlateFormat::Exr && !log;
  encoding.pixel_aspect = view.plate.pixel_aspect, encoding.fps = view.fps, encoding.synced = false;
  return encoding;
}

Status writePlateMovie(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  const Plate& plate = view.plate;
  if (plate.width % 2 != 0 || plate.height % 2 != 0)
    return invalidInput(fmt::format("A movie needs even numbers of px; plates of this shot have {}×{}. Deliver them as pictures.", plate.width, plate.height));
  auto movie = MovieWriter::create(folder / kPlateMovie, {.width = plate.width, .height = plate.height, .fps = view.fps, .pixel_aspect = plate.pixel_aspect});
  if (!movie.ok()) return movie.error();
  const auto take = [&](PlateFrame& frame) {
    return movie->write(bytesOf(valuesFor(PlateFormat::Movie, std::move(frame.picture), frame.linear, input.log_footage)));
  };
  if (const Status made = forEachPlate(input, plate, choices.plates.filter, plateFrames(input), take, progress, true); !made.ok()) return made;
  return movie->finish();
}

}  // namespace

FloatPicture forScreen(const PlateFrame& plate, bool log) { return valuesFor(PlateFormat::Png, plate.picture, plate.linear, log); }

Picture bytesOf(const FloatPicture& values, float share) {
  Picture picture = Picture::unset(values.width, values.height);
  const auto byte = [share](float v) { return static_cast<std::uint8_t>(share * std::clamp(v, 0.0f, 1.0f) * 255.0f + 0.5f); };
  for (std::size_t i = 0; i < values.data.size(); ++i) picture.data[i] = {byte(values.data[i][0]), byte(values.data[i][1]), byte(values.data[i][2])};
  return picture;
}

std::string plateName(int frame, std::string_view ending) { return fmt::format("plate.{:04}.{}", frame, ending); }

std::vector<int> plateFrames(const DeliveryInput& input) {
  std::vector<int> frames;
  const bool one = oneLens(input.solution);
  for (const SolvedFrame& frame : input.solution.frames) {
    if (input.footage.has(frame.frame) && (frame.placed || one)) frames.push_back(frame.frame);
  }
  return frames;
}

Status forEachPlate(const DeliveryInput& input, const Plate& plate, ResampleFilter filter, const std::vector<int>& frames,
                    const std::function<Status(PlateFrame&)>& take, const Progress& progress, bool in_order) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  const bool one = oneLens(input.solution);
  const auto mapOf = [&](int frame) { return std::make_shared<const SourceMap>(footageFromPlate(plate, input.solution.lensIn(frame))); };
  const auto shared = one && !frames.empty() ? mapOf(frames.front()) : nullptr;
  FirstError failed;
  std::size_t next = 0;
  const auto read = [&](tbb::flow_control& control) -> std::shared_ptr<Frame> {
    if (next == frames.size() || failed.any() || progress.stopRequested()) return control.stop(), nullptr;
    const int frame = frames[next];
    progress.report(static_cast<double>(next) / static_cast<double>(frames.size()), fmt::format("undistorting frame {} of {}", frame, frames.back()));
    ++next;
    auto got = (*source)->read(frame, FrameUse::Plate);
    if (!got.ok()) return failed.take(got.error()), control.stop(), nullptr;
    return std::make_shared<Frame>(std::move(*got));
  };
  const auto undistort = [&](const std::shared_ptr<Frame>& frame) {
    auto made = std::make_shared<PlateFrame>();
    made->frame = frame->number, made->linear = frame->linear;
    made->from = one ? shared : mapOf(frame->number);
    made->picture = ResampleSource(frame->values).resampled(*made->from, filter);
    return made;
  };
  const auto give = [&](const std::shared_ptr<PlateFrame>& frame) {
    if (!failed.any() && !progress.stopRequested()) failed.take(take(*frame));
  };
  // Read, padded, undistorted, as it is written: some fifty bytes a pixel are held for each.
  constexpr std::size_t kBytesAPixel = 50, kBudget = std::size_t{700} << 20, kMostAtOnce = 4;
  const std::size_t bytes = kBytesAPixel * static_cast<std::size_t>(plate.width) * static_cast<std::size_t>(plate.height);
  const std::size_t at_once = std::clamp<std::size_t>(kBudget / bytes, 1, kMostAtOnce);
  tbb::parallel_pipeline(
      at_once, tbb::make_filter<void, std::shared_ptr<Frame>>(tbb::filter_mode::serial_in_order, read) &
                   tbb::make_filter<std::shared_ptr<Frame>, std::shared_ptr<PlateFrame>>(tbb::filter_mode::parallel, undistort) &
                   tbb::make_filter<std::shared_ptr<PlateFrame>, void>(in_order ? tbb::filter_mode::serial_in_order : tbb::filter_mode::parallel, give));
  if (const Status status = failed.status(); !status.ok()) return status;
  return progress.stopRequested() ? Status(cancelled()) : Status(Done{});
}

std::vector<std::string> platesMade(const DeliveryChoices& choices) {
  return {std::string(choices.plates.format == PlateFormat::Movie ? kPlateMovie : kPlateFolder)};
}

Status writePlates(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  const PlateFormat format = choices.plates.format;
  if (format == PlateFormat::Movie) return writePlateMovie(input, choices, view, folder, progress);
  const fs::path into = folder / kPlateFolder;
  if (const Status made = makeFolder(into); !made.ok()) return made;
  const PictureEncoding encoding = encodingOf(view, format, input.log_footage);
  const auto take = [&](PlateFrame& frame) {
    const FloatPicture values = valuesFor(format, std::move(frame.picture), frame.linear, input.log_footage);
    return writeValues(into / plateName(frame.frame + view.frame_shift, endingOf(format)), {values.data.front().data(), values.width, values.height}, encoding);
  };
  return forEachPlate(input, view.plate, choices.plates.filter, plateFrames(input), take, progress);
}

}  // namespace dusky
