// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>

#include "base/progress.h"
#include "command_line.h"
#include "shot/shot.h"

namespace va {

/// What the shell can ask of a solve beyond the kind of move.
struct SolveArguments {
    std::string readout, checkPoints, leaveOut, smooth;
    bool refine = false, fill = false;
};

void addSolveOptions(CommandLine& command, SolveArguments& a);

/// Before the match: how rows were read.
void takeReadout(Shot& shot, const SolveArguments& a);

/// After it: check points, refinement, edits of the camera's path, in this order. Throws InputError.
Shot withSolveOptions(const Shot& shot, const SolveArguments& a, Progress& progress);

/// The feature that an id, a name, or {"frame", "x", "y"} means: of a position the nearest solved one within six px.
/// Throws InputError.
int featureOfShot(const nlohmann::json& j, const Shot& shot);

/// Check points of a JSON list (docs/formats.md); their features are names, numbers, or positions in a frame, where the
/// nearest feature within six px is taken. Throws InputError.
std::vector<CheckPoint> checkPointsFromJson(const std::string& text, const std::string& source, const Shot& shot);

}  // namespace va
