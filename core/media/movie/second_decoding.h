// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <string>

#include "media/movie/av_handles.h"

namespace va {

/// A stretch of a movie decoded a second time, with other contents in place of what is damaged. Where a picture comes
/// out differently from the first decoding, it depends on damage, through however many changes of changes.
///
/// H.264, MPEG-1, 2, 4 and their kin: libav makes up the squares that it could not decode from their neighbours; the
/// second decoding leaves them as they lie in memory. Other codecs do not tell which parts they could not decode:
/// there, the second decoding goes without the damaged packets, and everything coded as a change of them counts.
class SecondDecoding {
  public:
    /// `damaged` tells of which packets, by their ordinals, the first decoder has complained.
    SecondDecoding(const AVStream& stream, const std::string& path, std::function<bool(int ordinal)> damaged);

    /// The next packet that the first decoding was given, with its ordinal in `pts`.
    void give(const AVPacket& packet);
    /// The picture of a packet, once the first decoding has given its own; null where this one gives none.
    AvPointer<AVFrame> take(int ordinal);
    /// No packet comes any more.
    void finish() { ended_ = true; }

  private:
    void decode();
    void receive();

    std::function<bool(int)> damaged_;
    AvPointer<AVCodecContext> decoder_;
    AvPointer<AVPacket> waiting_;  ///< given, not sent yet: whether it is damaged shows when the first has decoded it
    std::map<int, AvPointer<AVFrame>> pictures_;
    bool leavesOut_ = false, ended_ = false, drained_ = false;
};

}  // namespace va
