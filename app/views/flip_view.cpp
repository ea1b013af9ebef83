// SPDX-License-Identifier: GPL-3.0-or-later
#include "views/flip_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "media/plate_source.h"
#include "style/theme.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr int gap = 6, foot = 24;

}  // namespace

FlipView::FlipView(Document& document, QWidget* parent) : QFrame(parent), document_(document) {
    setObjectName("flipView");
    setAccessibleName(tr("Flip-book: first, middle and last frame"));
    setFocusPolicy(Qt::StrongFocus);
    setAutoFillBackground(true);
    hide();
    connect(&document_, &Document::shotChanged, this, [this] {
        if (isVisible()) update();
    });
}

bool FlipView::ready() const {
    return std::all_of(pictures_.begin(), pictures_.end(), [](const QImage& p) { return !p.isNull(); });
}

void FlipView::open() {
    const Shot& shot = document_.shot();
    const Thing* t = shot.thing(document_.selectedThing());
    if (!t)
        return Q_EMIT document_.troubled(
            tr("Select a thing first: the flip-book zooms in on it in the first, the middle "
               "and the last frame."));
    // The first, the middle and the last of the frames that see its foot.
    std::vector<int> seen;
    for (const int f : shot.frames()) {
        const auto camera = shot.cameraAt(f);
        const auto at = camera ? PlacedThings(shot, f).of(*t) : std::nullopt;
        const auto p = at ? camera->project(at->translation) : std::nullopt;
        if (p && p->x() >= 0 && p->y() >= 0 && p->x() < shot.plate.width && p->y() < shot.plate.height)
            seen.push_back(f);
    }
    if (seen.empty())
        return Q_EMIT document_.troubled(
            tr("\"%1\" is in no frame of the range.").arg(QString::fromStdString(t->name)));
    frames_ = {seen.front(), seen[seen.size() / 2], seen.back()};
    pictures_ = {};
    show();
    raise();
    setFocus();
    read();
}

void FlipView::read() {
    const Shot& shot = document_.shot();
    const auto made = std::make_shared<std::array<QImage, 3>>();
    background_.start(
        [spec = shot.plateSpec, overrides = shot.overrides, frames = frames_, made](Progress&) {
            const auto source = openPlate(spec, choicesForOpening(overrides));
            for (size_t i = 0; i < 3; ++i) {
                const DisplayPicture p = source->display(frames[i]);
                (*made)[i] = QImage(reinterpret_cast<const uchar*>(p.data.data()), p.width, p.height, p.width * 4,
                                    QImage::Format_RGB32)
                                 .copy();
            }
        },
        [this, made](Background::End end, const QString& trouble) {
            if (end == Background::End::failed) return Q_EMIT document_.troubled(trouble);
            if (end != Background::End::done) return;
            pictures_ = *made;
            update();
        });
}

void FlipView::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    const int wide = (width() - 4 * gap) / 3;
    for (int i = 0; i < 3; ++i) {
        const QRect at(gap + i * (wide + gap), gap, wide, height() - 2 * gap - foot);
        painter.save();
        painter.setClipRect(at);
        paintPart(painter, i, at);
        painter.restore();
        painter.setFont(captionFont());
        painter.setPen(theme.textSoft);
        const QString words[] = {tr("first"), tr("middle"), tr("last")};
        painter.drawText(QRect(at.left(), at.bottom() + 2, at.width(), foot), Qt::AlignCenter,
                         tr("%1 · frame %2").arg(words[i]).arg(frames_[size_t(i)]));
    }
}

void FlipView::paintPart(QPainter& painter, int part, const QRect& at) {
    const Shot& shot = document_.shot();
    const Thing* t = shot.thing(document_.selectedThing());
    const int frame = frames_[size_t(part)];
    const auto camera = shot.cameraAt(frame);
    const auto place = t ? PlacedThings(shot, frame).of(*t) : std::nullopt;
    if (!camera || !place || pictures_[size_t(part)].isNull()) return;
    const auto shape = shapeOf(t->kind, frame, shot.rate().value()).bounds();
    const Eigen::Vector3d middle = place->point((shape.first + shape.second) / 2);
    const auto centre = camera->project(middle);
    const double extent = std::max(1e-9, place->scale * (shape.second - shape.first).norm());
    // The thing takes half of a part in each of them.
    const double pxPerPlate = 0.5 * std::min(at.width(), at.height()) * camera->footprint(middle) / extent;
    const double zoom = std::clamp(pxPerPlate, 0.05, 24.0);
    if (!centre) return;
    const double ax = shot.pixelAspect();
    const QPointF origin = QPointF(at.center()) - QPointF((centre->x() + 0.5) * zoom * ax, (centre->y() + 0.5) * zoom);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom < 3);
    painter.drawImage(QRectF(origin, QSizeF(shot.plate.width * zoom * ax, shot.plate.height * zoom)),
                      pictures_[size_t(part)]);
    const Projector project = [c = *camera, origin, zoom, ax](const Eigen::Vector3d& p) -> std::optional<QPointF> {
        const auto pixel = c.project(p);
        if (!pixel || std::fabs(pixel->x()) > 50000 || std::fabs(pixel->y()) > 50000) return std::nullopt;
        return origin + QPointF((pixel->x() + 0.5) * zoom * ax, (pixel->y() + 0.5) * zoom);
    };
    ThingsView view = thingsView(project, size(), camera->pose().position,
                                 camera->pose().worldFromCamera * Eigen::Vector3d(0, 0, -1));
    view.raster.nearest = 1e-3 * extent;
    view.raster.bends = !camera->lens().lens.isZero();
    view.key = {origin.x(), origin.y(), zoom};
    things_[size_t(part)].paint(painter, shot, document_.revision(), frame, {}, view);
}

void FlipView::mousePressEvent(QMouseEvent*) { hide(); }

bool FlipView::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        event->accept();
        return true;
    }
    return QFrame::event(event);
}

void FlipView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) hide();
    else QFrame::keyPressEvent(event);
}

}  // namespace va
