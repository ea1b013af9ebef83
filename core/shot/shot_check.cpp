// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/shot_check.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

[[noreturn]] void fail(const std::string& key, const std::string& why) { throw InputError(key + " " + why); }

void inRange(const std::string& key, double v, double low, double high) {
    if (!(v >= low && v <= high)) fail(key, text("is %.6g; it has to lie in %.6g to %.6g", v, low, high));
}

void requirePlate(const PlateInfo& p) {
    if (p.width == 0 && p.height == 0) return;  // a project without a plate
    inRange("plate.width", p.width, 1, 1 << 17);
    inRange("plate.height", p.height, 1, 1 << 17);
    inRange("plate.rate", p.rate.value(), 1e-3, 1e5);
    inRange("plate.pixel_aspect", p.pixelAspect.value(), 1e-2, 1e2);
    inRange("plate.first", p.frames.first, -1e8, 1e9);
    inRange("plate.last", p.frames.last, double(p.frames.first) - 1, double(p.frames.first) + 1e7);
}

void requirePaths(const Shot& s) {
    const Path* before = nullptr;
    for (const Path& p : *s.paths) {
        const std::string key = text("paths, id %d:", p.id);
        if (before && before->id == p.id) fail(key, text("is there twice"));
        before = &p;
        const PathPoint* last = nullptr;
        for (const PathPoint& q : p.points) {
            if (last && q.frame <= last->frame) fail(key + " frame", text("does not rise"));
            last = &q;
            if (!std::isfinite(q.x) || !std::isfinite(q.y) || std::fabs(q.x) > 1e7 || std::fabs(q.y) > 1e7)
                fail(key, text("has no position in the picture in frame %d", q.frame));
            // A covariance: no negative variance, and no more in common than each has.
            if (!(q.sxx >= 0 && q.syy >= 0) ||
                !(double(q.sxy) * double(q.sxy) <= 1.001 * double(q.sxx) * double(q.syy) + 1e-12))
                fail(key + " covariance", text("is none in frame %d", q.frame));
        }
    }
}

void requireSolve(const std::string& key, const SolveResult& r) {
    if (!r.has()) return;
    inRange(key + ".focal_px", r.lens.focalPx, 1e-3, 1e8);
    inRange(key + ".pixel_aspect", r.lens.pixelAspect, 1e-2, 1e2);
    inRange(key + ".readout", r.readout, -10, 10);
    if (!r.lens.principalPoint.allFinite()) fail(key + ".principal_point_px", text("is no position"));
    if (std::none_of(r.frames.begin(), r.frames.end(), [](const SolvedFrame& f) { return f.solved; }))
        fail(key + ".frames", text("holds no camera"));
    const SolvedFrame* before = nullptr;
    for (const SolvedFrame& f : r.frames) {
        const std::string at = key + text(".frames, frame %d", f.frame);
        if (before && f.frame <= before->frame) fail(at, text("does not rise"));
        before = &f;
        if (!f.solved) continue;
        inRange(at + " rotation's length", f.pose.worldFromCamera.norm(), 0.999, 1.001);
        if (!f.pose.position.allFinite() || f.pose.position.norm() > 1e12)
            fail(at + " position", text("is no position"));
        if (r.zooms) inRange(at + " focal_px", f.focalPx, 1e-3, 1e8);
    }
    for (const SolvedStill& still : r.stills) {
        const std::string at = key + text(".stills, id %d", still.id);
        inRange(at + " focal_px", still.lens.focalPx, 1e-3, 1e8);
        inRange(at + " rotation's length", still.pose.worldFromCamera.norm(), 0.999, 1.001);
        if (!still.pose.position.allFinite() || !still.lens.principalPoint.allFinite())
            fail(at, text("holds no numbers"));
    }
    for (const SolvedPoint& p : r.points)
        if (!p.position.allFinite() || p.position.norm() > 1e12)
            fail(key + text(".points, path %d position", p.pathId), "is no position");
}

void requireMeasures(const Shot& s) {
    for (const CheckPoint& c : s.checkPoints) {
        const std::string key = "check_points, \"" + c.name + "\"";
        if (!c.measure.target.allFinite() || !c.measure.normal.allFinite()) fail(key, text("holds no numbers"));
        inRange(key + " tolerance", c.measure.tolerance, 0, 1e9);
        if (c.measure.kind == PointTie::Kind::distance) inRange(key + " length", c.measure.length, 1e-9, 1e12);
    }
}

void requirePhoto(const PhotoMatch& p) {
    const auto finite = [](const std::string& key, const auto&... vectors) {
        if (!(vectors.allFinite() && ...)) fail(key, text("holds no numbers"));
    };
    for (const PhotoLine& l : p.lines) {
        finite("photo.lines", l.a, l.b);
        inRange("photo.lines, sigma", l.sigma, 1e-6, 1e6);
    }
    if (p.quad) {
        for (const auto& c : p.quad->corners) finite("photo.rectangle", c);
        inRange("photo.rectangle, width", p.quad->width, 0, 1e9);
        inRange("photo.rectangle, depth", p.quad->depth, 0, 1e9);
    }
    for (const PhotoSpot& s : p.spots) {
        finite("photo.points", s.pixel, s.position);
        inRange("photo.points, sigma", s.sigma, 1e-6, 1e6);
    }
    inRange("photo.camera_height", p.cameraHeight, 0, 1e9);
}

void requireGround(const GroundSpec& g) {
    for (const KnownLength& k : g.lengths) {
        inRange("ground.lengths, metres", k.metres, 1e-9, 1e12);
        inRange("ground.lengths, sigma", k.sigma, 0, 1e12);
    }
    const auto line = [](const std::string& key, const PictureLine& l) {
        if (!l.a.allFinite() || !l.b.allFinite()) fail(key, text("holds no numbers"));
    };
    for (const LevelEvidence& e : g.level) line("ground.level, line", e.line);
    line("ground.facing.line", g.facing.line);
    for (const SharedPoint& p : g.shared)
        if (!p.position.allFinite()) fail("ground.shared, \"" + p.name + "\"", text("holds no numbers"));
    inRange("ground.by_hand.scale", g.byHand.scale, 1e-12, 1e12);
    if (!g.byHand.translation.allFinite()) fail("ground.by_hand.translation", text("holds no numbers"));
}

void requireLayout(const Shot& s) {
    for (const Thing& t : s.things) {
        const std::string key = "things, \"" + t.name + "\"";
        // A thing that hangs on itself in the end has no place.
        size_t steps = 0;
        for (const Thing* at = &t; at && at->parent() != 0; at = s.thing(at->parent()))
            if (++steps > s.things.size()) fail(key, text("hangs on itself; re-place it"));
        if (!t.position.allFinite() || t.position.norm() > 1e12) fail(key + " position", text("is no position"));
        inRange(key + " scale", t.scale, 1e-12, 1e12);
    }
    inRange("camera_layers.shake.px", s.layers.shake.px, 0, 1e5);
    inRange("camera_layers.shake.degrees", s.layers.shake.degrees, 0, 360);
    inRange("camera_layers.steady.width", s.layers.steady.width, 1e-3, 1e6);
    inRange("camera_layers.offset_and_pace.pace", s.layers.pace.pace, -1e3, 1e3);
    inRange("camera_layers.offset_and_pace.path_scale", s.layers.pace.pathScale, -1e6, 1e6);
}

}  // namespace

void requireSound(const Shot& s) {
    requirePlate(s.plate);
    requireLayout(s);
    if (s.hasPlate()) {
        if (s.plate.frames.count() > 0 && s.range.last < s.range.first) fail("range", text("ends before it begins"));
        inRange("camera_back.sensor_width_mm", s.priors.sensorWidthMm, 1e-3, 1e5);
        if (s.priors.focal != Known::unknown) inRange("camera_back.focal_mm", s.priors.focalMm, 1e-3, 1e6);
        inRange("camera_back.readout_share", s.priors.readout, -10, 10);
    }
    requirePaths(s);
    requireSolve("solve", *s.solve);
    for (const Mover& m : s.movers) {
        requireSolve("movers, \"" + m.name + "\": solve", *m.solve);
        inRange("movers, \"" + m.name + "\": size", m.size, 1e-12, 1e12);
    }
    requireMeasures(s);
    requireGround(s.groundSpec);
    requirePhoto(s.photo);
    for (const PictureLine& l : s.uprights)
        if (!l.a.allFinite() || !l.b.allFinite()) fail("upright_edges", text("holds no numbers"));
}

}  // namespace va
