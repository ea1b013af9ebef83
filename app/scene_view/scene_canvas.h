// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "document/document.h"
#include "drawing/thing_drag.h"
#include "drawing/things_painter.h"
#include "plate_view/plate_canvas.h"
#include "scene_view/cloud_colours.h"

namespace va {

enum class SceneMode { orbit, top, front, side, throughLens };

/// The solved world: cloud, camera path, ground, things. Painted with QPainter, so that it works where no GL context
/// can be made; a few thousand points take a few milliseconds.
class SceneCanvas : public QWidget {
    Q_OBJECT
  public:
    SceneCanvas(Document& document, PlateCanvas& plate, QWidget* parent = nullptr);
    void setMode(SceneMode mode);
    [[nodiscard]] SceneMode mode() const { return mode_; }
    void setCloudColour(CloudColour by);
    [[nodiscard]] CloudColour cloudColour() const { return colourBy_; }
    /// The colour that a point of the cloud is drawn in when it is not selected.
    [[nodiscard]] QColor colourOf(int pathId) const;
    /// Brings everything that matters into view.
    void frameAll();
    /// Brings the selected things into view; everything where none is selected.
    void frameSelection();
    void setLayout(LayoutEdits* layout) { layout_ = layout; }
    void setThingsLook(ThingsLook look);
    /// Shows how a kind would stand on the ground there; null ends that.
    void showGhost(const ThingKind* kind, const QPointF& at);
    bool dropThing(const ThingKind& kind, const QPointF& at);
    /// The line of sight under a widget position.
    [[nodiscard]] std::optional<Ray> rayAt(const QPointF& at) const;
    void setLassoing(bool on) { lassoTool_ = on; }
    /// Where the uncertainty of the camera's path comes from.
    void setSlip(SlipWatch* slip);
    /// Whose candidate is drawn.
    void setGround(GroundEdits* ground);
    /// Widget position of a world point as drawn now.
    [[nodiscard]] std::optional<QPointF> positionOf(const Eigen::Vector3d& world) const;

  Q_SIGNALS:
    void modeChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent*) override {
        if (mode_ != SceneMode::throughLens && untouched_) frameAll();
    }

  private:
    void refresh();
    [[nodiscard]] Projector projector(Eigen::Vector3d& eye) const;
    /// The axes of a view from infinitely far: right, down and ahead in the world.
    struct Axes {
        Eigen::Vector3d right, down, ahead;
    };
    [[nodiscard]] Axes axes() const;
    [[nodiscard]] ThingGizmo thingGizmo() const;
    [[nodiscard]] std::optional<LayoutPlace> placeUnder(const QPointF& at) const;
    void drawThings(QPainter& painter, const Projector& project, const Eigen::Vector3d& eye);
    void drawCloud(QPainter& painter, const Projector& project);
    void drawMovers(QPainter& painter, const Projector& project);
    void drawPlanes(QPainter& painter, const Projector& project);
    void drawCameras(QPainter& painter, const Projector& project);
    void drawPathUncertainty(QPainter& painter, const Projector& project);

    Document& document_;
    PlateCanvas& plate_;
    SlipWatch* slip_ = nullptr;
    SceneMode mode_ = SceneMode::orbit;
    std::vector<std::pair<int, Eigen::Vector3d>> cloud_;  ///< path id, world
    CloudColour colourBy_ = CloudColour::plate;
    CloudColours colours_;
    std::unordered_map<int, double> residuals_;  ///< RMS error by path id, px
    struct MoverShown {
        std::vector<std::pair<int, CameraPose>> poses;
        std::vector<std::pair<int, Eigen::Vector3d>> points;  ///< in its own axes
    };
    std::vector<MoverShown> movers_;
    std::vector<std::pair<int, CameraPose>> cameras_;  ///< frame, world
    Eigen::Vector3d target_ = Eigen::Vector3d::Zero();
    double azimuth_ = 0.6, elevation_ = 0.5, distance_ = 20, extent_ = 10;
    bool untouched_ = true, lassoTool_ = false, lassoing_ = false;
    const void* framed_ = nullptr;
    GroundEdits* ground_ = nullptr;
    LayoutEdits* layout_ = nullptr;
    ThingsPainter things_;
    ThingDrag drag_;
    bool cameraHeld_ = false;  ///< the camera was pressed: a drag says that it is locked
    ThingPart hotPart_ = ThingPart::none;
    std::optional<Thing> moved_;
    quint64 movedStamp_ = 0;
    QPointF last_, pressed_;
    QPolygonF lasso_;
};

}  // namespace va
