// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/tool_table.h"

#include <QCoreApplication>
#include <algorithm>

#include "plate_view/tools/edge_tool.h"
#include "plate_view/tools/hand_tool.h"
#include "plate_view/tools/lasso_tool.h"
#include "plate_view/tools/level_line_tool.h"
#include "plate_view/tools/marks_tool.h"
#include "plate_view/tools/mask_tool.h"
#include "plate_view/tools/patch_tool.h"
#include "plate_view/tools/photo_tool.h"
#include "plate_view/tools/place_tool.h"
#include "plate_view/tools/select_tool.h"

namespace va {
namespace {

template <class T>
std::unique_ptr<CanvasTool> make(PlateCanvas& canvas, Document& document, FeatureEdits& edits) {
    return std::make_unique<T>(canvas, document, edits);
}

}  // namespace

const std::vector<ToolInfo>& toolTable() {
    static const std::vector<ToolInfo> table{
        {PlateTool::select,
         "selectTool",
         QT_TRANSLATE_NOOP("tools", "Select and move"),
         QT_TRANSLATE_NOOP("tools", "Select"),
         Qt::Key_S,
         "mouse-pointer-2",
         {},
         false,
         make<SelectTool>},
        {PlateTool::lasso,
         "lassoTool",
         QT_TRANSLATE_NOOP("tools", "Select with a lasso"),
         QT_TRANSLATE_NOOP("tools", "Lasso"),
         Qt::Key_L,
         "lasso",
         {},
         true,
         make<LassoTool>},
        {PlateTool::hand, "handTool", QT_TRANSLATE_NOOP("tools", "Place and mend features by hand"),
         QT_TRANSLATE_NOOP("tools", "By hand"), Qt::Key_H, "crosshair", Step::features, true, make<HandTool>},
        {PlateTool::mask, "maskTool", QT_TRANSLATE_NOOP("tools", "Draw and shape masks"),
         QT_TRANSLATE_NOOP("tools", "Mask"), Qt::Key_M, "pen-tool", Step::features, false, make<MaskTool>},
        {PlateTool::patch, "patchTool", QT_TRANSLATE_NOOP("tools", "Draw and correct flat patches"),
         QT_TRANSLATE_NOOP("tools", "Patch"), Qt::Key_P, "frame", Step::features, false, make<PatchTool>},
        {PlateTool::edge, "edgeTool", QT_TRANSLATE_NOOP("tools", "Accept and draw straight edges"),
         QT_TRANSLATE_NOOP("tools", "Edges"), Qt::Key_E, "spline", Step::lens, false, make<EdgeTool>},
        {PlateTool::upright, "uprightTool", QT_TRANSLATE_NOOP("tools", "Draw an upright edge, for the level"),
         QT_TRANSLATE_NOOP("tools", "Upright"), Qt::SHIFT | Qt::Key_I, "move-vertical", Step::ground, false,
         make<UprightTool>},
        {PlateTool::horizon, "horizonTool", QT_TRANSLATE_NOOP("tools", "Draw the horizon, for the level"),
         QT_TRANSLATE_NOOP("tools", "Horizon"), Qt::SHIFT | Qt::Key_H, "separator-horizontal", Step::ground, false,
         make<HorizonTool>},
        {PlateTool::groundEdge, "groundEdgeTool",
         QT_TRANSLATE_NOOP("tools", "Face the world along an edge on the ground"), QT_TRANSLATE_NOOP("tools", "Facing"),
         Qt::SHIFT | Qt::Key_F, "move-3d", Step::ground, false, make<GroundEdgeTool>},
        {PlateTool::photo, "photoTool", QT_TRANSLATE_NOOP("tools", "Draw and mend what a photo is matched by"),
         QT_TRANSLATE_NOOP("tools", "Photo"), Qt::Key_D, "axis-3d", Step::solve, false, make<PhotoTool>},
        {PlateTool::place,
         "placeTool",
         QT_TRANSLATE_NOOP("tools", "Place what was taken from the tray"),
         QT_TRANSLATE_NOOP("tools", "Place"),
         Qt::Key_B,
         "box",
         {},
         false,
         make<PlaceTool>},
        {PlateTool::post, "postTool", QT_TRANSLATE_NOOP("tools", "Mark a post and its shadow: the sun follows"),
         QT_TRANSLATE_NOOP("tools", "Post"), Qt::ALT | Qt::Key_S, "sun", Step::proof, false, make<PostTool>},
        {PlateTool::shadow, "shadowTool",
         QT_TRANSLATE_NOOP("tools", "Measure the plate's shadow: a spot in the light, then one in shadow"),
         QT_TRANSLATE_NOOP("tools", "Shadow"), Qt::ALT | Qt::Key_D, "cloud-sun", Step::proof, false, make<ShadowTool>},
        {PlateTool::grey, "greyTool",
         QT_TRANSLATE_NOOP("tools", "Take the colour of the sky's light from something grey in shadow"),
         QT_TRANSLATE_NOOP("tools", "Pick grey"), int(Qt::ALT) | int(Qt::SHIFT) | int(Qt::Key_G), "pipette",
         Step::proof, false, make<GreyTool>, false},
        {PlateTool::haze, "hazeTool",
         QT_TRANSLATE_NOOP("tools", "Measure the plate's haze: a dark spot near by, then one far away"),
         QT_TRANSLATE_NOOP("tools", "Pick haze"), int(Qt::ALT) | int(Qt::SHIFT) | int(Qt::Key_H), "cloud-fog",
         Step::proof, false, make<HazeTool>, false},
        {PlateTool::skySpot, "skySpotTool",
         QT_TRANSLATE_NOOP("tools", "Turn the sky picture until its marked spot stands where you click"),
         QT_TRANSLATE_NOOP("tools", "Turn to a spot"), int(Qt::ALT) | int(Qt::SHIFT) | int(Qt::Key_K), "compass",
         Step::proof, false, make<SkySpotTool>, false},
    };
    return table;
}

const ToolInfo& toolInfo(PlateTool tool) {
    return *std::find_if(toolTable().begin(), toolTable().end(), [tool](const ToolInfo& t) { return t.tool == tool; });
}

}  // namespace va
