// SPDX-License-Identifier: GPL-3.0-or-later
#include "route/route.h"

#include <QPainter>
#include <QTextLayout>
#include <QVBoxLayout>

#include "style/theme.h"

namespace va {

void drawLamp(QPainter& painter, const QPointF& at, Lamp lamp) {
    const Theme& theme = Theme::current();
    constexpr double r = 4;
    switch (lamp) {
        case Lamp::good:
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.good);
            painter.drawEllipse(at, r, r);
            break;
        case Lamp::look:
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.look);
            painter.drawPolygon(QPolygonF({at + QPointF(0, -5), at + QPointF(5.4, 4.4), at + QPointF(-5.4, 4.4)}));
            break;
        case Lamp::none:
            painter.setPen(QPen(theme.none, 1.4));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(at, r - 0.5, r - 0.5);
            break;
        case Lamp::stale:
            painter.setPen(QPen(theme.stale, 1.2));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(at, r, r);
            painter.setBrush(theme.stale);
            painter.drawPie(QRectF(at - QPointF(r, r), QSizeF(2 * r, 2 * r)), -90 * 16, 180 * 16);
            break;
    }
    painter.setBrush(Qt::NoBrush);
}

RouteEntry::RouteEntry(const QString& name, const QString& iconName, QWidget* parent)
    : QAbstractButton(parent), iconName_(iconName) {
    setText(name);
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

void RouteEntry::setVerdict(const Verdict& verdict) {
    verdict_ = verdict;
    setToolTip(QString::fromStdString(verdict.sentence));
    static const char* words[] = {QT_TR_NOOP("good"), QT_TR_NOOP("look at this"), QT_TR_NOOP("nothing yet"),
                                  QT_TR_NOOP("stale")};
    setAccessibleName(tr("%1, %2").arg(text(), tr(words[int(verdict.lamp)])));
    setAccessibleDescription(toolTip());
    update();
}

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
    va::icon(iconName_, isChecked() ? theme.text : theme.textQuiet).paint(&painter, QRect(14, 8, 16, 16));
    painter.setFont(titleFont());
    painter.setPen(theme.text);
    painter.drawText(QRect(38, 6, width() - 70, 18), Qt::AlignLeft | Qt::AlignVCenter, text());
    drawLamp(painter, QPointF(width() - 18, 15), verdict_.lamp);
    // At most two lines, the second one cut short with dots.
    painter.setFont(captionFont());
    painter.setPen(theme.textQuiet);
    const int lineWidth = width() - 38 - 12;
    const QString sentence = QString::fromStdString(verdict_.sentence);
    QTextLayout layout(sentence, captionFont(), this);
    layout.beginLayout();
    int y = 25;
    for (int line = 0; line < 2; ++line) {
        QTextLine l = layout.createLine();
        if (!l.isValid()) break;
        l.setLineWidth(lineWidth);
        const bool last = line == 1 && l.textStart() + l.textLength() < sentence.size();
        const QString part =
            last ? painter.fontMetrics().elidedText(sentence.mid(l.textStart()), Qt::ElideRight, lineWidth)
                 : sentence.mid(l.textStart(), l.textLength());
        painter.drawText(QRect(38, y, lineWidth + 4, 14), Qt::AlignLeft | Qt::AlignVCenter, part);
        y += 14;
    }
    layout.endLayout();
}

Route::Route(Document& document, QWidget* parent) : QFrame(parent), document_(document) {
    setObjectName("route");
    setFixedWidth(196);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 4, 0, 4);
    layout->setSpacing(1);
    const std::pair<QString, const char*> steps[stepCount] = {
        {tr("Plate"), "film"},  {tr("Lens"), "aperture"}, {tr("Features"), "scan-search"},
        {tr("Solve"), "video"}, {tr("Ground"), "ruler"},  {tr("Layout"), "box"},
        {tr("Proof"), "eye"},   {tr("Export"), "share"}};
    for (int i = 0; i < stepCount; ++i) {
        auto* entry = new RouteEntry(steps[i].first, QLatin1String(steps[i].second), this);
        entry->setObjectName(QStringLiteral("route%1").arg(i));
        entries_[size_t(i)] = entry;
        layout->addWidget(entry);
        connect(entry, &QAbstractButton::clicked, this, [this, i] { setCurrent(Step(i)); });
    }
    layout->addStretch();
    entries_[0]->setChecked(true);
    connect(&document_, &Document::shotChanged, this, &Route::refresh);
    refresh();
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
