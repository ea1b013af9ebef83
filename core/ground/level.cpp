// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/level.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace va {
namespace {

constexpr double degree = M_PI / 180;
/// What a camera's roll may be on the whole (common practice: operators keep the horizon, give or take).
constexpr double rollSigma = 3 * degree;
/// What a camera may look up or down on the whole.
constexpr double viewSigma = 15 * degree;
/// Things that stand upright do so to about this: doors, posts and walls lean a little, and edges have a thickness.
/// What the evidence says of itself replaces it where there is more of it.
constexpr double leanSigma = 0.15 * degree;
/// Evidence that is further off than this, and than three of its deviations, contradicts.
constexpr double contradiction = 1.2 * degree;
/// Deviation of a floor's tilt over what its fit says: points are not all independent (as measured on 60 made-up places
/// and the demo clips).
constexpr double floorTogether = 1.2;
/// Edges of one thing are seen in several frames, and their errors are alike: their scatter counts for more.
constexpr double edgesTogether = 1.5;
/// Few edges belong to one or two things, which may lean: what so many edges leave doubles the variance.
constexpr double fewEdges = 24;
constexpr int enoughEdges = 8;  ///< whose scatter says how upright such edges are
/// Found edges that agree count from so many on, and from this share of them all.
constexpr int fewestEdges = 5;
constexpr double fewestEdgeShare = 0.4;
constexpr double openSigma = 20 * degree;

double misfit(const LevelRows& e, const Eigen::Vector3d& up) {
    double sum = 0;
    for (const Eigen::Vector3d& d : e.level) sum += std::pow(std::asin(std::clamp(d.dot(up), -1.0, 1.0)), 2);
    return e.kind == LevelKind::cameraRoll ? std::sqrt(sum / double(std::max(size_t(1), e.level.size())))
                                           : std::sqrt(sum);
}

double sigmaOf(const LevelRows& e) {
    double worst = 0;
    for (const double s : e.sigma) worst = std::max(worst, s);
    return worst;
}

/// What the word of a piece of evidence counts for beside others.
double weightOf(const LevelRows& e) {
    switch (e.kind) {
        // A spot of hilly ground, unsure by degrees, says little however many points it has.
        case LevelKind::floor: return std::min(12.0, std::sqrt(double(e.count))) / std::max(1.0, sigmaOf(e) / degree);
        case LevelKind::wall: return std::min(5.0, 0.5 * std::sqrt(double(e.count)));
        case LevelKind::upright: return 1;
        case LevelKind::horizon: return 10;
        case LevelKind::cameraRoll: return 1;
    }
    return 0;
}

bool agrees(const LevelRows& e, const Eigen::Vector3d& up) {
    return misfit(e, up) < std::max(contradiction, 3 * sigmaOf(e));
}

/// Deviation that planes which were left out leave to those used, radians: of hilly ground one floor is as good as
/// another, and a wall that contradicts the floor may be right. Few points that contradict many hardly count; edges
/// that go along with what was chosen settle it.
double dissent(const std::vector<LevelRows>& evidence, const std::vector<char>& use, const Eigen::Vector3d& up) {
    double used = 0, out = 0, squares = 0, edges = 0;
    for (size_t i = 0; i < evidence.size(); ++i) {
        const LevelRows& e = evidence[i];
        if (e.kind == LevelKind::upright) edges += use[i] && !e.level.empty();
        if (e.kind != LevelKind::floor && e.kind != LevelKind::wall) continue;
        (use[i] ? used : out) += weightOf(e);
        if (!use[i]) squares += weightOf(e) * std::pow(misfit(e, up), 2);
    }
    if (!(out > 0)) return 0;
    const double share = out / (used + out);
    return share * share * std::sqrt(squares / out) / (1 + std::pow(2 * edges / enoughEdges, 2));
}

struct Solution {
    Eigen::Vector3d up;
    Eigen::Matrix3d covariance;
};

/// Any two edges agree on some upright, and some more do by chance where most of what was found are not upright edges.
bool edgesAgreeByChance(const std::vector<LevelRows>& evidence, const std::vector<char>& use) {
    int all = 0, agreeing = 0;
    for (size_t i = 0; i < evidence.size(); ++i)
        if (evidence[i].kind == LevelKind::upright) ++all, agreeing += use[i];
    return agreeing < fewestEdges || agreeing < fewestEdgeShare * all;
}

/// Smallest eigenvector of the weighted sum, and the inverse of what it is across it.
std::optional<Solution> leastSquares(const std::vector<const LevelRows*>& evidence, const std::vector<double>& grow,
                                     const Eigen::Vector3d& near) {
    Eigen::Matrix3d sum = Eigen::Matrix3d::Zero();
    for (size_t i = 0; i < evidence.size(); ++i)
        for (size_t k = 0; k < evidence[i]->level.size(); ++k) {
            const double s = evidence[i]->sigma[k] * grow[i];
            sum += evidence[i]->level[k] * evidence[i]->level[k].transpose() / (s * s);
        }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(sum);
    if (!(axes.eigenvalues()(1) > 1 / (openSigma * openSigma))) return std::nullopt;
    Solution out;
    out.up = axes.eigenvectors().col(0);
    if (out.up.dot(near) < 0) out.up = -out.up;
    out.covariance.setZero();
    for (int i = 1; i < 3; ++i)
        out.covariance += axes.eigenvectors().col(i) * axes.eigenvectors().col(i).transpose() / axes.eigenvalues()(i);
    return out;
}

/// The evidence that goes with what most of it says.
std::vector<char> consensus(const std::vector<LevelRows>& evidence, const Eigen::Vector3d& near) {
    std::vector<Eigen::Vector3d> proposals{near};
    std::vector<const LevelRows*> single;
    for (const LevelRows& e : evidence) {
        if (e.kind == LevelKind::cameraRoll) continue;
        if (e.level.size() >= 2) proposals.push_back(e.level[0].cross(e.level[1]).normalized());
        else if (e.level.size() == 1) single.push_back(&e);
    }
    // Pairs of those that count most; edges are many and alike.
    std::stable_sort(single.begin(), single.end(),
                     [](const auto* a, const auto* b) { return weightOf(*a) > weightOf(*b); });
    const size_t count = std::min(single.size(), size_t(40));
    for (size_t i = 0; i < count; ++i)
        for (size_t k = 0; k < i; ++k) {
            const Eigen::Vector3d up = single[i]->level[0].cross(single[k]->level[0]);
            if (up.norm() > 0.05) proposals.push_back(up.normalized());
        }
    double best = -1;
    Eigen::Vector3d chosen = near;
    for (Eigen::Vector3d up : proposals) {
        if (up.dot(near) < 0) up = -up;
        if (up.dot(near) < 0.5) continue;
        double sum = 0, roll = 0;
        for (const LevelRows& e : evidence) {
            const double limit = std::max(contradiction, 3 * sigmaOf(e)), off = misfit(e, up);
            if (e.kind == LevelKind::cameraRoll) roll = off;
            else if (off < limit) sum += weightOf(e) * (1 - off * off / (limit * limit));
        }
        // A camera that is rolled far is rare; a plane that is steep is not.
        sum *= std::exp(-0.5 * std::pow(roll / (4 * rollSigma), 2));
        if (sum > best) best = sum, chosen = up;
    }
    std::vector<char> out;
    for (const LevelRows& e : evidence) out.push_back(e.kind == LevelKind::cameraRoll || agrees(e, chosen));
    return out;
}

}  // namespace

LevelRows rowsOfFloor(const Surface& floor) {
    LevelRows out{LevelKind::floor, {}, {}, int(floor.paths.size())};
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(floor.covariance.topLeftCorner<2, 2>());
    for (int i = 0; i < 2; ++i) {
        const Eigen::Vector3d about = axes.eigenvectors()(0, i) * floor.u + axes.eigenvectors()(1, i) * floor.v;
        out.level.push_back(floor.plane.normal.cross(about).normalized());
        out.sigma.push_back(floorTogether * std::sqrt(std::max(1e-12, axes.eigenvalues()(i))));
    }
    return out;
}

LevelRows rowsOfWall(const Surface& wall, const Eigen::Vector3d& up) {
    // The normal tips towards up by the rotations about the wall's axes.
    const Eigen::Vector2d tip(wall.u.cross(wall.plane.normal).dot(up), wall.v.cross(wall.plane.normal).dot(up));
    const double variance = tip.dot(wall.covariance.topLeftCorner<2, 2>() * tip);
    return {LevelKind::wall,
            {wall.plane.normal},
            {std::hypot(std::sqrt(std::max(0.0, variance)), leanSigma)},
            int(wall.paths.size())};
}

LevelRows rowsOfLine(LevelKind kind, const PictureLine& line, const CameraTrack& cameras, double sigmaPx) {
    LevelRows out{kind, {}, {}, 1};
    const auto camera = cameras.cameraAt(line.frame);
    if (!camera) return out;
    const auto a = camera->ray(line.a), b = camera->ray(line.b);
    const double length = (line.b - line.a).norm();
    if (!a || !b || !(length > 1)) return out;
    const double perPx = 1 / camera->lens().focalPx;
    if (kind == LevelKind::horizon) {
        for (const auto& ray : {*a, *b}) {
            out.level.push_back(ray.direction);
            out.sigma.push_back(sigmaPx * perPx);
        }
        return out;
    }
    const Eigen::Vector3d across = a->direction.cross(b->direction);
    if (!(across.norm() > 1e-9)) return out;
    out.level.push_back(across.normalized());
    out.sigma.push_back(std::hypot(std::sqrt(2.0) * sigmaPx / length, leanSigma));
    return out;
}

LevelRows rowsOfCameras(const CameraTrack& cameras) {
    LevelRows out{LevelKind::cameraRoll, {}, {}, 0};
    for (const SolvedFrame& f : cameras.frames)
        if (f.solved) out.level.push_back(f.pose.worldFromCamera * Eigen::Vector3d::UnitX());
    out.count = int(out.level.size());
    // Frames share their error: together they weigh as much as one.
    out.sigma.assign(out.level.size(), rollSigma * std::sqrt(double(std::max(size_t(1), out.level.size()))));
    return out;
}

LevelRows rowsOfView(const CameraTrack& cameras) {
    Eigen::Vector3d view = Eigen::Vector3d::Zero();
    for (const SolvedFrame& f : cameras.frames)
        if (f.solved) view += f.pose.worldFromCamera * Eigen::Vector3d::UnitZ();
    if (view.norm() < 1e-9) return {LevelKind::cameraRoll, {}, {}, 0};
    return {LevelKind::cameraRoll, {view.normalized()}, {viewSigma}, 1};
}

double LevelFit::sigmaDeg() const { return std::sqrt(std::max(0.0, covariance.trace())) / degree; }

std::optional<LevelFit> fitLevel(const std::vector<LevelRows>& given, const Eigen::Vector3d& near, bool sort) {
    std::vector<LevelRows> evidence = given;
    std::vector<char> use = sort ? consensus(evidence, near) : std::vector<char>(evidence.size(), 1);
    if (sort && edgesAgreeByChance(evidence, use)) {
        for (LevelRows& e : evidence)
            if (e.kind == LevelKind::upright) e.level.clear(), e.sigma.clear();
        use = consensus(evidence, near);
    }
    std::optional<Solution> solution;
    std::vector<double> grow(evidence.size(), 1);
    for (int round = 0; round < 6; ++round) {
        std::vector<const LevelRows*> used;
        std::vector<double> by;
        for (size_t i = 0; i < evidence.size(); ++i)
            if (use[i] && !evidence[i].level.empty()) used.push_back(&evidence[i]), by.push_back(grow[i]);
        solution = leastSquares(used, by, near);
        if (!solution) return std::nullopt;
        if (sort)
            for (size_t i = 0; i < evidence.size(); ++i)
                use[i] = evidence[i].kind == LevelKind::cameraRoll || agrees(evidence[i], solution->up);
        // Kinds that scatter more than their deviations say are believed less.
        for (const LevelKind kind : {LevelKind::floor, LevelKind::wall, LevelKind::upright, LevelKind::horizon}) {
            double squares = 0;
            int rows = 0;
            for (size_t i = 0; i < evidence.size(); ++i)
                if (use[i] && evidence[i].kind == kind)
                    for (size_t k = 0; k < evidence[i].level.size(); ++k)
                        squares += std::pow(evidence[i].level[k].dot(solution->up) / evidence[i].sigma[k], 2), ++rows;
            double factor = rows > 0 ? std::sqrt(std::max(1.0, squares / rows)) : 1;
            if (kind == LevelKind::upright && rows >= enoughEdges)
                factor = edgesTogether * std::sqrt((1 + fewEdges / rows) * std::max(0.02, squares / (rows - 2)));
            for (size_t i = 0; i < evidence.size(); ++i)
                if (evidence[i].kind == kind) grow[i] = factor;
        }
    }
    LevelFit out;
    out.up = solution->up;
    out.covariance = solution->covariance;
    if (sort)
        out.covariance += 0.5 * std::pow(dissent(evidence, use, out.up), 2) *
                          (Eigen::Matrix3d::Identity() - out.up * out.up.transpose());
    for (size_t i = 0; i < evidence.size(); ++i) {
        const LevelRows& e = evidence[i];
        const double sigma = e.kind == LevelKind::cameraRoll ? rollSigma : sigmaOf(e) * grow[i];
        out.reports.push_back(
            {e.kind, e.count, misfit(e, out.up) / degree, sigma / degree, use[i] && !e.level.empty()});
    }
    return out;
}

}  // namespace va
