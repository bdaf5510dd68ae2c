#include "core/deliver/review_movie.h"

#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/image/color_scale.h"
#include "core/media/movie_writer.h"
#include "core/review/frame_figures.h"
#include "core/scene/seen_scene.h"

namespace dusky {
namespace {

struct FreeSurface {
  void operator()(cairo_surface_t* surface) const { cairo_surface_destroy(surface); }
};
struct FreePen {
  void operator()(cairo_t* pen) const { cairo_destroy(pen); }
};
using Surface = std::unique_ptr<cairo_surface_t, FreeSurface>;

/// As cairo holds it: 32 bits a pixel, blue first.
Surface surfaceOf(const Picture& picture) {
  Surface surface(cairo_image_surface_create(CAIRO_FORMAT_RGB24, picture.width, picture.height));
  unsigned char* bytes = cairo_image_surface_get_data(surface.get());
  const int stride = cairo_image_surface_get_stride(surface.get());
  for (int y = 0; y < picture.height; ++y) {
    auto* out = reinterpret_cast<std::uint32_t*>(bytes + static_cast<std::ptrdiff_t>(y) * stride);
    for (int x = 0; x < picture.width; ++x) {
      const Rgb& c = picture.at(x, y);
      out[x] = (std::uint32_t{c.r} << 16) | (std::uint32_t{c.g} << 8) | c.b;
    }
  }
  cairo_surface_mark_dirty(surface.get());
  return surface;
}

Picture pictureOf(cairo_surface_t* surface) {
  cairo_surface_flush(surface);
  const unsigned char* bytes = cairo_image_surface_get_data(surface);
  const int stride = cairo_image_surface_get_stride(surface);
  Picture picture = Picture::unset(cairo_image_surface_get_width(surface), cairo_image_surface_get_height(surface));
  for (int y = 0; y < picture.height; ++y) {
    const auto* in = reinterpret_cast<const std::uint32_t*>(bytes + static_cast<std::ptrdiff_t>(y) * stride);
    for (int x = 0; x < picture.width; ++x)
      picture.at(x, y) = {static_cast<std::uint8_t>(in[x] >> 16), static_cast<std::uint8_t>(in[x] >> 8), static_cast<std::uint8_t>(in[x])};
  }
  return picture;
}

/// The size of the movie: even, no higher than asked for.
std::pair<int, int> sizeOf(const FootageInfo& footage, int most_height) {
  const auto even = [](double value) { return std::max(2, 2 * static_cast<int>(std::lround(value / 2))); };
  const double scale = std::min(1.0, static_cast<double>(most_height) / footage.height);
  return {even(scale * footage.width), even(scale * footage.height)};
}

/// What is the same in every frame.
struct WholeShot {
  double error_top_px;
  std::string verdict_note;
};

WholeShot wholeShotOf(const ReviewInput& input, const ReviewOptions& options) {
  const Verdict verdict = judgeSolution(input.solution, input.pictures);
  const std::string note = fmt::format("RMS {:.2f} px · {}: {}", input.solution.rms_px, describe(verdict.level), verdict.sentence);
  return {usualErrorTop(input.solution), options.whiskers ? fmt::format("error ×{:g} · {}", options.whisker, note) : note};
}

/// Draws in px of the footage, whatever the movie's size.
class FramePainter {
 public:
  FramePainter(const ReviewInput& input, const ReviewOptions& options, const WholeShot& shot, int frame)
      : input_(input),
        options_(options),
        shot_(shot),
        frame_(frame),
        size_(sizeOf(input.footage, options.height)),
        surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, size_.first, size_.second)),
        pen_(cairo_create(surface_.get())) {
    scale_ = static_cast<double>(size_.second) / input.footage.height;
    cairo_scale(pen_.get(), static_cast<double>(size_.first) / input.footage.width, scale_);
    cairo_set_line_cap(pen_.get(), CAIRO_LINE_CAP_ROUND);
  }

  Picture paint(const Picture& plate) {
    drawPlate(plate);
    const auto camera = cameraIn(input_.solution, input_.scene, frame_);
    if (camera) drawScene(*camera);
    if (camera && (options_.points || options_.whiskers)) drawTracks();
    if (options_.notes) drawNotes(plate.empty());
    return pictureOf(surface_.get());
  }

 private:
  void drawPlate(const Picture& plate) {
    paintOver(0.06, 0.045, 0.08, 1);
    cairo_paint(pen_.get());
    if (plate.empty()) return;
    const Surface source = surfaceOf(plate);
    cairo_set_source_surface(pen_.get(), source.get(), 0, 0);
    cairo_paint(pen_.get());
  }

  void paintOver(double r, double g, double b, double a) { cairo_set_source_rgba(pen_.get(), r, g, b, a); }
  void width(double screen_px) { cairo_set_line_width(pen_.get(), screen_px / scale_); }

  void outline(const auto& points, bool closed) {
    cairo_new_path(pen_.get());
    for (const Vec2& p : points) cairo_line_to(pen_.get(), p.x(), p.y());
    if (closed) cairo_close_path(pen_.get());
  }

  void drawScene(const SceneCamera& camera) {
    if (options_.grid) {
      paintOver(0.93, 0.9, 0.95, 0.45);
      width(1);
      for (const auto& line : gridSeen(camera, input_.solution, input_.scene)) outline(line, false), cairo_stroke(pen_.get());
    }
    if (!options_.objects) return;
    paintOver(0.03, 0.02, 0.05, 0.58);
    for (const auto& shadow : shadowsSeen(camera, input_.objects, input_.solution, input_.scene)) outline(shadow, true), cairo_fill(pen_.get());
    width(0.6);
    for (const SeenFace& face : facesSeen(camera, input_.objects, input_.solution, input_.scene)) {
      paintOver(kSolidTint[0] * face.light, kSolidTint[1] * face.light, kSolidTint[2] * face.light, 1);
      outline(face.outline, true);
      cairo_fill_preserve(pen_.get());
      cairo_stroke(pen_.get());  // no seams between faces
    }
  }

  /// Good ones are nearly nothing; what errs glows.
  void drawTracks() {
    const double top = shot_.error_top_px;
    for (const SolvedTrack& solved : input_.solution.tracks) {
      if (solved.state != TrackState::Kept) continue;
      const TrackError* error = errorAt(solved, frame_);
      const Track* track = error && error->used ? input_.tracks.find(solved.id) : nullptr;
      const Observation* seen = track ? track->at(frame_) : nullptr;
      if (!seen || std::isnan(error->error_px)) continue;
      const double light = errorGlow(error->error_px / top);
      const Rgb c = light > 0 ? errorColor(error->error_px / top) : Rgb{236, 230, 241};
      paintOver(c.r / 255.0, c.g / 255.0, c.b / 255.0, 0.35 + 0.65 * light);
      if (options_.whiskers) drawWhisker(*seen, error->reprojected, light);
      if (options_.points) drawPoint(seen->position, light);
    }
  }

  void drawWhisker(const Observation& seen, const Vec2& reprojected, double light) {
    const Vec2 end = seen.position + options_.whisker * (reprojected - seen.position);
    width(1 + light);
    cairo_move_to(pen_.get(), seen.position.x(), seen.position.y());
    cairo_line_to(pen_.get(), end.x(), end.y());
    cairo_stroke(pen_.get());
  }

  void drawPoint(const Vec2& at, double light) {
    cairo_new_path(pen_.get());
    cairo_arc(pen_.get(), at.x(), at.y(), (1.6 + 1.6 * light) / scale_, 0, 2 * M_PI);
    cairo_fill(pen_.get());
  }

  void drawNotes(bool no_picture) {
    cairo_identity_matrix(pen_.get());
    const double high = std::max(18.0, size_.second / 28.0), edge = high / 3, top = size_.second - high;
    paintOver(0.06, 0.045, 0.08, 0.78);
    cairo_rectangle(pen_.get(), 0, top, size_.first, high);
    cairo_fill(pen_.get());
    cairo_select_font_face(pen_.get(), "Inter", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(pen_.get(), 0.56 * high);
    paintOver(0.93, 0.9, 0.95, 1);
    const double baseline = top + 0.7 * high;
    const std::string left = frameNote(no_picture);
    cairo_move_to(pen_.get(), edge, baseline);
    cairo_show_text(pen_.get(), left.c_str());
    const double room = size_.first - widthOf(left) - 4 * edge;
    const std::string right = shortened(shot_.verdict_note, room);
    cairo_move_to(pen_.get(), size_.first - edge - widthOf(right), baseline);
    cairo_show_text(pen_.get(), right.c_str());
  }

  double widthOf(const std::string& text) {
    cairo_text_extents_t extents;
    cairo_text_extents(pen_.get(), text.c_str(), &extents);
    return extents.x_advance;
  }

  /// With three dots where it is too long.
  std::string shortened(std::string text, double room) {
    if (widthOf(text) <= room) return text;
    while (!text.empty() && widthOf(text + "…") > room) {
      do text.pop_back();
      while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0x80);  // the rest of a letter
      if (!text.empty() && static_cast<unsigned char>(text.back()) >= 0xC0) text.pop_back();
    }
    return text.empty() ? text : text + "…";
  }

  std::string frameNote(bool no_picture) const {
    const SolvedFrame* frame = input_.solution.frameAt(frame_);
    std::string note = fmt::format("{} · frame {}", input_.shot, frame_);
    if (no_picture) note += " · no picture";
    if (!frame || !frame->placed) return note + " · no camera";
    return std::isnan(frame->rms_px) ? note : fmt::format("{} · {:.2f} px", note, frame->rms_px);
  }

  const ReviewInput& input_;
  const ReviewOptions& options_;
  const WholeShot& shot_;
  int frame_;
  std::pair<int, int> size_;
  Surface surface_;
  std::unique_ptr<cairo_t, FreePen> pen_;
  double scale_ = 1;
};

}  // namespace

Picture reviewFrame(const ReviewInput& input, const ReviewOptions& options, const Picture& plate, int frame) {
  return FramePainter(input, options, wholeShotOf(input, options), frame).paint(plate);
}

Status writeReview(FrameSource& source, const ReviewInput& input, const ReviewOptions& options, const std::filesystem::path& path, const Progress& progress) {
  if (const Status fine = options.check(); !fine.ok()) return fine;
  FrameRange frames = options.frames;
  if (frames == FrameRange() && !input.solution.frames.empty()) frames = {input.solution.frames.front().frame, input.solution.frames.back().frame};
  const auto range = rangeIn(source.info(), frames);
  if (!range.ok()) return range.error();
  const auto [width, height] = sizeOf(input.footage, options.height);
  auto writer = MovieWriter::create(path, {.width = width, .height = height, .fps = input.footage.fps, .pixel_aspect = input.solution.lens().pixel_aspect});
  if (!writer.ok()) return writer.error();
  const WholeShot shot = wholeShotOf(input, options);
  for (int frame = range->first; frame <= range->last; ++frame) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(frame - range->first) / (range->last - range->first + 1), fmt::format("review frame {} of {}", frame, range->last));
    Picture plate;
    if (source.info().has(frame)) {
      auto read = source.read(frame, FrameUse::Screen);
      if (!read.ok()) return read.error();
      plate = std::move(read->picture);
    }
    if (const Status written = writer->write(FramePainter(input, options, shot, frame).paint(plate)); !written.ok()) return written;
  }
  return writer->finish();
}

}  // namespace dusky
