// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>

#include "scene_view/scene_canvas.h"

namespace va {

/// The scene canvas under its header with the modes as words.
class SceneView : public QFrame {
    Q_OBJECT
  public:
    SceneView(Document& document, PlateCanvas& plate, const QList<QAction*>& modes, QWidget* parent = nullptr);
    [[nodiscard]] SceneCanvas& canvas() { return *canvas_; }

  private:
    SceneCanvas* canvas_;
};

}  // namespace va
