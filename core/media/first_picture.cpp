// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/first_picture.h"

#include "base/error.h"
#include "base/text.h"
#include "media/isolated/isolated_plate.h"
#include "media/movie/frame_colour.h"
#include "media/movie/open_decoder.h"
#include "media/movie/packet_reader.h"
#include "media/plate_locator.h"

namespace va {
namespace {

/// Packets after which a movie is given up: it begins in the middle, far from where decoding can begin.
constexpr int mostPackets = 600;

DisplayPicture firstOfMovie(const std::string& path, int stream) {
    PacketReader reader(path, stream);
    const AvPointer<AVCodecContext> decoder = openDecoder(reader.stream(), path, false);
    const AvPointer<AVPacket> packet(av_packet_alloc());
    const AvPointer<AVFrame> frame(av_frame_alloc());
    for (int n = 0; n < mostPackets; ++n) {
        avcodec_send_packet(decoder.get(), reader.read(*packet) ? packet.get() : nullptr);
        const int code = avcodec_receive_frame(decoder.get(), frame.get());
        if (code == AVERROR_EOF) break;
        if (code == 0 && !(frame->flags & AV_FRAME_FLAG_CORRUPT))
            return upright(FrameConverter(path).display(*frame), orientationOf(reader.stream()));
    }
    throw InputError(text("\"%s\" holds no frame that can be decoded. Copy it again.", path.c_str()));
}

}  // namespace

DisplayPicture firstPicture(const std::string& spec, std::optional<int> stream) {
    if (platesAreIsolated()) return firstPictureIsolated(spec, stream.value_or(-1));
    const PlateLocation at = locatePlate(spec);
    if (at.kind == PlateLocation::Kind::movie) return firstOfMovie(at.spec, stream.value_or(-1));
    return openStill(at.stills.begin()->second.string())->display(1);
}

}  // namespace va
