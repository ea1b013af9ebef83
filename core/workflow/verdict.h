// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

/// The steps of the route, in order.
enum class Step { plate, lens, features, solve, ground, layout, proof, exporting };
inline constexpr int stepCount = 8;

/// State of a step: shown as disc, triangle, ring or half disc.
enum class Lamp { good, look, none, stale };

/// One sentence on a step: its state, its number, the trouble and the next thing to try.
struct Verdict {
    Lamp lamp = Lamp::none;
    std::string sentence;
};

Verdict verdictOn(const Shot& shot, Step step);
std::array<Verdict, stepCount> verdictsOn(const Shot& shot);

/// The verdict as the strip shows it, on a line of its own: that on the solve begins with the frames solved.
Verdict verdictLine(const Shot& shot, Step step);

/// The one thing to know now, after a job. Trouble first, else the solve's number.
Verdict sentenceThatMatters(const Shot& shot);

/// How well a frame is covered by features.
struct Cover {
    int frame = 0;
    int count = 0;      ///< paths not set aside that are seen in the frame
    double spread = 0;  ///< share of a 6 × 4 grid over the picture that holds at least one, 0..1
    bool thin = false;  ///< fewer than 24 features, or less than a third of the picture
};
std::vector<Cover> coverOf(const Shot& shot);

/// Why a solve did not find the distortion itself, and what to try; empty where it did.
std::string refusalOf(const SolveResult& solve);

}  // namespace va
