// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <vector>

#include "base/keyed.h"
#include "lens/lens_model.h"
#include "solve/constraints/known_measure.h"

namespace va {

/// How far a value is known.
enum class Known { unknown, start, known };

/// What the artist says about the move; by default the paths decide.
enum class MoveChoice { automatic, free, nodalPan, lockedOff };

/// Whether the focal length changes in the shot.
enum class ZoomChoice { automatic, constant, zooms };

/// Relative deviation of a focal length, and of depth with it, from which on a match tracks more features: a ninth of a
/// percent.
inline constexpr double unsureFocal = 0.0011;

struct SolveRequest {
    std::vector<int> frames;    ///< frame numbers that have a picture, in order
    int width = 0, height = 0;  ///< px
    double pixelAspect = 1;
    Known focal = Known::unknown;
    double focalPx = 0;  ///< when not unknown; of a zoom: at its start
    MoveChoice move = MoveChoice::automatic;
    ZoomChoice zoom = ZoomChoice::automatic;  ///< a known focal length does not zoom unless it is said to
    /// Unknown and start: the first two radial numbers of the model are solved (an anamorphic lens's four); known:
    /// stays as it is.
    Known distortion = Known::unknown;
    LensModel lens;  ///< the kind counts where distortion is unknown
    Known principal = Known::known;
    Eigen::Vector2d principalOffset{0, 0};  ///< px from the middle of the picture
    Keyed<double> focalByFrame;             ///< px: a zoom that is known; `focal` is known then
    /// Rolling shutter: frames from the first row's reading to the last one's. Unknown: all rows at once, unless the
    /// paths speak against it; then it is solved. Start: it is solved, from `readout`. Known: as given, 0 for all at
    /// once.
    Known readoutKnown = Known::unknown;
    double readout = 0;
    std::vector<KnownMeasure> measures;  ///< check points: what is known of positions, used by free moves
    bool fewPaths = false;               ///< a thing in the picture, not the scene: asks for fewer
    double heldBackShare = 0.1;          ///< of the paths, for the check error
    /// An update with more paths follows where the focal length is unsure: what only makes an unsure one surer is left
    /// to that, and the result says so (SolveDiagnostics::draft).
    bool draft = false;
    uint64_t seed = 1;
};

}  // namespace va
