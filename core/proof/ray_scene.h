// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <array>
#include <memory>
#include <vector>

#include "base/picture.h"
#include "layout/drawn_shape.h"
#include "proof/lanes.h"
#include "proof/surface.h"
#include "shot/proof_spec.h"
#include "solve/similarity.h"

namespace va {

/// Something that rays can meet.
struct ProofItem {
    int id = 0;  ///< of the thing; 0 = the ground
    ProofPart part = ProofPart::shown;
    std::shared_ptr<const DrawnShape> shape;
    std::vector<Similarity> worldFromShape;    ///< one, or several evenly over the time that the shutter is open
    Eigen::Vector4d colour{0.5, 0.5, 0.5, 1};  ///< as displayed; where a material has none of its own
    std::vector<std::shared_ptr<const Picture8>> pictures;  ///< one a material; may be empty or hold null
    std::optional<float> roughness, metalness;              ///< in place of the materials'
    float glow = 0;                                         ///< light of its own, times its colour
    float shift = 0;                                        ///< of a pane, px; see ProofRole
    bool round = true;                                      ///< shaded as if edges of less than 40° were round
};

/// A place on a surface, and its normal towards the ray that met it.
struct SurfacePlace {
    Eigen::Vector3f position, normal;
};
/// A surface at a place, as a ray met it.
struct SurfacePoint : SurfacePlace {
    float distance = 0;
    int item = -1;
    Eigen::Vector3f facing;  ///< the normal to shade by
    SurfaceLook surface;
    float opacity = 1;
    Eigen::Vector3f glow = Eigen::Vector3f::Zero();
    bool unlit = false;
    Blend blend = Blend::over;
};

/// What a ray has met.
struct RayHit {
    float distance = 0;
    int item = -1;  ///< −1 = nothing
    unsigned triangle = 0;
    float u = 0, v = 0;  ///< weights of its second and third corner
};

/// Rays that are followed together, from their beginnings.
struct RayPacket {
    Lanes3 from, along;
    alignas(32) Lanes farthest{};
    alignas(32) LaneMask on{};  ///< those that are there at all
    bool alike = true;          ///< they take much the same way
};

/// Triangles of all items in one structure that finds what a ray meets first (Wald et al., "Embree", SIGGRAPH 2014).
/// Positions are float, from an origin that should be near to the viewer: a pixel then keeps its place to a hundredth.
class RayScene {
  public:
    /// Which items a ray can meet. The ground (a real item with the id 0) is flat: nothing on it is shaded by it.
    /// A pane is met by rays from the camera alone.
    enum Mask : unsigned { shown = 1, real = 2, ground = 4, all = 7, pane = 8, seen = 15 };

    /// Moments of an open shutter at which what moves stands.
    static constexpr int moments = 16;
    /// Throws Error where the structure can't be built (memory).
    RayScene(std::vector<ProofItem> items, const Eigen::Vector3d& origin);
    ~RayScene();
    RayScene(const RayScene&) = delete;
    RayScene& operator=(const RayScene&) = delete;

    /// The first triangle beyond `nearest`. `along` has the length 1; `time` is 0..1 over the shutter.
    [[nodiscard]] RayHit meet(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float nearest, float farthest,
                              float time, unsigned mask) const;
    /// The same for rays that are followed together.
    [[nodiscard]] std::array<RayHit, laneCount> meet(const RayPacket& rays, float time, unsigned mask) const;
    /// The surface that a ray has met; of what is not shown only place and normal. `spread` is the width of the ray per
    /// unit of distance, which decides how coarsely pictures are read.
    [[nodiscard]] SurfacePoint surfaceAt(const RayHit& hit, const Eigen::Vector3f& from, const Eigen::Vector3f& along,
                                         float time, float spread) const;
    /// Place and normal alone.
    [[nodiscard]] SurfacePlace placeAt(const RayHit& hit, const Eigen::Vector3f& from, const Eigen::Vector3f& along,
                                       float time) const;
    /// Px by which a pane shifts what lies behind the place that a ray has met: right and down, by the camera's axes
    /// (right, up, forward).
    [[nodiscard]] Eigen::Vector2f shiftAt(const RayHit& hit, float time, const Eigen::Matrix3f& axes) const;
    /// World units from a place on an item to the nearest of its open edges, at most `most`: that where it has none.
    [[nodiscard]] float toBorder(int item, const Eigen::Vector3f& at, float time, float most) const;
    /// Share of light that passes: 0 behind something opaque.
    [[nodiscard]] float passes(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float farthest, float time,
                               unsigned mask) const;
    [[nodiscard]] Lanes passes(const RayPacket& rays, float time, unsigned mask) const;
    [[nodiscard]] const std::vector<ProofItem>& items() const { return items_; }
    [[nodiscard]] const Eigen::Vector3d& origin() const { return origin_; }
    /// Spheres about the shown items, from the scene's origin; a moving one's holds all its places.
    [[nodiscard]] const std::vector<LaneSphere>& spheres() const { return spheres_; }
    [[nodiscard]] bool has(unsigned mask) const { return (mask & present_) != 0; }
    /// Nothing lets light pass, but for panes.
    [[nodiscard]] bool solid() const;
    /// Beyond a surface at that position a ray begins anew this far away.
    [[nodiscard]] static float gap(const Eigen::Vector3f& at) { return 1e-5F * (at.cwiseAbs().maxCoeff() + 0.1F); }

  private:
    struct Built;
    std::vector<ProofItem> items_;
    Eigen::Vector3d origin_;
    std::vector<LaneSphere> spheres_;
    unsigned present_ = 0;
    std::unique_ptr<Built> built_;
};

}  // namespace va
