// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

#include "document/document.h"
#include "exchange/paths_file.h"
#include "workflow/prune.h"

namespace va {

/// What the artist does to features, masks and patches: each function is one undoable edit of the document, or a job
/// that ends in one.
class FeatureEdits : public QObject {
    Q_OBJECT
  public:
    explicit FeatureEdits(Document& document) : document_(document) {}

    // ---- by hand ------------------------------------------------------------------------------------------------
    /// A new path with one point by hand in the current frame; it is selected. Gives its id.
    int addHandFeature(const Eigen::Vector2d& pixel);
    /// Puts a path's spot in the current frame by hand.
    void placeByHand(int pathId, const Eigen::Vector2d& pixel);
    /// Moves the selected paths' spots of the current frame.
    void nudge(const Eigen::Vector2d& by);
    void changePath(const QString& name, int pathId, const std::function<void(Path&)>& change,
                    const QString& merge = {});
    /// The selected path that hand actions mean: the one that is seen in the current frame, else any.
    [[nodiscard]] const Path* current() const;
    void trackCurrent(bool forward, bool oneFrame);
    void newReference();
    void reanchor();
    void carryAlong();
    void removeSpan(FrameRange span, bool aside);
    void guidedTrack();
    void prune(const PruneRules& rules);
    void addPathsFromFile(const QString& file, const PathsMapping& mapping = {});
    void pastePaths(const QString& words);
    /// The selected ones as a table that pasting takes back.
    [[nodiscard]] QString selectedPathsText() const;
    void writePaths(const QString& file);

    // ---- masks --------------------------------------------------------------------------------------------------
    /// Which list the mask tool shows and adds to: masks that keep features out, or those before the things of a proof.
    enum class MaskList { features, front };
    void setMaskList(MaskList list);
    [[nodiscard]] MaskList maskList() const { return maskList_; }
    [[nodiscard]] const std::vector<MaskShape>& masks() const;
    int addMask(const std::vector<MaskPoint>& points);
    void changeMask(const QString& name, int maskId, const std::function<void(MaskShape&)>& change);
    /// Sets the outline in the current frame, given in its pixels (riding is undone).
    void setMaskPoints(int maskId, const std::vector<MaskPoint>& points);
    /// The outline in the current frame's pixels; empty where the ride is not there.
    [[nodiscard]] std::vector<MaskPoint> maskPoints(const MaskShape& mask) const;
    void removeMask(int maskId);
    void suggestMasks();
    void setMatte(const QString& name, const std::function<void(Matte&)>& change);
    /// Automatic tracking looks at the plate undistorted by the given lens, or at the plate as it is.
    void setTrackUndistorted(bool on);
    void setTracking(Density density, Care care);

    // ---- patches ------------------------------------------------------------------------------------------------
    int addPatch(const Corners& corners);
    /// Moves the corners in the current frame: the region itself in its reference frame, a correction elsewhere.
    void setPatchCorners(int patchId, const Corners& corners);
    void changePatch(const QString& name, int patchId, const std::function<void(FlatPatch&)>& change);
    void trackPatch(bool forward, bool backward);
    void removePatch(int patchId);
    void writePatch(const QString& file);

  private:
    MaskList maskList_ = MaskList::features;
    void say(const QString& sentence) { Q_EMIT document_.troubled(sentence); }
    Document& document_;
};

}  // namespace va
