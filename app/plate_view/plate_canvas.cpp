// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/plate_canvas.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>
#include <cmath>

#include "base/error.h"
#include "drawing/scene_drawing.h"
#include "plate_view/hand_tool.h"
#include "plate_view/mask_tool.h"
#include "plate_view/patch_tool.h"
#include "style/theme.h"
#include "workflow/match_shot.h"
#include "workflow/mover_work.h"

namespace va {

PlateCanvas::PlateCanvas(Document& document, FeatureEdits& edits, QWidget* parent)
    : QWidget(parent), document_(document), edits_(edits) {
    tools_[PlateTool::hand] = std::make_unique<HandTool>(*this, document_, edits_);
    tools_[PlateTool::mask] = std::make_unique<MaskTool>(*this, document_, edits_);
    tools_[PlateTool::edge] = std::make_unique<EdgeTool>(*this, document_, edits_);
    tools_[PlateTool::patch] = std::make_unique<PatchTool>(*this, document_, edits_);
    setObjectName("plateCanvas");
    setAccessibleName(tr("Plate view"));
    setMinimumSize(240, 160);
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    setAttribute(Qt::WA_OpaquePaintEvent);
    connect(&document_, &Document::plateChanged, this, &PlateCanvas::openCache);
    connect(&document_, &Document::shotChanged, this, [this] {
        index();
        followLens();
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

void PlateCanvas::index() {
    const Shot& shot = document_.shot();
    if (indexed_ != shot.paths.get()) {
        indexed_ = shot.paths.get();
        byFrame_.assign(size_t(std::max(0, shot.plate.frames.count())), {});
        for (size_t p = 0; p < shot.paths->size(); ++p) {
            const auto& points = (*shot.paths)[p].points;
            for (size_t i = 0; i < points.size(); ++i)
                if (shot.plate.frames.contains(points[i].frame))
                    byFrame_[size_t(points[i].frame - shot.plate.frames.first)].push_back({int(p), int(i)});
        }
    }
    placed_.clear();
    for (const SolvedPoint& p : shot.solve->points) placed_[p.pathId] = {shot.worldPoint(p), p.stretch, {}};
    for (const SolveOutlier& o : shot.solve->outliers)
        if (const auto at = placed_.find(o.pathId); at != placed_.end())
            at->second.unused.insert(o.frames.begin(), o.frames.end());
    onMover_.clear();
    moverOf_.clear();
    for (size_t i = 0; i < shot.movers.size(); ++i) {
        for (const int id : shot.movers[i].paths) moverOf_[id] = int(i);
        for (const auto& [id, local] : moverPoints(shot, shot.movers[i])) onMover_[id] = {int(i), local};
    }
}

void PlateCanvas::placeFrame() {
    const Shot& shot = document_.shot();
    const int frame = document_.frame();
    cameraHere_ = shot.cameraAt(frame);
    moverHere_.clear();
    for (const Mover& m : shot.movers) moverHere_.push_back(moverWorldPose(shot, m, frame));
}

std::optional<Eigen::Vector2d> PlateCanvas::predicted(int pathId) const {
    if (!cameraHere_) return std::nullopt;
    const int frame = document_.frame();
    if (const auto on = onMover_.find(pathId); on != onMover_.end()) {
        const auto& pose = moverHere_[size_t(on->second.mover)];
        if (!pose) return std::nullopt;
        return cameraHere_->project(pose->position + pose->worldFromCamera * on->second.local);
    }
    const auto placed = placed_.find(pathId);
    if (document_.shot().solve->motion != Motion::free || placed == placed_.end() ||
        !placed->second.stretch.contains(frame) || placed->second.unused.contains(frame))
        return std::nullopt;
    return cameraHere_->project(placed->second.world);
}

void PlateCanvas::setSlip(SlipWatch* slip) {
    slip_ = slip;
    connect(slip_, &SlipWatch::changed, this, qOverload<>(&QWidget::update));
}

void PlateCanvas::readSlip(const QPointF& at) {
    slipReadout_.clear();
    if (!look_.slip || !slip_ || !slip_->found()) return;
    const Shot& shot = document_.shot();
    // The surface under the pointer: the depth of the nearest feature, else the ground.
    std::optional<Eigen::Vector3d> place = groundAt(at);
    const int near = pathAt(at);
    if (const auto placed = placed_.find(near); placed != placed_.end()) place = placed->second.world;
    const double slip = place ? slip_->slipAt(*place) : -1;
    if (slip >= 0)
        slipReadout_ = tr("slip %1 px over %2–%3").arg(slip, 0, 'f', 3).arg(shot.range.first).arg(shot.range.last);
}

void PlateCanvas::drawSlip(QPainter& painter) {
    const auto found = look_.slip && slip_ ? slip_->found() : nullptr;
    CameraPose pose;
    const auto project3d = projector(pose);
    if (!found || !project3d) return;
    std::vector<QPointF> drawn;
    for (const SlipWatch::Spot& spot : found->ground) {
        const auto at = project3d(spot.world);
        if (!at || !rect().contains(at->toPoint())) continue;
        // Far away they would lie on top of each other.
        if (std::any_of(drawn.begin(), drawn.end(), [&](const QPointF& p) {
                return std::fabs(p.x() - at->x()) < 22 && std::fabs(p.y() - at->y()) < 11;
            }))
            continue;
        drawn.push_back(*at);
        const double share = std::min(1.0, spot.slipPx / found->groundLimitPx);
        // Small crosses that lie on the ground, sized by the slip as well as coloured.
        const double r = 3 + 4 * share;
        painter.setPen(QPen(QColor(0, 0, 0, 110), 3));
        for (int halo = 1; halo >= 0; --halo) {
            if (!halo) painter.setPen(QPen(residualColour(share), 1.6));
            painter.drawLine(*at + QPointF(-r, 0), *at + QPointF(r, 0));
            painter.drawLine(*at + QPointF(0, -r / 2), *at + QPointF(0, r / 2));
        }
    }
}

void PlateCanvas::drawErrorMap(QPainter& painter) {
    const Shot& shot = document_.shot();
    if (!look_.errorMap || shot.solve->motion != Motion::free) return;
    if (mapped_ != shot.solve) {
        mapped_ = shot.solve;
        errorMap_ = errorMap(solveErrors(*shot.solve, *shot.paths), shot.plate.width, shot.plate.height);
    }
    constexpr double enlarged = 200;
    for (int row = 0; row < errorMap_.rows; ++row)
        for (int column = 0; column < errorMap_.columns; ++column) {
            const ErrorMap::Cell& c = errorMap_.at(column, row);
            if (c.paths == 0) continue;
            const double x = (column + 0.5) * shot.plate.width / errorMap_.columns,
                         y = (row + 0.5) * shot.plate.height / errorMap_.rows;
            const QPointF from = fromPixel(x, y), to = fromPixel(x + enlarged * c.mean.x(), y + enlarged * c.mean.y());
            // The disc is what chance gives: only what leads out of it says something.
            const double chance = QLineF(from, fromPixel(x + enlarged * 2 * c.sigma, y)).length();
            painter.setPen(QPen(QColor(255, 255, 255, 110), 1));
            painter.setBrush(QColor(20, 21, 22, 70));
            painter.drawEllipse(from, chance, chance);
            const QColor colour = residualColour(std::min(1.0, c.mean.norm() / std::max(1e-9, 6 * c.sigma)));
            painter.setPen(QPen(QColor(0, 0, 0, 150), 4));
            painter.drawLine(from, to);
            painter.setPen(QPen(colour, 2));
            painter.drawLine(from, to);
            painter.setPen(Qt::NoPen);
            painter.setBrush(colour);
            painter.drawEllipse(to, 2.5, 2.5);
        }
}

void PlateCanvas::drawCheckPoints(QPainter& painter) {
    const Shot& shot = document_.shot();
    const Theme& theme = Theme::current();
    for (const CheckPoint& c : shot.checkPoints) {
        QPolygonF at;
        for (const int id : c.measure.paths) {
            const Path* path = shot.path(id);
            const PathPoint* p = path ? path->at(document_.frame()) : nullptr;
            if (p) at << fromPixel(p->x, p->y);
        }
        if (at.isEmpty() || at.size() != qsizetype(c.measure.paths.size())) continue;
        QColor colour = theme.accent;
        if (!c.on) colour.setAlpha(90);
        painter.setPen(QPen(colour, 1.2, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        if (c.measure.kind == PointTie::Kind::flat) painter.drawConvexPolygon(at);
        else if (at.size() > 1) painter.drawPolyline(at);
        painter.setPen(QPen(colour, 1.4));
        for (const QPointF& p : at) painter.drawRect(QRectF(p.x() - 5, p.y() - 5, 10, 10));
        const QPointF middle = at.boundingRect().center() + QPointF(9, -7);
        const QString name = QString::fromStdString(c.name);
        painter.setPen(QColor(0, 0, 0, 190));
        painter.drawText(middle + QPointF(1, 1), name);
        painter.setPen(colour);
        painter.drawText(middle, name);
    }
}

bool PlateCanvas::pictureReady(int frame) const {
    return cache_ &&
           (cache_->picture(frame) || !cache_->trouble(frame).empty() || !document_.shot().plate.exists(frame));
}

void PlateCanvas::setPlayDirection(int direction) { direction_ = direction; }

CanvasTool* PlateCanvas::active() const {
    const auto at = tools_.find(tool_);
    return at != tools_.end() ? at->second.get() : nullptr;
}

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
    if (CanvasTool* before = active(); before && tool != tool_) before->leave();
    tool_ = tool;
    update();
    setCursor(tool == PlateTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
    Q_EMIT toolChanged();
}

void PlateCanvas::fit() {
    const Shot& shot = document_.shot();
    fitted_ = true;
    if (shot.hasPlate() && width() > 0 && height() > 0) {
        // The straight frame is larger than the plate, which keeps its place in it.
        const StraightFrame& f = straight_.frame();
        const double wide = (straightShown_ ? f.width : shot.plate.width) * shot.pixelAspect(),
                     high = straightShown_ ? f.height : shot.plate.height;
        zoom_ = std::min(width() / wide, height() / high);
        origin_ = QPointF((width() - wide * zoom_) / 2, (height() - high * zoom_) / 2);
        if (straightShown_) origin_ += QPointF(f.left * shot.pixelAspect(), f.top) * zoom_;
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
    if (straightShown_) {
        const Eigen::Vector2d p = straight_.straight({x, y});
        x = p.x(), y = p.y();
    }
    return origin_ + QPointF((x + 0.5) * zoom_ * document_.shot().pixelAspect(), (y + 0.5) * zoom_);
}

QPointF PlateCanvas::toPixel(const QPointF& at) const {
    const QPointF d = at - origin_;
    const QPointF p(d.x() / (zoom_ * document_.shot().pixelAspect()) - 0.5, d.y() / zoom_ - 0.5);
    if (!straightShown_) return p;
    const Eigen::Vector2d bent = straight_.bent({p.x(), p.y()});
    return {bent.x(), bent.y()};
}

QRectF PlateCanvas::pictureRect() const {
    const Shot& shot = document_.shot();
    const double aspect = shot.pixelAspect();
    if (!straightShown_) return {origin_, QSizeF(shot.plate.width * aspect * zoom_, shot.plate.height * zoom_)};
    const StraightFrame& f = straight_.frame();
    return {origin_ - QPointF(f.left * aspect, f.top) * zoom_, QSizeF(f.width * aspect * zoom_, f.height * zoom_)};
}

QString PlateCanvas::setStraight(bool on) {
    if (on == straightShown_) return {};
    if (on) {
        const auto lens = document_.shot().lensAt(document_.frame());
        if (!lens) return tr("There is no lens to take out yet. Solve the shot, or give focal length and distortion.");
        try {
            straight_.prepare(*lens, document_.shot().plate.width, document_.shot().plate.height);
        } catch (const std::exception& e) {
            return QString::fromUtf8(e.what());
        }
    }
    straightShown_ = on;
    if (fitted_) fit();
    update();
    Q_EMIT straightChanged();
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
void PlateCanvas::followLens() {
    if (!straightShown_) return;
    const auto lens = document_.shot().lensAt(document_.frame());
    try {
        if (!lens) throw InputError("no lens");
        straight_.prepare(*lens, document_.shot().plate.width, document_.shot().plate.height);
        if (fitted_) fit();
    } catch (const std::exception&) {
        setStraight(false);
    }
}

void PlateCanvas::resizeEvent(QResizeEvent*) {
    if (fitted_) fit();
}

std::function<std::optional<QPointF>(const Eigen::Vector3d&)> PlateCanvas::projector(CameraPose& pose) const {
    const auto camera = document_.shot().cameraAt(document_.frame());
    if (!camera || document_.shot().solve->motion != Motion::free) return {};
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
        return drawEmpty(painter, tr("Open a movie, numbered stills or a photo: Ctrl+O, or drag it here."));
    const QRectF target = pictureRect();
    if (!document_.plateTrouble().isEmpty()) {
        painter.fillRect(target, theme.field);
        drawEmpty(painter, document_.plateTrouble());
    } else if (cache_) {
        const int frame = document_.frame();
        if (const auto picture = cache_->picture(frame)) {
            painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 1.5);
            if (straightShown_) painter.drawImage(target, straight_.picture(picture));
            else
                painter.drawImage(target, QImage(reinterpret_cast<const uchar*>(picture->data.data()), picture->width,
                                                 picture->height, picture->width * 4, QImage::Format_RGB32));
        } else if (const std::string trouble = cache_->trouble(frame); !trouble.empty()) {
            painter.fillRect(target, theme.field);
            drawEmpty(painter, QString::fromStdString(trouble));
        } else if (const std::string cause = shot.plate.damageAt(frame); !cause.empty()) {
            painter.fillRect(target, theme.field);
            drawEmpty(painter, tr("Frame %1 is left out: %2.").arg(frame).arg(QString::fromStdString(cause)));
        } else if (!shot.plate.exists(frame)) {
            painter.fillRect(target, theme.field);
            drawEmpty(painter, tr("Frame %1 is missing in the sequence.").arg(frame));
        } else {
            painter.fillRect(target, theme.field);
        }
    }
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setClipRect(target);
    if (const auto lens = gridShown_ ? shot.lensAt(document_.frame()) : std::nullopt)
        drawLensGrid(painter, *lens, shot.plate.width, shot.plate.height,
                     [this](const Eigen::Vector2d& p) { return fromPixel(p.x(), p.y()); });
    drawThings(painter);
    drawErrorMap(painter);
    drawCheckPoints(painter);
    drawSlip(painter);
    if (edgesShown_ || tool_ == PlateTool::edge) {
        const auto& tool = static_cast<const EdgeTool&>(*tools_.at(PlateTool::edge));
        edgeOverlay_.paint(painter, *this, document_, tool_ == PlateTool::edge ? tool.hovered() : 0);
    }
    drawMasks(painter, *this, document_, edits_);
    drawPatches(painter, *this, document_);
    drawDamage(painter, target);
    if (tool_ != PlateTool::edge) drawPaths(painter);
    painter.setClipping(false);
    if (CanvasTool* tool = active()) tool->paint(painter);
    if (lassoing_ && lasso_.size() > 1) {
        painter.setPen(QPen(theme.accent, 1.2, Qt::DashLine));
        painter.setBrush(QColor(theme.accent.red(), theme.accent.green(), theme.accent.blue(), 30));
        painter.drawPolygon(lasso_);
    }
    drawLegend(painter);
    drawHint(painter);
}

void PlateCanvas::drawHint(QPainter& painter) {
    const CanvasTool* tool = active();
    if (!tool && slipReadout_.isEmpty()) return;
    painter.setFont(captionFont());
    const QString text = tool ? tool->hint() : slipReadout_;
    const int wide = std::min(width() - 250, painter.fontMetrics().horizontalAdvance(text) + 20);
    const QRect box(10, height() - 28, std::max(120, wide), 20);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 190));
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(box.adjusted(10, 0, -6, 0), Qt::AlignVCenter | Qt::AlignLeft,
                     painter.fontMetrics().elidedText(text, Qt::ElideRight, box.width() - 16));
}

void PlateCanvas::drawDamage(QPainter& painter, const QRectF& target) {
    const int frame = document_.frame();
    if (!cache_ || !cache_->picture(frame)) return;
    std::string cause = cache_->trouble(frame);
    if (cause.empty()) cause = document_.shot().plate.damageAt(frame);
    if (cause.empty()) return;
    const Theme& theme = Theme::current();
    const QString sentence = tr("Frame %1 is left out: %2").arg(frame).arg(QString::fromStdString(cause));
    painter.setFont(captionFont());
    const QRectF band(target.left(), target.top(), target.width(), 24);
    QColor ground = theme.ground;
    ground.setAlpha(215);
    painter.fillRect(band, ground);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme.look);
    const QPointF at = band.topLeft() + QPointF(14, 12);
    painter.drawPolygon(QPolygonF({at + QPointF(0, -5), at + QPointF(5, 4), at + QPointF(-5, 4)}));
    painter.setPen(theme.text);
    painter.drawText(band.adjusted(26, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, sentence);
}

void PlateCanvas::drawEmpty(QPainter& painter, const QString& sentence) {
    painter.setFont(bodyFont());
    const QRect area = rect().adjusted(24, 24, -24, -24);
    QRect text = painter.boundingRect(area, Qt::AlignCenter | Qt::TextWordWrap, sentence).adjusted(-12, -8, 12, 8);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 200));
    painter.drawRoundedRect(text, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, sentence);
}

void PlateCanvas::drawPaths(QPainter& painter) {
    const Shot& shot = document_.shot();
    const int frame = document_.frame();
    if (!shot.plate.frames.contains(frame) || byFrame_.size() != size_t(shot.plate.frames.count())) return;
    placeFrame();
    const Theme& theme = Theme::current();
    const int tail = look_.tail;
    // Thousands of paths: antialiased tails are most of the cost, and can't be told apart then anyway.
    const auto& seenHere = byFrame_[size_t(frame - shot.plate.frames.first)];
    const bool crowded = seenHere.size() > 1500;
    const double scale = markScale();
    painter.setRenderHint(QPainter::Antialiasing, !crowded);
    for (const Seen& seen : seenHere) {
        const Path& path = (*shot.paths)[size_t(seen.path)];
        // The map is about places in the picture: what is not selected would hide it.
        if (look_.errorMap && !document_.selectedPaths().contains(path.id)) continue;
        const PathPoint& p = path.points[size_t(seen.point)];
        const QPointF at = fromPixel(p.x, p.y);
        if (!rect().adjusted(-40, -40, 40, 40).contains(at.toPoint())) continue;
        const bool selected = document_.selectedPaths().contains(path.id);
        if ((path.setAside || !p.counts()) && !selected) {
            if (!look_.asideShown) continue;
            painter.setPen(Qt::NoPen);
            painter.setBrush(QColor(255, 255, 255, 90));
            painter.drawEllipse(at, 1.5, 1.5);
            continue;
        }
        QColor colour = theme.textSoft;
        const auto q = predicted(path.id);
        const auto mover = moverOf_.find(path.id);
        if (q) {
            const Eigen::Vector2d off = *q - Eigen::Vector2d(p.x, p.y);
            colour = residualColour(off.norm());
            if (look_.vectors) {
                constexpr double enlarged = 20;
                painter.setPen(QPen(QColor(0, 0, 0, 130), 3));
                const QPointF end = fromPixel(p.x + enlarged * off.x(), p.y + enlarged * off.y());
                painter.drawLine(at, end);
                painter.setPen(QPen(colour, 1.4));
                painter.drawLine(at, end);
            }
        } else if (shot.solve->has()) {
            colour = QColor(255, 255, 255, 90);  // followed, but not believed in this frame
        } else {
            colour = Qt::white;
        }
        // A fading tail: three strokes of falling strength instead of one a frame.
        const QColor tailColour = selected                  ? theme.accent
                                  : mover != moverOf_.end() ? moverColour(mover->second)
                                                            : QColor(230, 232, 233);
        const int back = std::min(tail, seen.point), third = std::max(1, (back + 2) / 3);
        for (int from = 0, shade = 0; from < back; from += third, ++shade) {
            QPolygonF line;
            for (int k = from; k <= std::min(back, from + third); ++k) {
                const PathPoint& before = path.points[size_t(seen.point - k)];
                line << fromPixel(before.x, before.y);
            }
            QColor fading = tailColour;
            fading.setAlpha(170 - 60 * shade);
            painter.setPen(QPen(fading, crowded ? 0 : 1));
            painter.drawPolyline(line);
        }
        const double r = selected ? scale * look_.markSize + 1.8 : scale * look_.markSize;
        painter.setBrush(Qt::NoBrush);
        if (crowded && !selected) {
            painter.setPen(QPen(colour, 0));
            painter.drawRect(QRectF(at.x() - 2, at.y() - 2, 4, 4));
            continue;
        }
        painter.setPen(QPen(QColor(0, 0, 0, 130), 1.7 + 1.5 * scale));
        const auto ring = [&] {
            if (path.origin == PathOrigin::byHand)
                painter.drawPolygon(QPolygonF({at + QPointF(0, -r - 1), at + QPointF(r + 1, 0), at + QPointF(0, r + 1),
                                               at + QPointF(-r - 1, 0)}));
            else painter.drawEllipse(at, r, r);
        };
        ring();
        painter.setPen(QPen(selected ? theme.accent : colour, selected ? 2 : 0.5 + scale));
        ring();
        if (document_.previewed().contains(path.id)) {
            // About to be set aside: struck through.
            painter.setPen(QPen(theme.look, 1.6));
            painter.drawLine(at + QPointF(-r - 3, r + 3), at + QPointF(r + 3, -r - 3));
        }
    }
    painter.setRenderHint(QPainter::Antialiasing);
}

void PlateCanvas::drawThings(QPainter& painter) {
    CameraPose pose;
    const auto project3d = projector(pose);
    if (!project3d) return;
    for (Thing thing : document_.shot().things) {
        if (thing.id == draggedThing_) thing.position = dragPlace_;
        drawThing(painter, thing, thing.id == document_.selectedThing(), project3d, pose.position);
    }
}

void PlateCanvas::drawLegend(QPainter& painter) {
    if (document_.shot().solve->motion != Motion::free) return;
    painter.setFont(captionFont());
    const int w = 100, h = 6, x = width() - w - 46, y = height() - 20;
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 170));
    painter.drawRoundedRect(QRect(x - 76, y - 7, w + 118, 20), 4, 4);
    for (int i = 0; i < w; ++i) painter.fillRect(x + i, y, 1, h, residualColour(double(i) / w));
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(QRect(x - 72, y - 7, 66, 20), Qt::AlignRight | Qt::AlignVCenter, tr("residual 0"));
    painter.drawText(QRect(x + w + 6, y - 7, 34, 20), Qt::AlignLeft | Qt::AlignVCenter, tr("1 px"));
    if (!look_.slip && !look_.vectors && !look_.errorMap) return;
    QStringList more;
    if (look_.errorMap) more << tr("mean error ×200, discs: chance");
    if (look_.vectors) more << tr("vectors ×20");
    if (const auto found = look_.slip && slip_ ? slip_->found() : nullptr; found && !found->ground.empty())
        more << tr("crosses: slip 0–%1 px").arg(found->groundLimitPx);
    const QString line = more.join(QStringLiteral(" · "));
    const int wide = painter.fontMetrics().horizontalAdvance(line) + 16;
    const QRect box(x + w + 42 - wide, y - 30, wide, 20);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 21, 22, 170));
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(QColor("#d6d8da"));
    painter.drawText(box, Qt::AlignCenter, line);
}

double PlateCanvas::markScale() const {
    const Shot& shot = document_.shot();
    const int frame = document_.frame();
    if (!shot.plate.frames.contains(frame) || byFrame_.size() != size_t(shot.plate.frames.count())) return 1;
    const double area = shot.plate.width * zoom() * shot.plate.height * zoom();
    const auto n = double(byFrame_[size_t(frame - shot.plate.frames.first)].size());
    // From two dozen pixels between neighbours on there is room.
    return n > 0 ? std::clamp(std::sqrt(area / n) / 24, 0.5, 1.0) : 1;
}

int PlateCanvas::pathAt(const QPointF& at) const {
    const Shot& shot = document_.shot();
    const int frame = document_.frame();
    if (!shot.plate.frames.contains(frame) || byFrame_.size() != size_t(shot.plate.frames.count())) return 0;
    int best = 0;
    double nearest = std::pow(9 * markScale(), 2);
    for (const Seen& seen : byFrame_[size_t(frame - shot.plate.frames.first)]) {
        const PathPoint& p = (*shot.paths)[size_t(seen.path)].points[size_t(seen.point)];
        const QPointF d = fromPixel(p.x, p.y) - at;
        const double far = QPointF::dotProduct(d, d);
        if (far < nearest) nearest = far, best = (*shot.paths)[size_t(seen.path)].id;
    }
    return best;
}

int PlateCanvas::thingAt(const QPointF& at) const {
    CameraPose pose;
    const auto project3d = projector(pose);
    if (!project3d) return 0;
    int best = 0;
    double nearest = 1e300;
    for (const Thing& t : document_.shot().things)
        if (outlineOf(t, project3d).containsPoint(at, Qt::WindingFill) && (t.position - pose.position).norm() < nearest)
            nearest = (t.position - pose.position).norm(), best = t.id;
    return best;
}

std::optional<Eigen::Vector3d> PlateCanvas::groundAt(const QPointF& at) const {
    const auto camera = document_.shot().cameraAt(document_.frame());
    if (!camera || document_.shot().solve->motion != Motion::free) return std::nullopt;
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
    if (event->type() == QEvent::ShortcutOverride && active() && active()->wantsKey(*static_cast<QKeyEvent*>(event))) {
        event->accept();
        return true;
    }
    return QWidget::event(event);
}

void PlateCanvas::keyPressEvent(QKeyEvent* event) {
    if (!active() || !active()->key(event)) QWidget::keyPressEvent(event);
}

void PlateCanvas::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!active() || !active()->doubleClick(event)) mousePressEvent(event);
}

void PlateCanvas::mousePressEvent(QMouseEvent* event) {
    pressed_ = dragFrom_ = event->position();
    if (event->button() == Qt::MiddleButton ||
        (event->button() == Qt::LeftButton && event->modifiers() & Qt::AltModifier)) {
        panning_ = true;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (active() && active()->press(event)) return;
    if (event->button() != Qt::LeftButton) return;
    if (tool_ == PlateTool::placeBox) {
        if (const auto place = groundAt(event->position())) {
            document_.addThing(Box(), *place);
            setTool(PlateTool::select);
        } else {
            Q_EMIT document_.troubled(
                tr("There is no ground under the pointer in this frame. Solve the shot first, and click on the floor "
                   "below the horizon."));
        }
        return;
    }
    if (tool_ == PlateTool::lasso) {
        lassoing_ = true;
        lasso_ = QPolygonF({event->position()});
        return;
    }
    const int path = pathAt(event->position());
    const bool more = event->modifiers() & (Qt::ShiftModifier | Qt::ControlModifier);
    if (path != 0) return document_.selectPaths({path}, more ? Document::Combine::toggle : Document::Combine::replace);
    if (const int thing = thingAt(event->position())) {
        document_.selectThing(thing);
        const Thing* t = document_.shot().thing(thing);
        if (const auto under = groundAt(event->position())) {
            draggedThing_ = thing;
            dragPlace_ = t->position;
            dragOffset_ = t->position - *under;
        }
        return;
    }
    if (!more) document_.selectPaths({});
}

void PlateCanvas::mouseMoveEvent(QMouseEvent* event) {
    if (!panning_ && active() && active()->move(event)) return;
    if (panning_) {
        origin_ += event->position() - dragFrom_;
        dragFrom_ = event->position();
        fitted_ = false;
        update();
    } else if (lassoing_) {
        lasso_ << event->position();
        update();
    } else if (draggedThing_ != 0) {
        if (const auto under = groundAt(event->position())) dragPlace_ = *under + dragOffset_;
        update();
    } else if (look_.slip) {
        readSlip(event->position());
        update();
    }
}

void PlateCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (panning_) {
        panning_ = false;
        setCursor(tool_ == PlateTool::select ? Qt::ArrowCursor : Qt::CrossCursor);
    } else if (active() && active()->release(event)) {
        return;
    } else if (lassoing_) {
        lassoing_ = false;
        QSet<int> inside;
        const Shot& shot = document_.shot();
        if (shot.plate.frames.contains(document_.frame()) && !byFrame_.empty())
            for (const Seen& seen : byFrame_[size_t(document_.frame() - shot.plate.frames.first)]) {
                const Path& path = (*shot.paths)[size_t(seen.path)];
                const PathPoint& p = path.points[size_t(seen.point)];
                if (lasso_.containsPoint(fromPixel(p.x, p.y), Qt::OddEvenFill)) inside.insert(path.id);
            }
        document_.selectPaths(
            inside, event->modifiers() & Qt::ShiftModifier ? Document::Combine::add : Document::Combine::replace);
        lasso_.clear();
        update();
    } else if (draggedThing_ != 0) {
        const int thing = draggedThing_;
        draggedThing_ = 0;
        if ((event->position() - pressed_).manhattanLength() > 3) document_.moveThing(thing, dragPlace_);
        update();
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
