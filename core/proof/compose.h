// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "base/picture.h"
#include "base/plane.h"
#include "media/plate_source.h"
#include "proof/render.h"
#include "shot/proof_spec.h"

namespace va {

/// How the insert is put onto the plate, besides what was rendered.
struct ComposeOptions {
    ProofLook look;
    std::optional<Eigen::Vector3f> ambient;  ///< share of the surroundings in the plate's light on the ground
    Eigen::Vector3f grainSigma{0, 0, 0};     ///< of the plate's stored values, per channel
    float grainSize = 1;                     ///< px over which grain hangs together
    uint32_t seed = 1;
    const Plane<float>* front = nullptr;  ///< how much the plate lies before the things, 0..1, plate px; null = nowhere
    float step = 1;                       ///< px of the plate between those of the render
    int left = 0, top = 0;                ///< the plate's pixel (0, 0) in the render: its overscan
};

/// The insert alone: colour multiplied by alpha, linear light; over any background it shows what was rendered. The
/// shadow is in it as what covers without colour: its share per channel where it is tinted is given by the mean.
Picture insertOf(const ProofLayers& layers, const ComposeOptions& options);

/// The plate with the insert, in the plate's own stored values. Pixels that nothing touches are the plate's, bit for
/// bit. The plate lies in the render at `left`, `top`; the result has the render's size.
Picture composed(const Picture& plate, PictureEncoding encoding, const ProofLayers& layers,
                 const ComposeOptions& options);

/// A colour graded: (gain · c + lift) to the power 1 / gamma, then saturation about Rec. 709 luma.
Eigen::Vector3f graded(const Eigen::Vector3f& linear, const ProofLook& look);

/// Gaussian noise of sigma 1 that is the same for the same numbers; `size` px hang together.
float grainAt(int x, int y, int channel, uint32_t seed, float size);

/// How much a key takes a plate's pixel for lying before the things, 0..1; display values.
float keyed(const PlateKey& key, const Eigen::Vector3f& display);

}  // namespace va
