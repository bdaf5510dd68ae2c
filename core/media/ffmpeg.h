#pragma once
#include <memory>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

namespace dusky {

/// FFmpeg's objects, freed as it wants them freed.
template <auto Free>
struct FreeByAddress {
  template <class T>
  void operator()(T* object) const {
    Free(&object);
  }
};
struct FreeScaler {
  void operator()(SwsContext* scaler) const { sws_freeContext(scaler); }
};
using Codec = std::unique_ptr<AVCodecContext, FreeByAddress<avcodec_free_context>>;
using Packet = std::unique_ptr<AVPacket, FreeByAddress<av_packet_free>>;
using Raw = std::unique_ptr<AVFrame, FreeByAddress<av_frame_free>>;
using Scaler = std::unique_ptr<SwsContext, FreeScaler>;

/// From here on its words go into the log.
void logFfmpegWords();

}  // namespace dusky
