// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/path_edits.h"

#include <Eigen/Cholesky>
#include <cmath>

#include "solve/report/solve_errors.h"

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
        // Jacobian at the ends, over the gap's length: of the parabola through the end, what lies beyond, and the other
        // end.
        const auto slope = [&](const SolvedFrame& beyond, const SolvedFrame& end, double sign) -> Eigen::Vector3d {
            const double h = sign * (end.frame - beyond.frame);
            const Eigen::Vector3d outside = sign * (end.pose.position - beyond.pose.position) * (span / h);
            return (outside * span + whole * h) / (span + h);
        };
        const Eigen::Vector3d m0 = left.size() > 1 ? slope(frames[left[1]], a, 1) : whole,
                              m1 = right.size() > 1 ? slope(frames[right[1]], b, -1) : whole;
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
        // A parabola through the neighbours: what it keeps at this frame is its constant.
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Matrix<double, 3, 6> right = Eigen::Matrix<double, 3, 6>::Zero();
        int count = 0;
        for (const SolvedFrame& g : had) {
            const double off = g.frame - f.frame;
            if (!g.solved || std::fabs(off) > 3 * edit.width) continue;
            const double w = std::exp(-0.5 * off * off / (edit.width * edit.width)), t = off / edit.width;
            const Eigen::Vector3d row(1, t, t * t);
            const Eigen::AngleAxisd turned(f.pose.worldFromCamera.conjugate() * g.pose.worldFromCamera);
            Eigen::Matrix<double, 1, 6> value;
            value << (g.pose.position - f.pose.position).transpose(), (turned.angle() * turned.axis()).transpose();
            normal += w * row * row.transpose();
            right += w * row * value;
            ++count;
        }
        if (count < 5) continue;
        const Eigen::Matrix<double, 1, 6> kept = normal.ldlt().solve(right).row(0);
        const Eigen::Vector3d place = f.pose.position + kept.head<3>().transpose(), by = kept.tail<3>().transpose();
        const Eigen::Quaterniond rotation =
            f.pose.worldFromCamera *
            Eigen::Quaterniond(Eigen::AngleAxisd(
                by.norm(), by.norm() > 0 ? Eigen::Vector3d(by.normalized()) : Eigen::Vector3d::UnitX()));
        const double end = std::min(f.frame - edit.frames.first, edit.frames.last - f.frame) + 1;
        const double part = std::min(1.0, end / (1 + edit.width));
        mark(f, PoseOrigin::smoothed,
             {f.pose.position + part * (place - f.pose.position), f.pose.worldFromCamera.slerp(part, rotation)});
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
    const auto fitOf = [&](const SolveResult& solve) {
        double sum = 0;
        int n = 0;
        for (const SolveError& e : solveErrors(solve, paths)) {
            const SolvedFrame* f = edited.at(e.frame);
            if (!e.used || e.heldBack || !frames.contains(e.frame) || !f || f->origin == PoseOrigin::solved) continue;
            sum += e.off.squaredNorm();
            ++n;
        }
        return n > 0 ? std::sqrt(sum / n) : -1;
    };
    double moves = 0;
    int moved = 0;
    for (const SolvedFrame& f : edited.frames) {
        if (f.origin == PoseOrigin::solved || !frames.contains(f.frame)) continue;
        ++out.frames;
        for (const SolvedPoint& p : edited.points) {
            const auto now = edited.seen(f.frame, p.position), then = before.seen(f.frame, p.position);
            if (now && then && p.stretch.contains(f.frame)) moves += (*now - *then).squaredNorm(), ++moved;
        }
        if (!edited.points.empty() || !f.before) continue;
        // Without points: directions over the picture.
        const Intrinsics inner = edited.intrinsics(f.frame);
        for (int k = 0; k < 9; ++k) {
            const Eigen::Vector2d at =
                inner.principalPoint.cwiseProduct(Eigen::Vector2d(0.5 + 0.5 * (k % 3), 0.5 + 0.5 * (k / 3)));
            const auto ray = worldRay(*f.before, inner, at);
            const auto now = ray ? project(f.pose, inner, f.pose.position + *ray) : std::nullopt;
            if (now) moves += (*now - at).squaredNorm(), ++moved;
        }
    }
    out.movesPx = moved > 0 ? std::sqrt(moves / moved) : 0;
    if (out.frames == 0) return out;
    out.fitBeforePx = fitOf(before);
    out.fitAfterPx = fitOf(edited);
    return out;
}

}  // namespace va
