// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Features: tracking by hand, masks, patches, path files.
#include <QClipboard>
#include <QFileDialog>
#include <QGuiApplication>
#include <QMessageBox>

#include "base/error.h"
#include "exchange/paths_file.h"
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "views/views.h"

namespace va {

void MainWindow::makeFeatureActions() {
    add("guidedTrack", tr("Find lost features again, guided by the solve"), tr("Find again"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_F), {}, [this] { edits_.guidedTrack(); });
    add("trackForward", tr("Track the feature forward to the end"), tr("Track →"), Qt::Key_Period, {},
        [this] { edits_.trackCurrent(true, false); });
    add("trackBackward", tr("Track the feature backward to the beginning"), tr("← Track"), Qt::Key_Comma, {},
        [this] { edits_.trackCurrent(false, false); });
    add("trackOneForward", tr("Track the feature one frame on"), tr("One →"), QKeySequence(Qt::CTRL | Qt::Key_Period),
        {}, [this] { edits_.trackCurrent(true, true); });
    add("trackOneBack", tr("Track the feature one frame back"), tr("← One"), QKeySequence(Qt::CTRL | Qt::Key_Comma), {},
        [this] { edits_.trackCurrent(false, true); });
    add("newReference", tr("Take a new reference from this frame"), tr("New reference"),
        QKeySequence(Qt::SHIFT | Qt::Key_R), {}, [this] { edits_.newReference(); });
    add("reanchor", tr("Re-anchor: measure the whole path against this frame"), tr("Re-anchor"),
        QKeySequence(Qt::SHIFT | Qt::Key_A), {}, [this] { edits_.reanchor(); });
    add("carryAlong", tr("Carry the hidden feature along with the other selected ones"), tr("Carry along"),
        QKeySequence(Qt::SHIFT | Qt::Key_N), {}, [this] { edits_.carryAlong(); });
    add("holdStill", tr("Hold the selected path still in the middle"), tr("Hold still"), Qt::Key_W, {}, [this] {
        PathLook look = plate_->canvas().look();
        look.centred = !look.centred;
        plate_->canvas().setLook(look);
    });

    add("suggestMasks", tr("Suggest masks for what moves on its own or is at infinity"), tr("Suggest"), {}, {},
        [this] { edits_.suggestMasks(); });
    add("removeMask", tr("Remove the selected mask"), tr("Remove"), {}, {}, [this] {
        if (document_.selectedMask() != 0) edits_.removeMask(document_.selectedMask());
    });
    add("chooseMatte", tr("Choose matte files…"), tr("Choose…"), {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Matte: a movie, or one of numbered stills"));
        if (!file.isEmpty()) edits_.setMatte(tr("Choose matte"), [&](Matte& m) { m.spec = file.toStdString(); });
    });
    add("clearMatte", tr("Do without matte files"), tr("Clear"), {}, {},
        [this] { edits_.setMatte(tr("Clear matte"), [](Matte& m) { m = Matte(); }); });

    add("patchForward", tr("Track the patch forward"), tr("On →"), {}, {}, [this] { edits_.trackPatch(true, false); });
    add("patchBackward", tr("Track the patch backward"), tr("← Back"), {}, {},
        [this] { edits_.trackPatch(false, true); });
    add("patchBoth", tr("Track the patch both ways"), tr("← Both →"), QKeySequence(Qt::SHIFT | Qt::Key_P), {},
        [this] { edits_.trackPatch(true, true); });
    add("removePatch", tr("Remove the selected patch"), tr("Remove"), {}, {}, [this] {
        if (document_.selectedPatch() != 0) edits_.removePatch(document_.selectedPatch());
    });
    add("writePatch", tr("Write the patch's corners…"), tr("Write corners…"), {}, {}, [this] {
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Corners of the patch"), {}, tr("CSV (*.csv);;JSON (*.json)"));
        if (!file.isEmpty()) edits_.writePatch(file);
    });

    add("readPaths", tr("Read paths…"), {}, {}, {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Paths"), {}, tr("Paths (*.csv *.json)"));
        if (!file.isEmpty()) readPaths(file);
    });
    add("copyRows", tr("Copy the selected features as a table"), tr("Copy features"), QKeySequence::Copy, {}, [this] {
        const QString words = edits_.selectedPathsText();
        if (words.isEmpty()) return showTrouble(tr("Select features first: in the plate view, or in the table."));
        QGuiApplication::clipboard()->setText(words);
        say(tr("The selected features are on the clipboard."));
    });
    add("pasteRows", tr("Add features from the table on the clipboard"), tr("Paste features"), QKeySequence::Paste, {},
        [this] { edits_.pastePaths(QGuiApplication::clipboard()->text()); });
    add("writePaths", tr("Write paths…"), {}, {}, {}, [this] {
        const QString file = QFileDialog::getSaveFileName(this, tr("Paths"), {}, tr("CSV (*.csv);;JSON (*.json)"));
        if (!file.isEmpty()) edits_.writePaths(file);
    });
    const auto keep = [this](bool before) {
        const Shot& s = document_.shot();
        for (int cut : s.findings.cuts)
            if (s.range.first < cut && cut <= s.range.last)
                return document_.setRange(before ? FrameRange{s.range.first, cut - 1} : FrameRange{cut, s.range.last});
    };
    add("keepBeforeCut", tr("Shorten the range to before the scene change"), {}, {}, {}, [=] { keep(true); });
    add("keepAfterCut", tr("Shorten the range to after the scene change"), {}, {}, {}, [=] { keep(false); });
}

void MainWindow::refreshFeatureActions() {
    const Shot& s = document_.shot();
    const bool idle = s.hasPlate() && !document_.job().running();
    for (const char* n : {"trackForward", "trackBackward", "trackOneForward", "trackOneBack", "reanchor"})
        actions_[n]->setEnabled(idle && edits_.current() != nullptr);
    for (const char* n : {"newReference", "carryAlong"}) actions_[n]->setEnabled(edits_.current() != nullptr);
    actions_["guidedTrack"]->setEnabled(idle && s.solve->motion == Motion::free);
    actions_["suggestMasks"]->setEnabled(s.solve->motion == Motion::free);
    actions_["removeMask"]->setEnabled(s.mask(document_.selectedMask()) != nullptr);
    actions_["clearMatte"]->setEnabled(!s.exclusions.matte.spec.empty());
    const bool patch = s.patch(document_.selectedPatch()) != nullptr;
    for (const char* n : {"patchForward", "patchBackward", "patchBoth"}) actions_[n]->setEnabled(idle && patch);
    for (const char* n : {"removePatch", "writePatch"}) actions_[n]->setEnabled(patch);
    actions_["writePaths"]->setEnabled(!s.paths->empty());
    for (const char* n : {"readPaths", "chooseMatte"}) actions_[n]->setEnabled(s.hasPlate());
    bool cut = false;
    for (int c : s.findings.cuts) cut = cut || (s.range.first < c && c <= s.range.last);
    for (const char* n : {"keepBeforeCut", "keepAfterCut"}) actions_[n]->setEnabled(cut);
}

/// Paths of another picture size or of other frame numbers: asked before they are taken.
void MainWindow::readPaths(const QString& file) {
    const Shot& s = document_.shot();
    PathsMapping mapping;
    try {
        const auto paths = readPathsFile(file.toStdString());
        const auto size = sizeOfPathsFile(file.toStdString());
        if (size && (size->first != s.plate.width || size->second != s.plate.height)) {
            if (QMessageBox::question(
                    this, tr("Read paths"),
                    tr("The paths were tracked in a picture of %1 × %2, the plate has %3 × %4. Scale them?")
                        .arg(size->first)
                        .arg(size->second)
                        .arg(s.plate.width)
                        .arg(s.plate.height)) != QMessageBox::Yes)
                return;
            mapping.sizePx = size;
        }
        int first = s.plate.frames.last, last = s.plate.frames.first;
        for (const Path& p : paths)
            first = std::min(first, p.points.front().frame), last = std::max(last, p.points.back().frame);
        if (!paths.empty() && (first < s.plate.frames.first || last > s.plate.frames.last)) {
            if (QMessageBox::question(
                    this, tr("Read paths"),
                    tr("The paths have frames %1–%2, the plate %3–%4. Let the first of them be the plate's first?")
                        .arg(first)
                        .arg(last)
                        .arg(s.plate.frames.first)
                        .arg(s.plate.frames.last)) == QMessageBox::Yes)
                mapping.firstFrame = s.plate.frames.first;
        }
    } catch (const Error& e) {
        return showTrouble(QString::fromUtf8(e.what()));
    }
    edits_.addPathsFromFile(file, mapping);
}

}  // namespace va
