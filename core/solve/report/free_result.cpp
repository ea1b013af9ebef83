// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/free_result.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "solve/incremental/extend_by_rotation.h"
#include "solve/incremental/frame_poses.h"
#include "solve/incremental/lens_certainty.h"
#include "solve/report/point_result.h"
#include "solve/similarity.h"

namespace va {
namespace {

/// How many units of an earlier solve one of the reconstruction's is, from the distances of common points.
double scaleOnto(const SolveResult& from, const Reconstruction& r, const CameraPose& here, const CameraPose& there) {
    const Observations& s = r.observations();
    std::map<int, const SolvedPoint*> points;
    for (const SolvedPoint& p : from.points) points[p.pathId] = &p;
    std::vector<double> scales;
    for (int p = 0; p < s.pathCount(); ++p) {
        const auto at = points.find(s.pathIds[size_t(p)]);
        if (at == points.end() || !r.points()[size_t(p)]) continue;
        const double now = (*r.points()[size_t(p)] - here.position).norm();
        if (now > 0) scales.push_back((at->second->position - there.position).norm() / now);
    }
    const double scale = median(std::move(scales));
    return scale > 0 ? scale : 1;
}

/// From the reconstruction's space to the result's world.
Similarity worldOf(const Reconstruction& r, const SolveResult* from) {
    const Observations& s = r.observations();
    std::vector<double> depths;
    std::optional<FrameIndex> anchor, common;
    for (const FrameIndex f : s.indices()) {
        if (!r.hasView(f)) continue;
        if (!anchor) anchor = f;
        const SolvedFrame* had = from ? from->at(s.number(f)) : nullptr;
        if (!common && had && had->solved && had->origin == PoseOrigin::solved) common = f;
        for (int i : s.byFrame[f])
            if (const auto& p = r.points()[size_t(s.all[size_t(i)].path)])
                depths.push_back(r.views()[f]->toCamera(*p).z());
    }
    if (common) anchor = common;
    double scale = 10.0 / std::max(1e-12, median(depths));
    // From the solve's vision world to ours: the anchor camera's axes, half a turn about x, ten units to the
    // middle of things.
    const CameraPose base = poseFromView(*r.views()[*anchor]);
    CameraPose there;  // of the anchor in the result
    if (from) {
        // The world that things were laid out in stays.
        there = base;
        scale = 1;
        if (common) {
            there = from->at(s.number(*anchor))->pose;
            scale = scaleOnto(*from, r, base, there);
        }
    }
    const Eigen::Quaterniond rotation = there.worldFromCamera * base.worldFromCamera.conjugate();
    return {scale, rotation, there.position - scale * (rotation * base.position)};
}

void takeFrame(const Reconstruction& r, FrameIndex f, const Similarity& world, SolvedFrame& out) {
    out.solved = true;
    out.pose = world.pose(poseFromView(*r.views()[f]));
    out.focalPx = r.lensOf(f).focalPx;
    if (const auto rate = r.measuredRates().find(f); rate != r.measuredRates().end())
        out.rate = rate->second.scaled(world.scale);
    double sum = 0;
    for (int i : r.observations().byFrame[f]) {
        const PathObservation& s = r.observations().all[size_t(i)];
        const auto e = s.use && !r.observations().heldBack[size_t(s.path)] ? r.residual(s) : std::nullopt;
        if (!e) continue;
        sum += e->squaredNorm();
        ++out.observations;
    }
    out.rmsPx = out.observations > 0 ? std::sqrt(sum / out.observations) : 0;
}

/// How flat the scene is: distances from the plane that is best in shares of how far away each point is, so that
/// points in the far distance weigh no more than others.
void takeRelief(SolveResult& result) {
    Eigen::Vector3d eye = Eigen::Vector3d::Zero();
    int frames = 0;
    for (const SolvedFrame& f : result.frames)
        if (f.solved) eye += f.pose.position, ++frames;
    std::vector<Eigen::Vector3d> points;
    std::vector<double> far;
    for (const SolvedPoint& p : result.points)
        if (const Eigen::Vector3d d = p.position - eye / std::max(1, frames); !p.heldBack && d.norm() > 0)
            points.push_back(d), far.push_back(d.norm());
    if (points.size() < 4 || frames == 0) return;
    const double usual = median(std::move(far));
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    for (const Eigen::Vector3d& d : points) {
        const Eigen::Vector4d row = Eigen::Vector4d(d.x(), d.y(), d.z(), usual) / d.norm();
        sum += row * row.transpose() / double(points.size());
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> plane(sum);
    const double normal = plane.eigenvectors().col(0).head<3>().norm();
    if (normal > 1e-9) result.relief = std::sqrt(std::max(0.0, plane.eigenvalues()(0))) / normal;
}

/// For the strip: how far around its points each frame's camera has moved since the first, in degrees.
void takeParallax(const Reconstruction& r, SolveResult& result) {
    const Observations& s = r.observations();
    std::optional<Eigen::Vector3d> first;
    for (const FrameIndex f : s.indices()) {
        double angle = 0;
        if (r.hasView(f)) {
            const Eigen::Vector3d here = r.views()[f]->centre();
            if (!first) first = here;
            std::vector<double> angles;
            for (int i : s.byFrame[f])
                if (const auto& p = r.points()[size_t(s.all[size_t(i)].path)]) {
                    const Eigen::Vector3d a = *p - *first, b = *p - here;
                    angles.push_back(std::atan2(a.cross(b).norm(), a.dot(b)));
                }
            angle = median(std::move(angles)) * 180 / M_PI;
        }
        result.parallaxByFrame.push_back(angle);
    }
}

}  // namespace

void takeFree(const Reconstruction& r, const SolveQuestion& question, const SolveResult* from, double disagreement,
              SolveResult& result) {
    const Observations& s = r.observations();
    result.motion = Motion::free;
    result.lens = r.lens();
    result.zooms = r.zooms();
    result.errorsTogether = disagreement * r.errorsTogether();
    result.rmsPx = r.rms();
    const Similarity world = worldOf(r, from);
    if (result.measured.scaled)
        // What was found for the reconstruction's own space.
        result.measured.fromSolve = result.measured.fromSolve.after(world.inverse());
    // What little a mover shows at its ends may be what its features grow from; withHeldFrames() takes the rest away.
    for (const FrameIndex f : s.indices())
        if (r.hasView(f) && (question.request.fewPaths || viewIsHeld(r, f)))
            takeFrame(r, f, world, result.frames[size_t(f)]);
    result.readout = r.readout();
    result.height = question.request.height;
    if (r.solvesReadout()) result.readoutSigma = result.errorsTogether * readoutSigma(r).value_or(1e9);
    for (int p = 0; p < s.pathCount(); ++p)
        if (s.heldBack[size_t(p)]) result.heldBack.push_back(s.pathIds[size_t(p)]);
    extendByRotation(r, result.frames);
    result.trouble = result.solvedCount() < s.frameCount() ? SolveTrouble::growthStopped : SolveTrouble::none;
    takePoints(r, world, result);
    takeRelief(result);
    takeParallax(r, result);
}

}  // namespace va
