// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip/strip.h"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QIntValidator>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QToolTip>
#include <QVBoxLayout>
#include <cmath>

#include "route/route.h"
#include "style/theme.h"

namespace va {
namespace {

constexpr int labelWidth = 88, rightMargin = 16, coverTop = 8, coverHeight = 30, errorTop = 44, errorHeight = 26,
              parallaxTop = 74, parallaxHeight = 16;

}  // namespace

Lanes::Lanes(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setObjectName("lanes");
    setAccessibleName(tr("Strip: cover, error and parallax over the frames"));
    setMinimumHeight(96);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(&document_, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::shotChanged, this, [this] {
        cover_ = coverOf(document_.shot());
        update();
    });
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
}

double Lanes::xOf(double frame) const {
    const FrameRange all = document_.shot().plate.frames;
    return labelWidth + (frame - all.first + 0.5) * (width() - labelWidth - rightMargin) / std::max(1, all.count());
}

int Lanes::frameAt(double x) const {
    const FrameRange all = document_.shot().plate.frames;
    return all.clamp(all.first + int(std::floor((x - labelWidth) * all.count() /
                                                std::max(1.0, double(width() - labelWidth - rightMargin)))));
}

void Lanes::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.ground);
    painter.setFont(captionFont());
    painter.setPen(theme.caption);
    painter.drawText(QRect(12, coverTop, labelWidth - 16, coverHeight), Qt::AlignVCenter, tr("cover"));
    painter.drawText(QRect(12, errorTop, labelWidth - 16, errorHeight), Qt::AlignVCenter, tr("error"));
    const Shot& shot = document_.shot();
    const auto widest = std::max_element(shot.solve->parallaxByFrame.begin(), shot.solve->parallaxByFrame.end());
    const QString parallaxLabel =
        widest == shot.solve->parallaxByFrame.end() ? tr("parallax") : tr("parallax %1°").arg(*widest, 0, 'f', 0);
    painter.drawText(QRect(12, parallaxTop, labelWidth - 12, parallaxHeight), Qt::AlignVCenter, parallaxLabel);
    if (!shot.hasPlate()) return;
    const FrameRange all = shot.plate.frames, range = drag_ == Drag::in || drag_ == Drag::out ? dragRange_ : shot.range;
    const double step = xOf(1) - xOf(0), left = xOf(range.first - 0.5), right = xOf(range.last + 0.5);
    painter.fillRect(
        QRectF(xOf(all.first - 0.5), coverTop - 4, xOf(all.last + 0.5) - xOf(all.first - 0.5), height() - coverTop),
        theme.well);
    painter.fillRect(QRectF(left, coverTop - 4, right - left, height() - coverTop), theme.ground);
    const double gap = step > 4 ? 1 : 0;
    int most = 1;
    for (const Cover& c : cover_) most = std::max(most, c.count);
    for (const Cover& c : cover_) {
        if (c.count == 0 && shot.paths->empty()) continue;
        const double h = std::max(1.5, coverHeight * (0.5 * c.count / most + 0.5 * c.spread));
        QColor fill = c.thin ? theme.look : theme.teal;
        if (!c.thin) fill.setAlpha(170);
        painter.fillRect(QRectF(xOf(c.frame - 0.5), coverTop + coverHeight - h, step - gap, h), fill);
    }
    // One px fills the lane; a frame above twice the shot's mean stands out.
    for (const SolvedFrame& f : shot.solve->frames) {
        if (!f.solved || (f.sightings == 0 && f.origin == PoseOrigin::solved)) {
            if (shot.solve->has() && !f.solved)
                painter.fillRect(QRectF(xOf(f.frame - 0.5), errorTop, step - gap, errorHeight),
                                 QColor(theme.look.red(), theme.look.green(), theme.look.blue(), 60));
            continue;
        }
        const double h = std::max(1.0, errorHeight * std::min(1.0, f.rmsPx));
        const bool high = f.rmsPx > 2 * shot.solve->rmsPx || f.rmsPx > 1;
        if (f.origin != PoseOrigin::solved) {
            // Not solved, or not as solved: an open box over the lane's height.
            painter.setPen(QPen(theme.accent, 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(
                QRectF(xOf(f.frame - 0.5) + 0.5, errorTop + 0.5, std::max(1.0, step - gap - 1), errorHeight - 1));
            if (f.origin == PoseOrigin::filled) continue;
        }
        painter.fillRect(QRectF(xOf(f.frame - 0.5), errorTop + errorHeight - h, step - gap, h),
                         high ? theme.look : theme.textQuiet);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const auto& parallax = shot.solve->parallaxByFrame;
    if (!parallax.empty() && parallax.size() == shot.solve->frames.size()) {
        double top = 1;
        for (double p : parallax) top = std::max(top, p);
        QPolygonF line;
        for (size_t i = 0; i < parallax.size(); ++i)
            line << QPointF(xOf(shot.solve->frames[i].frame),
                            parallaxTop + parallaxHeight - parallaxHeight * parallax[i] / top);
        painter.setPen(QPen(theme.textQuiet, 1.2));
        painter.drawPolyline(line);
    }
    // Keys of what is selected stand as small diamonds at the foot, what is odd about the plate as a line all over.
    painter.setRenderHint(QPainter::Antialiasing);
    const auto key = [&](int frame) {
        const double x = xOf(frame), y = height() - 5;
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.accent);
        painter.drawPolygon(QPolygonF({QPointF(x, y - 4), QPointF(x + 4, y), QPointF(x, y + 4), QPointF(x - 4, y)}));
    };
    if (const MaskShape* m = shot.mask(document_.selectedMask()))
        for (const MaskKey& k : m->keys) key(k.frame);
    if (const FlatPatch* p = shot.patch(document_.selectedPatch())) {
        key(p->referenceFrame);
        for (const auto& [frame, by] : p->corrections) key(frame);
    }
    for (int id : document_.selectedPaths())
        if (const Path* p = shot.path(id); p && p->origin == PathOrigin::byHand)
            for (const PathPoint& q : p->points)
                if (q.origin == PointOrigin::byHand) key(q.frame);
    // Frames without a whole picture are hatched over all lanes.
    const auto hatch = [&](int first, int last) {
        painter.fillRect(
            QRectF(xOf(first - 0.5), coverTop - 4, std::max(2.0, xOf(last + 0.5) - xOf(first - 0.5)), height()),
            QBrush(theme.textQuiet, Qt::BDiagPattern));
    };
    for (const FrameRange& g : shot.plate.gaps) hatch(g.first, g.last);
    for (const FrameDamage& d : shot.plate.damaged) hatch(d.frame, d.frame);
    for (int cut : shot.findings.cuts) {
        painter.setPen(QPen(theme.look, 1.4, Qt::DashLine));
        painter.drawLine(QPointF(xOf(cut - 0.5), 10), QPointF(xOf(cut - 0.5), height()));
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.textSoft);
    painter.drawPolygon(QPolygonF({QPointF(left, 0), QPointF(left + 7, 0), QPointF(left, 9)}));
    painter.drawPolygon(QPolygonF({QPointF(right, 0), QPointF(right - 7, 0), QPointF(right, 9)}));
    painter.setPen(QPen(theme.text, 1.6));
    const double at = xOf(document_.frame());
    painter.drawLine(QPointF(at, 0), QPointF(at, height()));
}

bool Lanes::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const PlateInfo& plate = document_.shot().plate;
    const int frame = frameAt(help->pos().x());
    QString why;
    if (!document_.shot().hasPlate()) why.clear();
    else if (const std::string cause = plate.damageAt(frame); !cause.empty())
        why = tr("Frame %1 is left out: %2").arg(frame).arg(QString::fromStdString(cause));
    else if (!plate.exists(frame)) why = tr("Frame %1 is missing in the sequence.").arg(frame);
    if (why.isEmpty()) QToolTip::hideText();
    else QToolTip::showText(help->globalPos(), why, this);
    return true;
}

void Lanes::mousePressEvent(QMouseEvent* event) {
    const Shot& shot = document_.shot();
    if (!shot.hasPlate() || event->button() != Qt::LeftButton) return;
    const double x = event->position().x();
    dragRange_ = shot.range;
    if (event->position().y() < 11 && std::fabs(x - xOf(shot.range.first - 0.5)) < 9) drag_ = Drag::in;
    else if (event->position().y() < 11 && std::fabs(x - xOf(shot.range.last + 0.5)) < 9) drag_ = Drag::out;
    else drag_ = Drag::playhead, document_.setFrame(frameAt(x));
}

void Lanes::mouseMoveEvent(QMouseEvent* event) {
    const int frame = frameAt(event->position().x());
    if (drag_ == Drag::playhead) document_.setFrame(frame);
    if (drag_ == Drag::in) dragRange_.first = std::min(frame, dragRange_.last);
    if (drag_ == Drag::out) dragRange_.last = std::max(frame, dragRange_.first);
    update();
}

void Lanes::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::in || drag_ == Drag::out) document_.setRange(dragRange_);
    drag_ = Drag::none;
    update();
}

Strip::Strip(Document& document, PlateCanvas& plate, const QList<QAction*>& transport, QWidget* parent)
    : QFrame(parent),
      document_(document),
      plate_(plate),
      frame_(new QLineEdit),
      rate_(new QLabel),
      lamp_(new QLabel),
      sentence_(new QLabel) {
    setObjectName("strip");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 6, 0, 4);
    layout->setSpacing(2);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(8, 0, 12, 0);
    row->setSpacing(2);
    for (QAction* action : transport) {
        auto* button = new QToolButton;
        button->setDefaultAction(action);
        button->setIconSize(QSize(16, 16));
        button->setAccessibleName(action->text());
        row->addWidget(button);
    }
    frame_->setObjectName("frameField");
    frame_->setAccessibleName(tr("Frame"));
    frame_->setFixedWidth(64);
    frame_->setAlignment(Qt::AlignCenter);
    frame_->setValidator(new QIntValidator(frame_));
    QFont bold = titleFont();
    frame_->setFont(bold);
    rate_->setObjectName("quiet");
    sentence_->setObjectName("sentence");
    sentence_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row->addSpacing(8);
    row->addWidget(frame_);
    row->addSpacing(6);
    row->addWidget(rate_);
    row->addSpacing(10);
    row->addWidget(lamp_);
    row->addSpacing(4);
    row->addWidget(sentence_, 1);
    layout->addLayout(row);
    layout->addWidget(new Lanes(document, this));
    connect(frame_, &QLineEdit::editingFinished, this, [this] { document_.setFrame(frame_->text().toInt()); });
    connect(&document_, &Document::frameChanged, this, &Strip::showFrame);
    connect(&document_, &Document::shotChanged, this, &Strip::refresh);
    timer_.setTimerType(Qt::PreciseTimer);
    connect(&timer_, &QTimer::timeout, this, &Strip::tick);
    refresh();
}

void Strip::setSentence(const Verdict& verdict) {
    const Theme& theme = Theme::current();
    sentence_->setText(QString::fromStdString(verdict.sentence));
    sentence_->setToolTip(sentence_->text());
    sentence_->setStyleSheet(
        QStringLiteral("color: %1").arg((verdict.lamp == Lamp::look ? theme.look : theme.textSoft).name()));
    QPixmap dot(24, 24);
    dot.setDevicePixelRatio(2);
    dot.fill(Qt::transparent);
    QPainter painter(&dot);
    painter.setRenderHint(QPainter::Antialiasing);
    drawLamp(painter, QPointF(6, 6), verdict.lamp);
    painter.end();
    lamp_->setPixmap(dot);
}

void Strip::showFrame() {
    if (!frame_->hasFocus() || playing())
        frame_->setText(document_.shot().hasPlate() ? QString::number(document_.frame()) : QString());
}

void Strip::refresh() {
    const Shot& shot = document_.shot();
    showFrame();
    rate_->setText(shot.hasPlate() ? tr("%1 fps").arg(QString::fromStdString(shot.rate().label())) : QString());
    setSentence(sentenceThatMatters(shot));
}

void Strip::setPlaying(bool playing) {
    if (!document_.shot().hasPlate() || playing == timer_.isActive()) return;
    if (playing) {
        if (document_.frame() >= document_.shot().range.last) document_.setFrame(document_.shot().range.first);
        played_ = 0;
        clock_.start();
        timer_.start(4);
    } else {
        timer_.stop();
    }
    Q_EMIT playingChanged(playing);
}

void Strip::tick() {
    // By the clock, not by counting ticks: a late tick must not slow the shot down. A frame that has not come in yet is
    // waited for.
    const Shot& shot = document_.shot();
    const qint64 due = qint64(double(clock_.nsecsElapsed()) * 1e-9 * shot.rate().value());
    if (due <= played_) return;
    int next = document_.frame() + 1;
    if (next > shot.range.last || next < shot.range.first) next = shot.range.first;
    if (!plate_.pictureReady(next)) {
        if (plate_.cache()) plate_.cache()->setFocus(next, 1, shot.range);
        played_ = due - 1;
        return;
    }
    played_ = due - played_ > 4 ? due : played_ + 1;
    document_.setFrame(next);
}

}  // namespace va
