// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie_writer.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

#include "base/error.h"
#include "base/parallel.h"
#include "base/part_file.h"
#include "base/text.h"

namespace va {
namespace {

struct MovieKind {
    const char* ending;
    const char* encoder;
    AVPixelFormat format;
    std::vector<std::pair<const char*, const char*>> options;
    bool rgb = false;
};
/// All kinds; a longer ending stands before one that it ends in. A new one is a line.
const std::vector<MovieKind>& movieKinds() {
    static const std::vector<MovieKind> all{
        {".h265.mp4",
         "libx265",
         AV_PIX_FMT_YUV420P10LE,
         {{"crf", "14"}, {"preset", "medium"}, {"x265-params", "log-level=none"}}},
        {".mp4", "libx264", AV_PIX_FMT_YUV420P, {{"crf", "12"}, {"preset", "medium"}}},
        {".mov", "prores_ks", AV_PIX_FMT_YUV422P10LE, {{"profile", "hq"}}},
        {".mkv", "ffv1", AV_PIX_FMT_GBRP16LE, {{"level", "3"}, {"slices", "4"}}, true}};
    return all;
}
const MovieKind* movieKindOf(const std::filesystem::path& path) {
    const std::string name = lowerCase(path.filename().string());
    for (const MovieKind& k : movieKinds())
        if (name.ends_with(k.ending)) return &k;
    return nullptr;
}

}  // namespace

bool isMovieName(const std::filesystem::path& path) { return movieKindOf(path) != nullptr; }

std::string movieEndings() {
    std::string out;
    for (const MovieKind& k : movieKinds()) {
        if (!out.empty()) out += ", ";
        out += k.ending;
    }
    return out;
}

struct MovieWriter::Held {
    std::filesystem::path path;
    AVFormatContext* file = nullptr;
    AVCodecContext* codec = nullptr;
    AVStream* stream = nullptr;
    AVFrame* frame = nullptr;
    AVPacket* packet = nullptr;
    SwsContext* convert = nullptr;
    std::vector<uint16_t> words;
    int width = 0, height = 0;
    int64_t next = 0;
    std::optional<PartFile> place;

    ~Held() {
        sws_freeContext(convert);
        av_packet_free(&packet);
        av_frame_free(&frame);
        avcodec_free_context(&codec);
        if (file) {
            if (file->pb) avio_closep(&file->pb);
            avformat_free_context(file);
        }
    }

    [[noreturn]] void fail(int code) const {
        char detail[128] = {};
        av_strerror(code, detail, sizeof detail);
        throw InputError(
            text("The movie \"%s\" can't be written. Check the folder and the free space, or write stills.",
                 path.string().c_str()),
            detail);
    }
    void check(int code) const {
        if (code < 0) fail(code);
    }

    void drain() {
        while (true) {
            const int code = avcodec_receive_packet(codec, packet);
            if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) return;
            check(code);
            av_packet_rescale_ts(packet, codec->time_base, stream->time_base);
            packet->stream_index = stream->index;
            check(av_interleaved_write_frame(file, packet));
        }
    }
};

MovieWriter::MovieWriter(const std::filesystem::path& path, int width, int height, const Rational& rate)
    : held_(std::make_unique<Held>()) {
    Held& h = *held_;
    h.path = path;
    h.place.emplace(path);
    const MovieKind* kind = movieKindOf(path);
    if (!kind)
        throw InputError(text("\"%s\": movies are written as %s.", path.string().c_str(), movieEndings().c_str()));
    const AVCodec* encoder = avcodec_find_encoder_by_name(kind->encoder);
    if (!encoder) throw InputError(text("This machine's FFmpeg can't write %s. Write stills.", kind->ending));
    h.width = width & ~1;
    h.height = height & ~1;
    h.check(avformat_alloc_output_context2(&h.file, nullptr, nullptr, path.c_str()));
    h.codec = avcodec_alloc_context3(encoder);
    // Encoders tell much about themselves; only what goes wrong is for people.
    h.codec->log_level_offset = AV_LOG_INFO - AV_LOG_ERROR;
    h.codec->width = h.width;
    h.codec->height = h.height;
    h.codec->time_base = {int(rate.den), int(rate.num)};
    h.codec->framerate = {int(rate.num), int(rate.den)};
    h.codec->pix_fmt = kind->format;
    h.codec->colorspace = kind->rgb ? AVCOL_SPC_RGB : AVCOL_SPC_BT709;
    h.codec->color_primaries = AVCOL_PRI_BT709;
    h.codec->color_trc = AVCOL_TRC_BT709;
    h.codec->color_range = kind->rgb ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
    h.codec->thread_count = threadCount();
    for (const auto& [key, value] : kind->options) av_opt_set(h.codec, key, value, AV_OPT_SEARCH_CHILDREN);
    // What players of Apple's look for.
    if (h.codec->codec_id == AV_CODEC_ID_HEVC) h.codec->codec_tag = MKTAG('h', 'v', 'c', '1');
    if (h.file->oformat->flags & AVFMT_GLOBALHEADER) h.codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    h.check(avcodec_open2(h.codec, encoder, nullptr));
    h.stream = avformat_new_stream(h.file, nullptr);
    if (!h.stream) h.fail(AVERROR(ENOMEM));
    h.stream->time_base = h.codec->time_base;
    h.stream->avg_frame_rate = h.codec->framerate;
    h.check(avcodec_parameters_from_context(h.stream->codecpar, h.codec));
    h.check(avio_open(&h.file->pb, h.place->part().c_str(), AVIO_FLAG_WRITE));
    // Readers of small pictures in .mov would take them for the older matrix.
    av_opt_set(h.file->priv_data, "movflags", "+write_colr", 0);
    h.check(avformat_write_header(h.file, nullptr));
    h.frame = av_frame_alloc();
    h.frame->format = h.codec->pix_fmt;
    h.frame->width = h.width;
    h.frame->height = h.height;
    // One of the encoders takes what it writes about colour from the frames.
    h.frame->colorspace = h.codec->colorspace;
    h.frame->color_primaries = h.codec->color_primaries;
    h.frame->color_trc = h.codec->color_trc;
    h.frame->color_range = h.codec->color_range;
    h.check(av_frame_get_buffer(h.frame, 0));
    h.packet = av_packet_alloc();
    h.convert = sws_getContext(h.width, h.height, AV_PIX_FMT_RGB48LE, h.width, h.height, h.codec->pix_fmt,
                               SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INP, nullptr, nullptr, nullptr);
    if (!h.convert) h.fail(AVERROR(EINVAL));
    const int* table = sws_getCoefficients(SWS_CS_ITU709);
    if (!kind->rgb) sws_setColorspaceDetails(h.convert, table, 1, table, 0, 0, 1 << 16, 1 << 16);
    h.words.resize(size_t(h.width) * size_t(h.height) * 3);
}

MovieWriter::~MovieWriter() = default;

void MovieWriter::write(const Picture& picture) {
    Held& h = *held_;
    parallelRanges(h.height, 16, [&](int begin, int end) {
        for (int y = begin; y < end; ++y) {
            uint16_t* to = h.words.data() + size_t(y) * size_t(h.width) * 3;
            const float* from = picture.at(0, y);
            for (int x = 0; x < h.width; ++x, from += 4)
                for (int c = 0; c < 3; ++c) *to++ = uint16_t(std::lround(std::clamp(from[c], 0.0f, 1.0f) * 65535));
        }
    });
    h.check(av_frame_make_writable(h.frame));
    const uint8_t* planes[1] = {reinterpret_cast<const uint8_t*>(h.words.data())};
    const int stride[1] = {h.width * 6};
    sws_scale(h.convert, planes, stride, 0, h.height, h.frame->data, h.frame->linesize);
    h.frame->pts = h.next++;
    h.check(avcodec_send_frame(h.codec, h.frame));
    h.drain();
}

void MovieWriter::finish() {
    Held& h = *held_;
    h.check(avcodec_send_frame(h.codec, nullptr));
    h.drain();
    h.check(av_write_trailer(h.file));
    // A full disk may show only when the last bytes are handed over.
    const int written = h.file->pb->error;
    const int closed = avio_closep(&h.file->pb);
    h.check(written);
    h.check(closed);
    if (const int code = h.place->commit(); code != 0) h.fail(AVERROR(code));
}

}  // namespace va
