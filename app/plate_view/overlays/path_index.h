// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <set>

#include "shot/shot.h"
#include "workflow/mover_work.h"

namespace va {

/// Which paths are seen in which frame, and where the solve puts their points: what the plate view draws and picks
/// from.
class PathIndex {
  public:
    struct Seen {
        int path = 0, point = 0;  ///< indices into shot.paths and its points
    };
    /// After a change of the shot.
    void update(const Shot& shot);
    /// Takes the camera and the movers of a frame for predicted().
    void goTo(const Shot& shot, int frame);
    /// Empty for frames outside of the plate.
    [[nodiscard]] const std::vector<Seen>& seenIn(int frame) const;
    /// Where the solve puts a path's point in the frame gone to, px of the plate, as a part of the scene or of a mover;
    /// nothing where it says nothing, or did not use the path there.
    [[nodiscard]] std::optional<Eigen::Vector2d> predicted(int pathId) const;
    /// World position of a path's point of the scene.
    [[nodiscard]] std::optional<Eigen::Vector3d> worldOf(int pathId) const;
    /// Index of the mover that a path belongs to.
    [[nodiscard]] std::optional<int> moverOf(int pathId) const;

  private:
    struct Placed {
        Eigen::Vector3d world;
        FrameRange stretch;
        std::set<int> rejected;  ///< frames
    };
    struct OnMover {
        int mover = 0;  ///< index
        Eigen::Vector3d local;
    };
    FrameRange frames_;
    std::shared_ptr<const std::vector<Path>> indexed_;
    std::vector<std::vector<Seen>> byFrame_;
    std::map<int, Placed> placed_;    ///< by path id
    std::map<int, OnMover> onMover_;  ///< by path id
    std::map<int, int> moverOf_;      ///< path id to index of its mover
    bool free_ = false;
    int frame_ = 0;
    std::optional<FrameCamera> camera_;
    std::vector<std::optional<CameraPose>> movers_;  ///< in the frame gone to
};

}  // namespace va
