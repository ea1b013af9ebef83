// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>

#include "exchange/scene_export.h"

namespace va {

/// Lengths that a scene can be written in.
enum class ExportUnit : uint8_t { metre, centimetre, inch };
inline constexpr const char* exportUnitWords[] = {"m", "cm", "inch"};
inline constexpr double exportUnitMetres[] = {1, 0.01, 0.0254};

/// What leaves, and how: every default is the one that changes nothing.
struct ExportChoices {
    bool zUp = false;
    ExportUnit unit = ExportUnit::metre;
    std::optional<int> firstFrame;     ///< number of the first frame of the plate; nothing = the plate's own
    std::optional<double> filmBackMm;  ///< width; nothing = the shot's
    bool undistorted = false;          ///< the camera of the undistorted plate in its larger frame
    bool layered = false;              ///< the camera with its layers
    bool cameraPerFrame = false;       ///< of a zoom, in formats that know none
    bool recentre = false;             ///< the origin below the middle of the cloud
    int cloudAtMost = 0;               ///< points; those that fit best stay; 0 = all
    double nearest = 0, farthest = 0;  ///< from the nearest camera, units of the scene; 0 = no limit; for points
    std::string eulerOrder = "ZXY";    ///< of tables
    bool cloud = true, planes = true, anchors = true, things = true, movers = true, paths = true, corners = true;
    std::vector<int> onlyPoints;  ///< ids; empty = all
    friend bool operator==(const ExportChoices&, const ExportChoices&) = default;
};

/// The scene as chosen. Throws Error where the choices can't be: a lens that can't be taken out, no layer that is on, a
/// film back or unit that is no length.
SceneExport prepared(const SceneExport& scene, const ExportChoices& choices);

/// The same scene in other axes and another unit (of a scene without a scale a unit stays a unit).
SceneExport inAxes(const SceneExport& scene, bool zUp, double metresPerUnit);

/// What the next program has to show, a line each: size, rate, frames, film back, angle of view, axes, unit. For people
/// to copy.
std::string nextProgramText(const SceneExport& scene);

/// Horizontal angle of view of a frame, degrees, of the picture without distortion.
double angleOfView(const SceneExport& scene, const SceneExport::Frame& frame);

}  // namespace va
