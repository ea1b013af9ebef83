// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "base/plane.h"
#include "base/progress.h"
#include "proof/camera_rays.h"
#include "proof/lights.h"
#include "proof/ray_scene.h"
#include "proof/sample_sequence.h"

namespace va {

/// How a catcher shows what stands on it.
struct CatcherLook {
    float mirror = 0;      ///< share that is reflected, seen from straight above
    float roughness = 0;   ///< of the mirror
    float fade = 0;        ///< world units from a thing to the surface by which its reflection has halved; 0 = never
    float ripple = 0;      ///< radians by which waves tilt the mirror, RMS
    float rippleSize = 1;  ///< world units of a wave
    float edge = 0;        ///< world units over which its border fades
};

/// The light of what is real, at a place of the scene (from its origin): the plate's own there. Things reflect it.
using RealLight = std::function<Eigen::Vector3f(const Eigen::Vector3f& place)>;

struct ProofOptions {
    uint32_t seed = 1;
    int bounces = 1;                    ///< from thing to thing, beyond direct light
    float filterSigma = 0;              ///< px of the plate of a Gaussian blur; 0 = a pixel's own square
    float aperture = 0;                 ///< radius in world units; 0 = all is in focus
    float focusDistance = 1;            ///< along the axis, world units
    bool passes = false;                ///< keep what the passes need
    std::vector<CatcherLook> catchers;  ///< one an item of the scene; may be shorter
    RealLight real;                     ///< may be empty: what is real is black then
    float haze = 0;                     ///< world units in which half of a thing's colour is gone; 0 = none
    Eigen::Vector3f hazeColour{0, 0, 0};
};

/// What a render has found, as sums over its samples; value(…) divides. Linear light. All are `width · height` long,
/// rows from the top.
struct ProofLayers {
    int width = 0, height = 0, samples = 0;
    std::vector<Eigen::Vector4f> colour;             ///< of things, multiplied by coverage; coverage
    std::vector<Eigen::Vector4f> mirrored;           ///< things in mirrors, multiplied by coverage; coverage
    std::vector<float> caught;                       ///< coverage by catchers
    std::vector<Eigen::Vector3f> keyLight, keyLeft;  ///< of sun and lamps on catchers: without things, and with
    std::vector<Eigen::Vector3f> skyLight, skyLeft;  ///< of the surroundings, the same
    /// Px by which panes shift the plate, right and down, and their coverage; empty without panes.
    std::vector<Eigen::Vector3f> shifted;
    // Passes, where kept.
    std::vector<float> depth;                 ///< of the nearest sample of a thing; 0 = none
    std::vector<Eigen::Vector3f> position;    ///< world, there, from the scene's origin
    std::vector<int> item;                    ///< there; −1 = none
    std::vector<float> open;                  ///< share of the surroundings that things' surfaces see
    std::vector<std::vector<float>> covered;  ///< by each item of the scene; empty for those that are not shown

    [[nodiscard]] size_t count() const { return size_t(width) * size_t(height); }
    /// Whether things change a pixel at all.
    [[nodiscard]] bool touched(size_t i) const;
    /// What is left of the plate's light on a pixel's catchers, per channel; `ambient` is the share of the surroundings
    /// in the plate's own light there, where it was measured (else it follows from the lights).
    [[nodiscard]] Eigen::Vector3f shade(size_t i, const std::optional<Eigen::Vector3f>& ambient) const;
};

/// Renders things by light paths that begin at the camera: at each surface every light is asked once, and the path goes
/// on in a direction that the surface scatters to; both ways to find a light are weighed by the balance heuristic
/// (Veach & Guibas, SIGGRAPH 1995). Samples are added until they are enough: the same samples give the same picture
/// whatever the number of threads. After the first few, pixels far from everything that they found get no more.
class ProofRender {
  public:
    ProofRender(std::shared_ptr<const RayScene> scene, std::vector<ProofLight> lights, CameraRays rays,
                const ProofFrame& frame, ProofOptions options);
    /// Adds samples to every pixel. Throws Cancelled between rows.
    void add(int samples, const Progress* progress = nullptr);
    [[nodiscard]] const ProofLayers& layers() const { return layers_; }
    [[nodiscard]] const RayScene& scene() const { return *scene_; }
    /// Rays that were followed, for measurements.
    [[nodiscard]] long rays() const { return rays_; }

  private:
    struct Path;
    void addEverywhere(int samples, const Progress* progress);
    void addStrip(int top, int moment, int from, int to, long& rays);
    void findIdle();
    [[nodiscard]] int firstSampleAt(int moment, int x, int y) const;
    /// A line through a place of the aperture, which meets that through its middle where the lens focuses.
    [[nodiscard]] CameraRays::Line throughAperture(CameraRays::Line line, const Eigen::Vector2f& place) const;
    struct Bundle;
    void begin(Bundle& bundle, float time, const CameraRays& camera) const;
    struct Caught;
    /// Follows a bundle to its end, and empties it.
    void follow(Bundle& bundle, long& rays);
    struct Walk;
    /// Light that surfaces send back along the rays that have met them.
    void shine(std::span<Walk> walks) const;
    void askLights(std::span<Walk> walks, uint32_t use) const;
    void goOn(std::span<Walk> walks, int bounce) const;
    void show(const Walk& walk, float weight, const Eigen::Vector3f& from);
    void lookThrough(Bundle& bundle, size_t k, RayHit& hit, float weight);
    /// Whether anything that is shown takes a noticeable share of the light from places.
    struct Shaded {
        LaneMask sky{}, key{};
    };
    [[nodiscard]] Shaded shaded(const Lanes3& places, const Lanes3& normals) const;
    void catches(std::span<const Caught> places);
    /// Irradiance by a light in each direction that it is asked in.
    struct Asked;
    void ask(const ProofLight& light, const Lanes& u, const Lanes& v, Asked& out) const;
    void mirrors(std::span<const Caught> places);
    [[nodiscard]] Eigen::Vector3f sky(const Eigen::Vector3f& from, const Eigen::Vector3f& along, float distance,
                                      float density) const;

    std::shared_ptr<const RayScene> scene_;
    std::vector<ProofLight> lights_;
    CameraRays camera_;
    bool moves_;  ///< something does while the shutter is open
    ProofFrame frame_;
    ProofOptions options_;
    SampleTable table_;
    std::array<uint8_t, 4096> firsts_{};  ///< where pixels of a tile begin among the moments
    ProofLayers layers_;
    std::vector<uint8_t> idle_;  ///< pixels that get no more samples; empty = not known yet
    long rays_ = 0;
};

}  // namespace va
