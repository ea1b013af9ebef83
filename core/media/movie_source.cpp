// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie_source.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/display.h>
#include <libavutil/pixdesc.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>
#include <utility>

#include "base/cpu_clones.h"
#include "base/error.h"
#include "media/rotate.h"

namespace va {
namespace {

struct FormatCloser {
    void operator()(AVFormatContext* p) const { avformat_close_input(&p); }
};
struct CodecCloser {
    void operator()(AVCodecContext* p) const { avcodec_free_context(&p); }
};
struct FrameCloser {
    void operator()(AVFrame* p) const { av_frame_free(&p); }
};
struct PacketCloser {
    void operator()(AVPacket* p) const { av_packet_free(&p); }
};
struct ScalerCloser {
    void operator()(SwsContext* p) const { sws_freeContext(p); }
};

/// The planar formats' rows, which nearly all movies have.
VA_CPU_CLONES void lumaOfBytes(const uint8_t* in, int n, float black, float scale, float* out) {
    for (int x = 0; x < n; ++x) out[x] = (float(in[x]) - black) * scale;
}

VA_CPU_CLONES void lumaOfWords(const uint16_t* in, int n, int shift, float black, float scale, float* out) {
    for (int x = 0; x < n; ++x) out[x] = (float(in[x] >> shift) - black) * scale;
}

std::string avMessage(int code) {
    char text[AV_ERROR_MAX_STRING_SIZE] = {};
    av_strerror(code, text, sizeof text);
    return text;
}

class MovieSource final : public PlateSource {
  public:
    explicit MovieSource(const std::string& path) : path_(path) {
        av_log_set_level(AV_LOG_QUIET);  // troubles are told through our own sentences
        openContainer();
        listPackets();
        openDecoder();
        fillInfo();
    }

    Luma luma(int frame) override {
        decode(frame);
        return rotated(lumaOf(*picture_), info_.rotation);
    }

    Picture colours(int frame) override {
        decode(frame);
        const AVFrame& f = *picture_;
        std::vector<uint16_t> raw(4 * size_t(f.width) * size_t(f.height));
        convert(f, AV_PIX_FMT_RGBA64LE, reinterpret_cast<uint8_t*>(raw.data()), f.width * 8);
        Picture out(f.width, f.height);
        for (size_t i = 0; i < raw.size(); ++i) out.data[i] = float(raw[i]) / 65535.0f;
        return rotated(std::move(out), info_.rotation);
    }
    [[nodiscard]] int quickFrameNear(int frame) const override {
        int best = frame, least = std::numeric_limits<int>::max();
        for (const int64_t start : starts_) {
            const auto at = std::lower_bound(stamps_.begin(), stamps_.end(), start);
            const int number = firstMovieFrame + int(at - stamps_.begin());
            if (at != stamps_.end() && std::abs(number - frame) < least)
                best = number, least = std::abs(number - frame);
        }
        return best;
    }
    DisplayPicture display(int frame) override {
        decode(frame);
        return rotated(displayOf(*picture_), info_.rotation);
    }

  private:
    void openContainer() {
        AVFormatContext* raw = nullptr;
        const int code = avformat_open_input(&raw, path_.c_str(), nullptr, nullptr);
        if (code < 0) {
            throw InputError("\"" + path_ +
                                 "\" is not a movie or picture that can be read. It may be cut off or of a kind "
                                 "that is not supported: try to play it elsewhere, or copy it again.",
                             avMessage(code));
        }
        container_.reset(raw);
        if (avformat_find_stream_info(raw, nullptr) < 0 ||
            (streamIndex_ = av_find_best_stream(raw, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0)) < 0)
            throw InputError("\"" + path_ + "\" holds no moving picture. Choose a movie or stills.");
        stream_ = raw->streams[streamIndex_];
        for (unsigned i = 0; i < raw->nb_streams; ++i)
            if (int(i) != streamIndex_) raw->streams[i]->discard = AVDISCARD_ALL;
    }

    /// Lists the time stamps of all frames and which of them decoding can start at.
    void listPackets() {
        std::unique_ptr<AVPacket, PacketCloser> packet(av_packet_alloc());
        std::set<int64_t> stamps;
        while (av_read_frame(container_.get(), packet.get()) >= 0) {
            if (packet->stream_index == streamIndex_ && !(packet->flags & AV_PKT_FLAG_DISCARD)) {
                const int64_t stamp = packet->pts != AV_NOPTS_VALUE ? packet->pts : packet->dts;
                const bool broken = packet->flags & AV_PKT_FLAG_CORRUPT;
                if (stamp != AV_NOPTS_VALUE && !broken) {
                    stamps.insert(stamp);
                    if (packet->flags & AV_PKT_FLAG_KEY) starts_.push_back(stamp);
                }
            }
            av_packet_unref(packet.get());
        }
        stamps_.assign(stamps.begin(), stamps.end());
        std::sort(starts_.begin(), starts_.end());
        if (stamps_.empty()) {
            throw InputError("\"" + path_ +
                             "\" holds no frame that can be read: it is cut off right at the start. Copy it again.");
        }
    }

    void openDecoder() {
        const AVCodec* codec = avcodec_find_decoder(stream_->codecpar->codec_id);
        if (!codec) {
            throw InputError("\"" + path_ + "\" is coded as " +
                             std::string(avcodec_get_name(stream_->codecpar->codec_id)) +
                             ", for which no decoder is installed. Convert it to ProRes, H.264 or numbered stills.");
        }
        decoder_.reset(avcodec_alloc_context3(codec));
        avcodec_parameters_to_context(decoder_.get(), stream_->codecpar);
        decoder_->thread_count = 0;
        decoder_->pkt_timebase = stream_->time_base;
        const int code = avcodec_open2(decoder_.get(), codec, nullptr);
        if (code < 0)
            throw InputError("\"" + path_ + "\" can't be decoded. Convert it to ProRes, H.264 or numbered stills.",
                             avMessage(code));
    }

    void fillInfo() {
        const AVCodecParameters& par = *stream_->codecpar;
        info_.spec = path_;
        info_.format = codecLabel(par.codec_id);
        const AVRational aspect = av_guess_sample_aspect_ratio(container_.get(), stream_, nullptr);
        if (aspect.num > 0 && aspect.den > 0) info_.pixelAspect = reduced(aspect.num, aspect.den);
        info_.frames = {firstMovieFrame, firstMovieFrame + int(stamps_.size()) - 1};
        if (const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(AVPixelFormat(par.format))) info_.bits = d->comp[0].depth;
        if (par.color_trc == AVCOL_TRC_LINEAR) info_.encoding = PictureEncoding::linear;
        if (par.color_trc == AVCOL_TRC_LOG || par.color_trc == AVCOL_TRC_LOG_SQRT)
            info_.encoding = PictureEncoding::log;
        if (const uint8_t* matrix = av_stream_get_side_data(stream_, AV_PKT_DATA_DISPLAYMATRIX, nullptr)) {
            const double angle = -av_display_rotation_get(reinterpret_cast<const int32_t*>(matrix));
            info_.rotation = ((int(std::lround(angle / 90)) * 90) % 360 + 360) % 360;
        }
        const bool turned = info_.rotation % 180 != 0;
        info_.width = turned ? par.height : par.width;
        info_.height = turned ? par.width : par.height;
        if (turned) info_.pixelAspect = reduced(info_.pixelAspect.den, info_.pixelAspect.num);
        readTags();
        if (stream_->nb_frames > int64_t(stamps_.size())) endBeforeTheCut(stream_->nb_frames);
        readRate();
    }

    /// A file that breaks off leaves holes and half pictures at its end: the plate ends at the last frame before the
    /// first hole that can be decoded.
    void endBeforeTheCut(int64_t promised) {
        const AVRational guess = av_guess_frame_rate(container_.get(), stream_, nullptr);
        const double step = guess.num > 0 ? av_q2d(av_inv_q(guess)) / av_q2d(stream_->time_base) : 0;
        size_t whole = stamps_.size();
        for (size_t i = 1; i < stamps_.size(); ++i) {
            if (step > 0 && double(stamps_[i] - stamps_[i - 1]) > 1.5 * step) {
                whole = i;
                break;
            }
        }
        stamps_.resize(whole);
        for (int tries = 0; tries < 32 && stamps_.size() > 1; ++tries) {
            info_.frames.last = firstMovieFrame + int(stamps_.size()) - 1;
            try {
                decode(info_.frames.last);
                break;
            } catch (const InputError&) {
                stamps_.pop_back();
            }
        }
        info_.frames.last = firstMovieFrame + int(stamps_.size()) - 1;
        info_.warnings.push_back("The movie is cut off: it announces " + std::to_string(promised) + " frames, and " +
                                 std::to_string(stamps_.size()) + " can be read. Copy it again, or work with these.");
    }

    void readRate() {
        const AVRational guess = av_guess_frame_rate(container_.get(), stream_, nullptr);
        info_.rate = reduced(guess.num, guess.den);
        const double base = av_q2d(stream_->time_base);
        if (!info_.rate.positive()) {
            info_.rate = {24, 1};
            info_.rateAssumed = true;
        } else if (stamps_.size() > 2) {
            const double expected = 1.0 / info_.rate.value();
            double worst = 0;
            for (size_t i = 1; i < stamps_.size(); ++i)
                worst = std::max(worst, std::fabs(double(stamps_[i] - stamps_[i - 1]) * base - expected));
            // Coarse time bases round each stamp; half a frame is no rounding.
            if (worst > 0.5 * expected) {
                info_.warnings.push_back(
                    "The movie's frames are not evenly spaced in time (variable rate). Convert it to a "
                    "constant rate before the camera goes to another program.");
            }
        }
    }

    void readTags() {
        const auto tag = [&](const char* name) -> std::string {
            for (const AVDictionary* from : {stream_->metadata, container_->metadata})
                if (const AVDictionaryEntry* e = av_dict_get(from, name, nullptr, 0)) return e->value;
            return {};
        };
        info_.cameraMaker = tag("com.apple.quicktime.make");
        info_.cameraModel = tag("com.apple.quicktime.model");
        if (info_.cameraMaker.empty()) info_.cameraMaker = tag("make");
        if (info_.cameraModel.empty()) info_.cameraModel = tag("model");
    }

    static std::string codecLabel(AVCodecID id) {
        switch (id) {
            case AV_CODEC_ID_H264: return "H.264";
            case AV_CODEC_ID_HEVC: return "H.265";
            case AV_CODEC_ID_PRORES: return "ProRes";
            case AV_CODEC_ID_MJPEG: return "Motion JPEG";
            default: return avcodec_get_name(id);
        }
    }

    /// Makes `picture_` the decoded frame: goes on decoding where possible, else jumps to the nearest start before it.
    void decode(int frame) {
        if (!info_.frames.contains(frame)) {
            throw InputError("Frame " + std::to_string(frame) + " is outside of \"" + path_ + "\", which has " +
                             std::to_string(info_.frames.first) + "–" + std::to_string(info_.frames.last) + ".");
        }
        const int64_t wanted = stamps_[size_t(frame - firstMovieFrame)];
        if (picture_ && pictureStamp_ == wanted) return;
        const auto start = std::upper_bound(starts_.begin(), starts_.end(), wanted);
        // Going on is cheaper than a jump unless a start lies between here and there that is not simply the next frame.
        const int64_t nearestStart = start == starts_.begin() ? stamps_.front() : *std::prev(start);
        const bool next =
            picture_ && *std::upper_bound(stamps_.begin(), std::prev(stamps_.end()), pictureStamp_) == wanted;
        const bool goOn = picture_ && wanted > pictureStamp_ && (next || nearestStart <= pictureStamp_);
        if (!goOn) jump(nearestStart);
        if (decodeUntil(wanted)) return;
        jump(stamps_.front());  // some files mark starts that are none: go through from the beginning once
        if (decodeUntil(wanted)) return;
        picture_.reset();
        throw InputError("Frame " + std::to_string(frame) + " of \"" + path_ +
                         "\" can't be decoded: the file is damaged there. "
                         "Shorten the range to leave it out, or copy the file again.");
    }

    void jump(int64_t stamp) {
        av_seek_frame(container_.get(), streamIndex_, stamp, AVSEEK_FLAG_BACKWARD);
        avcodec_flush_buffers(decoder_.get());
        draining_ = false;
        picture_.reset();
    }

    bool decodeUntil(int64_t wanted) {
        std::unique_ptr<AVPacket, PacketCloser> packet(av_packet_alloc());
        std::unique_ptr<AVFrame, FrameCloser> frame(av_frame_alloc());
        while (true) {
            const int got = avcodec_receive_frame(decoder_.get(), frame.get());
            if (got == 0) {
                const int64_t stamp = frame->pts != AV_NOPTS_VALUE ? frame->pts : frame->best_effort_timestamp;
                if (stamp == wanted) {
                    picture_ = std::move(frame);
                    pictureStamp_ = stamp;
                    return true;
                }
                if (stamp > wanted) return false;
                av_frame_unref(frame.get());
                continue;
            }
            if (got != AVERROR(EAGAIN)) return false;
            if (draining_) return false;
            if (av_read_frame(container_.get(), packet.get()) < 0) {
                draining_ = true;
                avcodec_send_packet(decoder_.get(), nullptr);
                continue;
            }
            if (packet->stream_index == streamIndex_) avcodec_send_packet(decoder_.get(), packet.get());
            av_packet_unref(packet.get());
        }
    }

    /// The Y channel where there is one, so that no colour conversion costs time or precision; else through RGB.
    Luma lumaOf(const AVFrame& f) {
        const AVPixFmtDescriptor& d = *av_pix_fmt_desc_get(AVPixelFormat(f.format));
        const bool rgb = d.flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_BAYER);
        if (rgb || (d.flags & (AV_PIX_FMT_FLAG_BE | AV_PIX_FMT_FLAG_BITSTREAM | AV_PIX_FMT_FLAG_FLOAT))) {
            const DisplayPicture shown = displayOf(f);
            Luma out(shown.width, shown.height);
            for (size_t i = 0; i < out.data.size(); ++i) {
                const uint32_t p = shown.data[i];
                out.data[i] = 0.2126f * float(p >> 16 & 255) + 0.7152f * float(p >> 8 & 255) + 0.0722f * float(p & 255);
            }
            return out;
        }
        Luma out = std::exchange(spare_, {});
        out.width = f.width;
        out.height = f.height;
        out.data.resize(size_t(f.width) * size_t(f.height));
        const int depth = d.comp[0].depth, shift = d.comp[0].shift, step = d.comp[0].step, offset = d.comp[0].offset;
        const bool full = f.color_range == AVCOL_RANGE_JPEG || d.nb_components < 3;
        const float top = float((1 << depth) - 1), unit = float(1 << depth) / 256.0f;
        const float scale = full ? 255.0f / top : 255.0f / (219.0f * unit), black = full ? 0.0f : 16.0f * unit;
        for (int y = 0; y < f.height; ++y) {
            const uint8_t* in = f.data[0] + ptrdiff_t(y) * f.linesize[0] + offset;
            float* to = out.row(y);
            if (depth <= 8 && step == 1) {
                lumaOfBytes(in, f.width, black, scale, to);
            } else if (depth > 8 && step == 2 && reinterpret_cast<uintptr_t>(in) % 2 == 0) {
                lumaOfWords(reinterpret_cast<const uint16_t*>(in), f.width, shift, black, scale, to);
            } else if (depth <= 8) {
                for (int x = 0; x < f.width; ++x) to[x] = (float(in[ptrdiff_t(x) * step]) - black) * scale;
            } else {
                for (int x = 0; x < f.width; ++x) {
                    const uint8_t* p = in + ptrdiff_t(x) * step;
                    to[x] = (float((p[0] | p[1] << 8) >> shift) - black) * scale;
                }
            }
        }
        return out;
    }

    DisplayPicture displayOf(const AVFrame& f) {
        DisplayPicture out(f.width, f.height);
        convert(f, AV_PIX_FMT_BGRA, reinterpret_cast<uint8_t*>(out.data.data()), f.width * 4);
        return out;
    }

    void convert(const AVFrame& f, AVPixelFormat to, uint8_t* out, int stride) {
        scaler_.reset(sws_getCachedContext(scaler_.release(), f.width, f.height, AVPixelFormat(f.format), f.width,
                                           f.height, to, SWS_BILINEAR | SWS_ACCURATE_RND, nullptr, nullptr, nullptr));
        if (!scaler_)
            throw InputError("The colours of \"" + path_ +
                             "\" can't be read. Convert it to ProRes, H.264 or numbered stills.");
        // An unmarked picture of HD size is BT.709, a smaller one BT.601: common practice of players.
        int matrix =
            f.colorspace == AVCOL_SPC_UNSPECIFIED ? (f.height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601) : f.colorspace;
        const int full = f.color_range == AVCOL_RANGE_JPEG;
        sws_setColorspaceDetails(scaler_.get(), sws_getCoefficients(matrix), full, sws_getCoefficients(SWS_CS_DEFAULT),
                                 1, 0, 1 << 16, 1 << 16);
        uint8_t* planes[4] = {out, nullptr, nullptr, nullptr};
        const int strides[4] = {stride, 0, 0, 0};
        sws_scale(scaler_.get(), f.data, f.linesize, 0, f.height, planes, strides);
    }

    std::string path_;
    std::unique_ptr<AVFormatContext, FormatCloser> container_;
    std::unique_ptr<AVCodecContext, CodecCloser> decoder_;
    std::unique_ptr<SwsContext, ScalerCloser> scaler_;
    AVStream* stream_ = nullptr;
    int streamIndex_ = -1;
    std::vector<int64_t> stamps_, starts_;
    std::unique_ptr<AVFrame, FrameCloser> picture_;
    int64_t pictureStamp_ = 0;
    bool draining_ = false;
};

}  // namespace

std::unique_ptr<PlateSource> openMovie(const std::string& path) { return std::make_unique<MovieSource>(path); }

}  // namespace va
