// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "solve/similarity.h"
#include "solve/solve_result.h"

namespace va {

/// What the artist chose to make a level world of: everything by path ids, so that it holds when the solve is made
/// anew.
struct GroundSpec {
    std::vector<int> levelPaths;    ///< three or more on the floor; empty = the automatic level
    std::optional<int> originPath;  ///< else the middle of the level points
    struct Direction {
        int from = 0, to = 0;
        friend bool operator==(const Direction&, const Direction&) = default;
    };
    std::optional<Direction> zAlong;  ///< the world's Z axis points from one to the other, laid flat
    struct Length {
        int from = 0, to = 0;
        double metres = 1;
        friend bool operator==(const Length&, const Length&) = default;
    };
    std::optional<Length> length;
    friend bool operator==(const GroundSpec&, const GroundSpec&) = default;
};

/// How the solve's space becomes the level world.
struct GroundFit {
    bool level = false;   ///< a floor was found or chosen; else the world is the solve's own
    bool metric = false;  ///< a length was given: units are metres
    Similarity worldFromSolve;
    std::vector<int> usedPaths;  ///< the points that the floor goes through
    double rms = 0;              ///< of those points from the floor, in world units
    std::string trouble;         ///< sentence; empty when all that was asked for was done
};

/// Builds the world from a solve and the artist's choices: plane (chosen, or found by autoLevel), up to the side of the
/// cameras, origin, facing, scale. Whatever can't be had (points missing from this solve, on a line, the same point
/// twice) is left out and said in `trouble`; the rest is done. Known positions that the solve used give the world
/// where the artist chose nothing else but a length, and known distances the scale where no length was chosen. A solve
/// without depth gives its own world.
GroundFit buildGround(const SolveResult& solve, const GroundSpec& spec);

}  // namespace va
