// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <optional>
#include <string>
#include <vector>

#include "ground/level.h"
#include "lens/intrinsics.h"
#include "lens/lens_numbers.h"
#include "solve/camera.h"

namespace va {

/// Axes of the world that things in a picture lie along. X and Z are level, Y is upright.
enum class PhotoAxis : uint8_t { x, y, z };
inline constexpr const char* axisWords[] = {"x", "y", "z"};

/// A straight line in the picture along something that lies along an axis; ends in px of the plate.
struct PhotoLine {
    Eigen::Vector2d a = Eigen::Vector2d::Zero(), b = Eigen::Vector2d::Zero();
    PhotoAxis axis = PhotoAxis::x;
    double sigma = 0.5;  ///< px, of either end
    bool drawn = false;  ///< by the artist, else found
    friend bool operator==(const PhotoLine&, const PhotoLine&) = default;
};

/// A point of the picture whose position in the world is known.
struct PhotoSpot {
    Eigen::Vector2d pixel = Eigen::Vector2d::Zero();
    Eigen::Vector3d position = Eigen::Vector3d::Zero();
    double sigma = 0.5;  ///< px
    std::string name;
    friend bool operator==(const PhotoSpot&, const PhotoSpot&) = default;
};

/// A rectangle on the ground: its corners in the picture, one after the other, the first at the world's origin, the
/// second along X, the fourth along −Z (away from the camera). Sides of 0 are not known.
struct PhotoQuad {
    std::array<Eigen::Vector2d, 4> corners{};
    double width = 0, depth = 0;
    double sigma = 0.5;  ///< px
    friend bool operator==(const PhotoQuad& a, const PhotoQuad& b) {
        return a.corners == b.corners && a.width == b.width && a.depth == b.depth && a.sigma == b.sigma;
    }
};

/// All that tells the camera of one picture.
struct PhotoEvidence {
    int width = 0, height = 0;  ///< px of the picture
    double pixelAspect = 1;
    std::vector<PhotoLine> lines;
    std::optional<PictureLine> horizon;
    std::optional<PhotoQuad> quad;
    std::vector<PhotoSpot> spots;
    /// Focal length from elsewhere, px, and its relative deviation: metadata are evidence, and a deviation of 0 fixes
    /// it.
    std::optional<double> focalPx;
    double focalSigma = 0.02;
    LensModel lens;                                 ///< the distortion as known
    std::optional<Eigen::Vector2d> principalPoint;  ///< px, where it is known; else the middle of the picture
    /// k1 and k2 of Brown–Conrady are solved where the lines tell them: to 0.03, or to a quarter of k1.
    bool solveDistortion = false;
    std::optional<double> cameraHeight;  ///< m, over the ground
};

/// The camera of one picture.
struct PhotoFit {
    bool found = false;
    std::string trouble;  ///< a sentence: what is missing or wrong; may stand beside a camera that was found
    Intrinsics lens;
    CameraPose pose;        ///< in a level world with the ground at height 0
    bool scaled = false;    ///< heights and distances are known; else the camera stands 1.6 m high, common practice
    double focalSigma = 0;  ///< relative
    double rotationSigmaDeg = 0;      ///< of the orientation, all axes
    double uprightSigmaDeg = 0;       ///< of the upright alone
    double positionSigma = -1;        ///< m; negative = the position is not known
    std::vector<LensNumber> numbers;  ///< of the lens, as solved
    std::vector<double> lineMisfits;  ///< px, one a line
    std::vector<double> spotMisfits;  ///< px, one a spot
    double rmsPx = 0;
    int vanishingPoints = 0;             ///< axes that two lines or more tell
    std::optional<double> linesFocalPx;  ///< what the lines alone say of the focal length, where they do
};

/// Fits focal length, rotation and, where points or a rectangle of known sides tell it, position to all evidence at
/// once by least squares, each weighed by its deviation: ends of lines against the vanishing points of their axes
/// (Caprile & Torre, IJCV 1990), the horizon, corners of the rectangle, known points, a focal length from elsewhere.
/// The principal point stays in the middle unless lines along three axes meet at finite points. Where a part of the
/// camera is left open (one vanishing point and no focal length; a single wall) the part is taken as usual (focal
/// length 1.1 widths, roll 0) and `trouble` says what is missing. Nothing is found without any evidence, and for a
/// rectangle that is not convex.
PhotoFit matchPhoto(const PhotoEvidence& evidence);

/// The rectangle as another focal length sees it: its near side (first and second corner) stays in the picture, and it
/// stays the same rectangle on the ground; its far corners move as little as that allows. Nothing where the rectangle
/// has no camera, or none of that focal length sees it.
std::optional<PhotoQuad> quadAtFocal(const PhotoEvidence& evidence, double focalPx);

/// Where the lines along an axis meet in the picture, px; nothing for fewer than two or where they meet far away.
std::optional<Eigen::Vector2d> vanishingPoint(const std::vector<PhotoLine>& lines, PhotoAxis axis);

}  // namespace va
