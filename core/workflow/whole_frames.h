// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <mutex>
#include <set>
#include <string>
#include <vector>

#include "media/plate_source.h"
#include "track/path.h"

namespace va {

/// A plate's pictures for following, in which a damaged frame costs that frame and nothing else.
///
/// Following needs a picture for every frame it was told of, and only finds out on the way that one is damaged. It then
/// gets its neighbour's picture once more, through which every feature is held where it was; withoutDamaged() takes the
/// points of such frames out again, which leaves a gap as a missing still does.
///
/// Frames that are coded as changes of a damaged one are whole to the decoder, but where the damage was, what they show
/// stands off by parts of a pixel, up to the next picture that is coded by itself. Their points count for less: half a
/// pixel (at 1280 px width) is added to their uncertainty.
class WholeFrames {
  public:
    explicit WholeFrames(PlateSource& source) : source_(source) {}

    /// The frame's luma, or its nearest whole neighbour's. May be called from any thread, by one at a time. Throws
    /// InputError where a long stretch around the frame is damaged as well.
    Luma read(int frame);
    [[nodiscard]] bool damaged(int frame) const;
    /// What turned out to be damaged so far, in order of frames.
    [[nodiscard]] std::vector<FrameDamage> found() const;
    /// The paths without points in damaged frames, and with less sure ones in frames that depend on them; a path that
    /// began at a damaged frame refers to the neighbour that stood in.
    void removeFrom(std::vector<Path>& paths);
    /// Adds what was found to what was known.
    void addTo(std::vector<FrameDamage>& known) const;

  private:
    struct StandIn {
        std::string cause;
        int neighbour = 0;
    };
    PlateSource& source_;
    mutable std::mutex mutex_;
    std::map<int, StandIn> damaged_;
    std::set<int> uncertain_;
    int lastWhole_ = 0;
    bool any_ = false;
};

}  // namespace va
