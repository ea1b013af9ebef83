// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "base/progress.h"

namespace va {

/// One packet of the video stream, as the demuxer gives it.
struct MoviePacket {
    static constexpr int64_t noStamp = INT64_MIN;
    int64_t pts = noStamp, dts = noStamp;  ///< units of the stream's time base
    int64_t position = -1;                 ///< byte in the file; −1 when the container does not tell
    uint32_t size = 0;                     ///< bytes
    uint32_t hash = 0;                     ///< of its bytes: tells packets apart after a jump
    int32_t pictureOrder = 0;              ///< the codec's picture order count, where there is one
    /// Decoding can begin here: 0 for a packet from which all later pictures are right, N for one from which they are
    /// right after N more packets (gradual refresh), −1 for none.
    int16_t startAfter = -1;
    char type = '?';       ///< 'I', 'P', 'B' or '?', from the codec's own headers
    bool discard = false;  ///< decoded, but the container's edit list leaves its picture out
    bool hidden = false;   ///< gives no picture of its own: a second field, a frame that is never shown
    bool resets = false;   ///< the picture order starts anew here
    bool corrupt = false;  ///< the container says that bytes are missing
    bool leaf = false;     ///< no other picture is coded as a change of it, by the codec's own headers
};

/// What one pass over the packets of a movie's video stream tells: which pictures there are, in which order they are
/// shown, and where decoding can begin. Nothing is decoded but what is needed to settle a doubt.
///
/// Pictures are named by the number of their packet in the order of the file ("ordinal"), never by a time stamp:
/// stamps may be missing, equal, or those of another picture. Presentation order comes from the stamps where they are
/// all there, all different, and agree with the codec's own picture order; else from the codec's picture order (picture
/// order count in H.264 and H.265, picture types in MPEG-1, 2 and 4); where these contradict each other, the decoder is
/// asked.
struct MovieIndex {
    /// How the presentation order was found.
    enum class Order : uint8_t { stamps, pictures, decoded };

    int stream = -1;                   ///< in the container
    std::vector<MoviePacket> packets;  ///< in the order of the file; the position here is the ordinal
    std::vector<int> frames;           ///< ordinals in presentation order
    std::vector<int64_t> times;        ///< of `frames`, in units of the time base, rising; empty when nothing tells
    Order order = Order::stamps;
    bool fields = false;  ///< some packets hold single fields

    /// Position in presentation order of each ordinal; −1 for packets without a picture of their own.
    [[nodiscard]] std::vector<int> placesOfPackets() const;
    /// The ordinal where decoding has to begin so that the picture in `position` comes out as it does when decoding
    /// from the first packet on.
    [[nodiscard]] int startFor(int index) const;
    /// Ordinals at which decoding can begin, rising. Made by listStarts().
    std::vector<int> starts;
    /// For each of `starts`, the first position in presentation order that it serves.
    std::vector<int> startPlaces;
    void listStarts();
};

/// Reads all packets of the video stream of `path`; `stream` −1 takes the largest that is no cover picture. With a
/// cache folder, a pass that took long is kept there under the file's fingerprint (size, time of change, first and last
/// bytes) and not made again. Throws InputError: no video, no packet that can be read; Cancelled.
MovieIndex indexMovie(const std::string& path, int stream = -1, Progress* progress = nullptr);

/// The same without any cache.
MovieIndex readMovieIndex(const std::string& path, int stream, Progress* progress);

/// Streams with moving pictures, in the order of the container.
struct MovieStream {
    int stream = -1;
    int width = 0, height = 0;  ///< px as coded
    std::string codec;
    bool cover = false;  ///< a still picture that is attached, such as a poster
};

}  // namespace va
