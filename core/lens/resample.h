// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/picture.h"
#include "lens/undistorted_frame.h"

namespace va {

enum class Filter {
    bilinear,
    bicubic,  ///< Catmull & Rom 1974: four taps each way
    lanczos   ///< windowed sinc of three lobes (Duchon 1979), corrected to keep ramps in place: six taps each way
};

/// What lies beyond the edges of the source.
enum class Edge {
    hold,  ///< its outermost pixels, for a plate
    empty  ///< nothing, for an insert with alpha
};

/// The picture through a map, in one filter hit, at the exact positions: nothing is rounded to steps of a pixel. Colour
/// that is multiplied by alpha stays right. Where the map says nothing, all channels are 0. Overshoot of the cubic and
/// the sinc stays in a float picture's colour; alpha is kept in 0..1, and bytes in their range.
///
/// The filters interpolate: they do not average where the source is shrunk, which a lens does by a few percent only.
/// Works on rows in parallel; the result does not depend on how many threads there are. The memory of `spare` is used
/// for the result: fresh memory costs a tenth of the time.
Picture resample(const Picture& source, const PixelMap& map, Filter filter, Edge edge, Picture spare = {});
Picture8 resample(const Picture8& source, const PixelMap& map, Filter filter, Edge edge, Picture8 spare = {});

/// One channel, bicubic, edges held: what features are tracked in. 0 where the map says nothing.
Luma resample(const Luma& source, const PixelMap& map);

}  // namespace va
