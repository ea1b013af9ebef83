// SPDX-License-Identifier: GPL-3.0-or-later
// Layout in the real window: placing from the tray, dragging, the list, keys, camera layers, the stick strip.
#include <QClipboard>
#include <QComboBox>
#include <QStandardPaths>
#include <QTreeWidget>

#include "drawer/key_plot.h"
#include "drawer/stick_panel.h"
#include "drawer/things_list.h"
#include "media/plate_source.h"
#include "strip/lanes.h"
#include "style/theme.h"
#include "tray/tray.h"
#include "ui.h"
#include "views/flip_view.h"
#include "views/views.h"
#include "workflow/place_things.h"

namespace va {

class LayoutTest : public QObject {
    Q_OBJECT
  private:
    QTemporaryDir folder_;
    QString slipway_;

    static const Thing& last(const Ui& ui) { return ui.document.shot().things.back(); }
    static Similarity world(const Ui& ui, const Thing& t) {
        return PlacedThings(ui.document.shot(), ui.document.frame()).of(t).value_or(Similarity());
    }
    /// From a button of the tray onto the picture, with the mouse alone.
    static void takeFromTray(const Ui& ui, const char* word, double x, double y) {
        auto* button = ui.child<TrayButton>((std::string("tray-") + word).c_str());
        QVERIFY2(button && button->isVisible(), word);
        const PlateInfo& p = ui.document.shot().plate;
        const QPoint from = button->rect().center(),
                     to = button->mapFromGlobal(ui.plate->mapToGlobal(ui.at(x * p.width, y * p.height)));
        QTest::mousePress(button, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 4; ++i) {
            const QPointF at = from + (to - from) * i / 4.0;
            QMouseEvent move(QEvent::MouseMove, at, button->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
            QApplication::sendEvent(button, &move);
        }
        QTest::mouseRelease(button, Qt::LeftButton, {}, to);
    }
    static void settle(Ui& ui) { QTRY_VERIFY_WITH_TIMEOUT(!ui.window.settlePlace().busy(), 60000); }
    /// Px of the plate by which the thing's foot was measured to wobble.
    static double wobble(Ui& ui) {
        auto* stick = ui.child<StickPanel>("stickPanel");
        [&] { QTRY_VERIFY_WITH_TIMEOUT(!stick->busy() && stick->strip(), 60000); }();
        return stick->strip() ? stick->strip()->wobblePx : -1;
    }

  private Q_SLOTS:
    void initTestCase() {
        prepare("layout-test");
        slipway_ = folder_.filePath("slipway.vanchor");
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/slipway/slipway.mp4"));
        ui.document.matchShot();
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running() && ui.document.shot().solve->has(), 120000);
        QVERIFY(ui.window.saveTo(slipway_));
    }

    /// A new user with the mouse only: Layout is open; a thing is dragged from the tray, the strip is called. Two
    /// actions a thing.
    void placedAndCheckedInTwoActions() {
        Ui ui(slipway_);
        ui.document.setFrame(1060);
        QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(1060), 20000);
        ui.window.action("stepLayout")->trigger();
        ui.window.action("inset")->setChecked(false);
        struct Case {
            const char* kind;
            double x, y;
        };
        for (const Case& c : {Case{"box", 0.78, 0.86}, Case{"label", 0.09, 0.44}, Case{"post", 0.86, 0.86}}) {
            const size_t before = ui.document.shot().things.size();
            takeFromTray(ui, c.kind, c.x, c.y);
            QCOMPARE(ui.document.shot().things.size(), before + 1);
            QCOMPARE(std::string(kindWord(last(ui).kind)), std::string(c.kind));
            QCOMPARE(ui.document.selectedThing(), last(ui).id);
            settle(ui);
            ui.window.action("stick")->trigger();
            const double px = wobble(ui);
            qInfo("%s: %s", c.kind, qPrintable(ui.child<StickPanel>("stickPanel")->sentence()));
            QVERIFY2(px >= 0 && px <= 0.1, c.kind);
            ui.window.action("stick")->trigger();
        }
        // The label lies on the sign, its top up; the box and the post stand upright.
        const auto axis = [&](const Thing& t, int k) -> Eigen::Vector3d {
            return world(ui, t).rotation * Eigen::Vector3d::Unit(k);
        };
        const auto& things = ui.document.shot().things;
        QVERIFY(axis(things[0], 1).y() > 0.99);
        QVERIFY(axis(things[1], 1).y() > 0.99);
        QVERIFY(std::fabs(axis(things[1], 2).y()) < 0.1);
        QVERIFY(axis(things[2], 1).y() > 0.99);
    }

    void aDragSlidesAlongTheSurface() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        ui.window.action("inset")->setChecked(false);
        const PlateInfo& p = ui.document.shot().plate;
        takeFromTray(ui, "box", 0.7, 0.88);
        settle(ui);
        const Thing box = last(ui);
        const Similarity before = world(ui, box);
        const CameraPose camera = *ui.document.shot().worldPose(ui.document.frame());
        // On its front, away from the gizmo. A scene without a scale gives it a size of its own.
        const double size = std::get<Box>(box.kind).width;
        const Eigen::Vector3d held = size * Eigen::Vector3d(0.3, 0.75, 0.5);
        const auto front = ui.document.shot().cameraAt(ui.document.frame())->project(before.point(held));
        QVERIFY(front);
        const QPoint from = ui.at(front->x(), front->y());
        QCOMPARE(ui.plate->thingAt(from), box.id);
        ui.drag(from, from + QPoint(-60, 0));
        const Similarity slid = world(ui, last(ui));
        QVERIFY((slid.translation - before.translation).norm() > 0.1);
        const Eigen::Vector3d normal = normalUnder(ui.document.shot(), last(ui), ui.document.frame());
        settle(ui);
        // Up and down only.
        const Similarity here = world(ui, last(ui));
        const auto again = ui.document.shot().cameraAt(ui.document.frame())->project(here.point(held));
        const QPoint at = ui.at(again->x(), again->y());
        ui.drag(at, at + QPoint(25, -50), Qt::ControlModifier);
        const Eigen::Vector3d up = world(ui, last(ui)).translation - here.translation;
        QVERIFY2(up.y() > 0.05, qPrintable(QString::number(up.y())));
        QVERIFY(std::hypot(up.x(), up.z()) < 1e-9);
        // Ten times finer.
        const Similarity high = world(ui, last(ui));
        const auto grip = ui.document.shot().cameraAt(ui.document.frame())->project(high.point(held));
        const QPoint g = ui.at(grip->x(), grip->y());
        ui.drag(g, g + QPoint(0, -50), Qt::ControlModifier | Qt::AltModifier);
        const double fine = (world(ui, last(ui)).translation - high.translation).y();
        QVERIFY2(fine > 0.05 * up.y() && fine < 0.2 * up.y(), qPrintable(QString::number(fine)));
        QCOMPARE(ui.document.shot().worldPose(ui.document.frame())->position, camera.position);
        QVERIFY(normal.y() > 0.9);
        // A locked thing does not move, and says so.
        ui.window.layoutEdits().setLocked(box.id, true);
        const Thing locked = last(ui);
        const auto hold = ui.document.shot().cameraAt(ui.document.frame())->project(world(ui, locked).point(held));
        const QPoint l = ui.at(hold->x(), hold->y());
        ui.drag(l, l + QPoint(-40, 0));
        QVERIFY(last(ui).position == locked.position);
        QVERIFY(ui.sentence().contains("locked"));
        Q_UNUSED(p);
    }

    void numbersTakeSumsAndUnits() {
        QCOMPARE(*evaluateEntry("2ft", 0, true), 0.6096);
        QCOMPARE(*evaluateEntry("36/1.6", 0, true), 22.5);
        QCOMPARE(*evaluateEntry("+=0.1", 2, false), 2.1);
        QCOMPARE(*evaluateEntry("-= 10 cm", 2, true), 1.9);
        QCOMPARE(*evaluateEntry("*=2", 3, true), 6.0);
        QCOMPARE(*evaluateEntry("1m + 2in", 0, true), 1.0508);
        QVERIFY(!evaluateEntry("/=0", 3, true));
        QVERIFY(!evaluateEntry("2ft", 0, false));
        QVERIFY(!evaluateEntry("+=", 3, true));
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        ui.document.addThing(Box(), {1, 0, 0});
        ui.type("thingPosition0", "+=0.5");
        QCOMPARE(last(ui).position.x(), 1.5);
        ui.type("thing-box-height", "3ft");
        QCOMPARE(std::get<Box>(last(ui).kind).height, 3 * 0.3048);
        ui.type("thingTurn1", "90");
        QVERIFY(std::fabs(headingOf(last(ui).rotation) - M_PI / 2) < 1e-9);
        ui.type("thingScale", "-1");
        QCOMPARE(last(ui).scale, 1.0);
    }

    void stancesQuartersAndBottom() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const int id = ui.document.addThing(Card(), {0.5, 0, -1});
        QTest::keyClick(&ui.window, Qt::Key_T, Qt::ShiftModifier);
        QSet<int> seen;
        for (int i = 0; i < 3; ++i) {
            const Eigen::Vector3d z = ui.document.shot().thing(id)->rotation * Eigen::Vector3d::UnitZ();
            seen.insert(int(std::lround(100 * z.y())));
            QTest::keyClick(&ui.window, Qt::Key_T, Qt::ShiftModifier);
        }
        QVERIFY(seen.contains(100));
        QVERIFY(seen.contains(0));
        ui.window.action("stand")->trigger();
        const double heading = headingOf(ui.document.shot().thing(id)->rotation);
        QTest::keyClick(&ui.window, Qt::Key_Q, Qt::ShiftModifier);
        QVERIFY(
            std::fabs(std::fabs(std::remainder(headingOf(ui.document.shot().thing(id)->rotation) - heading, 2 * M_PI)) -
                      M_PI / 2) < 1e-9);
        ui.type("thingPosition1", "0.7");
        QTest::keyClick(&ui.window, Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
        // A world without a scale has no millimetres.
        QVERIFY(!ui.document.shot().ground->metric);
        const double hair = ui.document.shot().thing(id)->position.y();
        QVERIFY(hair > 0 && hair < 0.05);
        QVERIFY(!ui.window.findChild<QLineEdit*>("thingOver")->isVisible());
        Shot metric = ui.document.shot();
        auto ground = std::make_shared<GroundFit>(*metric.ground);
        ground->metric = true;
        metric.ground = ground;
        for (Thing& t : metric.things) t.hang = {Hang::On::ground, 0, {}};
        ui.document.edit("scale", metric);
        ui.document.selectThing(id);
        QTest::keyClick(&ui.window, Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(std::fabs(ui.document.shot().thing(id)->position.y() - 0.002) < 1e-9);
        ui.type("thingOver", "5");
        QVERIFY(std::fabs(ui.document.shot().thing(id)->position.y() - 0.005) < 1e-9);
    }

    void copiedOntoAnothersPlace() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const int a = ui.document.addThing(Cone(), {1.0 / 3, 0.25, -2});
        ui.type("thingTurn1", "33.3");
        QTest::keyClick(&ui.window, Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(QApplication::clipboard()->text().contains("position"));
        const int b = ui.document.addThing(Box(), {0, 0, 0});
        QTest::keyClick(&ui.window, Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
        const Thing &x = *ui.document.shot().thing(a), &y = *ui.document.shot().thing(b);
        QCOMPARE(y.position, x.position);
        QVERIFY(y.rotation.angularDistance(x.rotation) < 1e-12);
        // The rotation alone.
        ui.type("thingPosition1", "0.75");
        ui.document.selectThing(a);
        ui.type("thingTurn1", "-20");
        ui.window.action("copyRotation")->trigger();
        QVERIFY(!QApplication::clipboard()->text().contains("position"));
        ui.document.selectThing(b);
        ui.window.action("pastePlace")->trigger();
        QCOMPARE(ui.document.shot().thing(b)->position.y(), 0.75);
        QVERIFY(std::fabs(headingOf(ui.document.shot().thing(b)->rotation) + 20 * M_PI / 180) < 1e-9);
        ui.type("thingPosition1", "0.25");
        QApplication::clipboard()->setText("barnacles");
        QTest::keyClick(&ui.window, Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(ui.document.shot().thing(b)->position, x.position);
        // Onto a feature: the offset is zeroed, or kept.
        const int path = ui.document.shot().solve->points[4].pathId;
        ui.document.selectPaths({path}, Document::Combine::add);
        QCOMPARE(ui.document.selectedThing(), b);
        QTest::keyClick(&ui.window, Qt::Key_H, Qt::ControlModifier);
        QVERIFY(ui.document.shot().thing(b)->hang == (Hang{Hang::On::point, path, {}}));
        QVERIFY(
            (world(ui, *ui.document.shot().thing(b)).translation - *ui.document.shot().worldPointOfPath(path)).norm() <
            1e-9);
        // Onto another thing, and back onto the ground where it stands, from the list of targets.
        ui.document.selectThings({a, b}, b);
        ui.window.action("rePlace")->trigger();
        QCOMPARE(ui.document.shot().thing(b)->parent(), a);
        QVERIFY(
            (world(ui, *ui.document.shot().thing(b)).translation - world(ui, *ui.document.shot().thing(a)).translation)
                .norm() < 1e-9);
        const Eigen::Vector3d stood = world(ui, *ui.document.shot().thing(b)).translation;
        ui.document.selectThing(b);
        QMenu* targets = ui.shown<QToolButton>("thingHangs")->menu();
        Q_EMIT targets->aboutToShow();
        QVERIFY(targets->actions().size() >= 4);
        targets->actions()[1]->trigger();
        QVERIFY(ui.document.shot().thing(b)->hang.on == Hang::On::ground);
        QVERIFY((world(ui, *ui.document.shot().thing(b)).translation - stood).norm() < 1e-9);
        // Copies at even steps.
        const size_t count = ui.document.shot().things.size();
        ui.type("repeatCount", "4");
        ui.type("repeatStep0", "0.25");
        QTest::mouseClick(ui.shown<QPushButton>("repeatByStep"), Qt::LeftButton);
        QCOMPARE(ui.document.shot().things.size(), count + 4);
        QVERIFY(std::fabs(last(ui).position.x() - ui.document.shot().thing(b)->position.x() - 1) < 1e-12);
    }

    void theListIsATree() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const int a = ui.document.addThing(Box(), {1, 0, 0}, "crate"),
                  b = ui.document.addThing(Cone(), {2, 0, 0}, "lamp");
        ui.window.action("things")->trigger();
        auto* tree = ui.child<QTreeWidget>("thingsTree");
        QCOMPARE(tree->topLevelItemCount(), 2);
        const Eigen::Vector3d before = world(ui, *ui.document.shot().thing(b)).translation;
        ui.window.layoutEdits().setParent({b}, a);
        QCOMPARE(tree->topLevelItemCount(), 1);
        QCOMPARE(tree->topLevelItem(0)->child(0)->text(0), QString("lamp"));
        QVERIFY((world(ui, *ui.document.shot().thing(b)).translation - before).norm() < 1e-9);
        // A loop is refused in a sentence.
        ui.window.layoutEdits().setParent({a}, b);
        QVERIFY(ui.sentence().contains("can't hang on itself"));
        // The eye of the crate hides both.
        QTest::mouseClick(
            tree->viewport(), Qt::LeftButton, {},
            tree->visualItemRect(tree->topLevelItem(0)).translated(tree->columnViewportPosition(4) + 8, 0).topLeft() +
                QPoint(4, 8));
        QVERIFY(!ui.document.shot().thing(a)->visible);
        QVERIFY(!PlacedThings(ui.document.shot(), ui.document.frame()).visible(*ui.document.shot().thing(b)));
        ui.child<QLineEdit>("thingsSearch")->setText("lam");
        QVERIFY(!tree->topLevelItem(0)->isHidden());
        ui.child<QLineEdit>("thingsSearch")->setText("hull");
        QVERIFY(tree->topLevelItem(0)->isHidden());
        ui.child<QLineEdit>("thingsSearch")->clear();
        ui.child<QComboBox>("thingsBy")->setCurrentIndex(1);
        QCOMPARE(tree->topLevelItemCount(), 2);
        // Several at once; a name that is taken.
        ui.child<QComboBox>("thingsBy")->setCurrentIndex(0);
        ui.document.selectThings({a, b}, a);
        QTest::keyClick(&ui.window, Qt::Key_G, Qt::ControlModifier);
        QVERIFY(std::holds_alternative<Group>(last(ui).kind));
        ui.document.selectThing(a);
        ui.window.layoutEdits().rename("lamp");
        QVERIFY(ui.sentence().contains("already"));
        QCOMPARE(ui.document.shot().thing(a)->name, std::string("crate"));
    }

    void keysFromTheKeyboard() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const int id = ui.document.addThing(Ball(), {0, 0, -1});
        ui.document.setFrame(1010);
        QTest::keyClick(&ui.window, Qt::Key_K);
        ui.document.setFrame(1030);
        ui.type("thingPosition0", "2");
        const auto thing = [&]() -> const Thing& { return *ui.document.shot().thing(id); };
        QCOMPARE(keyFrames(thing()), (std::vector<int>{1010, 1030}));
        QCOMPARE(thing().at(1030).translation.x(), 2.0);
        QCOMPARE(thing().at(1005).translation.x(), 0.0);
        QVERIFY(thing().at(1020).translation.x() > 0 && thing().at(1020).translation.x() < 2);
        QVERIFY(ui.shown<QLabel>("keysNote")->text().contains("1010, 1030"));
        ui.window.layoutEdits().setOutside(nullptr, true, Outside::repeat);
        QCOMPARE(thing().at(1035).translation.x(), thing().at(1015).translation.x());
        ui.type("keysShift", "5");
        QCOMPARE(keyFrames(thing()), (std::vector<int>{1015, 1035}));
        ui.type("keysStretch", "2");
        QCOMPARE(keyFrames(thing()), (std::vector<int>{1015, 1055}));
        ui.window.action("copyKeys")->trigger();
        ui.document.addThing(Cone(), {0, 0, -3});
        ui.window.layoutEdits().pasteKeys();
        QCOMPARE(keyFrames(last(ui)), (std::vector<int>{1015, 1055}));
        QCOMPARE(last(ui).at(1015).translation.z(), -3.0);
        ui.document.selectThing(id);
        ui.document.setFrame(1055);
        QTest::keyClick(&ui.window, Qt::Key_K, Qt::AltModifier);
        QCOMPARE(keyFrames(thing()), std::vector<int>{1015});
        // Hidden from here on; the eye's keys hold.
        ui.document.setFrame(1050);
        ui.window.action("keyVisible")->trigger();
        QVERIFY(thing().visibleAt(1049) && !thing().visibleAt(1050) && !thing().visibleAt(1080));
        ui.window.action("keyColour")->trigger();
        QCOMPARE(thing().keys.colour.keys.size(), 1U);
        // A key is dragged in the strip, and in the curves.
        auto* lanes = ui.window.findChild<Lanes*>();
        const QPoint from(int(lanes->xOf(1015)), lanes->height() - 5), to(int(lanes->xOf(1025)), lanes->height() - 5);
        QTest::mousePress(lanes, Qt::LeftButton, {}, from);
        QMouseEvent move(QEvent::MouseMove, to, lanes->mapToGlobal(QPointF(to)), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(lanes, &move);
        QTest::mouseRelease(lanes, Qt::LeftButton, {}, to);
        QVERIFY(keyFrames(thing()).size() > 1);
        QCOMPARE(thing().keys.position.keys.front().frame, 1025);
        ui.window.action("curves")->trigger();
        auto* plot = ui.window.findChild<KeyPlot*>();
        QVERIFY(plot->isVisible());
        const QPointF key = plot->positionOf(0, 1025);
        QTest::mousePress(plot, Qt::LeftButton, {}, key.toPoint());
        const QPointF higher = key + QPointF(plot->positionOf(0, 1045).x() - key.x(), -20);
        QMouseEvent up(QEvent::MouseMove, higher, plot->mapToGlobal(higher), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(plot, &up);
        QTest::mouseRelease(plot, Qt::LeftButton, {}, higher.toPoint());
        QCOMPARE(thing().keys.position.keys.front().frame, 1045);
        QVERIFY(thing().keys.position.keys.front().value.x() > 0);
    }

    void layersOverTheLockedCamera() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const CameraPose solved = *ui.document.shot().worldPose(1030);
        ui.shown<QCheckBox>("layerShake")->click();
        QVERIFY(ui.document.shot().layers.shake.on);
        ui.type("shakePx", "20");
        QCOMPARE(ui.document.shot().layers.shake.px, 20.0);
        const QString words = ui.shown<QLabel>("layersNote")->text();
        QVERIFY2(words.contains("Needs a frame of") && words.contains("%"), qPrintable(words));
        QCOMPARE(ui.document.shot().worldPose(1030)->position, solved.position);
        ui.window.action("undo")->trigger();
        while (ui.document.shot().layers.any()) ui.window.action("undo")->trigger();
        QVERIFY(ui.document.shot().layers == CameraLayers());
        // A drag of the camera says that it is locked.
        ui.window.action("sceneOnly")->trigger();
        ui.window.action("top")->trigger();
        const QPointF camera = *ui.scene->positionOf(ui.document.shot().worldPose(ui.document.frame())->position);
        QTest::mousePress(ui.scene, Qt::LeftButton, {}, camera.toPoint());
        const QPointF to = camera + QPointF(30, 10);
        QMouseEvent move(QEvent::MouseMove, to, ui.scene->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(ui.scene, &move);
        QTest::mouseRelease(ui.scene, Qt::LeftButton, {}, to.toPoint());
        QVERIFY(ui.sentence().contains("locked"));
        QCOMPARE(ui.document.shot().worldPose(1030)->position, solved.position);
    }

    void placingInTheSceneAndFramingIt() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        ui.window.action("sceneOnly")->trigger();
        for (const char* mode : {"top", "front", "side", "orbit"}) {
            ui.window.action(mode)->trigger();
            const size_t before = ui.document.shot().things.size();
            QVERIFY2(ui.scene->dropThing(Box(), QPointF(ui.scene->width() * 0.5, ui.scene->height() * 0.62)), mode);
            QCOMPARE(ui.document.shot().things.size(), before + 1);
            QCOMPARE(world(ui, last(ui)).translation.y(), 0.0);
        }
        settle(ui);
        QTest::keyClick(&ui.window, Qt::Key_0, Qt::ControlModifier | Qt::ShiftModifier);
        const auto at = ui.scene->positionOf(world(ui, last(ui)).point({0, 0.5, 0}));
        QVERIFY(at);
        QVERIFY2(QLineF(*at, QPointF(ui.scene->width() / 2.0, ui.scene->height() / 2.0)).length() < 40,
                 qPrintable(QStringLiteral("%1 %2").arg(at->x()).arg(at->y())));
        // It is dragged there too.
        const Eigen::Vector3d was = world(ui, last(ui)).translation;
        const QPointF grip = *ui.scene->positionOf(world(ui, last(ui)).point({0.3, 0.9, 0.3}));
        QTest::mousePress(ui.scene, Qt::LeftButton, {}, grip.toPoint());
        for (int i = 1; i <= 4; ++i) {
            const QPointF to = grip + QPointF(20 * i, 0);
            QMouseEvent move(QEvent::MouseMove, to, ui.scene->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
            QApplication::sendEvent(ui.scene, &move);
        }
        QTest::mouseRelease(ui.scene, Qt::LeftButton, {}, (grip + QPointF(80, 0)).toPoint());
        QVERIFY((world(ui, last(ui)).translation - was).norm() > 0.02);
        QCOMPARE(world(ui, last(ui)).translation.y(), was.y());
    }

    void flipBookAndCleanView() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        ui.window.action("flipBook")->trigger();
        QVERIFY(!ui.window.views().flip().isVisible());
        const auto place = ui.plate->groundAt(QPointF(ui.plate->width() * 0.6, ui.plate->height() * 0.75));
        ui.document.addThing(Box(), *place);
        QTest::keyClick(&ui.window, Qt::Key_J);
        FlipView& flip = ui.window.views().flip();
        QVERIFY(flip.isVisible());
        QTRY_VERIFY_WITH_TIMEOUT(flip.ready(), 30000);
        QVERIFY(flip.frames()[0] < flip.frames()[1] && flip.frames()[1] < flip.frames()[2]);
        // The thing stands in the middle of each of the three.
        const QImage picture = flip.grab().toImage();
        for (int i = 0; i < 3; ++i) {
            const QColor c = picture.pixelColor(int(flip.width() * (2 * i + 1) / 6.0), (flip.height() - 24) / 2);
            QVERIFY2(c.green() > c.red() + 15, qPrintable(c.name()));
        }
        QTest::keyClick(&flip, Qt::Key_Escape);
        QVERIFY(!flip.isVisible());
        ui.plate->setFocus();
        QTest::keyClick(&ui.window, Qt::Key_Y);
        QVERIFY(ui.plate->clean());
    }

    void wrongFilesAreSaid() {
        Ui ui(slipway_);
        ui.window.action("stepLayout")->trigger();
        const auto drop = [&](const ThingKind& kind) {
            ui.plate->dropThing(kind, QPointF(ui.plate->width() * 0.6, ui.plate->height() * 0.75));
        };
        drop(Mesh{"/nowhere/crate.obj", 1, 0, 0, 0});
        QVERIFY(ui.sentence().contains("/nowhere/crate.obj"));
        drop(Card{1, 1, "/nowhere/planks.png", 0, 0, 0});
        QVERIFY2(ui.sentence().contains("planks.png"), qPrintable(ui.sentence()));
        // A crate a hundred times too large arrives at a size that is seen, and says so.
        QFile obj(folder_.filePath("crate.obj"));
        QVERIFY(obj.open(QIODevice::WriteOnly));
        obj.write("v 0 0 0\nv 12000 0 0\nv 0 12000 0\nv 0 0 12000\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n");
        obj.close();
        ui.plate->dropThing(Mesh{obj.fileName().toStdString(), 1, 0, 0, 0},
                            QPointF(ui.plate->width() * 0.6, ui.plate->height() * 0.75));
        QVERIFY2(ui.sentence().contains("beyond the picture"), qPrintable(ui.sentence()));
        QVERIFY(std::get<Mesh>(last(ui).kind).size < 0.01);
        ui.window.action("fileSize")->trigger();
        QCOMPARE(std::get<Mesh>(last(ui).kind).size, 1.0);
        // In the sky there is nothing to stand on.
        const size_t count = ui.document.shot().things.size();
        QVERIFY(!ui.plate->dropThing(Box(), QPointF(5, 5)));
        QCOMPARE(ui.document.shot().things.size(), count);
        settle(ui);
    }
};

}  // namespace va

QTEST_MAIN(va::LayoutTest)
#include "layout_test.moc"
