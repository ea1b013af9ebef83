// SPDX-License-Identifier: GPL-3.0-or-later
#include "proof/surface.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

#include "proof/sample_sequence.h"

namespace va {
namespace {

constexpr float pi = std::numbers::pi_v<float>;
/// Facets of a perfect mirror would have no width at all.
constexpr float smallestAlpha = 1e-3F;

float square(float v) { return v * v; }
float fifth(float v) { return square(square(v)) * v; }

float distribution(float cosH, float alpha) {
    const float a2 = alpha * alpha, d = cosH * cosH * (a2 - 1) + 1;
    return a2 / (pi * d * d);
}
/// Smith's Λ.
float lambda(float cosine, float alpha) {
    const float c2 = cosine * cosine;
    return c2 >= 1 ? 0 : (std::sqrt(1 + alpha * alpha * (1 - c2) / c2) - 1) / 2;
}
/// A facet's normal among those that the viewer sees.
Eigen::Vector3f visibleNormal(const Eigen::Vector3f& out, float alpha, const Eigen::Vector2f& u) {
    const Eigen::Vector3f v = Eigen::Vector3f(alpha * out.x(), alpha * out.y(), out.z()).normalized();
    const float length2 = v.x() * v.x() + v.y() * v.y();
    const Eigen::Vector3f t1 =
        length2 > 0 ? Eigen::Vector3f(-v.y(), v.x(), 0) / std::sqrt(length2) : Eigen::Vector3f(1, 0, 0);
    const Eigen::Vector3f t2 = v.cross(t1);
    const float r = std::sqrt(u.x()), phi = 2 * pi * u.y(), p1 = r * std::cos(phi), s = (1 + v.z()) / 2;
    const float p2 = (1 - s) * std::sqrt(std::max(0.0F, 1 - p1 * p1)) + s * r * std::sin(phi);
    const Eigen::Vector3f n = p1 * t1 + p2 * t2 + std::sqrt(std::max(0.0F, 1 - p1 * p1 - p2 * p2)) * v;
    return Eigen::Vector3f(alpha * n.x(), alpha * n.y(), std::max(1e-6F, n.z())).normalized();
}

/// What facets reflect once, of light from all around: `scale` · F0 + `bias` (Karis, "Real Shading in Unreal", SIGGRAPH
/// course 2013, the split of Schlick's Fresnel term), over the viewer's cosine and alpha.
struct Reflected {
    float scale, bias;
};
class ReflectedTable {
  public:
    static constexpr int size = 32;
    ReflectedTable() {
        const SampleSequence sequence(7);
        for (int a = 0; a < size; ++a)
            for (int c = 0; c < size; ++c) {
                const float cosine = std::max(1e-3F, square(float(c) / (size - 1))),  // closer at grazing angles
                    alpha = std::max(smallestAlpha, square(float(a) / (size - 1)));
                const Eigen::Vector3f out(std::sqrt(1 - cosine * cosine), 0, cosine);
                double scale = 0, bias = 0;
                constexpr int samples = 2048;
                for (uint32_t i = 0; i < samples; ++i) {
                    const Eigen::Vector3f h = visibleNormal(out, alpha, sequence.at(i, 0));
                    const float outH = out.dot(h);
                    const Eigen::Vector3f in = 2 * outH * h - out;
                    if (in.z() <= 0) continue;
                    // Of the facets that the viewer sees, the share that the light reaches.
                    const float l = lambda(out.z(), alpha), g = (1 + l) / (1 + l + lambda(in.z(), alpha));
                    const float f = fifth(1 - std::clamp(outH, 0.0F, 1.0F));
                    scale += double(g * (1 - f)), bias += double(g * f);
                }
                at_[size_t(a)][size_t(c)] = {float(scale / samples), float(bias / samples)};
            }
    }
    [[nodiscard]] Reflected at(float cosine, float alpha) const {
        const float x = std::clamp(std::sqrt(std::max(0.0F, cosine)) * (size - 1), 0.0F, float(size - 1)),
                    y = std::clamp(std::sqrt(alpha) * (size - 1), 0.0F, float(size - 1));
        const int x0 = std::min(int(x), size - 2), y0 = std::min(int(y), size - 2);
        const float fx = x - float(x0), fy = y - float(y0);
        const auto mix = [&](float Reflected::*m) {
            const auto& a = at_[size_t(y0)];
            const auto& b = at_[size_t(y0) + 1];
            return (1 - fy) * ((1 - fx) * a[size_t(x0)].*m + fx * a[size_t(x0) + 1].*m) +
                   fy * ((1 - fx) * b[size_t(x0)].*m + fx * b[size_t(x0) + 1].*m);
        };
        return {mix(&Reflected::scale), mix(&Reflected::bias)};
    }

  private:
    std::array<std::array<Reflected, size>, size> at_{};
};

}  // namespace

Axes::Axes(const Eigen::Vector3f& n) : z(n) {
    const float sign = std::copysign(1.0F, n.z()), a = -1 / (sign + n.z()), b = n.x() * n.y() * a;
    x = {1 + sign * n.x() * n.x() * a, sign * b, -sign * n.x()};
    y = {b, sign + n.y() * n.y() * a, -n.y()};
}

Scatter::Scatter(const SurfaceLook& s, const Eigen::Vector3f& out) : out_(out) {
    static const ReflectedTable table;
    alpha_ = std::max(smallestAlpha, square(std::clamp(s.roughness, 0.0F, 1.0F)));
    outLambda_ = out.z() > 0 ? lambda(out.z(), alpha_) : 0;
    const float metal = std::clamp(s.metalness, 0.0F, 1.0F);
    f0_ = Eigen::Vector3f::Constant(0.04F * (1 - metal)) + metal * s.base;
    const Reflected once = table.at(out.z(), alpha_);
    const float all = std::max(1e-3F, once.scale + once.bias);
    // Light lost between facets comes back with their colour.
    facets_ = Eigen::Vector3f::Ones() + f0_ * ((1 - all) / all);
    const Eigen::Vector3f reflected =
        (f0_ * once.scale + Eigen::Vector3f::Constant(once.bias)).cwiseProduct(facets_).cwiseMin(1);
    base_ = (1 - metal) * s.base.cwiseProduct(Eigen::Vector3f::Ones() - reflected);
    const float a = reflected.sum(), b = base_.sum();
    // Of wide facets many send light below the surface: the base's directions find the rest more often.
    facetShare_ = a + b > 0 ? std::clamp(a / (a + b), 0.05F, 1 - alpha_ / 2) : 0;
}

Scatter::Towards Scatter::from(const Eigen::Vector3f& in) const {
    if (in.z() <= 0 || out_.z() <= 0) return {};
    const Eigen::Vector3f h = (in + out_).normalized();
    const float f = fifth(1 - std::clamp(out_.dot(h), 0.0F, 1.0F));
    const Eigen::Vector3f fresnel = f0_ + (Eigen::Vector3f::Ones() - f0_) * f;
    const float facets = distribution(h.z(), alpha_) / (4 * out_.z());
    const float seen = 1 / (1 + outLambda_ + lambda(in.z(), alpha_));
    Towards out;
    out.share = facets * seen * fresnel.cwiseProduct(facets_) + base_ * (in.z() / pi);
    out.density = facetShare_ * facets / (1 + outLambda_) + (1 - facetShare_) * in.z() / pi;
    return out;
}

Eigen::Vector3f Scatter::sample(const Eigen::Vector2f& u) const {
    if (u.x() < facetShare_) {
        const Eigen::Vector3f h = visibleNormal(out_, alpha_, {u.x() / facetShare_, u.y()});
        return 2 * out_.dot(h) * h - out_;
    }
    const float v = (u.x() - facetShare_) / (1 - facetShare_);
    const float r = std::sqrt(v), phi = 2 * pi * u.y();
    return {r * std::cos(phi), r * std::sin(phi), std::sqrt(std::max(1e-6F, 1 - v))};
}

}  // namespace va
