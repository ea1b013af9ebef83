// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/plane.h"

namespace va {

/// What is odd about a plate's frames.
struct PlateFindings {
    std::vector<int> cuts;        ///< first frame of another scene
    std::vector<int> duplicates;  ///< the same picture as the frame before, although the shot moves
    std::vector<int> black;       ///< nothing in it
    /// Coded as changes of damaged pictures, so that hardly anything in them can be trusted. Found while tracking.
    std::vector<int> dependent;
    bool interlaced = false;  ///< two moments woven into one picture by lines
    [[nodiscard]] bool any() const { return !cuts.empty() || !duplicates.empty() || !black.empty() || interlaced; }
    friend bool operator==(const PlateFindings&, const PlateFindings&) = default;
};

/// Looks at frames as they come by, in rising order, and tells what is odd about them. Cheap: works on a picture of a
/// sixteenth of the size and on every third row.
///
/// A cut is a frame whose small picture differs from the one before by more than five times what neighbouring frames
/// usually differ, that correlates less than 0.6 with it (rows' means taken out), and which is tracked by frames like
/// itself (a flash is no cut). A duplicate differs by less than a twentieth of what its neighbours do, and by under
/// half a grey level. Interlaced: where the picture moves sideways, lines agree better with the next but one than with
/// the next, in at least three frames and a quarter of the moving ones.
class PlateWatch {
  public:
    void see(int frame, const Luma& picture);
    [[nodiscard]] PlateFindings findings() const;

  private:
    struct Seen {
        int frame = 0;
        Luma small;
        double mean = 0, contrast = 0;
        double change = 0;       ///< mean difference from the frame before, grey levels
        double fullChange = 0;   ///< the same on full-size rows
        double correlation = 1;  ///< with the frame before
        double comb = 0;         ///< line-to-next difference over line-to-next-but-one, where it moved
    };
    std::vector<Seen> seen_;
    Luma last_, spare_;  ///< every third row of the frame before; memory to use again
    int lastHeight_ = 0;
};

}  // namespace va
