// SPDX-License-Identifier: GPL-3.0-or-later
// The step Features in the real window: by hand, masks, patches, curves, prune, table.
#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPushButton>
#include <QSlider>
#include <QStandardPaths>
#include <QTableView>
#include <QTemporaryDir>
#include <QTest>
#include <cmath>

#include "drawer/drawer.h"
#include "inspector/number_field.h"
#include "main_window/main_window.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"
#include "track/find_features.h"
#include "track/pyramid.h"
#include "ui.h"
#include "workflow/track_shot.h"

namespace va {

class FeaturesTest : public QObject {
    Q_OBJECT

  private:
    const QString jib_ = QStringLiteral(VA_SOURCE_DIR "/demo/data/jib");

    /// A corner well inside the picture that can be tracked.
    static QPointF corner(const Ui& ui) {
        FindOptions find;
        find.count = 30;
        find.margin = 140;
        const auto source = openPlate(ui.document.shot().plateSpec);
        const auto found = findFeatures(Pyramid(source->luma(ui.document.frame()), 1).level(0), {}, find);
        return found.empty() ? QPointF() : QPointF(found[0].x, found[0].y);
    }

    static void setNumber(NumberField* field, const QString& text) {
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }

  private Q_SLOTS:
    void initTestCase() { prepare("features-test"); }

    void featureByHandIsPlacedNudgedAndTracked() {
        Ui ui(jib_);
        ui.document.setFrame(1010);
        QTRY_VERIFY(ui.plate->pictureReady(1010));
        const QPointF c = corner(ui);
        QTest::keyClick(&ui.window, Qt::Key_H);
        QCOMPARE(ui.plate->tool(), PlateTool::hand);
        // Pressed beside the corner and dragged onto it, the loupe in view: the corner of the view changes.
        const QImage before = ui.plate->grab().toImage();
        QTest::mousePress(ui.plate, Qt::LeftButton, {}, ui.at(c.x() + 12, c.y() + 6));
        const QImage during = ui.plate->grab().toImage();
        const bool left = ui.at(c.x(), c.y()).x() > ui.plate->width() / 2;
        const QRect loupe(left ? 14 : ui.plate->width() - 190, 14, 176, 176);
        int changed = 0;
        for (int y = loupe.top(); y < loupe.bottom(); y += 4)
            for (int x = loupe.left(); x < loupe.right(); x += 4) changed += before.pixel(x, y) != during.pixel(x, y);
        QVERIFY2(changed > 500, "the loupe stands there");
        QTest::mouseRelease(ui.plate, Qt::LeftButton, {}, ui.at(c.x() + 12, c.y() + 6));
        QCOMPARE(ui.document.shot().paths->size(), size_t(1));
        const int id = ui.document.shot().paths->front().id;
        QCOMPARE(ui.document.selectedPaths(), QSet<int>{id});
        const auto here = [&] {
            const PathPoint* p = ui.document.shot().path(id)->at(1010);
            return QPointF(p->x, p->y);
        };
        ui.drag(ui.at(here().x(), here().y()), ui.at(c.x(), c.y()));
        QVERIFY(QLineF(here(), c).length() < 2.0 / ui.plate->zoom());
        // Ten times finer with the control key.
        const QPointF coarse = here();
        const QPoint anisotropy = ui.at(coarse.x(), coarse.y());
        ui.drag(anisotropy, anisotropy + QPoint(20, 0), Qt::ControlModifier);
        QVERIFY(std::fabs(here().x() - coarse.x() - 2 / ui.plate->zoom()) < 0.2);
        // Arrows: a tenth, with shift a whole one, and no frame is left.
        QPointF was = here();
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Right);
        QVERIFY(std::fabs(here().x() - was.x() - 0.1) < 1e-9);
        QTest::keyClick(ui.plate, Qt::Key_Up, Qt::ShiftModifier);
        QVERIFY(std::fabs(here().y() - was.y() + 1) < 1e-9);
        QCOMPARE(ui.document.frame(), 1010);
        QCOMPARE(ui.document.shot().path(id)->at(1010)->origin, PointOrigin::byHand);
        // Typed to the exact position, then tracked both ways.
        setNumber(ui.child<NumberField>("handX"), QString::number(c.x()));
        setNumber(ui.child<NumberField>("handY"), QString::number(c.y()));
        QCOMPARE(here(), c);
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Period, Qt::ControlModifier);
        ui.finish();
        QCOMPARE(ui.document.shot().path(id)->points.size(), size_t(2));
        QTest::keyClick(ui.plate, Qt::Key_Period);
        ui.finish();
        QTest::keyClick(ui.plate, Qt::Key_Comma);
        ui.finish();
        const size_t tracked = ui.document.shot().path(id)->points.size();
        QVERIFY2(tracked >= 10, qPrintable(QString::number(tracked)));
        QCOMPARE(here(), c);
        // One step of undo takes the last track back.
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().path(id)->points.size() < tracked);
    }

    void patchAndSearchSizeAreDraggedOrTyped() {
        Ui ui(jib_);
        QTest::keyClick(&ui.window, Qt::Key_1);
        QTest::keyClick(&ui.window, Qt::Key_H);
        const int id = ui.window.edits().addHandFeature({320, 180});
        const int radius = ui.document.shot().path(id)->radius;
        // The patch's right edge, pulled outward.
        ui.drag(ui.at(320 + radius + 0.5, 180), ui.at(320 + radius + 7, 180));
        QVERIFY(ui.document.shot().path(id)->radius > radius + 4);
        setNumber(ui.child<NumberField>("patchSize"), "17");
        QCOMPARE(ui.document.shot().path(id)->radius, 8);
        setNumber(ui.child<NumberField>("searchSize"), "40");
        QCOMPARE(ui.document.shot().path(id)->searchRadius, 40);
        ui.child<QComboBox>("motionModel")->setCurrentIndex(0);
        QCOMPARE(ui.document.shot().path(id)->model, MotionModel::translation);
        auto* name = ui.child<QLineEdit>("pathName");
        name->setText("bow");
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(QString::fromStdString(ui.document.shot().path(id)->name), QString("bow"));
    }

    void maskIsDrawnDistortedKeyedAndKeepsFeaturesOut() {
        Ui ui(jib_);
        QTest::keyClick(&ui.window, Qt::Key_M);
        QCOMPARE(ui.plate->tool(), PlateTool::mask);
        for (const QPoint& p : {ui.at(40, 30), ui.at(600, 30), ui.at(600, 150)})
            QTest::mouseClick(ui.plate, Qt::LeftButton, {}, p);
        // The last one is dragged: the outline bends there.
        ui.drag(ui.at(40, 150), ui.at(20, 110));
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Return);
        QCOMPARE(ui.document.shot().exclusions.masks.size(), size_t(1));
        const auto mask = [&] { return ui.document.shot().exclusions.masks.front(); };
        QCOMPARE(mask().keys.front().value.size(), size_t(4));
        QVERIFY(!mask().keys.front().value[3].out.isZero());
        QCOMPARE(ui.document.selectedMask(), mask().id);
        // It is seen: the hatching darkens the sky.
        const QImage shown = ui.plate->grab().toImage();
        int dark = 0;
        for (int x = 100; x < 500; x += 3) dark += qGray(shown.pixel(ui.at(x, 60))) < 140;
        QVERIFY(dark > 10);
        // A point dragged in another frame makes a key there.
        ui.document.setFrame(1020);
        QTRY_VERIFY(ui.plate->pictureReady(1020));
        const Eigen::Vector2d corner = mask().pointsAt(1020)[2].at;
        ui.drag(ui.at(corner.x(), corner.y()), ui.at(corner.x() - 60, corner.y() + 20));
        QCOMPARE(mask().keys.size(), size_t(2));
        QVERIFY((mask().pointsAt(1020)[2].at - corner).norm() > 40);
        QVERIFY((mask().pointsAt(1001)[2].at - corner).norm() < 1e-9);
        // Numbers of the page.
        setNumber(ui.child<NumberField>("maskGrow"), "4");
        setNumber(ui.child<NumberField>("maskFeather"), "10");
        QCOMPARE(mask().grow, 4.0);
        QCOMPARE(mask().feather, 10.0);
        ui.document.setRange({1001, 1008});
        ui.document.setFrame(1001);
        QTest::keyClick(&ui.window, Qt::Key_F, Qt::ControlModifier);
        ui.finish();
        QVERIFY(ui.document.shot().paths->size() > 50);
        const MaskSet set({mask()}, {});
        for (const Path& p : *ui.document.shot().paths)
            for (const PathPoint& q : p.points) QVERIFY(set.allowed(q.frame, q.x, q.y));
        // Only inside turns it around.
        ui.child<QComboBox>("maskMode")->setCurrentIndex(1);
        QCOMPARE(mask().exclude, false);
        // One more point by double click on the outline's top, taken away again with Delete.
        const Eigen::Vector2d a = mask().pointsAt(1001)[0].at, b = mask().pointsAt(1001)[1].at, middle = 0.5 * (a + b);
        QTest::mouseDClick(ui.plate, Qt::LeftButton, {}, ui.at(middle.x(), middle.y()));
        QCOMPARE(mask().keys.front().value.size(), size_t(5));
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Delete);
        QCOMPARE(mask().keys.front().value.size(), size_t(4));
        QTest::keyClick(ui.plate, Qt::Key_Delete);
        QVERIFY(ui.document.shot().exclusions.masks.empty());
        ui.document.undoStack().undo();
        QCOMPARE(ui.document.shot().exclusions.masks.size(), size_t(1));
    }

    void halfDrawnMaskIsDropped() {
        Ui ui(jib_);
        QTest::keyClick(&ui.window, Qt::Key_M);
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(100, 100));
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(200, 100));
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Escape);
        QTest::keyClick(ui.plate, Qt::Key_Return);
        QVERIFY(ui.document.shot().exclusions.masks.empty());
    }

    void patchIsDrawnTrackedAndCorrected() {
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/slipway/slipway.mp4"));
        QTest::keyClick(&ui.window, Qt::Key_1);
        ui.document.setRange({1001, 1016});
        QTest::keyClick(&ui.window, Qt::Key_P);
        QCOMPARE(ui.plate->tool(), PlateTool::patch);
        ui.drag(ui.at(203, 276), ui.at(351, 363));
        QCOMPARE(ui.document.shot().patches.size(), size_t(1));
        const auto patch = [&] { return ui.document.shot().patches.front(); };
        QCOMPARE(patch().referenceFrame, 1001);
        // A corner pulled in the reference frame shapes the region.
        const Eigen::Vector2d lower = patch().corners[2];
        ui.drag(ui.at(lower.x(), lower.y()), ui.at(lower.x(), lower.y() - 4));
        QVERIFY(patch().corners[2].y() < lower.y() - 2);
        QVERIFY(patch().corrections.empty());
        ui.window.action("patchBoth")->trigger();
        ui.finish();
        QCOMPARE(patch().frames.size(), size_t(16));
        QVERIFY(patch().frames.back().quality > 0.9);
        // In another frame it is a correction, and the undistorted view changes with it.
        ui.document.setFrame(1016);
        QTRY_VERIFY(ui.plate->pictureReady(1016));
        auto* undistorted = ui.child<QLabel>("rectified");
        QTRY_VERIFY(undistorted->pixmap().width() > 100);
        const QImage before = undistorted->pixmap().toImage();
        const Eigen::Vector2d found = (*patch().cornersAt(1016))[0];
        ui.drag(ui.at(found.x(), found.y()), ui.at(found.x() + 15, found.y() + 10));
        QCOMPARE(patch().corrections.size(), size_t(1));
        QVERIFY(((*patch().cornersAt(1016))[0] - found).norm() > 8);
        QVERIFY(undistorted->pixmap().toImage() != before);
        QTemporaryDir folder;
        ui.window.edits().writePatch(folder.filePath("sign.csv"));
        QFile csv(folder.filePath("sign.csv"));
        QVERIFY(csv.open(QIODevice::ReadOnly));
        QCOMPARE(QString(csv.readAll()).count('\n'), 17);
        // A mask can ride on it.
        ui.window.edits().addMask(
            {{{220, 290}, {0, 0}, {0, 0}}, {{330, 290}, {0, 0}, {0, 0}}, {{330, 340}, {0, 0}, {0, 0}}});
        QTest::keyClick(&ui.window, Qt::Key_M);
        auto* ride = ui.child<QComboBox>("maskRide");
        QCOMPARE(ride->count(), 2);
        ride->setCurrentIndex(1);
        Q_EMIT ride->activated(1);
        QCOMPARE(ui.document.shot().exclusions.masks.front().ride, MaskRide::patch);
        ui.document.setFrame(1001);
        const auto first = ui.window.edits().maskPoints(ui.document.shot().exclusions.masks.front());
        ui.document.setFrame(1012);
        const auto later = ui.window.edits().maskPoints(ui.document.shot().exclusions.masks.front());
        QVERIFY((first[0].at - later[0].at).norm() > 2);
        QTest::keyClick(&ui.window, Qt::Key_P);
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Delete);
        QVERIFY(ui.document.shot().patches.empty());
    }

    void tableFiltersCurvesAndPruneWorkTogether() {
        Ui ui(jib_);
        ui.document.setRange({1001, 1020});
        ui.document.trackFeatures();
        ui.finish();
        auto* drawer = ui.window.findChild<Drawer*>();
        const int all = int(ui.document.shot().paths->size());
        auto* filter = ui.child<QLineEdit>("featureFilter");
        QCOMPARE(drawer->model()->rowCount(), all);
        QTest::keyClicks(filter, "length<12");
        int shorter = 0;
        for (const Path& p : *ui.document.shot().paths) shorter += p.points.size() < 12;
        QVERIFY(shorter > 0 && shorter < all);
        QCOMPARE(drawer->model()->rowCount(), shorter);
        filter->clear();
        QCOMPARE(drawer->model()->rowCount(), all);

        // Curves of the longest path: a span is dragged and set aside, and comes back.
        const Path* longest = &ui.document.shot().paths->front();
        for (const Path& p : *ui.document.shot().paths)
            if (p.points.size() > longest->points.size()) longest = &p;
        const int id = longest->id;
        ui.document.selectPaths({id});
        ui.window.action("curves")->trigger();
        CurvePlot& plot = drawer->curves()->plot();
        QTRY_VERIFY(plot.width() > 300);
        const QPoint from(int(plot.xOf(1005)), 40), to(int(plot.xOf(1009)), 40);
        QTest::mousePress(&plot, Qt::LeftButton, {}, from);
        QMouseEvent move(QEvent::MouseMove, to, plot.mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(&plot, &move);
        QTest::mouseRelease(&plot, Qt::LeftButton, {}, to);
        QCOMPARE(plot.span(), (FrameRange{1005, 1009}));
        QTest::mouseClick(ui.child<QPushButton>("spanAside"), Qt::LeftButton);
        QVERIFY(!ui.document.shot().path(id)->at(1007)->counts());
        QVERIFY(ui.document.shot().path(id)->at(1012)->counts());
        QTest::mouseClick(ui.child<QPushButton>("spanBack"), Qt::LeftButton);
        QVERIFY(ui.document.shot().path(id)->at(1007)->counts());
        // A click goes to the frame; the other curves have values too.
        QTest::mouseClick(&plot, Qt::LeftButton, {}, QPoint(int(plot.xOf(1015)), 40));
        QCOMPARE(ui.document.frame(), 1015);
        for (const CurveKind k : {CurveKind::x, CurveKind::y, CurveKind::speed, CurveKind::offSmooth,
                                  CurveKind::quality, CurveKind::drift}) {
            int finite = 0;
            for (double v : curveOf(ui.document.shot(), *ui.document.shot().path(id), k)) finite += std::isfinite(v);
            QVERIFY(finite > 10);
        }
        QTest::mouseClick(ui.child<QPushButton>("curveReanchor"), Qt::LeftButton);
        ui.finish();
        QCOMPARE(ui.document.shot().path(id)->referenceFrame, 1015);

        // Prune: the count is live, what it finds is marked, the button sets it aside, undo brings it back.
        ui.window.action("prune")->trigger();
        auto* rule = ui.child<QCheckBox>("rule0");
        QTest::mouseClick(rule, Qt::LeftButton, {}, QPoint(8, rule->height() / 2));
        setNumber(ui.child<NumberField>("rule0Value"), "12");
        QTRY_VERIFY(ui.child<QLabel>("pruneCount")->text().startsWith(QString::number(shorter)));
        QCOMPARE(int(ui.document.previewed().size()), shorter);
        QTest::mouseClick(ui.child<QPushButton>("prune"), Qt::LeftButton);
        int aside = 0;
        for (const Path& p : *ui.document.shot().paths) aside += p.setAside;
        QCOMPARE(aside, shorter);
        ui.document.undoStack().undo();
        for (const Path& p : *ui.document.shot().paths) QVERIFY(!p.setAside);
        ui.window.action("table")->trigger();
        QVERIFY(ui.document.previewed().isEmpty());
    }

    void holdingAPathStillCentresThePicture() {
        Ui ui(jib_);
        ui.document.setRange({1001, 1012});
        ui.document.trackFeatures();
        ui.finish();
        int id = 0;
        for (const Path& p : *ui.document.shot().paths)
            if (p.points.size() == 12) id = p.id;
        QVERIFY(id != 0);
        ui.document.selectPaths({id});
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_W);
        QVERIFY(ui.plate->look().centred);
        for (int f : {1004, 1009}) {
            ui.document.setFrame(f);
            const PathPoint* p = ui.document.shot().path(id)->at(f);
            const QPointF at = ui.plate->fromPixel(p->x, p->y);
            QVERIFY(QLineF(at, QPointF(ui.plate->width() / 2.0, ui.plate->height() / 2.0)).length() < 0.5);
        }
        // Marks and tails.
        ui.child<QSlider>("markSize")->setValue(70);
        QCOMPARE(ui.plate->look().markSize, 7.0);
        ui.child<QSlider>("tailLength")->setValue(30);
        QCOMPARE(ui.plate->look().tail, 30);
    }

    void densityAndRangeOnlyDoWhatIsNew() {
        Ui ui(jib_);
        ui.window.action("stepFeatures")->trigger();
        ui.document.setRange({1001, 1008});
        ui.child<QComboBox>("density")->setCurrentIndex(0);
        QCOMPARE(ui.document.shot().density, Density::few);
        ui.document.trackFeatures();
        ui.finish();
        const Path first = ui.document.shot().paths->front();
        ui.document.setRange({1001, 1012});
        QCOMPARE(trackWorkFor(ui.document.shot()), TrackWork::grow);
        ui.document.trackFeatures();
        // The artist goes on meanwhile: what is set aside stays so.
        ui.document.setAside({first.id}, true);
        ui.finish();
        const Path* now = ui.document.shot().path(first.id);
        QVERIFY(now->setAside);
        QCOMPARE(now->points[3].x, first.points[3].x);
        QCOMPARE(ui.document.shot().tracked, (FrameRange{1001, 1012}));
    }

    void troublesAreSaid() {
        Ui ui(jib_);
        QStringList said;
        connect(&ui.document, &Document::troubled, this, [&](const QString& s) { said << s; });
        ui.window.edits().trackPatch(true, true);
        ui.window.edits().suggestMasks();
        ui.window.edits().guidedTrack();
        ui.window.edits().addPathsFromFile("/nowhere/paths.csv");
        ui.window.edits().setMatte("Set matte",
                                   [](Matte& m) { m.spec = VA_SOURCE_DIR "/demo/data/slipway/slipway.mp4"; });
        QCOMPARE(said.size(), 5);
        QVERIFY(said[0].contains("Draw a patch"));
        QVERIFY(said[1].contains("solve"));
        QVERIFY(said[2].contains("Solve first"));
        QVERIFY(said[3].contains("/nowhere/paths.csv"));
        QVERIFY(said[4].contains("1280 × 720"));
        QVERIFY(ui.document.shot().exclusions.matte.spec.empty());
    }
};

}  // namespace va

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    va::FeaturesTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "features_test.moc"
