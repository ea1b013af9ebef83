// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/key_plot.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "style/theme.h"

namespace va {
namespace {

constexpr double left = 56, right = 12, top = 10, bottom = 18;
constexpr double degreesPerRadian = 180 / M_PI;

}  // namespace

KeyPlot::KeyPlot(Document& document, LayoutEdits& edits, QWidget* parent)
    : QWidget(parent), document_(document), edits_(edits) {
    setObjectName("keyPlot");
    setAccessibleName(tr("Curves of the thing's keys"));
    setMinimumHeight(30);
    const auto again = [this] {
        if (!held_) measure();
        update();
    };
    connect(&document_, &Document::shotChanged, this, again);
    connect(&document_, &Document::selectionChanged, this, again);
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
}

void KeyPlot::setChannel(KeyChannel channel) {
    channel_ = channel;
    measure();
    update();
}

bool KeyPlot::hasKeys() const {
    const Thing* t = edits_.current();
    return t && !keyFrames(*t).empty();
}

std::array<double, 3> KeyPlot::valueAt(const Thing& thing, double frame) const {
    switch (channel_) {
        case KeyChannel::position: {
            const Eigen::Vector3d p = thing.at(frame).translation;
            return {p.x(), p.y(), p.z()};
        }
        case KeyChannel::turn: {
            const Eigen::Vector3d t =
                (thing.keys.turn.empty() ? turnOf(thing.rotation) : Eigen::Vector3d(thing.keys.turn.at(frame))) *
                degreesPerRadian;
            return {t.x(), t.y(), t.z()};
        }
        case KeyChannel::scale: break;
    }
    return {thing.at(frame).scale, 0, 0};
}

std::vector<int> KeyPlot::frames(const Thing& thing) const {
    std::vector<int> out;
    const auto take = [&](const auto& animated) {
        for (const auto& k : animated.keys) out.push_back(k.frame);
    };
    if (channel_ == KeyChannel::position) take(thing.keys.position);
    else if (channel_ == KeyChannel::turn) take(thing.keys.turn);
    else take(thing.keys.scale);
    return out;
}

void KeyPlot::measure() {
    const Thing* t = edits_.current();
    if (!t) return;
    low_ = 1e300, high_ = -1e300;
    const FrameRange range = document_.shot().range;
    for (int f = range.first; f <= range.last; ++f) {
        const auto v = valueAt(*t, f);
        for (int k = 0; k < components(); ++k)
            low_ = std::min(low_, v[size_t(k)]), high_ = std::max(high_, v[size_t(k)]);
    }
    const double air = std::max(1e-3, 0.1 * (high_ - low_));
    low_ -= air, high_ += air;
}

double KeyPlot::xOf(double frame) const {
    const FrameRange r = document_.shot().range;
    return left + (frame - r.first + 0.5) / std::max(1, r.count()) * (width() - left - right);
}
double KeyPlot::frameOf(double x) const {
    const FrameRange r = document_.shot().range;
    return r.first - 0.5 + (x - left) / std::max(1.0, width() - left - right) * r.count();
}
double KeyPlot::yOf(double value) const {
    return top + (height() - top - bottom) * (1 - (value - low_) / std::max(1e-12, high_ - low_));
}
double KeyPlot::valueOf(double y) const {
    return low_ + (high_ - low_) * (1 - (y - top) / std::max(1.0, height() - top - bottom));
}

QPointF KeyPlot::positionOf(int component, double frame) const {
    const Thing* t = edits_.current();
    return t ? QPointF(xOf(frame), yOf(valueAt(*t, frame)[size_t(component)])) : QPointF();
}

/// The thing with the key where the pointer has it.
Thing KeyPlot::dragged() const {
    Thing next = *edits_.current();
    const auto move = [&](auto& animated, const auto& change) {
        const auto* had = animated.keys.key(held_->frame);
        if (!had) return;
        auto value = *had;
        const Between between = animated.keys.atOrBefore(held_->frame)->between;
        change(value);
        animated.keys.remove(held_->frame);
        animated.keys.set(held_->toFrame, value);
        animated.keys.setBetween(held_->toFrame, between);
    };
    const int k = held_->component;
    const double v = held_->toValue;
    if (channel_ == KeyChannel::position) move(next.keys.position, [&](Eigen::Vector3d& p) { p[k] = v; });
    else if (channel_ == KeyChannel::turn)
        move(next.keys.turn, [&](Eigen::Vector3d& p) { p[k] = v / degreesPerRadian; });
    else move(next.keys.scale, [&](double& s) { s = std::max(1e-6, v); });
    return next;
}

void KeyPlot::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    const Thing* now = edits_.current();
    if (!now) return;
    const Thing thing = held_ ? dragged() : *now;
    painter.setFont(captionFont());
    for (int i = 0; i <= 4; ++i) {
        const double v = low_ + (high_ - low_) * i / 4;
        painter.setPen(QPen(theme.line, 1));
        painter.drawLine(QPointF(left, yOf(v)), QPointF(width() - right, yOf(v)));
        painter.setPen(theme.textQuiet);
        painter.drawText(QRectF(0, yOf(v) - 8, left - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(v, 'f', high_ - low_ > 20 ? 0 : 2));
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const QString names[2][3] = {{tr("X"), tr("Y"), tr("Z")}, {tr("tilt"), tr("heading"), tr("roll")}};
    // Told apart by their strokes and names, not by colour alone.
    const Qt::PenStyle strokes[3] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine};
    const QColor hues[3] = {theme.accent, theme.teal, theme.textSoft};
    const FrameRange range = document_.shot().range;
    for (int k = 0; k < components(); ++k) {
        QPainterPath path;
        for (int f = range.first; f <= range.last; ++f)
            for (const double part : {0.0, 0.5}) {
                const QPointF at(xOf(f + part), yOf(valueAt(thing, f + part)[size_t(k)]));
                if (path.elementCount() == 0) path.moveTo(at);
                else path.lineTo(at);
            }
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(hues[k], 1.6, strokes[k]));
        painter.drawPath(path);
        painter.setBrush(hues[k]);
        painter.setPen(QPen(theme.well, 1));
        for (const int f : frames(thing)) {
            const QPointF at(xOf(f), yOf(valueAt(thing, f)[size_t(k)]));
            painter.drawPolygon(
                QPolygonF({at + QPointF(0, -5), at + QPointF(5, 0), at + QPointF(0, 5), at + QPointF(-5, 0)}));
        }
        painter.setPen(hues[k]);
        const QString name = channel_ == KeyChannel::scale ? tr("scale") : names[channel_ == KeyChannel::turn][k];
        painter.drawText(QPointF(width() - right - 52, yOf(valueAt(thing, range.last)[size_t(k)]) - 6), name);
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(theme.text, 1));
    painter.drawLine(QPointF(xOf(document_.frame()), 0), QPointF(xOf(document_.frame()), height() - bottom));
}

void KeyPlot::mousePressEvent(QMouseEvent* event) {
    const Thing* t = edits_.current();
    if (!t || event->button() != Qt::LeftButton) return;
    for (int k = 0; k < components(); ++k)
        for (const int f : frames(*t))
            if (const QPointF at = positionOf(k, f); QLineF(at, event->position()).length() < 8) {
                held_ = Held{k, f, f, valueAt(*t, f)[size_t(k)]};
                return;
            }
    document_.setFrame(int(std::lround(frameOf(event->position().x()))));
}

void KeyPlot::mouseMoveEvent(QMouseEvent* event) {
    if (!held_) return;
    held_->toFrame = int(std::lround(frameOf(event->position().x())));
    held_->toValue = valueOf(event->position().y());
    update();
}

void KeyPlot::mouseReleaseEvent(QMouseEvent*) {
    if (!held_) return;
    const Thing next = dragged();
    held_.reset();
    edits_.change(tr("Move key"), next);
    measure();
    update();
}

}  // namespace va
