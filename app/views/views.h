// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QLabel>

#include "views/flip_view.h"
#include "views/plate_view.h"
#include "views/scene_view.h"
#include "views/still_view.h"

class QToolButton;

namespace va {

enum class ViewMode { plate, beside, scene };
/// Corner of the picture that the inset stands in.
enum class Corner { topLeft, topRight, bottomLeft, bottomRight };

/// Plate view and scene view under one header: the plate alone with the scene as an inset over it, both side by side,
/// or the scene alone. The drawer covers the lower part when it is called.
class Views : public QFrame {
    Q_OBJECT
  public:
    struct Words {
        QList<QAction*> modes;  ///< plate, beside, scene
        QList<QAction*> tools;
    };
    Views(PlateView* plate, SceneView* scene, const Words& words, QWidget* parent = nullptr);
    void setMode(ViewMode mode);
    [[nodiscard]] ViewMode mode() const { return mode_; }
    /// Whether the scene stands over the picture in the mode `plate`.
    void setInsetShown(bool shown);
    [[nodiscard]] bool insetShown() const { return inset_; }
    void setInsetCorner(Corner corner);
    [[nodiscard]] Corner insetCorner() const { return corner_; }
    /// Takes the drawer in; it is shown and hidden from outside.
    void setDrawer(QWidget* drawer);
    /// Takes in the view of a reference still, which stands over the lower left of the plate while one is chosen.
    void setStill(StillView* still);
    /// Takes in the flip-book, which lies over all views while it is open.
    void setFlip(FlipView* flip);
    [[nodiscard]] FlipView& flip() { return *flip_; }
    /// Area of the plate's picture that is seen, neither outside of the view nor under inset or drawer, px².
    [[nodiscard]] double visiblePictureArea() const;

  Q_SIGNALS:
    /// The inset was double-clicked: it wants to grow.
    void insetOpened();

  protected:
    void resizeEvent(QResizeEvent*) override { arrange(); }
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void arrange();
    void showLabels();
    [[nodiscard]] QRect area() const;
    [[nodiscard]] QRect insetRect() const;
    bool dragInset(QEvent* event);
    bool dragDivider(QEvent* event);
    bool dragDrawer(QEvent* event);

    PlateView* plate_;
    SceneView* scene_;
    QFrame *header_, *divider_, *drawerEdge_;
    QLabel* zoom_;
    QList<QToolButton*> tools_;
    QWidget* drawer_ = nullptr;
    StillView* still_ = nullptr;
    FlipView* flip_ = nullptr;
    ViewMode mode_ = ViewMode::plate;
    bool inset_ = false, dragged_ = false;
    Corner corner_ = Corner::topRight;
    double share_ = 0.7;         ///< of the width that the plate has beside the scene
    double drawerShare_ = 0.36;  ///< of the height
    QPoint grabbed_;
};

}  // namespace va
