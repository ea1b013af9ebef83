// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/plate_canvas.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

#include "base/error.h"
#include "document/proof_edits.h"
#include "plate_view/overlays/check_points_overlay.h"
#include "plate_view/overlays/level_overlay.h"
#include "plate_view/overlays/notices.h"
#include "plate_view/overlays/photo_overlay.h"
#include "plate_view/overlays/post_shadow.h"
#include "plate_view/overlays/slip_overlay.h"
#include "plate_view/tools/edge_tool.h"
#include "plate_view/tools/mask_tool.h"
#include "plate_view/tools/patch_tool.h"
#include "plate_view/tools/photo_tool.h"
#include "plate_view/tools/select_tool.h"
#include "style/theme.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"

namespace va {
namespace {

/// Nearer than a thousandth of the scene's size nothing is drawn.
double nearestShown(const Shot& shot) {
    double far = 0;
    for (const SolvedPoint& p : shot.solve->points) far = std::max(far, p.position.norm());
    return far > 0 ? std::clamp(1e-4 * far * shot.ground->worldFromSolve.scale, 1e-6, 0.05) : 0.01;
}

}  // namespace

PlateCanvas::PlateCanvas(Document& document, FeatureEdits& edits, QWidget* parent)
    : QWidget(parent), document_(document), edits_(edits) {
    for (const ToolInfo& t : toolTable()) tools_[t.tool] = t.make(*this, document_, edits_);
    setObjectName("plateCanvas");
    setAccessibleName(tr("Plate view"));
    setMinimumSize(240, 160);
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    setAttribute(Qt::WA_OpaquePaintEvent);
    connect(&document_, &Document::plateChanged, this, &PlateCanvas::openCache);
    connect(&document_, &Document::shotChanged, this, [this] {
        index_.update(document_.shot());
        updateLens();
        update();
    });
    connect(&document_.opening(), &Opening::firstPicture, this, [this](const QImage& picture) {
        preview_ = picture;
        update();
    });
    connect(&document_.opening(), &Opening::changed, this, [this] {
        if (document_.opening().running() || preview_.isNull()) return;
        preview_ = {};
        update();
    });
    connect(&document_, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::frameChanged, this, [this](int frame) {
        if (cache_) cache_->setFocus(frame, direction_, document_.shot().range);
        centreOnSelected();
        update();
    });
}

PlateCanvas::~PlateCanvas() = default;

void PlateCanvas::openCache() {
    cache_.reset();
    preview_ = {};
    const Shot& shot = document_.shot();
    if (shot.hasPlate() && document_.plateTrouble().isEmpty()) {
        try {
            auto source = document_.takeSource();
            if (!source) source = openPlate(shot.plateSpec, choicesForOpening(shot.overrides));
            cache_ = std::make_unique<FrameCache>(std::move(source), FrameCache::defaultBudget, [this](int frame) {
                QMetaObject::invokeMethod(
                    this,
                    [this, frame] {
                        if (frame == document_.frame()) update();
                        Q_EMIT frameArrived(frame);
                    },
                    Qt::QueuedConnection);
            });
            cache_->setFocus(document_.frame(), direction_, shot.range);
        } catch (const std::exception& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        }
    }
    fit();
}

void PlateCanvas::setSlip(SlipWatch* slip) {
    slip_ = slip;
    connect(slip_, &SlipWatch::changed, this, qOverload<>(&QWidget::update));
}

void PlateCanvas::setGround(GroundEdits* ground) {
    ground_ = ground;
    connect(ground_, &GroundEdits::candidateChanged, this, qOverload<>(&QWidget::update));
}

void PlateCanvas::setPhoto(PhotoEdits* photo) {
    photo_ = photo;
    connect(photo_, &PhotoEdits::changed, this, qOverload<>(&QWidget::update));
}

void PlateCanvas::setGroundShown(bool on) {
    groundShown_ = on;
    update();
}

void PlateCanvas::setTileShown(bool on) {
    tileShown_ = on;
    if (!on) surface_.lookAt(document_, std::nullopt);
    update();
}

void PlateCanvas::leaveEvent(QEvent*) {
    surface_.lookAt(document_, std::nullopt);
    update();
}

void PlateCanvas::readSlip(const QPointF& at) {
    slipReadout_.clear();
    if (!look_.slip || !slip_ || !slip_->found()) return;
    const Shot& shot = document_.shot();
    // The surface under the pointer: the depth of the nearest feature, else the ground.
    std::optional<Eigen::Vector3d> place = groundAt(at);
    const int near = pathAt(at);
    if (const auto world = index_.worldOf(near)) place = world;
    const double slip = place ? slip_->slipAt(*place) : -1;
    if (slip >= 0)
        slipReadout_ = tr("slip %1 px over %2–%3").arg(slip, 0, 'f', 3).arg(shot.range.first).arg(shot.range.last);
}

bool PlateCanvas::pictureReady(int frame) const {
    return cache_ &&
           (cache_->picture(frame) || !cache_->trouble(frame).empty() || !document_.shot().plate.exists(frame));
}

void PlateCanvas::setPlayDirection(int direction) { direction_ = direction; }

CanvasTool& PlateCanvas::active() const { return *tools_.at(tool_); }

void PlateCanvas::setLook(const PathLook& look) {
    look_ = look;
    if (look_.centred) centreOnSelected();
    Q_EMIT lookChanged();
    update();
}

void PlateCanvas::centreOnSelected() {
    if (!look_.centred) return;
    const Path* path = edits_.current();
    const PathPoint* p = path ? path->at(document_.frame()) : nullptr;
    if (!p) return;
    fitted_ = false;
    origin_ += QPointF(width() / 2.0, height() / 2.0) - fromPixel(p->x, p->y);
}

void PlateCanvas::setTool(PlateTool tool) {
    if (tool != tool_) active().leave();
    tool_ = tool;
    update();
    setCursor(active().cursor());
    Q_EMIT toolChanged();
}

void PlateCanvas::fit() {
    const Shot& shot = document_.shot();
    fitted_ = true;
    if (shot.hasPlate() && width() > 0 && height() > 0) {
        // The undistorted frame is larger than the plate, which keeps its position in it.
        const UndistortedFrame& f = undistorted_.frame();
        const double wide = (undistortedShown_ ? f.width : shot.plate.width) * shot.pixelAspect(),
                     high = undistortedShown_ ? f.height : shot.plate.height;
        zoom_ = std::min(width() / wide, height() / high);
        origin_ = QPointF((width() - wide * zoom_) / 2, (height() - high * zoom_) / 2);
        if (undistortedShown_) origin_ += QPointF(f.left * shot.pixelAspect(), f.top) * zoom_;
    }
    Q_EMIT zoomChanged();
    update();
}

void PlateCanvas::setZoom(double factor) {
    const QPointF middle(width() / 2.0, height() / 2.0), pixel = toPixel(middle);
    zoom_ = std::clamp(factor, 0.05, 32.0);
    fitted_ = false;
    origin_ += middle - fromPixel(pixel.x(), pixel.y());
    Q_EMIT zoomChanged();
    update();
}

QPointF PlateCanvas::fromPixel(double x, double y) const {
    if (undistortedShown_) {
        const Eigen::Vector2d p = undistorted_.undistorted({x, y});
        x = p.x(), y = p.y();
    }
    return origin_ + QPointF((x + 0.5) * zoom_ * document_.shot().pixelAspect(), (y + 0.5) * zoom_);
}

QPointF PlateCanvas::toPixel(const QPointF& at) const {
    const QPointF d = at - origin_;
    const QPointF p(d.x() / (zoom_ * document_.shot().pixelAspect()) - 0.5, d.y() / zoom_ - 0.5);
    if (!undistortedShown_) return p;
    const Eigen::Vector2d distorted = undistorted_.distorted({p.x(), p.y()});
    return {distorted.x(), distorted.y()};
}

QRectF PlateCanvas::pictureRect() const {
    const Shot& shot = document_.shot();
    const double aspect = shot.pixelAspect();
    if (!undistortedShown_) return {origin_, QSizeF(shot.plate.width * aspect * zoom_, shot.plate.height * zoom_)};
    const UndistortedFrame& f = undistorted_.frame();
    return {origin_ - QPointF(f.left * aspect, f.top) * zoom_, QSizeF(f.width * aspect * zoom_, f.height * zoom_)};
}

QString PlateCanvas::setUndistorted(bool on) {
    if (on == undistortedShown_) return {};
    if (on) {
        const auto lens = document_.shot().lensAt(document_.frame());
        if (!lens) return tr("There is no lens to take out yet. Solve the shot, or give focal length and distortion.");
        try {
            undistorted_.prepare(*lens, document_.shot().plate.width, document_.shot().plate.height);
        } catch (const std::exception& e) {
            return QString::fromUtf8(e.what());
        }
    }
    undistortedShown_ = on;
    if (fitted_) fit();
    update();
    Q_EMIT undistortedChanged();
    return {};
}

void PlateCanvas::setLensGrid(bool on) {
    gridShown_ = on;
    update();
}

void PlateCanvas::setEdgesShown(bool on) {
    edgesShown_ = on;
    update();
}

/// The lens may have changed, or be gone.
void PlateCanvas::updateLens() {
    if (!undistortedShown_) return;
    const auto lens = document_.shot().lensAt(document_.frame());
    try {
        if (!lens) throw InputError("no lens");
        undistorted_.prepare(*lens, document_.shot().plate.width, document_.shot().plate.height);
        if (fitted_) fit();
    } catch (const std::exception&) {
        setUndistorted(false);
        Q_EMIT document_.troubled(
            tr("The plate is shown as it is again: this lens can't be taken out, or there is none any more."));
    }
}

void PlateCanvas::resizeEvent(QResizeEvent*) {
    if (fitted_) fit();
}

Projector PlateCanvas::projector(CameraPose& pose) const {
    const auto camera = document_.shot().cameraAt(document_.frame());
    if (!camera || !document_.shot().hasWorld()) return {};
    pose = camera->pose();
    return [this, camera = *camera](const Eigen::Vector3d& p) -> std::optional<QPointF> {
        const auto pixel = camera.project(p);
        if (!pixel || std::fabs(pixel->x()) > 50000 || std::fabs(pixel->y()) > 50000) return std::nullopt;
        return fromPixel(pixel->x(), pixel->y());
    };
}

void PlateCanvas::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    if (!preview_.isNull()) {
        // The first picture of what is being opened; its frames can't be gone to yet.
        const QSizeF fit = QSizeF(preview_.size()).scaled(size(), Qt::KeepAspectRatio);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(QRectF(QPointF((width() - fit.width()) / 2, (height() - fit.height()) / 2), fit), preview_);
        return;
    }
    const Shot& shot = document_.shot();
    if (!shot.hasPlate())
        return drawNotice(painter, rect(), tr("Open a movie, numbered stills or a photo: Ctrl+O, or drag it here."));
    const QRectF target = pictureRect();
    if (!document_.plateTrouble().isEmpty()) {
        painter.fillRect(target, theme.field);
        drawNotice(painter, rect(), document_.plateTrouble());
    } else if (cache_) {
        const int frame = document_.frame();
        if (const auto picture = cache_->picture(frame)) {
            painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 1.5);
            if (undistortedShown_) painter.drawImage(target, undistorted_.picture(picture));
            else
                painter.drawImage(target, QImage(reinterpret_cast<const uchar*>(picture->data.data()), picture->width,
                                                 picture->height, picture->width * 4, QImage::Format_RGB32));
        } else if (const std::string trouble = cache_->trouble(frame); !trouble.empty()) {
            painter.fillRect(target, theme.field);
            drawNotice(painter, rect(), QString::fromStdString(trouble));
        } else if (const std::string cause = shot.plate.damageAt(frame); !cause.empty()) {
            painter.fillRect(target, theme.field);
            drawNotice(painter, rect(), tr("Frame %1 is left out: %2.").arg(frame).arg(QString::fromStdString(cause)));
        } else if (!shot.plate.exists(frame)) {
            painter.fillRect(target, theme.field);
            drawNotice(painter, rect(), tr("Frame %1 is missing in the sequence.").arg(frame));
        } else {
            painter.fillRect(target, theme.field);
        }
    }
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setClipRect(target);
    if (const auto lens = gridShown_ ? shot.lensAt(document_.frame()) : std::nullopt)
        drawLensGrid(painter, *lens, shot.plate.width, shot.plate.height,
                     [this](const Eigen::Vector2d& p) { return fromPixel(p.x(), p.y()); });
    if (!drawProof(painter, target)) drawThings(painter);
    if (proofEdits_ && proofEdits_->sunHeld()) drawPostShadow(painter, *this, document_);
    if (clean_) return;
    const bool free = shot.solve->hasDepth();
    if (look_.errorMap && free) errorMap_.paint(painter, *this, document_);
    if (look_.shown) drawCheckPoints(painter, *this, document_);
    CameraPose pose;
    const auto slip = look_.slip && slip_ ? slip_->found() : nullptr;
    if (const auto project = slip ? projector(pose) : Projector()) drawSlip(painter, *this, *slip, project);
    if (groundShown_) drawGround(painter);
    if (groundShown_ || tool_ == PlateTool::photo) drawPhoto(painter);
    if (edgesShown_ || tool_ == PlateTool::edge) {
        const auto& tool = static_cast<const EdgeTool&>(*tools_.at(PlateTool::edge));
        edgeOverlay_.paint(painter, *this, document_, tool_ == PlateTool::edge ? tool.hovered() : 0);
    }
    if (look_.shown || tool_ == PlateTool::mask) drawMasks(painter, *this, document_, edits_);
    if (look_.shown || tool_ == PlateTool::patch) drawPatches(painter, *this, document_);
    if (const QString cause = damage(); !cause.isEmpty() && cache_ && cache_->picture(document_.frame()))
        drawWarningBand(painter, target, tr("Frame %1 is left out: %2").arg(document_.frame()).arg(cause));
    if (look_.shown && tool_ != PlateTool::edge) {
        index_.goTo(shot, document_.frame());
        drawPaths(painter, *this, document_, index_, look_);
    }
    if (tileShown_ && surface_.tile()) {
        const auto foot = surface_.foot(document_);
        surface_.paint(painter, rect(), document_, projector(pose), slip_ && foot ? slip_->slipAt(*foot) : -1);
    }
    if (const ThingGizmo gizmo = thingGizmo(); gizmo.arm > 0) gizmo.paint(painter, projectorNow(), hotPart_);
    painter.setClipping(false);
    active().paint(painter);
    if (free && (look_.shown || look_.slip || look_.errorMap))
        drawLegend(painter, *this, look_, slip && !slip->ground.empty() ? slip->groundLimitPx : 0);
    const QString hint = active().hint();
    if (!hint.isEmpty() || !slipReadout_.isEmpty()) drawHint(painter, rect(), hint.isEmpty() ? slipReadout_ : hint);
}

/// Why the frame in hand is left out; empty where it is not.
QString PlateCanvas::damage() const {
    std::string cause = cache_ ? cache_->trouble(document_.frame()) : std::string();
    if (cause.empty()) cause = document_.shot().plate.damageAt(document_.frame());
    return QString::fromStdString(cause);
}

void PlateCanvas::drawGround(QPainter& painter) {
    const Shot& shot = document_.shot();
    drawLevelLines(painter, *this, document_);
    CameraPose pose;
    const auto project = projector(pose);
    if (!project) return;
    const Theme& theme = Theme::current();
    const auto faint = [](QColor c, int alpha) {
        c.setAlpha(alpha);
        return c;
    };
    for (const TakenPlane& p : shot.ground->planes)
        drawSurfaceGrid(painter, p.surface, shot.ground->worldFromSolve, project, faint(theme.teal, 190),
                        faint(theme.teal, 26));
    if (const Candidate* c = ground_ ? ground_->candidate() : nullptr)
        drawSurfaceGrid(painter, c->surface, shot.ground->worldFromSolve, project, faint(theme.accent, 230),
                        faint(theme.accent, 40));
    if (tool_ != PlateTool::select) return;
    const auto& select = static_cast<const SelectTool&>(*tools_.at(PlateTool::select));
    drawWorldGizmo(painter, project, gizmoLength(document_, zoom_), select.worldDrag(), select.gizmo());
}

GizmoPart PlateCanvas::gizmoAt(const QPointF& at) const {
    if (!groundShown_) return GizmoPart::none;
    CameraPose pose;
    const auto project = projector(pose);
    return project ? gizmoPartAt(project, gizmoLength(document_, zoom_), at) : GizmoPart::none;
}

void PlateCanvas::drawPhoto(QPainter& painter) {
    CameraPose pose;
    const bool inHand = tool_ == PlateTool::photo;
    const auto& tool = static_cast<const PhotoTool&>(*tools_.at(PlateTool::photo));
    drawPhotoMatch(painter, *this, document_, projector(pose), inHand ? tool.held() : PhotoHandle(),
                   inHand && photo_ ? photo_->spot() : -1);
}

void PlateCanvas::setProof(ProofEdits* edits, ProofLive* live) {
    proofEdits_ = edits, proof_ = live;
    if (live) connect(live, &ProofLive::changed, this, qOverload<>(&QWidget::update));
    if (edits) connect(edits, &ProofEdits::changed, this, qOverload<>(&QWidget::update));
}

bool PlateCanvas::drawProof(QPainter& painter, const QRectF& target) {
    if (!proof_ || !proof_->on() || undistortedShown_ || moved_) return false;
    const auto plate = cache_ ? cache_->picture(document_.frame()) : nullptr;
    const auto proof = proof_->of(document_.frame()).picture;
    if (!proof || !plate) return false;
    const auto image = [](const DisplayPicture& p) {
        return QImage(reinterpret_cast<const uchar*>(p.data.data()), p.width, p.height, p.width * 4,
                      QImage::Format_RGB32);
    };
    switch (proof_->look()) {
        case ProofLive::Look::plate: return true;
        case ProofLive::Look::proof: painter.drawImage(target, image(*proof)); return true;
        case ProofLive::Look::wipe: {
            const double share = proof_->wipe();
            QRectF left = target;
            left.setWidth(target.width() * share);
            painter.drawImage(left, image(*proof), QRectF(0, 0, proof->width * share, proof->height));
            painter.setPen(QPen(QColor(0, 0, 0, 150), 3));
            painter.drawLine(left.topRight(), left.bottomRight());
            painter.setPen(QPen(Theme::current().accent, 1));
            painter.drawLine(left.topRight(), left.bottomRight());
            return true;
        }
        case ProofLive::Look::difference: {
            if (proof->width != plate->width) return true;
            // Four times as bright, so that a shadow's edge is seen.
            QImage out(plate->width, plate->height, QImage::Format_RGB32);
            for (int y = 0; y < plate->height; ++y) {
                auto* to = reinterpret_cast<QRgb*>(out.scanLine(y));
                for (int x = 0; x < plate->width; ++x) {
                    const QRgb a = plate->at(x, y), b = proof->at(x, y);
                    const auto d = [](int u, int v) { return std::min(255, 4 * std::abs(u - v)); };
                    to[x] = qRgb(d(qRed(a), qRed(b)), d(qGreen(a), qGreen(b)), d(qBlue(a), qBlue(b)));
                }
            }
            painter.drawImage(target, out);
            return true;
        }
    }
    return false;
}

void PlateCanvas::drawThings(QPainter& painter) {
    CameraPose pose;
    const auto project3d = projector(pose);
    const Shot shot = withMoved(document_.shot(), moved_);
    if (!project3d || shot.things.empty()) return;
    ThingsView view = thingsView(project3d, size(), pose.position, pose.worldFromCamera * Eigen::Vector3d(0, 0, -1));
    view.raster.nearest = nearestShown(shot);
    const auto lens = shot.lensAt(document_.frame());
    view.raster.bends = !undistortedShown_ && lens && !lens->lens.isZero();
    view.key = {origin_.x(), origin_.y(), zoom_, double(undistortedShown_), double(movedStamp_)};
    QSet<int> selected = document_.selectedThings();
    if (moved_) selected.insert(moved_->id);
    things_.paint(painter, shot, document_.revision(), document_.frame(), selected, view, clean_);
}

double PlateCanvas::markScale() const {
    const Shot& shot = document_.shot();
    const double area = shot.plate.width * zoom() * shot.plate.height * zoom();
    const auto n = double(index_.seenIn(document_.frame()).size());
    // From two dozen pixels between neighbours on there is room.
    return n > 0 ? std::clamp(std::sqrt(area / n) / 24, 0.5, 1.0) : 1;
}

int PlateCanvas::pathAt(const QPointF& at) const {
    const Shot& shot = document_.shot();
    if (!look_.shown) return 0;
    int best = 0;
    double nearest = std::pow(9 * markScale(), 2);
    for (const PathIndex::Seen& seen : index_.seenIn(document_.frame())) {
        const PathPoint& p = (*shot.paths)[size_t(seen.path)].points[size_t(seen.point)];
        const QPointF d = fromPixel(p.x, p.y) - at;
        const double far = QPointF::dotProduct(d, d);
        if (far < nearest) nearest = far, best = (*shot.paths)[size_t(seen.path)].id;
    }
    return best;
}

QSet<int> PlateCanvas::pathsInside(const QPolygonF& outline) const {
    QSet<int> out;
    const Shot& shot = document_.shot();
    for (const PathIndex::Seen& seen : index_.seenIn(document_.frame())) {
        const Path& path = (*shot.paths)[size_t(seen.path)];
        const PathPoint& p = path.points[size_t(seen.point)];
        if (outline.containsPoint(fromPixel(p.x, p.y), Qt::OddEvenFill)) out.insert(path.id);
    }
    return out;
}

void PlateCanvas::showMoved(const Thing* thing) {
    if (!thing && !moved_) return;
    moved_ = thing ? std::optional(*thing) : std::nullopt;
    ++movedStamp_;
    update();
}

std::optional<Ray> PlateCanvas::rayAt(const QPointF& at) const {
    const auto camera = document_.shot().cameraAt(document_.frame());
    if (!camera || !document_.shot().hasWorld()) return std::nullopt;
    const QPointF pixel = toPixel(at);
    return camera->ray({pixel.x(), pixel.y()});
}

int PlateCanvas::thingAt(const QPointF& at) const {
    const auto ray = rayAt(at);
    const Projector project = projectorNow();
    return ray && project ? things_.thingAt(document_.shot(), document_.frame(), *ray, project, at) : 0;
}

Projector PlateCanvas::projectorNow() const {
    CameraPose pose;
    return projector(pose);
}

ThingGizmo PlateCanvas::thingGizmo() const {
    ThingGizmo out;
    const Shot& shot = document_.shot();
    const Thing* t = moved_ && moved_->id != 0 ? &*moved_ : shot.thing(document_.selectedThing());
    if (!layoutShown_ || clean_ || tool_ != PlateTool::select || !t) return out;
    const PlacedThings placed(shot, document_.frame());
    const auto at = placed.visible(*t) && !placed.locked(*t) ? placed.of(*t) : std::nullopt;
    const auto camera = shot.cameraAt(document_.frame());
    if (!at || !camera) return out;
    out.at = *at;
    out.arm = camera->footprint(at->translation) * ThingGizmo::armPx / std::max(1e-6, zoom_);
    return out;
}

void PlateCanvas::setHotPart(ThingPart part) {
    if (part == hotPart_) return;
    hotPart_ = part;
    update();
}

void PlateCanvas::setLayoutShown(bool on) {
    layoutShown_ = on;
    update();
}

void PlateCanvas::setClean(bool on) {
    clean_ = on;
    update();
}

void PlateCanvas::setThingsLook(ThingsLook look) {
    things_.setLook(look);
    update();
}

std::optional<LayoutPlace> PlateCanvas::placeUnder(const QPointF& at) {
    const QPointF pixel = toPixel(at);
    if (!pictureRect().contains(at)) return std::nullopt;
    surface_.lookAt(document_, Eigen::Vector2d(pixel.x(), pixel.y()));
    if (surface_.tile()) return placeOf(document_.shot(), *surface_.tile());
    const auto ground = groundAt(at);
    if (!ground) return std::nullopt;
    return LayoutPlace{{Hang::On::ground, 0, {}}, *ground, Eigen::Vector3d::UnitY()};
}

void PlateCanvas::showGhost(const ThingKind* kind, const QPointF& at) {
    const auto place = kind ? placeUnder(at) : std::nullopt;
    if (!place) return showMoved(nullptr);
    const Thing ghost = newThing(document_.shot(), *kind, *place, document_.frame());
    showMoved(&ghost);
}

bool PlateCanvas::dropThing(const ThingKind& kind, const QPointF& at) {
    const auto place = placeUnder(at);
    showMoved(nullptr);
    if (!place || !layout_) {
        Q_EMIT document_.troubled(
            tr("There is nothing to stand on under the pointer in this frame. Solve the shot first, "
               "and point at a surface or at the floor below the horizon."));
        return false;
    }
    layout_->place(kind, *place);
    return true;
}

std::optional<Eigen::Vector3d> PlateCanvas::groundAt(const QPointF& at) const {
    const auto camera = document_.shot().cameraAt(document_.frame());
    if (!camera || !document_.shot().hasWorld()) return std::nullopt;
    const QPointF pixel = toPixel(at);
    const auto ray = camera->ray({pixel.x(), pixel.y()});
    if (!ray || std::fabs(ray->direction.y()) < 1e-6) return std::nullopt;
    const double t = -ray->origin.y() / ray->direction.y();
    if (!(t > 0) || t > 1e5) return std::nullopt;
    Eigen::Vector3d hit = ray->at(t);
    hit.y() = 0;
    return hit;
}

bool PlateCanvas::event(QEvent* event) {
    // Keys that the tool in hand wants come here instead of to the action that has them.
    if (event->type() == QEvent::ShortcutOverride && active().wantsKey(*static_cast<QKeyEvent*>(event))) {
        event->accept();
        return true;
    }
    return QWidget::event(event);
}

void PlateCanvas::keyPressEvent(QKeyEvent* event) {
    if (!active().key(event)) QWidget::keyPressEvent(event);
}

void PlateCanvas::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!active().doubleClick(event)) mousePressEvent(event);
}

void PlateCanvas::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::MiddleButton ||
        (event->button() == Qt::LeftButton && event->modifiers() & Qt::AltModifier && thingAt(event->position()) == 0 &&
         thingGizmo().partAt(projectorNow(), event->position()) == ThingPart::none)) {
        dragFrom_ = event->position();
        panning_ = true;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    active().press(event);
}

void PlateCanvas::mouseMoveEvent(QMouseEvent* event) {
    if (panning_) {
        origin_ += event->position() - dragFrom_;
        dragFrom_ = event->position();
        fitted_ = false;
        update();
    } else if (!active().move(event)) {
        if (look_.slip) readSlip(event->position());
        if (tileShown_) {
            const QPointF pixel = toPixel(event->position());
            surface_.lookAt(document_, pictureRect().contains(event->position())
                                           ? std::optional<Eigen::Vector2d>({pixel.x(), pixel.y()})
                                           : std::nullopt);
        }
        if (look_.slip || tileShown_) update();
    }
}

void PlateCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (panning_) {
        panning_ = false;
        setCursor(active().cursor());
    } else {
        active().release(event);
    }
}

void PlateCanvas::wheelEvent(QWheelEvent* event) {
    if (!document_.shot().hasPlate() || event->angleDelta().y() == 0) return;
    const QPointF pixel = toPixel(event->position());
    zoom_ = std::clamp(zoom_ * std::pow(1.2, event->angleDelta().y() / 120.0), 0.05, 32.0);
    fitted_ = false;
    origin_ += event->position() - fromPixel(pixel.x(), pixel.y());
    Q_EMIT zoomChanged();
    update();
}

}  // namespace va
