// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPainter>
#include <QSet>
#include <vector>

#include "drawing/scene_drawing.h"
#include "layout/raster.h"

namespace va {

enum class ThingsLook { both, solid, wire };

/// How a view sees things: for the raster, for lines and marks over it, and what tells one view from another.
struct ThingsView {
    RasterView raster;
    Projector project;
    QSize size;
    std::vector<double> key;  ///< numbers that are equal where the view is; with those of the scene they tell whether a
                              ///< picture can be used again
};

/// A view by its projector: pixels' middles lie half a pixel inside of the widget's coordinates. `forward` is unit,
/// world; the rest of the raster's numbers is the view's own.
ThingsView thingsView(const Projector& project, QSize size, const Eigen::Vector3d& eye, const Eigen::Vector3d& forward);

/// The shot with a thing that is being dragged or placed, as it is now.
Shot withMoved(const Shot& shot, const std::optional<Thing>& moved);

/// Draws the things of a shot in a view, with depth, and finds the one under a pointer. Keeps shapes and the last
/// picture.
class ThingsPainter {
  public:
    void setLook(ThingsLook look) { look_ = look; }
    [[nodiscard]] ThingsLook look() const { return look_; }
    /// `stamp` changes whenever the shot does. Marks (anchors, groups) are left out when `clean`.
    void paint(QPainter& painter, const Shot& shot, quint64 stamp, int frame, const QSet<int>& selected,
               const ThingsView& view, bool clean = false);
    /// Id of the thing that a ray meets first, or whose mark lies at a widget position; 0 = none. Hidden ones are not
    /// met.
    [[nodiscard]] int thingAt(const Shot& shot, int frame, const Ray& ray, const Projector& project, const QPointF& at);

  private:
    struct Placed {
        const Thing* thing;
        Similarity at;
    };
    [[nodiscard]] static std::vector<Placed> placedIn(const Shot& shot, int frame);
    [[nodiscard]] RasterItem itemOf(const Shot& shot, const Placed& placed, int frame, bool selected,
                                    const RasterView& view);
    DrawnShapes shapes_;
    ThingsLook look_ = ThingsLook::both;
    std::vector<double> key_;
    QImage picture_;
};

/// Colour of a thing's wire and mark.
QColor thingLine(bool selected);

}  // namespace va
