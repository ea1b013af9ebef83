// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/export_body.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/text.h"

namespace va {

const SceneExport::PlacedThing::Sample& ExportBody::at(int frame) const {
    for (const auto& s : samples)
        if (s.frame >= frame) return s;
    return samples.back();
}

std::vector<ExportBody> bodiesOf(const SceneExport& s) {
    std::vector<ExportBody> out;
    std::set<std::string> taken;
    const auto named = [&](const std::string& name) {
        std::string unique = name.empty() ? "thing" : name;
        for (int n = 2; !taken.insert(unique).second; ++n) unique = name + " " + std::to_string(n);
        return unique;
    };
    const int first = s.frames.empty() ? 0 : s.frames.front().frame;
    for (const SceneExport::PlacedThing& t : s.things) {
        ExportBody b;
        b.name = named(t.name);
        b.shape = t.ownShape || hasSurface(t.kind) ? t.shape() : Shape();
        if (b.shape.faceCount() == 0) b.shape = Shape();  // its file is not there: its place is all that is left
        b.colour = t.colour;
        b.samples = t.samples;
        if (b.samples.empty()) b.samples.push_back({first, {t.scale, t.rotation, t.position}, t.visible});
        out.push_back(std::move(b));
    }
    for (const SceneExport::FlatPiece& p : s.planes) {
        ExportBody b;
        b.name = named(p.name);
        b.shape.vertices.assign(p.corners.begin(), p.corners.end());
        b.shape.addFace({0, 1, 2, 3});
        b.colour = {0.6, 0.6, 0.6, 1};
        b.samples.push_back({first, Similarity(), true});
        out.push_back(std::move(b));
    }
    for (const SceneExport::Mover& m : s.movers) {
        ExportBody b;
        b.name = named(m.name);
        b.mover = true;
        for (const auto& p : m.points) b.shape.vertices.push_back(p.position);
        for (const auto& [frame, pose] : m.poses)
            b.samples.push_back({frame, {1, pose.worldFromCamera, pose.position}, true});
        if (!b.samples.empty()) out.push_back(std::move(b));
    }
    return out;
}

Eigen::Vector4d colourOf(const ExportBody& body, size_t material) {
    return material < body.shape.materials.size() ? body.shape.materials[material].colour.value_or(body.colour)
                                                  : body.colour;
}

std::vector<std::array<int, 3>> trianglesOf(const Shape& shape, size_t material) {
    std::vector<std::array<int, 3>> out;
    int at = 0;
    for (size_t f = 0; f < shape.faceCount(); ++f) {
        const int n = shape.counts[f];
        if ((shape.material.empty() ? 0 : size_t(shape.material[f])) == material)
            for (int i = 2; i < n; ++i) out.push_back({at, at + i - 1, at + i});
        at += n;
    }
    return out;
}

ForeignScene foreignFrom(const SceneExport& s) {
    ForeignScene out;
    out.format = "json";
    out.width = s.width, out.height = s.height, out.pixelAspect = s.pixelAspect, out.rate = s.rate;
    out.zUp = s.zUp, out.axisSaid = true, out.framesSaid = true;
    if (s.metric) out.metresPerUnit = s.metresPerUnit;
    if (!s.frames.empty()) out.first = s.frames.front().frame, out.last = s.frames.back().frame;
    ForeignScene::Camera camera;
    camera.name = "Camera";
    camera.backWidthMm = s.sensorWidthMm, camera.backHeightMm = backHeightMm(s);
    camera.offsetMm = {-(s.principalPoint.x() - (s.width - 1) / 2.0) * s.sensorWidthMm / s.width,
                       (s.principalPoint.y() - (s.height - 1) / 2.0) * camera.backHeightMm / s.height};
    camera.lens = s.lens;
    for (const auto& f : s.frames)
        if (f.solved) camera.frames.push_back({double(f.frame), f.pose, s.focalMm(f), f.rate});
    camera.readout = s.readout;
    if (!camera.frames.empty()) out.cameras.push_back(std::move(camera));
    for (const auto& p : s.points) out.points.push_back({p.id, p.position});
    const std::vector<ExportBody> bodies = bodiesOf(s);
    for (size_t i = 0; i < bodies.size(); ++i) {
        const ExportBody& b = bodies[i];
        ForeignScene::Body body;
        body.name = b.name;
        if (i < s.things.size()) body.kind = s.things[i].kind, body.parent = s.things[i].parentName;
        body.colour = b.colour;
        body.vertices = b.shape.vertices;
        body.triangles = b.shape.triangles();
        for (const auto& at : b.samples) body.samples.push_back({double(at.frame), matrixOf(at.place), at.visible});
        out.bodies.push_back(std::move(body));
    }
    return out;
}

double backHeightMm(const SceneExport& s) { return s.sensorWidthMm * s.height / (s.width * s.pixelAspect); }

CentredFrame centredFrame(const SceneExport& s) {
    const Eigen::Vector2d middle((s.width - 1) / 2.0, (s.height - 1) / 2.0), off = s.principalPoint - middle;
    CentredFrame out;
    const bool there = off.cwiseAbs().maxCoeff() <= 1e-3;
    // What is missing on one side is added there.
    const double dx = there ? 0 : 2 * off.x(), dy = there ? 0 : 2 * off.y();
    out.width = s.width + std::fabs(dx), out.height = s.height + std::fabs(dy);
    out.left = std::max(0.0, -dx), out.top = std::max(0.0, -dy);
    out.backWidthMm = s.sensorWidthMm * out.width / s.width;
    out.backHeightMm = va::backHeightMm(s) * out.height / s.height;
    return out;
}

std::string wordsOf(const CentredFrame& frame, const SceneExport& s) {
    if (frame.width == s.width && frame.height == s.height) return {};
    return text("an offset of the film back (its picture is %.2f × %.2f px, with the plate at %.2f, %.2f in it)",
                frame.width, frame.height, frame.left, frame.top);
}

bool anyHangs(const SceneExport& s) {
    return std::any_of(s.things.begin(), s.things.end(), [](const auto& t) { return !t.parentName.empty(); });
}

}  // namespace va
