// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/hand_tool.h"

#include <cmath>

#include "plate_view/overlays/loupe.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {

const PathPoint* HandTool::spot() const {
    const Path* p = edits_.current();
    return p ? p->at(document_.frame()) : nullptr;
}

int HandTool::radius(const Path& path) const {
    return path.radius > 0 ? path.radius : defaultPatchRadius(document_.shot().plate.width);
}
int HandTool::searchRadius(const Path& path) const {
    return path.searchRadius > 0 ? path.searchRadius : 3 * radius(path);
}

HandTool::Drag HandTool::edgeAt(const QPointF& at) const {
    const Path* path = edits_.current();
    const PathPoint* here = spot();
    if (!here || path->origin != PathOrigin::byHand) return Drag::nothing;
    const Eigen::Vector2d d = inPicture(at) - Eigen::Vector2d(here->x, here->y);
    const double far = d.cwiseAbs().maxCoeff(), reach = 5 / canvas_.zoom();
    if (std::fabs(far - radius(*path)) < reach) return Drag::patch;
    if (std::fabs(far - radius(*path) - searchRadius(*path)) < reach) return Drag::search;
    return Drag::nothing;
}

bool HandTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || event->modifiers() & Qt::AltModifier || !document_.shot().hasPlate())
        return false;
    last_ = event->position();
    const PathPoint* here = spot();
    // On a small patch the edges need room too.
    const double reach = here ? std::min(9.0, 0.6 * radius(*edits_.current()) * canvas_.zoom()) : 0;
    if (here && QLineF(onScreen({here->x, here->y}), event->position()).length() < reach) {
        drag_ = Drag::spot;
        at_ = {here->x, here->y};
    } else if (const Drag edge = edgeAt(event->position()); edge != Drag::nothing) {
        drag_ = edge;
        draggedRadius_ = edge == Drag::patch ? radius(*edits_.current()) : searchRadius(*edits_.current());
    } else if (const int other = canvas_.pathAt(event->position()); other != 0) {
        const bool more = event->modifiers() & (Qt::ShiftModifier | Qt::ControlModifier);
        document_.selectPaths({other}, more ? Document::Combine::toggle : Document::Combine::replace);
    } else {
        drag_ = Drag::fresh;
        at_ = inPicture(event->position());
    }
    canvas_.update();
    return true;
}

bool HandTool::move(QMouseEvent* event) {
    if (drag_ == Drag::nothing) {
        const Drag edge = edgeAt(event->position());
        canvas_.setCursor(edge == Drag::nothing ? Qt::CrossCursor : Qt::SizeAllCursor);
        return false;
    }
    if (drag_ == Drag::fresh || drag_ == Drag::spot) {
        // With the control key the feature goes a tenth of the way, for the last bit.
        const double share = event->modifiers() & Qt::ControlModifier ? 0.1 : 1;
        const Eigen::Vector2d step = inPicture(event->position()) - inPicture(last_);
        at_ += share * step;
        last_ = event->position();
    } else if (const PathPoint* here = spot()) {
        const double far = (inPicture(event->position()) - Eigen::Vector2d(here->x, here->y)).cwiseAbs().maxCoeff();
        draggedRadius_ = drag_ == Drag::patch ? std::clamp(int(std::lround(far)), 3, 40)
                                              : std::clamp(int(std::lround(far)) - radius(*edits_.current()), 2, 200);
    }
    canvas_.update();
    return true;
}

bool HandTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || drag_ == Drag::nothing) return false;
    const Drag done = drag_;
    drag_ = Drag::nothing;
    const PlateInfo& plate = document_.shot().plate;
    at_ = at_.cwiseMax(Eigen::Vector2d(0, 0)).cwiseMin(Eigen::Vector2d(plate.width - 1, plate.height - 1));
    const Path* path = edits_.current();
    if (done == Drag::fresh) edits_.addHandFeature(at_);
    else if (done == Drag::spot && path && spot() && (Eigen::Vector2d(spot()->x, spot()->y) - at_).norm() > 1e-6)
        edits_.placeByHand(path->id, at_);
    else if (done == Drag::patch && path && draggedRadius_ != radius(*path))
        edits_.changePath(QObject::tr("Set patch size"), path->id, [&](Path& p) { p.radius = draggedRadius_; });
    else if (done == Drag::search && path && draggedRadius_ != searchRadius(*path))
        edits_.changePath(QObject::tr("Set search size"), path->id, [&](Path& p) { p.searchRadius = draggedRadius_; });
    canvas_.update();
    return true;
}

bool HandTool::wantsKey(const QKeyEvent& event) const {
    const int k = event.key();
    return spot() && (k == Qt::Key_Left || k == Qt::Key_Right || k == Qt::Key_Up || k == Qt::Key_Down) &&
           !(event.modifiers() & (Qt::ControlModifier | Qt::AltModifier));
}

bool HandTool::key(QKeyEvent* event) {
    if (!wantsKey(*event)) return false;
    const double step = event->modifiers() & Qt::ShiftModifier ? 1.0 : 0.1;
    const int k = event->key();
    edits_.nudge({k == Qt::Key_Left    ? -step
                  : k == Qt::Key_Right ? step
                                       : 0,
                  k == Qt::Key_Up     ? -step
                  : k == Qt::Key_Down ? step
                                      : 0});
    return true;
}

void HandTool::paint(QPainter& painter) {
    const Theme& theme = Theme::current();
    const Path* path = edits_.current();
    const PathPoint* here = spot();
    const bool moving = drag_ == Drag::fresh || drag_ == Drag::spot;
    const int shown = path ? (drag_ == Drag::patch ? draggedRadius_ : radius(*path))
                           : defaultPatchRadius(document_.shot().plate.width);
    if (path && here && path->origin == PathOrigin::byHand && drag_ != Drag::fresh) {
        const Eigen::Vector2d at = drag_ == Drag::spot ? at_ : Eigen::Vector2d(here->x, here->y);
        const int search = shown + (drag_ == Drag::search ? draggedRadius_ : searchRadius(*path));
        const auto square = [&](int r) {
            return QRectF(onScreen(at - Eigen::Vector2d::Constant(r + 0.5)),
                          onScreen(at + Eigen::Vector2d::Constant(r + 0.5)));
        };
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3));
        painter.drawRect(square(shown));
        painter.setPen(QPen(theme.accent, 1.4));
        painter.drawRect(square(shown));
        painter.setPen(QPen(QColor(255, 255, 255, 150), 1, Qt::DotLine));
        painter.drawRect(square(search));
    }
    // The loupe stays while a feature is selected, so that nudging is seen; it keeps away from the position.
    if (!moving && !here) return;
    const Eigen::Vector2d at = moving ? at_ : Eigen::Vector2d(here->x, here->y);
    const auto picture = canvas_.cache() ? canvas_.cache()->picture(document_.frame()) : nullptr;
    if (!picture) return;
    const bool left = onScreen(at).x() > canvas_.width() / 2.0;
    drawLoupe(painter, *picture, at, document_.shot().pixelAspect(), shown,
              QPointF(left ? 14 : canvas_.width() - loupeSide - 14, 14),
              QObject::tr("%1 · %2").arg(at.x(), 0, 'f', 2).arg(at.y(), 0, 'f', 2));
}

QString HandTool::hint() const {
    if (drag_ == Drag::fresh || drag_ == Drag::spot) return QObject::tr("Hold Ctrl to move ten times finer");
    if (spot())
        return QObject::tr(
            "Arrow keys move by 0.1 px, with Shift by 1 px · drag the squares for patch and search size");
    return QObject::tr("Press and drag to place a feature under the loupe");
}

}  // namespace va
