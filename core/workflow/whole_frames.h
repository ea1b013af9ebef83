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

/// Variance, px², that says a point's position depends on damaged pictures: two pixels at 1280 px of width, squared.
float doubtVariance(int width);

/// So many points of a frame that depend on no damage tell where the camera was.
inline constexpr int enoughSoundPoints = 24;

/// A plate's pictures for tracking, in which a damaged frame costs that frame and nothing else.
///
/// Tracking needs a picture for every frame it was told of, and only finds out on the way that one is damaged. It then
/// gets its neighbour's picture once more, through which every feature is held where it was; withoutDamaged() takes the
/// points of such frames out again, which leaves a gap as a missing still does.
///
/// Frames that are coded as changes of a damaged one are whole to the decoder, but where the damage was, what they show
/// stands off by anything between nothing and many pixels, up to the next picture that is coded by itself (DamageMask).
/// Points there count for little: doubtVariance() is added to their uncertainty, until a solve tells which of them can
/// be trusted (withDoubtSettled). A path ends where its reference was re-taken there. Frames that have hardly any other
/// points lose them all, and with them their camera, unless most of the shot is like that.
class WholeFrames {
  public:
    explicit WholeFrames(PlateSource& source) : source_(source) {}

    /// The frame's luma, or its nearest whole neighbour's. May be called from any thread, by one at a time. Throws
    /// InputError where a long stretch around the frame is damaged as well.
    Luma read(int frame);
    [[nodiscard]] bool damaged(int frame) const;
    /// Whether a path may take its reference at a position of a frame that was read: what depends on damage, and what
    /// is near it, is no picture to measure others against. True everywhere in frames that depend on damage nearly as a
    /// whole: there is nothing better in them.
    [[nodiscard]] bool mayBegin(int frame, double x, double y) const;
    /// What turned out to be damaged so far, in order of frames.
    [[nodiscard]] std::vector<FrameDamage> found() const;
    /// The paths without points in damaged frames, and with doubtful ones in parts of frames that depend on them; a
    /// path that began at a damaged frame refers to the neighbour that stood in.
    void removeFrom(std::vector<Path>& paths);
    /// Adds what was found to what was known.
    void addTo(std::vector<FrameDamage>& known) const;
    /// Frames in which hardly any point was free of damage elsewhere when removeFrom() was called; rising.
    [[nodiscard]] std::vector<int> dependent() const;

  private:
    [[nodiscard]] bool depends(const PathPoint& point, double margin) const;
    void moveReference(Path& path) const;
    void cutAtDoubtfulReferences(Path& path) const;
    struct StandIn {
        std::string cause;
        int neighbour = 0;
    };
    PlateSource& source_;
    mutable std::mutex mutex_;
    std::map<int, StandIn> damaged_;
    std::map<int, DamageMask> depending_;
    std::set<int> mostly_;  ///< depend on damage nearly as a whole
    std::set<int> dependent_;
    int lastWhole_ = 0;
    bool any_ = false;
};

}  // namespace va
