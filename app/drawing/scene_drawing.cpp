// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/scene_drawing.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "style/theme.h"

namespace va {
namespace {

struct Face {
    std::array<Eigen::Vector3d, 4> corners;
    Eigen::Vector3d normal;
};

std::array<Face, 6> facesOf(const Thing& t) {
    const auto corner = [&](double x, double y, double z) -> Eigen::Vector3d {
        return t.position +
               t.rotation * Eigen::Vector3d((x - 0.5) * t.size.x(), y * t.size.y(), (z - 0.5) * t.size.z());
    };
    const auto axis = [&](int i) -> Eigen::Vector3d { return t.rotation * Eigen::Vector3d::Unit(i); };
    return {{{{corner(0, 0, 0), corner(1, 0, 0), corner(1, 0, 1), corner(0, 0, 1)}, -axis(1)},
             {{corner(0, 1, 0), corner(1, 1, 0), corner(1, 1, 1), corner(0, 1, 1)}, axis(1)},
             {{corner(0, 0, 0), corner(1, 0, 0), corner(1, 1, 0), corner(0, 1, 0)}, -axis(2)},
             {{corner(0, 0, 1), corner(1, 0, 1), corner(1, 1, 1), corner(0, 1, 1)}, axis(2)},
             {{corner(0, 0, 0), corner(0, 0, 1), corner(0, 1, 1), corner(0, 1, 0)}, -axis(0)},
             {{corner(1, 0, 0), corner(1, 0, 1), corner(1, 1, 1), corner(1, 1, 0)}, axis(0)}}};
}

QPolygonF faceOutline(const Face& f, const Projector& project) {
    QPolygonF out;
    constexpr int pieces = 8;
    for (size_t k = 0; k < 4; ++k)
        for (int i = 0; i < pieces; ++i) {
            const auto p = project(f.corners[k] + (f.corners[(k + 1) % 4] - f.corners[k]) * (double(i) / pieces));
            if (!p) return {};
            out << *p;
        }
    return out;
}

}  // namespace

void drawLine3d(QPainter& painter, const Projector& project, const Eigen::Vector3d& a, const Eigen::Vector3d& b,
                int pieces) {
    std::optional<QPointF> last = project(a);
    for (int i = 1; i <= pieces; ++i) {
        const std::optional<QPointF> next = project(a + (b - a) * (double(i) / pieces));
        if (last && next) painter.drawLine(*last, *next);
        last = next;
    }
}

void drawGrid(QPainter& painter, const QColor& colour, const Projector& project, double step, int lines) {
    const double far = step * lines;
    for (int i = -lines; i <= lines; ++i) {
        QColor c = colour;
        if (i != 0) c.setAlphaF(colour.alphaF() * 0.6F);
        painter.setPen(QPen(c, 1));
        drawLine3d(painter, project, {i * step, 0, -far}, {i * step, 0, far}, 2 * lines);
        drawLine3d(painter, project, {-far, 0, i * step}, {far, 0, i * step}, 2 * lines);
    }
}

void drawThing(QPainter& painter, const Thing& thing, bool selected, const Projector& project,
               const Eigen::Vector3d& eye, double unit) {
    const Theme& theme = Theme::current();
    const QColor line = selected ? theme.accent : theme.teal;
    if (thing.kind == ThingKind::anchor) {
        const auto foot = project(thing.position),
                   head = project(thing.position + thing.rotation * Eigen::Vector3d(0, 0.3 * unit, 0));
        if (!foot || !head) return;
        painter.setPen(QPen(QColor(0, 0, 0, 150), 4));
        painter.drawLine(*foot, *head);
        painter.setPen(QPen(line, 2));
        painter.drawLine(*foot, *head);
        painter.setBrush(line);
        painter.drawEllipse(*head, 4, 4);
        painter.setBrush(Qt::NoBrush);
        painter.setFont(captionFont());
        painter.setPen(QColor(0, 0, 0, 190));
        painter.drawText(*head + QPointF(9, 5), QString::fromStdString(thing.name));
        painter.setPen(Qt::white);
        painter.drawText(*head + QPointF(8, 4), QString::fromStdString(thing.name));
        return;
    }
    auto faces = facesOf(thing);
    const auto distance = [&](const Face& f) { return ((f.corners[0] + f.corners[2]) / 2 - eye).norm(); };
    std::sort(faces.begin(), faces.end(), [&](const Face& a, const Face& b) { return distance(a) > distance(b); });
    const Eigen::Vector3d light = Eigen::Vector3d(-0.5, 0.8, 0.4).normalized();
    for (const Face& f : faces) {
        const QPolygonF outline = faceOutline(f, project);
        if (outline.isEmpty()) continue;
        const bool front = f.normal.dot(eye - f.corners[0]) > 0;
        if (front) {
            QColor fill = theme.teal;
            const double shade = 0.55 + 0.45 * std::max(0.0, f.normal.dot(light));
            fill = QColor::fromRgbF(float(fill.redF() * shade), float(fill.greenF() * shade),
                                    float(fill.blueF() * shade), 0.62F);
            painter.setBrush(fill);
        } else {
            painter.setBrush(Qt::NoBrush);
        }
        painter.setPen(QPen(front ? line : QColor(line.red(), line.green(), line.blue(), 90), front ? 1.6 : 1));
        painter.drawPolygon(outline);
    }
    painter.setBrush(Qt::NoBrush);
}

QPolygonF outlineOf(const Thing& thing, const Projector& project) {
    if (thing.kind == ThingKind::anchor) {
        const auto p = project(thing.position);
        return p ? QPolygonF(QRectF(*p - QPointF(8, 24), QSizeF(16, 30))) : QPolygonF();
    }
    QPolygonF all;
    for (const Face& f : facesOf(thing)) {
        const QPolygonF o = faceOutline(f, project);
        if (o.isEmpty()) return {};
        all = all.isEmpty() ? o : all.united(o);
    }
    return all;
}

}  // namespace va
