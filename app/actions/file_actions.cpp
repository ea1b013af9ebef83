// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of files, of editing, and of the whole shot.
#include "main_window/action_search.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "strip/strip.h"

namespace va {

void MainWindow::makeFileActions() {
    add("open", tr("Open plate or project…"), tr("Open…"), QKeySequence::Open, "folder-open", [this] { open(); });
    add("save", tr("Save project"), {}, QKeySequence::Save, {}, [this] { save(); });
    add("saveAs", tr("Save project as…"), {}, QKeySequence::SaveAs, {}, [this] { saveAs(); });
    add("locate", tr("Locate footage…"), {}, {}, {}, [this] { locateFootage(); });
    add("quit", tr("Quit"), {}, QKeySequence::Quit, {}, [this] { close(); });
}

void MainWindow::makeEditActions() {
    QAction* undo = document_.undoStack().createUndoAction(this, tr("Undo"));
    QAction* redo = document_.undoStack().createRedoAction(this, tr("Redo"));
    undo->setShortcut(QKeySequence::Undo);
    redo->setShortcut(QKeySequence::Redo);
    actions_["undo"] = undo;
    actions_["redo"] = redo;
    order_ << "undo"
           << "redo";
    add("setAside", tr("Set selected features aside"), tr("Set aside"), Qt::Key_Delete, {},
        [this] { document_.setAside(document_.selectedPaths(), true); });
    add("bringBack", tr("Bring selected features back"), tr("Bring back"), QKeySequence(Qt::SHIFT | Qt::Key_Delete), {},
        [this] { document_.setAside(document_.selectedPaths(), false); });
    add("selectAll", tr("Select features of this frame"), {}, QKeySequence::SelectAll, {}, [this] {
        QSet<int> ids;
        for (const Path& p : *document_.shot().paths)
            if (!p.setAside && p.at(document_.frame())) ids.insert(p.id);
        document_.selectPaths(ids);
    });
    add("search", tr("Search the actions…"), {}, QKeySequence(Qt::CTRL | Qt::Key_K), "search", [this] {
        QList<QAction*> all;
        for (const QString& n : order_)
            if (n != "search") all << actions_[n];
        ActionSearch box(all, this);
        box.move(mapToGlobal(QPoint((width() - box.width()) / 2, 90)));
        box.exec();
    });
}

void MainWindow::makeShotActions() {
    add("match", tr("Match shot"), {}, QKeySequence(Qt::CTRL | Qt::Key_M), {}, [this] {
        matching_ = !document_.shot().solve->has();
        document_.matchShot();
    });
    add("track", tr("Track features"), {}, QKeySequence(Qt::CTRL | Qt::Key_F), "scan-search",
        [this] { document_.trackFeatures(); });
    add("solve", tr("Solve the camera"), tr("Solve"), QKeySequence(Qt::CTRL | Qt::Key_R), "video",
        [this] { document_.solve(); });
    add("cancel", tr("Cancel the running job"), tr("Cancel"), Qt::Key_Escape, {}, [this] {
        document_.opening().cancel();
        document_.job().cancel();
    });

    add("play", tr("Play or stop"), {}, Qt::Key_Space, "play", [this] { strip_->setPlaying(!strip_->playing()); });
    add("first", tr("First frame of the range"), tr("First"), Qt::Key_Home, "chevron-first",
        [this] { document_.setFrame(document_.shot().range.first); });
    add("last", tr("Last frame of the range"), tr("Last"), Qt::Key_End, "chevron-last",
        [this] { document_.setFrame(document_.shot().range.last); });
    add("middle", tr("Middle frame of the range"), tr("Middle"), QKeySequence(Qt::CTRL | Qt::Key_Home), {}, [this] {
        const FrameRange& range = document_.shot().range;
        document_.setFrame(range.first + (range.last - range.first) / 2);
    });
    add("stepBack", tr("One frame back"), {}, Qt::Key_Left, "step-back",
        [this] { document_.setFrame(document_.frame() - 1); });
    add("stepForward", tr("One frame on"), {}, Qt::Key_Right, "step-forward",
        [this] { document_.setFrame(document_.frame() + 1); });
    add("setIn", tr("Begin the work range here"), {}, Qt::Key_I, {}, [this] {
        document_.setRange({document_.frame(), document_.shot().range.last});
    });
    add("setOut", tr("End the work range here"), {}, Qt::Key_O, {}, [this] {
        document_.setRange({document_.shot().range.first, document_.frame()});
    });
}

}  // namespace va
