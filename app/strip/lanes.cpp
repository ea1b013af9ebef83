// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip/lanes.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "style/theme.h"
#include "workflow/layout_work.h"

namespace va {
namespace {

enum Lane { cover, error, parallax, laneCount };
constexpr int labelWidth = 72, rightMargin = 62, topMargin = 8, laneHeight = 20, laneStep = 23, foot = 7;

int topOf(int lane) { return topMargin + lane * laneStep; }

}  // namespace

double LaneScale::share(double value) const {
    return high > low ? std::clamp((value - low) / (high - low), 0.0, 1.0) : 0;
}

LaneScale coverScale(const std::vector<Cover>& cover) {
    if (cover.empty()) return {0, 1};
    const auto [fewest, most] = std::minmax_element(cover.begin(), cover.end(),
                                                    [](const Cover& a, const Cover& b) { return a.count < b.count; });
    const double high = std::max(1, most->count);
    return {std::min(0.5 * high, double(fewest->count)), high};
}

LaneScale errorScale(const SolveResult& solve) {
    std::vector<double> errors;
    for (const SolvedFrame& f : solve.frames)
        if (f.solved && f.rmsPx > 0) errors.push_back(f.rmsPx);
    if (errors.empty()) return {0, 1};
    std::sort(errors.begin(), errors.end());
    const double most = errors[errors.size() * 19 / 20], power = std::pow(10, std::floor(std::log10(most)));
    for (const double step : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0})
        if (most <= step * power) return {0, step * power};
    return {0, 10 * power};
}

LaneScale parallaxScale(const SolveResult& solve) {
    double most = 0;
    for (const double p : solve.parallaxByFrame) most = std::max(most, p);
    return {0, most > 0 ? most : 1};
}

Lanes::Lanes(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setObjectName("lanes");
    setAccessibleName(tr("Strip: cover, error and parallax over the frames"));
    setFixedHeight(sizeHint().height());
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(&document_, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::shotChanged, this, [this] {
        const Shot& shot = document_.shot();
        cover_ = coverOf(shot);
        coverScale_ = coverScale(cover_);
        errorScale_ = errorScale(*shot.solve);
        parallaxScale_ = parallaxScale(*shot.solve);
        update();
    });
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
}

QSize Lanes::sizeHint() const { return {600, topMargin + laneCount * laneStep + foot}; }

double Lanes::xOf(double frame) const {
    const FrameRange all = document_.shot().plate.frames;
    return labelWidth + (frame - all.first + 0.5) * (width() - labelWidth - rightMargin) / std::max(1, all.count());
}

int Lanes::frameAt(double x) const {
    const FrameRange all = document_.shot().plate.frames;
    return all.clamp(all.first + int(std::floor((x - labelWidth) * all.count() /
                                                std::max(1.0, double(width() - labelWidth - rightMargin)))));
}

QRectF Lanes::bar(int frame, int lane, double share) const {
    const double step = xOf(1) - xOf(0), gap = step > 4 ? 1 : 0, h = std::max(1.5, laneHeight * share);
    return {xOf(frame - 0.5), topOf(lane) + laneHeight - h, step - gap, h};
}

void Lanes::paintLabels(QPainter& painter) const {
    const Theme& theme = Theme::current();
    const Shot& shot = document_.shot();
    painter.setFont(captionFont());
    painter.setPen(theme.caption);
    const QString names[laneCount] = {tr("cover"), tr("error"), tr("parallax")};
    QString scales[laneCount];
    if (!shot.paths->empty())
        scales[cover] = tr("%1–%2").arg(coverScale_.low, 0, 'f', 0).arg(coverScale_.high, 0, 'f', 0);
    if (shot.solve->has()) scales[error] = tr("%1 px").arg(errorScale_.high, 0, 'g', 2);
    if (!shot.solve->parallaxByFrame.empty()) scales[parallax] = tr("%1°").arg(parallaxScale_.high, 0, 'f', 1);
    for (int lane = 0; lane < laneCount; ++lane) {
        painter.drawText(QRect(12, topOf(lane), labelWidth - 16, laneHeight), Qt::AlignVCenter, names[lane]);
        // The top of the scale stands at the lane's right end.
        painter.drawText(QRect(width() - rightMargin + 6, topOf(lane), rightMargin - 12, laneHeight),
                         Qt::AlignVCenter | Qt::AlignLeft, scales[lane]);
    }
}

void Lanes::paintCover(QPainter& painter) const {
    const Theme& theme = Theme::current();
    for (const Cover& c : cover_) {
        if (c.count == 0 && document_.shot().paths->empty()) continue;
        QColor fill = c.thin ? theme.look : theme.teal;
        // Badly spread features are drawn paler: many in a corner are little cover.
        if (!c.thin) fill.setAlpha(90 + int(120 * std::clamp(c.spread, 0.0, 1.0)));
        painter.fillRect(bar(c.frame, cover, 0.15 + 0.85 * coverScale_.share(c.count)), fill);
    }
}

void Lanes::paintError(QPainter& painter) const {
    const Theme& theme = Theme::current();
    const SolveResult& solve = *document_.shot().solve;
    for (const SolvedFrame& f : solve.frames) {
        if (!f.solved || (f.observations == 0 && f.origin == PoseOrigin::solved)) {
            if (solve.has() && !f.solved)
                painter.fillRect(bar(f.frame, error, 1),
                                 QColor(theme.look.red(), theme.look.green(), theme.look.blue(), 60));
            continue;
        }
        if (f.origin != PoseOrigin::solved) {
            // Not solved, or not as solved: an open box over the lane's height.
            painter.setPen(QPen(theme.accent, 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(bar(f.frame, error, 1).adjusted(0.5, 0.5, -0.5, -0.5));
            if (f.origin == PoseOrigin::filled) continue;
        }
        // A frame above twice the shot's mean stands out.
        const bool high = f.rmsPx > 2 * solve.rmsPx || f.rmsPx > 1;
        painter.fillRect(bar(f.frame, error, errorScale_.share(f.rmsPx)), high ? theme.look : theme.textQuiet);
    }
}

void Lanes::paintParallax(QPainter& painter) const {
    const SolveResult& solve = *document_.shot().solve;
    const auto& values = solve.parallaxByFrame;
    if (values.empty() || values.size() != solve.frames.size()) return;
    QPolygonF line;
    for (size_t i = 0; i < values.size(); ++i)
        line << QPointF(xOf(solve.frames[i].frame),
                        topOf(parallax) + laneHeight - (laneHeight - 2) * parallaxScale_.share(values[i]));
    painter.setPen(QPen(Theme::current().textQuiet, 1.2));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(line);
}

/// Keys of what is selected, as small diamonds at the foot.
void Lanes::paintKeys(QPainter& painter) const {
    const Shot& shot = document_.shot();
    painter.setPen(Qt::NoPen);
    painter.setBrush(Theme::current().accent);
    const auto key = [&](int frame) {
        const double x = xOf(frame), y = height() - 5;
        painter.drawPolygon(QPolygonF({QPointF(x, y - 4), QPointF(x + 4, y), QPointF(x, y + 4), QPointF(x - 4, y)}));
    };
    if (const MaskShape* m = shot.mask(document_.selectedMask()))
        for (const auto& k : m->keys) key(k.frame);
    if (const FlatPatch* p = shot.patch(document_.selectedPatch())) {
        key(p->referenceFrame);
        for (const auto& k : p->corrections) key(k.frame);
    }
    if (const Thing* t = shot.thing(document_.selectedThing()))
        for (const int frame : keyFrames(*t)) key(frame == draggedKey_ ? draggedTo_ : frame);
    for (int id : document_.selectedPaths())
        if (const Path* p = shot.path(id); p && p->origin == PathOrigin::byHand)
            for (const PathPoint& q : p->points)
                if (q.origin == PointOrigin::byHand) key(q.frame);
}

/// Frames without a whole picture are hatched over all lanes; a scene change is a line over all of them.
void Lanes::paintTroubles(QPainter& painter) const {
    const Shot& shot = document_.shot();
    const Theme& theme = Theme::current();
    const auto hatch = [&](int first, int last) {
        painter.fillRect(
            QRectF(xOf(first - 0.5), topMargin - 4, std::max(2.0, xOf(last + 0.5) - xOf(first - 0.5)), height()),
            QBrush(theme.textQuiet, Qt::BDiagPattern));
    };
    for (const FrameRange& g : shot.plate.gaps) hatch(g.first, g.last);
    for (const FrameDamage& d : shot.plate.damaged) hatch(d.frame, d.frame);
    for (int cut : shot.findings.cuts) {
        painter.setPen(QPen(theme.look, 1.4, Qt::DashLine));
        painter.drawLine(QPointF(xOf(cut - 0.5), topMargin), QPointF(xOf(cut - 0.5), height()));
    }
}

void Lanes::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.ground);
    paintLabels(painter);
    const Shot& shot = document_.shot();
    if (!shot.hasPlate()) return;
    const FrameRange all = shot.plate.frames, range = drag_ == Drag::in || drag_ == Drag::out ? dragRange_ : shot.range;
    const double left = xOf(range.first - 0.5), right = xOf(range.last + 0.5);
    const double top = topMargin - 4, high = height() - top - 2;
    painter.fillRect(QRectF(xOf(all.first - 0.5), top, xOf(all.last + 0.5) - xOf(all.first - 0.5), high), theme.well);
    painter.fillRect(QRectF(left, top, right - left, high), theme.ground);
    paintCover(painter);
    paintError(painter);
    painter.setRenderHint(QPainter::Antialiasing);
    paintParallax(painter);
    paintKeys(painter);
    paintTroubles(painter);
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.textSoft);
    painter.drawPolygon(QPolygonF({QPointF(left, 0), QPointF(left + 7, 0), QPointF(left, 9)}));
    painter.drawPolygon(QPolygonF({QPointF(right, 0), QPointF(right - 7, 0), QPointF(right, 9)}));
    painter.setPen(QPen(theme.text, 1.6));
    const double at = xOf(document_.frame());
    painter.drawLine(QPointF(at, 0), QPointF(at, height()));
}

QString Lanes::tipFor(int frame) const {
    const Shot& shot = document_.shot();
    if (!shot.hasPlate()) return {};
    if (const std::string cause = shot.plate.damageAt(frame); !cause.empty())
        return tr("Frame %1 is left out: %2").arg(frame).arg(QString::fromStdString(cause));
    if (!shot.plate.exists(frame)) return tr("Frame %1 is missing in the sequence.").arg(frame);
    QStringList parts{tr("Frame %1").arg(frame)};
    for (const Cover& c : cover_)
        if (c.frame == frame && !shot.paths->empty())
            parts << tr("%1 features over %2 % of the picture").arg(c.count).arg(std::lround(100 * c.spread));
    const auto& frames = shot.solve->frames;
    for (size_t i = 0; i < frames.size(); ++i) {
        if (frames[i].frame != frame) continue;
        parts << (frames[i].solved ? tr("error %1 px").arg(frames[i].rmsPx, 0, 'f', 2) : tr("not solved"));
        if (shot.solve->parallaxByFrame.size() == frames.size())
            parts << tr("parallax %1°").arg(shot.solve->parallaxByFrame[i], 0, 'f', 1);
    }
    return parts.join(QStringLiteral(" · "));
}

bool Lanes::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const QString tip = tipFor(frameAt(help->pos().x()));
    if (tip.isEmpty()) QToolTip::hideText();
    else QToolTip::showText(help->globalPos(), tip, this);
    return true;
}

void Lanes::mousePressEvent(QMouseEvent* event) {
    const Shot& shot = document_.shot();
    if (!shot.hasPlate() || event->button() != Qt::LeftButton) return;
    const double x = event->position().x();
    dragRange_ = shot.range;
    if (event->position().y() < 11 && std::fabs(x - xOf(shot.range.first - 0.5)) < 9) drag_ = Drag::in;
    else if (event->position().y() < 11 && std::fabs(x - xOf(shot.range.last + 0.5)) < 9) drag_ = Drag::out;
    else if (const int key = thingKeyAt(event->position()); key != noKey) {
        drag_ = Drag::key;
        draggedKey_ = draggedTo_ = key;
    } else {
        drag_ = Drag::playhead;
        document_.setFrame(frameAt(x));
    }
}

/// The frame of a key of the selected thing under a position.
int Lanes::thingKeyAt(const QPointF& at) const {
    const Thing* t = document_.shot().thing(document_.selectedThing());
    if (!t || at.y() < height() - 11) return noKey;
    for (const int frame : keyFrames(*t))
        if (std::fabs(xOf(frame) - at.x()) < 6) return frame;
    return noKey;
}

void Lanes::mouseMoveEvent(QMouseEvent* event) {
    const int frame = frameAt(event->position().x());
    if (drag_ == Drag::playhead) document_.setFrame(frame);
    if (drag_ == Drag::key) draggedTo_ = frame;
    if (drag_ == Drag::in) dragRange_.first = std::min(frame, dragRange_.last);
    if (drag_ == Drag::out) dragRange_.last = std::max(frame, dragRange_.first);
    update();
}

void Lanes::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::in || drag_ == Drag::out) document_.setRange(dragRange_);
    if (drag_ == Drag::key) {
        if (draggedTo_ == draggedKey_) document_.setFrame(draggedKey_);
        else Q_EMIT keyDragged(draggedKey_, draggedTo_);
        draggedKey_ = noKey;
    }
    drag_ = Drag::none;
    update();
}

}  // namespace va
