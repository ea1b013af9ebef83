// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>

#include "media/movie/av_handles.h"
#include "media/movie/movie_index.h"

namespace va {

/// Reads what the codec's own headers say of a packet's picture, without decoding it: type, picture order, whether
/// decoding can begin there, whether the packet shows a picture of its own.
///
/// H.264 (ITU-T H.264, 7.3 and 8.2.1) and H.265 (ITU-T H.265, 7.4.2.2): network abstraction layer units up to the first
/// slice, recovery point messages, picture order count. MPEG-1, 2, 4 and VC-1: picture types. VP8 (RFC 6386, 9.1): the
/// show-frame bit. Other codecs: what the container says stands.
class PictureHeaders {
  public:
    explicit PictureHeaders(const AVCodecParameters& parameters);
    /// To be called with every packet in the order of the file.
    void look(const AVPacket& packet, MoviePacket& out);
    /// Whether pictures may be shown in another order than they are stored in.
    [[nodiscard]] bool reorders() const { return reorders_; }
    /// Whether a picture order was found in the headers so far (of types, or of counts).
    [[nodiscard]] bool hasCounts() const { return counts_; }
    [[nodiscard]] bool hasTypes() const { return types_; }
    [[nodiscard]] bool fields() const { return fields_; }

  private:
    struct Unit {
        int type = -1;
        const uint8_t* data = nullptr;
        int size = 0;
    };
    struct UnitReader {
        const uint8_t *at, *end;
        int lengthBytes;
        bool next(Unit& unit, bool hevc);
    };
    void lookAtUnits(const AVPacket& packet, MoviePacket& out);

    AVCodecID codec_;
    AvPointer<AVCodecParserContext> parser_;
    AvPointer<AVCodecContext> context_;
    bool reorders_ = false, counts_ = false, types_ = false, fields_ = false, dropLeading_ = true, first_ = true;
    int lengthBytes_ = 0;  ///< of the units' sizes; 0 = start codes
    int openField_ = 0;    ///< parity of a first field that waits for its second one; 0 = none
};

}  // namespace va
