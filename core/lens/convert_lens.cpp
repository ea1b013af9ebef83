// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/convert_lens.h"

#include <Eigen/Dense>
#include <cmath>
#include <functional>

namespace va {
namespace {

struct Target {
    Eigen::Vector2d undistorted, distorted;  ///< normalised
};

/// Numbers of `lens.lens` that distort the targets' undistorted positions nearest to their distorted ones.
void fit(Intrinsics& lens, const std::vector<Target>& targets, const std::vector<int>& solved) {
    const auto n = Eigen::Index(solved.size());
    const auto cost = [&](const LensModel& m, Eigen::MatrixXd* normal, Eigen::VectorXd* right) {
        double sum = 0;
        for (const Target& t : targets) {
            if (t.undistorted.norm() > m.foldRadius()) return 1e300;
            LensValueJacobian byValues;
            const Eigen::Vector2d e =
                distortPoint(m.kind(), m.values(), t.undistorted, nullptr, normal ? &byValues : nullptr) - t.distorted;
            sum += e.squaredNorm();
            if (!normal) continue;
            Eigen::Matrix2Xd j(2, n);
            for (Eigen::Index k = 0; k < n; ++k) j.col(k) = byValues.col(solved[size_t(k)]);
            *normal += j.transpose() * j;
            *right -= j.transpose() * e;
        }
        return std::isfinite(sum) ? sum : 1e300;
    };
    double damping = 1e-6;
    for (int i = 0; i < 60; ++i) {
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        const double here = cost(lens.lens, &normal, &right);
        bool better = false;
        for (; damping < 1e9 && !better; damping *= 10) {
            Eigen::MatrixXd damped = normal;
            damped.diagonal() *= 1 + damping;
            damped.diagonal().array() += 1e-15;
            const Eigen::VectorXd step = damped.ldlt().solve(right);
            LensModel next = lens.lens;
            for (Eigen::Index k = 0; k < n; ++k)
                next.setValue(solved[size_t(k)], next.value(solved[size_t(k)]) + step[k]);
            const double there = cost(next, nullptr, nullptr);
            if (!(there < here)) continue;
            better = true;
            lens.lens = next;
            damping = std::max(1e-12, damping * 0.01);
            if (here - there < 1e-14 * here) return;
        }
        if (!better) return;
    }
}

/// Numbers that a conversion solves: all but those that another number does as well.
std::vector<int> solvedNumbers(LensKind kind) {
    switch (kind) {
        case LensKind::division: return {0};
        case LensKind::fisheye: return {0, 1, 2, 3};
        case LensKind::anamorphic: return {2, 3, 4, 5, 6, 7, 8, 9, 10, 11};
        case LensKind::brownConrady: break;
    }
    return {0, 1, 2, 3, 4};
}

std::vector<Eigen::Vector2d> undistortedPlaces(const Intrinsics& lens, int width, int height) {
    std::vector<Eigen::Vector2d> out;
    for (int j = 0; j <= 24; ++j)
        for (int i = 0; i <= 32; ++i)
            if (const auto s = lens.normalisedFromPixel({i * (width - 1) / 32.0, j * (height - 1) / 24.0}))
                out.push_back(*s);
    return out;
}

}  // namespace

ConvertedLens convertLens(const Intrinsics& lens, LensKind to, int width, int height) {
    ConvertedLens out{lens, 0};
    if (lens.lens.kind() == to) return out;
    std::vector<Target> targets;
    for (const auto& s : undistortedPlaces(lens, width, height)) targets.push_back({s, lens.lens.distort(s)});
    out.lens.lens = LensModel(to);
    fit(out.lens, targets, solvedNumbers(to));
    out.largestPx = largestDifferencePx(lens, out.lens, width, height);
    return out;
}

LensModel distortionForFocal(const LensModel& distortion, double ratio) {
    LensModel out = distortion;
    // Powers of the radius that each number goes with.
    constexpr std::array brown{2, 4, 6, 1, 1, 2, 4, 6};
    constexpr std::array anamorphic{0, 0, 2, 2, 4, 4, 4, 2, 2, 4, 4, 4};
    for (int i = 0; i < distortion.count(); ++i) {
        int power = 0;
        switch (distortion.kind()) {
            case LensKind::brownConrady: power = brown[size_t(i)]; break;
            case LensKind::division: power = 2; break;
            case LensKind::anamorphic: power = anamorphic[size_t(i)]; break;
            case LensKind::fisheye: break;
        }
        out.setValue(i, distortion.value(i) * std::pow(ratio, power));
    }
    return out;
}

double RadialPolynomial::distorted(double u) const {
    const auto [a, b, c] = terms;
    switch (form) {
        case RadialForm::poly3: return u * (1 - a + a * u * u);
        case RadialForm::poly5: return u * (1 + u * u * (a + u * u * b));
        case RadialForm::ptlens: break;
    }
    return u * (1 - a - b - c + u * (c + u * (b + u * a)));
}

ConvertedLens lensFromPolynomial(const RadialPolynomial& p, const Intrinsics& camera, int width, int height) {
    const auto [a, b, c] = p.terms;
    const double middle = p.form == RadialForm::poly3 ? 1 - a : p.form == RadialForm::ptlens ? 1 - a - b - c : 1.0;
    ConvertedLens out{camera, 0};
    out.lens.focalPx = camera.focalPx * middle;
    out.lens.lens = LensModel();
    // Distorted radius, normalised by the new focal length, of an undistorted one.
    const auto distorted = [&](double undistorted) { return p.distorted(undistorted / p.unit) * p.unit / middle; };
    const double q = 1 / (p.unit * p.unit);
    switch (p.form) {
        case RadialForm::poly3: out.lens.lens.setValue(0, a * q / middle); return out;
        case RadialForm::poly5:
            out.lens.lens.setValue(0, a * q);
            out.lens.lens.setValue(1, b * q * q);
            return out;
        case RadialForm::ptlens: break;
    }
    double corner = 0;
    for (const double x : {0.0, width - 1.0})
        for (const double y : {0.0, height - 1.0})
            corner = std::max(corner, out.lens.distortedFromPixel({x, y}).norm());
    std::vector<Target> targets;
    double outermost = 0;
    for (int i = 1; i <= 200; ++i) {
        const double s = corner * 1.5 * i / 200;
        if (distorted(s) > corner) break;
        outermost = s;
        targets.push_back({{s, 0}, {distorted(s), 0}});
    }
    fit(out.lens, targets, {0, 1, 2, 5, 6, 7});
    for (int i = 0; i <= 100; ++i) {
        const double s = outermost * i / 100;
        out.largestPx =
            std::max(out.largestPx, out.lens.focalPx * std::fabs(out.lens.lens.distort({s, 0}).x() - distorted(s)));
    }
    return out;
}

}  // namespace va
