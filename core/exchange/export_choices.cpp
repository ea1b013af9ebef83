// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/export_choices.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "exchange/euler.h"
#include "exchange/export_body.h"
#include "lens/film_back.h"

namespace va {
namespace {

/// All places of the scene through a change of world.
void change(SceneExport& s, const Similarity& by) {
    for (auto& f : s.frames)
        if (f.solved) f.pose = by.pose(f.pose);
    for (auto& f : s.layered.frames) f.pose = by.pose(f.pose);
    for (auto& p : s.points) p.position = by.point(p.position);
    for (auto& t : s.things) {
        const Similarity at = by.after({t.scale, t.rotation, t.position});
        t.position = at.translation, t.rotation = at.rotation, t.scale = at.scale;
        for (auto& sample : t.samples) sample.place = by.after(sample.place);
    }
    for (auto& m : s.movers) {
        for (auto& [frame, pose] : m.poses) pose = by.pose(pose);
        for (auto& p : m.points) p.position *= by.scale;
    }
    for (auto& p : s.planes)
        for (auto& c : p.corners) c = by.point(c);
    for (auto& still : s.stills) still.pose = by.pose(still.pose);
}

void renumber(SceneExport& s, int shift) {
    if (shift == 0) return;
    for (auto& f : s.frames) f.frame += shift;
    for (auto& f : s.layered.frames) f.frame += shift;
    for (auto& t : s.things) {
        for (auto& sample : t.samples) sample.frame += shift;
        ThingKeys::each(t.keys, [&](const char*, const char*, auto& animated) {
            auto moved = animated;
            moved.keys = {};
            for (const auto& k : animated.keys) {
                moved.keys.set(k.frame + shift, k.value);
                moved.keys.setBetween(k.frame + shift, k.between);
            }
            animated = moved;
        });
    }
    for (auto& m : s.movers)
        for (auto& p : m.poses) p.first += shift;
    s.frameShift += shift;
}

void useLayers(SceneExport& s) {
    if (s.layered.frames.empty())
        throw InputError(text("No camera layer is on. Switch one on in Layout, or export the solved camera."));
    SceneExport out = s;
    out.frames.clear();
    for (const auto& f : s.layered.frames)
        out.frames.push_back({f.frame, true, f.pose, f.focalPx, 0, PoseOrigin::solved});
    out.width = s.layered.width, out.height = s.layered.height;
    out.principalPoint = s.principalPoint + Eigen::Vector2d(s.layered.left, s.layered.top);
    out.sensorWidthMm = s.sensorWidthMm * out.width / s.width;
    out.lens = LensModel();
    out.readout = 0;
    out.layered = {};
    s = std::move(out);
}

void thinCloud(SceneExport& s, const ExportChoices& c) {
    auto& points = s.points;
    if (!c.cloud) points.clear();
    if (!c.onlyPoints.empty()) {
        const std::set<int> only(c.onlyPoints.begin(), c.onlyPoints.end());
        std::erase_if(points, [&](const auto& p) { return !only.contains(p.id); });
    }
    if (c.nearest > 0 || c.farthest > 0)
        std::erase_if(points, [&](const auto& p) {
            double away = 1e300;
            for (const auto& f : s.frames)
                if (f.solved) away = std::min(away, (p.position - f.pose.position).norm());
            return away < c.nearest || (c.farthest > 0 && away > c.farthest);
        });
    if (c.cloudAtMost > 0 && points.size() > size_t(c.cloudAtMost)) {
        std::vector<size_t> order(points.size());
        for (size_t i = 0; i < order.size(); ++i) order[i] = i;
        std::stable_sort(order.begin(), order.end(),
                         [&](size_t a, size_t b) { return points[a].rmsPx < points[b].rmsPx; });
        order.resize(size_t(c.cloudAtMost));
        std::sort(order.begin(), order.end());
        std::vector<SceneExport::Point> left;
        for (const size_t i : order) left.push_back(points[i]);
        points = std::move(left);
    }
}

}  // namespace

SceneExport inAxes(const SceneExport& scene, bool zUp, double metresPerUnit) {
    SceneExport out = scene;
    const double scale = scene.metric ? scene.metresPerUnit / metresPerUnit : 1;
    const double quarter = zUp == scene.zUp ? 0 : zUp ? M_PI / 2 : -M_PI / 2;
    if (scale != 1 || quarter != 0)
        change(out, {scale, Eigen::Quaterniond(Eigen::AngleAxisd(quarter, Eigen::Vector3d::UnitX())),
                     Eigen::Vector3d::Zero()});
    out.zUp = zUp;
    out.metresPerUnit = scene.metric ? metresPerUnit : 1;
    return out;
}

SceneExport prepared(const SceneExport& scene, const ExportChoices& c) {
    if (c.filmBackMm && !(*c.filmBackMm > 0.1 && *c.filmBackMm < 1000))
        throw InputError(text("A film back of %g mm can't be: give its width, 0.1 to 1000 mm.", *c.filmBackMm));
    if (!isEulerOrder(c.eulerOrder))
        throw InputError(
            text("\"%s\" is no order of turns. Take XYZ, XZY, YXZ, YZX, ZXY or ZYX.", c.eulerOrder.c_str()));
    SceneExport out = scene;
    if (c.layered) useLayers(out);
    if (c.filmBackMm) {
        const double width = scene.width > 0 ? double(out.width) / scene.width : 1;
        out.sensorWidthMm = *c.filmBackMm * width;
    }
    if (c.undistorted && !c.layered) out = undistortedScene(out, Overscan::whole);
    thinCloud(out, c);
    if (!c.planes) out.planes.clear();
    if (!c.movers) out.movers.clear();
    if (!c.paths) out.paths = nullptr;
    if (!c.corners) out.patches.clear();
    std::erase_if(out.things, [&](const auto& t) { return hasSurface(t.kind) ? !c.things : !c.anchors; });
    // What hangs on a thing that stays behind hangs on nothing.
    for (auto& t : out.things)
        if (std::none_of(out.things.begin(), out.things.end(), [&](const auto& o) { return o.name == t.parentName; }))
            t.parentName.clear();
    if (c.recentre && !out.points.empty()) {
        Eigen::Vector3d middle = Eigen::Vector3d::Zero();
        for (const auto& p : out.points) middle += p.position / double(out.points.size());
        middle.y() = 0;
        change(out, {1, Eigen::Quaterniond::Identity(), -middle});
        out.movedBy = middle;
    }
    if (c.firstFrame) renumber(out, *c.firstFrame - scene.plateFrames.first);
    out.eulerOrder = c.eulerOrder;
    out.cameraPerFrame = c.cameraPerFrame;
    return inAxes(out, c.zUp, exportUnitMetres[int(c.unit)]);
}

double angleOfView(const SceneExport& s, const SceneExport::Frame& f) {
    return fieldOfView(f.focalPx, s.width * s.pixelAspect) * 180 / M_PI;
}

std::string nextProgramText(const SceneExport& s) {
    const SceneExport::Frame *first = nullptr, *last = nullptr;
    for (const auto& f : s.frames)
        if (f.solved) first = first ? first : &f, last = &f;
    std::string out = text("Size        %d × %d px, pixel aspect %g\n", s.width, s.height, s.pixelAspect);
    out += text("Rate        %s fps (%d/%d)\n", s.rate.label().c_str(), int(s.rate.num), int(s.rate.den));
    if (!s.frames.empty())
        out += text("Frames      %d–%d (%d)\n", s.frames.front().frame, s.frames.back().frame,
                    s.frames.back().frame - s.frames.front().frame + 1);
    out += text("Film back   %.4f × %.4f mm\n", s.sensorWidthMm, backHeightMm(s));
    if (first) {
        out += first->focalPx == last->focalPx
                   ? text("Focal       %.4f mm\n", s.focalMm(*first))
                   : text("Focal       %.4f–%.4f mm\n", s.focalMm(*first), s.focalMm(*last));
        out += text("View        %.3f° across in frame %d\n", angleOfView(s, *first), first->frame);
    }
    out += text("Distortion  %s\n",
                s.lens.isZero() ? text("none").c_str() : text("in the picture: %s", s.lens.brief().c_str()).c_str());
    out += text("World       %s up, %s\n", s.zUp ? "Z" : "Y",
                s.metric ? text("one unit is %g m", s.metresPerUnit).c_str() : text("no scale is set").c_str());
    return out;
}

}  // namespace va
