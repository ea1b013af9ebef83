// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "media/movie/av_handles.h"
#include "media/rotate.h"

namespace va {

/// A decoder for the stream, opened. Throws InputError naming the codec where none is installed or it can't be used.
/// Frame threads use all cores; errors then come some packets late, and what is put in place of damage depends on
/// timing.
AvPointer<AVCodecContext> openDecoder(const AVStream& stream, const std::string& path, bool frameThreads = true);

/// The container's transformation matrix as a rotation by right angles and a mirror; other transformations are left
/// out.
Orientation orientationOf(const AVStream& stream);

/// "H.264", "ProRes", … as artists call it.
std::string codecLabel(AVCodecID id);

}  // namespace va
