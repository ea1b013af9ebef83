// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/document.h"

namespace va {

/// A part of the photo match that can be taken hold of in the picture.
struct PhotoHandle {
    enum class Kind { none, line, lineEnd, corner, horizon, horizonEnd, spot };
    Kind kind = Kind::none;
    size_t index = 0;  ///< of the line, corner or known point
    int end = 0;       ///< 0 or 1
    [[nodiscard]] explicit operator bool() const { return kind != Kind::none; }
    friend bool operator==(const PhotoHandle&, const PhotoHandle&) = default;
};

/// What the artist draws to match one picture by: lines along axes, a rectangle on the ground, the horizon, known
/// points, the focal length by eye. The camera is fitted anew with every change, so that the floor moves along; each
/// change is one undoable edit, and so is a drag.
class PhotoEdits : public QObject {
    Q_OBJECT
  public:
    explicit PhotoEdits(Document& document) : document_(document) {}

    /// Whether a picture can be matched here without throwing a solve of the shot away: a single picture, or a shot
    /// that is matched by one, or not solved at all.
    [[nodiscard]] bool available() const;
    /// The axis that new lines lie along.
    [[nodiscard]] PhotoAxis axis() const { return axis_; }
    void setAxis(PhotoAxis axis);
    /// The next click places a known point.
    [[nodiscard]] bool placing() const { return placing_; }
    void setPlacing(bool on);
    /// The known point whose position the inspector shows; −1 = none.
    [[nodiscard]] int spot() const;
    void chooseSpot(int index);

    /// A line along the axis in hand. It is laid on the edge that runs along it, unless `free`.
    void addLine(const Eigen::Vector2d& a, const Eigen::Vector2d& b, bool free);
    void addSpot(const Eigen::Vector2d& pixel);
    /// A rectangle on the ground in the lower half of the picture, to be dragged into place.
    void addRectangle();
    void addHorizon();
    void remove(const PhotoHandle& handle);
    void clearFoundLines();
    void clear();

    void beginDrag() { ++drag_; }
    void drag(const PhotoHandle& handle, const Eigen::Vector2d& by);
    /// Stills that have joined are joined anew.
    void endDrag();

    void setRectangleSides(double width, double depth);
    void setCameraHeight(double metres);
    void setSpotPosition(int index, const Eigen::Vector3d& position);
    /// By eye: holds this focal length, px; the near side of the rectangle stays where it is in the picture.
    void setFocalByEye(double focalPx);
    /// The focal length is fitted again.
    void releaseFocal();

    // ---- jobs
    void findLines();
    /// Matches the frame that is shown as a photo, whatever the shot's own solve is.
    void matchFrame();

  Q_SIGNALS:
    void changed();

  private:
    void apply(const QString& name, const PhotoMatch& photo, const QString& merge = {});
    void apply(const QString& name, Shot next, const QString& merge);
    Document& document_;
    PhotoAxis axis_ = PhotoAxis::x;
    bool placing_ = false;
    int spot_ = -1, drag_ = 0;
};

}  // namespace va
