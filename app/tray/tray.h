// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QToolButton>
#include <QWidget>

#include "layout/thing.h"

namespace va {

/// A kind of thing on the shelf: dragged away from it, or taken by a click.
class TrayButton : public QToolButton {
    Q_OBJECT
  public:
    explicit TrayButton(const ThingKind& kind, QWidget* parent = nullptr);

  Q_SIGNALS:
    void draggedOver(const QPoint& global);
    void dropped(const QPoint& global);
    void taken();

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    QPoint pressed_;
    bool dragging_ = false;
};

/// The shelf of kinds. The views are told where the pointer is while one is dragged: the button keeps the mouse.
class Tray : public QWidget {
    Q_OBJECT
  public:
    explicit Tray(QWidget* parent = nullptr);

  Q_SIGNALS:
    void draggedOver(const ThingKind& kind, const QPoint& global);
    void dropped(const ThingKind& kind, const QPoint& global);
    void taken(const ThingKind& kind);
};

}  // namespace va
