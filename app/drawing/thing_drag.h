// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPainter>
#include <optional>

#include "drawing/scene_drawing.h"

namespace va {

/// What of a thing or its gizmo is under the pointer.
enum class ThingPart { none, body, alongX, alongY, alongZ, heading };

/// A thing's gizmo: arms along its own axes, and a ring to turn it about its upright one. `arm` in world units.
struct ThingGizmo {
    Similarity at;
    double arm = 0;
    void paint(QPainter& painter, const Projector& project, ThingPart hot) const;
    [[nodiscard]] ThingPart partAt(const Projector& project, const QPointF& at) const;
    /// Arms that a view shows this long, px.
    static constexpr double armPx = 64;
};

/// A drag of a thing in any view, by the rays under the pointer. The body slides along the surface that it stands on;
/// with Shift along the ground, with Ctrl up and down; arms move along one axis, the ring turns. Alt makes all of it ten
/// times finer.
class ThingDrag {
  public:
    ThingDrag() = default;
    /// Nothing is dragged where the thing has no place in the frame.
    ThingDrag(const Shot& shot, int frame, const Thing& thing, ThingPart part, const Ray& ray);
    [[nodiscard]] int id() const { return thing_.id; }
    [[nodiscard]] ThingPart part() const { return part_; }
    /// The thing as the pointer has it now.
    const Thing& to(const Shot& shot, const Ray& ray, Qt::KeyboardModifiers modifiers);
    [[nodiscard]] const Thing& thing() const { return thing_; }

  private:
    /// What the pointer is at: a position, or for the ring an angle in x.
    [[nodiscard]] std::optional<Eigen::Vector3d> grip(const Ray& ray, Qt::KeyboardModifiers how) const;
    Thing thing_;
    ThingPart part_ = ThingPart::none;
    int frame_ = 0;
    Similarity world_;
    Eigen::Vector3d normal_ = Eigen::Vector3d::UnitY();
    std::optional<Eigen::Vector3d> last_;
    Qt::KeyboardModifiers how_;
    Ray ray_;
};

}  // namespace va
