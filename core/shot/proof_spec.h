// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "shot/exclusions.h"

namespace va {

/// What a thing is for a proof.
enum class ProofPart : uint8_t {
    shown,    ///< it is rendered
    catcher,  ///< it stands for something real: it receives shadow and reflection and hides what lies behind it
    standIn,  ///< it stands for something real: it hides what lies behind it, and receives nothing
    away,     ///< it is left out
    pane      ///< a card that shifts what lies behind it by its picture: glass, water on a lens, hot air
};
inline constexpr const char* proofPartWords[] = {"shown", "catcher", "stand_in", "away", "pane"};

/// How a catcher shows what stands on it.
struct CatcherSpec {
    double mirror = 0;      ///< share that is reflected, seen from straight above
    double roughness = 0;   ///< of the mirror, 0..1
    double fade = 0;        ///< world units from a thing to the surface by which its reflection has halved; 0 = never
    double ripple = 0;      ///< degrees by which waves tilt the mirror, RMS
    double rippleSize = 1;  ///< world units of a wave
    double edge = 0;        ///< world units over which its border fades, where the real surface ends
    friend bool operator==(const CatcherSpec&, const CatcherSpec&) = default;
};

/// What a proof makes of one thing. A thing without one is shown as it is.
struct ProofRole {
    int thing = 0;
    ProofPart part = ProofPart::shown;
    std::optional<double> roughness, metalness;  ///< in place of its materials'
    double glow = 0;                             ///< light of its own, times its colour
    CatcherSpec catches;
    /// Of a pane: px by which a slope from black to white over a tenth of its width shifts the picture, towards white.
    double shift = 4;
    friend bool operator==(const ProofRole&, const ProofRole&) = default;
};

/// When and where on the earth a plate was shot.
struct PlaceAndTime {
    int year = 2026, month = 6, day = 21;
    double hours = 12;                            ///< of the clock there
    double zone = 0;                              ///< hours that the clock is ahead of UT
    double latitude = 0, longitude = 0;           ///< degrees, north and east
    double elevation = 0;                         ///< m
    double pressure = 1013.25, temperature = 15;  ///< hPa, °C: how far the air lifts the sun
    friend bool operator==(const PlaceAndTime&, const PlaceAndTime&) = default;
};

/// A post and its shadow on the ground, as marked in a frame, px.
struct ShadowPost {
    int frame = 0;
    Eigen::Vector2d foot{0, 0}, top{0, 0}, tip{0, 0};
    friend bool operator==(const ShadowPost&, const ShadowPost&) = default;
};

struct ProofSun {
    bool on = true;
    Eigen::Vector3d toSun = Eigen::Vector3d(0.45, 0.75, 0.485).normalized();  ///< unit, world
    double sigmaDegrees = -1;         ///< of the direction, where it was measured; negative = by hand
    double diameter = 0.53;           ///< degrees
    double strength = 0.8;            ///< 1: white that faces it is as bright as white
    Eigen::Vector3d colour{1, 1, 1};  ///< linear light
    friend bool operator==(const ProofSun&, const ProofSun&) = default;
};
struct ProofSky {
    bool on = true;
    double strength = 0.3;            ///< 1: open white is as bright as white
    Eigen::Vector3d colour{1, 1, 1};  ///< linear light
    std::string picture;              ///< of all directions; empty = even
    double turn = 0;                  ///< degrees about the upright, from above clockwise
    friend bool operator==(const ProofSky&, const ProofSky&) = default;
};

/// Shadow as the plate has it: two spots of one ground, one in the light and one in shadow.
struct ShadowMeasure {
    int frame = 0;
    Eigen::Vector2d lit{0, 0}, shaded{0, 0};  ///< px
    Eigen::Vector3d left{0, 0, 0};            ///< share of light that is left in shadow, per channel
    friend bool operator==(const ShadowMeasure&, const ShadowMeasure&) = default;
};

/// A range of the plate's brightness or colour that lies before the things.
struct PlateKey {
    bool on = false;
    enum class By : uint8_t { brightness, hue } by = By::brightness;
    double low = 0.8, high = 1;  ///< share of white, as displayed; or degrees of hue
    double softness = 0.05;      ///< the same units, half to each side
    bool invert = false;
    friend bool operator==(const PlateKey&, const PlateKey&) = default;
};
inline constexpr const char* plateKeyWords[] = {"brightness", "hue"};

/// What lies before the things: shapes, files and the key. Shapes cut the key where both are there.
struct ProofFront {
    std::vector<MaskShape> masks;
    Matte matte;
    PlateKey key;
    friend bool operator==(const ProofFront&, const ProofFront&) = default;
};

/// How the insert is brought near to the plate's picture.
struct ProofLook {
    double blur = -1;  ///< px of a Gaussian; negative = as measured in the plate, 0 = none
    bool motionBlur = true;
    double shutter = 0;        ///< share of a frame's time; 0 = as the solve found it, or half
    double fNumber = 0;        ///< 0 = all is in focus
    double focusDistance = 0;  ///< world units
    double grain = 1;          ///< of the plate's own grain; 0 = none
    double lift = 0, gamma = 1, gain = 1, saturation = 1;
    Eigen::Vector3d tint{1, 1, 1};
    double haze = 0;                             ///< world units in which half of a thing's colour is gone; 0 = none
    Eigen::Vector3d hazeColour{0.6, 0.65, 0.7};  ///< linear light
    /// Px by which the lens shows red and blue further out than green at the plate's corners.
    double fringeRed = 0, fringeBlue = 0;
    friend bool operator==(const ProofLook&, const ProofLook&) = default;
};

/// All that an artist decides about a proof.
struct ProofSpec {
    ProofSun sun;
    ProofSky sky;
    bool ground = true;  ///< the ground catches
    CatcherSpec groundCatches;
    std::vector<ProofRole> roles;
    std::vector<ShadowPost> posts;
    std::optional<PlaceAndTime> place;
    double north = 0;  ///< degrees from the world's −Z towards +X
    std::optional<ShadowMeasure> shadow;
    ProofFront front;
    ProofLook look;
    int samples = 16;
    friend bool operator==(const ProofSpec&, const ProofSpec&) = default;

    [[nodiscard]] const ProofRole* role(int thing) const;
    /// The role of a thing, made where it has none.
    ProofRole& roleOf(int thing);
};

/// One number that a proof goes by: what files, the shell and the inspector call it. A new number is a line in the
/// table of proof_spec.cpp.
struct ProofNumber {
    const char* path;   ///< in files and on the shell, "/sun/strength"
    const char* label;  ///< on screen, English
    const char* unit;
    double low, high;  ///< both allowed
    int decimals;
    double& (*of)(ProofSpec& spec);
};
std::span<const ProofNumber> proofNumbers();
const ProofNumber* proofNumber(std::string_view path);

}  // namespace va
