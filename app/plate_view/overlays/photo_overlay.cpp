// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/photo_overlay.h"

#include <algorithm>
#include <cmath>

#include "plate_view/overlays/notices.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double grabEnd = 9, grabLine = 5;  ///< screen px
constexpr int floorCells = 12;

double distanceToSegment(const QPointF& p, const QPointF& a, const QPointF& b) {
    const QPointF d = b - a, e = p - a;
    const double length2 = QPointF::dotProduct(d, d);
    const double t = length2 > 0 ? std::clamp(QPointF::dotProduct(e, d) / length2, 0.0, 1.0) : 0;
    return std::hypot(e.x() - t * d.x(), e.y() - t * d.y());
}

/// The floor from below the camera to where it can hardly be told from the horizon, in squares of a round size.
void drawFloor(QPainter& painter, const Document& document, const Projector& project) {
    const auto pose = document.shot().worldPose(document.frame());
    if (!pose || !(pose->position.y() > 0)) return;
    const double height = pose->position.y();
    // A square as large as the camera stands high, rounded: 1 m for one in the hand.
    const double ten = std::pow(10, std::floor(std::log10(height))), lead = height / ten;
    const double step = (lead < 1.4 ? 1 : lead < 3 ? 1 : lead < 7 ? 5 : 10) * ten * (lead < 1.4 ? 0.5 : 1);
    Eigen::Vector3d ahead = pose->worldFromCamera * -Eigen::Vector3d::UnitZ();
    ahead.y() = 0;
    if (ahead.norm() < 1e-6) ahead = -Eigen::Vector3d::UnitZ();
    const Eigen::Vector3d middle = pose->position + ahead.normalized() * (floorCells * step);
    const Eigen::Vector3d centre(std::round(middle.x() / step) * step, 0, std::round(middle.z() / step) * step);
    const Projector moved = [&](const Eigen::Vector3d& p) { return project(p + centre); };
    QColor colour = Theme::current().teal;
    colour.setAlpha(150);
    drawGrid(painter, colour, moved, step, floorCells);
}

}  // namespace

void drawPhotoMatch(QPainter& painter, const PlateCanvas& canvas, const Document& document, const Projector& project,
                    const PhotoHandle& held, int spot) {
    const Shot& shot = document.shot();
    const PhotoMatch& photo = shot.photo;
    const Theme& theme = Theme::current();
    if (photo.frame != document.frame()) return;
    if (project && shot.solve->motion == Motion::still) drawFloor(painter, document, project);
    const auto at = [&](const Eigen::Vector2d& p) { return canvas.fromPixel(p.x(), p.y()); };
    const auto stroke = [&](const QPointF& a, const QPointF& b, const QColor& colour, double width) {
        painter.setPen(QPen(QColor(0, 0, 0, 140), width + 2));
        painter.drawLine(a, b);
        painter.setPen(QPen(colour, width));
        painter.drawLine(a, b);
    };
    const auto end = [&](const QPointF& p, bool hot) {
        painter.setPen(QPen(QColor(0, 0, 0, 170), 1));
        painter.setBrush(hot ? theme.accent : QColor(245, 245, 245));
        painter.drawEllipse(p, hot ? 5 : 3.5, hot ? 5 : 3.5);
        painter.setBrush(Qt::NoBrush);
    };
    const auto tag = [&](const QPointF& p, const QString& words) {
        QRectF box = painter.fontMetrics().boundingRect(words).adjusted(-4, -1, 4, 1);
        box.moveCenter(p);
        drawTag(painter, box, words);
    };
    using Kind = PhotoHandle::Kind;
    painter.setFont(captionFont());
    const QString letters[] = {QStringLiteral("X"), QStringLiteral("Y"), QStringLiteral("Z")};
    for (size_t i = 0; i < photo.lines.size(); ++i) {
        const PhotoLine& l = photo.lines[i];
        const QPointF a = at(l.a), b = at(l.b);
        const bool hot = (held.kind == Kind::line || held.kind == Kind::lineEnd) && held.index == i;
        stroke(a, b, hot ? theme.accent : QColor(255, 255, 255, l.drawn ? 235 : 130), l.drawn ? 1.8 : 1);
        if (l.drawn || hot) {
            end(a, held.kind == Kind::lineEnd && hot && held.end == 0);
            end(b, held.kind == Kind::lineEnd && hot && held.end == 1);
        }
        // The angle says the same on short lines: letters would cover them.
        if (l.drawn || hot || QLineF(a, b).length() > 90) {
            QString words = letters[size_t(l.axis)];
            if (hot && i < shot.photo.fit->lineMisfits.size())
                words += QObject::tr(" · %1 px").arg(std::fabs(shot.photo.fit->lineMisfits[i]), 0, 'f', 2);
            tag((a + b) / 2, words);
        }
    }
    if (photo.horizon) {
        const bool hot = held.kind == Kind::horizon || held.kind == Kind::horizonEnd;
        stroke(at(photo.horizon->a), at(photo.horizon->b), hot ? theme.accent : QColor(255, 255, 255, 235), 1.6);
        end(at(photo.horizon->a), hot && held.kind == Kind::horizonEnd && held.end == 0);
        end(at(photo.horizon->b), hot && held.kind == Kind::horizonEnd && held.end == 1);
        tag((at(photo.horizon->a) + at(photo.horizon->b)) / 2, QObject::tr("horizon"));
    }
    if (photo.quad) {
        const auto& c = photo.quad->corners;
        for (size_t i = 0; i < 4; ++i) stroke(at(c[i]), at(c[(i + 1) % 4]), theme.accent, i == 0 ? 2.6 : 1.6);
        for (size_t i = 0; i < 4; ++i) end(at(c[i]), held.kind == Kind::corner && held.index == i);
    }
    for (size_t i = 0; i < photo.spots.size(); ++i) {
        const QPointF p = at(photo.spots[i].pixel);
        const bool hot = (held.kind == Kind::spot && held.index == i) || int(i) == spot;
        stroke(p - QPointF(7, 0), p + QPointF(7, 0), hot ? theme.accent : QColor(245, 245, 245), 1.6);
        stroke(p - QPointF(0, 7), p + QPointF(0, 7), hot ? theme.accent : QColor(245, 245, 245), 1.6);
        tag(p + QPointF(18, -12), QString::fromStdString(photo.spots[i].name));
    }
}

PhotoHandle photoHandleAt(const PlateCanvas& canvas, const Document& document, const QPointF& p) {
    const PhotoMatch& photo = document.shot().photo;
    using Kind = PhotoHandle::Kind;
    PhotoHandle best;
    if (photo.frame != document.frame()) return best;
    const auto at = [&](const Eigen::Vector2d& q) { return canvas.fromPixel(q.x(), q.y()); };
    double nearest = grabEnd;
    const auto point = [&](const Eigen::Vector2d& q, const PhotoHandle& handle) {
        const double far = QLineF(at(q), p).length();
        if (far < nearest) nearest = far, best = handle;
    };
    for (size_t i = 0; i < photo.spots.size(); ++i) point(photo.spots[i].pixel, {Kind::spot, i, 0});
    if (photo.quad)
        for (size_t i = 0; i < 4; ++i) point(photo.quad->corners[i], {Kind::corner, i, 0});
    if (photo.horizon) {
        point(photo.horizon->a, {Kind::horizonEnd, 0, 0});
        point(photo.horizon->b, {Kind::horizonEnd, 0, 1});
    }
    for (size_t i = 0; i < photo.lines.size(); ++i) {
        point(photo.lines[i].a, {Kind::lineEnd, i, 0});
        point(photo.lines[i].b, {Kind::lineEnd, i, 1});
    }
    if (best) return best;
    nearest = grabLine;
    const auto segment = [&](const Eigen::Vector2d& a, const Eigen::Vector2d& b, const PhotoHandle& handle) {
        const double far = distanceToSegment(p, at(a), at(b));
        if (far < nearest) nearest = far, best = handle;
    };
    for (size_t i = 0; i < photo.lines.size(); ++i) segment(photo.lines[i].a, photo.lines[i].b, {Kind::line, i, 0});
    if (photo.horizon) segment(photo.horizon->a, photo.horizon->b, {Kind::horizon, 0, 0});
    return best;
}

}  // namespace va
