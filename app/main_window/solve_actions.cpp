// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Solve: what is shown of its errors, movers.
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "plate_view/plate_view.h"

namespace va {

void MainWindow::makeSolveActions() {
    add("residualVectors", tr("Show how far each feature is from where the solve puts it, twenty times enlarged"),
        tr("Vectors"), Qt::Key_V, {}, [this] {
            PathLook look = plate_->canvas().look();
            look.vectors = !look.vectors;
            plate_->canvas().setLook(look);
        });
    add("slipOverlay", tr("Show the expected slip on the ground"), tr("Slip"), Qt::Key_G, {}, [this] {
        PathLook look = plate_->canvas().look();
        look.slip = !look.slip;
        plate_->canvas().setLook(look);
    });
    add("makeMover", tr("Make a mover of the selected features"), tr("Make"), QKeySequence(Qt::SHIFT | Qt::Key_M), {},
        [this] { solveEdits_.makeMover(); });
    add("lookForMovers", tr("Look for things that move by themselves"), tr("Look for"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_M), {}, [this] { solveEdits_.lookForMovers(); });
    add("selectMover", tr("Select the mover's features"), tr("Select"), {}, {}, [this] {
        if (const Mover* m = inspector_->solve().mover()) document_.selectPaths({m->paths.begin(), m->paths.end()});
    });
    add("removeMover", tr("Make the mover a part of the scene again"), tr("Remove"), {}, {}, [this] {
        if (const Mover* m = inspector_->solve().mover()) solveEdits_.removeMover(m->id);
    });
}

void MainWindow::refreshSolveActions() {
    const Shot& s = document_.shot();
    const bool idle = s.hasPlate() && !document_.job().running();
    actions_["residualVectors"]->setEnabled(s.solve->motion == Motion::free);
    actions_["slipOverlay"]->setEnabled(s.solve->motion == Motion::free);
    actions_["makeMover"]->setEnabled(idle && !document_.selectedPaths().isEmpty());
    actions_["lookForMovers"]->setEnabled(idle && s.solve->has() && s.solve->motion != Motion::fixed);
    for (const char* n : {"selectMover", "removeMover"}) actions_[n]->setEnabled(!s.movers.empty());
}

}  // namespace va
