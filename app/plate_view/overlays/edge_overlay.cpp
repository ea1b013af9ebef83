// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/overlays/edge_overlay.h"

#include <algorithm>
#include <cmath>

#include "plate_view/overlays/notices.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

QPolygonF lineOf(const StraightEdge& e, const PlateCanvas& canvas) {
    QPolygonF out;
    for (const auto& p : e.points) out << canvas.fromPixel(p.x(), p.y());
    return out;
}

}  // namespace

const Straightness& EdgeOverlay::measured(const StraightEdge& edge, const Intrinsics& lens) {
    const bool same = lens.lens == lens_.lens && lens.focalPx == lens_.focalPx &&
                      lens.principalPoint == lens_.principalPoint && lens.pixelAspect == lens_.pixelAspect;
    if (!same) kept_.clear(), lens_ = lens;
    auto& [points, straightness] = kept_[edge.id];
    if (points != edge.points.size()) {
        points = edge.points.size();
        straightness = straightnessOf(edge.points, lens);
    }
    return straightness;
}

void EdgeOverlay::paint(QPainter& painter, const PlateCanvas& canvas, const Document& document, int hovered) {
    const Shot& shot = document.shot();
    const Theme& theme = Theme::current();
    const auto lens = shot.lens();
    painter.setFont(captionFont());
    painter.setBrush(Qt::NoBrush);
    // Longest first: where numbers would lie on each other, the long edge's stand.
    std::vector<const StraightEdge*> numbered;
    for (const StraightEdge& e : shot.edges) {
        if (e.frame != document.frame() || e.points.size() < 2) continue;
        const QPolygonF line = lineOf(e, canvas);
        painter.setPen(QPen(QColor(0, 0, 0, 150), e.accepted ? 4 : 3));
        painter.drawPolyline(line);
        QPen pen(e.id == hovered ? theme.text : e.accepted ? theme.accent : theme.teal, e.accepted ? 2 : 1.4);
        if (!e.accepted) pen.setDashPattern({5, 3});
        painter.setPen(pen);
        painter.drawPolyline(line);
        if (e.accepted || e.id == hovered) numbered.push_back(&e);
    }
    std::stable_sort(numbered.begin(), numbered.end(), [&](const StraightEdge* a, const StraightEdge* b) {
        return std::pair(a->id != hovered, -double(a->points.size())) <
               std::pair(b->id != hovered, -double(b->points.size()));
    });
    std::vector<QRectF> taken;
    for (const StraightEdge* edge : numbered) {
        const StraightEdge& e = *edge;
        const QPolygonF line = lineOf(e, canvas);
        const Straightness& s = measured(e, lens ? *lens : shot.givenLens());
        const QString text = lens ? QObject::tr("%1 → %2 px").arg(s.before, 0, 'f', 2).arg(s.after, 0, 'f', 2)
                                  : QObject::tr("%1 px off straight").arg(s.before, 0, 'f', 2);
        const QRectF box = painter.fontMetrics().boundingRect(text).adjusted(-4, -2, 4, 2);
        QRectF at = box.translated(line[line.size() / 2] + QPointF(6, -8));
        at.moveRight(std::min(at.right(), canvas.width() - 4.0));
        at.moveTop(std::max(at.top(), 4.0));
        if (std::any_of(taken.begin(), taken.end(), [&](const QRectF& t) { return t.intersects(at); })) continue;
        taken.push_back(at);
        drawTag(painter, at, text);
    }
}

int EdgeOverlay::edgeAt(const PlateCanvas& canvas, const Document& document, const QPointF& at) {
    int best = 0;
    double nearest = 8;
    for (const StraightEdge& e : document.shot().edges) {
        if (e.frame != document.frame()) continue;
        for (const auto& p : e.points) {
            const double far = QLineF(canvas.fromPixel(p.x(), p.y()), at).length();
            if (far < nearest) nearest = far, best = e.id;
        }
    }
    return best;
}

}  // namespace va
