// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/things_painter.h"

#include <algorithm>
#include <cmath>

#include "layout/assets.h"
#include "style/theme.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr double markGrabPx = 8;

Eigen::Vector4d vectorOf(const QColor& c, double opacity) { return {c.redF(), c.greenF(), c.blueF(), opacity}; }

/// Lines with a dark border, so that they stand out from any plate, and the name at its vertex.
void drawMark(QPainter& painter, const Thing& thing, const Shape& shape, const Similarity& at, const QColor& line,
              const Projector& project) {
    const auto world = [&](int i) { return at.point(shape.vertices[size_t(i)]); };
    for (const QPen& pen : {QPen(QColor(0, 0, 0, 150), 4), QPen(line, 2)}) {
        painter.setPen(pen);
        for (const auto& [a, b] : shape.lines) drawLine3d(painter, project, world(a), world(b), 4);
    }
    const auto head = shape.label ? project(world(*shape.label)) : std::nullopt;
    if (!head) return;
    painter.setBrush(line);
    painter.drawEllipse(*head, 4, 4);
    painter.setBrush(Qt::NoBrush);
    painter.setFont(captionFont());
    painter.setPen(QColor(0, 0, 0, 190));
    painter.drawText(*head + QPointF(9, 5), QString::fromStdString(thing.name));
    painter.setPen(Qt::white);
    painter.drawText(*head + QPointF(8, 4), QString::fromStdString(thing.name));
}

}  // namespace

ThingsView thingsView(const Projector& project, QSize size, const Eigen::Vector3d& eye,
                      const Eigen::Vector3d& forward) {
    ThingsView view;
    view.project = project;
    view.size = size;
    view.raster.project = [project](const Eigen::Vector3d& p) -> std::optional<Eigen::Vector2d> {
        const auto at = project(p);
        return at ? std::optional(Eigen::Vector2d(at->x() - 0.5, at->y() - 0.5)) : std::nullopt;
    };
    view.raster.eye = eye;
    view.raster.forward = forward;
    return view;
}

Shot withMoved(const Shot& shot, const std::optional<Thing>& moved) {
    Shot out = shot;
    if (!moved) return out;
    const auto there =
        std::find_if(out.things.begin(), out.things.end(), [&](const Thing& t) { return t.id == moved->id; });
    if (there != out.things.end()) *there = *moved;
    else out.things.push_back(*moved);
    return out;
}

QColor thingLine(bool selected) { return selected ? Theme::current().accent : Theme::current().teal; }

std::vector<ThingsPainter::Placed> ThingsPainter::placedIn(const Shot& shot, int frame) {
    const PlacedThings placed(shot, frame);
    std::vector<Placed> out;
    for (const Thing& t : shot.things) {
        if (!placed.visible(t)) continue;
        if (const auto at = placed.of(t)) out.push_back({&t, *at});
    }
    return out;
}

RasterItem ThingsPainter::itemOf(const Shot& shot, const Placed& placed, int frame, bool selected,
                                 const RasterView& view) {
    const Thing& t = *placed.thing;
    RasterItem item;
    // Its largest number is about its size.
    double extent = 0;
    for (const FieldValue& f : fieldsOf(t.kind)) extent = std::max(extent, f.value);
    const double px = pxAt(view, placed.at.translation, placed.at.scale * extent);
    item.shape = shapes_.of(t, frame, shot.rate().value(), px);
    item.worldFromShape = placed.at;
    item.colour = t.colourAt(frame);
    item.solid = look_ != ThingsLook::wire;
    item.wire = look_ != ThingsLook::solid || selected;
    item.fullWire = look_ == ThingsLook::wire;
    if (selected) item.line = vectorOf(Theme::current().accent, 1), item.lineWidth = 1.8;
    else if (look_ == ThingsLook::wire) item.line = vectorOf(Theme::current().teal, 0.9);
    const auto& materials = item.shape->shape.materials;
    item.pictures.resize(materials.size());
    const auto* card = std::get_if<Card>(&t.kind);
    for (size_t i = 0; i < materials.size(); ++i) {
        const int of = card ? frame - int(std::lround(card->start)) : 0;
        if (!materials[i].picture.empty())
            item.pictures[i] = assets().picture(materials[i].picture, of, card && card->after == 1);
    }
    return item;
}

void ThingsPainter::paint(QPainter& painter, const Shot& shot, quint64 stamp, int frame, const QSet<int>& selected,
                          const ThingsView& view, bool clean) {
    const std::vector<Placed> placed = placedIn(shot, frame);
    if (placed.empty()) return;
    std::vector<double> key = view.key;
    key.insert(key.end(), {double(stamp), double(frame), double(view.size.width()), double(view.size.height()),
                           double(look_), double(Theme::isLight())});
    QList<int> chosen(selected.begin(), selected.end());
    std::sort(chosen.begin(), chosen.end());
    if (clean) chosen.clear();
    for (const int id : chosen) key.push_back(id);
    if (key != key_ || picture_.isNull()) {
        std::vector<RasterItem> items;
        size_t triangles = 0;
        for (const Placed& p : placed) {
            if (!hasSurface(p.thing->kind)) continue;
            items.push_back(itemOf(shot, p, frame, !clean && selected.contains(p.thing->id), view.raster));
            triangles += items.back().shape->triangles.size();
        }
        // Soft edges where there is time for them.
        const bool soft = triangles < 30000 && view.size.width() * view.size.height() < 1500000;
        const RasterPicture drawn = drawShapes(items, view.raster, view.size.width(), view.size.height(), soft ? 2 : 1);
        picture_ = QImage(reinterpret_cast<const uchar*>(drawn.argb.data()), drawn.width, drawn.height, drawn.width * 4,
                          QImage::Format_ARGB32_Premultiplied)
                       .copy();
        key_ = std::move(key);
    }
    painter.drawImage(QPointF(0, 0), picture_);
    if (clean) return;
    for (const Placed& p : placed)
        if (const Shape shape = hasSurface(p.thing->kind) ? Shape() : shapeOf(p.thing->kind); !shape.lines.empty())
            drawMark(painter, *p.thing, shape, p.at, thingLine(selected.contains(p.thing->id)), view.project);
}

int ThingsPainter::thingAt(const Shot& shot, int frame, const Ray& ray, const Projector& project, const QPointF& at) {
    int best = 0;
    double nearest = 1e300;
    for (const Placed& p : placedIn(shot, frame)) {
        const auto shape = shapes_.of(*p.thing, frame, shot.rate().value());
        if (const auto far = rayMeets(ray.origin, ray.direction, *shape, p.at); far && *far < nearest)
            nearest = *far, best = p.thing->id;
    }
    // Marks have no surface: a hand's breadth around them can be grabbed, also before a face.
    for (const Placed& p : placedIn(shot, frame)) {
        const auto shape = shapes_.of(*p.thing, frame, shot.rate().value());
        if (!shape->triangles.empty()) continue;
        for (const auto& [a, b] : shape->shape.lines) {
            const auto x = project(p.at.point(shape->shape.vertices[size_t(a)])),
                       y = project(p.at.point(shape->shape.vertices[size_t(b)]));
            if (!x || !y) continue;
            const QPointF along = *y - *x, off = at - *x;
            const double t = std::clamp(
                QPointF::dotProduct(off, along) / std::max(1e-9, QPointF::dotProduct(along, along)), 0.0, 1.0);
            if (QLineF(at, *x + t * along).length() < markGrabPx) return p.thing->id;
        }
    }
    return best;
}

}  // namespace va
