// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/mask_tool.h"

#include <QPainterPath>
#include <cmath>

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double reach = 8;  ///< screen px

QPainterPath outlineOf(const std::vector<MaskPoint>& points, const PlateCanvas& canvas, bool closed) {
    QPainterPath path;
    const auto at = [&](const Eigen::Vector2d& p) { return canvas.fromPixel(p.x(), p.y()); };
    for (size_t i = 0; i < points.size(); ++i) {
        if (i == 0) path.moveTo(at(points[0].at));
        else path.cubicTo(at(points[i - 1].at + points[i - 1].out), at(points[i].at + points[i].in), at(points[i].at));
    }
    if (closed && points.size() > 1) {
        path.cubicTo(at(points.back().at + points.back().out), at(points[0].at + points[0].in), at(points[0].at));
        path.closeSubpath();
    }
    return path;
}

}  // namespace

std::vector<MaskPoint> MaskTool::shown() const {
    if (!dragged_.empty()) return dragged_;
    const MaskShape* m = selected();
    return m ? edits_.maskPoints(*m) : std::vector<MaskPoint>{};
}

void MaskTool::leave() {
    drawn_.clear();
    dragged_.clear();
    grab_ = Grab::nothing;
    point_ = -1;
}

void MaskTool::close() {
    if (drawn_.size() >= 3) edits_.addMask(drawn_);
    else Q_EMIT document_.troubled(QObject::tr("A mask needs three points or more."));
    leave();
    canvas_.update();
}

bool MaskTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || event->modifiers() & Qt::AltModifier || !document_.shot().hasPlate())
        return false;
    last_ = event->position();
    const auto near = [&](const Eigen::Vector2d& p) { return QLineF(onScreen(p), event->position()).length() < reach; };
    if (drawn_.empty()) {
        const std::vector<MaskPoint> points = shown();
        for (size_t i = 0; i < points.size(); ++i) {
            const bool distorted = !points[i].in.isZero() || !points[i].out.isZero();
            const Grab grab = near(points[i].at)                                ? Grab::point
                              : distorted && near(points[i].at + points[i].in)  ? Grab::in
                              : distorted && near(points[i].at + points[i].out) ? Grab::out
                                                                                : Grab::nothing;
            if (grab == Grab::nothing) continue;
            grab_ = grab;
            point_ = int(i);
            dragged_ = points;
            canvas_.update();
            return true;
        }
        // Inside of a mask: that one is taken, and moved as a whole when it is the selected one.
        const Eigen::Vector2d here = inPicture(event->position());
        if (!points.empty() && insideOutline(flattened(points), here)) {
            grab_ = Grab::whole;
            dragged_ = points;
            return true;
        }
        for (const MaskShape& m : edits_.masks())
            if (insideOutline(flattened(edits_.maskPoints(m)), here)) {
                document_.selectMask(m.id);
                point_ = -1;
                return true;
            }
        if (selected()) {
            // Beside everything: the selection is let go, and the next click begins a new mask.
            document_.selectMask(0);
            point_ = -1;
            return true;
        }
    } else if (near(drawn_.front().at) && drawn_.size() >= 3) {
        close();
        return true;
    }
    drawn_.push_back({inPicture(event->position()), Eigen::Vector2d::Zero(), Eigen::Vector2d::Zero()});
    distorting_ = true;
    canvas_.update();
    return true;
}

bool MaskTool::move(QMouseEvent* event) {
    pointer_ = inPicture(event->position());
    if (distorting_ && QLineF(last_, event->position()).length() > 4) {
        MaskPoint& p = drawn_.back();
        p.out = pointer_ - p.at;
        p.in = -p.out;
    }
    if (grab_ != Grab::nothing && !dragged_.empty()) {
        const Eigen::Vector2d by = pointer_ - inPicture(last_);
        last_ = event->position();
        if (grab_ == Grab::whole)
            for (MaskPoint& p : dragged_) p.at += by;
        else {
            MaskPoint& p = dragged_[size_t(point_)];
            if (grab_ == Grab::point) p.at += by;
            // Both handles stay in line; with shift one goes alone.
            else if (grab_ == Grab::in) {
                p.in += by;
                if (!(event->modifiers() & Qt::ShiftModifier) && p.in.norm() > 0)
                    p.out = -p.in.normalized() * p.out.norm();
            } else {
                p.out += by;
                if (!(event->modifiers() & Qt::ShiftModifier) && p.out.norm() > 0)
                    p.in = -p.out.normalized() * p.in.norm();
            }
        }
    }
    if (!drawn_.empty() || grab_ != Grab::nothing) canvas_.update();
    return grab_ != Grab::nothing || distorting_;
}

bool MaskTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return false;
    distorting_ = false;
    if (grab_ == Grab::nothing) return !drawn_.empty();
    const std::vector<MaskPoint> points = std::move(dragged_);
    dragged_.clear();
    grab_ = Grab::nothing;
    if (selected() && points != edits_.maskPoints(*selected())) edits_.setMaskPoints(selected()->id, points);
    canvas_.update();
    return true;
}

bool MaskTool::doubleClick(QMouseEvent* event) {
    if (!drawn_.empty()) {
        if (drawn_.size() > 3) drawn_.pop_back();  // the double click's first half set one
        close();
        return true;
    }
    const MaskShape* m = selected();
    if (!m) return false;
    const std::vector<MaskPoint> points = shown();
    const Eigen::Vector2d here = inPicture(event->position());
    // On a point: corner to curve and back. On the outline: one more point.
    for (size_t i = 0; i < points.size(); ++i)
        if (QLineF(onScreen(points[i].at), event->position()).length() < reach) {
            std::vector<MaskPoint> next = points;
            MaskPoint& p = next[i];
            if (p.in.isZero() && p.out.isZero()) {
                const Eigen::Vector2d along =
                    (next[(i + 1) % next.size()].at - next[(i + next.size() - 1) % next.size()].at) / 6;
                p.out = along, p.in = -along;
            } else {
                p.in.setZero(), p.out.setZero();
            }
            edits_.setMaskPoints(m->id, next);
            return true;
        }
    size_t best = 0;
    double nearest = 1e18;
    for (size_t i = 0; i < points.size(); ++i) {
        const auto segment = flattened({points[i], points[(i + 1) % points.size()]});
        for (const auto& p : segment)
            if ((p - here).norm() < nearest && &p <= &segment[segment.size() / 2 + 1])
                nearest = (p - here).norm(), best = i;
        const Eigen::Vector2d middle = 0.5 * (points[i].at + points[(i + 1) % points.size()].at);
        if ((middle - here).norm() < nearest) nearest = (middle - here).norm(), best = i;
    }
    edits_.changeMask(QObject::tr("Add mask point"), m->id, [&](MaskShape& s) { s.insertPoint(best); });
    point_ = int(best) + 1;
    return true;
}

bool MaskTool::wantsKey(const QKeyEvent& event) const {
    const int k = event.key();
    if (!drawn_.empty())
        return k == Qt::Key_Return || k == Qt::Key_Enter || k == Qt::Key_Escape || k == Qt::Key_Backspace;
    return selected() && (k == Qt::Key_Delete || k == Qt::Key_Backspace);
}

bool MaskTool::key(QKeyEvent* event) {
    if (!wantsKey(*event)) return false;
    const int k = event->key();
    if (!drawn_.empty()) {
        if (k == Qt::Key_Escape) leave();
        else if (k == Qt::Key_Backspace) drawn_.pop_back();
        else close();
    } else if (point_ >= 0 && selected()->pointsAt(document_.frame()).size() > 3) {
        edits_.changeMask(QObject::tr("Remove mask point"), selected()->id,
                          [&](MaskShape& m) { m.removePoint(size_t(point_)); });
        point_ = -1;
    } else {
        edits_.removeMask(selected()->id);
    }
    canvas_.update();
    return true;
}

void MaskTool::paint(QPainter& painter) {
    const Theme& theme = Theme::current();
    const auto knot = [&](const Eigen::Vector2d& p, bool filled) {
        const QPointF at = onScreen(p);
        painter.setPen(QPen(QColor(0, 0, 0, 160), 1));
        painter.setBrush(filled ? theme.accent : QColor(240, 240, 240));
        painter.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7));
    };
    const std::vector<MaskPoint> points = drawn_.empty() ? shown() : drawn_;
    if (!drawn_.empty() || !dragged_.empty()) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme.accent, 1.6));
        painter.drawPath(outlineOf(points, canvas_, drawn_.empty()));
        if (!drawn_.empty() && !distorting_) {
            painter.setPen(QPen(theme.accent, 1, Qt::DashLine));
            painter.drawLine(onScreen(drawn_.back().at), onScreen(pointer_));
        }
    }
    for (size_t i = 0; i < points.size(); ++i) {
        for (const Eigen::Vector2d& handle : {points[i].in, points[i].out}) {
            if (handle.isZero()) continue;
            painter.setPen(QPen(QColor(255, 255, 255, 160), 1));
            painter.drawLine(onScreen(points[i].at), onScreen(points[i].at + handle));
            painter.setBrush(QColor(240, 240, 240));
            painter.setPen(QPen(QColor(0, 0, 0, 160), 1));
            painter.drawEllipse(onScreen(points[i].at + handle), 3.0, 3.0);
        }
        knot(points[i].at, int(i) == point_ || (!drawn_.empty() && i == 0));
    }
}

QString MaskTool::hint() const {
    if (!drawn_.empty())
        return QObject::tr(
            "Click for a corner, drag for a curve · Return or the first point closes · Backspace takes one back");
    if (selected())
        return QObject::tr(
            "Drag points in any frame to make a key there · double-click the outline for one more, a point to curve "
            "it");
    return QObject::tr("Click the first point of a new mask, or choose one");
}

void drawMasks(QPainter& painter, const PlateCanvas& canvas, const Document& document, const FeatureEdits& edits) {
    const Theme& theme = Theme::current();
    for (const MaskShape& m : edits.masks()) {
        const std::vector<MaskPoint> points = edits.maskPoints(m);
        if (points.size() < 3) continue;
        const bool selected = m.id == document.selectedMask();
        QPainterPath path = outlineOf(points, canvas, true);
        QPainterPath filled = path;
        if (m.exclude == m.invert) {
            // Keeps out everything around it.
            QPainterPath all;
            all.addRect(QRectF(canvas.fromPixel(-0.5, -0.5), canvas.fromPixel(document.shot().plate.width - 0.5,
                                                                              document.shot().plate.height - 0.5)));
            filled = all.subtracted(path);
        }
        if (m.enabled) painter.fillPath(filled, QBrush(QColor(10, 10, 10, 150), Qt::BDiagPattern));
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 120), selected ? 3.4 : 2.6));
        painter.drawPath(path);
        painter.setPen(QPen(selected ? theme.accent : QColor(225, 225, 225, m.enabled ? 230 : 120),
                            selected ? 1.6 : 1.1, m.enabled ? Qt::SolidLine : Qt::DashLine));
        painter.drawPath(path);
        if (m.grow != 0 || m.feather > 0) {
            // Where it ends after growing and fading.
            QPainterPathStroker stroker;
            const double wide = 2 * std::fabs(m.grow + (m.grow >= 0 ? 1 : -1) * m.feather / 2) * canvas.zoom();
            stroker.setWidth(std::max(1.0, wide));
            stroker.setJoinStyle(Qt::RoundJoin);
            const QPainterPath band = stroker.createStroke(path);
            painter.setPen(QPen(QColor(255, 255, 255, 110), 1, Qt::DotLine));
            painter.drawPath(m.grow >= 0 ? path.united(band) : path.subtracted(band));
        }
    }
}

}  // namespace va
