// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <optional>

#include "shot/shot.h"

namespace va {

/// Where the things of a shot stand in one frame, by what they hang on. Keeps a reference to the shot: it must live as
/// long as this does and not change.
class PlacedThings {
  public:
    PlacedThings(const Shot& shot, double frame) : shot_(shot), frame_(frame) {}

    /// World from the thing's own axes. Nothing where what it hangs on is not there: a mover that was not solved in the
    /// frame, a point that is not in the solve.
    [[nodiscard]] std::optional<Similarity> of(const Thing& thing) const;
    /// World from the axes that such a thing's place is given in.
    [[nodiscard]] std::optional<Similarity> axesOf(const Hang& hang) const;
    /// The thing itself and all that it hangs on are visible.
    [[nodiscard]] bool visible(const Thing& thing) const;
    /// The thing or something that it hangs on is locked.
    [[nodiscard]] bool locked(const Thing& thing) const;

  private:
    [[nodiscard]] std::optional<Similarity> of(const Thing& thing, int depth) const;
    [[nodiscard]] std::optional<Similarity> axesOf(const Hang& hang, int depth) const;
    const Shot& shot_;
    double frame_;
};

/// Whether a thing's place differs between frames: by keys, or by what it hangs on.
bool thingMoves(const Shot& shot, const Thing& thing);

/// Whether hanging `thing` on the thing `parent` would make a loop: it is that thing, or hangs on it in the end.
bool wouldLoop(const Shot& shot, int thing, int parent);

/// Axes on a plane through some points of the world: origin in their middle, Y along the normal that looks to `viewer`,
/// X towards the first of them that lies apart from the middle. Nothing for fewer than three, or for points on a line.
std::optional<Similarity> axesOnPoints(const std::vector<Eigen::Vector3d>& points, const Eigen::Vector3d& viewer);

/// The things of a shot whose solve, ground or scale became another one. What hangs on something solved stays there,
/// its offset turned and scaled with the world; what stands on the ground stands on the new ground; the rest moves
/// along with the points that both have in common. Sizes in world units change with the scale, so that the picture
/// shows them as before; sizes in metres stay.
struct CarriedThings {
    std::vector<Thing> things;
    std::string trouble;  ///< for the artist, where both have too few points in common to tell; else empty
};
CarriedThings carriedThings(const Shot& before, const Shot& now);
/// The same where the change of the world is known from elsewhere: `change` takes a place before to the one now.
CarriedThings carriedThings(const Shot& before, const Shot& now, const Similarity& change);

}  // namespace va
