// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <mutex>

#include "media/plate_source.h"
#include "shot/shot.h"

namespace va {

/// Where features may lie in a shot: its mask shapes, riding on its patches and paths, and its matte files together.
/// Safe to ask from several threads.
class Exclusion {
  public:
    /// Opens the matte files. Throws InputError when they can't be read or have another size than the plate.
    explicit Exclusion(const Shot& shot);
    [[nodiscard]] bool empty() const { return masks_.empty() && !matte_; }
    /// Throws InputError when the matte has no picture for the frame: tracked on, as if nothing were masked there, the
    /// result would be wrong without anybody noticing.
    [[nodiscard]] bool allowed(int frame, double x, double y);

  private:
    [[nodiscard]] bool matteCovers(int frame, double x, double y);

    Matte spec_;
    PlateInfo plate_;
    MaskSet masks_;
    std::unique_ptr<PlateSource> matte_;
    std::mutex mutex_;
    int held_ = -1 << 30;
    Plane<float> covered_;  ///< px outside of the covered area, ≤ 0 = covered, already grown
};

/// Where a mask that rides goes: the patch's map, or the shift of the path since its reference frame.
RideMap rideMapOf(const Shot& shot);

}  // namespace va
