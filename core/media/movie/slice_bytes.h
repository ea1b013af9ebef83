// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "media/movie/av_handles.h"

namespace va {

/// Bytes that hold the length of each unit in the packets of an H.264 or H.265 stream (ISO/IEC 14496-15, 5.3.3 and
/// 8.3.3); 0 where units begin with start codes, and for other codecs.
int unitLengthBytes(const AVCodecParameters& parameters);

/// Cuts the units of a packet off where they hold what no encoder writes: three bytes 00 00 00, 00 00 01 or 00 00 02,
/// which emulation prevention keeps out of every unit (ITU-T H.264 and H.265, 7.4.1 and 7.4.2). A disk that lost a
/// block leaves zeros behind, and decoders read on through them without a word, until what they make of it has spread
/// over the picture; cut off, they notice where the unit ends. Zeros at the very end of a unit are common padding.
///
/// Returns whether anything but padding was cut off. Packets whose units begin with start codes stay as they are: there
/// these bytes end a unit anyway.
bool cutAtIllegalBytes(AVPacket& packet, int lengthBytes);

}  // namespace va
