// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/frame_colour.h"

extern "C" {
#include <libavutil/pixdesc.h>
#include <libswscale/swscale.h>
}

#include "base/cpu_clones.h"
#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

/// The planar formats' rows, which nearly all movies have.
VA_CPU_CLONES void lumaOfBytes(const uint8_t* in, int n, float black, float scale, float* out) {
    for (int x = 0; x < n; ++x) out[x] = (float(in[x]) - black) * scale;
}

VA_CPU_CLONES void lumaOfWords(const uint16_t* in, int n, int shift, float black, float scale, float* out) {
    for (int x = 0; x < n; ++x) out[x] = (float(in[x] >> shift) - black) * scale;
}

const AVPixFmtDescriptor& descriptor(const AVFrame& f) { return *av_pix_fmt_desc_get(AVPixelFormat(f.format)); }

/// Formats whose full range is in their name (Motion JPEG's old ones), and grey, which is full by definition.
bool fullByFormat(const AVFrame& f, const AVPixFmtDescriptor& d) {
    switch (f.format) {
        case AV_PIX_FMT_YUVJ411P:
        case AV_PIX_FMT_YUVJ420P:
        case AV_PIX_FMT_YUVJ422P:
        case AV_PIX_FMT_YUVJ440P:
        case AV_PIX_FMT_YUVJ444P: return true;
        default: return d.nb_components < 3;
    }
}

}  // namespace

MovieColour MovieColour::of(const AVFrame& f) {
    const AVPixFmtDescriptor& d = descriptor(f);
    MovieColour out;
    out.rgb = d.flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_BAYER);
    out.full = out.rgb || f.color_range == AVCOL_RANGE_JPEG || fullByFormat(f, d);
    const bool tagged = f.colorspace != AVCOL_SPC_UNSPECIFIED && f.colorspace != AVCOL_SPC_RESERVED &&
                        (f.colorspace != AVCOL_SPC_RGB || out.rgb);
    out.guessed = !out.rgb && !tagged && d.nb_components >= 3;
    out.matrix = tagged ? f.colorspace : (f.width >= 1280 || f.height >= 720 ? AVCOL_SPC_BT709 : AVCOL_SPC_SMPTE170M);
    return out;
}

std::string MovieColour::words() const {
    if (rgb) return "RGB";
    const char* name = matrix == AVCOL_SPC_BT709                                         ? "BT.709"
                       : matrix == AVCOL_SPC_BT2020_NCL || matrix == AVCOL_SPC_BT2020_CL ? "BT.2020"
                       : matrix == AVCOL_SPC_SMPTE170M || matrix == AVCOL_SPC_BT470BG    ? "BT.601"
                                                                                         : nullptr;
    const std::string matrixName = name ? name : av_color_space_name(AVColorSpace(matrix));
    return matrixName + (guessed ? " assumed, " : ", ") + (full ? "full range" : "limited range");
}

void FrameConverter::ScalerDeleter::operator()(SwsContext* p) const { sws_freeContext(p); }

Luma FrameConverter::luma(const AVFrame& f, Luma spare) {
    const AVPixFmtDescriptor& d = descriptor(f);
    const MovieColour colour = MovieColour::of(f);
    Luma out = std::move(spare);
    out.width = f.width;
    out.height = f.height;
    out.data.resize(size_t(f.width) * size_t(f.height));
    if (colour.rgb || (d.flags & (AV_PIX_FMT_FLAG_BE | AV_PIX_FMT_FLAG_BITSTREAM | AV_PIX_FMT_FLAG_FLOAT))) {
        const DisplayPicture shown = display(f);
        for (size_t i = 0; i < out.data.size(); ++i) {
            const uint32_t p = shown.data[i];
            out.data[i] = 0.2126f * float(p >> 16 & 255) + 0.7152f * float(p >> 8 & 255) + 0.0722f * float(p & 255);
        }
        return out;
    }
    const int depth = d.comp[0].depth, shift = d.comp[0].shift, step = d.comp[0].step, offset = d.comp[0].offset;
    const float top = float((1 << depth) - 1), unit = float(1 << depth) / 256.0f;
    const float scale = colour.full ? 255.0f / top : 255.0f / (219.0f * unit),
                black = colour.full ? 0.0f : 16.0f * unit;
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

DisplayPicture FrameConverter::display(const AVFrame& f) {
    DisplayPicture out(f.width, f.height);
    uint8_t* planes[4] = {reinterpret_cast<uint8_t*>(out.data.data()), nullptr, nullptr, nullptr};
    const int strides[4] = {f.width * 4, 0, 0, 0};
    convert(f, AV_PIX_FMT_BGRA, planes, strides);
    return out;
}

Picture FrameConverter::colours(const AVFrame& f) {
    Picture out(f.width, f.height);
    const size_t n = size_t(f.width) * size_t(f.height);
    if (descriptor(f).flags & AV_PIX_FMT_FLAG_FLOAT) {
        std::vector<float> raw(4 * n);  // green, blue, red, alpha
        uint8_t* planes[4];
        int strides[4];
        for (int c = 0; c < 4; ++c) {
            planes[c] = reinterpret_cast<uint8_t*>(raw.data() + size_t(c) * n);
            strides[c] = f.width * 4;
        }
        convert(f, AV_PIX_FMT_GBRAPF32LE, planes, strides);
        for (size_t i = 0; i < n; ++i) {
            out.data[4 * i] = raw[2 * n + i];
            out.data[4 * i + 1] = raw[i];
            out.data[4 * i + 2] = raw[n + i];
            out.data[4 * i + 3] = raw[3 * n + i];
        }
        return out;
    }
    std::vector<uint16_t> raw(4 * n);
    uint8_t* planes[4] = {reinterpret_cast<uint8_t*>(raw.data()), nullptr, nullptr, nullptr};
    const int strides[4] = {f.width * 8, 0, 0, 0};
    convert(f, AV_PIX_FMT_RGBA64LE, planes, strides);
    for (size_t i = 0; i < raw.size(); ++i) out.data[i] = float(raw[i]) / 65535.0f;
    return out;
}

void FrameConverter::convert(const AVFrame& f, AVPixelFormat to, uint8_t* const planes[4], const int strides[4]) {
    scaler_.reset(sws_getCachedContext(scaler_.release(), f.width, f.height, AVPixelFormat(f.format), f.width, f.height,
                                       to, SWS_BILINEAR | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT, nullptr, nullptr,
                                       nullptr));
    if (!scaler_)
        throw InputError(text("The colours of \"%s\" can't be read. Convert it to ProRes, H.264 or numbered stills.",
                              path_.c_str()));
    const MovieColour colour = MovieColour::of(f);
    sws_setColorspaceDetails(scaler_.get(), sws_getCoefficients(colour.matrix), colour.full,
                             sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
    sws_scale(scaler_.get(), f.data, f.linesize, 0, f.height, planes, strides);
}

}  // namespace va
