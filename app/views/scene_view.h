// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "scene_view/scene_canvas.h"

namespace va {

/// The scene canvas under its header with the ways to look as words.
class SceneView : public QFrame {
    Q_OBJECT
  public:
    SceneView(Document& document, PlateCanvas& plate, const QList<QAction*>& modes, QAction* colours,
              QWidget* parent = nullptr);
    [[nodiscard]] SceneCanvas& canvas() { return *canvas_; }
    /// Where the inset is taken hold of.
    [[nodiscard]] QWidget* header() { return header_; }

  private:
    QFrame* header_;
    SceneCanvas* canvas_;
};

}  // namespace va
