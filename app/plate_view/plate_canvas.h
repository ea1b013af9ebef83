// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <map>
#include <memory>
#include <set>

#include "document/document.h"
#include "document/slip_watch.h"
#include "media/frame_cache.h"
#include "plate_view/canvas_tool.h"
#include "plate_view/edge_tool.h"
#include "plate_view/straight_view.h"
#include "solve/solve_errors.h"

namespace va {

enum class PlateTool { select, lasso, placeBox, hand, mask, patch, edge };

/// How paths are drawn.
struct PathLook {
    double markSize = 3.2;   ///< screen px, radius of a ring
    int tail = 10;           ///< frames
    bool asideShown = true;  ///< paths set aside as faint dots
    bool vectors = false;    ///< residuals as lines, enlarged
    bool errorMap = false;   ///< mean residuals over the picture as arrows, enlarged
    bool slip = false;       ///< expected slip on the ground, and under the pointer
    bool centred = false;    ///< the picture is shifted so that the selected path stands still in the middle
};

/// The plate with what was found on it. Draws with QPainter: in software that is several times faster than a GL
/// texture.
class PlateCanvas : public QWidget {
    Q_OBJECT
  public:
    PlateCanvas(Document& document, FeatureEdits& edits, QWidget* parent = nullptr);
    ~PlateCanvas() override;

    void setTool(PlateTool tool);
    [[nodiscard]] PlateTool tool() const { return tool_; }
    void fit();
    void setZoom(double factor);
    [[nodiscard]] double zoom() const { return zoom_; }
    /// Shows the plate with the lens taken out, or as it is; everything drawn on it goes along. Gives a sentence where
    /// there is no lens to take out, or none that can be.
    QString setStraight(bool on);
    [[nodiscard]] bool straightShown() const { return straightShown_; }
    void setLensGrid(bool on);
    /// Shows the straight edges of the frame, which the edge tool shows anyway.
    void setEdgesShown(bool on);
    /// Widget position of a plate pixel, and back: through the lens where the straight plate is shown.
    [[nodiscard]] QPointF fromPixel(double x, double y) const;
    [[nodiscard]] QPointF toPixel(const QPointF& at) const;
    /// True when the picture of the current frame is held and drawn at the next repaint.
    [[nodiscard]] bool pictureReady(int frame) const;
    /// Where the expected slip comes from.
    void setSlip(SlipWatch* slip);
    /// What the read-out under the pointer says; empty when it is off or nothing can be said.
    [[nodiscard]] QString slipReadout() const { return slipReadout_; }
    void setPlayDirection(int direction);
    /// The world's ground (height 0) under a widget position, in the current frame.
    [[nodiscard]] std::optional<Eigen::Vector3d> groundAt(const QPointF& at) const;
    [[nodiscard]] FrameCache* cache() const { return cache_.get(); }
    [[nodiscard]] const PathLook& look() const { return look_; }
    void setLook(const PathLook& look);
    /// Id of the path under a widget position in the current frame, or 0.
    [[nodiscard]] int pathAt(const QPointF& at) const;
    /// How large marks are drawn, and how far they are grabbed from, as a share of what they are where there is room:
    /// between features that crowd the view things have to be seen and reached. 0.5..1.
    [[nodiscard]] double markScale() const;

  Q_SIGNALS:
    void zoomChanged();
    void toolChanged();
    void lookChanged();
    void straightChanged();
    void frameArrived(int frame);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    [[nodiscard]] QRectF pictureRect() const;
    void followLens();
    struct Seen {
        int path = 0, point = 0;  ///< indices into shot.paths and its points
    };
    void openCache();
    void drawDamage(QPainter& painter, const QRectF& target);
    void index();
    void drawPaths(QPainter& painter);
    void drawThings(QPainter& painter);
    void drawSlip(QPainter& painter);
    void drawErrorMap(QPainter& painter);
    void drawCheckPoints(QPainter& painter);
    void readSlip(const QPointF& at);
    /// Where the solve sees a path in the current frame, as a part of the scene or of a mover.
    [[nodiscard]] std::optional<Eigen::Vector2d> predicted(int pathId) const;
    void placeFrame();
    void drawLegend(QPainter& painter);
    void drawHint(QPainter& painter);
    void centreOnSelected();
    void drawEmpty(QPainter& painter, const QString& sentence);
    [[nodiscard]] int thingAt(const QPointF& at) const;
    [[nodiscard]] std::function<std::optional<QPointF>(const Eigen::Vector3d&)> projector(CameraPose& pose) const;

    Document& document_;
    FeatureEdits& edits_;
    std::map<PlateTool, std::unique_ptr<CanvasTool>> tools_;
    [[nodiscard]] CanvasTool* active() const;
    PathLook look_;
    std::unique_ptr<FrameCache> cache_;
    QImage preview_;  ///< of a plate that is still being opened
    std::vector<std::vector<Seen>> byFrame_;
    const void* indexed_ = nullptr;
    struct Placed {
        Eigen::Vector3d world;
        FrameRange stretch;
        std::set<int> unused;  ///< frames in which the solve did not believe the path
    };
    std::map<int, Placed> placed_;  ///< by path id
    struct OnMover {
        int mover = 0;  ///< index
        Eigen::Vector3d local;
    };
    std::map<int, OnMover> onMover_;                    ///< by path id
    std::map<int, int> moverOf_;                        ///< path id to index of its mover
    std::vector<std::optional<CameraPose>> moverHere_;  ///< in the current frame
    std::optional<FrameCamera> cameraHere_;
    SlipWatch* slip_ = nullptr;
    QString slipReadout_;
    ErrorMap errorMap_;
    std::shared_ptr<const SolveResult> mapped_;  ///< that the map is of
    PlateTool tool_ = PlateTool::select;
    StraightView straight_;
    bool straightShown_ = false, gridShown_ = false, edgesShown_ = false;
    EdgeOverlay edgeOverlay_;
    double zoom_ = 1;
    bool fitted_ = true;
    QPointF origin_;  ///< widget position of the picture's top-left corner
    QPointF pressed_, dragFrom_;
    bool panning_ = false, lassoing_ = false;
    int draggedThing_ = 0;
    Eigen::Vector3d dragOffset_ = Eigen::Vector3d::Zero(), dragPlace_ = Eigen::Vector3d::Zero();
    QPolygonF lasso_;
    int direction_ = 1;
};

}  // namespace va
