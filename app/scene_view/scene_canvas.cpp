// SPDX-License-Identifier: GPL-3.0-or-later
#include "scene_view/scene_canvas.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "style/theme.h"
#include "workflow/mover_work.h"
#include "workflow/place_things.h"

namespace va {

SceneCanvas::SceneCanvas(Document& document, PlateCanvas& plate, QWidget* parent)
    : QWidget(parent), document_(document), plate_(plate) {
    setObjectName("sceneCanvas");
    setAccessibleName(tr("Scene view"));
    setMinimumSize(160, 100);
    setFocusPolicy(Qt::ClickFocus);
    setMouseTracking(true);
    setAttribute(Qt::WA_OpaquePaintEvent);
    connect(&document_, &Document::shotChanged, this, &SceneCanvas::refresh);
    connect(&document_, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
    connect(&plate_, &PlateCanvas::frameArrived, this, [this](int frame) {
        const bool coloured = plate_.cache() && colours_.take(document_.shot(), *plate_.cache(), frame);
        if (coloured || (mode_ == SceneMode::throughLens && frame == document_.frame())) update();
    });
}

void SceneCanvas::refresh() {
    const Shot& shot = document_.shot();
    cloud_.clear();
    cameras_.clear();
    if (shot.solve->hasDepth())
        for (const SolvedPoint& p : shot.solve->points) cloud_.emplace_back(p.pathId, shot.worldPoint(p));
    residuals_.clear();
    for (const SolvedPoint& p : shot.solve->points) residuals_[p.pathId] = p.rmsPx;
    colours_.update(shot, plate_.cache());
    for (const SolvedFrame& f : shot.solve->frames)
        if (f.solved) cameras_.emplace_back(f.frame, *shot.worldPose(f.frame));
    movers_.clear();
    for (const Mover& m : shot.movers) {
        MoverShown shown;
        for (const SolvedFrame& f : m.solve->frames)
            if (const auto pose = moverWorldPose(shot, m, f.frame)) shown.poses.emplace_back(f.frame, *pose);
        shown.points = moverPoints(shot, m);
        movers_.push_back(std::move(shown));
    }
    if (framed_ != shot.ground.get()) {
        framed_ = shot.ground.get();
        if (untouched_) frameAll();
    }
    update();
}

void SceneCanvas::frameAll() {
    untouched_ = true;
    if (cloud_.empty()) return update();
    // The middle nine tenths: a few points on the horizon must not make the yard a dot.
    std::vector<double> axis[3];
    for (const auto& [id, p] : cloud_)
        for (int k = 0; k < 3; ++k) axis[k].push_back(p[k]);
    Eigen::Vector3d low, high;
    for (int k = 0; k < 3; ++k) {
        std::sort(axis[k].begin(), axis[k].end());
        low[k] = axis[k][axis[k].size() / 8];
        high[k] = axis[k][axis[k].size() * 7 / 8];
    }
    for (const auto& [f, pose] : cameras_) low = low.cwiseMin(pose.position), high = high.cwiseMax(pose.position);
    target_ = (low + high) / 2;
    extent_ = std::max(1e-3, (high - low).norm() / 2);
    distance_ = extent_ * 2.1;
    update();
}

void SceneCanvas::setMode(SceneMode mode) {
    mode_ = mode;
    Q_EMIT modeChanged();
    update();
}

Projector SceneCanvas::projector(Eigen::Vector3d& eye) const {
    const double w = width(), h = height();
    if (mode_ == SceneMode::throughLens) {
        const Shot& shot = document_.shot();
        const auto camera = shot.cameraAt(document_.frame());
        if (!camera) return {};
        eye = camera->pose().position;
        const double zoom = std::min(w / (shot.plate.width * shot.pixelAspect()), h / shot.plate.height),
                     ax = zoom * shot.pixelAspect();
        const QPointF corner((w - shot.plate.width * ax) / 2, (h - shot.plate.height * zoom) / 2);
        return [camera = *camera, corner, zoom, ax](const Eigen::Vector3d& p) -> std::optional<QPointF> {
            const auto q = camera.project(p);
            if (!q || std::fabs(q->x()) > 50000 || std::fabs(q->y()) > 50000) return std::nullopt;
            return corner + QPointF((q->x() + 0.5) * ax, (q->y() + 0.5) * zoom);
        };
    }
    if (mode_ == SceneMode::orbit) {
        const Eigen::Vector3d back(std::sin(azimuth_) * std::cos(elevation_), std::sin(elevation_),
                                   std::cos(azimuth_) * std::cos(elevation_));
        const Eigen::Vector3d right(std::cos(azimuth_), 0, -std::sin(azimuth_)), up = back.cross(right);
        eye = target_ + distance_ * back;
        const double f = 1.1 * std::min(w, h * 1.3);
        return [=, from = eye](const Eigen::Vector3d& p) -> std::optional<QPointF> {
            const Eigen::Vector3d d = p - from;
            const double z = -d.dot(back);
            if (z < 1e-6) return std::nullopt;
            const QPointF at(w / 2 + f * d.dot(right) / z, h / 2 - f * d.dot(up) / z);
            if (std::fabs(at.x()) > 30000 || std::fabs(at.y()) > 30000) return std::nullopt;
            return at;
        };
    }
    const double scale = std::min(w, h) / (distance_ * 0.95);
    const Axes a = axes();
    eye = target_ - 1e4 * a.ahead;
    return [=, target = target_](const Eigen::Vector3d& p) -> std::optional<QPointF> {
        const Eigen::Vector3d d = p - target;
        return QPointF(w / 2 + scale * d.dot(a.right), h / 2 + scale * d.dot(a.down));
    };
}

SceneCanvas::Axes SceneCanvas::axes() const {
    const Eigen::Vector3d x = Eigen::Vector3d::UnitX(), y = Eigen::Vector3d::UnitY(), z = Eigen::Vector3d::UnitZ();
    switch (mode_) {
        case SceneMode::top: return {x, z, -y};
        case SceneMode::side: return {-z, -y, -x};
        default: return {x, -y, -z};
    }
}

std::optional<Ray> SceneCanvas::rayAt(const QPointF& at) const {
    const double w = width(), h = height();
    if (mode_ == SceneMode::throughLens) {
        const Shot& shot = document_.shot();
        const auto camera = shot.cameraAt(document_.frame());
        if (!camera) return std::nullopt;
        const double zoom = std::min(w / (shot.plate.width * shot.pixelAspect()), h / shot.plate.height),
                     ax = zoom * shot.pixelAspect();
        return camera->ray({(at.x() - (w - shot.plate.width * ax) / 2) / ax - 0.5,
                            (at.y() - (h - shot.plate.height * zoom) / 2) / zoom - 0.5});
    }
    if (mode_ == SceneMode::orbit) {
        const Eigen::Vector3d back(std::sin(azimuth_) * std::cos(elevation_), std::sin(elevation_),
                                   std::cos(azimuth_) * std::cos(elevation_));
        const Eigen::Vector3d right(std::cos(azimuth_), 0, -std::sin(azimuth_)), up = back.cross(right);
        const double f = 1.1 * std::min(w, h * 1.3);
        const Eigen::Vector3d d = (at.x() - w / 2) * right - (at.y() - h / 2) * up - f * back;
        return Ray{target_ + distance_ * back, d.normalized()};
    }
    const double scale = std::min(w, h) / (distance_ * 0.95);
    const Axes a = axes();
    return Ray{target_ + (at.x() - w / 2) / scale * a.right + (at.y() - h / 2) / scale * a.down - 1e4 * a.ahead,
               a.ahead};
}

void SceneCanvas::setThingsLook(ThingsLook look) {
    things_.setLook(look);
    update();
}

void SceneCanvas::frameSelection() {
    const Shot& shot = document_.shot();
    const PlacedThings placed(shot, document_.frame());
    Eigen::Vector3d low = Eigen::Vector3d::Constant(1e300), high = -low;
    for (const int id : document_.selectedThings()) {
        const Thing* t = shot.thing(id);
        const auto at = t ? placed.of(*t) : std::nullopt;
        if (!at) continue;
        for (const Eigen::Vector3d& v : shapeOf(t->kind).vertices)
            low = low.cwiseMin(at->point(v)), high = high.cwiseMax(at->point(v));
    }
    for (const int id : document_.selectedPaths())
        if (const auto p = shot.worldPointOfPath(id)) low = low.cwiseMin(*p), high = high.cwiseMax(*p);
    if (low.x() > high.x()) return frameAll();
    untouched_ = false;
    target_ = (low + high) / 2;
    distance_ = std::max(0.02 * extent_, 3 * (high - low).norm());
    update();
}

std::optional<LayoutPlace> SceneCanvas::placeUnder(const QPointF& at) const {
    const auto ray = rayAt(at);
    if (!ray || !document_.shot().hasWorld()) return std::nullopt;
    LayoutPlace out;
    out.hang.on = Hang::On::ground;
    if (std::fabs(ray->direction.y()) < 1e-6) {
        // Seen from the side, the ground is a line: below the pointer, as deep as the middle of the view.
        out.foot = ray->at((target_ - ray->origin).dot(ray->direction));
    } else {
        const double t = -ray->origin.y() / ray->direction.y();
        if (!(t > 0) || t > 1e6) return std::nullopt;
        out.foot = ray->at(t);
    }
    out.foot.y() = 0;
    return out;
}

void SceneCanvas::showGhost(const ThingKind* kind, const QPointF& at) {
    const auto place = kind ? placeUnder(at) : std::nullopt;
    if (!place && !moved_) return;
    moved_.reset();
    if (place) moved_ = newThing(document_.shot(), *kind, *place, document_.frame());
    ++movedStamp_;
    update();
}

bool SceneCanvas::dropThing(const ThingKind& kind, const QPointF& at) {
    const auto place = placeUnder(at);
    moved_.reset();
    ++movedStamp_;
    update();
    if (!place || !layout_) {
        Q_EMIT document_.troubled(
            tr("There is no ground under the pointer. Solve the shot first, and drop below the "
               "horizon."));
        return false;
    }
    layout_->place(kind, *place);
    return true;
}

ThingGizmo SceneCanvas::thingGizmo() const {
    ThingGizmo out;
    const Shot& shot = document_.shot();
    const Thing* t = moved_ && moved_->id != 0 ? &*moved_ : shot.thing(document_.selectedThing());
    // In the small inset it would hide the rest.
    if (!t || height() < 260 || !layout_) return out;
    const PlacedThings placed(shot, document_.frame());
    const auto at = placed.visible(*t) && !placed.locked(*t) ? placed.of(*t) : std::nullopt;
    Eigen::Vector3d eye;
    const Projector project = projector(eye);
    if (!at || !project) return out;
    out.at = *at;
    // As long as the view shows a unit there.
    const double unit = 0.01 * extent_;
    const auto a = project(at->translation), b = project(at->translation + unit * Eigen::Vector3d::UnitY()),
               c = project(at->translation + unit * Eigen::Vector3d::UnitX());
    if (!a || !b || !c) return out;
    const double px = std::max(QLineF(*a, *b).length(), QLineF(*a, *c).length());
    out.arm = px > 0 ? unit * ThingGizmo::armPx / px : 0;
    return out;
}

void SceneCanvas::drawThings(QPainter& painter, const Projector& project, const Eigen::Vector3d& eye) {
    const Shot shot = withMoved(document_.shot(), moved_);
    if (shot.things.empty()) return;
    ThingsView view = thingsView(project, size(), eye, Eigen::Vector3d(0, 0, -1));
    if (mode_ == SceneMode::throughLens) {
        const auto pose = shot.worldPose(document_.frame());
        if (!pose) return;
        view.raster.forward = pose->worldFromCamera * Eigen::Vector3d(0, 0, -1);
        const auto lens = shot.lensAt(document_.frame());
        view.raster.bends = lens && !lens->lens.isZero();
    } else if (mode_ == SceneMode::orbit) {
        view.raster.forward = (target_ - eye).normalized();
    } else {
        view.raster.forward = axes().ahead;
        view.raster.parallel = true;
    }
    view.raster.nearest = std::clamp(1e-4 * extent_, 1e-6, 0.05);
    view.key = {double(mode_), azimuth_,    elevation_,  distance_,
                target_.x(),   target_.y(), target_.z(), double(movedStamp_)};
    QSet<int> selected = document_.selectedThings();
    if (moved_) selected.insert(moved_->id);
    things_.paint(painter, shot, document_.revision(), document_.frame(), selected, view);
}

std::optional<QPointF> SceneCanvas::positionOf(const Eigen::Vector3d& world) const {
    Eigen::Vector3d eye;
    const Projector p = projector(eye);
    return p ? p(world) : std::nullopt;
}

void SceneCanvas::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), mode_ == SceneMode::throughLens ? theme.well : theme.scene);
    const Shot& shot = document_.shot();
    const auto say = [&](const QString& sentence) {
        painter.setFont(bodyFont());
        painter.setPen(theme.textQuiet);
        painter.drawText(rect().adjusted(16, 8, -16, -8), Qt::AlignCenter | Qt::TextWordWrap, sentence);
    };
    if (!shot.solve->has())
        return say(tr("No camera yet. Match shot finds it: the points and the camera's path appear here."));
    if (!shot.hasWorld() && mode_ != SceneMode::throughLens)
        return say(tr("Nodal pan: no depth can be solved. Look through the lens instead."));
    Eigen::Vector3d eye;
    const Projector project = projector(eye);
    if (mode_ == SceneMode::throughLens) {
        if (plate_.cache())
            if (const auto picture = plate_.cache()->picture(document_.frame())) {
                const QImage image(reinterpret_cast<const uchar*>(picture->data.data()), picture->width,
                                   picture->height, picture->width * 4, QImage::Format_RGB32);
                const double zoom =
                    std::min(width() / (shot.plate.width * shot.pixelAspect()), double(height()) / shot.plate.height);
                const QSizeF size(shot.plate.width * shot.pixelAspect() * zoom, shot.plate.height * zoom);
                const QRectF target(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size);
                painter.setRenderHint(QPainter::SmoothPixmapTransform);
                painter.drawImage(target, image);
                painter.setClipRect(target);
            }
        if (!project) return say(tr("This frame has no camera."));
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const double step = std::pow(10.0, std::floor(std::log10(std::max(1e-6, extent_ / 2.5))));
    if (shot.ground->level)
        drawGrid(painter, mode_ == SceneMode::throughLens ? QColor(255, 255, 255, 90) : theme.grid, project, step, 10);
    drawPlanes(painter, project);
    drawCloud(painter, project);
    drawThings(painter, project, eye);
    drawMovers(painter, project);
    if (mode_ != SceneMode::throughLens) drawCameras(painter, project);
    if (const ThingGizmo gizmo = thingGizmo(); gizmo.arm > 0) gizmo.paint(painter, project, hotPart_);
    painter.setClipping(false);
    if (lassoing_) {
        painter.setPen(QPen(theme.accent, 1.2, Qt::DashLine));
        painter.setBrush(QColor(theme.accent.red(), theme.accent.green(), theme.accent.blue(), 30));
        painter.drawPolygon(lasso_);
    }
    if (mode_ == SceneMode::throughLens) return;
    double length = 0;
    for (size_t i = 1; i < cameras_.size(); ++i)
        length += (cameras_[i].second.position - cameras_[i - 1].second.position).norm();
    painter.setFont(captionFont());
    painter.setPen(theme.textQuiet);
    painter.drawText(
        rect().adjusted(10, 0, -10, -8), Qt::AlignLeft | Qt::AlignBottom,
        (shot.ground->metric ? tr("grid %1 m · camera path %2 m") : tr("grid %1 · camera path %2 scene units"))
            .arg(step)
            .arg(length, 0, 'f', 2));
}

void SceneCanvas::setCloudColour(CloudColour by) {
    colourBy_ = by;
    update();
}

QColor SceneCanvas::colourOf(int pathId) const {
    if (colourBy_ == CloudColour::residual) {
        const auto at = residuals_.find(pathId);
        return residualColour(at != residuals_.end() ? at->second : 0);
    }
    if (const auto seen = colourBy_ == CloudColour::plate ? colours_.of(pathId) : std::nullopt) {
        // Dark points must still be seen on the scene's ground.
        QColor c = *seen;
        const int least = 96;
        if (c.value() < least) c.setHsv(std::max(0, c.hue()), c.saturation(), least);
        return c;
    }
    const Theme& theme = Theme::current();
    return {theme.teal.red(), theme.teal.green(), theme.teal.blue(), 210};
}

void SceneCanvas::drawCloud(QPainter& painter, const Projector& project) {
    const Theme& theme = Theme::current();
    painter.setPen(Qt::NoPen);
    for (const auto& [id, p] : cloud_) {
        const auto at = project(p);
        if (!at || !rect().contains(at->toPoint())) continue;
        const bool selected = document_.selectedPaths().contains(id);
        painter.setBrush(selected ? theme.accent : colourOf(id));
        const double r = selected ? 3.6 : 1.5;
        painter.drawEllipse(*at, r, r);
    }
    painter.setBrush(Qt::NoBrush);
}

/// Each mover's points where they stand in this frame, and the way that its middle takes.
void SceneCanvas::drawMovers(QPainter& painter, const Projector& project) {
    for (size_t i = 0; i < movers_.size(); ++i) {
        const MoverShown& m = movers_[i];
        const QColor hue = moverColour(int(i));
        painter.setPen(QPen(hue, 1.6));
        for (size_t k = 1; k < m.poses.size(); ++k)
            drawLine3d(painter, project, m.poses[k - 1].second.position, m.poses[k].second.position, 1);
        const auto here = std::find_if(m.poses.begin(), m.poses.end(),
                                       [this](const auto& p) { return p.first == document_.frame(); });
        if (here == m.poses.end()) continue;
        painter.setPen(Qt::NoPen);
        painter.setBrush(hue);
        for (const auto& [id, local] : m.points) {
            const auto at = project(here->second.position + here->second.worldFromCamera * local);
            const double r = document_.selectedPaths().contains(id) ? 3.6 : 1.8;
            if (at) painter.drawEllipse(*at, r, r);
        }
        painter.setBrush(Qt::NoBrush);
    }
}

void SceneCanvas::setGround(GroundEdits* ground) {
    ground_ = ground;
    connect(ground_, &GroundEdits::candidateChanged, this, qOverload<>(&QWidget::update));
}

/// Named planes, and the candidate in hand.
void SceneCanvas::drawPlanes(QPainter& painter, const Projector& project) {
    const Theme& theme = Theme::current();
    const Similarity& world = document_.shot().ground->worldFromSolve;
    QColor teal = theme.teal, wash = theme.teal, accentWash = theme.accent;
    teal.setAlpha(170), wash.setAlpha(20), accentWash.setAlpha(40);
    for (const TakenPlane& p : document_.shot().ground->planes)
        drawSurfaceGrid(painter, p.surface, world, project, teal, wash);
    if (const Candidate* c = ground_ ? ground_->candidate() : nullptr)
        drawSurfaceGrid(painter, c->surface, world, project, theme.accent, accentWash);
}

void SceneCanvas::setSlip(SlipWatch* slip) {
    slip_ = slip;
    connect(slip_, &SlipWatch::changed, this, qOverload<>(&QWidget::update));
}

/// Discs along the path, as large as the camera's position is unsure there, many times enlarged.
void SceneCanvas::drawPathUncertainty(QPainter& painter, const Projector& project) {
    const auto found = slip_ ? slip_->found() : nullptr;
    // In the small inset the discs and what is said of them would hide the rest.
    if (!found || found->path.empty() || height() < 260) return;
    QColor fill = Theme::current().teal;
    fill.setAlpha(90);
    painter.setPen(QPen(Theme::current().teal, 1));
    painter.setBrush(fill);
    double largest = 0;
    for (const auto& [frame, sigma] : found->path) largest = std::max(largest, sigma);
    if (!(largest > 0)) return;
    // Enlarged by a round number until it can be seen.
    const double enlarged = std::pow(10, std::floor(std::log10(0.2 * extent_ / largest)));
    std::optional<QPointF> last;
    for (const auto& [frame, sigma] : found->path) {
        const auto pose = document_.shot().worldPose(frame);
        if (!pose) continue;
        const auto at = project(pose->position),
                   beside = project(pose->position + Eigen::Vector3d(0, enlarged * sigma, 0));
        if (!at || !beside) continue;
        const double r = QLineF(*at, *beside).length();
        // Discs that overlap by more than half say nothing new.
        if (last && QLineF(*last, *at).length() < 0.5 * r) continue;
        last = at;
        painter.drawEllipse(*at, r, r);
    }
    painter.setPen(Theme::current().textQuiet);
    painter.drawText(QRect(10, height() - 44, width() - 20, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("discs: path ± %1 %2 at most, ×%3")
                         .arg(largest, 0, 'g', 2)
                         .arg(QString::fromUtf8(document_.shot().unit()))
                         .arg(enlarged, 0, 'f', 0));
}

void SceneCanvas::drawCameras(QPainter& painter, const Projector& project) {
    const Theme& theme = Theme::current();
    drawPathUncertainty(painter, project);
    for (size_t i = 1; i < cameras_.size(); ++i) {
        // What was not solved is no whole line.
        const SolvedFrame* f = document_.shot().solve->at(cameras_[i].first);
        painter.setPen(QPen(theme.accent, 2, f && f->origin != PoseOrigin::solved ? Qt::DotLine : Qt::SolidLine));
        drawLine3d(painter, project, cameras_[i - 1].second.position, cameras_[i].second.position, 1);
    }
    const auto pose = document_.shot().worldPose(document_.frame());
    if (!pose) return;
    const Shot& shot = document_.shot();
    const double depth = extent_ * 0.12,
                 x = depth * shot.plate.width * shot.pixelAspect() /
                     (2 * shot.solve->intrinsics(document_.frame()).focalPx),
                 y = depth * shot.plate.height / (2 * shot.solve->intrinsics(document_.frame()).focalPx);
    const auto corner = [&](double sx, double sy) -> Eigen::Vector3d {
        return pose->position + pose->worldFromCamera * Eigen::Vector3d(sx * x, sy * y, -depth);
    };
    painter.setPen(QPen(theme.text, 1.3));
    const Eigen::Vector3d corners[4] = {corner(-1, 1), corner(1, 1), corner(1, -1), corner(-1, -1)};
    for (int k = 0; k < 4; ++k) {
        drawLine3d(painter, project, corners[k], corners[(k + 1) % 4], 1);
        drawLine3d(painter, project, pose->position, corners[k], 1);
    }
}

void SceneCanvas::mousePressEvent(QMouseEvent* event) {
    last_ = pressed_ = event->position();
    if (event->button() == Qt::LeftButton && lassoTool_ && !(event->modifiers() & Qt::AltModifier)) {
        lassoing_ = true;
        lasso_ = QPolygonF({event->position()});
        return;
    }
    if (event->button() != Qt::LeftButton || !layout_) return;
    Eigen::Vector3d eye;
    const Projector project = projector(eye);
    const auto ray = rayAt(event->position());
    if (!project || !ray) return;
    const auto camera = mode_ != SceneMode::throughLens ? document_.shot().worldPose(document_.frame()) : std::nullopt;
    const auto at = camera ? project(camera->position) : std::nullopt;
    cameraHeld_ = at && QLineF(*at, event->position()).length() < 9;
    if (cameraHeld_) return;
    ThingPart part = thingGizmo().partAt(project, event->position());
    int id = document_.selectedThing();
    if (part == ThingPart::none) {
        id = things_.thingAt(document_.shot(), document_.frame(), *ray, project, event->position());
        part = ThingPart::body;
    }
    const Thing* t = document_.shot().thing(id);
    if (!t) return;
    if (!document_.selectedThings().contains(id)) document_.selectThing(id);
    if (!PlacedThings(document_.shot(), document_.frame()).locked(*t))
        drag_ = ThingDrag(document_.shot(), document_.frame(), *t, part, *ray);
}

void SceneCanvas::mouseMoveEvent(QMouseEvent* event) {
    const QPointF d = event->position() - last_;
    last_ = event->position();
    if (cameraHeld_ && event->buttons() & Qt::LeftButton) {
        if ((event->position() - pressed_).manhattanLength() > 4) {
            cameraHeld_ = false;
            Q_EMIT document_.troubled(
                tr("The solved camera is locked: nothing moves it. Camera layers lie over it, in "
                   "the step Layout."));
        }
        return;
    }
    if (drag_.part() != ThingPart::none && event->buttons() & Qt::LeftButton) {
        if (const auto ray = rayAt(event->position())) {
            moved_ = drag_.to(document_.shot(), *ray, event->modifiers());
            ++movedStamp_;
        }
        return update();
    }
    if (!(event->buttons())) {
        Eigen::Vector3d eye;
        const ThingPart hot = thingGizmo().partAt(projector(eye), event->position());
        if (hot != hotPart_) hotPart_ = hot, update();
        return;
    }
    if (lassoing_) {
        lasso_ << event->position();
        return update();
    }
    if (mode_ == SceneMode::throughLens || !(event->buttons() & (Qt::LeftButton | Qt::MiddleButton))) return;
    untouched_ = false;
    if (mode_ == SceneMode::orbit && event->buttons() & Qt::LeftButton && !(event->modifiers() & Qt::ShiftModifier)) {
        azimuth_ -= d.x() * 0.008;
        elevation_ = std::clamp(elevation_ + d.y() * 0.008, -1.5, 1.5);
    } else {
        const double unit = mode_ == SceneMode::orbit ? distance_ / (1.1 * std::min<double>(width(), height() * 1.3))
                                                      : distance_ * 0.95 / std::min(width(), height());
        const Axes a = axes();
        const Eigen::Vector3d right =
            mode_ == SceneMode::orbit ? Eigen::Vector3d(std::cos(azimuth_), 0, -std::sin(azimuth_)) : a.right;
        const Eigen::Vector3d down = mode_ == SceneMode::orbit ? Eigen::Vector3d(0, -1, 0) : a.down;
        target_ -= unit * (d.x() * right + d.y() * down);
    }
    update();
}

void SceneCanvas::mouseReleaseEvent(QMouseEvent* event) {
    Eigen::Vector3d eye;
    const Projector project = projector(eye);
    const bool more = event->modifiers() & Qt::ShiftModifier;
    if (std::exchange(cameraHeld_, false)) return;
    if (drag_.part() != ThingPart::none) {
        const ThingDrag done = drag_;
        drag_ = {};
        moved_.reset();
        ++movedStamp_;
        update();
        if ((event->position() - pressed_).manhattanLength() > 4) layout_->change(tr("Move thing"), done.thing());
        return;
    }
    if (lassoing_) {
        lassoing_ = false;
        QSet<int> inside;
        if (project)
            for (const auto& [id, p] : cloud_)
                if (const auto at = project(p); at && lasso_.containsPoint(*at, Qt::OddEvenFill)) inside.insert(id);
        lasso_.clear();
        return document_.selectPaths(inside, more ? Document::Combine::add : Document::Combine::replace);
    }
    if (event->button() != Qt::LeftButton || (event->position() - pressed_).manhattanLength() > 4 || !project) return;
    int best = 0;
    double nearest = 8 * 8;
    for (const auto& [id, p] : cloud_) {
        const auto at = project(p);
        if (!at) continue;
        const QPointF d = *at - event->position();
        if (QPointF::dotProduct(d, d) < nearest) nearest = QPointF::dotProduct(d, d), best = id;
    }
    if (best != 0) return document_.selectPaths({best}, more ? Document::Combine::toggle : Document::Combine::replace);
    if (const auto ray = rayAt(event->position()))
        if (const int id = things_.thingAt(document_.shot(), document_.frame(), *ray, project, event->position()))
            return document_.selectThing(id);
    if (!more) document_.selectPaths({});
}

void SceneCanvas::wheelEvent(QWheelEvent* event) {
    if (mode_ == SceneMode::throughLens) return;
    untouched_ = false;
    distance_ = std::clamp(distance_ * std::pow(1.15, -event->angleDelta().y() / 120.0), extent_ * 0.01, extent_ * 100);
    update();
}

}  // namespace va
