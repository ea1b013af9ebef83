// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/lens_numbers.h"

#include <algorithm>
#include <cmath>

namespace va {
namespace {

/// Undistorted positions of a grid over the frame, and their pixels from the principal point.
struct FrameGrid {
    std::vector<Eigen::Vector2d> undistorted, ray;
    FrameGrid(const Intrinsics& lens, int width, int height) {
        for (int j = 0; j <= 6; ++j)
            for (int i = 0; i <= 8; ++i) {
                const Eigen::Vector2d pixel(i * (width - 1) / 8.0, j * (height - 1) / 6.0);
                const auto s = lens.normalisedFromPixel(pixel);
                if (!s) continue;
                undistorted.push_back(*s);
                ray.push_back(pixel - lens.principalPoint);
            }
    }
};

}  // namespace

Eigen::Matrix2Xd pixelByLens(const Intrinsics& lens, const Eigen::Vector2d& undistorted,
                             std::span<const LensValue> values) {
    Eigen::Matrix2Xd out(2, Eigen::Index(values.size()));
    LensValueJacobian byValues;
    const Eigen::Vector2d distorted =
        distortPoint(lens.lens.kind(), lens.lens.values(), undistorted, nullptr, &byValues);
    const Eigen::Vector2d focal(lens.focalPx / lens.pixelAspect, lens.focalPx);
    for (size_t k = 0; k < values.size(); ++k) {
        auto column = out.col(Eigen::Index(k));
        switch (values[k]) {
            case LensValue::focal: column = Eigen::Vector2d(distorted.x() / lens.pixelAspect, distorted.y()); break;
            case LensValue::principalX: column = Eigen::Vector2d(1, 0); break;
            case LensValue::principalY: column = Eigen::Vector2d(0, 1); break;
            default: column = focal.cwiseProduct(byValues.col(int(values[k]) - int(LensValue::k1)));
        }
    }
    return out;
}

std::vector<LensNumber> lensNumbers(const Intrinsics& lens, std::span<const LensValue> values,
                                    const Eigen::MatrixXd& covariance) {
    std::vector<LensNumber> out;
    const auto names = lensValueNames(lens.lens.kind());
    for (size_t k = 0; k < values.size(); ++k) {
        LensNumber n;
        const double c = covariance(Eigen::Index(k), Eigen::Index(k));
        n.sigma = std::isfinite(c) && c >= 0 ? std::sqrt(c) : 1e9;
        switch (values[k]) {
            case LensValue::focal: n.name = "focal", n.value = lens.focalPx; break;
            case LensValue::principalX: n.name = "principal x", n.value = lens.principalPoint.x(); break;
            case LensValue::principalY: n.name = "principal y", n.value = lens.principalPoint.y(); break;
            default: {
                const int i = int(values[k]) - int(LensValue::k1);
                n.name = names[size_t(i)], n.value = lens.lens.value(i);
            }
        }
        out.push_back(std::move(n));
    }
    return out;
}

double mapSigmaPx(const Intrinsics& lens, int width, int height, std::span<const LensValue> values,
                  const Eigen::MatrixXd& covariance) {
    if (values.empty()) return 0;
    const FrameGrid grid(lens, width, height);
    // Each value's shifts over the frame, less what a shift and a scale of the whole explain.
    std::vector<Eigen::Matrix2Xd> jacobian;
    Eigen::Matrix2Xd mean = Eigen::Matrix2Xd::Zero(2, Eigen::Index(values.size()));
    for (const auto& s : grid.undistorted) {
        jacobian.push_back(pixelByLens(lens, s, values));
        mean += jacobian.back() / double(grid.undistorted.size());
    }
    double norm = 0;
    Eigen::RowVectorXd share = Eigen::RowVectorXd::Zero(Eigen::Index(values.size()));
    for (size_t i = 0; i < jacobian.size(); ++i) {
        norm += grid.ray[i].squaredNorm();
        share += grid.ray[i].transpose() * (jacobian[i] - mean);
    }
    if (norm > 0) share /= norm;
    double worst = 0;
    for (size_t i = 0; i < jacobian.size(); ++i) {
        const Eigen::Matrix2Xd left = jacobian[i] - mean - grid.ray[i] * share;
        const double variance = (left * covariance * left.transpose()).trace();
        if (!std::isfinite(variance) || variance < 0) return 1e9;
        worst = std::max(worst, variance);
    }
    return std::sqrt(worst);
}

double horizontalFieldOfView(const Intrinsics& lens, int width, int height) {
    const double middle = (height - 1) / 2.0;
    const Eigen::Vector2d left(-0.5, middle), right(width - 0.5, middle);
    const auto a = lens.normalisedFromPixel(left), b = lens.normalisedFromPixel(right);
    const Eigen::Vector2d p = a && b ? *a : lens.distortedFromPixel(left),
                          q = a && b ? *b : lens.distortedFromPixel(right);
    return std::atan(q.x()) - std::atan(p.x());
}

double largestDistortionPx(const Intrinsics& lens, int width, int height) {
    const FrameGrid grid(lens, width, height);
    const Eigen::Vector2d focal(lens.focalPx / lens.pixelAspect, lens.focalPx);
    std::vector<Eigen::Vector2d> shift;
    double above = 0, below = 0;
    for (size_t i = 0; i < grid.undistorted.size(); ++i) {
        const Eigen::Vector2d undistorted = focal.cwiseProduct(grid.undistorted[i]);
        above += undistorted.dot(grid.ray[i]);
        below += undistorted.squaredNorm();
    }
    const double scale = below > 0 ? above / below : 1;
    double worst = 0;
    for (size_t i = 0; i < grid.undistorted.size(); ++i)
        worst = std::max(worst, (grid.ray[i] - scale * focal.cwiseProduct(grid.undistorted[i])).norm());
    return worst;
}

double largestDifferencePx(const Intrinsics& a, const Intrinsics& b, int width, int height) {
    double worst = 0;
    for (int j = 0; j <= 24; ++j)
        for (int i = 0; i <= 32; ++i) {
            const Eigen::Vector2d pixel(i * (width - 1) / 32.0, j * (height - 1) / 24.0);
            const auto s = a.normalisedFromPixel(pixel);
            if (!s) continue;
            if (s->norm() > b.lens.foldRadius()) return 1e9;
            worst = std::max(worst, (b.pixelFromNormalised(*s) - pixel).norm());
        }
    return std::isfinite(worst) ? worst : 1e9;
}

}  // namespace va
