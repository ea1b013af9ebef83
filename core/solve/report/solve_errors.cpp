// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/solve_errors.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "solve/incremental/observations.h"

namespace va {

std::vector<SolveError> solveErrors(const SolveResult& solve, const std::vector<Path>& paths) {
    std::vector<SolveError> out;
    std::map<int, const Path*> byId;
    for (const Path& p : paths) byId[p.id] = &p;
    std::map<int, const SolveOutlier*> outliers;
    for (const SolveOutlier& o : solve.outliers) outliers[o.pathId] = &o;
    for (const SolvedPoint& point : solve.points) {
        const auto path = byId.find(point.pathId);
        if (path == byId.end()) continue;
        const auto outlier = outliers.find(point.pathId);
        for (const PathPoint& q : path->second->points) {
            if (!q.counts() || !point.stretch.contains(q.frame)) continue;
            const auto seen = solve.seen(q.frame, point.position);
            if (!seen) continue;
            SolveError e;
            e.pathId = point.pathId;
            e.frame = q.frame;
            e.pixel = {q.x, q.y};
            e.off = *seen - e.pixel;
            e.heldBack = point.heldBack;
            e.used = outlier == outliers.end() ||
                     !std::binary_search(outlier->second->frames.begin(), outlier->second->frames.end(), q.frame);
            out.push_back(e);
        }
    }
    return out;
}

ErrorMap errorMap(const std::vector<SolveError>& errors, int width, int height, int columns, int rows) {
    ErrorMap out;
    out.columns = std::max(1, columns);
    out.rows = std::max(1, rows);
    out.cells.resize(size_t(out.columns * out.rows));
    // Sum and number of a path's errors in a cell.
    std::map<std::pair<int, int>, std::pair<Eigen::Vector2d, int>> sums;
    for (const SolveError& e : errors) {
        if (!e.used || width < 1 || height < 1) continue;
        const int c = std::clamp(int(e.pixel.x() * out.columns / width), 0, out.columns - 1),
                  r = std::clamp(int(e.pixel.y() * out.rows / height), 0, out.rows - 1);
        auto& [sum, n] = sums.try_emplace({r * out.columns + c, e.pathId}, Eigen::Vector2d::Zero(), 0).first->second;
        sum += e.off;
        ++n;
    }
    std::map<int, std::vector<Eigen::Vector2d>> means;
    for (const auto& [key, value] : sums) means[key.first].push_back(value.first / value.second);
    double square = 0, chance = 0;
    int filled = 0;
    for (const auto& [cell, of] : means) {
        if (of.size() < 3) continue;
        ErrorMap::Cell& c = out.cells[size_t(cell)];
        c.paths = int(of.size());
        for (const auto& m : of) c.mean += m / double(of.size());
        double scatter = 0;
        for (const auto& m : of) scatter += (m - c.mean).squaredNorm();
        const double variance = scatter / double(of.size() - 1) / double(of.size());
        c.sigma = std::sqrt(variance / 2);
        square += c.mean.squaredNorm();
        chance += variance;
        ++filled;
    }
    if (filled > 0) {
        out.meanPx = std::sqrt(square / filled);
        out.overChance = chance > 0 ? std::sqrt(square / chance) : 0;
    }
    return out;
}

std::vector<FrameRange> badFrames(const SolveResult& solve) {
    std::vector<double> all;
    for (const SolvedFrame& f : solve.frames)
        if (f.solved && f.observations > 0) all.push_back(f.rmsPx);
    const double limit = std::max(0.05, 2 * median(std::move(all)));
    std::vector<FrameRange> out;
    for (const SolvedFrame& f : solve.frames) {
        if (!f.solved || f.observations == 0 || !(f.rmsPx > limit)) continue;
        if (!out.empty() && f.frame - out.back().last <= 2) out.back().last = f.frame;
        else out.push_back({f.frame, f.frame});
    }
    return out;
}

std::vector<SolvedPoint> worstPoints(const SolveResult& solve, size_t count) {
    std::vector<SolvedPoint> out;
    for (const SolvedPoint& p : solve.points)
        if (!p.heldBack) out.push_back(p);
    std::stable_sort(out.begin(), out.end(),
                     [](const SolvedPoint& a, const SolvedPoint& b) { return a.rmsPx > b.rmsPx; });
    if (out.size() > count) out.resize(count);
    return out;
}

}  // namespace va
