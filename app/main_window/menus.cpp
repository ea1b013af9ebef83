// SPDX-License-Identifier: GPL-3.0-or-later
// The menu bar: every action has its entry here.
#include <QApplication>
#include <QMenuBar>
#include <QMessageBox>

#include "main_window/main_window.h"
#include "steps/step_table.h"

namespace va {

void MainWindow::fillMenu(QMenu* menu, const QStringList& names) {
    for (const QString& n : names) n.isEmpty() ? (void)menu->addSeparator() : menu->addAction(actions_[n]);
}

QMenuBar* MainWindow::makeMenus() {
    auto* bar = new QMenuBar;
    bar->setNativeMenuBar(false);
    QMenu* file = bar->addMenu(tr("&File"));
    fillMenu(file, {"open"});
    recent_ = file->addMenu(tr("Recent"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
    fillMenu(file, {"save", "saveAs", "", "readPaths", "writePaths", "writePatch", "", "takeScene", "pasteCamera",
                    "compareScene", "unlockCamera", "", "locate", "", "quit"});
    fillMenu(bar->addMenu(tr("&Edit")),
             {"undo", "redo", "", "selectAll", "setAside", "bringBack", "", "copyRows", "pasteRows", "", "removeThing",
              "", "copyCamera", "copyCameraRange", "copyVerdict", "", "search"});
    QMenu* shot = bar->addMenu(tr("&Shot"));
    fillMenu(shot, {"match", "track", "solve", "cancel", ""});
    fillMenu(shot->addMenu(tr("Play")), {"play", "stepBack", "stepForward", "first", "middle", "last"});
    fillMenu(shot, {"", "setIn", "setOut", "keepBeforeCut", "keepAfterCut"});
    QMenu* view = bar->addMenu(tr("&View"));
    fillMenu(view, {"plateOnly", "both", "sceneOnly", "inset", "", "fit", "fullSize", "holdStill", "showFeatures", ""});
    fillMenu(view->addMenu(tr("Scene")),
             {"orbit", "top", "front", "side", "lensView", "", "frameScene", "frameSelection", "cloudColour"});
    fillMenu(view->addMenu(tr("Drawer")), {"drawer", "", "table", "curves", "things", "stick", "prune", "log"});
    fillMenu(view, {"", "theme"});
    fillMenu(view->addMenu(tr("Tools")), {"selectTool", "lassoTool", "handTool", "maskTool", "patchTool", "edgeTool",
                                          "uprightTool", "horizonTool", "groundEdgeTool", "photoTool", "placeTool",
                                          "postTool", "shadowTool", "greyTool", "hazeTool", "skySpotTool"});
    makeStepMenu(bar->addMenu(tr("S&tep")));
    QMenu* help = bar->addMenu(tr("&Help"));
    fillMenu(help, {"search"});
    help->addAction(tr("About Vivid Anchor…"), this, [this] {
        QMessageBox::about(this, tr("About Vivid Anchor"),
                           tr("Vivid Anchor %1\nTracks, solves, grounds, lays out and exports a shot's camera.\n"
                              "Free software under the GNU General Public License, version 3 or later.")
                               .arg(QApplication::applicationVersion()));
    });
    return bar;
}

void MainWindow::makeStepMenu(QMenu* menu) {
    for (const StepInfo& s : stepTable()) menu->addAction(actions_[s.action]);
    menu->addSeparator();
    const std::pair<QString, QStringList> parts[] = {
        {tr("Lens actions"),
         {"undistortedView",
          "lensGrid",
          "",
          "takeMetadata",
          "loadLens",
          "saveLens",
          "",
          "chartStills",
          "calibrateChart",
          "takeChart",
          "",
          "edgeTool",
          "findEdges",
          "acceptEdges",
          "solveEdges",
          "removeProposals",
          "",
          "writeUndistorted",
          "writeRedistorted",
          "writeStmaps"}},
        {tr("Features actions"), {"handTool",      "trackForward",
                                  "trackBackward", "trackOneForward",
                                  "trackOneBack",  "newReference",
                                  "reanchor",      "carryAlong",
                                  "guidedTrack",   "",
                                  "maskTool",      "suggestMasks",
                                  "removeMask",    "chooseMatte",
                                  "clearMatte",    "",
                                  "patchTool",     "patchBoth",
                                  "patchForward",  "patchBackward",
                                  "removePatch"}},
        {tr("Solve actions"),
         {"solve",
          "refine",
          "liveSolve",
          "",
          "residualVectors",
          "errorMap",
          "slipOverlay",
          "nextBadFrame",
          "",
          "addDistance",
          "addPlace",
          "addHeight",
          "addRightAngle",
          "addFlat",
          "readCheckPoints",
          "",
          "leaveOutFrame",
          "fillGaps",
          "smoothPath",
          "clearPathEdits",
          "",
          "photoTool",
          "matchFrame",
          "findPhotoLines",
          "photoAxisX",
          "photoAxisY",
          "photoAxisZ",
          "photoRectangle",
          "photoHorizon",
          "photoPoint",
          "clearFoundLines",
          "clearPhoto",
          "",
          "addStills",
          "findStillMarks",
          "removeStill",
          "",
          "makeMover",
          "lookForMovers",
          "selectMover",
          "swapScene",
          "removeMover"}},
        {tr("Ground actions"),
         {"autoLevel",
          "level",
          "levelWall",
          "uprightTool",
          "horizonTool",
          "removeEvidence",
          "",
          "nextCandidate",
          "lastCandidate",
          "takeGround",
          "takeWall",
          "takePlane",
          "keepTile",
          "removePlane",
          "",
          "origin",
          "originCamera",
          "originCorner",
          "zAlong",
          "xAlong",
          "quarterTurn",
          "faceWall",
          "groundEdgeTool",
          "faceCamera",
          "",
          "scale",
          "lengthHeight",
          "lengthOverGround",
          "lengthCamera",
          "lengthSpacing",
          "typicalSize",
          "removeLength",
          "",
          "copyWorld",
          "pasteWorld",
          "clearByHand",
          "worldOfShot"}},
        {tr("Layout actions"),
         {"placeTool",
          "anchor",
          "",
          "stance",
          "stand",
          "lie",
          "faceTheCamera",
          "thingQuarter",
          "settle",
          "bottomToSurface",
          "hairOff",
          "snapFeature",
          "snapAnchor",
          "snapEdge",
          "alongFeatures",
          "fileSize",
          "",
          "rePlace",
          "rePlaceKeep",
          "rePlacePlane",
          "neighbours",
          "hangWorld",
          "hangCamera",
          "hangMover",
          "hangPatch",
          "group",
          "",
          "copyPlace",
          "copyPosition",
          "copyRotation",
          "pastePlace",
          "",
          "setKey",
          "keyVisible",
          "keyColour",
          "removeKey",
          "copyKeys",
          "pasteKeys",
          "",
          "stickHere",
          "flipBook",
          "cleanView",
          "thingsLook"}},
        {tr("Proof actions"),
         {"flipProof", "", "postTool", "removePosts", "sunFromPlace", "northFromSun", "skyToSun", "skySpotTool",
          "greyTool", "aimLight", "", "shadowTool", "removeShadow", "hazeTool", "", "chromeBall", "greyBall"}}};
    for (const auto& [name, actions] : parts) fillMenu(menu->addMenu(name), actions);
}

}  // namespace va
