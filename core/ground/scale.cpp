// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/scale.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace va {
namespace {

constexpr double usualSigma = 0.01;  ///< of a length that comes without a deviation
constexpr double contradicts = 4;    ///< deviations
/// Upper 1 % points of χ² for 1, 2, … degrees of freedom (Abramowitz & Stegun 1964, table 26.8).
constexpr double chiSquared1[] = {6.63, 9.21, 11.34, 13.28, 15.09, 16.81, 18.48, 20.09, 21.67, 23.21};

SolvedLength between(const SurePoint& a, const SurePoint& b) {
    const Eigen::Vector3d d = b.position - a.position;
    SolvedLength out;
    out.length = d.norm();
    if (out.length > 0) out.sigma = std::hypot(a.sigmaAlong(d / out.length), b.sigmaAlong(d / out.length));
    return out;
}

SolvedLength evenStep(const std::vector<const SurePoint*>& row) {
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const SurePoint* p : row) middle += p->position / double(row.size());
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const SurePoint* p : row) spread += (p->position - middle) * (p->position - middle).transpose();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(spread);
    const Eigen::Vector3d along = axes.eigenvectors().col(2);
    std::vector<std::pair<double, double>> at;  // position along the row, its deviation
    for (const SurePoint* p : row) at.emplace_back(along.dot(p->position - middle), p->sigmaAlong(along));
    std::sort(at.begin(), at.end());
    // Least squares of position = start + step · number.
    const double n = double(at.size()), half = (n - 1) / 2;
    double sum = 0, squares = 0, variance = 0;
    for (size_t i = 0; i < at.size(); ++i) {
        const double k = double(i) - half;
        sum += k * at[i].first, squares += k * k;
    }
    SolvedLength out;
    out.length = sum / squares;
    double left = 0, middleOfAll = 0;
    for (const auto& [x, s] : at) middleOfAll += x / n;
    for (size_t i = 0; i < at.size(); ++i) {
        const double k = double(i) - half;
        left += std::pow(at[i].first - middleOfAll - k * out.length, 2);
        variance += k * k * at[i].second * at[i].second / (squares * squares);
    }
    out.sigma = std::sqrt(std::max(variance, n > 2 ? left / (n - 2) / squares : 0.0));
    return out;
}

}  // namespace

const std::vector<TypicalSize>& typicalSizes() {
    static const std::vector<TypicalSize> sizes{
        {"Door leaf", LengthKind::uprightHeight, 2.0, 0.05},
        {"Adult, standing", LengthKind::uprightHeight, 1.7, 0.1},
        {"Car, roof", LengthKind::heightOverGround, 1.5, 0.1},
        {"Shoulder camera", LengthKind::cameraHeight, 1.5, 0.15},
        {"Table top", LengthKind::heightOverGround, 0.74, 0.03},
        {"Stair, one rise", LengthKind::spacing, 0.17, 0.015},
    };
    return sizes;
}

SolvedLength solvedLength(const KnownLength& known, const LengthScene& scene) {
    std::vector<const SurePoint*> at;
    for (const int id : known.paths)
        if (const SurePoint* p = sureAt(*scene.points, id)) at.push_back(p);
    const auto cannot = [](const std::string& why) { return SolvedLength{0, 0, why}; };
    if (at.size() < known.paths.size()) return cannot(text("A point of it is not in this solve: pick others."));
    SolvedLength out;
    switch (known.kind) {
        case LengthKind::distance:
            if (at.size() != 2) return cannot(text("A distance lies between two points: pick two."));
            out = between(*at[0], *at[1]);
            break;
        case LengthKind::uprightHeight:
            if (at.size() != 2) return cannot(text("A height lies between a foot and a top: pick two points."));
            out.length = std::fabs((at[1]->position - at[0]->position).dot(scene.up));
            out.sigma = std::hypot(at[0]->sigmaAlong(scene.up), at[1]->sigmaAlong(scene.up));
            break;
        case LengthKind::heightOverGround:
            if (at.size() != 1) return cannot(text("A height over the ground belongs to one point: pick one."));
            if (!scene.ground) return cannot(text("No ground is known that it could stand on: level a floor first."));
            out.length = at[0]->position.dot(scene.up) - *scene.ground;
            out.sigma = std::hypot(at[0]->sigmaAlong(scene.up), scene.groundSigma);
            break;
        case LengthKind::cameraHeight: {
            const SolvedFrame* f = scene.cameras->at(known.frame);
            if (!f || !f->solved) return cannot(text("Frame %d has no camera: choose another.", known.frame));
            if (!scene.ground) return cannot(text("No ground is known that it could stand on: level a floor first."));
            out.length = f->pose.position.dot(scene.up) - *scene.ground;
            out.sigma = scene.groundSigma;
            break;
        }
        case LengthKind::spacing:
            if (at.size() < 3) return cannot(text("A spacing needs three or more points in a row: pick them."));
            out = evenStep(at);
            break;
    }
    if (!(out.length > 1e-12) || !(out.length > 2 * out.sigma) || !std::isfinite(out.length))
        return cannot(
            text("Its length in the solve is nothing, or less than what the points are sure to: pick others."));
    return out;
}

std::optional<ScaleFit> fitScale(const std::vector<KnownLength>& lengths, const LengthScene& scene) {
    ScaleFit out;
    struct Ratio {
        size_t of;
        double log, sigma;
    };
    std::vector<Ratio> use;
    std::vector<SolvedLength> solved;
    for (size_t i = 0; i < lengths.size(); ++i) {
        const KnownLength& k = lengths[i];
        out.reports.emplace_back();
        solved.push_back(k.metres > 0 && std::isfinite(k.metres)
                             ? solvedLength(k, scene)
                             : SolvedLength{0, 0, text("A length must be more than nothing: enter it in metres.")});
        if (solved[i].length <= 0) {
            out.reports[i].why = solved[i].why;
            continue;
        }
        const double known = k.sigma > 0 ? k.sigma / k.metres : usualSigma;
        use.push_back(
            {i, std::log(k.metres / solved[i].length), std::hypot(known, solved[i].sigma / solved[i].length)});
    }
    if (use.empty()) return std::nullopt;
    double mean = 0, weight = 0, chi = 0;
    const auto fit = [&] {
        mean = weight = chi = 0;
        for (const Ratio& r : use) mean += r.log / (r.sigma * r.sigma), weight += 1 / (r.sigma * r.sigma);
        mean /= weight;
        for (const Ratio& r : use) chi += std::pow((r.log - mean) / r.sigma, 2);
    };
    fit();
    while (use.size() >= 3) {
        // Each against what all others say.
        size_t worst = 0;
        double most = 0;
        for (size_t i = 0; i < use.size(); ++i) {
            const double own = 1 / (use[i].sigma * use[i].sigma), rest = weight - own;
            const double others = (mean * weight - use[i].log * own) / rest;
            const double off = std::fabs(use[i].log - others) / std::sqrt(use[i].sigma * use[i].sigma + 1 / rest);
            if (off > most) most = off, worst = i;
        }
        if (most < contradicts) break;
        ScaleReport& r = out.reports[use[worst].of];
        r.why = text("It contradicts the other lengths: check it, or its points.");
        use.erase(use.begin() + std::ptrdiff_t(worst));
        fit();
    }
    out.scale = std::exp(mean);
    const double spare = double(use.size()) - 1;
    const size_t row = std::min(use.size(), std::size(chiSquared1) + 1);
    const bool chance = spare < 1 || chi < chiSquared1[row - 2] * (spare / double(row - 1));
    out.sigma = std::sqrt(1 / weight) * (chance ? 1 : std::sqrt(chi / spare));
    if (use.size() == 2 && std::fabs(use[0].log - use[1].log) > contradicts * std::hypot(use[0].sigma, use[1].sigma))
        out.trouble =
            text("Two lengths contradict each other by %.1f %%: which one is wrong a third would tell. Check both.",
                 100 * std::fabs(std::expm1(use[0].log - use[1].log)));
    for (const Ratio& r : use) out.reports[r.of].used = true;
    for (size_t i = 0; i < lengths.size(); ++i) {
        ScaleReport& r = out.reports[i];
        if (solved[i].length <= 0) continue;
        r.metres = solved[i].length * out.scale;
        r.misfitPercent = 100 * (r.metres / lengths[i].metres - 1);
        const double known = lengths[i].sigma > 0 ? lengths[i].sigma / lengths[i].metres : usualSigma;
        r.sigmaPercent = 100 * std::hypot(known, solved[i].sigma / solved[i].length);
    }
    return out;
}

}  // namespace va
