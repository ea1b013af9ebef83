// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/foreign_export.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "exchange/verify.h"

namespace va {

const ForeignScene::Camera& cameraOf(const ForeignScene& scene, const std::string& name) {
    if (scene.cameras.empty())
        throw InputError(text("There is no camera in the file. Export one from the other program."));
    if (name.empty()) return scene.cameras.front();
    std::string names;
    for (const auto& c : scene.cameras) {
        if (c.name == name) return c;
        names += (names.empty() ? "" : ", ") + c.name;
    }
    throw InputError(text("There is no camera \"%s\" in the file. It has: %s.", name.c_str(), names.c_str()));
}

std::vector<ForeignScene::Frame> atWholeFrames(const std::vector<ForeignScene::Frame>& frames, bool between) {
    constexpr double near = 1e-3;
    std::vector<ForeignScene::Frame> out;
    if (frames.empty()) return out;
    if (!between && std::all_of(frames.begin(), frames.end(),
                                [](const auto& f) { return std::fabs(f.frame - std::round(f.frame)) < near; })) {
        for (auto f : frames) {
            f.frame = std::round(f.frame);
            if (out.empty() || f.frame > out.back().frame) out.push_back(f);
        }
        return out;
    }
    for (double n = std::ceil(frames.front().frame - near); n <= frames.back().frame + near; ++n) {
        const auto next = std::lower_bound(frames.begin(), frames.end(), n - near,
                                           [](const auto& f, double v) { return f.frame < v; });
        if (next == frames.end()) break;
        ForeignScene::Frame f = *next;
        if (next != frames.begin() && std::fabs(next->frame - n) > near) {
            const auto& a = *std::prev(next);
            const double share = (n - a.frame) / (next->frame - a.frame);
            f.pose.position = (1 - share) * a.pose.position + share * next->pose.position;
            f.pose.worldFromCamera = a.pose.worldFromCamera.slerp(share, next->pose.worldFromCamera);
            f.focalMm = (1 - share) * a.focalMm + share * next->focalMm;
            f.rate.reset();
        }
        f.frame = n;
        out.push_back(f);
    }
    return out;
}

SceneExport sceneFrom(const ForeignScene& given, const ForeignChoices& choices) {
    ForeignScene scene = given;
    if (choices.zUp) scene.zUp = *choices.zUp;
    if (choices.metresPerUnit) scene.metresPerUnit = choices.metresPerUnit;
    scene = inOurAxes(scene);
    const ForeignScene::Camera& camera = cameraOf(scene, choices.camera);
    SceneExport out;
    const auto size = [](const std::optional<int>& a, const std::optional<int>& b) { return a ? a : b; };
    const auto width = size(choices.width, scene.width), height = size(choices.height, scene.height);
    if (!width || !height)
        throw InputError(text("The file does not say how large the picture is. Give its size, as 1920x1080."));
    const auto rate = choices.rate ? choices.rate : scene.rate;
    if (!rate || !rate->positive())
        throw InputError(
            text("The file does not say how many frames a second it has. Give the rate, as 24 or 24000/1001."));
    out.width = *width, out.height = *height;
    out.rate = *rate;
    out.metric = scene.metresPerUnit.has_value();
    out.pixelAspect = choices.pixelAspect ? *choices.pixelAspect : scene.pixelAspect.value_or(1);
    // Numbers and rate of the file to those that are wanted.
    const double from = scene.rate.value_or(*rate).value();
    const double stretch = choices.byTime && from > 0 ? rate->value() / from : 1;
    const double first = camera.frames.front().frame;
    const double start = choices.firstFrame ? *choices.firstFrame : std::round(first);
    const auto number = [&](double frame) { return start + (frame - first) * stretch; };
    std::vector<ForeignScene::Frame> frames = camera.frames;
    for (auto& f : frames) {
        f.frame = number(f.frame);
        if (stretch != 1) f.rate.reset();  // by other frames: the neighbours tell it
    }
    frames = atWholeFrames(frames, scene.between);
    ForeignScene::Camera as = camera;
    if (choices.backWidthMm && as.backWidthMm > 0) {
        as.backHeightMm *= *choices.backWidthMm / as.backWidthMm;
        as.offsetMm *= *choices.backWidthMm / as.backWidthMm;
        as.backWidthMm = *choices.backWidthMm;
    }
    if (!(as.backWidthMm > 0))
        throw InputError(text("The camera \"%s\" has a focal length in mm, but no film back. Give its width in mm.",
                              camera.name.c_str()));
    // Its own picture's frame belongs to the size that the file says.
    if (scene.width && (*scene.width != out.width || *scene.height != out.height)) as.frameOf.reset();
    out.sensorWidthMm = as.backWidthMm;
    if (as.frameOf) out.sensorWidthMm = as.backWidthMm * out.width / (*as.frameOf)[0];
    if (as.lens) out.lens = *as.lens;
    out.readout = camera.readout * stretch;
    out.motion = "free";
    size_t next = 0;
    for (auto n = int(frames.front().frame); n <= int(frames.back().frame); ++n) {
        SceneExport::Frame& f = out.frames.emplace_back();
        f.frame = n;
        if (next >= frames.size() || int(frames[next].frame) != n) continue;
        const Intrinsics lens = plateIntrinsics(scene, as, frames[next], out.width, out.height, out.pixelAspect);
        f.solved = true;
        f.pose = frames[next].pose;
        f.rate = frames[next].rate;
        f.focalPx = lens.focalPx;
        out.principalPoint = lens.principalPoint;
        ++next;
    }
    out.plateFrames = {out.frames.front().frame, out.frames.back().frame};
    for (const auto& p : scene.points) out.points.push_back({p.id, "", p.position, 0});
    int id = 0;
    for (const auto& b : scene.bodies) {
        SceneExport::PlacedThing t;
        t.id = ++id;
        t.name = b.name;
        t.parentName = b.parent;
        // A mesh of ours without its file is the mesh that stands here.
        const bool fileGone = b.kind && std::holds_alternative<Mesh>(*b.kind) && shapeOf(*b.kind).faceCount() == 0;
        if (b.kind && !fileGone) t.kind = *b.kind;
        else if (b.vertices.empty()) t.kind = Anchor();
        else {
            t.kind = Mesh();
            auto shape = std::make_shared<Shape>();
            shape->vertices = b.vertices;
            for (const auto& f : b.triangles) shape->addFace({f[0], f[1], f[2]});
            t.ownShape = shape;
        }
        if (b.colour) t.colour = *b.colour;
        std::vector<SceneExport::PlacedThing::Sample> samples;
        for (const auto& at : b.samples)
            samples.push_back({int(std::lround(number(at.frame))), similarityOf(at.place), at.visible});
        if (samples.empty()) continue;
        const Similarity& place = samples.front().place;
        t.position = place.translation, t.rotation = place.rotation, t.scale = place.scale;
        t.visible = samples.front().visible;
        if (samples.size() > 1) t.samples = std::move(samples);
        out.things.push_back(std::move(t));
    }
    for (auto& t : out.things)
        if (std::none_of(out.things.begin(), out.things.end(), [&](const auto& o) { return o.name == t.parentName; }))
            t.parentName.clear();
    return out;
}

}  // namespace va
