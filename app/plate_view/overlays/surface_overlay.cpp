// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/surface_overlay.h"

#include <algorithm>
#include <cmath>

#include "plate_view/overlays/notices.h"
#include "style/theme.h"
#include "workflow/layout_work.h"

namespace va {
namespace {

constexpr double tilePx = 44;  ///< side of the tile, as the plate shows it face on
constexpr int tileCells = 4;

/// A round step that cuts a length into some eight parts.
double roundStep(double length) {
    const double raw = length / 8, ten = std::pow(10, std::floor(std::log10(std::max(1e-9, raw))));
    return raw / ten > 5 ? 10 * ten : raw / ten > 2 ? 5 * ten : raw / ten > 1 ? 2 * ten : ten;
}

void drawLattice(QPainter& painter, const Projector& project, const Eigen::Vector3d& centre, const Eigen::Vector3d& u,
                 const Eigen::Vector3d& v, double halfU, double halfV, double step) {
    const auto lines = [&](const Eigen::Vector3d& a, double halfA, const Eigen::Vector3d& b, double halfB) {
        for (double at = -std::floor(halfA / step) * step; at <= halfA + 1e-9; at += step)
            drawLine3d(painter, project, centre + at * a - halfB * b, centre + at * a + halfB * b, 16);
    };
    lines(u, halfU, v, halfV);
    lines(v, halfV, u, halfU);
}

}  // namespace

void drawSurfaceGrid(QPainter& painter, const Surface& surface, const Similarity& world, const Projector& project,
                     const QColor& line, const QColor& wash) {
    const Eigen::Vector3d centre = world.point(surface.centre), u = world.rotation * surface.u,
                          v = world.rotation * surface.v;
    const double halfU = surface.halfU * world.scale, halfV = surface.halfV * world.scale;
    QPolygonF outline;
    const auto corners = surface.corners();
    for (size_t i = 0; i < 4; ++i) {
        const Eigen::Vector3d a = world.point(corners[i]), b = world.point(corners[(i + 1) % 4]);
        for (int k = 0; k < 16; ++k)
            if (const auto at = project(a + (b - a) * (k / 16.0))) outline << *at;
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(wash);
    if (outline.size() > 2) painter.drawPolygon(outline);
    painter.setBrush(Qt::NoBrush);
    const double step = roundStep(2 * halfU);
    for (int halo = 1; halo >= 0; --halo) {
        painter.setPen(halo ? QPen(QColor(0, 0, 0, 80), 2.4) : QPen(line, 1));
        drawLattice(painter, project, centre, u, v, halfU, halfV, step);
    }
    painter.setPen(QPen(line, 2));
    for (size_t i = 0; i < 4; ++i)
        drawLine3d(painter, project, world.point(corners[i]), world.point(corners[(i + 1) % 4]), 24);
}

void SurfaceOverlay::lookAt(const Document& document, const std::optional<Eigen::Vector2d>& pixel) {
    tile_.reset();
    const Shot& shot = document.shot();
    if (!pixel || !shot.groundBasis || !shot.solve->hasDepth()) return;
    if (!finder_ || frame_ != document.frame() || ground_ != shot.ground) {
        const auto camera = shot.solve->cameraAt(document.frame());
        if (!camera) return;
        finder_ = std::make_unique<SurfaceFinder>(surfaceFinder(shot, document.frame(), *camera));
        frame_ = document.frame();
        ground_ = shot.ground;
    }
    tile_ = finder_->at(*pixel);
}

std::optional<Eigen::Vector3d> SurfaceOverlay::foot(const Document& document) const {
    return tile_ ? std::optional(document.shot().ground->worldFromSolve.point(tile_->foot)) : std::nullopt;
}

QString SurfaceOverlay::readout(const SurfaceTile& tile, const Shot& shot, double slipPx) {
    const double up = (shot.ground->worldFromSolve.rotation * tile.normal).y();
    const double tilt = std::acos(std::clamp(up, -1.0, 1.0)) * 180 / M_PI;
    QString what;
    switch (tile.from) {
        case SurfaceTile::From::points:
            what = QObject::tr("%1 points, ± %2 px").arg(tile.points).arg(tile.rmsPx, 0, 'f', 1);
            break;
        case SurfaceTile::From::plane:
            if (const NamedPlane* p = shot.groundSpec.plane(tile.plane)) what = QString::fromStdString(p->name);
            break;
        case SurfaceTile::From::ground: what = QObject::tr("ground"); break;
    }
    QString out = QObject::tr("tilt %1° · %2").arg(tilt, 0, 'f', 1).arg(what);
    if (slipPx >= 0) out += QObject::tr(" · slip %1 px").arg(slipPx, 0, 'f', 2);
    return out;
}

void SurfaceOverlay::paint(QPainter& painter, const QRect& view, const Document& document, const Projector& project,
                           double slipPx) const {
    const Shot& shot = document.shot();
    if (!tile_ || !project) return;
    const Similarity& world = shot.ground->worldFromSolve;
    const auto camera = shot.cameraAt(document.frame());
    const Eigen::Vector3d foot = world.point(tile_->foot), normal = world.rotation * tile_->normal;
    const auto at = project(foot);
    if (!camera || !at) return;
    // One axis of the tile lies level, so that its tilt is seen.
    Eigen::Vector3d u = Eigen::Vector3d::UnitY().cross(normal);
    if (u.norm() < 0.05) u = normal.cross(camera->pose().worldFromCamera * Eigen::Vector3d::UnitZ());
    u.normalize();
    const Eigen::Vector3d v = normal.cross(u);
    const double perPx = camera->footprint(foot) * shot.plate.width / std::max(1.0, double(view.width()));
    const double half = tilePx * perPx;
    const Theme& theme = Theme::current();
    QPolygonF outline;
    for (const auto& [a, b] : {std::pair(-1, -1), {1, -1}, {1, 1}, {-1, 1}})
        if (const auto corner = project(foot + half * (a * u + b * v))) outline << *corner;
    QColor wash = theme.accent;
    wash.setAlpha(46);
    painter.setPen(Qt::NoPen);
    painter.setBrush(wash);
    painter.drawPolygon(outline);
    painter.setBrush(Qt::NoBrush);
    for (int halo = 1; halo >= 0; --halo) {
        painter.setPen(halo ? QPen(QColor(0, 0, 0, 110), 2.6) : QPen(QColor(255, 255, 255, 220), 1.1));
        drawLattice(painter, project, foot, u, v, half, half, 2 * half / tileCells);
    }
    if (const auto head = project(foot + half * normal)) {
        painter.setPen(QPen(QColor(0, 0, 0, 140), 4));
        painter.drawLine(*at, *head);
        painter.setPen(QPen(theme.accent, 2));
        painter.drawLine(*at, *head);
        painter.setBrush(theme.accent);
        painter.setPen(Qt::NoPen);
        painter.drawEllipse(*head, 3.5, 3.5);
        painter.setBrush(Qt::NoBrush);
    }
    painter.setFont(captionFont());
    const QString words = readout(*tile_, shot, slipPx);
    QRectF box = painter.fontMetrics().boundingRect(words).adjusted(-6, -3, 6, 3);
    box.moveTopLeft(*at + QPointF(18, 14));
    box.moveRight(std::min(box.right(), view.right() - 4.0));
    box.moveBottom(std::min(box.bottom(), view.bottom() - 4.0));
    drawTag(painter, box, words);
}

}  // namespace va
