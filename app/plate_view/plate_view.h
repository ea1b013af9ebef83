// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QLabel>

#include "plate_view/plate_canvas.h"

namespace va {

/// The plate canvas under its header, with the tools at its edge and the banner that asks for lost footage.
class PlateView : public QFrame {
    Q_OBJECT
  public:
    PlateView(Document& document, FeatureEdits& edits, const QList<QAction*>& tools, QWidget* parent = nullptr);
    [[nodiscard]] PlateCanvas& canvas() { return *canvas_; }

  Q_SIGNALS:
    void locateAsked();

  private:
    PlateCanvas* canvas_;
};

}  // namespace va
