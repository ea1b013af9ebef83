// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/minimal/essential.h"

#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <Eigen/SVD>
#include <array>

#include "base/cross_matrix.h"
#include "base/rotation_vector.h"
#include "base/svd3.h"

namespace va {
namespace {

// Polynomials in x, y, z up to degree three, in the monomial order that elimination needs: the ten of degree three
// first, then the ten that span the quotient ring.
constexpr std::array<std::array<int, 3>, 20> monomials{
    {{3, 0, 0}, {2, 1, 0}, {1, 2, 0}, {0, 3, 0}, {2, 0, 1}, {1, 1, 1}, {0, 2, 1}, {1, 0, 2}, {0, 1, 2}, {0, 0, 3},
     {2, 0, 0}, {1, 1, 0}, {0, 2, 0}, {1, 0, 1}, {0, 1, 1}, {0, 0, 2}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0, 0, 0}}};

constexpr int indexOf(int x, int y, int z) {
    for (int i = 0; i < 20; ++i)
        if (monomials[size_t(i)][0] == x && monomials[size_t(i)][1] == y && monomials[size_t(i)][2] == z) return i;
    return -1;
}

struct Polynomial {
    Eigen::Matrix<double, 20, 1> c = Eigen::Matrix<double, 20, 1>::Zero();
    Polynomial operator+(const Polynomial& o) const { return {c + o.c}; }
    Polynomial operator-(const Polynomial& o) const { return {c - o.c}; }
    Polynomial operator*(double s) const { return {c * s}; }
};

constexpr auto makeProducts() {
    std::array<std::array<int, 20>, 20> t{};
    for (size_t i = 0; i < 20; ++i)
        for (size_t j = 0; j < 20; ++j) {
            const auto &a = monomials[i], &b = monomials[j];
            t[i][j] =
                a[0] + a[1] + a[2] + b[0] + b[1] + b[2] <= 3 ? indexOf(a[0] + b[0], a[1] + b[1], a[2] + b[2]) : -1;
        }
    return t;
}
constexpr auto products = makeProducts();

Polynomial operator*(const Polynomial& a, const Polynomial& b) {
    Polynomial out;
    for (size_t i = 0; i < 20; ++i) {
        if (a.c(int(i)) == 0) continue;
        for (size_t j = 0; j < 20; ++j)
            if (products[i][j] >= 0 && b.c(int(j)) != 0) out.c(products[i][j]) += a.c(int(i)) * b.c(int(j));
    }
    return out;
}

}  // namespace

std::vector<Eigen::Matrix3d> essentialFromFive(const Points2& a, const Points2& b, const std::vector<int>& five) {
    Eigen::Matrix<double, 5, 9> q;
    for (int k = 0; k < 5; ++k) {
        const Eigen::Vector3d p = a[size_t(five[size_t(k)])].homogeneous(),
                              r = b[size_t(five[size_t(k)])].homogeneous();
        for (int i = 0; i < 3; ++i)
            for (int j = 0; j < 3; ++j) q(k, 3 * i + j) = r(i) * p(j);
    }
    const Eigen::JacobiSVD<Eigen::Matrix<double, 5, 9>> svd(q, Eigen::ComputeFullV);
    if (!(svd.singularValues()(4) > 1e-10 * svd.singularValues()(0))) return {};
    const Eigen::Matrix<double, 9, 4> basis = svd.matrixV().rightCols<4>();
    // E = x X + y Y + z Z + W, entry by entry a polynomial.
    Polynomial e[3][3];
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j) {
            e[i][j].c(indexOf(1, 0, 0)) = basis(3 * i + j, 0);
            e[i][j].c(indexOf(0, 1, 0)) = basis(3 * i + j, 1);
            e[i][j].c(indexOf(0, 0, 1)) = basis(3 * i + j, 2);
            e[i][j].c(indexOf(0, 0, 0)) = basis(3 * i + j, 3);
        }
    Polynomial eet[3][3], trace;
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j) eet[i][j] = e[i][0] * e[j][0] + e[i][1] * e[j][1] + e[i][2] * e[j][2];
    trace = eet[0][0] + eet[1][1] + eet[2][2];
    Eigen::Matrix<double, 10, 20> m;
    for (int i = 0, row = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j, ++row) {
            // 2 E Eᵀ E − trace(E Eᵀ) E = 0
            const Polynomial p =
                (eet[i][0] * e[0][j] + eet[i][1] * e[1][j] + eet[i][2] * e[2][j]) * 2 - trace * e[i][j];
            m.row(row) = p.c.transpose();
        }
    const Polynomial det = e[0][0] * (e[1][1] * e[2][2] - e[1][2] * e[2][1]) -
                           e[0][1] * (e[1][0] * e[2][2] - e[1][2] * e[2][0]) +
                           e[0][2] * (e[1][0] * e[2][1] - e[1][1] * e[2][0]);
    m.row(9) = det.c.transpose();
    const Eigen::FullPivLU<Eigen::Matrix<double, 10, 10>> lu(m.leftCols<10>());
    if (!lu.isInvertible()) return {};
    const Eigen::Matrix<double, 10, 10> reduced = lu.solve(m.rightCols<10>());
    // Multiplication by x in the quotient ring: x² … → degree-three monomials are rewritten by the reduced rows.
    Eigen::Matrix<double, 10, 10> action = Eigen::Matrix<double, 10, 10>::Zero();
    for (int k = 0; k < 10; ++k) {
        const auto& mono = monomials[size_t(10 + k)];
        const int target = indexOf(mono[0] + 1, mono[1], mono[2]);
        if (target < 10) action.row(k) = -reduced.row(target);
        else action(k, target - 10) = 1;
    }
    const Eigen::EigenSolver<Eigen::Matrix<double, 10, 10>> eigen(action);
    std::vector<Eigen::Matrix3d> out;
    for (int k = 0; k < 10; ++k) {
        if (std::fabs(eigen.eigenvalues()(k).imag()) > 1e-9 * (1 + std::fabs(eigen.eigenvalues()(k).real()))) continue;
        const Eigen::Matrix<double, 10, 1> v = eigen.eigenvectors().col(k).real();
        const double w = v(9);  // the monomial 1
        if (std::fabs(w) < 1e-14) continue;
        const Eigen::Matrix<double, 9, 1> flat = basis * Eigen::Vector4d(v(6) / w, v(7) / w, v(8) / w, 1);
        Eigen::Matrix3d found;
        found << flat(0), flat(1), flat(2), flat(3), flat(4), flat(5), flat(6), flat(7), flat(8);
        if (found.allFinite() && found.norm() > 0) out.push_back(found / found.norm());
    }
    return out;
}

double sampsonError2(const Eigen::Matrix3d& e, const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    const Eigen::Vector3d ea = e * a.homogeneous(), eb = e.transpose() * b.homogeneous();
    const double top = b.homogeneous().dot(ea);
    const double below = ea.head<2>().squaredNorm() + eb.head<2>().squaredNorm();
    return below > 0 ? top * top / below : std::numeric_limits<double>::infinity();
}

namespace {

/// Gauss–Newton on Sampson's error over the five numbers of a rotation and a direction, with differences as
/// derivatives.
Eigen::Matrix3d refineEssential(const Eigen::Matrix3d& start, const Points2& a, const Points2& b,
                                const std::vector<int>& use) {
    const Svd3 svd = svd3(start);
    Eigen::Matrix3d u = svd.u, v = svd.v, w;
    if (u.determinant() < 0) u.col(2) *= -1;
    if (v.determinant() < 0) v.col(2) *= -1;
    w << 0, -1, 0, 1, 0, 0, 0, 0, 1;
    // Any of the four poses makes the same matrix, but for its sign.
    Eigen::Matrix3d rotation = u * w * v.transpose();
    Eigen::Vector3d translation = u.col(2);
    const auto residual = [&](const Eigen::Matrix3d& e, int i) {
        const Eigen::Vector3d p = a[size_t(i)].homogeneous(), q = b[size_t(i)].homogeneous(), ep = e * p,
                              eq = e.transpose() * q;
        return q.dot(ep) / std::sqrt(std::max(1e-18, ep.head<2>().squaredNorm() + eq.head<2>().squaredNorm()));
    };
    for (int round = 0; round < 4; ++round) {
        const Eigen::Vector3d side = translation.unitOrthogonal(), other = translation.cross(side);
        constexpr double h = 1e-6;
        const Eigen::Matrix3d now = crossMatrix(translation) * rotation;
        Eigen::Matrix3d stepped[5];
        for (int k = 0; k < 3; ++k)
            stepped[k] =
                crossMatrix(translation) * Eigen::AngleAxisd(h, Eigen::Vector3d::Unit(k)).toRotationMatrix() * rotation;
        stepped[3] = crossMatrix((translation + h * side).normalized()) * rotation;
        stepped[4] = crossMatrix((translation + h * other).normalized()) * rotation;
        Eigen::Matrix<double, 5, 5> normal = Eigen::Matrix<double, 5, 5>::Zero();
        Eigen::Matrix<double, 5, 1> right = Eigen::Matrix<double, 5, 1>::Zero();
        for (const int i : use) {
            const double r = residual(now, i);
            Eigen::Matrix<double, 5, 1> slope;
            for (int k = 0; k < 5; ++k) slope(k) = (residual(stepped[k], i) - r) / h;
            normal += slope * slope.transpose();
            right += slope * r;
        }
        normal.diagonal() *= 1 + 1e-6;
        const Eigen::Matrix<double, 5, 1> step = -normal.ldlt().solve(right);
        if (!step.allFinite() || step.norm() > 1) break;
        rotation = rotationBy(step.head<3>()) * rotation;
        translation = (translation + step(3) * side + step(4) * other).normalized();
    }
    const Eigen::Matrix3d out = crossMatrix(translation) * rotation;
    return out / out.norm();
}

}  // namespace

SamplingResult<Eigen::Matrix3d> robustEssential(const Points2& a, const Points2& b, const SamplingOptions& options) {
    auto result = robustSampling<Eigen::Matrix3d>(
        int(a.size()), 5, options,
        [&](const std::vector<int>& sample, std::vector<Eigen::Matrix3d>& models) {
            for (const auto& e : essentialFromFive(a, b, sample)) models.push_back(e);
        },
        [&](const Eigen::Matrix3d& e, int i) { return sampsonError2(e, a[size_t(i)], b[size_t(i)]); });
    polish(
        result, int(a.size()), options,
        [&](const Eigen::Matrix3d& e, const std::vector<int>& use) -> std::optional<Eigen::Matrix3d> {
            if (use.size() < 6) return std::nullopt;
            return refineEssential(e, a, b, use);
        },
        [&](const Eigen::Matrix3d& e, int i) { return sampsonError2(e, a[size_t(i)], b[size_t(i)]); });
    return result;
}

std::optional<View> poseFromEssential(const Eigen::Matrix3d& e, const Points2& a, const Points2& b,
                                      const std::vector<char>& agrees) {
    const Svd3 svd = svd3(e);
    Eigen::Matrix3d u = svd.u, v = svd.v, w;
    if (u.determinant() < 0) u.col(2) *= -1;
    if (v.determinant() < 0) v.col(2) *= -1;
    w << 0, -1, 0, 1, 0, 0, 0, 0, 1;
    int best = -1, total = 0;
    View bestView;
    for (char ok : agrees) total += ok;
    for (int k = 0; k < 4; ++k) {
        View view;
        view.rotation = u * (k < 2 ? w : Eigen::Matrix3d(w.transpose())) * v.transpose();
        view.translation = (k % 2 ? 1.0 : -1.0) * u.col(2);
        int front = 0;
        for (size_t i = 0; i < a.size(); ++i) {
            if (!agrees[i]) continue;
            // Depths along both rays from d1 R a − d2 b = −t, in the least-squares sense.
            const Eigen::Vector3d p = view.rotation * a[i].homogeneous(), q = b[i].homogeneous();
            const double pp = p.squaredNorm(), pq = p.dot(q), qq = q.squaredNorm(), det = pp * qq - pq * pq;
            const double pt = p.dot(view.translation), qt = q.dot(view.translation);
            if (det <= 0) continue;
            front += (-pt * qq + qt * pq) / det > 0 && (pp * qt - pq * pt) / det > 0;
        }
        if (front > best) best = front, bestView = view;
    }
    if (best * 2 <= total) return std::nullopt;
    return bestView;
}

}  // namespace va
