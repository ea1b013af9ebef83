// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/scene_export.h"

#include <algorithm>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "lens/film_back.h"

namespace va {

CameraTrack SceneExport::cameraTrack() const {
    CameraTrack out;
    out.motion = Motion::free;
    out.lens = {0, pixelAspect, principalPoint, lens};
    out.zooms = true;
    out.height = height;
    out.readout = readout;
    for (const Frame& f : frames) {
        SolvedFrame& to = out.frames.emplace_back();
        to.frame = f.frame;
        to.solved = f.solved;
        to.pose = f.pose;
        to.focalPx = f.focalPx;
        to.rate = f.rate;
    }
    return out;
}

Similarity SceneExport::PlacedThing::placeAt(int frame) const {
    for (const Sample& s : samples)
        if (s.frame >= frame) return s.place;
    return samples.empty() ? Similarity{scale, rotation, position} : samples.back().place;
}

bool SceneExport::PlacedThing::visibleIn(int frame) const {
    for (const Sample& s : samples)
        if (s.frame >= frame) return s.visible;
    return samples.empty() ? visible : samples.back().visible;
}

double SceneExport::focalMm(const Frame& f) const {
    return focalMmFromPx(f.focalPx, sensorWidthMm, width, pixelAspect);
}

std::string motionWord(Motion motion) {
    switch (motion) {
        case Motion::free: return "free";
        case Motion::nodalPan: return "rotation";
        case Motion::lockedOff: return "locked_off";
        case Motion::still: return "still";
        case Motion::none: break;
    }
    return "none";
}

SceneExport gatherExport(const Shot& shot, const std::string& verdict) {
    if (!shot.solve->has()) throw Error(text("There is no camera to export yet. Solve the shot first."));
    SceneExport e;
    e.width = shot.plate.width;
    e.height = shot.plate.height;
    // A squeeze that was found beside what was said belongs to the solved camera.
    e.pixelAspect = shot.solve->panCause == PanCause::squeeze ? shot.solve->lens.pixelAspect : shot.pixelAspect();
    e.rate = shot.rate();
    e.metric = shot.ground->metric;
    e.sensorWidthMm = shot.priors.sensorWidthMm;
    e.principalPoint = shot.solve->lens.principalPoint;
    e.lens = shot.solve->lens.lens;
    e.motion = motionWord(shot.solve->motion);
    e.verdict = verdict;
    e.rmsPx = shot.solve->rmsPx;
    e.checkRmsPx = shot.solve->checkRmsPx;
    for (const SolvedFrame& f : shot.solve->frames) {
        SceneExport::Frame out{f.frame, f.solved, {}, f.focalPx, f.rmsPx, f.origin};
        if (f.solved) out.pose = *shot.worldPose(f.frame);
        if (f.rate && f.origin == PoseOrigin::solved) out.rate = f.rate->scaled(shot.ground->worldFromSolve.scale);
        const auto index = size_t(f.frame - shot.plate.frames.first);
        if (index < shot.plate.times.size()) out.seconds = shot.plate.times[index];
        if (index < shot.plate.storedFrames.size()) out.storedFrame = shot.plate.storedFrames[index];
        e.frames.push_back(out);
    }
    for (const SolvedPoint& p : shot.solve->points) {
        const Path* path = shot.path(p.pathId);
        e.points.push_back({p.pathId, path ? path->name : std::string(), shot.worldPoint(p), p.rmsPx});
    }
    const GroundFit& g = *shot.ground;
    e.world = {g.levelSigmaDeg, g.scaleSigma, g.evidence, shot.groundSpec.lengths, g.lengths, g.trouble};
    for (const KnownLength& k : setLengths(shot)) e.world.lengths.push_back(k);
    // Where they stand is worked out from what they hang on, with the whole shot (gatherScene).
    e.things.assign(shot.things.begin(), shot.things.end());
    for (const SolvedStill& solved : shot.solve->stills)
        if (const ReferenceStill* still = shot.still(solved.id); still && solved.solved)
            e.stills.push_back({still->name, still->width, still->height, solved.lens,
                                shot.ground->worldFromSolve.pose(solved.pose), solved.rmsPx, solved.focalSigma});
    for (const TakenPlane& p : shot.ground->planes) {
        const NamedPlane* named = shot.groundSpec.plane(p.id);
        if (!named) continue;
        const auto corners = p.surface.corners();
        SceneExport::FlatPiece piece{named->name, {}};
        for (size_t k = 0; k < 4; ++k) piece.corners[k] = shot.ground->worldFromSolve.point(corners[k]);
        e.planes.push_back(std::move(piece));
    }
    e.paths = shot.paths;
    e.patches = shot.patches;
    e.plate = shot.plateSpec;
    e.plateFrames = shot.plate.frames;
    e.readout = shot.solve->readout;
    e.openShare = shot.blur.openShare;
    for (const CheckPoint& c : shot.checkPoints)
        if (c.on && !c.measure.paths.empty()) e.checkPoints.push_back(c);
    if (shot.solve->reports.size() == e.checkPoints.size()) e.reports = shot.solve->reports;
    else e.checkPoints.clear();  // they have changed since the solve
    return e;
}

SceneExport undistortedScene(const SceneExport& scene, Overscan overscan) {
    double shortest = 1e300, longest = 0;
    for (const auto& f : scene.frames)
        if (f.solved) shortest = std::min(shortest, f.focalPx), longest = std::max(longest, f.focalPx);
    if (!(longest > 0)) throw Error(text("There is no solved frame to export. Solve the shot first."));
    // How far the distortion moves the border in px goes with the focal length one way, so that the ends of a zoom are
    // its extremes.
    constexpr int unset = std::numeric_limits<int>::min();
    int left = unset, top = unset, right = unset, bottom = unset;
    for (const double focal : {shortest, longest}) {
        const Intrinsics lens{focal, scene.pixelAspect, scene.principalPoint, scene.lens};
        const UndistortedFrame frame = undistortedFrame(lens, scene.width, scene.height, overscan);
        left = std::max(left, frame.left);
        top = std::max(top, frame.top);
        right = std::max(right, frame.width - scene.width - frame.left);
        bottom = std::max(bottom, frame.height - scene.height - frame.top);
    }
    SceneExport out = scene;
    out.width = scene.width + left + right;
    out.height = scene.height + top + bottom;
    out.principalPoint = scene.principalPoint + Eigen::Vector2d(left, top);
    out.lens = LensModel();
    if (!out.layered.frames.empty()) {
        out.layered.width += left + right, out.layered.height += top + bottom;
        out.layered.left += left, out.layered.top += top;
    }
    // The same mm for each px: the frame is larger, and so is its share of the picture plane.
    out.sensorWidthMm = scene.sensorWidthMm * out.width / scene.width;
    return out;
}

}  // namespace va
