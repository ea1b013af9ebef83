// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip/strip.h"

#include <QHBoxLayout>
#include <QIntValidator>
#include <QToolButton>
#include <QVBoxLayout>

#include "route/lamp.h"
#include "style/theme.h"

namespace va {

Strip::Strip(Document& document, PlateCanvas& plate, const QList<QAction*>& transport, const QList<QAction*>& drawer,
             QWidget* parent)
    : QFrame(parent),
      document_(document),
      plate_(plate),
      frame_(new QLineEdit),
      lamp_(new QLabel),
      sentence_(new SentenceLabel) {
    setObjectName("strip");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 3, 0, 0);
    layout->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(2);
    const auto button = [row](QAction* action) {
        auto* b = new QToolButton;
        b->setDefaultAction(action);
        b->setIconSize(QSize(16, 16));
        b->setAccessibleName(action->text());
        row->addWidget(b);
        return b;
    };
    for (QAction* action : transport) button(action);
    frame_->setObjectName("frameField");
    frame_->setAccessibleName(tr("Frame"));
    frame_->setFixedWidth(56);
    frame_->setAlignment(Qt::AlignCenter);
    frame_->setValidator(new QIntValidator(frame_));
    frame_->setFont(titleFont());
    sentence_->setObjectName("sentence");
    row->addSpacing(6);
    row->addWidget(frame_);
    row->addSpacing(8);
    row->addWidget(lamp_);
    row->addSpacing(4);
    row->addWidget(sentence_, 1);
    row->addSpacing(8);
    for (QAction* action : drawer) button(action)->setToolButtonStyle(Qt::ToolButtonTextOnly);
    layout->addLayout(row);
    auto* lanes = new Lanes(document, this);
    layout->addWidget(lanes);
    connect(lanes, &Lanes::keyDragged, this, &Strip::keyDragged);
    connect(frame_, &QLineEdit::editingFinished, this, [this] { document_.setFrame(frame_->text().toInt()); });
    connect(&document_, &Document::frameChanged, this, &Strip::showFrame);
    connect(&document_, &Document::shotChanged, this, &Strip::refresh);
    timer_.setTimerType(Qt::PreciseTimer);
    connect(&timer_, &QTimer::timeout, this, &Strip::tick);
    refresh();
}

void Strip::setStep(Step step) {
    step_ = step;
    refresh();
}

void Strip::setSentence(const Verdict& verdict) {
    sentence_->say(QString::fromStdString(verdict.sentence));
    lamp_->setPixmap(lampPixmap(verdict.lamp, devicePixelRatioF()));
}

void Strip::showFrame() {
    if (!frame_->hasFocus() || playing())
        frame_->setText(document_.shot().hasPlate() ? QString::number(document_.frame()) : QString());
}

void Strip::refresh() {
    showFrame();
    setSentence(verdictLine(document_.shot(), document_.shot().hasPlate() ? step_ : Step::plate));
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
