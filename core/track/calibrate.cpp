// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/calibrate.h"

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/parallel.h"

namespace va {
namespace {

struct Triple {
    int path, point;  ///< of the middle frame
    Eigen::Vector2d at, secondDifference, left;
};

/// The quadratic field over the picture that most triples of a frame share is taken out of each.
void takeOutField(std::vector<Triple>& triples) {
    using Row = Eigen::Matrix<double, 6, 1>;
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    double reach = 1;
    for (const Triple& t : triples) middle += t.at / double(triples.size());
    for (const Triple& t : triples) reach = std::max(reach, (t.at - middle).norm());
    const auto row = [&](const Triple& t) {
        const Eigen::Vector2d p = (t.at - middle) / reach;
        return Row(1, p.x(), p.y(), p.x() * p.x(), p.x() * p.y(), p.y() * p.y());
    };
    Eigen::Matrix<double, 6, 2> field = Eigen::Matrix<double, 6, 2>::Zero();
    std::vector<double> lengths(triples.size());
    for (int round = 0; round < 6; ++round) {
        for (size_t i = 0; i < triples.size(); ++i) {
            triples[i].left = triples[i].secondDifference - field.transpose() * row(triples[i]);
            lengths[i] = triples[i].left.norm();
        }
        std::vector<double> sorted = lengths;
        std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(sorted.size() / 2), sorted.end());
        const double scale = 2 * sorted[sorted.size() / 2] + 1e-6;
        Eigen::Matrix<double, 6, 6> normal = Eigen::Matrix<double, 6, 6>::Identity() * 1e-6;
        Eigen::Matrix<double, 6, 2> right = Eigen::Matrix<double, 6, 2>::Zero();
        for (size_t i = 0; i < triples.size(); ++i) {
            // First round: plain median-like weights; later ones let go of what is far off.
            const double u = lengths[i] / scale, w = round == 0 ? 1 / (1 + u) : u < 2 ? std::pow(1 - u * u / 4, 2) : 0;
            const Row r = row(triples[i]);
            normal += w * r * r.transpose();
            right += w * r * triples[i].secondDifference.transpose();
        }
        field = normal.ldlt().solve(right);
    }
    for (Triple& t : triples) t.left = t.secondDifference - field.transpose() * row(t);
}

std::vector<Triple> secondDifferences(const std::vector<Path>& paths) {
    std::map<int, std::vector<Triple>> byFrame;
    for (size_t k = 0; k < paths.size(); ++k) {
        const auto& p = paths[k].points;
        for (size_t i = 1; i + 1 < p.size(); ++i) {
            const int step = p[i + 1].frame - p[i].frame;
            if (step <= 0 || p[i].frame - p[i - 1].frame != step || step > 2 || p[i - 1].chain != p[i + 1].chain)
                continue;
            const Eigen::Vector2d at(p[i].x, p[i].y);
            const Eigen::Vector2d secondDifference(p[i + 1].x - 2 * p[i].x + p[i - 1].x,
                                                   p[i + 1].y - 2 * p[i].y + p[i - 1].y);
            if (secondDifference.allFinite())
                byFrame[p[i].frame].push_back({int(k), int(i), at, secondDifference, secondDifference});
        }
    }
    std::vector<std::vector<Triple>*> enough;
    for (auto& [frame, triples] : byFrame)
        if (triples.size() >= 12) enough.push_back(&triples);
    parallelRanges(int(enough.size()), 4, [&](int begin, int end) {
        for (int i = begin; i < end; ++i) takeOutField(*enough[size_t(i)]);
    });
    std::vector<Triple> out;
    for (const auto* triples : enough) out.insert(out.end(), triples->begin(), triples->end());
    return out;
}

}  // namespace

void takeNoBetterThan(PathPoint& p, const PathPoint& calibrated) {
    const float factor = (calibrated.sxx + calibrated.syy) / std::max(1e-9f, p.sxx + p.syy);
    if (!(factor > 1)) return;
    p.sxx *= factor, p.sxy *= factor, p.syy *= factor;
    p.drift = std::max(p.drift * std::sqrt(factor), calibrated.drift);
}

void calibrateCovariances(std::vector<Path>& paths) {
    std::vector<double> sum(paths.size(), 0);
    std::vector<int> count(paths.size(), 0);
    for (const Triple& t : secondDifferences(paths)) {
        const PathPoint& p = paths[size_t(t.path)].points[size_t(t.point)];
        Eigen::Matrix2d c;
        c << double(p.sxx), double(p.sxy), double(p.sxy), double(p.syy);
        if (!(c.determinant() > 0)) continue;
        // One triple alone can't count for more than five sigmas: jumps are for pruning.
        sum[size_t(t.path)] += std::min(25.0 * 100, 0.5 * t.left.dot((3 * c).inverse() * t.left));
        ++count[size_t(t.path)];
    }
    std::vector<double> ratios;
    for (size_t k = 0; k < paths.size(); ++k)
        if (count[k] >= 6) ratios.push_back(sum[k] / count[k]);
    if (ratios.empty()) return;
    std::nth_element(ratios.begin(), ratios.begin() + std::ptrdiff_t(ratios.size() / 2), ratios.end());
    const double typical = ratios[ratios.size() / 2];
    for (size_t k = 0; k < paths.size(); ++k) {
        const double ratio = std::clamp((sum[k] + 8 * typical) / (count[k] + 8), 0.5, 100.0);
        for (PathPoint& p : paths[k].points) {
            if (p.origin == PointOrigin::byHand) continue;
            const auto f = float(ratio);
            const double surface = 0.5 * double(p.sxx + p.syy) * std::max(0.0, ratio - 1);
            p.drift = float(std::sqrt(double(p.drift) * double(p.drift) + surface));
            p.sxx *= f, p.sxy *= f, p.syy *= f;
        }
    }
}

std::vector<std::vector<float>> raggedness(const std::vector<Path>& paths) {
    std::vector<std::vector<float>> out(paths.size());
    for (size_t k = 0; k < paths.size(); ++k) out[k].assign(paths[k].points.size(), 0);
    for (const Triple& t : secondDifferences(paths))
        out[size_t(t.path)][size_t(t.point)] = float(t.left.norm() / std::sqrt(6.0));
    return out;
}

}  // namespace va
