// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "ground/sure_point.h"

namespace va {

/// What a known length lies between.
enum class LengthKind : uint8_t {
    distance,          ///< two points
    uprightHeight,     ///< of an upright thing: foot and top
    heightOverGround,  ///< of a point over the ground
    cameraHeight,      ///< of a frame's camera over the ground
    spacing,           ///< of three or more points in a row at even steps: one step
};
inline constexpr const char* lengthWords[] = {"distance", "upright", "over_ground", "camera_height", "spacing"};

/// A length that the artist knows.
struct KnownLength {
    LengthKind kind = LengthKind::distance;
    std::vector<int> paths;  ///< as the kind says
    int frame = 0;           ///< of a camera's height
    double metres = 1;
    double sigma = 0;  ///< m, one deviation; 0 = 1 % of the length
    std::string name;  ///< "door leaf"; may be empty
    friend bool operator==(const KnownLength&, const KnownLength&) = default;
};

/// Sizes that are common, as a first guess at a scene's scale. Common practice, without a source.
struct TypicalSize {
    const char* name;
    LengthKind kind;
    double metres, sigma;
};
const std::vector<TypicalSize>& typicalSizes();

/// What lengths are measured in.
struct LengthScene {
    const std::vector<SurePoint>* points = nullptr;
    const CameraTrack* cameras = nullptr;
    Eigen::Vector3d up = Eigen::Vector3d::UnitY();  ///< solve space
    std::optional<double> ground;                   ///< up · x on the ground; nothing = no ground is known
    double groundSigma = 0;
};

/// A length in the solve's unit and its deviation there.
struct SolvedLength {
    double length = 0, sigma = 0;
    std::string why;  ///< where it can't be measured: a sentence; then length is 0
};
SolvedLength solvedLength(const KnownLength& known, const LengthScene& scene);

struct ScaleReport {
    bool used = false;
    double metres = 0;         ///< what the solve makes of the length, at the scale that came of all
    double misfitPercent = 0;  ///< (metres − known) / known
    double sigmaPercent = 0;   ///< deviation of that, from the length's and the points'
    std::string why;           ///< where it is not used: a sentence
};

struct ScaleFit {
    double scale = 1;  ///< metres of one solve unit
    double sigma = 0;  ///< relative
    std::vector<ScaleReport> reports;
    std::string trouble;  ///< lengths that contradict: a sentence
};

/// The scale that all known lengths together give: the weighted mean of the logarithms of their ratios. A length that
/// is more than four deviations off what the others say is named and left out, one after the other, as long as at least
/// two stay that agree; of two lengths that contradict none is left out, and both are named. Where more than chance is
/// left (probability under 1 % by χ²) the deviation grows. Nothing where no length can be measured.
std::optional<ScaleFit> fitScale(const std::vector<KnownLength>& lengths, const LengthScene& scene);

}  // namespace va
