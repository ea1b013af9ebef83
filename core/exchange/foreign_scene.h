// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <optional>
#include <string>
#include <vector>

#include "base/rational.h"
#include "layout/thing.h"
#include "lens/lens_model.h"
#include "solve/camera.h"
#include "solve/rolling.h"

namespace va {

/// Film back in mm that stands for one where a file gives an angle of view alone.
inline constexpr double guessedBackMm = 36;

/// A scene as it stands in a file, whoever wrote it: in the file's own axes and units, and without what the file does
/// not say. What every reader makes, for taking a scene in and for checking what was written.
struct ForeignScene {
    std::string format;  ///< word of the format, "usda"
    std::optional<int> width, height;
    std::optional<double> pixelAspect;
    std::optional<Rational> rate;
    bool zUp = false, axisSaid = false;
    std::optional<double> metresPerUnit;
    std::optional<int> first, last;  ///< range of the file, where it says one
    bool between = false;     ///< between two samples values go evenly, as its format has it; else there is a gap
    bool framesSaid = false;  ///< frame numbers are the plate's; else they count from the first one

    struct Frame {
        double frame = 0;
        CameraPose pose;  ///< camera looks down its −Z, +Y up
        double focalMm = 0;
        /// How the camera moved around it, where the file says; shift in its units.
        std::optional<ViewRate> rate = std::nullopt;
    };
    struct Camera {
        std::string name;
        double backWidthMm = 0, backHeightMm = 0;      ///< 0 = not said
        bool angleOnly = false;                        ///< the file has an angle of view; the back's mm are a guess
        Eigen::Vector2d offsetMm{0, 0};                ///< of the back's middle from the axis, right and up
        double readout = 0;                            ///< rolling shutter: frames from the first row to the last
        std::optional<LensModel> lens;                 ///< nothing = the file does not say
        std::optional<std::array<double, 4>> frameOf;  ///< width and height of its picture and where the plate's pixel
                                                       ///< (0, 0) lies in it, px, where that is not the plate's own
        std::vector<Frame> frames;                     ///< in order; not empty
    };
    std::vector<Camera> cameras;

    struct Point {
        int id = 0;
        Eigen::Vector3d position = Eigen::Vector3d::Zero();
    };
    std::vector<Point> points;

    /// Something with a place: with vertices a mesh or a small cloud, without any a mark.
    struct Body {
        std::string name;
        std::string parent;  ///< name of the body it hangs on; empty = none
        struct Sample {
            double frame = 0;
            Eigen::Matrix4d place = Eigen::Matrix4d::Identity();  ///< world from body
            bool visible = true;
        };
        std::vector<Sample> samples;  ///< one where it stands
        std::vector<Eigen::Vector3d> vertices;
        std::vector<std::array<int, 3>> triangles;
        std::optional<Eigen::Vector4d> colour;
        std::optional<ThingKind> kind;  ///< where the file is ours
        [[nodiscard]] const Sample& at(double frame) const;
    };
    std::vector<Body> bodies;
    std::vector<std::string> notes;  ///< sentences: what in the file was left out

    [[nodiscard]] const Body* body(const std::string& name) const;
};

/// The same scene with Y up and in metres, where the file says its axis and unit (else as they are).
ForeignScene inOurAxes(const ForeignScene& scene);

/// The lens model of that name, with its numbers by name; those that `value` does not give are 0. Nothing for a name
/// that is not known.
template <class Value>
std::optional<LensModel> lensNamed(const std::string& name, Value value) {
    for (int kind = 0; kind < lensKinds; ++kind) {
        if (name != lensKindName(LensKind(kind))) continue;
        LensModel lens{LensKind(kind)};
        for (int i = 0; i < lens.count(); ++i)
            lens.setValue(i, value(lensValueNames(lens.kind())[size_t(i)]).value_or(0));
        return lens;
    }
    return std::nullopt;
}

/// The rate of the trade that a decimal number means: 23.976 is 24000/1001. Nothing for what is no rate.
std::optional<Rational> rateFrom(double framesPerSecond);

/// Position, rotation and scale of a matrix whose columns are axes; the scale is the mean of the three.
Similarity similarityOf(const Eigen::Matrix4d& matrix);
Eigen::Matrix4d matrixOf(const Similarity& similarity);
/// Pose of a camera whose matrix may have a scale.
CameraPose poseOf(const Eigen::Matrix4d& matrix);

/// Reads a scene file by its ending: .usda, .usdz, .glb, .gltf, .dae, .csv, .json (a camera.json or OpenTrackIO
/// samples). Throws InputError: no such file, an ending that is not known, a file that is cut off or holds no numbers.
/// A number that is infinite or no number is refused, as is more than 200 million of anything.
ForeignScene readScene(const std::string& file);
/// Endings that readScene knows, "*.usda *.usdz …".
std::string sceneEndings();

}  // namespace va
