// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <vector>

#include "ground/surface.h"

namespace va {

/// What a plane may be, by its tilt against an upright and by where the cameras are.
enum class SurfaceKind : uint8_t { floor, top, wall, slope };

struct Candidate {
    Surface surface;  ///< normal towards the cameras
    SurfaceKind kind = SurfaceKind::slope;
    double support = 0;  ///< what it is ranked by: points that lie on it, each counted by how well it fits
};

/// The planes of a cloud, best first: sampled from neighbouring points (Myatt et al., BMVC 2002), scored by the points
/// that lie within their own deviation and a relief of two thousandths of their depth and whose neighbourhood is
/// oriented alike (Schnabel, Wahl & Klein, Computer Graphics Forum 2007), refined, and taken out of the cloud one after
/// the other. `up` sorts them into floors, tops (level, and above the best floor), walls and slopes.
/// At most `most`. Empty for fewer than 12 points. The draw is seeded.
std::vector<Candidate> findCandidates(const std::vector<SurePoint>& points, const Eigen::Vector3d& cameras,
                                      const Eigen::Vector3d& up, int most = 10, uint64_t seed = 1);

/// Sorts candidates anew, after the upright became known better.
void sortKinds(std::vector<Candidate>& candidates, const Eigen::Vector3d& cameras, const Eigen::Vector3d& up);

}  // namespace va
