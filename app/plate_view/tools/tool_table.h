// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "plate_view/tools/canvas_tool.h"
#include "workflow/verdict.h"

namespace va {

enum class PlateTool {
    select,
    lasso,
    hand,
    mask,
    patch,
    edge,
    upright,
    horizon,
    groundEdge,
    photo,
    place,
    post,
    shadow,
    grey,
    haze,
    skySpot
};

/// A tool of the plate view. A new one is a class of its own, a word in PlateTool and a line in tool_table.cpp.
struct ToolInfo {
    PlateTool tool;
    const char* action;     ///< name of the action that takes it in hand
    const char* text;       ///< what it does, untranslated
    const char* shortText;  ///< its label
    int key;                ///< Qt::Key
    const char* icon;       ///< file in style/icons
    /// The step whose page has the tool's numbers, opened when it is taken; none for tools of every step.
    std::optional<Step> step;
    bool needsFeatures;  ///< works on rings: they are shown when it is taken
    std::unique_ptr<CanvasTool> (*make)(PlateCanvas& canvas, Document& document, FeatureEdits& edits);
    bool inBar = true;  ///< false: taken from its step's page and from the menu alone
};

/// In the order of the buttons.
const std::vector<ToolInfo>& toolTable();
const ToolInfo& toolInfo(PlateTool tool);

}  // namespace va
