// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/compare.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"

namespace va {
namespace {

using FramePair = std::pair<const SceneExport::Frame*, const SceneExport::Frame*>;

Similarity alignment(const std::vector<FramePair>& pairs, bool& pathsTell) {
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    Eigen::Vector3d a0 = Eigen::Vector3d::Zero(), b0 = a0;
    for (const auto& [a, b] : pairs) {
        const Eigen::Vector4d q = (a->pose.worldFromCamera * b->pose.worldFromCamera.conjugate()).normalized().coeffs();
        sum += q * q.transpose();
        a0 += a->pose.position / double(pairs.size()), b0 += b->pose.position / double(pairs.size());
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> eigen(sum);
    Similarity out;
    out.rotation = Eigen::Quaterniond(Eigen::Vector4d(eigen.eigenvectors().col(3))).normalized();
    double along = 0, size = 0, other = 0;
    for (const auto& [a, b] : pairs) {
        const Eigen::Vector3d y = out.rotation * (b->pose.position - b0), x = a->pose.position - a0;
        along += x.dot(y), size += y.squaredNorm(), other += x.squaredNorm();
    }
    // What is left of a standing camera's places is rounding.
    const double reachA = std::max(1.0, a0.norm()), reachB = std::max(1.0, b0.norm());
    pathsTell = along > 0 && size > 1e-18 * reachB * reachB && other > 1e-18 * reachA * reachA;
    out.scale = pathsTell ? along / size : 1;
    out.translation = a0 - out.scale * (out.rotation * b0);
    return out;
}

}  // namespace

CameraComparison compareCameras(const SceneExport& a, const SceneExport& b) {
    if (a.width != b.width || a.height != b.height)
        throw InputError(text("The cameras are for pictures of %d × %d and %d × %d px: bring them to one size first.",
                              a.width, a.height, b.width, b.height));
    std::map<int, const SceneExport::Frame*> theirs;
    for (const auto& f : b.frames)
        if (f.solved) theirs[f.frame] = &f;
    std::vector<FramePair> pairs;
    CameraComparison out;
    for (const auto& f : a.frames) {
        if (!f.solved) continue;
        const auto found = theirs.find(f.frame);
        if (found != theirs.end()) pairs.emplace_back(&f, found->second);
        else ++out.onlyA;
    }
    out.onlyB = int(theirs.size()) - int(pairs.size());
    if (pairs.empty())
        throw InputError(text("The two cameras have no frame in common. Check the number of their first frames."));
    out.aFromB = alignment(pairs, out.pathsTell);
    // Places to look at: A's points, or a grid in each frame's picture.
    std::vector<Eigen::Vector3d> places;
    const size_t step = std::max<size_t>(1, a.points.size() / 1000);
    for (size_t i = 0; out.pathsTell && i < a.points.size(); i += step) places.push_back(a.points[i].position);
    double extent = 0;
    for (const auto& [x, y] : pairs)
        extent = std::max(extent, (x->pose.position - pairs[0].first->pose.position).norm());
    const double depth = out.pathsTell && extent > 0 ? 3 * extent : 1;
    double sum = 0;
    int count = 0;
    for (const auto& [x, y] : pairs) {
        const Intrinsics lensA = a.intrinsics(*x), lensB = b.intrinsics(*y);
        CameraPose pose = out.aFromB.pose(y->pose);
        if (!out.pathsTell) pose.position = x->pose.position;
        std::vector<Eigen::Vector3d> here = places;
        if (here.empty())
            for (int i = 0; i < 81; ++i) {
                const auto ray = worldRay(x->pose, lensA, {i % 9 * (a.width - 1) / 8.0, i / 9 * (a.height - 1) / 8.0});
                if (ray) here.emplace_back(x->pose.position + depth * *ray);
            }
        CameraComparison::Frame f;
        f.frame = x->frame;
        double squares = 0;
        int seen = 0;
        for (const auto& p : here) {
            const auto u = project(x->pose, lensA, p);
            if (!u || u->x() < -0.5 || u->y() < -0.5 || u->x() > a.width - 0.5 || u->y() > a.height - 0.5) continue;
            const auto v = project(pose, lensB, p);
            const double d = v ? (*u - *v).norm() : 1e6;
            f.largestPx = std::max(f.largestPx, d), squares += d * d, ++seen;
        }
        f.rmsPx = seen > 0 ? std::sqrt(squares / seen) : 0;
        f.turnDeg = x->pose.worldFromCamera.angularDistance(pose.worldFromCamera) * 180 / M_PI;
        f.focalPercent = 100 * (lensB.focalPx / lensA.focalPx - 1);
        f.away = (x->pose.position - pose.position).norm();
        if (f.largestPx >= out.largestPx) out.largestPx = f.largestPx, out.worstFrame = f.frame;
        sum += squares, count += seen;
        out.frames.push_back(f);
    }
    out.rmsPx = count > 0 ? std::sqrt(sum / count) : 0;
    out.sentence = text("%zu frames in common: %.4f px RMS, at most %.4f px, in frame %d.", pairs.size(), out.rmsPx,
                        out.largestPx, out.worstFrame);
    if (out.onlyA + out.onlyB > 0)
        out.sentence += text(" Frames only in the first: %d, only in the second: %d.", out.onlyA, out.onlyB);
    if (!out.pathsTell) out.sentence += text(" The camera stands still: rotation and focal length are compared.");
    return out;
}

CameraComparison compareScenes(const ForeignScene& first, const ForeignScene& second, const ForeignChoices& choices) {
    ForeignScene a = first, b = second;
    std::string said;
    if (!a.rate) a.rate = b.rate ? b.rate : Rational{25, 1};
    if (!b.rate) b.rate = a.rate;
    if (!(*a.rate == *b.rate))
        said += text(" The first has %s fps, the second %s: frames are compared by their numbers.",
                     a.rate->label().c_str(), b.rate->label().c_str());
    ForeignChoices as = choices;
    if (!as.width) as.width = a.width ? a.width : b.width, as.height = a.height ? a.height : b.height;
    if (!as.pixelAspect) as.pixelAspect = a.pixelAspect ? a.pixelAspect : b.pixelAspect;
    SceneExport x = sceneFrom(a, as), y = sceneFrom(b, as);
    if (cameraOf(a, as.camera).lens.has_value() != cameraOf(b, as.camera).lens.has_value()) {
        x.lens = y.lens = LensModel();
        said += text(" One of them does not say its distortion: both are compared without it.");
    }
    CameraComparison out = compareCameras(x, y);
    out.sentence += said;
    return out;
}

std::string comparisonTable(const CameraComparison& c) {
    std::string out = "frame,largest_px,rms_px,turn_deg,focal_percent,away\n";
    for (const auto& f : c.frames)
        out += std::to_string(f.frame) + "," + exactText(f.largestPx) + "," + exactText(f.rmsPx) + "," +
               exactText(f.turnDeg) + "," + exactText(f.focalPercent) + "," + exactText(f.away) + "\n";
    return out;
}

}  // namespace va
