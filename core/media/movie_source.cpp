#include "core/media/movie_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdarg>
#include <cmath>
#include <optional>
#include <vector>

#include "core/base/log.h"
#include "core/base/numbers.h"
#include "core/media/ffmpeg.h"
#include "core/media/footage.h"

extern "C" {
#include <libavutil/display.h>
#include <libavutil/log.h>
#include <libavutil/pixdesc.h>
}

namespace dusky {
namespace {

using Format = std::unique_ptr<AVFormatContext, FreeByAddress<avformat_close_input>>;

constexpr int kSmaller = 4;  // of the picture that tracking takes its colours from

/// A plane turned clockwise by quarter turns.
template <class T>
Plane<T> turned(const Plane<T>& from, int quarter_turns) {
  const bool lying = quarter_turns % 2 != 0;
  Plane<T> to(lying ? from.height : from.width, lying ? from.width : from.height);
  for (int y = 0; y < from.height; ++y) {
    for (int x = 0; x < from.width; ++x) {
      const int right = from.width - 1 - x, below = from.height - 1 - y;
      (quarter_turns == 1 ? to.at(below, x) : quarter_turns == 2 ? to.at(right, below) : to.at(y, right)) = from.at(x, y);
    }
  }
  return to;
}

/// A key frame that was counted: its number, and when its packet is decoded.
struct CountedKey {
  int number = 0;
  std::int64_t decoded = 0;
};

class MovieSource final : public FrameSource {
 public:
  Status open(const std::filesystem::path& path);
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse use) override;

 private:
  Status openContainer();
  Status openDecoder();
  Error unknownPixels(int format) const;
  Status countFrames();
  Status countByDecoding();
  void readTurn();
  void judgeTimes();
  bool decodeNext();
  bool sendNextPacket();
  bool seekTo(int number);
  bool seekToCounted(int number);
  bool rewind();
  bool goTo(int number);
  Picture convert(int width, int height);
  void setScaler(int width, int height, AVPixelFormat format, int how);
  FloatPicture values();
  FloatPlane alphaPlane();
  std::optional<FloatPlane> lumaPlane() const;
  bool hasLumaBytes() const;
  LumaBytes lumaBytes() const;
  int numberOf(std::int64_t pts) const;

  FootageInfo info_;
  Format format_;
  Codec codec_;
  Packet packet_{av_packet_alloc()};
  Raw raw_{av_frame_alloc()};
  Scaler scaler_;
  int stream_ = -1;
  int quarter_turns_ = 0;            ///< Clockwise, to bring a picture upright.
  std::vector<std::int64_t> times_;  ///< Presentation times of all frames, sorted.
  std::vector<std::int64_t> keys_;   ///< Those a decoder can start from.
  bool by_count_ = false;            ///< No times to go by: frames are numbered as they come out.
  std::vector<CountedKey> counted_;  ///< Then: where a decoder can start from.
  bool from_start_ = false;          ///< Seeking does not lead where it should: what lies behind is reached from the start.
  int at_ = 0;                       ///< Number of the frame in raw_; 0 before the first.
  bool drained_ = false;
};

/// Its words go into the log; the artist reads ours.
void logFfmpeg(void* context, int level, const char* format, va_list values) {
  if (level > AV_LOG_WARNING) return;
  std::array<char, 1024> line{};
  int prefix = 1;
  av_log_format_line2(context, level, format, values, line.data(), static_cast<int>(line.size()), &prefix);
  logLibrary("FFmpeg", line.data());
}

Status MovieSource::open(const std::filesystem::path& path) {
  logFfmpegWords();
  info_.path = path.string();
  if (const Status container = openContainer(); !container.ok()) return container;
  if (const Status decoder = openDecoder(); !decoder.ok()) return decoder;
  return countFrames();
}

Status MovieSource::openContainer() {
  AVFormatContext* raw_format = nullptr;
  // Without "file:" a colon in a name would be taken for a protocol.
  if (avformat_open_input(&raw_format, ("file:" + info_.path).c_str(), nullptr, nullptr) < 0) {
    return unreadable(fmt::format("{} is not a movie that can be read: no known container in it.", info_.path));
  }
  format_.reset(raw_format);
  if (avformat_find_stream_info(format_.get(), nullptr) < 0) return unreadable(fmt::format("{} is damaged: its streams cannot be read.", info_.path));
  stream_ = av_find_best_stream(format_.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
  if (stream_ < 0) return unreadable(fmt::format("{} holds no moving picture.", info_.path));
  if (format_->streams[stream_]->disposition & AV_DISPOSITION_ATTACHED_PIC)
    return unreadable(fmt::format("{} is sound with a cover picture: it holds no moving picture.", info_.path));
  return Done{};
}

/// swscale takes JPEG's 4:1:1 as the ordinary one, which its own list forgets.
bool canBeRead(AVPixelFormat format) { return format == AV_PIX_FMT_YUVJ411P || sws_isSupportedInput(format); }

Error MovieSource::unknownPixels(int format) const {
  const char* name = av_get_pix_fmt_name(static_cast<AVPixelFormat>(format));
  return unreadable(
      fmt::format("{}: its pixels are of a kind that is not read ({}). Convert it to another one, like yuv422p10.", info_.path, name ? name : "unknown"));
}

Status MovieSource::openDecoder() {
  const AVStream* stream = format_->streams[stream_];
  const AVCodec* codec = avcodec_find_decoder(stream->codecpar->codec_id);
  if (!codec) return unreadable(fmt::format("{}: no decoder for its picture ({}).", info_.path, avcodec_get_name(stream->codecpar->codec_id)));
  // Text files and the like open as subtitle art; a picture without a size is none.
  if (stream->codecpar->codec_id == AV_CODEC_ID_ANSI || stream->codecpar->width <= 0 || stream->codecpar->height <= 0) {
    return unreadable(fmt::format("{} is not a movie: there is no picture in it.", info_.path));
  }
  codec_.reset(avcodec_alloc_context3(codec));
  avcodec_parameters_to_context(codec_.get(), stream->codecpar);
  codec_->thread_count = 2;
  if (avcodec_open2(codec_.get(), codec, nullptr) < 0) return unreadable(fmt::format("{}: its decoder ({}) does not start.", info_.path, codec->name));
  const AVRational rate = av_guess_frame_rate(format_.get(), format_->streams[stream_], nullptr);
  info_.fps = rate.num > 0 && rate.den > 0 ? av_q2d(rate) : 24.0;
  info_.width = codec_->width;
  info_.height = codec_->height;
  info_.kind = fmt::format("movie ({})", codec->name);
  const AVPixFmtDescriptor* pixels = av_pix_fmt_desc_get(codec_->pix_fmt);
  if (codec_->pix_fmt != AV_PIX_FMT_NONE && !canBeRead(codec_->pix_fmt)) return unknownPixels(codec_->pix_fmt);
  info_.has_alpha = pixels && (pixels->flags & AV_PIX_FMT_FLAG_ALPHA);
  const AVRational aspect = av_guess_sample_aspect_ratio(format_.get(), format_->streams[stream_], nullptr);
  if (aspect.num > 0 && aspect.den > 0) info_.pixel_aspect = av_q2d(aspect);
  readTurn();
  return Done{};
}

/// Telephones and some cameras write the picture as the sensor lay and say how to turn it.
void MovieSource::readTurn() {
  const auto* matrix = reinterpret_cast<const std::int32_t*>(av_stream_get_side_data(format_->streams[stream_], AV_PKT_DATA_DISPLAYMATRIX, nullptr));
  if (!matrix) return;
  const double counterclockwise_deg = av_display_rotation_get(matrix);
  if (std::isnan(counterclockwise_deg)) return;
  quarter_turns_ = ((static_cast<int>(std::lround(-counterclockwise_deg / 90)) % 4) + 4) % 4;
  if (quarter_turns_ % 2 == 0) return;
  std::swap(info_.width, info_.height);
  info_.pixel_aspect = 1 / info_.pixel_aspect;
}

/// Frames are numbered in their order; with uneven times the number no longer tells the second.
void MovieSource::judgeTimes() {
  std::vector<double> steps;
  for (std::size_t i = 1; i < times_.size(); ++i) steps.push_back(static_cast<double>(times_[i] - times_[i - 1]));
  if (steps.size() < 2) return;
  const double usual = median(steps);
  const auto uneven = std::count_if(steps.begin(), steps.end(), [&](double s) { return std::abs(s - usual) > 0.25 * usual; });
  if (static_cast<double>(uneven) > 0.02 * static_cast<double>(steps.size())) {
    info_.warnings.push_back(
        fmt::format("The frame rate varies ({} of {} frames come early or late); frames are numbered in their order, at {:.3g} fps on average.", uneven,
                    times_.size(), info_.fps));
  }
}

Status MovieSource::countFrames() {
  bool timeless = false;
  while (av_read_frame(format_.get(), packet_.get()) >= 0) {
    if (packet_->stream_index == stream_ && !(packet_->flags & AV_PKT_FLAG_DISCARD)) {
      const std::int64_t time = packet_->pts != AV_NOPTS_VALUE ? packet_->pts : packet_->dts;
      timeless = timeless || packet_->pts == AV_NOPTS_VALUE;
      times_.push_back(time);
      if (packet_->flags & AV_PKT_FLAG_KEY) keys_.push_back(time);
    }
    av_packet_unref(packet_.get());
  }
  if (times_.empty()) return unreadable(fmt::format("{} holds no frames; it may be cut off.", info_.path));
  std::sort(times_.begin(), times_.end());
  std::sort(keys_.begin(), keys_.end());
  info_.first = 1;
  // A stream without a container has no times, and some old containers have those of decoding alone.
  if (timeless) return countByDecoding();
  judgeTimes();
  info_.last = static_cast<int>(times_.size());
  if (!goTo(1)) return unreadable(fmt::format("{} is damaged: its first frame does not decode.", info_.path));
  if (raw_->interlaced_frame)
    info_.warnings.emplace_back("The footage is interlaced: each frame holds two moments, which a solve takes for one. Deinterlace it first.");
  return Done{};
}

/// Where packets do not tell how many frames come of them.
Status MovieSource::countByDecoding() {
  by_count_ = true;
  if (!rewind()) return unreadable(fmt::format("{} cannot be read from its start again.", info_.path));
  while (decodeNext()) {
    if (raw_->key_frame && raw_->pkt_dts != AV_NOPTS_VALUE) counted_.push_back({at_, raw_->pkt_dts});
  }
  if (at_ == 0) return unreadable(fmt::format("{} is damaged: its first frame does not decode.", info_.path));
  info_.last = at_;
  return rewind() ? Status(Done{}) : Status(unreadable(fmt::format("{} cannot be read from its start again.", info_.path)));
}

/// To the key frame before, told by the time of its packet; false where the container does not lead there.
bool MovieSource::seekToCounted(int number) {
  const auto after = std::upper_bound(counted_.begin(), counted_.end(), number, [](int n, const CountedKey& key) { return n < key.number; });
  if (after == counted_.begin()) return false;
  const CountedKey key = *std::prev(after);
  if (at_ >= key.number && at_ <= number) return true;
  if (av_seek_frame(format_.get(), stream_, key.decoded, AVSEEK_FLAG_BACKWARD) < 0) return false;
  avcodec_flush_buffers(codec_.get());
  drained_ = false;
  constexpr int kSoon = 300;  // frames before it that a seek may begin with
  for (int i = 0; i < kSoon && decodeNext(); ++i) {
    if (raw_->pkt_dts > key.decoded) return false;
    if (raw_->pkt_dts == key.decoded) return at_ = key.number, true;
  }
  return false;
}

/// Opens everything anew: not every container can go back.
bool MovieSource::rewind() {
  const FootageInfo known = info_;
  codec_.reset(), format_.reset();
  const bool fine = openContainer().ok() && openDecoder().ok();
  info_ = known;
  drained_ = false;
  at_ = 0;
  return fine;
}

/// Decodes on until this frame is in raw_; from a place behind it where that is cheaper.
bool MovieSource::goTo(int number) {
  constexpr int kCheaperThanSeek = 12;
  const auto decodeOn = [&] {
    while (at_ < number) {
      if (!decodeNext()) return false;
    }
    return at_ == number;
  };
  if (number == at_) return true;
  if (from_start_) return (number > at_ || rewind()) && decodeOn();
  if (at_ > 0 && number > at_ && number <= at_ + kCheaperThanSeek) return decodeOn();
  if ((by_count_ ? seekToCounted(number) : seekTo(number)) && decodeOn()) return true;
  // It led behind the frame, or to where nothing decodes: containers without an index do not know better.
  if (!rewind() || !decodeOn()) return false;
  from_start_ = true;
  return true;
}

bool MovieSource::seekTo(int number) {
  const auto after = std::upper_bound(keys_.begin(), keys_.end(), times_[number - 1]);
  const std::int64_t key = after == keys_.begin() ? times_.front() : *std::prev(after);
  if (av_seek_frame(format_.get(), stream_, key, AVSEEK_FLAG_BACKWARD) < 0) return false;
  avcodec_flush_buffers(codec_.get());
  drained_ = false;
  at_ = 0;
  return true;
}

bool MovieSource::sendNextPacket() {
  while (av_read_frame(format_.get(), packet_.get()) >= 0) {
    const bool ours = packet_->stream_index == stream_;
    if (ours) avcodec_send_packet(codec_.get(), packet_.get());
    av_packet_unref(packet_.get());
    if (ours) return true;
  }
  if (drained_) return false;
  drained_ = true;
  avcodec_send_packet(codec_.get(), nullptr);
  return true;
}

int MovieSource::numberOf(std::int64_t pts) const { return static_cast<int>(std::lower_bound(times_.begin(), times_.end(), pts) - times_.begin()) + 1; }

bool MovieSource::decodeNext() {
  for (;;) {
    const int got = avcodec_receive_frame(codec_.get(), raw_.get());
    if (got == 0) {
      if (!by_count_ && raw_->best_effort_timestamp != AV_NOPTS_VALUE)
        at_ = numberOf(raw_->best_effort_timestamp);
      else
        ++at_;
      return true;
    }
    if (got != AVERROR(EAGAIN) || !sendNextPacket()) return false;
  }
}

/// Whether values go from black to white, not from 16 to 235: as the stream says; grey alone does where it says nothing.
bool wholeRange(const AVFrame& frame) {
  const AVPixFmtDescriptor* format = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(frame.format));
  const bool grey = format && format->nb_components <= 2 && !(format->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL));
  return frame.color_range == AVCOL_RANGE_JPEG || (grey && frame.color_range == AVCOL_RANGE_UNSPECIFIED);
}

Picture MovieSource::convert(int width, int height) {
  Picture picture = Picture::unset(width, height);
  setScaler(width, height, AV_PIX_FMT_RGB24, SWS_FAST_BILINEAR);
  std::uint8_t* rows[1] = {&picture.data.front().r};
  const int stride[1] = {3 * width};
  sws_scale(scaler_.get(), raw_->data, raw_->linesize, 0, raw_->height, rows, stride);
  return picture;
}

/// From what is decoded to red, green and blue, by the matrix and range that the stream says.
void MovieSource::setScaler(int width, int height, AVPixelFormat format, int how) {
  scaler_.reset(sws_getCachedContext(scaler_.release(), raw_->width, raw_->height, static_cast<AVPixelFormat>(raw_->format), width, height, format, how,
                                     nullptr, nullptr, nullptr));
  const int space = raw_->colorspace == AVCOL_SPC_UNSPECIFIED ? (raw_->height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601) : static_cast<int>(raw_->colorspace);
  const int* table = sws_getCoefficients(space);
  sws_setColorspaceDetails(scaler_.get(), table, wholeRange(*raw_), table, 1, 0, 1 << 16, 1 << 16);
}

/// As floats, so that what colours gain by being worked out from luma and chroma stays.
FloatPicture MovieSource::values() {
  const int width = raw_->width, height = raw_->height;
  FloatPlane green = FloatPlane::unset(width, height), blue = FloatPlane::unset(width, height), red = FloatPlane::unset(width, height);
  setScaler(width, height, AV_PIX_FMT_GBRPF32LE, SWS_BILINEAR | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT);
  const auto bytes = [](FloatPlane& plane) { return reinterpret_cast<std::uint8_t*>(plane.data.data()); };
  std::uint8_t* planes[3] = {bytes(green), bytes(blue), bytes(red)};
  const int row = 4 * width, stride[3] = {row, row, row};
  sws_scale(scaler_.get(), raw_->data, raw_->linesize, 0, height, planes, stride);
  FloatPicture picture = FloatPicture::unset(width, height);
  for (std::size_t i = 0; i < picture.data.size(); ++i) picture.data[i] = {red.data[i], green.data[i], blue.data[i]};
  return picture;
}

FloatPlane MovieSource::alphaPlane() {
  const int width = raw_->width, height = raw_->height;
  Plane<std::array<std::uint8_t, 4>> all(width, height);
  scaler_.reset(sws_getCachedContext(scaler_.release(), width, height, static_cast<AVPixelFormat>(raw_->format), width, height, AV_PIX_FMT_RGBA, SWS_POINT,
                                     nullptr, nullptr, nullptr));
  std::uint8_t* rows[1] = {all.data.front().data()};
  const int stride[1] = {4 * width};
  sws_scale(scaler_.get(), raw_->data, raw_->linesize, 0, height, rows, stride);
  FloatPlane alpha = FloatPlane::unset(width, height);
  for (std::size_t i = 0; i < alpha.data.size(); ++i) alpha.data[i] = all.data[i][3];
  return alpha;
}

/// The luma component of a planar YUV format of 8 to 16 bits, little-endian; nullptr for others.
const AVComponentDescriptor* lumaComponentOf(int pixel_format) {
  const AVPixFmtDescriptor* format = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(pixel_format));
  const bool planar =
      format && format->nb_components >= 3 && (format->flags & AV_PIX_FMT_FLAG_PLANAR) && !(format->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_BE));
  if (!planar || format->comp[0].plane != 0) return nullptr;
  const AVComponentDescriptor& luma = format->comp[0];
  return luma.depth >= 8 && luma.depth + luma.shift <= 16 && luma.step == (luma.depth > 8 ? 2 : 1) ? &luma : nullptr;
}

struct LumaRange {
  float black, scale;  ///< At 8 bits.
};
LumaRange lumaRangeOf(const AVFrame& frame) { return wholeRange(frame) ? LumaRange{0.0f, 1.0f} : LumaRange{16.0f, 255.0f / 219.0f}; }

bool MovieSource::hasLumaBytes() const {
  const AVComponentDescriptor* luma = lumaComponentOf(raw_->format);
  return luma && luma->depth == 8 && quarter_turns_ == 0;
}

LumaBytes MovieSource::lumaBytes() const {
  const auto [black, scale] = lumaRangeOf(*raw_);
  LumaBytes bytes{Plane<std::uint8_t>::unset(raw_->width, raw_->height), black, scale};
  for (int y = 0; y < raw_->height; ++y) std::copy_n(raw_->data[0] + static_cast<std::ptrdiff_t>(y) * raw_->linesize[0], raw_->width, bytes.values.row(y));
  return bytes;
}

/// The decoded luma itself, at its own depth, where the movie has one: tracking needs no colours.
std::optional<FloatPlane> MovieSource::lumaPlane() const {
  const AVComponentDescriptor* component = lumaComponentOf(raw_->format);
  if (!component) return std::nullopt;
  const int depth = component->depth, shift = component->shift;
  const float unit = static_cast<float>(1 << (depth - 8));
  const auto [black, scale] = lumaRangeOf(*raw_);
  const int width = raw_->width;  // a byte written could be anything's, so the loops must not read it anew
  FloatPlane luma = FloatPlane::unset(width, raw_->height);
  for (int y = 0; y < raw_->height; ++y) {
    const std::uint8_t* bytes = raw_->data[0] + static_cast<std::ptrdiff_t>(y) * raw_->linesize[0];
    const auto* words = reinterpret_cast<const std::uint16_t*>(bytes);
    float* __restrict out = luma.row(y);
    if (depth == 8) {
      for (int x = 0; x < width; ++x) out[x] = scale * (static_cast<float>(bytes[x]) - black);
    } else {
      for (int x = 0; x < width; ++x) out[x] = scale * (static_cast<float>(words[x] >> shift) / unit - black);
    }
  }
  return luma;
}

Result<Frame> MovieSource::read(int number, FrameUse use) {
  if (number < info_.first || number > info_.last) {
    return invalidInput(fmt::format("Frame {} is outside {}–{} of {}.", number, info_.first, info_.last, info_.path));
  }
  if (!goTo(number)) return unreadable(fmt::format("{}: frame {} does not decode; the file may be cut off or damaged there.", info_.path, number));
  // Some streams change it on the way.
  if (!canBeRead(static_cast<AVPixelFormat>(raw_->format))) return unknownPixels(raw_->format);
  const auto [width, height] = quarter_turns_ % 2 == 0 ? std::pair(raw_->width, raw_->height) : std::pair(raw_->height, raw_->width);
  if (width != info_.width || height != info_.height) {
    return unreadable(fmt::format("{}: frame {} is {}×{}, the first one {}×{}; all frames must have one size.", info_.path, number, width, height, info_.width,
                                  info_.height));
  }
  Frame frame;
  frame.number = number;
  if (use == FrameUse::Alpha) {
    frame.luma = quarter_turns_ > 0 ? turned(alphaPlane(), quarter_turns_) : alphaPlane();
    return frame;
  }
  if (use == FrameUse::Plate) {
    frame.values = quarter_turns_ > 0 ? turned(values(), quarter_turns_) : values();
    return frame;
  }
  if (use == FrameUse::Following && hasLumaBytes()) {
    frame.bytes = lumaBytes();
    frame.picture = convert(std::max(1, raw_->width / kSmaller), std::max(1, raw_->height / kSmaller));
    return frame;
  }
  auto luma = lumaPlane();
  const int smaller = luma && use != FrameUse::Screen ? kSmaller : 1;
  frame.picture = convert(std::max(1, raw_->width / smaller), std::max(1, raw_->height / smaller));
  frame.luma = luma ? std::move(*luma) : lumaOf(frame.picture);
  if (quarter_turns_ > 0) frame.picture = turned(frame.picture, quarter_turns_), frame.luma = turned(frame.luma, quarter_turns_);
  return frame;
}
}  // namespace

void logFfmpegWords() { av_log_set_callback(logFfmpeg); }

Result<std::unique_ptr<FrameSource>> openMovie(const std::filesystem::path& path) {
  auto source = std::make_unique<MovieSource>();
  if (const Status opened = source->open(path); !opened.ok()) return opened.error();
  return std::unique_ptr<FrameSource>(std::move(source));
}
}  // namespace dusky
