// SPDX-License-Identifier: GPL-3.0-or-later
// What an edit costs and merges with, what jobs give back, and what is there after a crash.
#include <QDir>
#include <QMessageBox>
#include <QPushButton>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <atomic>
#include <chrono>
#include <thread>

#include "base/error.h"
#include "document/background.h"
#include "document/job_result.h"
#include "document/undo_step.h"
#include "shot/shot_file.h"
#include "style/theme.h"
#include "ui.h"
#include "workflow/verdict.h"

namespace va {

class DocumentTest : public QObject {
    Q_OBJECT

  private:
    QTemporaryDir folder_;
    QString solved_;

    /// A thousand paths of three hundred frames on the jib's plate.
    static Shot withManyPaths(const Shot& shot) {
        Shot out = shot;
        auto paths = std::make_shared<std::vector<Path>>();
        for (int k = 0; k < 1000; ++k) {
            Path p;
            p.id = k + 1;
            p.origin = PathOrigin::byHand;
            p.referenceFrame = 1001;
            for (int f = 0; f < 300; ++f) {
                PathPoint q;
                q.frame = 1001 + f;
                q.x = 10 + k % 600, q.y = 10 + f;
                p.points.push_back(q);
            }
            paths->push_back(p);
        }
        out.paths = paths;
        return out;
    }

  private Q_SLOTS:
    void initTestCase() {
        prepare("document-test");
        QVERIFY(folder_.isValid());
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved").removeRecursively();
        solved_ = solvedJib(folder_);
    }

    // The first camera is on the screen, and marked, while the match goes on; all of it is one step of undo.
    void theFirstCameraIsShownWhileTheMatchGoesOn() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/jib"));
        const int steps = ui.document.undoStack().count();
        bool shown = false, marked = false;
        connect(&ui.document, &Document::shotChanged, &ui.document, [&] {
            const Shot& s = ui.document.shot();
            if (!s.solve->preliminary) return;
            shown = ui.document.job().running() && s.solve->has() && !s.paths->empty() && s.ground->level;
            marked = ui.sentence().startsWith("First camera") ||
                     verdictOn(s, Step::solve).sentence.find("First camera") != std::string::npos;
        });
        ui.document.matchShot();
        ui.finish();
        QVERIFY(shown);
        QVERIFY(marked);
        QVERIFY(ui.document.shot().solve->has() && !ui.document.shot().solve->preliminary);
        QVERIFY2(!ui.sentence().startsWith("First camera"), qPrintable(ui.sentence()));
        QCOMPARE(ui.document.undoStack().count(), steps + 1);
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().paths->empty() && !ui.document.shot().solve->has());

        // An edit made meanwhile stays, as a step of its own, and so it does after a cancel.
        bool edited = false;
        const auto edit = connect(&ui.document, &Document::shotChanged, &ui.document, [&] {
            if (!ui.document.shot().solve->preliminary || edited) return;
            edited = true;
            QTimer::singleShot(0, &ui.document, [&] {
                Shot next = ui.document.shot();
                next.name = "renamed";
                ui.document.edit("Rename", next);
            });
        });
        ui.document.matchShot();
        ui.finish();
        disconnect(edit);
        QVERIFY(edited);
        QCOMPARE(ui.document.shot().name, std::string("renamed"));
        QVERIFY(ui.document.shot().solve->has() && !ui.document.shot().solve->preliminary);
        while (ui.document.undoStack().canUndo()) ui.document.undoStack().undo();
        const auto cancel = connect(&ui.document, &Document::shotChanged, &ui.document, [&] {
            if (ui.document.shot().solve->preliminary) ui.document.job().cancel();
        });
        ui.document.matchShot();
        ui.finish();
        disconnect(cancel);
        // What was reached is kept; a camera that was not refined to the end says so.
        QVERIFY(ui.document.shot().solve->has());
        QCOMPARE(ui.document.shot().solve->preliminary,
                 verdictOn(ui.document.shot(), Step::solve).sentence.find("First camera") != std::string::npos);
    }

    void anEditOfOnePathSharesTheOthers() {
        Ui ui(solved_);
        ui.document.edit("Many", withManyPaths(ui.document.shot()));
        ui.document.selectPaths({500});
        const Shot before = ui.document.shot();
        ui.window.edits().nudge({0.1, 0});
        const Shot& after = ui.document.shot();
        QCOMPARE(after.path(500)->at(1001)->x, before.path(500)->at(1001)->x + 0.1);
        QVERIFY(after.path(499)->points.sharesWith(before.path(499)->points));
        QVERIFY(!after.path(500)->points.sharesWith(before.path(500)->points));
        // Seventeen megabytes would be a copy of all of them.
        const size_t bytes = bytesNotShared(before, after);
        QVERIFY2(bytes < 500'000, qPrintable(QString::number(bytes)));
        QVERIFY(bytesNotShared(Shot(), after) > 10'000'000);
    }

    void nudgesThatFollowEachOtherAreOneStep() {
        Ui ui(solved_);
        ui.document.selectPaths({(*ui.document.shot().paths)[0].id});
        const Path* path = &(*ui.document.shot().paths)[0];
        ui.document.setFrame(path->points.front().frame);
        const int id = path->id, frame = ui.document.frame(), steps = ui.document.undoStack().count();
        const double x = path->at(frame)->x;
        for (int i = 0; i < 7; ++i) ui.window.edits().nudge({0.1, 0});
        QCOMPARE(ui.document.undoStack().count(), steps + 1);
        QVERIFY(std::fabs(ui.document.shot().path(id)->at(frame)->x - (x + 0.7)) < 1e-9);
        // In another frame it is another step, and so it is after a pause.
        ui.document.setFrame(path->points[1].frame);
        ui.window.edits().nudge({0.1, 0});
        QCOMPARE(ui.document.undoStack().count(), steps + 2);
        QTest::qWait(1600);
        ui.window.edits().nudge({0.1, 0});
        QCOMPARE(ui.document.undoStack().count(), steps + 3);
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        QCOMPARE(ui.document.shot().path(id)->at(frame)->x, x);
    }

    void undoHoldsSoMuchAndDropsTheOldest() {
        Ui ui(solved_);
        ui.document.edit("Many", withManyPaths(ui.document.shot()));
        ui.document.setUndoLimit(1'500'000);
        const int before = ui.document.undoStack().count();
        ui.document.selectPaths({500});
        for (int i = 0; i < 20; ++i) {
            ui.document.setFrame(1001 + i);  // each a step of its own
            ui.window.edits().nudge({0.1, 0});
        }
        QCOMPARE(ui.document.undoStack().count(), before + 20);
        int kept = 0;
        for (int i = 0; i < ui.document.undoStack().count(); ++i)
            kept += !dynamic_cast<const UndoStep*>(ui.document.undoStack().command(i))->dropped();
        QVERIFY2(kept >= 3 && kept < 20, qPrintable(QString::number(kept)));
        // What is kept is undone as ever; beyond it the shot stays.
        for (int i = 0; i < kept; ++i) ui.document.undoStack().undo();
        const Shot oldest = ui.document.shot();
        QCOMPARE(oldest.paths->size(), size_t(1000));
        QSignalSpy messages(&ui.document, &Document::message);
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().paths == oldest.paths);
        QVERIFY(!messages.isEmpty() && messages.last()[0].toString().contains("Undo ends here"));
        // The project as it was opened can't be reached any more: nothing on the way back counts as saved.
        while (ui.document.undoStack().canUndo()) ui.document.undoStack().undo();
        QVERIFY(ui.document.modified());
    }

    // The patch job works on a snapshot; a corner that was moved meanwhile keeps its move.
    void aCornerMovedDuringAPatchJobKeepsItsMove() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/slipway/slipway.mp4"));
        const Shot& shot = ui.document.shot();
        const double w = shot.plate.width, h = shot.plate.height;
        ui.window.edits().addPatch({Eigen::Vector2d(0.158 * w, 0.382 * h),
                                    {0.275 * w, 0.386 * h},
                                    {0.275 * w, 0.499 * h},
                                    {0.159 * w, 0.505 * h}});
        const int id = ui.document.selectedPatch();
        ui.document.setRange({1001, 1010});
        ui.window.edits().trackPatch(true, false);
        ui.finish();
        ui.document.setRange({1001, 1060});
        ui.window.edits().trackPatch(true, false);
        QVERIFY(ui.document.job().running());
        ui.document.setFrame(1005);
        Corners corners = *ui.document.shot().patch(id)->cornersAt(1005);
        corners[2] += Eigen::Vector2d(4, -3);
        ui.window.edits().setPatchCorners(id, corners);
        QVERIFY(ui.document.job().running());
        ui.finish();
        const FlatPatch* patch = ui.document.shot().patch(id);
        QVERIFY(patch->frames.back().frame > 1010);
        QVERIFY(patch->corrections.key(1005));
        QVERIFY(((*patch->cornersAt(1005))[2] - corners[2]).norm() < 0.1);
    }

    void aRecoveredProjectIsStillTheProject() {
        const QString file = folder_.filePath("work.vanchor");
        QVERIFY(QFile::copy(solved_, file));
        QTest::qWait(1100);
        QVERIFY(QFile::copy(solved_, file + "~"));
        Ui ui;
        ui.document.recover(file + "~", file);
        QCOMPARE(ui.document.fileName(), file);
        QVERIFY(ui.document.modified());
        QVERIFY(ui.window.saveTo(ui.document.fileName()));
        QVERIFY(!ui.document.modified());
        QVERIFY(!QFile::exists(file + "~"));
        // So it is where the copy itself is opened.
        QVERIFY(QFile::copy(solved_, file + "~"));
        QVERIFY(ui.window.openPath(file + "~"));
        QCOMPARE(ui.document.fileName(), file);
        QVERIFY(ui.document.modified());
    }

    void aShotThatWasNeverSavedIsOfferedAfterACrash() {
        // What a program that is gone has left: no process has this number.
        const QString unsaved = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
        QVERIFY(QDir().mkpath(unsaved));
        const QString left = unsaved + "/999999999-1.vanchor~";
        QVERIFY(QFile::copy(solved_, left));
        QCOMPARE(Document::unsavedCopies(), QStringList{left});
        {
            // An autosave of a shot that runs now is nobody else's.
            Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/jib"));
            ui.document.setRange({1002, 1010});
            ui.document.autosaveNow();
            QVERIFY(QFile::exists(ui.document.autosaveFile()));
            QCOMPARE(Document::unsavedCopies(), QStringList{left});
            QFile::remove(ui.document.autosaveFile());
        }
        Ui ui;
        QTimer::singleShot(200, qApp, [] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            QVERIFY(box);
            QCOMPARE(box->objectName(), QString("recoverUnsaved"));
            QTest::mouseClick(box->button(QMessageBox::Yes), Qt::LeftButton);
        });
        ui.window.offerUnsaved();
        QVERIFY(ui.document.shot().solve->has());
        QVERIFY(ui.document.fileName().isEmpty());
        QVERIFY(ui.document.modified());
        // It is not offered twice, and not lost either until it is saved.
        QVERIFY(!QFile::exists(left));
        QVERIFY(QFile::exists(ui.document.autosaveFile()));
        QVERIFY(ui.window.saveTo(folder_.filePath("saved.vanchor")));
        QVERIFY(Document::unsavedCopies().isEmpty());
    }

    // Footage that goes away on the way: what was tracked stays.
    void anErrorInAJobKeepsWhatWasDone() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/jib"));
        QSignalSpy troubles(&ui.document, &Document::troubled);
        Shot done = readShot(solved_.toStdString());
        ui.document.startJob("Work", Part::paths, [done](const Shot& s, Progress&, Shot& soFar) -> Shot {
            soFar = s;
            soFar.paths = done.paths;
            throw InputError("Frame 1020 can't be read.");
        });
        ui.finish();
        QTRY_COMPARE(troubles.count(), 1);
        QVERIFY(troubles[0][0].toString().contains("Frame 1020"));
        QVERIFY(troubles[0][0].toString().contains("kept"));
        QCOMPARE(ui.document.shot().paths->size(), done.paths->size());
    }

    // A job says which parts it may replace; whatever else it changed on its copy is dropped.
    void aJobReplacesOnlyItsParts() {
        Shot before = readShot(solved_.toStdString());
        Shot made = before;
        made.name = "renamed";
        made.solve = std::make_shared<SolveResult>();
        made.solveFrom = 7;
        auto paths = std::make_shared<std::vector<Path>>(*made.paths);
        paths->pop_back();
        made.paths = paths;
        made.priors.distortion = Known::known;
        Shot now = before;
        now.range.last -= 1;  // an edit while the job ran
        const Shot onlyPaths = merged(now, {Part::paths, before, made});
        QCOMPARE(onlyPaths.paths->size(), paths->size());
        QCOMPARE(onlyPaths.solve, before.solve);
        QCOMPARE(onlyPaths.solveFrom, before.solveFrom);
        QCOMPARE(QString::fromStdString(onlyPaths.name), QString::fromStdString(before.name));
        QCOMPARE(onlyPaths.range.last, now.range.last);
        QVERIFY(onlyPaths.priors == before.priors);
        const Shot solveAndLens = merged(now, {Part::solve | Part::lens, before, made});
        QCOMPARE(solveAndLens.solve, made.solve);
        QVERIFY(solveAndLens.priors.distortion == Known::known);
        QCOMPARE(solveAndLens.paths, before.paths);
        QCOMPARE(merged(now, {{}, before, made}).paths, before.paths);
    }

    // Its end cancels what runs and waits for it, and nothing is told any more.
    void backgroundWorkEndsWithItsOwner() {
        std::atomic<bool> begun = false, left = false;
        bool told = false;
        {
            Background background;
            background.start(
                [&](Progress& progress) {
                    begun = true;
                    while (!progress.cancelled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
                    std::this_thread::sleep_for(std::chrono::milliseconds(30));
                    left = true;
                    progress.check();
                },
                [&](Background::End, const QString&) { told = true; });
            background.start([](Progress&) {}, [&](Background::End, const QString&) { told = true; });
            QTRY_VERIFY(begun);
        }
        QVERIFY(left);
        QCoreApplication::processEvents();
        QVERIFY(!told);
        Background again;
        QString sentence;
        again.start([](Progress&) { throw InputError("no disk"); },
                    [&](Background::End end, const QString& s) { sentence = end == Background::End::failed ? s : ""; });
        QTRY_COMPARE(sentence, QStringLiteral("no disk"));
        QVERIFY(!again.running());
    }
};

}  // namespace va

QTEST_MAIN(va::DocumentTest)
#include "document_test.moc"
