// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "plate_view/plate_canvas.h"

namespace va {

/// The plate canvas with the banner that asks for lost footage.
class PlateView : public QFrame {
    Q_OBJECT
  public:
    PlateView(Document& document, FeatureEdits& edits, QWidget* parent = nullptr);
    [[nodiscard]] PlateCanvas& canvas() { return *canvas_; }

  Q_SIGNALS:
    void locateAsked();

  private:
    PlateCanvas* canvas_;
};

}  // namespace va
