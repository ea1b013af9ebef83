// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>

#include "exchange/foreign_scene.h"
#include "exchange/scene_export.h"

namespace va {

/// What a person says about a foreign scene: over what the file says, or where it says nothing.
struct ForeignChoices {
    std::optional<int> width, height;
    std::optional<double> pixelAspect;
    std::optional<Rational> rate;
    /// How the file's frames become frames of that rate: one for one, or by their time (the camera between two frames
    /// goes evenly from one to the next).
    bool byTime = false;
    std::optional<int> firstFrame;        ///< the number of the file's first frame
    std::optional<bool> zUp;              ///< the axis that is up in the file
    std::optional<double> metresPerUnit;  ///< of the file
    std::optional<double> backWidthMm;    ///< the film back that its focal lengths belong to
    std::string camera;                   ///< by name, where the file holds several; empty = the first
};

/// The camera of that name, or the first. Throws InputError: none there, or none of that name (the names are said).
const ForeignScene::Camera& cameraOf(const ForeignScene& scene, const std::string& name);

/// Frames at whole numbers only: what lies between two samples is interpolated (position evenly, rotation along the
/// shortest way, focal length evenly). Without `between`, samples that all have whole numbers stay as they are, with
/// their gaps.
std::vector<ForeignScene::Frame> atWholeFrames(const std::vector<ForeignScene::Frame>& frames, bool between);

/// The scene as ours, with Y up and in metres where its unit is known. Throws InputError where the picture's size or
/// the rate is neither in the file nor chosen, or a film back that fits no square pixel is not explained by an aspect.
SceneExport sceneFrom(const ForeignScene& scene, const ForeignChoices& choices);

}  // namespace va
