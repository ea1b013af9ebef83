// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/open_decoder.h"

#include <cmath>
#include <cstring>

#include "base/error.h"
#include "base/text.h"

namespace va {

AvPointer<AVCodecContext> openDecoder(const AVStream& stream, const std::string& path, bool frameThreads) {
    const AVCodecParameters& par = *stream.codecpar;
    if (av_stream_get_side_data(&stream, AV_PKT_DATA_ENCRYPTION_INIT_INFO, nullptr) ||
        par.codec_tag == MKTAG('e', 'n', 'c', 'v') || par.codec_tag == MKTAG('d', 'r', 'm', 'i'))
        throw InputError(text("\"%s\" is encrypted. Ask for a copy without protection.", path.c_str()));
    const AVCodec* codec = avcodec_find_decoder(par.codec_id);
    if (!codec) {
        char tag[AV_FOURCC_MAX_STRING_SIZE] = {};
        const std::string name = par.codec_id == AV_CODEC_ID_NONE
                                     ? text("an unknown codec (%s)", av_fourcc_make_string(tag, par.codec_tag))
                                     : avcodec_get_name(par.codec_id);
        throw InputError(text(
            "\"%s\" is coded as %s, for which no decoder is installed. Convert it to ProRes, H.264 or numbered stills.",
            path.c_str(), name.c_str()));
    }
    AvPointer<AVCodecContext> decoder(avcodec_alloc_context3(codec));
    avcodec_parameters_to_context(decoder.get(), &par);
    decoder->thread_count = frameThreads ? 0 : 1;
    decoder->pkt_timebase = stream.time_base;
    // What the decoder has to patch up is handed out too, and marked: it is shown, and kept out of the match.
    decoder->flags |= AV_CODEC_FLAG_OUTPUT_CORRUPT;
    decoder->err_recognition |= AV_EF_CRCCHECK;
    const int code = avcodec_open2(decoder.get(), codec, nullptr);
    if (code < 0)
        throw InputError(text("\"%s\" can't be decoded (%s). Convert it to ProRes, H.264 or numbered stills.",
                              path.c_str(), codecLabel(par.codec_id).c_str()),
                         avMessage(code));
    return decoder;
}

Orientation orientationOf(const AVStream& stream) {
    const uint8_t* data = av_stream_get_side_data(&stream, AV_PKT_DATA_DISPLAYMATRIX, nullptr);
    if (!data) return {};
    int32_t m[9];
    std::memcpy(m, data, sizeof m);
    Orientation out;
    // x' = m0 x + m3 y, y' = m1 x + m4 y (ISO/IEC 14496-12, 8.3.2).
    double a = m[0], b = m[1];
    out.mirrored = double(m[0]) * m[4] - double(m[1]) * m[3] < 0;
    if (out.mirrored) a = -a, b = -b;
    if (a == 0 && b == 0) return {};
    out.rotation = ((int(std::lround(std::atan2(b, a) / (M_PI / 2))) * 90) % 360 + 360) % 360;
    return out;
}

std::string codecLabel(AVCodecID id) {
    switch (id) {
        case AV_CODEC_ID_H264: return "H.264";
        case AV_CODEC_ID_HEVC: return "H.265";
        case AV_CODEC_ID_PRORES: return "ProRes";
        case AV_CODEC_ID_MJPEG: return "Motion JPEG";
        case AV_CODEC_ID_MPEG4: return "MPEG-4";
        case AV_CODEC_ID_MPEG2VIDEO: return "MPEG-2";
        case AV_CODEC_ID_MPEG1VIDEO: return "MPEG-1";
        case AV_CODEC_ID_DNXHD: return "DNxHD";
        case AV_CODEC_ID_AV1: return "AV1";
        case AV_CODEC_ID_VP8: return "VP8";
        case AV_CODEC_ID_VP9: return "VP9";
        default: return avcodec_get_name(id);
    }
}

}  // namespace va
