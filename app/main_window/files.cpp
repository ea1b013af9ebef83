// SPDX-License-Identifier: GPL-3.0-or-later
// Opening, saving and what is asked about both.
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>

#include "base/error.h"
#include "drawer/drawer.h"
#include "main_window/main_window.h"
#include "route/route.h"

namespace va {

bool MainWindow::openPath(const QString& path) {
    try {
        if (path.endsWith(".vanchor") || path.endsWith(".vanchor~")) {
            QString file = path;
            const QString copy = Document::recoverableCopy(path);
            if (!copy.isEmpty() && isVisible()) {
                QMessageBox ask(
                    QMessageBox::Question, tr("Recover"),
                    tr("There is an autosaved copy of \"%1\" that is newer than the project. Open the copy?")
                        .arg(QFileInfo(path).fileName()),
                    QMessageBox::Yes | QMessageBox::No, this);
                ask.setObjectName("recover");
                if (ask.exec() == QMessageBox::Yes) file = copy;
            }
            // An autosaved copy stands for its project, also where the copy itself was chosen.
            if (path.endsWith(QLatin1Char('~'))) document_.recover(path, path.chopped(1));
            else if (file == path) document_.openProject(file);
            else document_.recover(file, path);
            if (!document_.plateTrouble().isEmpty()) showTrouble(document_.plateTrouble());
        } else {
            document_.openPlateAsNew(path);
            askAboutDamage();
        }
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
        return false;
    } catch (const Cancelled&) {
        showTrouble(tr("Opening was cancelled."));
        return false;
    }
    remember(path);
    route_->setCurrent(document_.shot().solve->has() ? Step::solve : Step::plate);
    return true;
}

void MainWindow::offerUnsaved() {
    const QStringList copies = Document::unsavedCopies();
    if (copies.isEmpty()) return;
    const QString& newest = copies.front();
    QMessageBox ask(QMessageBox::Question, tr("Recover"),
                    tr("A shot that was never saved is left from %1. Open it?")
                        .arg(QLocale().toString(QFileInfo(newest).lastModified(), QLocale::ShortFormat)),
                    QMessageBox::Yes | QMessageBox::No, this);
    ask.setObjectName("recoverUnsaved");
    if (ask.exec() == QMessageBox::No) {
        // Said no to once: it is not offered again, but stays on disk under another name.
        for (const QString& copy : copies) QFile::rename(copy, copy + QStringLiteral(".declined"));
        return;
    }
    try {
        document_.recover(newest, {});
        // The copy goes only once this window has one of its own.
        document_.autosaveNow();
        if (QFile::exists(document_.autosaveFile())) QFile::remove(newest);
        route_->setCurrent(document_.shot().solve->has() ? Step::solve : Step::plate);
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
    } catch (const Cancelled&) {
        showTrouble(tr("Opening was cancelled."));
    }
}

void MainWindow::askAboutDamage() {
    const PlateInfo& plate = document_.shot().plate;
    if (plate.damaged.empty() || !isVisible()) return;
    QMessageBox ask(QMessageBox::Question, tr("Damaged frames"),
                    tr("%1 of %2 frames can't be used; the first is %3: %4\nGo on without them?")
                        .arg(plate.damaged.size())
                        .arg(plate.frames.count())
                        .arg(plate.damaged.front().frame)
                        .arg(QString::fromStdString(plate.damaged.front().cause)),
                    QMessageBox::Yes | QMessageBox::No, this);
    ask.setObjectName("damaged");
    if (ask.exec() == QMessageBox::No) document_.closePlate();
}

void MainWindow::open() {
    if (!mayDiscard()) return;
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Open plate or project"), QSettings().value("folder").toString(),
        tr("Plates and projects (*.vanchor *.mp4 *.mov *.mkv *.mxf *.avi *.m4v *.mpg "
           "*.webm *.ts *.mts *.m2ts *.vob *.wmv *.asf *.flv *.ogv *.y4m *.h264 *.hevc *.gif *.jpg *.jpeg "
           "*.png *.tif *.tiff *.dpx *.exr *.tga *.bmp *.webp *.jp2 *.heic *.avif);;All files (*)"));
    if (!file.isEmpty()) openPath(file);
}

void MainWindow::locateFootage() {
    const QString file = QFileDialog::getOpenFileName(this, tr("Locate footage"),
                                                      QSettings().value("folder").toString(), tr("All files (*)"));
    if (file.isEmpty()) return;
    try {
        document_.relinkPlate(file);
        say(tr("Footage located."));
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
    } catch (const Cancelled&) {
        showTrouble(tr("Opening was cancelled."));
    }
}

bool MainWindow::saveTo(const QString& file) {
    try {
        document_.save(file);
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
        return false;
    }
    remember(file);
    drawer_->log(tr("Saved %1.").arg(file));
    return true;
}

bool MainWindow::save() { return document_.fileName().isEmpty() ? saveAs() : saveTo(document_.fileName()); }

bool MainWindow::saveAs() {
    const QString base = document_.fileName().isEmpty() ? QSettings().value("folder").toString() + "/" +
                                                              QString::fromStdString(document_.shot().name) + ".vanchor"
                                                        : document_.fileName();
    QString file = QFileDialog::getSaveFileName(this, tr("Save project"), base, tr("Vivid Anchor project (*.vanchor)"));
    if (file.isEmpty()) return false;
    if (!file.endsWith(".vanchor")) file += ".vanchor";
    return saveTo(file);
}

bool MainWindow::mayDiscard() {
    if (!document_.modified()) return true;
    QMessageBox ask(QMessageBox::Question, tr("Unsaved changes"), tr("The project has changes that are not saved."),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    ask.setObjectName("unsaved");
    switch (ask.exec()) {
        case QMessageBox::Save: return save();
        case QMessageBox::Discard: return true;
        default: return false;
    }
}

void MainWindow::remember(const QString& path) {
    QSettings settings;
    const QString absolute = QFileInfo(path).absoluteFilePath();
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(absolute);
    recent.prepend(absolute);
    settings.setValue("recent", QStringList(recent.mid(0, 10)));
    settings.setValue("folder", QFileInfo(absolute).absolutePath());
}

void MainWindow::fillRecent() {
    recent_->clear();
    for (const QString& path : QSettings().value("recent").toStringList())
        recent_->addAction(path, this, [this, path] {
            if (mayDiscard()) openPath(path);
        });
    if (recent_->isEmpty()) recent_->addAction(tr("Nothing opened yet"))->setEnabled(false);
}

}  // namespace va
