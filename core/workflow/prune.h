// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "shot/shot.h"

namespace va {

/// Rules by which paths are set aside. An empty one does not apply. Paths by hand are spared unless `byHandToo`.
struct PruneRules {
    std::optional<int> shorterThan;               ///< frames
    std::optional<double> raggedOver;             ///< px RMS off smooth motion
    std::optional<double> qualityUnder;           ///< mean match quality, 0..1
    std::optional<double> driftOver;              ///< px
    std::optional<double> jumpOver;               ///< px off smooth motion in a single frame
    std::optional<double> residualOver;           ///< px RMS against the solve
    std::optional<double> nearerToEdge;           ///< px: paths that come nearer to the picture's edge
    std::optional<double> varianceInflationOver;  ///< PatchEvidence::varianceInflation: patch on two surfaces
    std::optional<double> anisotropyUnder;        ///< PatchEvidence::anisotropy: patch on an edge
    bool inMask = false;                          ///< masked in at least half of their frames
    bool crossing = false;  ///< within half a patch of a longer path in some frame, moving otherwise: one of them slips
    bool byHandToo = false;
    [[nodiscard]] bool any() const;
};

/// Ids of the paths that the rules find, with the first reason in words. Paths already set aside are left out.
std::map<int, std::string> pathsToPrune(const Shot& shot, const PruneRules& rules);

/// The shot with these paths set aside for the reasons given.
Shot withSetAside(const Shot& shot, const std::map<int, std::string>& reasons);

/// The shot with the frames of a span of these paths set aside, or brought back. What lies outside stays.
Shot withSpanSetAside(const Shot& shot, const std::vector<int>& pathIds, FrameRange span, bool aside);

}  // namespace va
