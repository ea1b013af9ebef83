// SPDX-License-Identifier: GPL-3.0-or-later
// Photo match and reference stills in the real window: lines, rectangle, horizon and known points by hand, the focal
// length by eye, photos that give depth to a nodal pan.
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QSlider>
#include <QStandardPaths>
#include <QTableWidget>

#include "style/theme.h"
#include "ui.h"
#include "views/still_view.h"
#include "views/views.h"

namespace va {

class PhotoTest : public QObject {
    Q_OBJECT
  private:
    const QString shed_ = QStringLiteral(VA_SOURCE_DIR "/demo/data/shed/shed.jpg");
    const QString mast_ = QStringLiteral(VA_SOURCE_DIR "/demo/data/mast-top/mast-top.mp4");

    static void move(const Ui& ui, const QPoint& to) {
        QMouseEvent event(QEvent::MouseMove, to, ui.plate->mapToGlobal(to), Qt::NoButton, Qt::NoButton, {});
        QApplication::sendEvent(ui.plate, &event);
    }
    static size_t drawn(const Ui& ui) {
        const auto& lines = ui.document.shot().photo.lines;
        return size_t(std::count_if(lines.begin(), lines.end(), [](const PhotoLine& l) { return l.drawn; }));
    }

  private Q_SLOTS:
    void initTestCase() { prepare("photo-test"); }

    /// Match shot on a photo finds lines; the artist draws one more, mends its end and takes it away again.
    void linesAreDrawnAndMended() {
        Ui ui(shed_);
        ui.window.action("match")->trigger();
        ui.finish();
        QVERIFY(ui.document.shot().solve->motion == Motion::still);
        QVERIFY(ui.document.shot().photo.lines.size() > 6);
        QCOMPARE(drawn(ui), 0U);
        QTest::keyClick(&ui.window, Qt::Key_D);
        QVERIFY(ui.plate->tool() == PlateTool::photo);
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Z);
        QVERIFY(ui.window.photoEdits().axis() == PhotoAxis::z);
        QVERIFY(ui.window.action("photoAxisZ")->isChecked());
        QTest::keyClick(ui.plate, Qt::Key_Y);
        // An upright stroke beside everything, not snapped.
        const PlateInfo& p = ui.document.shot().plate;
        const Eigen::Vector2d low(0.03 * p.width, 0.62 * p.height), high(0.03 * p.width, 0.40 * p.height);
        ui.drag(ui.at(low.x(), low.y()), ui.at(high.x(), high.y()), Qt::ShiftModifier);
        QCOMPARE(drawn(ui), 1U);
        const PhotoLine line = ui.document.shot().photo.lines.back();
        QVERIFY(line.axis == PhotoAxis::y);
        QVERIFY((line.a - low).norm() < 1 / ui.plate->zoom() + 1e-6);
        QVERIFY(ui.shown<QTableWidget>("photoEvidence")->rowCount() >= 2);
        // Its upper end is dragged: the camera moves along with every step, and all of it is one step of undo.
        const auto pose = ui.document.shot().solve->frames.front().pose;
        const int steps = ui.document.undoStack().count();
        ui.drag(ui.at(high.x(), high.y()), ui.at(high.x() + 40, high.y()));
        QCOMPARE(ui.document.undoStack().count(), steps + 1);
        QVERIFY((ui.document.shot().photo.lines.back().b - high - Eigen::Vector2d(40, 0)).norm() <
                2 / ui.plate->zoom());
        QVERIFY(pose.worldFromCamera.angularDistance(ui.document.shot().solve->frames.front().pose.worldFromCamera) >
                1e-5);
        const PhotoLine mended = ui.document.shot().photo.lines.back();
        move(ui, ui.at((mended.a.x() + mended.b.x()) / 2, (mended.a.y() + mended.b.y()) / 2));
        QTest::keyClick(ui.plate, Qt::Key_Delete);
        QCOMPARE(drawn(ui), 0U);
        ui.document.undoStack().undo();
        QCOMPARE(drawn(ui), 1U);
    }

    /// A rectangle dragged over the floor gives the camera; the slider changes the focal length and keeps the near
    /// side.
    void theFloorIsFittedByEye() {
        Ui ui(shed_);
        ui.window.action("stepSolve")->trigger();
        ui.window.action("photoRectangle")->trigger();
        QVERIFY(ui.document.shot().photo.quad);
        QVERIFY(ui.document.shot().solve->motion == Motion::still);
        const PhotoQuad before = *ui.document.shot().photo.quad;
        const double focal = ui.document.shot().solve->lens.focalPx;
        ui.drag(ui.at(before.corners[2].x(), before.corners[2].y()),
                ui.at(before.corners[2].x() + 60, before.corners[2].y() - 30));
        QVERIFY((ui.document.shot().photo.quad->corners[2] - before.corners[2] - Eigen::Vector2d(60, -30)).norm() <
                2 / ui.plate->zoom());
        ui.document.undoStack().undo();
        auto* slider = ui.shown<QSlider>("photoFocalSlider");
        slider->setValue(slider->value() + 150);
        const Shot& s = ui.document.shot();
        QVERIFY2(s.solve->lens.focalPx > 1.3 * focal,
                 qPrintable(QString("%1 %2 %3").arg(s.solve->lens.focalPx).arg(focal).arg(s.priors.focalMm)));
        QVERIFY((s.photo.quad->corners[0] - before.corners[0]).norm() < 1e-9);
        QVERIFY((s.photo.quad->corners[1] - before.corners[1]).norm() < 1e-9);
        QVERIFY((s.photo.quad->corners[3] - before.corners[3]).norm() > 1);
        // The camera sees the rectangle where it is drawn.
        const auto camera = s.cameraAt(s.photo.frame);
        const auto near = camera->project(Eigen::Vector3d::Zero());
        QVERIFY(near && (*near - s.photo.quad->corners[0]).norm() < 1.5);
        QVERIFY(ui.child<QCheckBox>("photoFocalHeld")->isChecked());
        ui.shown<QCheckBox>("photoFocalHeld")->click();
        QVERIFY(ui.document.shot().priors.focal != Known::known);
        // Not convex: said, and nothing is lost.
        const auto corners = ui.document.shot().photo.quad->corners;
        ui.drag(ui.at(corners[2].x(), corners[2].y()), ui.at(corners[0].x() - 60, corners[0].y() - 20));
        QVERIFY2(ui.sentence().contains("not convex"), qPrintable(ui.sentence()));
        ui.document.undoStack().undo();
        QVERIFY(!ui.sentence().contains("not convex"));
    }

    /// Points of known position, clicked and typed, give the camera that took the picture.
    void knownPointsByHand() {
        QFile file(VA_SOURCE_DIR "/demo/data/shed/shed.truth.json");
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QJsonObject truth = QJsonDocument::fromJson(file.readAll()).object();
        Ui ui(shed_);
        ui.window.action("stepSolve")->trigger();
        const QJsonArray points = truth["points"].toArray();
        int placed = 0;
        for (int i = 0; i < points.size() && placed < 6; i += std::max(1, int(points.size()) / 7)) {
            const QJsonArray seen = points[i].toObject()["seen"].toArray()[0].toArray(),
                             at = points[i].toObject()["position"].toArray();
            ui.window.action("photoPoint")->trigger();
            QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(seen[1].toDouble(), seen[2].toDouble()));
            QCOMPARE(ui.document.shot().photo.spots.size(), size_t(placed + 1));
            ui.type("photoPointX", QString::number(at[0].toDouble(), 'g', 9));
            ui.type("photoPointY", QString::number(at[1].toDouble(), 'g', 9));
            ui.type("photoPointZ", QString::number(at[2].toDouble(), 'g', 9));
            ++placed;
        }
        QCOMPARE(placed, 6);
        const auto pose = ui.document.shot().worldPose(ui.document.frame());
        QVERIFY(pose);
        const QJsonArray at = truth["frames"].toArray()[0].toObject()["position"].toArray();
        const Eigen::Vector3d position(at[0].toDouble(), at[1].toDouble(), at[2].toDouble());
        // Clicks are whole screen pixels, about two of the picture.
        QVERIFY2((pose->position - position).norm() < 0.25,
                 qPrintable(QString::number((pose->position - position).norm())));
    }

    /// Two photos from elsewhere give depth to a nodal pan; marks by hand are made in the still view.
    void stillsGiveDepthToAPan() {
        Ui ui(mast_);
        ui.window.action("match")->trigger();
        ui.finish();
        QVERIFY(ui.document.shot().solve->motion == Motion::nodalPan);
        QVERIFY2(ui.sentence().contains("reference still"), qPrintable(ui.sentence()));
        QVERIFY(!ui.window.action("autoLevel")->isEnabled());
        const QString stills = QStringLiteral(VA_SOURCE_DIR "/demo/data/mast-top-stills/mast-top-stills.0%1.jpg");
        ui.window.stillEdits().addFiles({stills.arg(1), stills.arg(2)});
        QCOMPARE(ui.document.shot().stills.size(), 2U);
        auto* view = ui.window.findChild<StillView*>();
        QTRY_VERIFY(view->isVisible() && view->canvas().hasPicture());
        ui.window.action("findStillMarks")->trigger();
        ui.finish();
        QVERIFY2(ui.document.shot().solve->hasDepth(), qPrintable(ui.sentence()));
        QVERIFY2(ui.sentence().contains("2 reference stills"), qPrintable(ui.sentence()));
        QVERIFY(ui.window.action("autoLevel")->isEnabled());
        auto* table = ui.shown<QTableWidget>("referenceStills");
        QCOMPARE(table->rowCount(), 2);
        QVERIFY2(
            table->item(0, 1)->text().toInt() > 50,
            qPrintable(table->item(0, 1)->text() + " " + QString::number(ui.document.shot().stills[0].marks.size())));
        QVERIFY(ui.child<QLabel>("stillsNote")->text().contains("focal length"));
        // A feature of the plate, marked by hand in the still.
        const ReferenceStill& still = *ui.document.shot().still(ui.window.stillEdits().shown());
        const size_t count = still.marks.size();
        int free = 0;
        for (const Path& p : *ui.document.shot().paths)
            if (std::none_of(still.marks.begin(), still.marks.end(),
                             [&](const StillMark& m) { return m.path == p.id; }))
                free = p.id;
        QVERIFY(free != 0);
        ui.document.selectPaths({free});
        const QPoint spot(20, view->canvas().height() - 20);
        QTest::mouseClick(&view->canvas(), Qt::LeftButton, {}, spot);
        QCOMPARE(ui.document.shot().still(still.id)->marks.size(), count + 1);
        QVERIFY(ui.document.shot().still(still.id)->marks.back().byHand);
        // Dragged it becomes another one; Delete takes it away.
        QTest::mousePress(&view->canvas(), Qt::LeftButton, {}, spot);
        QMouseEvent drag(QEvent::MouseMove, spot + QPoint(30, -10), view->canvas().mapToGlobal(spot + QPoint(30, -10)),
                         Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(&view->canvas(), &drag);
        QTest::mouseRelease(&view->canvas(), Qt::LeftButton, {}, spot + QPoint(30, -10));
        QVERIFY(
            (ui.document.shot().still(still.id)->marks.back().pixel - view->canvas().toPixel(spot + QPoint(30, -10)))
                .norm() < 1e-6);
        QMouseEvent hover(QEvent::MouseMove, spot + QPoint(30, -10), view->canvas().mapToGlobal(spot + QPoint(30, -10)),
                          Qt::NoButton, Qt::NoButton, {});
        QApplication::sendEvent(&view->canvas(), &hover);
        view->canvas().setFocus();
        QTest::keyClick(&view->canvas(), Qt::Key_Delete);
        QCOMPARE(ui.document.shot().still(still.id)->marks.size(), count);
        // Saved and opened again the stills are there, and the solve is not stale.
        QTemporaryDir folder;
        const QString file = folder.filePath("mast.vanchor");
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        QVERIFY(ui.window.saveTo(file));
        Ui again(file);
        QCOMPARE(again.document.shot().stills.size(), 2U);
        QCOMPARE(again.document.shot().solve->points.size(), ui.document.shot().solve->points.size());
        again.window.action("stepSolve")->trigger();
        QVERIFY2(again.sentence().contains("2 reference stills") && !again.sentence().contains("Solve again"),
                 qPrintable(again.sentence()));
        again.window.stillEdits().show(1);
        QTRY_VERIFY(again.window.findChild<StillView*>()->canvas().hasPicture());
    }

    /// Two photos of one place, by features that are placed by hand in the one and marked in the other.
    void twoPhotosByHand() {
        const QString folder = QStringLiteral(VA_SOURCE_DIR "/demo/data/mast-top-stills/");
        QFile file(folder + "mast-top-stills.truth.json");
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QJsonArray points = QJsonDocument::fromJson(file.readAll()).object()["points"].toArray();
        Ui ui(folder + "mast-top-stills.01.jpg");
        ui.document.setRange({1, 1});
        ui.document.setFrame(1);
        ui.window.stillEdits().addFiles({folder + "mast-top-stills.02.jpg"});
        auto* view = ui.window.findChild<StillView*>();
        QTRY_VERIFY(view->isVisible() && view->canvas().hasPicture());
        int placed = 0;
        for (int i = 0; i < points.size() && placed < 12; i += 5) {
            const QJsonArray seen = points[i].toObject()["seen"].toArray();
            if (seen.size() < 2) continue;
            const QJsonArray one = seen[0].toArray(), two = seen[1].toArray();
            const QPointF at = view->canvas().fromPixel({two[1].toDouble(), two[2].toDouble()});
            // So near to another mark a click takes hold of that one.
            const auto& marks = ui.document.shot().stills[0].marks;
            if (std::any_of(marks.begin(), marks.end(), [&](const StillMark& m) {
                    return QLineF(view->canvas().fromPixel(m.pixel), at).length() < 12;
                }))
                continue;
            ui.window.edits().addHandFeature({one[1].toDouble(), one[2].toDouble()});
            QCOMPARE(ui.document.selectedPaths().size(), 1);
            QTest::mouseClick(&view->canvas(), Qt::LeftButton, {}, at.toPoint());
            QCOMPARE(ui.document.shot().stills[0].marks.size(), size_t(++placed));
        }
        QCOMPARE(placed, 12);
        QTest::keyClick(&ui.window, Qt::Key_R, Qt::ControlModifier);
        ui.finish();
        ui.window.action("stepSolve")->trigger();
        QVERIFY2(ui.document.shot().solve->hasDepth(), qPrintable(ui.sentence()));
        QVERIFY2(ui.sentence().contains("Photo with depth from 1 reference still"), qPrintable(ui.sentence()));
        QVERIFY(ui.document.shot().solve->points.size() >= 9);
        // The focal length of the metadata, 866.7 px, and what the marks make of it.
        QVERIFY(std::fabs(ui.document.shot().solve->stills[0].lens.focalPx / 866.7 - 1) < 0.05);
    }

    /// Any frame of a shot can be matched as a photo.
    void aFrameOfAShotIsMatched() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/jib"));
        ui.document.setFrame(ui.document.shot().range.first + 5);
        ui.window.action("matchFrame")->trigger();
        ui.finish();
        QVERIFY(ui.document.shot().solve->motion == Motion::still);
        QCOMPARE(ui.document.shot().photo.frame, ui.document.frame());
        QVERIFY(ui.document.shot().worldPose(ui.document.frame()));
    }
};

}  // namespace va

using va::PhotoTest;
QTEST_MAIN(PhotoTest)
#include "photo_test.moc"
