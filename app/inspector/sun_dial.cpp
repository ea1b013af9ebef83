// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/sun_dial.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "style/theme.h"

namespace va {
namespace {

constexpr double margin = 9;
/// Nearer to the horizon than this a dragged sun does not go.
constexpr double lowestSun = 1 * M_PI / 180;

}  // namespace

SunDial::SunDial(QWidget* parent) : QWidget(parent) {
    setObjectName("sunDial");
    setAccessibleName(tr("Direction of the light, from above"));
    setToolTip(tr("Drag: the middle is straight above, the rim the horizon; the wedge is what the camera looks at"));
    setFixedSize(sizeHint());
    setCursor(Qt::CrossCursor);
}

double SunDial::radius() const { return std::min(width(), height()) / 2.0 - margin; }

void SunDial::show(const Eigen::Vector3d& toSun, double sigma, bool on, const std::optional<Eigen::Vector3d>& camera,
                   double halfView) {
    toSun_ = toSun, sigma_ = sigma, on_ = on, camera_ = camera.has_value(), halfView_ = halfView;
    turn_ = camera ? std::atan2(camera->x(), -camera->z()) : 0;
    update();
}

Eigen::Vector3d SunDial::directionAt(const QPointF& at) const {
    const QPointF d = at - middle();
    const double away = std::min(1.0, std::hypot(d.x(), d.y()) / radius());
    const double high = std::max(lowestSun, (1 - away) * M_PI / 2), heading = std::atan2(d.x(), -d.y()) + turn_;
    return {std::cos(high) * std::sin(heading), std::sin(high), -std::cos(high) * std::cos(heading)};
}

QPointF SunDial::placeOf(const Eigen::Vector3d& toSun) const {
    const double high = std::asin(std::clamp(toSun.y(), -1.0, 1.0)),
                 heading = std::atan2(toSun.x(), -toSun.z()) - turn_;
    const double away = std::min(1.0, 1 - high / (M_PI / 2)) * radius();
    return middle() + QPointF(away * std::sin(heading), -away * std::cos(heading));
}

void SunDial::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double r = radius();
    painter.setPen(QPen(theme.line, 1));
    painter.setBrush(theme.field);
    painter.drawEllipse(middle(), r, r);
    if (camera_) {
        QPainterPath wedge(middle());
        wedge.arcTo(QRectF(middle().x() - r, middle().y() - r, 2 * r, 2 * r), 90 - halfView_ * 180 / M_PI,
                    2 * halfView_ * 180 / M_PI);
        wedge.closeSubpath();
        QColor fill = theme.teal;
        fill.setAlpha(46);
        painter.fillPath(wedge, fill);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme.line, 1, Qt::DotLine));
    for (const double high : {30.0, 60.0}) painter.drawEllipse(middle(), r * (1 - high / 90), r * (1 - high / 90));
    // The shadow of an upright post in the middle, and the sun.
    const QPointF sun = placeOf(toSun_), away = middle() - sun;
    const double length = std::hypot(away.x(), away.y());
    if (on_ && length > 2) {
        const double reach = std::min(r, r * 0.25 * length / std::max(1.0, r - length));
        painter.setPen(QPen(QColor(0, 0, 0, 150), 4, Qt::SolidLine, Qt::FlatCap));
        painter.drawLine(middle(), middle() + away / length * reach);
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.text);
    painter.drawEllipse(middle(), 2.5, 2.5);
    const QColor light = on_ ? theme.accent : theme.line;
    if (sigma_ >= 0) {
        QColor spread = light;
        spread.setAlpha(70);
        painter.setBrush(spread);
        const double s = std::max(7.0, sigma_ / 90 * r);
        painter.drawEllipse(sun, s, s);
    }
    painter.setBrush(light);
    painter.setPen(QPen(theme.field, 1));
    painter.drawEllipse(sun, 5.5, 5.5);
}

void SunDial::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    Q_EMIT held(true);
    Q_EMIT turned(directionAt(event->position()));
}
void SunDial::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) Q_EMIT held(false);
}
void SunDial::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) Q_EMIT turned(directionAt(event->position()));
}

}  // namespace va
