// SPDX-License-Identifier: GPL-3.0-or-later
#include "tray/tray.h"

#include <QApplication>
#include <QGridLayout>
#include <QMouseEvent>

#include "style/theme.h"

namespace va {
namespace {

constexpr int trayColumns = 6;

}  // namespace

TrayButton::TrayButton(const ThingKind& kind, QWidget* parent) : QToolButton(parent) {
    setObjectName(QStringLiteral("tray-%1").arg(QLatin1String(kindWord(kind))));
    setIcon(va::icon(QLatin1String(kindIcon(kind))));
    const QString label = tr(kindLabel(kind));
    setAccessibleName(label);
    setToolTip(tr("%1: drag it onto the picture or into the scene. A click takes it; the next click in the picture "
                  "places it.")
                   .arg(label));
    setFixedSize(34, 30);
    setCursor(Qt::OpenHandCursor);
    setFocusPolicy(Qt::TabFocus);
    connect(this, &QToolButton::clicked, this, &TrayButton::taken);
}

void TrayButton::mousePressEvent(QMouseEvent* event) {
    pressed_ = event->globalPosition().toPoint();
    dragging_ = false;
    QToolButton::mousePressEvent(event);
}

void TrayButton::mouseMoveEvent(QMouseEvent* event) {
    const QPoint at = event->globalPosition().toPoint();
    if (!(event->buttons() & Qt::LeftButton)) return;
    dragging_ = dragging_ || (at - pressed_).manhattanLength() >= QApplication::startDragDistance();
    if (!dragging_) return;
    setDown(false);
    Q_EMIT draggedOver(at);
}

void TrayButton::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragging_) return QToolButton::mouseReleaseEvent(event);
    dragging_ = false;
    setDown(false);
    Q_EMIT dropped(event->globalPosition().toPoint());
}

Tray::Tray(QWidget* parent) : QWidget(parent) {
    setObjectName("tray");
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 4, 0, 4);
    grid->setSpacing(2);
    int at = 0;
    for (const ThingKind& kind : allKinds()) {
        // A group is made of things that are there.
        if (std::holds_alternative<Group>(kind)) continue;
        auto* button = new TrayButton(kind, this);
        grid->addWidget(button, at / trayColumns, at % trayColumns);
        ++at;
        connect(button, &TrayButton::draggedOver, this, [this, kind](const QPoint& p) { Q_EMIT draggedOver(kind, p); });
        connect(button, &TrayButton::dropped, this, [this, kind](const QPoint& p) { Q_EMIT dropped(kind, p); });
        connect(button, &TrayButton::taken, this, [this, kind] { Q_EMIT taken(kind); });
    }
    grid->setColumnStretch(trayColumns, 1);
}

}  // namespace va
