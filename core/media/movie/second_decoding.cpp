// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/second_decoding.h"

extern "C" {
#include <libavutil/pixdesc.h>
}

#include <cstring>

#include "media/movie/open_decoder.h"

namespace va {
namespace {

/// Decoders that mend damage with libav's common error concealment, which can be turned off.
bool mendsDamage(AVCodecID id) {
    switch (id) {
        case AV_CODEC_ID_H264:
        case AV_CODEC_ID_MPEG1VIDEO:
        case AV_CODEC_ID_MPEG2VIDEO:
        case AV_CODEC_ID_MPEG4:
        case AV_CODEC_ID_MSMPEG4V1:
        case AV_CODEC_ID_MSMPEG4V2:
        case AV_CODEC_ID_MSMPEG4V3:
        case AV_CODEC_ID_H263:
        case AV_CODEC_ID_FLV1:
        case AV_CODEC_ID_WMV1:
        case AV_CODEC_ID_WMV2: return true;
        default: return false;
    }
}

/// Memory for a picture, filled with stripes of dark and light: what is not decoded looks like nothing that was filmed,
/// and the same every time.
int striped(AVCodecContext* decoder, AVFrame* picture, int flags) {
    const int code = avcodec_default_get_buffer2(decoder, picture, flags);
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(AVPixelFormat(picture->format));
    if (code < 0 || !d) return code;
    const int depth = d->comp[0].depth;
    for (int plane = 0; plane < AV_NUM_DATA_POINTERS && picture->data[plane]; ++plane) {
        const AVBufferRef* memory = av_frame_get_plane_buffer(picture, plane);
        if (!memory || picture->linesize[plane] <= 0) continue;
        const auto size = size_t(memory->data + memory->size - picture->data[plane]);
        for (size_t i = 0; i + 4 <= size; i += 4) {
            const auto dark = uint16_t(1 << (depth - 3)), light = uint16_t(7 << (depth - 3));
            const uint8_t small[4] = {uint8_t(dark), uint8_t(dark), uint8_t(light), uint8_t(light)};
            const uint16_t large[2] = {dark, light};
            std::memcpy(picture->data[plane] + i, depth > 8 ? static_cast<const void*>(large) : small, 4);
        }
    }
    return code;
}

/// As many pictures as a decoder may hold back; more wait for nobody.
constexpr size_t mostWaiting = 40;

}  // namespace

SecondDecoding::SecondDecoding(const AVStream& stream, const std::string& path, std::function<bool(int)> damaged)
    : damaged_(std::move(damaged)),
      decoder_(openDecoder(stream, path, false)),
      leavesOut_(!mendsDamage(stream.codecpar->codec_id)) {
    decoder_->error_concealment = 0;
    decoder_->get_buffer2 = striped;
}

void SecondDecoding::give(const AVPacket& packet) {
    decode();  // the first is through with the one that waits
    waiting_.reset(av_packet_clone(&packet));
}

AvPointer<AVFrame> SecondDecoding::take(int ordinal) {
    decode();
    const auto found = pictures_.find(ordinal);
    if (found == pictures_.end()) return nullptr;
    AvPointer<AVFrame> out = std::move(found->second);
    pictures_.erase(found);
    return out;
}

void SecondDecoding::decode() {
    if (waiting_) {
        const AvPointer<AVPacket> packet = std::move(waiting_);
        if (!leavesOut_ || !damaged_(int(packet->pts))) {
            decoder_->reordered_opaque = packet->pts;
            if (avcodec_send_packet(decoder_.get(), packet.get()) == AVERROR(EAGAIN)) {
                receive();
                avcodec_send_packet(decoder_.get(), packet.get());
            }
        }
    } else if (ended_ && !drained_) {
        drained_ = true;
        avcodec_send_packet(decoder_.get(), nullptr);
    }
    receive();
}

void SecondDecoding::receive() {
    while (true) {
        AvPointer<AVFrame> picture(av_frame_alloc());
        const int got = avcodec_receive_frame(decoder_.get(), picture.get());
        if (got != 0) return;  // more packets are wanted, or this one gave nothing
        pictures_[int(picture->pts)] = std::move(picture);
        while (pictures_.size() > mostWaiting) pictures_.erase(pictures_.begin());
    }
}

}  // namespace va
