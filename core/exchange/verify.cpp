// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/verify.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

/// Of a thing's position and fields relative to their size, and of its rotation in radians: double precision written
/// with fifteen digits.
constexpr double thingTolerance = 1e-9;

/// Marks and props in the order of files that keep them apart.
std::vector<SceneExport::PlacedThing> inOrder(std::vector<SceneExport::PlacedThing> things) {
    std::stable_sort(things.begin(), things.end(), [](const Thing& a, const Thing& b) {
        return std::pair(hasSurface(a.kind), a.name) < std::pair(hasSurface(b.kind), b.name);
    });
    return things;
}

/// It goes the same way, within the tolerance of sameWithin().
bool sameWay(const SceneExport::PlacedThing& a, const SceneExport::PlacedThing& b) {
    if (a.samples.size() != b.samples.size() || a.parentName != b.parentName) return false;
    for (size_t i = 0; i < a.samples.size(); ++i) {
        const auto &x = a.samples[i], &y = b.samples[i];
        const double size = std::max(1.0, x.place.translation.norm());
        if (x.frame != y.frame || x.visible != y.visible ||
            !((x.place.translation - y.place.translation).norm() <= thingTolerance * size) ||
            !(x.place.rotation.angularDistance(y.place.rotation) <= thingTolerance) ||
            !(std::fabs(x.place.scale - y.place.scale) <= thingTolerance * std::max(1.0, x.place.scale)))
            return false;
    }
    return true;
}

/// What is wrong besides pixels; empty when all is equal.
std::string difference(const SceneExport& a, const SceneExport& b) {
    if (a.width != b.width || a.height != b.height) return text("the picture size differs");
    if (std::fabs(a.pixelAspect - b.pixelAspect) > 1e-9) return text("the pixel aspect differs");
    if (!(a.rate == b.rate)) return text("the frame rate differs");
    if (std::fabs(a.readout - b.readout) > 1e-8) return text("the time that its rows take differs");
    if (a.frames.size() != b.frames.size()) return text("the number of frames differs");
    for (size_t i = 0; i < a.frames.size(); ++i)
        if (a.frames[i].frame != b.frames[i].frame || a.frames[i].solved != b.frames[i].solved)
            return text("the frame numbers differ");
    if (a.points.size() != b.points.size()) return text("the number of points differs");
    for (size_t i = 0; i < a.points.size(); ++i)
        if (a.points[i].id != b.points[i].id) return text("the points are not the same");
    if (a.movers.size() != b.movers.size()) return text("the number of movers differs");
    for (size_t i = 0; i < a.movers.size(); ++i) {
        const auto &x = a.movers[i], &y = b.movers[i];
        if (x.poses.size() != y.poses.size() || x.points.size() != y.points.size()) return text("a mover is not whole");
        for (size_t k = 0; k < x.poses.size(); ++k) {
            const double size = std::max(1.0, x.poses[k].second.position.norm());
            if (x.poses[k].first != y.poses[k].first ||
                (x.poses[k].second.position - y.poses[k].second.position).norm() > 1e-6 * size ||
                x.poses[k].second.worldFromCamera.angularDistance(y.poses[k].second.worldFromCamera) > 1e-6)
                return text("a mover stands elsewhere");
        }
    }
    const auto &p = a.layered, &q = b.layered;
    if (p.width != q.width || p.height != q.height || p.left != q.left || p.top != q.top ||
        p.frames.size() != q.frames.size())
        return text("the camera with layers is not whole");
    for (size_t i = 0; i < p.frames.size(); ++i)
        if (p.frames[i].frame != q.frames[i].frame ||
            (p.frames[i].pose.position - q.frames[i].pose.position).norm() >
                1e-6 * std::max(1.0, p.frames[i].pose.position.norm()) ||
            p.frames[i].pose.worldFromCamera.angularDistance(q.frames[i].pose.worldFromCamera) > 1e-6 ||
            std::fabs(p.frames[i].focalPx / q.frames[i].focalPx - 1) > 1e-6)
            return text("the camera with layers stands elsewhere");
    const auto things = inOrder(a.things), others = inOrder(b.things);
    if (things.size() != others.size()) return text("the number of things differs");
    for (size_t i = 0; i < things.size(); ++i)
        if (!sameWithin(things[i], others[i], thingTolerance) || !sameWay(things[i], others[i]))
            return text("\"%s\" is not the same", things[i].name.c_str());
    return {};
}

}  // namespace

ExportCheck exportAndVerify(const SceneExport& scene, const ExportFormat& format, const std::filesystem::path& file) {
    writeFileAtomically(file, format.write(scene));
    ExportCheck check;
    check.file = file;
    check.format = &format;
    const std::string name = file.filename().string();
    SceneExport written;
    try {
        written = format.read(readFile(file), file.string(), scene);
    } catch (const Error& e) {
        check.sentence = text("%s could not be read back: %s", name.c_str(), e.what());
        return check;
    }
    const std::string wrong = difference(scene, written);
    if (!wrong.empty()) {
        check.sentence =
            text("%s was written, but read back %s. Do not use it; report this.", name.c_str(), wrong.c_str());
        return check;
    }
    // A turning camera has no points; its frame corners on a far sphere stand in for them.
    const auto pointsOf = [](const SceneExport& s) {
        std::vector<Eigen::Vector3d> out;
        for (const auto& p : s.points) out.push_back(p.position);
        if (out.empty())
            for (double az = -3; az <= 3; az += 0.25)
                for (double el = -1; el <= 1; el += 0.25)
                    out.push_back(1000 * Eigen::Vector3d(std::sin(az) * std::cos(el), std::sin(el),
                                                         -std::cos(az) * std::cos(el)));
        return out;
    };
    const auto ours = pointsOf(scene), theirs = pointsOf(written);
    const CameraTrack ourCameras = scene.cameraTrack(), theirCameras = written.cameraTrack();
    for (const SceneExport::Frame& f : scene.frames) {
        const auto a = ourCameras.cameraAt(f.frame), b = theirCameras.cameraAt(f.frame);
        for (size_t i = 0; a && b && i < ours.size(); ++i) {
            const auto p = a->project(ours[i]);
            if (!p || p->x() < -0.5 || p->y() < -0.5 || p->x() > scene.width - 0.5 || p->y() > scene.height - 0.5)
                continue;
            const auto q = b->project(theirs[i]);
            check.largestPx = std::max(check.largestPx, q ? (*p - *q).norm() : 1e9);
            ++check.compared;
        }
    }
    if (check.compared == 0) {
        check.sentence = text(
            "%s was written, but no point is seen by any camera: nothing could be compared. Solve the shot again, then "
            "export.",
            name.c_str());
        return check;
    }
    check.passed = check.largestPx <= exportTolerancePx;
    check.sentence =
        text(check.passed ? "%s read back: %d × %d, %s fps, %d–%d, largest difference %.5f px over %d observations."
                          : "%s was written, but read back (%d × %d, %s fps, %d–%d) it is %.5f px off over %d "
                            "observations. Do not use it; report this.",
             name.c_str(), scene.width, scene.height, scene.rate.label().c_str(), scene.frames.front().frame,
             scene.frames.back().frame, check.largestPx, check.compared);
    if (const std::string lacks = check.passed ? format.lacks(scene) : std::string(); !lacks.empty())
        check.sentence += text(" Not in the file: %s.", lacks.c_str());
    return check;
}

}  // namespace va
