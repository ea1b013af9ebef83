// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/reacquire.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/parallel.h"
#include "base/text.h"
#include "track/calibrate.h"
#include "track/feature_tracker.h"
#include "track/frame_reader.h"
#include "track/track.h"

namespace va {
namespace {

constexpr int shortestRun = 3;

struct Candidate {
    size_t path = 0;
    std::optional<ReferencePatch> reference;
    Eigen::Vector2d offset = Eigen::Vector2d::Zero();  ///< of the spot from the patch's middle
    std::vector<PathPoint> found;
};

std::optional<PathPoint> lookFor(const Candidate& c, const Path& path, int frame, const Pyramid& picture,
                                 const ReacquireRequest& r) {
    const auto expected = r.expected(path, frame);
    if (!expected) return std::nullopt;
    Placement start = *expected;
    start.at -= start.shape * c.offset;
    ReferencePatch::Options shiftOnly;
    shiftOnly.model = MotionModel::translation;
    shiftOnly.iterations = 5;
    const auto near = c.reference->registerIn(picture, start, shiftOnly);
    if (!near || near->correlation < 0.7) return std::nullopt;
    ReferencePatch::Options full;
    full.model = path.model;
    const auto found = c.reference->registerIn(picture, near->placement, full);
    if (!found || found->correlation < r.lowestQuality) return std::nullopt;
    const Eigen::Vector2d at = found->placement.at + found->placement.shape * c.offset;
    const double size = found->placement.shape.determinant() / expected->shape.determinant();
    if ((at - expected->at).norm() > r.reach || !(size > 0.5 && size < 2)) return std::nullopt;
    if (r.allowed && !r.allowed(frame, at.x(), at.y())) return std::nullopt;
    PathPoint p;
    p.frame = frame;
    p.x = at.x();
    p.y = at.y();
    p.quality = float(std::min(1.0, found->correlation));
    p.origin = PointOrigin::foundAgain;
    const double noise = found->covariance.trace();
    takeCovariance(p, found->covariance, noise > 0 ? found->scatter.trace() / noise : 1, 0);
    const PathPoint* own = nullptr;
    for (const PathPoint& q : path.points)
        if (q.origin == PointOrigin::tracked && q.sxx + q.syy > 0 &&
            (!own || std::abs(q.frame - frame) < std::abs(own->frame - frame)))
            own = &q;
    if (own) takeNoBetterThan(p, *own);
    return p;
}

/// Keeps points that stand in runs, with the path's own points counting as neighbours.
void keepRuns(std::vector<PathPoint>& found, const Path& path, const std::map<int, int>& order) {
    std::map<int, bool> seen;  // by position in the frame list; true = won now
    for (const PathPoint& p : path.points)
        if (const auto o = order.find(p.frame); o != order.end()) seen[o->second] = false;
    for (const PathPoint& p : found) seen[order.at(p.frame)] = true;
    std::erase_if(found, [&](const PathPoint& p) {
        int length = 1;
        for (int i = order.at(p.frame) - 1; seen.contains(i); --i) ++length;
        for (int i = order.at(p.frame) + 1; seen.contains(i); ++i) ++length;
        return length < shortestRun;
    });
}

}  // namespace

ReacquireResult reacquire(ReacquireRequest request, Progress& progress) {
    ReacquireResult result;
    result.paths = std::move(request.paths);
    std::vector<Path>& paths = result.paths;
    std::map<int, std::vector<size_t>> byReference;
    std::map<int, int> order;
    for (size_t i = 0; i < request.frames.size(); ++i) order[request.frames[i]] = int(i);
    for (size_t k = 0; k < paths.size(); ++k)
        if (!paths[k].setAside && paths[k].at(paths[k].referenceFrame) && order.contains(paths[k].referenceFrame))
            byReference[paths[k].referenceFrame].push_back(k);
    std::vector<Candidate> candidates;
    std::vector<int> referenceFrames;
    for (const auto& [frame, which] : byReference) referenceFrames.push_back(frame);
    if (referenceFrames.empty()) return result;
    {
        FrameReader reader(referenceFrames, request.read, {}, 1);
        for (const int frame : referenceFrames) {
            progress.check();
            const Pyramid picture = reader.next();
            const size_t first = candidates.size();
            for (const size_t k : byReference[frame]) candidates.emplace_back().path = k;
            parallelRanges(int(candidates.size() - first), 8, [&](int begin, int end) {
                for (int i = begin; i < end; ++i) {
                    Candidate& c = candidates[first + size_t(i)];
                    const Path& path = paths[c.path];
                    const PathPoint* at = path.at(frame);
                    const int radius = path.radius > 0 ? path.radius : defaultPatchRadius(picture.level(0).width);
                    c.reference.emplace(picture.level(0), int(std::lround(at->x)), int(std::lround(at->y)), radius);
                    c.offset = Eigen::Vector2d(at->x, at->y) - c.reference->middle();
                }
            });
        }
    }
    std::erase_if(candidates, [](const Candidate& c) { return !c.reference->usable(); });
    FrameReader reader(request.frames, request.read, {}, 2);
    for (const int frame : request.frames) {
        progress.check();
        const Pyramid picture = reader.next();
        parallelRanges(int(candidates.size()), 16, [&](int begin, int end) {
            for (int i = begin; i < end; ++i) {
                Candidate& c = candidates[size_t(i)];
                if (paths[c.path].at(frame)) continue;
                if (const auto p = lookFor(c, paths[c.path], frame, picture, request)) c.found.push_back(*p);
            }
        });
        progress.advance();
    }
    // Longest paths first: they take in the pieces.
    std::stable_sort(candidates.begin(), candidates.end(), [&](const Candidate& a, const Candidate& b) {
        return paths[a.path].points.size() > paths[b.path].points.size();
    });
    std::map<int, std::vector<size_t>> inFrame;
    for (size_t k = 0; k < paths.size(); ++k)
        for (const PathPoint& p : paths[k].points) inFrame[p.frame].push_back(k);
    for (Candidate& c : candidates) {
        Path& path = paths[c.path];
        if (path.setAside) continue;
        keepRuns(c.found, path, order);
        std::map<size_t, int> together;
        for (const PathPoint& p : c.found)
            for (const size_t other : inFrame[p.frame]) {
                const PathPoint* q = other != c.path && !paths[other].setAside ? paths[other].at(p.frame) : nullptr;
                if (q && std::hypot(q->x - p.x, q->y - p.y) < 1) ++together[other];
            }
        for (const auto& [other, count] : together) {
            Path& piece = paths[other];
            if (count < shortestRun || piece.origin == PathOrigin::byHand ||
                count * 2 < int(std::count_if(piece.points.begin(), piece.points.end(),
                                              [&](const PathPoint& q) { return order.contains(q.frame); })))
                continue;
            piece.setAside = true;
            piece.setAsideReason = text("joined into path %d", path.id);
            ++result.joined;
        }
        for (const PathPoint& p : c.found) path.put(p);
        result.foundAgain += int(c.found.size());
    }
    return result;
}

}  // namespace va
