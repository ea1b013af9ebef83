// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>

namespace va {

/// How a surface scatters light at a point: base colour, roughness and metalness as in the glTF 2.0 specification
/// (Khronos, appendix B). Colours are linear light.
struct SurfaceLook {
    Eigen::Vector3f base{0.5F, 0.5F, 0.5F};
    float roughness = 1, metalness = 0;
};

/// Axes with Z along a unit normal, without branches (Duff et al., JCGT 6(1), 2017).
struct Axes {
    Eigen::Vector3f x, y, z;
    explicit Axes(const Eigen::Vector3f& normal);
    [[nodiscard]] Eigen::Vector3f toWorld(const Eigen::Vector3f& v) const { return v.x() * x + v.y() * y + v.z() * z; }
    [[nodiscard]] Eigen::Vector3f toLocal(const Eigen::Vector3f& v) const { return {v.dot(x), v.dot(y), v.dot(z)}; }
};

/// Light scattered at a point towards a viewer, in axes whose Z is the normal.
///
/// Microfacets of the distribution by Trowbridge & Reitz with Smith's shadowing (Walter et al., EGSR 2007), sampled by
/// what the viewer sees (Heitz, JCGT 7(4), 2018), over a matte base. Light that goes from facet to facet is given back
/// (Turquin, "Practical multiple scattering compensation for microfacet models", 2019), and the base gets what the
/// facets let through, so that a white surface loses no light at all at any roughness. Not reciprocal: only paths that
/// begin at the viewer are traced.
class Scatter {
  public:
    /// `out` is the unit direction to the viewer; from below the surface nothing is scattered.
    Scatter(const SurfaceLook& surface, const Eigen::Vector3f& out);
    struct Towards {
        Eigen::Vector3f share = Eigen::Vector3f::Zero();  ///< reflected, times cosine, per steradian
        float density = 0;                                ///< of sample(), per steradian
    };
    /// Of light that comes from `in`.
    [[nodiscard]] Towards from(const Eigen::Vector3f& in) const;
    /// A direction that light comes from. The first number chooses between facets and base as well: points that fill
    /// the square evenly fill both evenly.
    [[nodiscard]] Eigen::Vector3f sample(const Eigen::Vector2f& u) const;

  private:
    Eigen::Vector3f out_;
    float alpha_, outLambda_;      ///< facets' width; Smith's Λ towards the viewer
    Eigen::Vector3f f0_, facets_;  ///< at normal incidence; share that facets reflect in all, of the once-reflected
    Eigen::Vector3f base_;         ///< matte albedo that is left
    float facetShare_;             ///< how often a facet is sampled
};

}  // namespace va
