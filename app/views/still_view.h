// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QImage>
#include <QLabel>
#include <algorithm>

#include "document/still_edits.h"

namespace va {

/// A reference still over the plate, with its marks: a click marks the selected feature, a drag mends a mark, Delete
/// removes the one under the pointer. The wheel zooms, the middle button pans.
class StillCanvas : public QWidget {
    Q_OBJECT
  public:
    StillCanvas(Document& document, StillEdits& edits, QWidget* parent = nullptr);
    [[nodiscard]] QPointF fromPixel(const Eigen::Vector2d& pixel) const;
    [[nodiscard]] Eigen::Vector2d toPixel(const QPointF& at) const;
    [[nodiscard]] bool hasPicture() const { return !picture_.isNull(); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void load();
    void fit();
    /// How far a click may be off, px of the still.
    [[nodiscard]] double clickSigma() const { return std::max(0.7, 0.6 / zoom_); }
    [[nodiscard]] int markAt(const QPointF& at) const;

    Document& document_;
    StillEdits& edits_;
    QImage picture_;
    std::string loaded_;
    QString trouble_;
    double zoom_ = 1;
    QPointF origin_, from_;
    bool panning_ = false, fitted_ = true;
    int dragged_ = 0, hovered_ = 0;  ///< ids of paths
    QPointF draggedTo_;
};

/// The canvas under a head with the still's name, which closes it.
class StillView : public QFrame {
    Q_OBJECT
  public:
    StillView(Document& document, StillEdits& edits, QWidget* parent = nullptr);
    [[nodiscard]] StillCanvas& canvas() { return *canvas_; }

  private:
    void refresh();
    Document& document_;
    StillEdits& edits_;
    QLabel* title_;
    StillCanvas* canvas_;
};

}  // namespace va
