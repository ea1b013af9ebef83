// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/region_slant.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "track/flat_patch.h"

namespace va {
namespace {

// How far a region's normal usually lies from what its corners say.
constexpr double priorAngle = 20 * std::numbers::pi / 180;
// Sides of a rectangle are at right angles to within this.
constexpr double rightAngle = 17 * std::numbers::pi / 180;
constexpr int rings = 12, around = 32;

Eigen::Vector3d ray(const Eigen::Vector2d& at) { return at.homogeneous().normalized(); }

Eigen::Vector3d ofMiddle(const NormalisedCorners& c) { return ray((c[0] + c[1] + c[2] + c[3]) / 4); }

/// Two directions at right angles to a unit vector and to each other.
std::pair<Eigen::Vector3d, Eigen::Vector3d> basisOf(const Eigen::Vector3d& normal) {
    const Eigen::Vector3d a = normal.unitOrthogonal();
    return {a, normal.cross(a)};
}

/// What the corners alone say: a rectangle's normal, else towards the camera.
Eigen::Vector3d normalOfCorners(const NormalisedCorners& c) {
    const Eigen::Vector3d facing = -ofMiddle(c);
    const auto side = [&](int i) { return Eigen::Vector3d(ray(c[size_t(i)]).cross(ray(c[size_t((i + 1) % 4)]))); };
    // Opposite sides meet in the direction that both have.
    const Eigen::Vector3d along = side(0).cross(side(2)), across = side(1).cross(side(3));
    if (along.norm() < 1e-12 || across.norm() < 1e-12) return facing;
    if (std::fabs(along.normalized().dot(across.normalized())) > std::sin(rightAngle)) return facing;
    Eigen::Vector3d normal = along.cross(across).normalized();
    if (normal.dot(facing) < 0) normal = -normal;
    // Seen edge-on it would have no area.
    return normal.dot(facing) > 0.05 ? normal : facing;
}

class Slant {
  public:
    Slant(const NormalisedCorners& reference, const std::vector<NormalisedCorners>& others, double cornerError)
        : expected_(normalOfCorners(reference)) {
        const double size = (reference[2] - reference[0]).norm() + (reference[3] - reference[1]).norm();
        sigma_ = std::max(1e-9, 4 * cornerError / size);
        for (const NormalisedCorners& c : others)
            if (const auto map = mapOfCorners(reference, c)) maps_.push_back(*map);
    }

    [[nodiscard]] const Eigen::Vector3d& expected() const { return expected_; }
    [[nodiscard]] double cost(const Eigen::Vector3d& normal) const {
        const auto [a, b] = basisOf(normal);
        double sum = 0;
        for (const Eigen::Matrix3d& map : maps_) {
            const Eigen::Vector3d u = map * a, v = map * b;
            const double both = u.squaredNorm() + v.squaredNorm();
            const Eigen::Vector2d off(2 * u.dot(v) / both, (u.squaredNorm() - v.squaredNorm()) / both);
            sum += off.squaredNorm() / (sigma_ * sigma_);
        }
        const double angle = std::acos(std::clamp(normal.dot(expected_), -1.0, 1.0));
        return sum + std::pow(angle / priorAngle, 2);
    }

  private:
    Eigen::Vector3d expected_;
    double sigma_ = 1;
    std::vector<Eigen::Matrix3d> maps_;  ///< reference to each frame, normalised coordinates
};

}  // namespace

std::optional<Eigen::Vector3d> regionNormal(const NormalisedCorners& reference,
                                            const std::vector<NormalisedCorners>& others, double cornerError) {
    if (!mapOfCorners({Eigen::Vector2d(0, 0), {1, 0}, {1, 1}, {0, 1}}, reference)) return std::nullopt;
    const Slant slant(reference, others, cornerError);
    const Eigen::Vector3d facing = -ofMiddle(reference);
    const auto [a, b] = basisOf(facing);
    Eigen::Vector3d best = slant.expected();
    double lowest = slant.cost(best);
    const auto offer = [&](const Eigen::Vector3d& n) {
        if (n.dot(facing) < 0.05) return false;
        const double cost = slant.cost(n);
        if (!(cost < lowest)) return false;
        lowest = cost, best = n;
        return true;
    };
    for (int ring = 0; ring < rings; ++ring)
        for (int k = 0; k < around; ++k) {
            const double tilt = (ring + 0.5) / rings * std::numbers::pi / 2, turn = 2 * std::numbers::pi * k / around;
            offer(std::cos(tilt) * facing + std::sin(tilt) * (std::cos(turn) * a + std::sin(turn) * b));
        }
    // Steps around the best one, halved where none of them helps.
    for (double step = 0.1; step > 1e-6;) {
        const auto [x, y] = basisOf(best);
        bool better = false;
        for (const auto& along : {x, y})
            for (const double sign : {-1.0, 1.0}) better = offer((best + sign * step * along).normalized()) || better;
        if (!better) step /= 2;
    }
    return best.allFinite() ? std::optional(best) : std::nullopt;
}

}  // namespace va
