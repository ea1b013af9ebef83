// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <cmath>

#include "base/atomic_file.h"
#include "base/error.h"
#include "lens/film_back.h"
#include "main_window/main_window.h"
#include "plate_view/plate_view.h"
#include "shot/lens_file.h"

namespace va {

void MainWindow::makeLensActions() {
    QAction* straight = add("straightView", tr("Show the plate straight, with the lens taken out"), tr("Straight"),
                            Qt::Key_U, "aperture", {});
    straight->setCheckable(true);
    connect(straight, &QAction::toggled, this, [this, straight](bool on) {
        const QString trouble = plate_->canvas().setStraight(on);
        if (!trouble.isEmpty()) showTrouble(trouble);
        if (straight->isChecked() != plate_->canvas().straightShown()) straight->setChecked(!on);
    });
    QAction* grid = add("lensGrid", tr("Show a grid of lines that are straight in the world"), tr("Grid"),
                        QKeySequence(Qt::SHIFT | Qt::Key_U), {}, {});
    grid->setCheckable(true);
    connect(grid, &QAction::toggled, this, [this](bool on) { plate_->canvas().setLensGrid(on); });
    add("loadLens", tr("Take the lens from a file…"), tr("Load…"), {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Take the lens from a file"), {},
                                                          tr("Lens files and cameras (*.json)"));
        if (!file.isEmpty()) loadLens(file);
    });
    add("saveLens", tr("Write the lens to a file…"), tr("Save…"), {}, {}, [this] {
        if (!document_.shot().lens())
            return showTrouble(tr("There is no lens yet. Solve the shot, or give focal length and distortion."));
        const QString file = QFileDialog::getSaveFileName(this, tr("Write the lens to a file"), tr("lens.json"),
                                                          tr("Lens files (*.json)"));
        if (!file.isEmpty()) saveLens(file);
    });
}

void MainWindow::loadLens(const QString& path) {
    try {
        const LensFile file = readLensFile(path.toStdString());
        Shot next = document_.shot();
        CameraBack& b = next.back;
        b.lens = file.intrinsics.lens;
        b.distortion = Known::known;
        if (file.intrinsics.focalPx > 0 && next.hasPlate()) {
            const Intrinsics i = file.forSize(next.plate.width, next.plate.height);
            b.focal = Known::known;
            b.focalMm = focalMmFromPx(i.focalPx, b.sensorWidthMm, next.plate.width, next.pixelAspect());
            b.principal = Known::known;
            b.principalOffset =
                i.principalPoint - Eigen::Vector2d((next.plate.width - 1) / 2.0, (next.plate.height - 1) / 2.0);
        }
        document_.edit(tr("Take the lens from a file"), next);
    } catch (const std::exception& e) {
        showTrouble(QString::fromUtf8(e.what()));
    }
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
    if (shot.solve->has()) file.rmsPx = shot.solve->rmsPx;
    try {
        writeFileAtomically(path.toStdString(), writeLensFile(file));
    } catch (const std::exception& e) {
        showTrouble(QString::fromUtf8(e.what()));
    }
}

}  // namespace va
