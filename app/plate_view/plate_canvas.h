// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <map>
#include <memory>
#include <set>

#include "document/document.h"
#include "document/ground_edits.h"
#include "document/layout_edits.h"
#include "document/photo_edits.h"
#include "document/proof_edits.h"
#include "document/proof_live.h"
#include "document/slip_watch.h"
#include "drawing/thing_drag.h"
#include "drawing/things_painter.h"
#include "media/frame_cache.h"
#include "plate_view/overlays/edge_overlay.h"
#include "plate_view/overlays/error_map_overlay.h"
#include "plate_view/overlays/path_index.h"
#include "plate_view/overlays/paths_overlay.h"
#include "plate_view/overlays/surface_overlay.h"
#include "plate_view/overlays/undistorted_view.h"
#include "plate_view/overlays/world_gizmo.h"
#include "plate_view/tools/tool_table.h"

namespace va {

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
    /// Where the picture lies in the widget, undistorted or as it is.
    [[nodiscard]] QRectF pictureRect() const;
    /// Shows the plate with the lens taken out, or as it is; everything drawn on it goes along. Gives a sentence where
    /// there is no lens to take out, or none that can be.
    QString setUndistorted(bool on);
    [[nodiscard]] bool undistortedShown() const { return undistortedShown_; }
    void setLensGrid(bool on);
    /// Shows the straight edges of the frame, which the edge tool shows anyway.
    void setEdgesShown(bool on);
    /// Widget position of a plate pixel, and back: through the lens where the undistorted plate is shown.
    [[nodiscard]] QPointF fromPixel(double x, double y) const;
    [[nodiscard]] QPointF toPixel(const QPointF& at) const;
    /// True when the picture of the current frame is held and drawn at the next repaint.
    [[nodiscard]] bool pictureReady(int frame) const;
    /// Where the expected slip comes from.
    void setSlip(SlipWatch* slip);
    /// Whose candidate is drawn.
    void setGround(GroundEdits* ground);
    /// What the photo tool edits.
    void setPhoto(PhotoEdits* photo);
    [[nodiscard]] PhotoEdits* photo() const { return photo_; }
    /// What tools and drops edit things by.
    void setLayout(LayoutEdits* layout) { layout_ = layout; }
    /// What the light tools edit, and what renders the proof that is shown in its step.
    void setProof(ProofEdits* edits, ProofLive* live);
    [[nodiscard]] ProofEdits* proofEdits() const { return proofEdits_; }
    [[nodiscard]] LayoutEdits* layout() const { return layout_; }
    [[nodiscard]] GroundEdits* ground() const { return ground_; }
    /// The part of the world's gizmo under a widget position; none where it is not shown.
    [[nodiscard]] GizmoPart gizmoAt(const QPointF& at) const;
    /// Shows what belongs to the ground: the candidate, named planes, lines that tell the level.
    void setGroundShown(bool on);
    /// Shows the surface tile under the pointer.
    void setTileShown(bool on);
    /// The surface under the pointer; nothing where there is none, or the tile is not shown.
    [[nodiscard]] const std::optional<SurfaceTile>& tile() const { return surface_.tile(); }
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
    /// Ids of the paths whose points of the frame lie inside an outline in widget positions.
    [[nodiscard]] QSet<int> pathsInside(const QPolygonF& outline) const;
    /// Id of the nearest thing under a widget position, or 0.
    [[nodiscard]] int thingAt(const QPointF& at) const;
    /// Draws a thing as it is being dragged; null ends that.
    void showMoved(const Thing* thing);
    /// The line of sight under a widget position; nothing without a camera, and beyond the lens model's fold.
    [[nodiscard]] std::optional<Ray> rayAt(const QPointF& at) const;
    /// World to widget, in the current frame; empty where there is no camera.
    [[nodiscard]] Projector projectorNow() const;
    /// The gizmo of the selected thing; without arms where none is shown.
    [[nodiscard]] ThingGizmo thingGizmo() const;
    void setHotPart(ThingPart part);
    /// Whether the step in hand is about things: their gizmo is shown.
    void setLayoutShown(bool on);
    /// Only the plate and its things are drawn.
    void setClean(bool on);
    [[nodiscard]] bool clean() const { return clean_; }
    void setThingsLook(ThingsLook look);
    [[nodiscard]] ThingsLook thingsLook() const { return things_.look(); }

    // ---- placing: what was taken from the tray
    void setKindInHand(const ThingKind& kind) { kind_ = kind; }
    [[nodiscard]] const ThingKind& kindInHand() const { return kind_; }
    /// The place under a widget position: a surface, else the ground.
    [[nodiscard]] std::optional<LayoutPlace> placeUnder(const QPointF& at);
    /// Shows how a kind would stand there; null ends that.
    void showGhost(const ThingKind* kind, const QPointF& at);
    /// Puts it there. False, with a sentence, where there is nothing to stand on.
    bool dropThing(const ThingKind& kind, const QPointF& at);
    /// How large marks are drawn, and how far they are grabbed from, as a share of what they are where there is room:
    /// between features that crowd the view things have to be seen and reached. 0.5..1.
    [[nodiscard]] double markScale() const;

  Q_SIGNALS:
    void zoomChanged();
    void toolChanged();
    void lookChanged();
    void undistortedChanged();
    void frameArrived(int frame);
    void groundEdgeDrawn(const Eigen::Vector2d& from, const Eigen::Vector2d& to, bool alongX);
    void levelLineDrawn(LevelKind kind, const Eigen::Vector2d& from, const Eigen::Vector2d& to);

  protected:
    void leaveEvent(QEvent* event) override;
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
    void updateLens();
    void openCache();
    /// The proof in place of the plate and its drawn things; false where there is none to show.
    bool drawProof(QPainter& painter, const QRectF& target);
    void drawThings(QPainter& painter);
    void readSlip(const QPointF& at);
    void drawGround(QPainter& painter);
    void drawPhoto(QPainter& painter);
    void centreOnSelected();
    [[nodiscard]] QString damage() const;
    [[nodiscard]] Projector projector(CameraPose& pose) const;
    [[nodiscard]] CanvasTool& active() const;

    Document& document_;
    FeatureEdits& edits_;
    std::map<PlateTool, std::unique_ptr<CanvasTool>> tools_;
    PathLook look_;
    std::unique_ptr<FrameCache> cache_;
    QImage preview_;  ///< of a plate that is still being opened
    PathIndex index_;
    SlipWatch* slip_ = nullptr;
    GroundEdits* ground_ = nullptr;
    PhotoEdits* photo_ = nullptr;
    SurfaceOverlay surface_;
    bool groundShown_ = false, tileShown_ = false;
    QString slipReadout_;
    ErrorMapOverlay errorMap_;
    PlateTool tool_ = PlateTool::select;
    UndistortedView undistorted_;
    bool undistortedShown_ = false, gridShown_ = false, edgesShown_ = false;
    EdgeOverlay edgeOverlay_;
    double zoom_ = 1;
    bool fitted_ = true;
    QPointF origin_;  ///< widget position of the picture's top-left corner
    QPointF dragFrom_;
    bool panning_ = false;
    LayoutEdits* layout_ = nullptr;
    ProofEdits* proofEdits_ = nullptr;
    ProofLive* proof_ = nullptr;
    mutable ThingsPainter things_;  ///< keeps shapes while it finds things, which is no change that is seen
    std::optional<Thing> moved_;    ///< shown instead of the one with its id; id 0 = one that is not there yet
    quint64 movedStamp_ = 0;
    ThingPart hotPart_ = ThingPart::none;
    ThingKind kind_ = Box();
    bool layoutShown_ = false, clean_ = false;
    int direction_ = 1;
};

}  // namespace va
