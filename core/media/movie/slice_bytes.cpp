// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/movie/slice_bytes.h"

#include <algorithm>
#include <cstring>

namespace va {
namespace {

/// Position of the first three bytes that may not be there; `end` where there are none.
const uint8_t* firstIllegal(const uint8_t* at, const uint8_t* end) {
    while (end - at >= 3) {
        at = static_cast<const uint8_t*>(std::memchr(at, 0, size_t(end - at - 2)));
        if (!at) return end;
        if (at[1] == 0 && at[2] < 3) return at;
        ++at;
    }
    return end;
}

/// Zeros at the end of a unit that may be padding.
constexpr int mostPadding = 32;

}  // namespace

int unitLengthBytes(const AVCodecParameters& p) {
    if (p.codec_id == AV_CODEC_ID_H264 && p.extradata_size > 6 && p.extradata[0] == 1) return (p.extradata[4] & 3) + 1;
    const bool configuration = p.codec_id == AV_CODEC_ID_HEVC && p.extradata_size > 22 &&
                               (p.extradata[0] || p.extradata[1] || p.extradata[2] > 1);
    return configuration ? (p.extradata[21] & 3) + 1 : 0;
}

bool cutAtIllegalBytes(AVPacket& packet, int lengthBytes) {
    if (lengthBytes == 0) return false;
    bool cut = false;
    int64_t at = 0;
    while (packet.size - at > lengthBytes) {
        uint32_t length = 0;
        for (int i = 0; i < lengthBytes; ++i) length = length << 8 | packet.data[at + i];
        const int64_t begin = at + lengthBytes, end = std::min<int64_t>(begin + length, packet.size);
        const auto keep = int64_t(firstIllegal(packet.data + begin, packet.data + end) - packet.data);
        if (keep == end) {
            at = end;
            continue;
        }
        cut = cut || end - keep > mostPadding ||
              std::any_of(packet.data + keep, packet.data + end, [](uint8_t b) { return b != 0; });
        if (av_packet_make_writable(&packet) < 0) return cut;
        const auto shorter = uint32_t(keep - begin);
        for (int i = 0; i < lengthBytes; ++i) packet.data[at + i] = uint8_t(shorter >> (8 * (lengthBytes - 1 - i)));
        std::memmove(packet.data + keep, packet.data + end, size_t(packet.size - end));
        av_shrink_packet(&packet, int(packet.size - (end - keep)));
        at = keep;
    }
    return cut;
}

}  // namespace va
