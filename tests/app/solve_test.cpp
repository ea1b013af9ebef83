// SPDX-License-Identifier: GPL-3.0-or-later
// The step Solve in the real window: choices, residual vectors, slip, movers.
#include <QAction>
#include <QComboBox>
#include <QLabel>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <cmath>

#include "inspector/solve_page.h"
#include "style/theme.h"
#include "ui.h"
#include "workflow/mover_work.h"
#include "workflow/stale.h"

namespace va {

class SolveTest : public QObject {
    Q_OBJECT

  private:
    QTemporaryDir folder_;
    QString solvedProject() { return solvedJib(folder_); }

  private Q_SLOTS:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("vivid-anchor-test");
        QCoreApplication::setApplicationName("solve-test");
        QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
        applyTheme(*qApp);
    }

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
        QCOMPARE(ui.document.shot().choices.move, MoveChoice::rotation);
        QVERIFY(stalenessOf(ui.document.shot()).solve);
        ui.window.action("solve")->trigger();
        ui.finish();
        QCOMPARE(ui.document.shot().solve->motion, Motion::rotation);
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
        QVERIFY(ui.child<QLabel>("slipOver")->text().toDouble() > 0);
        QVERIFY(ui.child<QLabel>("solvedFocal")->text().contains("±"));
        QVERIFY(ui.plate->slipReadout().isEmpty());
        QTest::keyClick(&ui.window, Qt::Key_G);
        // Over a feature that has a place.
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
        ui.scene->repaint();
        ui.plate->repaint();
        ui.type("scaleSize", "2");
        QCOMPARE(ui.document.shot().movers[0].scaleBy, MoverScale::given);
        ui.window.action("selectMover")->trigger();
        QCOMPARE(ui.document.selectedPaths().size(), qsizetype(ui.document.shot().movers[0].paths.size()));
        // Saved and opened again.
        const QString file = folder_.filePath("mover.vanchor");
        QVERIFY(ui.window.saveTo(file));
        Ui again(file);
        QCOMPARE(again.document.shot().movers.size(), size_t(1));
        QCOMPARE(again.document.shot().movers[0].size, 2.0);
    }
};

}  // namespace va

QTEST_MAIN(va::SolveTest)
#include "solve_test.moc"
