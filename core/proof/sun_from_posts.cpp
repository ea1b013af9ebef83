// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/sun_from_posts.h"

#include <Eigen/LU>
#include <cmath>

#include "base/text.h"

namespace va {
namespace {

using Marks = Eigen::Matrix<double, 6, 1>;

std::optional<Eigen::Vector3d> onGround(const FrameCamera& camera, const Eigen::Vector2d& px, double height) {
    const auto ray = camera.ray(px);
    if (!ray || std::fabs(ray->direction.y()) < 1e-9) return std::nullopt;
    const double t = (height - ray->origin.y()) / ray->direction.y();
    return t > 0 ? std::optional(ray->at(t)) : std::nullopt;
}

std::optional<Eigen::Vector3d> directionOf(const FrameCamera& camera, const Marks& m, double height) {
    const auto foot = onGround(camera, m.segment<2>(0), height), tip = onGround(camera, m.segment<2>(4), height);
    const auto ray = camera.ray(m.segment<2>(2));
    if (!foot || !tip || !ray) return std::nullopt;
    // The point of the upright over the foot that comes nearest to the line of sight through the top.
    const Eigen::Vector3d up = Eigen::Vector3d::UnitY(), w = *foot - ray->origin;
    const double b = up.dot(ray->direction), determinant = 1 - b * b;
    if (determinant < 1e-12) return std::nullopt;
    const double along = (b * w.dot(ray->direction) - w.dot(up)) / determinant;
    if (!(along > 0)) return std::nullopt;
    return (*foot + along * up - *tip).normalized();
}

}  // namespace

SunFit sunFromPosts(const std::vector<SeenPost>& posts, double height, double sigmaPx) {
    SunFit out;
    std::vector<Eigen::Vector3d> directions;
    std::vector<Eigen::Matrix3d> spreads;
    Eigen::Matrix3d information = Eigen::Matrix3d::Zero();
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    for (const SeenPost& p : posts) {
        Marks m;
        m << p.foot, p.top, p.tip;
        const auto at = directionOf(*p.camera, m, height);
        if (!at) continue;
        Eigen::Matrix<double, 3, 6> slope;
        bool whole = true;
        for (int k = 0; k < 6; ++k) {
            Marks a = m, b = m;
            a[k] -= 0.25, b[k] += 0.25;
            const auto low = directionOf(*p.camera, a, height), high = directionOf(*p.camera, b, height);
            if (!low || !high) whole = false;
            else slope.col(k) = (*high - *low) / 0.5;
        }
        if (!whole) continue;
        directions.push_back(*at);
        spreads.push_back(sigmaPx * sigmaPx * slope * slope.transpose());
        // Directions have no spread along themselves.
        const Eigen::Matrix3d weight = (spreads.back() + *at * at->transpose()).inverse();
        information += weight, sum += weight * *at;
    }
    if (directions.empty()) {
        out.sentence = text(
            "Foot, top and tip of the shadow do not make a post on the ground: the foot and the tip lie "
            "below the horizon, the top straight above the foot. Mark them again.");
        return out;
    }
    const Eigen::Matrix3d covariance = information.inverse();
    out.toSun = (covariance * sum).normalized();
    const Eigen::Matrix3d across = Eigen::Matrix3d::Identity() - out.toSun * out.toSun.transpose();
    // The mean of the squares of both angles.
    double variance = (across * covariance * across).trace() / 2;
    if (directions.size() > 1) {
        double squares = 0, chi = 0;
        for (size_t i = 0; i < directions.size(); ++i) {
            const Eigen::Vector3d off = across * (directions[i] - out.toSun);
            squares += off.squaredNorm();
            chi += off.dot((spreads[i] + out.toSun * out.toSun.transpose()).inverse() * off);
        }
        out.restDegrees = std::sqrt(squares / double(directions.size())) * 180 / M_PI;
        variance *= std::max(1.0, chi / (2.0 * double(directions.size() - 1)));
    }
    out.sigmaDegrees = std::sqrt(variance) * 180 / M_PI;
    if (out.toSun.y() <= 0) {
        out.sigmaDegrees = -1;
        out.sentence = text("By these marks the sun is below the horizon. Mark the tip of the shadow, not its root.");
    }
    return out;
}

}  // namespace va
