// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "document/document.h"
#include "drawing/scene_drawing.h"
#include "plate_view/plate_canvas.h"
#include "scene_view/cloud_colours.h"

namespace va {

enum class SceneMode { orbit, top, side, throughLens };

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
    QPointF last_, pressed_;
    QPolygonF lasso_;
};

}  // namespace va
