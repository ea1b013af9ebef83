// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QImage>
#include <array>

#include "document/background.h"
#include "document/document.h"
#include "drawing/things_painter.h"

namespace va {

/// First, middle and last frame side by side with the things in them, each zoomed to the same spot of the selected
/// thing, which has the same size in all three: does it stand where it stood. Lies over the views; a click or Esc
/// closes it.
class FlipView : public QFrame {
    Q_OBJECT
  public:
    explicit FlipView(Document& document, QWidget* parent = nullptr);
    /// Shows it for the selected thing. Says what is missing where it can't.
    void open();
    [[nodiscard]] std::array<int, 3> frames() const { return frames_; }
    /// Every picture was read.
    [[nodiscard]] bool ready() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void read();
    void paintPart(QPainter& painter, int part, const QRect& at);
    Document& document_;
    Background background_;
    std::array<int, 3> frames_{};
    std::array<QImage, 3> pictures_;
    std::array<ThingsPainter, 3> things_;
};

}  // namespace va
