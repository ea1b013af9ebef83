// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/foreign_scene.h"

#include <algorithm>
#include <cmath>

namespace va {

const ForeignScene::Body::Sample& ForeignScene::Body::at(double frame) const {
    static const Sample nowhere;
    if (samples.empty()) return nowhere;
    const auto next = std::lower_bound(samples.begin(), samples.end(), frame - 1e-3,
                                       [](const Sample& s, double f) { return s.frame < f; });
    return next == samples.end() ? samples.back() : *next;
}

const ForeignScene::Body* ForeignScene::body(const std::string& name) const {
    const auto found = std::find_if(bodies.begin(), bodies.end(), [&](const Body& b) { return b.name == name; });
    return found == bodies.end() ? nullptr : &*found;
}

Similarity similarityOf(const Eigen::Matrix4d& m) {
    Eigen::Matrix3d axes = m.topLeftCorner<3, 3>();
    const double scale = std::cbrt(std::fabs(axes.determinant()));
    if (!(scale > 0) || !std::isfinite(scale)) return {1, Eigen::Quaterniond::Identity(), m.topRightCorner<3, 1>()};
    // Nearest rotation to axes that may be sheared or mirrored.
    Eigen::Quaterniond turn(Eigen::Matrix3d(axes / scale));
    return {scale, turn.normalized(), m.topRightCorner<3, 1>()};
}

Eigen::Matrix4d matrixOf(const Similarity& s) {
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.topLeftCorner<3, 3>() = s.scale * s.rotation.toRotationMatrix();
    m.topRightCorner<3, 1>() = s.translation;
    return m;
}

CameraPose poseOf(const Eigen::Matrix4d& matrix) {
    Eigen::Matrix3d axes = matrix.topLeftCorner<3, 3>();
    for (int c = 0; c < 3; ++c) axes.col(c).normalize();
    return {matrix.topRightCorner<3, 1>(), Eigen::Quaterniond(axes).normalized()};
}

ForeignScene inOurAxes(const ForeignScene& scene) {
    ForeignScene out = scene;
    const double unit = scene.metresPerUnit.value_or(1);
    // Z up to Y up: a quarter turn about X.
    const Eigen::Quaterniond turn = scene.zUp
                                        ? Eigen::Quaterniond(Eigen::AngleAxisd(-M_PI / 2, Eigen::Vector3d::UnitX()))
                                        : Eigen::Quaterniond::Identity();
    const Similarity change{unit, turn, Eigen::Vector3d::Zero()};
    for (auto& c : out.cameras)
        for (auto& f : c.frames) {
            f.pose = change.pose(f.pose);
            if (f.rate) f.rate = f.rate->scaled(unit);
        }
    for (auto& p : out.points) p.position = change.point(p.position);
    const Eigen::Matrix4d by = matrixOf(change);
    for (auto& b : out.bodies)
        for (auto& s : b.samples) s.place = by * s.place;
    out.zUp = false;
    if (scene.metresPerUnit) out.metresPerUnit = 1;
    return out;
}

std::optional<Rational> rateFrom(double fps) {
    if (!(fps > 0.01) || !(fps < 100000)) return std::nullopt;
    const double whole = std::round(fps);
    // Times in single precision give a rate to a few millionths.
    constexpr double tolerance = 2e-5;
    if (whole >= 1 && std::fabs(fps / whole - 1) < tolerance) return Rational{int64_t(whole), 1};
    const double by1001 = std::round(fps * 1.001);
    // Three decimals are how the trade writes them.
    if (by1001 >= 1 && (std::fabs(fps * 1.001 / by1001 - 1) < tolerance || std::fabs(fps - by1001 / 1.001) < 6e-4))
        return Rational{int64_t(by1001) * 1000, 1001};
    for (const int64_t den : {2, 4, 5, 10, 100, 1000})
        if (const double num = std::round(fps * double(den)); std::fabs(fps * double(den) / num - 1) < tolerance)
            return reduced(int64_t(num), den);
    return reduced(int64_t(std::llround(fps * 1e6)), 1000000);
}

}  // namespace va
