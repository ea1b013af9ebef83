// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "document/feature_edits.h"

namespace va {

class PlateCanvas;

/// A tool at the plate view's edge that has the mouse while it is chosen. Functions that take an event give true when
/// they used it; what they leave goes to the canvas (panning).
class CanvasTool {
  public:
    CanvasTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
        : canvas_(canvas), document_(document), edits_(edits) {}
    virtual ~CanvasTool() = default;
    virtual bool press(QMouseEvent* event) = 0;
    virtual bool move(QMouseEvent* event) = 0;
    virtual bool release(QMouseEvent* event) = 0;
    virtual bool doubleClick(QMouseEvent*) { return false; }
    /// True for keys that the tool wants for itself although an action has them as well.
    [[nodiscard]] virtual bool wantsKey(const QKeyEvent&) const { return false; }
    virtual bool key(QKeyEvent*) { return false; }
    virtual void paint(QPainter&) {}
    /// What can be done now, for the line at the foot of the view.
    [[nodiscard]] virtual QString hint() const { return {}; }
    [[nodiscard]] virtual Qt::CursorShape cursor() const { return Qt::CrossCursor; }
    /// The tool is put down: drop what is half done.
    virtual void leave() {}

  protected:
    [[nodiscard]] QPointF onScreen(const Eigen::Vector2d& pixel) const;
    [[nodiscard]] Eigen::Vector2d inPicture(const QPointF& at) const;
    PlateCanvas& canvas_;
    Document& document_;
    FeatureEdits& edits_;
};

}  // namespace va
