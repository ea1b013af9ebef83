// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/path_edits.h"

#include <Eigen/Eigenvalues>
#include <cmath>
#include <map>

namespace va {
namespace {

/// As it was solved.
void takeBack(SolvedFrame& f) {
    if (f.origin == PoseOrigin::solved) return;
    f.solved = f.before.has_value();
    if (f.before) f.pose = *f.before;
    f.before.reset();
    f.origin = PoseOrigin::solved;
}

void mark(SolvedFrame& f, PoseOrigin origin, const CameraPose& pose) {
    if (f.origin == PoseOrigin::solved && f.solved) f.before = f.pose;
    f.pose = pose;
    f.solved = true;
    f.origin = origin;
}

Eigen::Vector3d cubic(const Eigen::Vector3d& p0, const Eigen::Vector3d& p1, const Eigen::Vector3d& m0,
                      const Eigen::Vector3d& m1, double t) {
    const double t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * p0 + (t3 - 2 * t2 + t) * m0 + (-2 * t3 + 3 * t2) * p1 + (t3 - t2) * m1;
}

/// Puts the frames of the range that `wanted` names between their neighbours. Those must be solved.
void putBetween(std::vector<SolvedFrame>& frames, FrameRange range, bool alsoSolved) {
    const auto open = [&](const SolvedFrame& f) { return range.contains(f.frame) && (alsoSolved || !f.solved); };
    const auto stands = [&](size_t i) { return frames[i].solved && !open(frames[i]); };
    struct Put {
        size_t at;
        CameraPose pose;
        double focalPx;
    };
    std::vector<Put> puts;
    for (size_t i = 0; i < frames.size(); ++i) {
        if (!open(frames[i])) continue;
        std::vector<size_t> left, right;
        for (size_t k = i; k-- > 0 && left.size() < 2;)
            if (stands(k)) left.push_back(k);
        for (size_t k = i + 1; k < frames.size() && right.size() < 2; ++k)
            if (stands(k)) right.push_back(k);
        if (left.empty() || right.empty()) continue;
        const SolvedFrame &a = frames[left[0]], &b = frames[right[0]];
        const double span = b.frame - a.frame, t = (frames[i].frame - a.frame) / span;
        const Eigen::Vector3d whole = b.pose.position - a.pose.position;
        // Slopes at the ends, over the gap's length.
        const auto slope = [&](const SolvedFrame& from, const SolvedFrame& to) -> Eigen::Vector3d {
            return (to.pose.position - from.pose.position) * (span / (to.frame - from.frame));
        };
        const Eigen::Vector3d m0 = left.size() > 1 ? slope(frames[left[1]], b) : whole,
                              m1 = right.size() > 1 ? slope(a, frames[right[1]]) : whole;
        puts.push_back({i,
                        {cubic(a.pose.position, b.pose.position, m0, m1, t),
                         a.pose.worldFromCamera.slerp(t, b.pose.worldFromCamera)},
                        a.focalPx * std::pow(b.focalPx / a.focalPx, t)});
    }
    for (const Put& p : puts) {
        mark(frames[p.at], PoseOrigin::filled, p.pose);
        if (!frames[p.at].before) frames[p.at].focalPx = p.focalPx;
    }
}

void smooth(std::vector<SolvedFrame>& frames, const PathEdit& edit) {
    if (!(edit.width > 0)) return;
    const std::vector<SolvedFrame> had = frames;
    for (SolvedFrame& f : frames) {
        if (!f.solved || !edit.frames.contains(f.frame)) continue;
        Eigen::Vector3d place = Eigen::Vector3d::Zero();
        Eigen::Matrix4d turns = Eigen::Matrix4d::Zero();
        double sum = 0;
        // The window is even about the frame, so that the ends do not lean inward.
        double reach = 3 * edit.width;
        for (const double end : {double(f.frame - had.front().frame), double(had.back().frame - f.frame)})
            reach = std::min(reach, end + 0.5);
        for (const SolvedFrame& g : had) {
            const double off = g.frame - f.frame;
            if (!g.solved || std::fabs(off) > reach) continue;
            const double w = std::exp(-0.5 * off * off / (edit.width * edit.width));
            place += w * g.pose.position;
            turns += w * g.pose.worldFromCamera.coeffs() * g.pose.worldFromCamera.coeffs().transpose();
            sum += w;
        }
        Eigen::Quaterniond turn(Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d>(turns).eigenvectors().col(3).eval());
        const double end = std::min(f.frame - edit.frames.first, edit.frames.last - f.frame) + 1;
        const double part = std::min(1.0, end / (1 + edit.width));
        mark(f, PoseOrigin::smoothed,
             {f.pose.position + part * (place / sum - f.pose.position), f.pose.worldFromCamera.slerp(part, turn)});
    }
}

}  // namespace

SolveResult withPathEdits(const SolveResult& solve, const std::vector<PathEdit>& edits) {
    SolveResult out = solve;
    for (SolvedFrame& f : out.frames) takeBack(f);
    for (const PathEdit& e : edits) {
        switch (e.kind) {
            case PathEdit::Kind::leaveOut: putBetween(out.frames, e.frames, true); break;
            case PathEdit::Kind::fill: putBetween(out.frames, e.frames, false); break;
            case PathEdit::Kind::smooth: smooth(out.frames, e); break;
        }
    }
    return out;
}

PathEditCost costOfPathEdits(const SolveResult& edited, const std::vector<Path>& paths, FrameRange frames) {
    PathEditCost out;
    SolveResult before = edited;
    for (SolvedFrame& f : before.frames) takeBack(f);
    std::map<int, const Path*> byId;
    for (const Path& p : paths) byId[p.id] = &p;
    double moves = 0, fitBefore = 0, fitAfter = 0;
    int moved = 0, countBefore = 0, countAfter = 0;
    for (const SolvedFrame& f : edited.frames) {
        if (f.origin == PoseOrigin::solved || !frames.contains(f.frame)) continue;
        ++out.frames;
        for (const SolvedPoint& p : edited.points) {
            const auto path = byId.find(p.pathId);
            const PathPoint* q = path == byId.end() ? nullptr : path->second->at(f.frame);
            const auto now = edited.seen(f.frame, p.position), then = before.seen(f.frame, p.position);
            if (now && then && q) moves += (*now - *then).squaredNorm(), ++moved;
            if (!q || !q->counts()) continue;
            const Eigen::Vector2d at(q->x, q->y);
            if (then) fitBefore += (*then - at).squaredNorm(), ++countBefore;
            if (now) fitAfter += (*now - at).squaredNorm(), ++countAfter;
        }
        if (!edited.points.empty() || !f.before) continue;
        // Without points: directions over the picture.
        const Intrinsics inner = edited.intrinsics(f.frame);
        for (int k = 0; k < 9; ++k) {
            const Eigen::Vector2d at = inner.principalPoint.cwiseProduct(Eigen::Vector2d(0.5 + 0.5 * (k % 3), 0.5 + 0.5 * (k / 3)));
            const auto ray = worldRay(*f.before, inner, at);
            const auto now = ray ? project(f.pose, inner, f.pose.position + *ray) : std::nullopt;
            if (now) moves += (*now - at).squaredNorm(), ++moved;
        }
    }
    out.movesPx = moved > 0 ? std::sqrt(moves / moved) : 0;
    if (countBefore > 0) out.fitBeforePx = std::sqrt(fitBefore / countBefore);
    if (countAfter > 0) out.fitAfterPx = std::sqrt(fitAfter / countAfter);
    return out;
}

}  // namespace va
