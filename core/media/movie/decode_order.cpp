// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/decode_order.h"

#include "media/movie/open_decoder.h"
#include "media/movie/packet_reader.h"

namespace va {

std::vector<DecodedPicture> decodeOrder(const std::string& path, int stream, int pictures, Progress* progress,
                                        std::vector<int>* rejected) {
    PacketReader reader(path, stream, progress);
    const AvPointer<AVCodecContext> decoder = openDecoder(reader.stream(), path, !rejected);
    decoder->skip_idct = AVDISCARD_ALL;
    decoder->skip_loop_filter = AVDISCARD_ALL;
    const AvPointer<AVPacket> packet(av_packet_alloc());
    const AvPointer<AVFrame> frame(av_frame_alloc());
    std::vector<DecodedPicture> out;
    const auto receive = [&](int ordinal) {
        for (int errors = 0; int(out.size()) < pictures && errors < 64;) {
            const int code = avcodec_receive_frame(decoder.get(), frame.get());
            if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) return;
            if (code < 0) {  // of one packet; the next ones are asked for all the same
                ++errors;
                if (rejected) rejected->push_back(ordinal);
                continue;
            }
            out.push_back({int(frame->pts), frame->decode_error_flags == 0 && !(frame->flags & AV_FRAME_FLAG_CORRUPT)});
            av_frame_unref(frame.get());
        }
    };
    while (int(out.size()) < pictures && reader.read(*packet)) {
        if (progress) progress->check();
        packet->pts = packet->dts = reader.ordinal();
        const int code = avcodec_send_packet(decoder.get(), packet.get());
        if (code < 0 && code != AVERROR(EAGAIN) && rejected) rejected->push_back(reader.ordinal());
        receive(reader.ordinal());
    }
    avcodec_send_packet(decoder.get(), nullptr);
    receive(reader.ordinal());
    return out;
}

}  // namespace va
