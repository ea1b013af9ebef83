// SPDX-License-Identifier: GPL-3.0-or-later
// The step Ground in the real window: candidates, evidence, lengths, axes, the surface tile.
#include <QClipboard>
#include <QLabel>
#include <QStandardPaths>
#include <QTableWidget>

#include "style/theme.h"
#include "ui.h"

namespace va {

class GroundTest : public QObject {
    Q_OBJECT
  private:
    QTemporaryDir folder_;
    QString solved_;

    static double heightOf(const Ui& ui, int path) { return ui.document.shot().worldPointOfPath(path)->y(); }

  private Q_SLOTS:
    void initTestCase() {
        prepare("ground-test");
        solved_ = solvedJib(folder_);
        QVERIFY(!solved_.isEmpty());
    }

    /// Tab shows one plane of the cloud after the other, Return takes it, undo brings the level back.
    void candidatesAreSteppedThroughAndTaken() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        GroundEdits& ground = ui.window.groundEdits();
        QVERIFY(ground.candidateCount() >= 3);
        ui.plate->setFocus();
        QVERIFY(!ui.window.action("takeGround")->isEnabled());
        const QImage before = ui.plate->grab().toImage();
        QTest::keyClick(ui.plate, Qt::Key_Tab);
        QCOMPARE(ground.candidateIndex(), 0);
        QCOMPARE(ui.child<QTableWidget>("candidates")->currentRow(), 0);
        QVERIFY2(ui.plate->grab().toImage() != before, "its grid lies in the picture");
        QTest::keyClick(ui.plate, Qt::Key_Tab);
        QCOMPARE(ground.candidateIndex(), 1);
        QTest::keyClick(ui.plate, Qt::Key_Backtab);
        QCOMPARE(ground.candidateIndex(), 0);
        QVERIFY(ground.candidate()->kind == SurfaceKind::floor);
        QTest::keyClick(ui.plate, Qt::Key_Return);
        QCOMPARE(ui.document.shot().groundSpec.level.size(), 1U);
        QVERIFY(ui.document.shot().groundSpec.level[0].kind == LevelKind::floor);
        QCOMPARE(ground.candidateIndex(), -1);
        QVERIFY(ui.sentence().contains("Level from a floor"));
        // A wall from the table adds to it.
        for (int i = 0; i < ground.candidateCount(); ++i)
            if (ui.document.shot().groundBasis->candidates[size_t(i)].kind == SurfaceKind::wall) {
                ui.shown<QTableWidget>("candidates")->setCurrentCell(i, 0);
                break;
            }
        QVERIFY(ground.candidate());
        ui.window.action("takeWall")->trigger();
        QCOMPARE(ui.document.shot().groundSpec.level.size(), 2U);
        QCOMPARE(ui.child<QTableWidget>("levelEvidence")->rowCount(), 2);
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().groundSpec.level.empty());
        QVERIFY(ui.sentence().contains("Automatic level"));
    }

    /// An upright edge drawn roughly along a plank snaps to it.
    void anUprightEdgeIsDrawn() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        // Where a found one runs in this frame, or along the shed's corner.
        const Shot& s = ui.document.shot();
        const auto wall = std::find_if(s.groundBasis->candidates.begin(), s.groundBasis->candidates.end(),
                                       [](const Candidate& c) { return c.kind == SurfaceKind::wall; });
        QVERIFY(wall != s.groundBasis->candidates.end());
        const Eigen::Vector3d middle = s.ground->worldFromSolve.point(wall->surface.centre);
        const auto camera = s.cameraAt(ui.document.frame());
        const auto low = camera->project(middle), high = camera->project(middle + Eigen::Vector3d(0, 0.5, 0));
        QVERIFY(low && high);
        QTest::keyClick(&ui.window, Qt::Key_I, Qt::ShiftModifier);
        QVERIFY(ui.plate->tool() == PlateTool::upright);
        ui.drag(ui.at(low->x(), low->y()), ui.at(high->x(), high->y()));
        QCOMPARE(ui.document.shot().groundSpec.level.size(), 1U);
        QVERIFY(ui.document.shot().groundSpec.level[0].kind == LevelKind::upright);
        QCOMPARE(ui.document.shot().groundSpec.level[0].line.frame, ui.document.frame());
        QVERIFY2(ui.sentence().contains("open in one direction"), qPrintable(ui.sentence()));
        ui.shown<QTableWidget>("levelEvidence")->setCurrentCell(0, 0);
        ui.window.action("removeEvidence")->trigger();
        QVERIFY(ui.document.shot().groundSpec.level.empty());
    }

    /// The origin is dragged over the ground, and the axes turned, in the picture.
    void theWorldIsMovedByItsGizmo() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        ui.window.action("selectTool")->trigger();
        const auto onScreen = [&](const Eigen::Vector3d& p) {
            const auto pixel = ui.document.shot().cameraAt(ui.document.frame())->project(p);
            return ui.at(pixel->x(), pixel->y());
        };
        const QPoint origin = onScreen(Eigen::Vector3d::Zero()), to = origin + QPoint(40, 25);
        const Eigen::Vector3d there = *ui.plate->groundAt(to);
        QVERIFY(ui.plate->gizmoAt(origin) == GizmoPart::origin);
        const QImage before = ui.plate->grab().toImage();
        ui.drag(origin, to);
        QVERIFY(ui.plate->grab().toImage() != before);
        QVERIFY2(ui.plate->groundAt(to)->norm() < 1e-6, "what lies there is the origin now");
        QVERIFY((ui.document.shot().groundSpec.byHand.translation + there).norm() < 1e-6);
        // The end of X is taken elsewhere: X then points there.
        const double length = gizmoLength(ui.document, ui.plate->zoom());
        const QPoint tip = onScreen({length, 0, 0});
        QVERIFY(ui.plate->gizmoAt(tip) == GizmoPart::x);
        const QPoint aside = tip + QPoint(-15, -30);
        ui.drag(tip, aside);
        const Eigen::Vector3d now = *ui.plate->groundAt(aside);
        QVERIFY2(now.x() > 0 && std::fabs(now.z()) < 1e-6 * now.x(), qPrintable(QString::number(now.z())));
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().groundSpec.byHand.translation.isZero());
        QVERIFY(ui.plate->gizmoAt(origin) == GizmoPart::origin);
        ui.window.action("stepLayout")->trigger();
        QVERIFY2(ui.plate->gizmoAt(origin) == GizmoPart::none, "in the step Ground only");
    }

    /// A kept plane has its own numbers; its corners become the origin one after the other, and an edge the facing.
    void cornersAndEdgesPlaceTheWorld() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        ui.window.groundEdits().showCandidate(0);
        QVERIFY2(ui.child<QLabel>("planeNote")->text().contains("tilt ±"),
                 qPrintable(ui.child<QLabel>("planeNote")->text()));
        ui.window.action("originCorner")->trigger();
        QCOMPARE(ui.document.shot().groundSpec.planes.size(), 1U);
        const auto corner = [&](size_t i) {
            const Shot& s = ui.document.shot();
            return s.ground->worldFromSolve.point(s.ground->planes[0].surface.corners()[i]);
        };
        QVERIFY(Eigen::Vector2d(corner(0).x(), corner(0).z()).norm() < 1e-6);
        ui.window.action("originCorner")->trigger();
        QVERIFY(Eigen::Vector2d(corner(1).x(), corner(1).z()).norm() < 1e-6);
        QCOMPARE(ui.child<QTableWidget>("planes")->rowCount(), 1);
        // Along a stroke on the ground: Z then lies along it.
        const auto onScreen = [&](const Eigen::Vector3d& p) {
            const auto pixel = ui.document.shot().cameraAt(ui.document.frame())->project(p);
            return Eigen::Vector2d(pixel->x(), pixel->y());
        };
        const QPoint middle(ui.plate->width() / 2, ui.plate->height() * 4 / 5);
        const Eigen::Vector3d from = *ui.plate->groundAt(middle);
        const Eigen::Vector2d a = onScreen(from), b = onScreen(from + Eigen::Vector3d(0.7, 0, -0.5));
        QTest::keyClick(&ui.window, Qt::Key_F, Qt::ShiftModifier);
        QVERIFY(ui.plate->tool() == PlateTool::groundEdge);
        ui.drag(ui.at(a.x(), a.y()), ui.at(b.x(), b.y()));
        const WorldFacing& facing = ui.document.shot().groundSpec.facing;
        QVERIFY(facing.kind == WorldFacing::Kind::edge && !facing.alongX);
        const auto camera = ui.document.shot().cameraAt(ui.document.frame());
        const auto ground = [&](const Eigen::Vector2d& pixel) {
            const auto ray = *camera->ray(pixel);
            return Eigen::Vector3d(ray.at(-ray.origin.y() / ray.direction.y()));
        };
        const Eigen::Vector3d along = (ground(facing.line.b) - ground(facing.line.a)).normalized();
        QVERIFY2(std::fabs(along.z()) > 0.999, qPrintable(QString::number(along.x())));
        // The surface under the pointer is kept as another one: the floor, at one of its own points.
        ui.window.action("selectTool")->trigger();
        QPoint spot;
        for (const int path : ui.document.shot().ground->usedPaths) {
            const PathPoint* q = ui.document.shot().path(path)->at(ui.document.frame());
            if (!q) continue;
            spot = ui.at(q->x, q->y);
            QMouseEvent hover(QEvent::MouseMove, spot, ui.plate->mapToGlobal(spot), Qt::NoButton, Qt::NoButton, {});
            QApplication::sendEvent(ui.plate, &hover);
            if (ui.plate->tile() && ui.plate->tile()->paths.size() >= 3) break;
        }
        QVERIFY(ui.plate->tile() && ui.plate->tile()->paths.size() >= 3);
        QTest::keyClick(&ui.window, Qt::Key_K, Qt::ShiftModifier);
        QCOMPARE(ui.document.shot().groundSpec.planes.size(), 2U);
        ui.document.undoStack().undo();
        ui.window.action("removePlane")->trigger();
        QVERIFY(ui.document.shot().groundSpec.planes.empty());
    }

    /// Lengths add up, a wrong one is named, and everything in the world scales along.
    void lengthsGiveTheScale() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        ui.document.addThing(Box(), {1, 0, -1});
        const Shot start = ui.document.shot();
        const double camera = start.worldPose(ui.document.frame())->position.y();
        ui.window.action("lengthCamera")->trigger();
        ui.type("scaleLength", QString::number(2 * camera, 'g', 12));
        QVERIFY(ui.document.shot().ground->metric);
        QVERIFY(std::fabs(ui.document.shot().worldPose(ui.document.frame())->position.y() / camera - 2) < 1e-6);
        const Thing& box = ui.document.shot().things.back();
        QVERIFY((box.position - 2 * start.things.back().position).norm() < 1e-6);
        QVERIFY(std::fabs(fieldsOf(box.kind)[0].value - 2 * fieldsOf(start.things.back().kind)[0].value) < 1e-6);
        // A second one that contradicts.
        const int a = start.ground->usedPaths.front(), b = start.ground->usedPaths.back();
        const double apart = (*start.worldPointOfPath(a) - *start.worldPointOfPath(b)).norm();
        ui.document.selectPaths({a, b});
        QTest::keyClick(&ui.window, Qt::Key_S, Qt::ShiftModifier);
        ui.type("scaleLength", QString::number(3 * apart, 'g', 12));
        QCOMPARE(ui.child<QTableWidget>("knownLengths")->rowCount(), 2);
        QVERIFY2(ui.sentence().contains("contradict"), qPrintable(ui.sentence()));
        ui.window.action("removeLength")->trigger();
        QCOMPARE(ui.document.shot().groundSpec.lengths.size(), 1U);
        QVERIFY(!ui.sentence().contains("contradict"));
    }

    /// The whole transform goes through the clipboard as text, and comes back to the last digit.
    void theWorldIsCopiedAndPasted() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        const Similarity before = ui.document.shot().ground->worldFromSolve;
        ui.window.action("copyWorld")->trigger();
        QVERIFY(QApplication::clipboard()->text().startsWith("position"));
        ui.window.action("quarterTurn")->trigger();
        ui.window.groundEdits().moveByHand({1, 0, 2}, 0.4);
        QVERIFY((ui.document.shot().ground->worldFromSolve.translation - before.translation).norm() > 0.1);
        ui.window.action("pasteWorld")->trigger();
        const Similarity after = ui.document.shot().ground->worldFromSolve;
        QVERIFY((after.translation - before.translation).norm() < 1e-9);
        QVERIFY(after.rotation.angularDistance(before.rotation) < 1e-9);
        QApplication::clipboard()->setText("nothing of the kind");
        ui.window.action("pasteWorld")->trigger();
        QVERIFY(ui.sentence().contains("none of position"));
    }

    /// The tile lies under the pointer, on the floor or on a wall, and says so.
    void theSurfaceTileFollowsThePointer() {
        Ui ui(solved_);
        ui.window.action("stepGround")->trigger();
        const auto hover = [&](const QPointF& at) {
            QMouseEvent move(QEvent::MouseMove, at, ui.plate->mapToGlobal(at), Qt::NoButton, Qt::NoButton,
                             Qt::NoModifier);
            QApplication::sendEvent(ui.plate, &move);
        };
        const Shot& s = ui.document.shot();
        int onFloor = 0;
        for (const int id : s.ground->usedPaths)
            if (const PathPoint* p = s.path(id)->at(ui.document.frame())) {
                hover(ui.at(p->x, p->y));
                if (!ui.plate->tile()) continue;
                const double up = (s.ground->worldFromSolve.rotation * ui.plate->tile()->normal).y();
                onFloor += up > 0.99;
            }
        QVERIFY2(onFloor > int(s.ground->usedPaths.size()) / 3, qPrintable(QString::number(onFloor)));
        QEvent leave(QEvent::Leave);
        QApplication::sendEvent(ui.plate, &leave);
        QVERIFY(!ui.plate->tile());
        ui.window.action("stepFeatures")->trigger();
        hover(ui.at(320, 300));
        QVERIFY(!ui.plate->tile());
    }

    /// A photo by itself: lines, camera, ground; a box can be put on it.
    void aPhotoIsMatched() {
        Ui ui(QString(VA_SOURCE_DIR) + "/demo/data/shed/shed.jpg");
        QTest::mouseClick(ui.child<QPushButton>("primary"), Qt::LeftButton);
        ui.finish();
        QVERIFY(ui.document.shot().solve->motion == Motion::still);
        QVERIFY2(ui.sentence().contains("Photo match"), qPrintable(ui.sentence()));
        const auto place = ui.plate->groundAt(QPointF(ui.plate->width() * 0.5, ui.plate->height() * 0.7));
        QVERIFY(place);
        QCOMPARE(place->y(), 0.0);
        ui.document.addThing(Box(), *place);
        QVERIFY(ui.plate->thingAt(QPointF(ui.plate->width() * 0.5, ui.plate->height() * 0.68)) != 0);
    }
};

}  // namespace va

QTEST_MAIN(va::GroundTest)
#include "ground_test.moc"
