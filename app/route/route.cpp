// SPDX-License-Identifier: GPL-3.0-or-later
#include "route/route.h"

#include <QPainter>
#include <QVBoxLayout>

#include "route/lamp.h"
#include "steps/step_table.h"
#include "style/theme.h"

namespace va {

RouteEntry::RouteEntry(const QString& name, const QString& iconName, QWidget* parent)
    : QAbstractButton(parent), iconName_(iconName) {
    setText(name);
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
}

void RouteEntry::setVerdict(const Verdict& verdict) {
    verdict_ = verdict;
    static const char* words[] = {QT_TR_NOOP("good"), QT_TR_NOOP("look at this"), QT_TR_NOOP("nothing yet"),
                                  QT_TR_NOOP("stale")};
    setAccessibleName(tr("%1, %2").arg(text(), tr(words[int(verdict.lamp)])));
    setAccessibleDescription(QString::fromStdString(verdict.sentence));
    update();
}

void RouteEntry::enterEvent(QEnterEvent*) { Q_EMIT looked(true); }
void RouteEntry::leaveEvent(QEvent*) { Q_EMIT looked(false); }

void RouteEntry::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (isChecked()) {
        painter.fillRect(rect(), theme.hover);
        painter.fillRect(QRect(0, 0, 3, height()), theme.accent);
    } else if (underMouse()) {
        painter.fillRect(rect(), theme.bar);
    }
    if (hasFocus()) {
        painter.setPen(QPen(theme.accent, 1));
        painter.drawRoundedRect(QRectF(rect()).adjusted(3.5, 1.5, -1.5, -1.5), 3, 3);
    }
    // Icon over name, both in the middle of whatever height there is.
    const int top = (height() - 38) / 2;
    va::icon(iconName_, isChecked() ? theme.text : theme.textQuiet)
        .paint(&painter, QRect((width() - 20) / 2, top, 20, 20));
    painter.setFont(isChecked() ? [] {
        QFont f = captionFont();
        f.setWeight(QFont::DemiBold);
        return f;
    }() : captionFont());
    painter.setPen(isChecked() ? theme.text : theme.textSoft);
    painter.drawText(QRect(0, top + 23, width(), 16), Qt::AlignCenter, text());
    drawLamp(painter, QPointF(width() - 13, top + 3), verdict_.lamp);
}

Route::Route(Document& document, QWidget* parent) : QFrame(parent), document_(document) {
    setObjectName("route");
    setFixedWidth(64);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    for (int i = 0; i < stepCount; ++i) {
        const StepInfo& step = stepTable()[size_t(i)];
        auto* entry = new RouteEntry(stepName(step.step), QLatin1String(step.icon), this);
        entry->setObjectName(QStringLiteral("route%1").arg(i));
        entries_[size_t(i)] = entry;
        layout->addWidget(entry);
        connect(entry, &QAbstractButton::clicked, this, [this, i] { setCurrent(Step(i)); });
        connect(entry, &RouteEntry::looked, this, [this, entry](bool at) {
            looked_ = at ? entry : nullptr;
            // From one entry to the next it moves along at once.
            if (at && verdict_ && verdict_->isVisible()) unfoldVerdict(entry);
            else unfold_.start(at ? 150 : 80);
        });
    }
    layout->addStretch();
    unfold_.setSingleShot(true);
    connect(&unfold_, &QTimer::timeout, this, [this] { unfoldVerdict(looked_); });
    entries_[0]->setChecked(true);
    connect(&document_, &Document::shotChanged, this, &Route::refresh);
    refresh();
}

void Route::unfoldVerdict(RouteEntry* entry) {
    if (!entry) {
        if (verdict_) verdict_->hide();
        return;
    }
    if (!verdict_) {
        verdict_ = new QLabel(window());
        verdict_->setObjectName("verdict");
        verdict_->setWordWrap(true);
        verdict_->setAttribute(Qt::WA_TransparentForMouseEvents);
        verdict_->setFixedWidth(300);
    }
    verdict_->setText(QString::fromStdString(entry->verdict().sentence));
    verdict_->adjustSize();
    verdict_->resize(300, verdict_->heightForWidth(300));
    const QPoint at = entry->mapTo(window(), QPoint(entry->width() + 4, 6));
    verdict_->move(at.x(), std::min(at.y(), window()->height() - verdict_->height() - 8));
    verdict_->show();
    verdict_->raise();
}

void Route::setCurrent(Step step) {
    current_ = step;
    entries_[size_t(step)]->setChecked(true);
    Q_EMIT stepChosen(step);
}

void Route::refresh() {
    const auto verdicts = verdictsOn(document_.shot());
    for (int i = 0; i < stepCount; ++i) entries_[size_t(i)]->setVerdict(verdicts[size_t(i)]);
}

}  // namespace va
