// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/scene_drawing.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "style/theme.h"

namespace va {
namespace {

struct Face {
    std::vector<Eigen::Vector3d> corners;  ///< world
    Eigen::Vector3d normal, middle;
};

std::vector<Face> facesOf(const Thing& t, const Shape& shape) {
    std::vector<Face> out;
    for (const std::vector<int>& indices : shape.faces) {
        Face f;
        f.middle.setZero();
        for (const int i : indices) f.corners.push_back(t.toWorld(shape.vertices[size_t(i)]));
        for (const Eigen::Vector3d& c : f.corners) f.middle += c / double(f.corners.size());
        f.normal = (f.corners[1] - f.corners[0]).cross(f.corners[2] - f.corners[1]).normalized();
        out.push_back(std::move(f));
    }
    return out;
}

QPolygonF faceOutline(const Face& f, const Projector& project) {
    QPolygonF out;
    constexpr int pieces = 8;
    for (size_t k = 0; k < f.corners.size(); ++k) {
        const Eigen::Vector3d side = f.corners[(k + 1) % f.corners.size()] - f.corners[k];
        for (int i = 0; i < pieces; ++i) {
            const auto p = project(f.corners[k] + side * (double(i) / pieces));
            if (!p) return {};
            out << *p;
        }
    }
    return out;
}

/// Lines with a dark border, so that they stand out from any plate, and the name at its vertex.
void drawMarks(QPainter& painter, const Thing& thing, const Shape& shape, const QColor& line,
               const Projector& project) {
    const auto at = [&](int i) { return thing.toWorld(shape.vertices[size_t(i)]); };
    for (const QPen& pen : {QPen(QColor(0, 0, 0, 150), 4), QPen(line, 2)}) {
        painter.setPen(pen);
        for (const auto& [a, b] : shape.lines) drawLine3d(painter, project, at(a), at(b), 4);
    }
    const auto head = shape.label ? project(at(*shape.label)) : std::nullopt;
    if (!head) return;
    painter.setBrush(line);
    painter.drawEllipse(*head, 4, 4);
    painter.setBrush(Qt::NoBrush);
    painter.setFont(captionFont());
    painter.setPen(QColor(0, 0, 0, 190));
    painter.drawText(*head + QPointF(9, 5), QString::fromStdString(thing.name));
    painter.setPen(Qt::white);
    painter.drawText(*head + QPointF(8, 4), QString::fromStdString(thing.name));
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
               const Eigen::Vector3d& eye) {
    const Theme& theme = Theme::current();
    const QColor line = selected ? theme.accent : theme.teal;
    const Shape shape = shapeOf(thing.kind);
    std::vector<Face> faces = facesOf(thing, shape);
    const auto distance = [&](const Face& f) { return (f.middle - eye).norm(); };
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
    drawMarks(painter, thing, shape, line, project);
}

QPolygonF outlineOf(const Thing& thing, const Projector& project) {
    const Shape shape = shapeOf(thing.kind);
    QPolygonF all;
    for (const Face& f : facesOf(thing, shape)) {
        const QPolygonF o = faceOutline(f, project);
        if (o.isEmpty()) return {};
        all = all.isEmpty() ? o : all.united(o);
    }
    if (!all.isEmpty()) return all;
    // A mark has no surface: a hand's breadth around it can be grabbed.
    for (const auto& [a, b] : shape.lines)
        for (const int i : {a, b}) {
            const auto p = project(thing.toWorld(shape.vertices[size_t(i)]));
            if (!p) return {};
            all << *p;
        }
    return QPolygonF(all.boundingRect().adjusted(-8, -8, 8, 8));
}

}  // namespace va
