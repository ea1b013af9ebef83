// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/thing_drag.h"

#include <QLineF>
#include <array>
#include <cmath>

#include "style/theme.h"
#include "workflow/layout_work.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr double grabPx = 9;
constexpr double ringShare = 0.72;  ///< of the arms
constexpr int ringPieces = 48;

struct Arm {
    ThingPart part;
    int axis;
    const char* letter;
};
constexpr std::array<Arm, 3> arms{
    {{ThingPart::alongX, 0, "X"}, {ThingPart::alongY, 1, "Y"}, {ThingPart::alongZ, 2, "Z"}}};

std::optional<int> axisOf(ThingPart part) {
    for (const Arm& a : arms)
        if (a.part == part) return a.axis;
    return std::nullopt;
}

Eigen::Vector3d ringPoint(const Similarity& at, double radius, int i) {
    const double a = 2 * M_PI * i / ringPieces;
    return at.translation + at.rotation * Eigen::Vector3d(radius * std::sin(a), 0, radius * std::cos(a));
}

std::optional<Eigen::Vector3d> onPlane(const Ray& ray, const Eigen::Vector3d& through, const Eigen::Vector3d& normal) {
    const double down = ray.direction.dot(normal);
    if (std::fabs(down) < 1e-6) return std::nullopt;
    const double t = (through - ray.origin).dot(normal) / down;
    return t > 0 && t < 1e7 ? std::optional(ray.at(t)) : std::nullopt;
}

}  // namespace

void ThingGizmo::paint(QPainter& painter, const Projector& project, ThingPart hot) const {
    if (!(arm > 0)) return;
    const Theme& theme = Theme::current();
    const auto stroke = [&](const Eigen::Vector3d& from, const Eigen::Vector3d& to, const QColor& colour, double width,
                            int pieces) {
        painter.setPen(QPen(QColor(0, 0, 0, 150), width + 2));
        drawLine3d(painter, project, from, to, pieces);
        painter.setPen(QPen(colour, width));
        drawLine3d(painter, project, from, to, pieces);
    };
    const QColor plain(240, 240, 240);
    for (int i = 0; i < ringPieces; ++i)
        stroke(ringPoint(at, ringShare * arm, i), ringPoint(at, ringShare * arm, i + 1),
               hot == ThingPart::heading ? theme.accent : plain, 1.4, 1);
    painter.setFont(captionFont());
    for (const Arm& a : arms) {
        const Eigen::Vector3d tip = at.translation + at.rotation * (arm * Eigen::Vector3d::Unit(a.axis));
        stroke(at.translation, tip, hot == a.part ? theme.accent : plain, 2, 6);
        const auto on = project(tip);
        if (!on) continue;
        QRectF box = painter.fontMetrics().boundingRect(QLatin1String(a.letter)).adjusted(-4, -1, 4, 1);
        box.moveCenter(*on);
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(20, 21, 22, 200));
        painter.drawRoundedRect(box, 3, 3);
        painter.setPen(hot == a.part ? theme.accent : plain);
        painter.drawText(box, Qt::AlignCenter, QLatin1String(a.letter));
        painter.setBrush(Qt::NoBrush);
    }
}

ThingPart ThingGizmo::partAt(const Projector& project, const QPointF& pointer) const {
    if (!(arm > 0)) return ThingPart::none;
    for (const Arm& a : arms) {
        const auto tip = project(at.translation + at.rotation * (arm * Eigen::Vector3d::Unit(a.axis)));
        if (tip && QLineF(*tip, pointer).length() < grabPx + 2) return a.part;
    }
    for (int i = 0; i < ringPieces; ++i) {
        const auto p = project(ringPoint(at, ringShare * arm, i));
        if (p && QLineF(*p, pointer).length() < 0.7 * grabPx) return ThingPart::heading;
    }
    return ThingPart::none;
}

ThingDrag::ThingDrag(const Shot& shot, int frame, const Thing& thing, ThingPart part, const Ray& ray)
    : thing_(thing), part_(part), frame_(frame), ray_(ray) {
    const auto at = PlacedThings(shot, frame).of(thing);
    if (!at) {
        part_ = ThingPart::none;
        return;
    }
    world_ = *at;
    normal_ = normalUnder(shot, thing, frame);
    last_ = grip(ray, Qt::NoModifier);
}

std::optional<Eigen::Vector3d> ThingDrag::grip(const Ray& ray, Qt::KeyboardModifiers how) const {
    const Eigen::Vector3d foot = world_.translation, up = Eigen::Vector3d::UnitY();
    if (const auto axis = axisOf(part_)) {
        // The point of the axis that is nearest to the ray.
        const Eigen::Vector3d a = world_.rotation * Eigen::Vector3d::Unit(*axis), w = foot - ray.origin;
        const double across = a.dot(ray.direction), square = 1 - across * across;
        if (square < 1e-4) return std::nullopt;
        return Eigen::Vector3d(foot + (across * ray.direction.dot(w) - a.dot(w)) / square * a);
    }
    if (part_ == ThingPart::heading) {
        const auto on = onPlane(ray, foot, world_.rotation * up);
        if (!on) return std::nullopt;
        const Eigen::Vector3d own = world_.rotation.conjugate() * (*on - foot);
        return Eigen::Vector3d(std::atan2(own.x(), own.z()), 0, 0);
    }
    if (how & Qt::ControlModifier) {
        // On the upright plane that faces the viewer most.
        const Eigen::Vector3d level = ray.direction - ray.direction.dot(up) * up;
        if (level.norm() < 1e-3) return std::nullopt;
        const auto on = onPlane(ray, foot, level.normalized());
        return on ? std::optional(Eigen::Vector3d(foot.x(), on->y(), foot.z())) : std::nullopt;
    }
    return onPlane(ray, foot, how & Qt::ShiftModifier ? up : normal_);
}

const Thing& ThingDrag::to(const Shot& shot, const Ray& ray, Qt::KeyboardModifiers modifiers) {
    if (part_ == ThingPart::none) return thing_;
    const auto how = modifiers & (Qt::ShiftModifier | Qt::ControlModifier);
    // Another way of going begins where the pointer is.
    if (how != how_) last_ = grip(ray_, how), how_ = how;
    ray_ = ray;
    const auto here = grip(ray, how);
    if (!here || !last_) {
        last_ = here;
        return thing_;
    }
    const double fine = modifiers & Qt::AltModifier ? 0.1 : 1;
    Eigen::Vector3d by = *here - *last_;
    Similarity next = world_;
    if (part_ == ThingPart::heading) {
        by.x() = std::remainder(by.x(), 2 * M_PI);
        next.rotation =
            (world_.rotation * Eigen::Quaterniond(Eigen::AngleAxisd(fine * by.x(), Eigen::Vector3d::UnitY())))
                .normalized();
    } else {
        next.translation += fine * by;
    }
    thing_ = movedTo(shot, thing_, next, frame_);
    world_ = next;
    // The grip moves with the thing, whose axes it is measured in.
    last_ = grip(ray, how);
    return thing_;
}

}  // namespace va
