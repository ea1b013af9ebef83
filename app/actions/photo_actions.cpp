// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the photo match and of reference stills.
#include <QActionGroup>
#include <QFileDialog>

#include "main_window/main_window.h"
#include "views/plate_view.h"

namespace va {

void MainWindow::makePhotoActions() {
    add("matchFrame", tr("Match this frame as a photo"), tr("Match this frame"), {}, {},
        [this] { photoEdits_.matchFrame(); });
    add("findPhotoLines", tr("Find lines along two or three directions in this frame"), tr("Find lines"), {}, {},
        [this] { photoEdits_.findLines(); });
    auto* axes = new QActionGroup(this);
    const auto axis = [&](const char* name, const QString& words, const QString& brief, PhotoAxis which) {
        QAction* a = add(name, words, brief, {}, {}, [this, which] {
            plate_->canvas().setTool(PlateTool::photo);
            photoEdits_.setAxis(which);
        });
        a->setCheckable(true);
        a->setActionGroup(axes);
        connect(&photoEdits_, &PhotoEdits::changed, a,
                [this, a, which] { a->setChecked(photoEdits_.axis() == which); });
        a->setChecked(photoEdits_.axis() == which);
    };
    axis("photoAxisX", tr("Draw lines along X, across"), tr("X"), PhotoAxis::x);
    axis("photoAxisY", tr("Draw upright lines, along Y"), tr("Y"), PhotoAxis::y);
    axis("photoAxisZ", tr("Draw lines along Z, away from the camera"), tr("Z"), PhotoAxis::z);
    const auto withTool = [this](auto what) {
        return [this, what] {
            plate_->canvas().setTool(PlateTool::photo);
            (photoEdits_.*what)();
        };
    };
    add("photoRectangle", tr("Put a rectangle on the ground of the picture, to drag its corners"), tr("Rectangle"), {},
        {}, withTool(&PhotoEdits::addRectangle));
    add("photoHorizon", tr("Draw the horizon of the picture"), tr("Horizon"), {}, {},
        withTool(&PhotoEdits::addHorizon));
    add("photoPoint", tr("Mark a point of known position in the picture"), tr("Point"), {}, {}, [this] {
        plate_->canvas().setTool(PlateTool::photo);
        photoEdits_.setPlacing(true);
    });
    add("clearFoundLines", tr("Remove the lines that were found"), tr("Clear found"), {}, {},
        [this] { photoEdits_.clearFoundLines(); });
    add("clearPhoto", tr("Remove all of the photo match"), tr("Clear all"), {}, {}, [this] { photoEdits_.clear(); });

    add("addStills", tr("Add photos of the same place…"), tr("Add…"), {}, {}, [this] {
        const QStringList files = QFileDialog::getOpenFileNames(
            this, tr("Add reference stills"), {},
            tr("Photos (*.jpg *.jpeg *.png *.tif *.tiff *.exr *.dpx *.heic);;All files (*)"));
        if (!files.isEmpty()) stillEdits_.addFiles(files);
    });
    add("findStillMarks", tr("Find what shot and stills have in common, and solve with it"), tr("Find marks"), {}, {},
        [this] { stillEdits_.findMatches(); });
    add("removeStill", tr("Remove the chosen reference still"), tr("Remove"), {}, {},
        [this] { stillEdits_.remove(stillEdits_.shown()); });
    connect(&stillEdits_, &StillEdits::changed, this, &MainWindow::refreshPhotoActions);
}

void MainWindow::refreshPhotoActions() {
    const Shot& s = document_.shot();
    const bool idle = s.hasPlate() && !document_.job().running(), photo = photoEdits_.available();
    for (const char* n : {"matchFrame", "addStills"}) actions_[n]->setEnabled(idle);
    for (const char* n : {"photoAxisX", "photoAxisY", "photoAxisZ", "photoRectangle", "photoHorizon", "photoPoint"})
        actions_[n]->setEnabled(photo);
    actions_["findPhotoLines"]->setEnabled(idle && photo);
    actions_["clearPhoto"]->setEnabled(photo && !s.photo.empty());
    actions_["clearFoundLines"]->setEnabled(photo && !s.photo.lines.empty());
    actions_["findStillMarks"]->setEnabled(idle && !s.stills.empty());
    actions_["removeStill"]->setEnabled(stillEdits_.shown() != 0);
}

}  // namespace va
