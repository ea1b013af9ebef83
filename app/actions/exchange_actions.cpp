// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of what leaves the shot and what comes into it.
#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QSettings>

#include "main_window/main_window.h"
#include "main_window/scene_dialogs.h"

namespace va {

void MainWindow::makeExchangeActions() {
    add("takeScene", tr("Take a camera with its scene from a file…"), tr("Take camera…"),
        QKeySequence(Qt::CTRL | Qt::Key_I), {}, [this] { takeScene(chosenScene(tr("Take camera"))); });
    add("compareScene", tr("Compare the camera with a file's…"), tr("Compare…"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_I), {}, [this] { compareScene(chosenScene(tr("Compare with"))); });
    add("unlockCamera", tr("Unlock a camera that was taken from a file, to solve it anew"), tr("Unlock"), {}, {},
        [this] { exchange_.unlockCamera(); });
    const auto copy = [this](const QString& words, const QString& said) {
        if (words.isEmpty()) return;
        QGuiApplication::clipboard()->setText(words);
        say(said);
    };
    add("copyCamera", tr("Copy the camera of this frame as a table"), tr("Copy camera"),
        QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_C), {}, [this, copy] {
            copy(exchange_.cameraText(false), tr("The camera of frame %1 is on the clipboard.").arg(document_.frame()));
        });
    add("copyCameraRange", tr("Copy the camera of the work range as a table"), tr("Copy range"), {}, {},
        [this, copy] { copy(exchange_.cameraText(true), tr("The camera of the work range is on the clipboard.")); });
    add("pasteCamera", tr("Take a camera from the table on the clipboard"), tr("Paste camera"),
        QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_V), {}, [this] {
            if (const auto offered = exchange_.offerText(QGuiApplication::clipboard()->text())) askAndTake(*offered);
        });
    add("copyVerdict", tr("Copy what is said about the shot"), tr("Copy verdict"), {}, {},
        [this, copy] { copy(exchange_.verdictText(), tr("What is said about the shot is on the clipboard.")); });
}

QString MainWindow::chosenScene(const QString& title) {
    QSettings settings;
    const QString file =
        QFileDialog::getOpenFileName(this, title, settings.value("folder").toString(),
                                     tr("Scenes (%1);;All files (*)").arg(QString::fromStdString(sceneEndings())));
    if (!file.isEmpty()) settings.setValue("folder", QFileInfo(file).absolutePath());
    return file;
}

void MainWindow::takeScene(const QString& file) {
    if (file.isEmpty()) return;
    if (const auto offered = exchange_.offer(file)) askAndTake(*offered);
}

void MainWindow::askAndTake(const ExchangeEdits::Offered& offered) {
    auto* ask = new TakeSceneDialog(offered, TakeSceneDialog::For::taking, this);
    ask->setAttribute(Qt::WA_DeleteOnClose);
    connect(ask, &QDialog::accepted, this, [this, ask] { (void)exchange_.take(ask->offered(), ask->things()); });
    ask->open();
}

void MainWindow::compareScene(const QString& file) {
    if (file.isEmpty()) return;
    const auto offered = exchange_.offer(file);
    if (!offered) return;
    const auto show = [this, file](const ExchangeEdits::Offered& o) {
        const auto c = exchange_.compareWith(o);
        if (!c) return;
        auto* dialog = new CompareDialog(*c, file, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &CompareDialog::frameChosen, &document_, &Document::setFrame);
        dialog->show();
    };
    // Scale and axes do not matter for a comparison: what is left open is asked.
    ExchangeEdits::Offered o = *offered;
    for (Misfit& m : o.misfits)
        if ((m.about == Misfit::About::unit || m.about == Misfit::About::axis) && m.chosen < 0) m.chosen = 0;
    std::erase_if(o.misfits,
                  [](const Misfit& m) { return m.about == Misfit::About::distortion && m.choices.size() < 2; });
    if (std::none_of(o.misfits.begin(), o.misfits.end(), [](const Misfit& m) { return m.open && m.chosen < 0; }))
        return show(o);
    auto* ask = new TakeSceneDialog(o, TakeSceneDialog::For::comparing, this);
    ask->setAttribute(Qt::WA_DeleteOnClose);
    connect(ask, &QDialog::accepted, this, [ask, show] { show(ask->offered()); });
    ask->open();
}

}  // namespace va
