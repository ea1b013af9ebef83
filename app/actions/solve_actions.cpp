// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Solve: what is shown of its errors, movers.
#include <QFileDialog>

#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "solve/report/solve_errors.h"
#include "views/views.h"

namespace va {

void MainWindow::makeSolveActions() {
    add("residualVectors", tr("Show residual vectors, ×20"), tr("Vectors"), Qt::Key_V, {}, [this] {
        PathLook look = plate_->canvas().look();
        look.vectors = !look.vectors;
        plate_->canvas().setLook(look);
    });
    add("slipOverlay", tr("Show the expected slip on the ground"), tr("Slip"), Qt::Key_G, {}, [this] {
        PathLook look = plate_->canvas().look();
        look.slip = !look.slip;
        plate_->canvas().setLook(look);
    });
    add("errorMap", tr("Show the mean error over the picture, ×200"), tr("Map"), QKeySequence(Qt::SHIFT | Qt::Key_V),
        {}, [this] {
            PathLook look = plate_->canvas().look();
            look.errorMap = !look.errorMap;
            plate_->canvas().setLook(look);
        });
    add("refine", tr("Set outliers aside and report the change of fit and check error"), tr("Refine"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), {}, [this] { solveEdits_.refine(); });
    add("nextBadFrame", tr("Go to the next frame that fits badly"), tr("Next bad"), {}, {}, [this] {
        const auto bad = badFrames(*document_.shot().solve);
        for (const FrameRange& span : bad)
            if (span.first > document_.frame()) return document_.setFrame(span.first);
        if (!bad.empty()) document_.setFrame(bad.front().first);
    });
    QAction* live = add("liveSolve", tr("Update the solve after every edit"), tr("Live"), {}, {}, {});
    live->setCheckable(true);
    live->setChecked(live_.on());
    connect(live, &QAction::toggled, this, [this](bool on) { live_.setOn(on); });
    using Kind = PointTie::Kind;
    const auto check = [this](const char* name, const QString& what, const QString& brief, Kind kind) {
        add(name, what, brief, {}, {}, [this, kind] {
            solveEdits_.addCheckPoint(kind);
            revealOnSolvePage("checkPoints");
        });
    };
    check("addDistance", tr("The distance between two selected features is known"), tr("Distance"), Kind::distance);
    check("addPlace", tr("The position of the selected feature is known"), tr("Place"), Kind::position);
    check("addHeight", tr("The height of the selected feature is known"), tr("Height"), Kind::level);
    check("addRightAngle", tr("Three selected features make a right angle"), tr("Angle"), Kind::rightAngle);
    check("addFlat", tr("The selected features lie on one plane"), tr("Flat"), Kind::flat);
    add("readCheckPoints", tr("Read known places from a text file…"), tr("Read…"), {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Read known places"), {},
                                                          tr("Text (*.txt *.csv *.xyz);;All files (*)"));
        if (!file.isEmpty()) solveEdits_.readCheckPoints(file);
    });
    add("assignCheckPoint", tr("Assign the selected features to the check point"), tr("Assign"), {}, {},
        [this] { solveEdits_.assignCheckPoint(inspector_->solve().checkPoints().current()); });
    add("selectCheckPoint", tr("Select the check point's features"), tr("Select"), {}, {}, [this] {
        if (const CheckPoint* c = document_.shot().checkPoint(inspector_->solve().checkPoints().current()))
            document_.selectPaths({c->measure.paths.begin(), c->measure.paths.end()});
    });
    add("removeCheckPoint", tr("Remove the check point"), tr("Remove"), {}, {},
        [this] { solveEdits_.removeCheckPoint(inspector_->solve().checkPoints().current()); });
    add("leaveOutFrame", tr("Leave this frame out of the camera's path"), tr("Leave frame out"), {}, {},
        [this] { solveEdits_.leaveOutFrame(); });
    add("fillGaps", tr("Fill frames without a camera between their neighbours"), tr("Fill gaps"), {}, {},
        [this] { solveEdits_.fillGaps(); });
    add("smoothPath", tr("Smooth the camera's path over these frames"), tr("Smooth"), {}, {},
        [this] { solveEdits_.smoothPath(inspector_->solve().path().frames(), inspector_->solve().path().width()); });
    add("clearPathEdits", tr("Take the camera's path as it was solved"), tr("As solved"), {}, {},
        [this] { solveEdits_.clearPathEdits(); });
    add("makeMover", tr("Make a mover of the selected features"), tr("Make"), QKeySequence(Qt::SHIFT | Qt::Key_M), {},
        [this] {
            solveEdits_.makeMover();
            revealOnSolvePage("moverNote");
        });
    add("lookForMovers", tr("Look for moving things"), tr("Look for"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_M),
        {}, [this] { solveEdits_.lookForMovers(); });
    add("selectMover", tr("Select the mover's features"), tr("Select"), {}, {}, [this] {
        if (const Mover* m = inspector_->solve().mover()) document_.selectPaths({m->paths.begin(), m->paths.end()});
    });
    add("removeMover", tr("Make the mover a part of the scene again"), tr("Remove"), {}, {}, [this] {
        if (const Mover* m = inspector_->solve().mover()) solveEdits_.removeMover(m->id);
    });
    add("swapScene", tr("Take the mover for the scene, and the scene for a mover"), tr("As scene"), {}, {}, [this] {
        if (const Mover* m = inspector_->solve().mover()) solveEdits_.swapScene(m->id);
    });
}

/// What was just made is what the artist wants to see and to set.
void MainWindow::revealOnSolvePage(const char* widget) {
    route_->setCurrent(Step::solve);
    if (auto* found = inspector_->findChild<QWidget*>(QLatin1String(widget))) inspector_->reveal(found);
}

void MainWindow::refreshSolveActions() {
    const Shot& s = document_.shot();
    const bool idle = s.hasPlate() && !document_.job().running();
    actions_["residualVectors"]->setEnabled(s.solve->hasDepth());
    actions_["slipOverlay"]->setEnabled(s.solve->motion == Motion::free);
    const bool free = s.solve->motion == Motion::free, has = s.solve->hasLens();
    actions_["errorMap"]->setEnabled(free);
    actions_["refine"]->setEnabled(idle && free);
    actions_["nextBadFrame"]->setEnabled(has && !badFrames(*s.solve).empty());
    const auto picked = document_.selectedPaths().size();
    actions_["addDistance"]->setEnabled(picked == 2);
    actions_["addPlace"]->setEnabled(picked == 1);
    actions_["addHeight"]->setEnabled(picked == 1);
    actions_["addRightAngle"]->setEnabled(picked == 3);
    actions_["addFlat"]->setEnabled(picked >= 4);
    actions_["readCheckPoints"]->setEnabled(s.hasPlate());
    actions_["assignCheckPoint"]->setEnabled(picked > 0 && !s.checkPoints.empty());
    for (const char* n : {"selectCheckPoint", "removeCheckPoint"}) actions_[n]->setEnabled(!s.checkPoints.empty());
    for (const char* n : {"leaveOutFrame", "fillGaps", "smoothPath"}) actions_[n]->setEnabled(idle && has);
    actions_["clearPathEdits"]->setEnabled(idle && !s.pathEdits.empty());
    actions_["makeMover"]->setEnabled(idle && !document_.selectedPaths().isEmpty());
    actions_["lookForMovers"]->setEnabled(idle && s.solve->has());
    for (const char* n : {"selectMover", "removeMover"}) actions_[n]->setEnabled(!s.movers.empty());
    actions_["swapScene"]->setEnabled(idle && !s.movers.empty());
}

}  // namespace va
