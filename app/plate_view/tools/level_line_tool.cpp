// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/level_line_tool.h"

#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr double shortestLine = 16;  ///< screen px

}  // namespace

bool LevelLineTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !document_.shot().hasPlate()) return false;
    drawing_ = true;
    from_ = to_ = event->position();
    return true;
}

bool LevelLineTool::move(QMouseEvent* event) {
    if (!drawing_) return false;
    to_ = event->position();
    canvas_.update();
    return true;
}

bool LevelLineTool::release(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !drawing_) return false;
    drawing_ = false;
    to_ = event->position();
    if (QLineF(from_, to_).length() >= shortestLine) drawn(inPicture(from_), inPicture(to_));
    canvas_.update();
    return true;
}

void LevelLineTool::drawn(const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    Q_EMIT canvas_.levelLineDrawn(kind_, from, to);
}

bool GroundEdgeTool::release(QMouseEvent* event) {
    alongX_ = event->modifiers() & Qt::ShiftModifier;
    return LevelLineTool::release(event);
}

void GroundEdgeTool::drawn(const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    Q_EMIT canvas_.groundEdgeDrawn(from, to, alongX_);
}

QString GroundEdgeTool::hint() const {
    return QObject::tr("Draw along an edge on the ground: Z will lie along it, with Shift X");
}

void LevelLineTool::paint(QPainter& painter) {
    if (!drawing_) return;
    painter.setPen(QPen(QColor(0, 0, 0, 150), 3));
    painter.drawLine(from_, to_);
    painter.setPen(QPen(Theme::current().accent, 1.6, Qt::DashLine));
    painter.drawLine(from_, to_);
}

QString LevelLineTool::hint() const {
    return kind_ == LevelKind::horizon ? QObject::tr("Draw along the horizon: sea or a far plain")
                                       : QObject::tr("Draw along an upright edge: the line snaps to it");
}

}  // namespace va
