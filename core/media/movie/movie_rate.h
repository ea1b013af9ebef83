// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "base/rational.h"

namespace va {

/// What a movie says of its frame rate, from three places that need not agree.
struct RateEvidence {
    Rational container;          ///< 0 = nothing said
    Rational stream;             ///< from the codec's own headers; 0 = nothing said
    std::vector<int64_t> times;  ///< presentation times of all frames, rising; may be empty
    Rational timeBase{1, 1};     ///< seconds for one unit of `times`
};

/// The rate of a movie.
struct MovieRate {
    Rational rate{24, 1};
    bool assumed = true;               ///< nothing told it
    bool variable = false;             ///< no constant rate fits: `rate` is the one that comes nearest
    double shortest = 0, longest = 0;  ///< seconds from one frame to the next
    /// Where a constant rate has holes: position of the frame before the hole, and how many frames it lacks.
    struct Hole {
        int index = 0, frames = 0;
    };
    std::vector<Hole> dropped;
    std::vector<int> doubled;  ///< positions of frames that have the time of the one before
    Rational byTimes;          ///< what the stamps alone say; 0 = nothing
    /// "The container says 25 …" where the three disagree by more than a thousandth; empty otherwise.
    std::string disagreement;
};

/// Finds the rate. Stamps are rounded to the time base, often to whole milliseconds; a rate fits where every stamp is
/// within one rounding of its position on the rate's grid. Among the rates that fit, what the container says is taken
/// first, rates in use (24, 25, 30, 48, 50, 60 … and their thousandths, SMPTE ST 2036-1) before others.
MovieRate findRate(const RateEvidence& evidence);

/// A rate in use that lies within two hundred-thousandths of this one, which is how far containers round; else the rate
/// as it is.
Rational standardRate(Rational rate);

}  // namespace va
