// SPDX-License-Identifier: GPL-3.0-or-later
// The step Solve in the real window: choices, residual vectors, slip, movers.
#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTableView>
#include <QTableWidget>
#include <QTemporaryDir>
#include <cmath>

#include "drawer/feature_model.h"
#include "inspector/solve_page.h"
#include "style/theme.h"
#include "ui.h"
#include "workflow/mover_work.h"
#include "workflow/stale.h"
#include "workflow/verdict.h"

namespace va {

class SolveTest : public QObject {
    Q_OBJECT

  private:
    QTemporaryDir folder_;
    QString solvedProject() { return solvedJib(folder_); }

  private Q_SLOTS:
    void initTestCase() { prepare("solve-test"); }

    void theKindOfMoveCanBeChosenAndTakenBack() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        auto* move = ui.child<QComboBox>("moveChoice");
        QVERIFY(move);
        QCOMPARE(move->currentIndex(), 0);
        const int before = ui.document.undoStack().index();
        move->setFocus();
        QTest::keyClick(move, Qt::Key_Down);
        QTest::keyClick(move, Qt::Key_Down);
        QTest::keyClick(move, Qt::Key_Return);
        QCOMPARE(ui.document.shot().choices.move, MoveChoice::nodalPan);
        QVERIFY(stalenessOf(ui.document.shot()).solve);
        ui.window.action("solve")->trigger();
        ui.finish();
        QCOMPARE(ui.document.shot().solve->motion, Motion::nodalPan);
        while (ui.document.undoStack().index() > before) ui.window.action("undo")->trigger();
        QCOMPARE(ui.document.shot().choices.move, MoveChoice::automatic);
        QCOMPARE(ui.document.shot().solve->motion, Motion::free);
    }

    void residualVectorsAreDrawnAndGoAway() {
        Ui ui(solvedProject());
        const auto picture = [&] {
            ui.plate->repaint();
            return ui.plate->grab().toImage();
        };
        const QImage before = picture();
        QTest::keyClick(&ui.window, Qt::Key_V);
        QVERIFY(ui.plate->look().vectors);
        QVERIFY(picture() != before);
        QTest::keyClick(&ui.window, Qt::Key_V);
        QCOMPARE(picture(), before);
    }

    void slipIsSaidUnderThePointer() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        QTRY_VERIFY_WITH_TIMEOUT(ui.window.slip().found() != nullptr, 20000);
        const double over = ui.window.slip().found()->overPointsPx;
        QVERIFY(over > 0.001 && over < 1);
        const QStringList slips = ui.child<QLabel>("slipOver")->text().split(", near ");
        QVERIFY(slips.size() == 2 && slips[0].toDouble() > 0 && slips[1].toDouble() > 0);
        QVERIFY(ui.child<QLabel>("solvedFocal")->text().contains("±"));
        QVERIFY(ui.plate->slipReadout().isEmpty());
        QTest::keyClick(&ui.window, Qt::Key_G);
        // Over a feature that has a position.
        const int frame = ui.document.frame();
        for (const SolvedPoint& p : ui.document.shot().solve->points) {
            const Path* path = ui.document.shot().path(p.pathId);
            const PathPoint* here = path ? path->at(frame) : nullptr;
            if (!here || !p.stretch.contains(frame)) continue;
            QTest::mouseMove(ui.plate, ui.at(here->x, here->y));
            QMouseEvent move(QEvent::MouseMove, ui.at(here->x, here->y), ui.plate->mapToGlobal(ui.at(here->x, here->y)),
                             Qt::NoButton, Qt::NoButton, {});
            QApplication::sendEvent(ui.plate, &move);
            break;
        }
        QVERIFY2(ui.plate->slipReadout().startsWith("slip 0."), qPrintable(ui.plate->slipReadout()));
        QVERIFY(ui.plate->slipReadout().contains("1001–1040"));
        // A shorter range is another slip.
        ui.document.setRange({1001, 1012});
        QTRY_VERIFY_WITH_TIMEOUT(ui.window.slip().found() != nullptr, 20000);
        QVERIFY(ui.window.slip().found()->overPointsPx != over);
    }

    void featuresBecomeAMoverAndAreGivenBack() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        QVERIFY(!ui.window.action("makeMover")->isEnabled());
        ui.document.selectPaths({ui.document.shot().paths->front().id});
        QVERIFY(ui.window.action("makeMover")->isEnabled());
        QTest::keyClick(&ui.window, Qt::Key_M, Qt::ShiftModifier);
        ui.finish();
        QCOMPARE(ui.document.shot().movers.size(), size_t(1));
        // One feature makes no mover: said, and nothing breaks.
        auto* note = ui.child<QLabel>("moverNote");
        QVERIFY2(note->text().contains("1 feature;"), qPrintable(note->text()));
        QVERIFY(stalenessOf(ui.document.shot()).solve);
        // Half of the scene is as rigid a thing as any: it is solved, and stands where the scene does.
        QSet<int> half;
        for (const SolvedPoint& p : ui.document.shot().solve->points)
            if (p.pathId % 2 == 0) half.insert(p.pathId);
        ui.window.action("removeMover")->trigger();
        QVERIFY(ui.document.shot().movers.empty());
        ui.document.selectPaths(half);
        ui.window.action("makeMover")->trigger();
        ui.finish();
        const Shot& shot = ui.document.shot();
        QCOMPARE(shot.movers.size(), size_t(1));
        QCOMPARE(shot.movers[0].solve->motion, Motion::free);
        QVERIFY(shot.movers[0].solve->solvedCount() == 40);
        // The table judges a thing's features by its own solve.
        const auto* table = ui.child<QTableView>("featureTable")->model();
        int told = 0, all = 0;
        for (int row = 0; row < table->rowCount(); ++row) {
            const auto text = [&](int column) { return table->index(row, column).data().toString(); };
            if (text(FeatureModel::mover) != "1") continue;
            ++all;
            told += text(FeatureModel::mean) != "–";
        }
        QVERIFY2(all > 50 && told * 10 > all * 7, qPrintable(QString("%1 of %2").arg(told).arg(all)));
        ui.scene->repaint();
        ui.plate->repaint();
        ui.type("scaleSize", "2");
        QCOMPARE(ui.document.shot().movers[0].scaleBy, MoverScale::given);
        ui.window.action("selectMover")->trigger();
        QCOMPARE(ui.document.selectedPaths().size(), qsizetype(ui.document.shot().movers[0].paths.size()));
        // As scene, and back.
        const auto camera = ui.document.shot().solve, own = ui.document.shot().movers[0].solve;
        ui.window.action("swapScene")->trigger();
        QCOMPARE(ui.document.shot().solve, own);
        ui.finish();
        QCOMPARE(ui.document.shot().movers[0].name, std::string("Surroundings"));
        QCOMPARE(ui.document.shot().movers[0].solve->motion, Motion::free);
        while (ui.document.shot().solve != camera && ui.document.undoStack().canUndo()) ui.document.undoStack().undo();
        QCOMPARE(ui.document.shot().movers[0].size, 2.0);
        // Saved and opened again.
        const QString file = folder_.filePath("mover.vanchor");
        QVERIFY(ui.window.saveTo(file));
        Ui again(file);
        QCOMPARE(again.document.shot().movers.size(), size_t(1));
        QCOMPARE(again.document.shot().movers[0].size, 2.0);
    }

    // A camera on its stand tells no lens; the crate that turns before it does, and the camera takes that.
    void aStandingCameraIsToldItsLensByWhatIsFoundToMove() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/tests/data/places/locked/locked.mp4"));
        ui.document.matchShot();
        ui.finish();
        QCOMPARE(ui.document.shot().solve->motion, Motion::lockedOff);
        ui.window.action("stepSolve")->trigger();
        QVERIFY2(ui.sentence().contains("Look for movers"), qPrintable(ui.sentence()));
        QVERIFY(ui.window.action("lookForMovers")->isEnabled());
        ui.window.action("lookForMovers")->trigger();
        ui.finish();
        const Shot& shot = ui.document.shot();
        QCOMPARE(shot.movers.size(), size_t(1));
        QVERIFY(!stalenessOf(shot).solve);
        // 512 px wide, 28 mm on a back of 36 mm (its truth file).
        QVERIFY2(std::fabs(shot.solve->lens.focalPx / 398.22 - 1) < 0.03,
                 qPrintable(QString::number(shot.solve->lens.focalPx)));
        QCOMPARE(shot.solve->lens.focalPx, shot.movers[0].solve->lens.focalPx);
        QVERIFY2(ui.sentence().contains("told by what moves"), qPrintable(ui.sentence()));
    }

    /// Waits until the solve has caught up with the last edit.
    static void settle(Ui& ui) {
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.live().busy() && !stalenessOf(ui.document.shot()).solve, 20000);
    }

    void editsBringTheSolveUpToDateByThemselves() {
        Ui ui(solvedProject());
        const auto before = ui.document.shot().solve;
        const SolvedPoint worst = before->points.front();
        const int steps = ui.document.undoStack().index();
        ui.document.setAside({worst.pathId}, true);
        QVERIFY(stalenessOf(ui.document.shot()).solve);
        settle(ui);
        QVERIFY(ui.document.shot().solve != before);
        QCOMPARE(ui.document.shot().solve->solvedCount(), 40);
        for (const SolvedPoint& p : ui.document.shot().solve->points) QVERIFY(p.pathId != worst.pathId);
        // It belongs to the edit: one step of undo, and the solve of before is back at once.
        QCOMPARE(ui.document.undoStack().index(), steps + 1);
        ui.window.action("undo")->trigger();
        QCOMPARE(ui.document.shot().solve, before);
        ui.window.action("redo")->trigger();
        QVERIFY(!stalenessOf(ui.document.shot()).solve);
        ui.window.action("undo")->trigger();
        // Switched off, the solve waits.
        ui.window.action("stepSolve")->trigger();
        auto* live = ui.child<QCheckBox>("liveSolve");
        QVERIFY(live && live->isChecked());
        live->click();
        QVERIFY(!ui.window.live().on());
        ui.document.setAside({worst.pathId}, true);
        QTest::qWait(400);
        QVERIFY(stalenessOf(ui.document.shot()).solve);
    }

    void refiningSaysWhatItWasWorth() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        auto* worst = ui.child<QTableWidget>("worstFeatures");
        QVERIFY(worst->rowCount() > 5);
        QVERIFY(worst->item(0, 1)->text().toDouble() >= worst->item(1, 1)->text().toDouble());
        Q_EMIT worst->cellClicked(0, 0);
        QCOMPARE(ui.document.selectedPaths(), QSet<int>{worst->item(0, 0)->data(Qt::UserRole).toInt()});
        QCOMPARE(ui.document.frame(), worst->item(0, 2)->text().toInt());
        QTest::keyClick(&ui.window, Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
        ui.finish();
        const QString report = ui.child<QLabel>("refineReport")->text();
        QVERIFY2(report.contains("Fit 0.") && report.contains("check 0."), qPrintable(report));
        QVERIFY(!stalenessOf(ui.document.shot()).solve);
        // The map of mean errors comes and goes.
        const auto picture = [&] {
            ui.plate->repaint();
            return ui.plate->grab().toImage();
        };
        const QImage plain = picture();
        QTest::keyClick(&ui.window, Qt::Key_V, Qt::ShiftModifier);
        QVERIFY(picture() != plain);
        QTest::keyClick(&ui.window, Qt::Key_V, Qt::ShiftModifier);
        QCOMPARE(picture(), plain);
    }

    void aKnownDistanceIsUsedAndScalesTheWorld() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        std::vector<int> ids;
        for (const SolvedPoint& p : ui.document.shot().solve->points)
            if (!p.heldBack && p.observations > 30) ids.push_back(p.pathId);
        QVERIFY(ids.size() > 10);
        const int a = ids.front(), b = ids.back();
        QVERIFY(!ui.window.action("addDistance")->isEnabled());
        ui.document.selectPaths({a, b});
        QVERIFY(ui.window.action("addDistance")->isEnabled());
        ui.window.action("addDistance")->trigger();
        auto* table = ui.child<QTableWidget>("checkPoints");
        QCOMPARE(table->rowCount(), 1);
        ui.type("checkLength", "7/2");
        QCOMPARE(ui.document.shot().checkPoints[0].measure.length, 3.5);
        settle(ui);
        const auto apart = [&] {
            return (*ui.document.shot().worldPointOfPath(a) - *ui.document.shot().worldPointOfPath(b)).norm();
        };
        QVERIFY2(std::fabs(apart() - 3.5) < 0.02, qPrintable(QString::number(apart())));
        QVERIFY(ui.document.shot().ground->metric);
        QVERIFY(ui.child<QLabel>("checkNote")->text().contains("times its tolerance"));
        // Unticked, it is kept and not used.
        table->item(0, 0)->setCheckState(Qt::Unchecked);
        QVERIFY(!ui.document.shot().checkPoints[0].on);
        settle(ui);
        QVERIFY(!ui.document.shot().ground->metric);
        ui.window.action("removeCheckPoint")->trigger();
        QVERIFY(ui.document.shot().checkPoints.empty());
    }

    void placesAreReadFromAFileAndAssigned() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        const QString file = folder_.filePath("places.txt");
        QFile out(file);
        QVERIFY(out.open(QIODevice::WriteOnly));
        out.write("name x y z\nbollard 1 0 -3\nstep 2 0.4 -3\n");
        out.close();
        ui.window.solveEdits().readCheckPoints(file);
        auto* table = ui.child<QTableWidget>("checkPoints");
        QCOMPARE(table->rowCount(), 2);
        QCOMPARE(table->item(0, 1)->text(), QString("not assigned"));
        table->setCurrentCell(0, 0);
        const int id = ui.document.shot().solve->points.front().pathId;
        ui.document.selectPaths({id});
        ui.window.action("assignCheckPoint")->trigger();
        QCOMPARE(ui.document.shot().checkPoints[0].measure.paths, std::vector<int>{id});
        settle(ui);
        QVERIFY(ui.child<QLabel>("checkNote")->text().contains("three known positions"));
        // A wrong file is said, and changes nothing.
        QVERIFY(out.open(QIODevice::WriteOnly));
        out.write("bollard 1 0\n");
        out.close();
        QSignalSpy troubles(&ui.document, &Document::troubled);
        ui.window.solveEdits().readCheckPoints(file);
        QCOMPARE(troubles.size(), 1);
        QVERIFY(troubles[0][0].toString().contains("line 1"));
        QCOMPARE(ui.document.shot().checkPoints.size(), size_t(2));
    }

    void theCamerasPathIsEditedAndMarked() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        ui.document.setFrame(1015);
        const auto solved = *ui.document.shot().worldPose(1015);
        ui.window.action("leaveOutFrame")->trigger();
        QCOMPARE(ui.document.shot().solve->at(1015)->origin, PoseOrigin::filled);
        QVERIFY2(ui.child<QLabel>("pathNote")->text().startsWith("1 frame is not as solved"),
                 qPrintable(ui.child<QLabel>("pathNote")->text()));
        const auto said = QString::fromStdString(verdictOn(ui.document.shot(), Step::solve).sentence);
        QVERIFY2(said.contains("filled by interpolation: 1015"), qPrintable(said));
        QVERIFY((ui.document.shot().worldPose(1015)->position - solved.position).norm() > 0);
        ui.type("smoothWidth", "1.5");
        ui.window.action("smoothPath")->trigger();
        QCOMPARE(ui.document.shot().pathEdits.size(), size_t(2));
        QCOMPARE(ui.document.shot().pathEdits[1].width, 1.5);
        ui.scene->repaint();
        ui.window.action("clearPathEdits")->trigger();
        QCOMPARE(ui.document.shot().solve->at(1015)->origin, PoseOrigin::solved);
        QVERIFY((ui.document.shot().worldPose(1015)->position - solved.position).norm() < 1e-9);
        // Nothing to fill is said.
        QSignalSpy troubles(&ui.document, &Document::troubled);
        ui.window.action("fillGaps")->trigger();
        QCOMPARE(troubles.size(), 1);
    }

    void howRowsWereReadIsChosen() {
        Ui ui(solvedProject());
        ui.window.action("stepSolve")->trigger();
        ui.type("readout", "8");
        QCOMPARE(ui.document.shot().priors.readoutKnown, Known::known);
        QVERIFY(std::fabs(ui.document.shot().priors.readout - 0.008 * ui.document.shot().rate().value()) < 1e-9);
        settle(ui);
        QVERIFY(std::fabs(ui.document.shot().solve->readout - ui.document.shot().priors.readout) < 1e-9);
        auto* rows = ui.child<QComboBox>("rowsChoice");
        QCOMPARE(rows->currentIndex(), 2);
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Down);
        QTest::keyClick(rows, Qt::Key_Return);
        QCOMPARE(ui.document.shot().priors.readoutKnown, Known::start);
        settle(ui);
        QVERIFY(ui.document.shot().solve->readoutSigma >= 0);
        // These stills have all rows of one moment.
        QVERIFY(std::fabs(ui.document.shot().solve->readout) < 0.1 + 4 * ui.document.shot().solve->readoutSigma);
    }
};

}  // namespace va

QTEST_MAIN(va::SolveTest)
#include "solve_test.moc"
