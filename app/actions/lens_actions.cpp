// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>

#include "base/atomic_file.h"
#include "base/error.h"
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "shot/lens_file.h"
#include "views/views.h"

namespace va {

void MainWindow::makeLensActions() {
    QAction* undistorted =
        add("undistortedView", tr("Show the plate undistorted"), tr("Undistorted"), Qt::Key_U, "aperture", {});
    undistorted->setCheckable(true);
    connect(undistorted, &QAction::toggled, this, [this, undistorted](bool on) {
        const QString trouble = plate_->canvas().setUndistorted(on);
        if (!trouble.isEmpty()) showTrouble(trouble);
        if (undistorted->isChecked() != plate_->canvas().undistortedShown()) undistorted->setChecked(!on);
    });
    QAction* grid = add("lensGrid", tr("Show a grid of lines that are straight in the world"), tr("Grid"),
                        QKeySequence(Qt::SHIFT | Qt::Key_U), {}, {});
    grid->setCheckable(true);
    connect(grid, &QAction::toggled, this, [this](bool on) { plate_->canvas().setLensGrid(on); });
    add("loadLens", tr("Take the lens from a file…"), tr("Load…"), {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Take the lens from a file"), {},
                                                          tr("Lens files and cameras (*.json)"));
        if (!file.isEmpty()) lensEdits_.takeFile(file);
    });
    add("saveLens", tr("Write the lens to a file…"), tr("Save…"), {}, {}, [this] {
        if (!document_.shot().lens())
            return showTrouble(tr("There is no lens yet. Solve the shot, or give focal length and distortion."));
        const QString file = QFileDialog::getSaveFileName(this, tr("Write the lens to a file"), tr("lens.json"),
                                                          tr("Lens files (*.json)"));
        if (!file.isEmpty()) saveLens(file);
    });
    add("takeMetadata", tr("Take sensor and focal length from the plate's metadata"), tr("From metadata"), {}, {},
        [this] { lensEdits_.takeMetadata(); });

    add("chartStills", tr("Choose stills of a lens chart…"), tr("Stills…"), {}, {}, [this] {
        const QStringList files = QFileDialog::getOpenFileNames(this, tr("Stills of a lens chart"));
        if (!files.isEmpty()) lensEdits_.setChartStills(files);
    });
    add("calibrateChart", tr("Calibrate the lens from the chart stills"), tr("Calibrate"), {}, {},
        [this] { lensEdits_.calibrateChart(); });
    add("takeChart", tr("Take the chart's lens for this shot"), tr("Take it"), {}, {},
        [this] { lensEdits_.takeChart(); });

    add("findEdges", tr("Find edges that may be straight in this frame"), tr("Find edges"),
        QKeySequence(Qt::SHIFT | Qt::Key_E), {}, [this] { lensEdits_.findEdges(); });
    add("acceptEdges", tr("Accept all edges of this frame as straight"), tr("Accept all"), {}, {},
        [this] { lensEdits_.acceptEdges(); });
    add("solveEdges", tr("Find the distortion that makes the edges straight"), tr("Find distortion"), {}, {},
        [this] { lensEdits_.solveEdges(); });
    add("removeProposals", tr("Take the proposed edges away"), tr("Clear proposed"), {}, {},
        [this] { lensEdits_.removeProposals(); });

    add("writeUndistorted", tr("Write the plate undistorted"), tr("Plate"), {}, {},
        [this] { lensEdits_.writeUndistorted(inspector_->lens().writing()); });
    add("writeRedistorted", tr("Distort an insert to lie on the plate…"), tr("Insert…"), {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Insert: one of numbered stills, or a movie"));
        if (!file.isEmpty()) lensEdits_.writeRedistorted(file, inspector_->lens().writing());
    });
    add("writeStmaps", tr("Write STMaps, both ways"), tr("STMaps"), {}, {},
        [this] { lensEdits_.writeStmaps(inspector_->lens().writing()); });
}

void MainWindow::refreshLensActions() {
    const Shot& s = document_.shot();
    const bool idle = s.hasPlate() && !document_.job().running();
    bool here = false, proposed = false;
    for (const StraightEdge& e : s.edges) {
        here = here || (e.frame == document_.frame() && !e.accepted);
        proposed = proposed || !e.accepted;
    }
    actions_["findEdges"]->setEnabled(idle);
    actions_["acceptEdges"]->setEnabled(here);
    actions_["removeProposals"]->setEnabled(proposed);
    actions_["solveEdges"]->setEnabled(idle && !s.edges.empty());
    actions_["calibrateChart"]->setEnabled(idle && !s.chartStills.empty());
    actions_["takeChart"]->setEnabled(!s.chart->stills.empty());
    actions_["takeMetadata"]->setEnabled(s.hasPlate());
    for (const char* n : {"writeUndistorted", "writeRedistorted", "writeStmaps"})
        actions_[n]->setEnabled(idle && s.lens().has_value());
}

void MainWindow::saveLens(const QString& path) {
    const Shot& shot = document_.shot();
    const auto lens = shot.lens();
    if (!lens) return;
    LensFile file;
    file.intrinsics = *lens;
    file.width = shot.plate.width;
    file.height = shot.plate.height;
    file.source = (shot.solve->has() ? "solved from " : "given for ") + shot.name;
    file.focalAssumed = !shot.solve->has() && shot.priors.focal == Known::unknown;
    if (shot.solve->has()) file.rmsPx = shot.solve->rmsPx;
    try {
        writeFileAtomically(path.toStdString(), writeLensFile(file));
    } catch (const std::exception& e) {
        showTrouble(QString::fromUtf8(e.what()));
    }
}

}  // namespace va
