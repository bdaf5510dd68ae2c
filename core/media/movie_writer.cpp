#include "core/media/movie_writer.h"

#include <fmt/format.h>

#include <array>

#include "core/base/temporary_file.h"
#include "core/base/thread_limit.h"
#include "core/media/ffmpeg.h"

extern "C" {
#include <libavutil/opt.h>
}

namespace dusky {
namespace {

struct CloseOutput {
  void operator()(AVFormatContext* format) const {
    if (format->pb) avio_closep(&format->pb);
    avformat_free_context(format);
  }
};
using Output = std::unique_ptr<AVFormatContext, CloseOutput>;

std::string reasonOf(int code) {
  std::array<char, AV_ERROR_MAX_STRING_SIZE> text{};
  return av_strerror(code, text.data(), text.size()) == 0 ? text.data() : "unknown reason";
}

constexpr int kLargestFraction = 100000;

}  // namespace

class MovieWriter::Encoder {
 public:
  Encoder(std::filesystem::path path, TemporaryFile file) : path_(std::move(path)), file_(std::move(file)) {}

  Status open(const MovieFormat& format) {
    logFfmpegWords();
    const AVCodec* encoder = avcodec_find_encoder_by_name("libx264");
    if (!encoder) encoder = avcodec_find_encoder(AV_CODEC_ID_H264);
    if (!encoder) return cannotWrite(fmt::format("Cannot write {}: FFmpeg on this machine has no H.264 encoder.", path_.string()));
    AVFormatContext* made = nullptr;
    const std::string place = "file:" + file_.path().string();  // without it a colon in a name would be taken for a protocol
    avformat_alloc_output_context2(&made, nullptr, "mp4", place.c_str());
    output_.reset(made);
    codec_.reset(avcodec_alloc_context3(encoder));
    if (!output_ || !codec_) return failed(AVERROR(ENOMEM));
    describe(format);
    if (const int code = avcodec_open2(codec_.get(), encoder, nullptr); code < 0) return failed(code);
    stream_ = avformat_new_stream(output_.get(), nullptr);
    if (!stream_) return failed(AVERROR(ENOMEM));
    stream_->time_base = codec_->time_base, stream_->avg_frame_rate = codec_->framerate, stream_->sample_aspect_ratio = codec_->sample_aspect_ratio;
    if (const int code = avcodec_parameters_from_context(stream_->codecpar, codec_.get()); code < 0) return failed(code);
    if (const int code = avio_open(&output_->pb, place.c_str(), AVIO_FLAG_WRITE); code < 0) return failed(code);
    // What plays it can begin before all of it is there.
    AVDictionary* options = nullptr;
    av_dict_set(&options, "movflags", "+faststart", 0);
    const int code = avformat_write_header(output_.get(), &options);
    av_dict_free(&options);
    return code < 0 ? failed(code) : makeFrame();
  }

  Status write(const Picture& picture) {
    if (picture.width != codec_->width || picture.height != codec_->height)
      return invalidInput(fmt::format("A frame of {}×{} does not go into a movie of {}×{}.", picture.width, picture.height, codec_->width, codec_->height));
    if (const int code = av_frame_make_writable(raw_.get()); code < 0) return failed(code);
    const std::uint8_t* rows[1] = {&picture.data.front().r};
    const int stride[1] = {3 * picture.width};
    sws_scale(scaler_.get(), rows, stride, 0, picture.height, raw_->data, raw_->linesize);
    raw_->pts = next_++;
    return encode(raw_.get());
  }

  Status finish() {
    if (const Status drained = encode(nullptr); !drained.ok()) return drained;
    if (const int code = av_write_trailer(output_.get()); code < 0) return failed(code);
    if (const int code = avio_closep(&output_->pb); code < 0) return failed(code);
    return file_.moveTo(path_);
  }

 private:
  Status failed(int code) const { return cannotWrite(fmt::format("Cannot write {}: {}.", path_.string(), reasonOf(code))); }

  void describe(const MovieFormat& format) {
    codec_->width = format.width, codec_->height = format.height;
    codec_->framerate = av_d2q(format.fps, kLargestFraction);
    codec_->time_base = av_inv_q(codec_->framerate);
    codec_->sample_aspect_ratio = av_d2q(format.pixel_aspect, kLargestFraction);
    codec_->thread_count = threadsAllowed();
    codec_->pix_fmt = AV_PIX_FMT_YUV420P;
    codec_->color_range = AVCOL_RANGE_MPEG;
    codec_->color_primaries = AVCOL_PRI_BT709, codec_->color_trc = AVCOL_TRC_BT709, codec_->colorspace = AVCOL_SPC_BT709;
    if (output_->oformat->flags & AVFMT_GLOBALHEADER) codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    // Only libx264 knows it; another encoder goes by its own.
    av_opt_set_int(codec_->priv_data, "crf", format.quality, 0);
  }

  Status makeFrame() {
    raw_->format = codec_->pix_fmt, raw_->width = codec_->width, raw_->height = codec_->height;
    raw_->color_range = codec_->color_range, raw_->colorspace = codec_->colorspace;
    if (const int code = av_frame_get_buffer(raw_.get(), 0); code < 0) return failed(code);
    scaler_.reset(sws_getContext(codec_->width, codec_->height, AV_PIX_FMT_RGB24, codec_->width, codec_->height, codec_->pix_fmt,
                                 SWS_BICUBIC | SWS_ACCURATE_RND, nullptr, nullptr, nullptr));
    if (!scaler_) return failed(AVERROR(ENOMEM));
    const int* table = sws_getCoefficients(SWS_CS_ITU709);
    sws_setColorspaceDetails(scaler_.get(), table, 1, table, 0, 0, 1 << 16, 1 << 16);
    return Done{};
  }

  /// nullptr: what is still held back.
  Status encode(const AVFrame* frame) {
    if (const int code = avcodec_send_frame(codec_.get(), frame); code < 0) return failed(code);
    for (;;) {
      const int got = avcodec_receive_packet(codec_.get(), packet_.get());
      if (got == AVERROR(EAGAIN) || got == AVERROR_EOF) return Done{};
      if (got < 0) return failed(got);
      packet_->stream_index = stream_->index;
      packet_->duration = 1;
      av_packet_rescale_ts(packet_.get(), codec_->time_base, stream_->time_base);
      if (const int code = av_interleaved_write_frame(output_.get(), packet_.get()); code < 0) return failed(code);
    }
  }

  std::filesystem::path path_;
  TemporaryFile file_;
  Output output_;
  Codec codec_;
  Packet packet_{av_packet_alloc()};
  Raw raw_{av_frame_alloc()};
  Scaler scaler_;
  AVStream* stream_ = nullptr;
  std::int64_t next_ = 0;
};

MovieWriter::MovieWriter(std::unique_ptr<Encoder> encoder) : encoder_(std::move(encoder)) {}
MovieWriter::MovieWriter(MovieWriter&&) noexcept = default;
MovieWriter::~MovieWriter() = default;

Result<MovieWriter> MovieWriter::create(const std::filesystem::path& path, const MovieFormat& format) {
  if (format.width <= 0 || format.height <= 0 || format.width % 2 != 0 || format.height % 2 != 0)
    return invalidInput(fmt::format("A movie of {}×{} px cannot be written: both must be even and over 0.", format.width, format.height));
  auto file = TemporaryFile::beside(path, ".mp4");
  if (!file.ok()) return file.error();
  auto encoder = std::make_unique<Encoder>(path, std::move(*file));
  if (const Status opened = encoder->open(format); !opened.ok()) return opened.error();
  return MovieWriter(std::move(encoder));
}

Status MovieWriter::write(const Picture& picture) { return encoder_->write(picture); }
Status MovieWriter::finish() { return encoder_->finish(); }

}  // namespace dusky
