// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <cstdio>

#include "layout/raster.h"
#include "solve/frame_camera.h"
#include "table.h"

namespace va::bench {
namespace {

constexpr int width = 1280, height = 720;

/// A lens that bends, as a plate has it.
RasterView lensView() {
    LensModel lens;
    lens.setValue(0, -0.06);
    const FrameCamera camera({{0, 1.5, 4}, Eigen::Quaterniond(Eigen::AngleAxisd(-0.2, Eigen::Vector3d::UnitX()))},
                             {1000, 1, {(width - 1) / 2.0, (height - 1) / 2.0}, lens});
    RasterView v;
    v.project = [camera](const Eigen::Vector3d& p) { return camera.project(p); };
    v.eye = camera.pose().position;
    v.forward = camera.pose().worldFromCamera * Eigen::Vector3d(0, 0, -1);
    v.bends = true;
    return v;
}

/// Wavy ground of n × n squares, two triangles each.
Shape hills(int n) {
    Shape s;
    for (int z = 0; z <= n; ++z)
        for (int x = 0; x <= n; ++x) {
            const double u = 8.0 * x / n - 4, w = 8.0 * z / n - 6;
            s.vertices.emplace_back(u, 0.15 * std::sin(5 * u) * std::cos(4 * w), w);
        }
    for (int z = 0; z < n; ++z)
        for (int x = 0; x < n; ++x) {
            const int a = z * (n + 1) + x;
            s.addFace({a, a + n + 1, a + 1}), s.addFace({a + 1, a + n + 1, a + n + 2});
        }
    return s;
}

void report(Table& table, const char* name, const std::vector<RasterItem>& items, const char* what) {
    size_t triangles = 0;
    for (const RasterItem& i : items) triangles += i.shape->triangles.size();
    size_t seen = 0;
    const double seconds = bestSeconds(8, [&] {
        const RasterPicture p = drawShapes(items, lensView(), width, height);
        for (const uint32_t c : p.argb) seen += c != 0;
    });
    char note[160];
    std::snprintf(note, sizeof note, "%zu %s, %zu triangles through a lens at %d x %d, %.0f ms a picture", items.size(),
                  what, triangles, width, height, seconds * 1e3);
    table.push_back({name, 1 / seconds, "fps", ">= 25", note});
    if (seen == 0) std::printf("nothing was drawn\n");
}

}  // namespace

void measureLayout(Table& table) {
    RasterItem mesh;
    mesh.shape = std::make_shared<const DrawnShape>(hills(224));
    report(table, "draw_100000_triangles", {mesh}, "mesh");
    std::vector<RasterItem> things;
    DrawnShapes shapes;
    const RasterView view = lensView();
    const std::vector<ThingKind>& kinds = allKinds();
    for (int i = 0; i < 1000; ++i) {
        RasterItem item;
        // Boxes, balls, cones, cylinders, posts and boards in turn.
        Thing thing;
        thing.id = i + 1;
        thing.kind = kinds[size_t(i % 6)];
        item.worldFromShape.scale = 0.12;
        item.worldFromShape.translation = {-3.5 + 7.0 * (i % 40) / 39, 0, 2.0 - 9.0 * double(i / 40) / 24};
        // As the window takes them: small ones with fewer sides.
        item.shape = shapes.of(thing, 0, 25, pxAt(view, item.worldFromShape.translation, 0.12));
        things.push_back(std::move(item));
    }
    report(table, "draw_1000_things", things, "things");
}

}  // namespace va::bench
