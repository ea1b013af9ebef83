// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/curves.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "style/theme.h"

namespace va {
namespace {

constexpr double leftMargin = 52, rightMargin = 12, topMargin = 8, bottomMargin = 18;
constexpr size_t mostCurves = 40;

/// Deviation from the parabola through the five points around, without the point itself: what a camera can't do.
std::vector<double> offSmoothOf(const Path& path) {
    const auto& p = path.points;
    std::vector<double> out(p.size(), std::nan(""));
    for (size_t i = 2; i + 2 < p.size(); ++i) {
        if (p[i + 2].frame - p[i - 2].frame != 4) continue;
        // Least squares parabola through offsets ±1 and ±2, at 0: weights 4/6 and −1/6.
        const double ex = p[i].x - (4 * (p[i - 1].x + p[i + 1].x) - (p[i - 2].x + p[i + 2].x)) / 6;
        const double ey = p[i].y - (4 * (p[i - 1].y + p[i + 1].y) - (p[i - 2].y + p[i + 2].y)) / 6;
        out[i] = std::hypot(ex, ey);
    }
    return out;
}

/// A round step that gives about `lines` lines over `span`.
double niceStep(double span, int lines) {
    const double raw = std::max(1e-12, span / lines), power = std::pow(10, std::floor(std::log10(raw))),
                 m = raw / power;
    return power * (m < 1.5 ? 1 : m < 3.5 ? 2 : m < 7.5 ? 5 : 10);
}

}  // namespace

std::vector<double> curveOf(const Shot& shot, const Path& path, CurveKind kind) {
    std::vector<double> out;
    if (kind == CurveKind::offSmooth) return offSmoothOf(path);
    const auto world = kind == CurveKind::residual ? shot.worldPointOfPath(path.id) : std::nullopt;
    for (size_t i = 0; i < path.points.size(); ++i) {
        const PathPoint& p = path.points[i];
        double v = std::nan("");
        switch (kind) {
            case CurveKind::x: v = p.x; break;
            case CurveKind::y: v = p.y; break;
            case CurveKind::speed:
                if (i > 0)
                    v = std::hypot(p.x - path.points[i - 1].x, p.y - path.points[i - 1].y) /
                        std::max(1, p.frame - path.points[i - 1].frame);
                break;
            case CurveKind::quality: v = double(p.quality); break;
            case CurveKind::drift: v = double(p.drift); break;
            case CurveKind::residual:
                if (const auto camera = world ? shot.cameraAt(p.frame) : std::nullopt)
                    if (const auto q = camera->project(*world)) v = (*q - Eigen::Vector2d(p.x, p.y)).norm();
                break;
            case CurveKind::offSmooth: break;
        }
        out.push_back(v);
    }
    return out;
}

CurvePlot::CurvePlot(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setObjectName("curvePlot");
    setAccessibleName(tr("Curves of the selected paths"));
    setMinimumHeight(30);
    setMouseTracking(true);
    connect(&document_, &Document::shotChanged, this, &CurvePlot::collect);
    connect(&document_, &Document::selectionChanged, this, [this] {
        collect();
        showAll();
    });
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
    collect();
}

void CurvePlot::setKind(CurveKind kind) {
    kind_ = kind;
    collect();
    showAll();
}

void CurvePlot::collect() {
    curves_.clear();
    const Shot& shot = document_.shot();
    for (int id : document_.selectedPaths()) {
        const Path* p = shot.path(id);
        if (!p || curves_.size() >= mostCurves) continue;
        Curve c{id, {}, curveOf(shot, *p, kind_), {}};
        for (const PathPoint& q : p->points) c.frames.push_back(q.frame), c.off.push_back(!q.counts());
        curves_.push_back(std::move(c));
    }
    update();
}

void CurvePlot::showAll() {
    const Shot& shot = document_.shot();
    first_ = shot.range.first - 0.5;
    last_ = shot.range.last + 0.5;
    span_ = {};
    Q_EMIT spanChanged();
    update();
}

double CurvePlot::xOf(double frame) const {
    return leftMargin + (frame - first_) / std::max(1e-9, last_ - first_) * (width() - leftMargin - rightMargin);
}
double CurvePlot::frameOf(double x) const {
    return first_ + (x - leftMargin) / std::max(1.0, width() - leftMargin - rightMargin) * (last_ - first_);
}

void CurvePlot::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    painter.setFont(captionFont());
    if (curves_.empty()) {
        painter.setPen(theme.textQuiet);
        painter.drawText(rect(), Qt::AlignCenter, tr("Select paths in a view or in the table to see their curves."));
        return;
    }
    // The values in view, with a little air. Positions are shown from their middle, so that wobble is seen and not the
    // way.
    low_ = 1e300, high_ = -1e300;
    for (const Curve& c : curves_)
        for (size_t i = 0; i < c.frames.size(); ++i)
            if (c.frames[i] >= first_ && c.frames[i] <= last_ && std::isfinite(c.values[i]))
                low_ = std::min(low_, c.values[i]), high_ = std::max(high_, c.values[i]);
    if (low_ > high_) low_ = 0, high_ = 1;
    if (kind_ != CurveKind::x && kind_ != CurveKind::y && kind_ != CurveKind::quality) low_ = std::min(0.0, low_);
    const double air = std::max(1e-3, 0.06 * (high_ - low_));
    low_ -= air, high_ += air;
    const double plotHeight = height() - topMargin - bottomMargin;
    const auto yOf = [&](double v) { return topMargin + plotHeight * (1 - (v - low_) / (high_ - low_)); };
    const double step = niceStep(high_ - low_, std::clamp(int(plotHeight / 24), 1, 5)),
                 frameStep = std::max(1.0, niceStep(last_ - first_, 10));
    for (double v = std::ceil(low_ / step) * step; v <= high_; v += step) {
        painter.setPen(QPen(theme.line, 1));
        painter.drawLine(QPointF(leftMargin, yOf(v)), QPointF(width() - rightMargin, yOf(v)));
        painter.setPen(theme.textQuiet);
        painter.drawText(QRectF(0, yOf(v) - 8, leftMargin - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(std::fabs(v) < 1e-12 ? 0 : v, 'f',
                                         step >= 1      ? 0
                                         : step >= 0.1  ? 1
                                         : step >= 0.01 ? 2
                                                        : 3));
    }
    for (double f = std::ceil(first_ / frameStep) * frameStep; f <= last_; f += frameStep) {
        painter.setPen(theme.textQuiet);
        painter.drawText(QRectF(xOf(f) - 30, height() - bottomMargin + 2, 60, 14), Qt::AlignCenter,
                         QString::number(f, 'f', 0));
    }
    painter.setClipRect(QRectF(leftMargin, 0, width() - leftMargin - rightMargin, height() - bottomMargin));
    if (!span_.empty()) {
        QColor wash = theme.accent;
        wash.setAlpha(38);
        painter.fillRect(
            QRectF(QPointF(xOf(span_.first - 0.5), topMargin), QPointF(xOf(span_.last + 0.5), height() - bottomMargin)),
            wash);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const int here = document_.frame();
    for (size_t k = 0; k < curves_.size(); ++k) {
        const Curve& c = curves_[k];
        const QColor colour =
            curves_.size() == 1 ? theme.accent : QColor::fromHsv(int(24 + 160 * k / curves_.size()) % 360, 90, 225);
        QPainterPath path;
        bool on = false;
        for (size_t i = 0; i < c.frames.size(); ++i) {
            if (!std::isfinite(c.values[i]) || c.off[i]) {
                on = false;
                if (std::isfinite(c.values[i])) {
                    painter.setPen(Qt::NoPen);
                    painter.setBrush(theme.textQuiet);
                    painter.drawEllipse(QPointF(xOf(c.frames[i]), yOf(c.values[i])), 1.6, 1.6);
                }
                continue;
            }
            const QPointF at(xOf(c.frames[i]), yOf(c.values[i]));
            // A missing frame is a gap, not a straight line.
            if (on && i > 0 && c.frames[i] == c.frames[i - 1] + 1) path.lineTo(at);
            else path.moveTo(at);
            on = true;
        }
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(colour, 1.4));
        painter.drawPath(path);
        for (size_t i = 0; i < c.frames.size(); ++i)
            if (c.frames[i] == here && std::isfinite(c.values[i])) {
                painter.setBrush(colour);
                painter.drawEllipse(QPointF(xOf(here), yOf(c.values[i])), 3, 3);
                if (curves_.size() == 1) {
                    painter.setPen(theme.text);
                    painter.drawText(QPointF(xOf(here) + 7, std::max(topMargin + 10, yOf(c.values[i]) - 6)),
                                     QString::number(c.values[i], 'f', 3));
                }
            }
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(theme.text, 1));
    painter.drawLine(QPointF(xOf(here), 0), QPointF(xOf(here), height() - bottomMargin));
}

void CurvePlot::mousePressEvent(QMouseEvent* event) {
    pressed_ = event->position().x();
    dragFirst_ = first_;
    selecting_ = event->button() == Qt::LeftButton;
    shifting_ = event->button() == Qt::MiddleButton;
}

void CurvePlot::mouseMoveEvent(QMouseEvent* event) {
    const double x = event->position().x();
    if (shifting_) {
        const double by = (x - pressed_) / std::max(1.0, width() - leftMargin - rightMargin) * (last_ - first_);
        last_ += dragFirst_ - by - first_;
        first_ = dragFirst_ - by;
        update();
    } else if (selecting_ && std::fabs(x - pressed_) > 4) {
        const int a = int(std::lround(frameOf(std::min(x, pressed_)))),
                  b = int(std::lround(frameOf(std::max(x, pressed_))));
        span_ = {a, b};
        Q_EMIT spanChanged();
        update();
    }
}

void CurvePlot::mouseReleaseEvent(QMouseEvent* event) {
    if (selecting_ && std::fabs(event->position().x() - pressed_) <= 4) {
        span_ = {};
        Q_EMIT spanChanged();
        document_.setFrame(int(std::lround(frameOf(event->position().x()))));
    }
    selecting_ = shifting_ = false;
    update();
}

void CurvePlot::wheelEvent(QWheelEvent* event) {
    if (event->angleDelta().y() == 0) return;
    const double at = frameOf(event->position().x()), factor = std::pow(0.8, event->angleDelta().y() / 120.0);
    const double wide = std::clamp((last_ - first_) * factor, 4.0, 20000.0), share = (at - first_) / (last_ - first_);
    first_ = at - share * wide;
    last_ = first_ + wide;
    update();
}

Curves::Curves(Document& document, FeatureEdits& edits, LayoutEdits& layoutEdits, QWidget* parent)
    : QFrame(parent), plot_(new CurvePlot(document)), keys_(new KeyPlot(document, layoutEdits)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 4, 8, 4);
    layout->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* kind = new QComboBox;
    kind->setObjectName("curveKind");
    kind->setAccessibleName(tr("Curve"));
    kind->addItems(
        {tr("x"), tr("y"), tr("speed"), tr("off smooth motion"), tr("match quality"), tr("residual"), tr("drift")});
    row->addWidget(kind);
    auto* unit = new QLabel;
    unit->setObjectName("quiet");
    row->addWidget(unit);
    auto* all = new QPushButton(tr("Show all"));
    row->addWidget(all);
    row->addStretch();
    auto* span = new QLabel;
    span->setObjectName("quiet");
    row->addWidget(span);
    auto* aside = new QPushButton(tr("Set span aside"));
    aside->setObjectName("spanAside");
    auto* back = new QPushButton(tr("Bring span back"));
    back->setObjectName("spanBack");
    auto* anchor = new QPushButton(tr("Re-anchor here"));
    anchor->setObjectName("curveReanchor");
    anchor->setToolTip(tr("Measures the whole path again against its patch in this frame; removes drift"));
    for (QPushButton* b : {aside, back, anchor}) row->addWidget(b);
    auto* paths = new QWidget;
    paths->setLayout(row);
    row->setContentsMargins(0, 0, 0, 0);
    auto* channel = new QComboBox;
    channel->setObjectName("keyChannel");
    channel->setAccessibleName(tr("Curve of the keys"));
    channel->addItems({tr("position"), tr("rotation, degrees"), tr("scale")});
    connect(channel, &QComboBox::currentIndexChanged, this, [this](int i) { keys_->setChannel(KeyChannel(i)); });
    auto* things = new QWidget;
    auto* head = new QHBoxLayout(things);
    head->setContentsMargins(0, 0, 0, 0);
    head->addWidget(channel);
    head->addStretch();
    layout->addWidget(paths);
    layout->addWidget(things);
    layout->addWidget(plot_, 1);
    layout->addWidget(keys_, 1);
    const auto which = [=, this] {
        const bool keys = keys_->hasKeys();
        paths->setVisible(!keys), plot_->setVisible(!keys);
        things->setVisible(keys), keys_->setVisible(keys);
    };
    connect(&document, &Document::selectionChanged, this, which);
    connect(&document, &Document::shotChanged, this, which);
    which();
    const auto showUnit = [=] {
        static const char* units[] = {"px", "px", "px a frame", "px", "0 to 1", "px", "px, one sigma"};
        unit->setText(tr(units[kind->currentIndex()]));
    };
    connect(kind, &QComboBox::currentIndexChanged, this, [=, this](int i) {
        plot_->setKind(CurveKind(i));
        showUnit();
    });
    connect(all, &QPushButton::clicked, plot_, &CurvePlot::showAll);
    connect(aside, &QPushButton::clicked, this, [=, this, &edits] { edits.removeSpan(plot_->span(), true); });
    connect(back, &QPushButton::clicked, this, [=, this, &edits] { edits.removeSpan(plot_->span(), false); });
    connect(anchor, &QPushButton::clicked, this, [&edits] { edits.reanchor(); });
    const auto refresh = [=, this, &document] {
        const FrameRange s = plot_->span();
        span->setText(s.empty() ? tr("drag over the curve to select frames") : tr("%1–%2").arg(s.first).arg(s.last));
        aside->setEnabled(!s.empty());
        back->setEnabled(!s.empty());
        anchor->setEnabled(document.selectedPaths().size() == 1);
    };
    connect(plot_, &CurvePlot::spanChanged, this, refresh);
    connect(&document, &Document::selectionChanged, this, refresh);
    refresh();
    showUnit();
}

}  // namespace va
