// SPDX-License-Identifier: GPL-3.0-or-later
// The step Lens in the real window: camera back, distort, chart, edges, undistorted pictures.
#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QLineEdit>
#include <QPushButton>
#include <QStandardPaths>
#include <QTableWidget>
#include <QTemporaryDir>
#include <cmath>

#include "base/atomic_file.h"
#include "inspector/lens_page.h"
#include "inspector/residual_plot.h"
#include "media/picture_file.h"
#include "route/route.h"
#include "style/theme.h"
#include "ui.h"

namespace va {

class LensTest : public QObject {
    Q_OBJECT

  private:
    const QString data_ = QStringLiteral(VA_SOURCE_DIR "/demo/data/");
    QTemporaryDir folder_;

    QString solvedProject() { return solvedJib(folder_); }

    static void show(const Ui& ui, LensSection section) {
        ui.window.action("stepLens")->trigger();
        QTest::mouseClick(ui.child<QPushButton>(QString("lensSection%1").arg(int(section)).toLatin1().constData()),
                          Qt::LeftButton);
    }

  private Q_SLOTS:
    void initTestCase() { prepare("lens-test"); }

    void theLensIsTakenOutAndPutBackWithOneKey() {
        Ui ui(solvedProject());
        const Path& path = ui.document.shot().paths->front();
        const Eigen::Vector2d at(path.points.front().x, path.points.front().y);
        const QPointF distorted = ui.plate->fromPixel(0, 0);
        QTest::keyClick(&ui.window, Qt::Key_U);
        QVERIFY(ui.plate->undistortedShown());
        ui.plate->repaint();
        // A pixel goes where the lens sends it, and comes back from there.
        const QPointF there = ui.plate->fromPixel(at.x(), at.y()), back = ui.plate->toPixel(there);
        QVERIFY(std::hypot(back.x() - at.x(), back.y() - at.y()) < 1e-6);
        const Intrinsics& lens = ui.document.shot().solve->lens;
        const auto n = lens.normalisedFromPixel({0, 0});
        QVERIFY(n.has_value());
        const QPointF corner = ui.plate->fromPixel(0, 0),
                      middle = ui.plate->fromPixel(lens.principalPoint.x(), lens.principalPoint.y());
        QVERIFY(std::fabs((middle.x() - corner.x()) / ui.plate->zoom() +
                          lens.focalPx / lens.pixelAspect * n->x() * lens.pixelAspect) < 1e-6);
        QTest::keyClick(&ui.window, Qt::Key_U, Qt::ShiftModifier);
        ui.plate->repaint();
        QTest::keyClick(&ui.window, Qt::Key_U);
        QVERIFY(!ui.plate->undistortedShown());
        QCOMPARE(ui.plate->fromPixel(0, 0), distorted);
        // Without a lens the key says what is missing.
        Ui empty(data_ + "jib");
        QTest::keyClick(&empty.window, Qt::Key_U);
        QVERIFY(!empty.plate->undistortedShown());
        QVERIFY2(empty.sentence().contains("no lens"), qPrintable(empty.sentence()));
    }

    void theCameraBackIsOneLinkedSetOfFields() {
        Ui ui(data_ + "jib");
        ui.window.action("stepLens")->trigger();
        ui.window.findChild<QComboBox*>("focalKnown")->setCurrentIndex(1);
        Q_EMIT ui.window.findChild<QComboBox*>("focalKnown")->activated(1);
        ui.type("sensorWidth", "36");
        ui.type("fieldOfView", "90");
        QVERIFY(std::fabs(ui.document.shot().priors.focalMm - 18) < 1e-9);
        const double width = ui.document.shot().plate.width;
        ui.type("focalPx", QString::number(width));
        QVERIFY(std::fabs(ui.document.shot().priors.focalMm - 36) < 1e-9);
        // A lens from a file sets all of it.
        const QString file = folder_.filePath("wide.json");
        writeFileAtomically(
            file.toStdString(),
            R"({"image": {"width": 960, "height": 540}, "focal_px": 480, "principal_point_px": [489.5, 265.5],
                                "lens": {"model": "division", "lambda": -0.1}})");
        ui.window.lensEdits().takeFile(file);
        const CameraPriors& b = ui.document.shot().priors;
        QCOMPARE(b.lens.kind(), LensKind::division);
        QCOMPARE(b.distortion, Known::known);
        QVERIFY(std::fabs(b.focalMm - 18) < 1e-9);
        QVERIFY(b.principalOffset.x() > 0 && b.principalOffset.y() < 0);
        QTest::keyClick(&ui.window, Qt::Key_U);
        QVERIFY(ui.plate->undistortedShown());
        ui.window.saveLens(folder_.filePath("again.json"));
        ui.document.undoStack().undo();
        ui.window.lensEdits().takeFile(folder_.filePath("again.json"));
        QVERIFY(std::fabs(ui.document.shot().priors.lens.value("lambda") + 0.1) < 1e-12);
        ui.window.lensEdits().takeFile(folder_.filePath("missing.json"));
        QVERIFY2(ui.sentence().contains("missing.json"), qPrintable(ui.sentence()));
    }

    void lensStatesReachTheSolve() {
        Ui ui(solvedProject());
        ui.window.action("stepLens")->trigger();
        auto* known = ui.window.findChild<QComboBox*>("focalKnown");
        known->setFocus();
        QTest::keyClick(known, Qt::Key_Down);
        QTest::keyClick(known, Qt::Key_Down);
        QTest::keyClick(known, Qt::Key_Return);
        QCOMPARE(int(ui.document.shot().priors.focal), int(Known::known));
        ui.type("focalMm", "16*2");
        QCOMPARE(ui.document.shot().priors.focalMm, 32.0);
        QCOMPARE(int(ui.window.findChild<Route*>()->entry(Step::solve)->verdict().lamp), int(Lamp::stale));
        ui.plate->setFocus();
        QTest::keyClick(&ui.window, Qt::Key_R, Qt::ControlModifier);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running(), 60000);
        QVERIFY(std::fabs(ui.document.shot().solve->lens.focalPx - 32.0 / 36 * 640) < 1e-9);
    }

    void filmBacksCamerasAndEquivalentsAreOneSet() {
        Ui ui(data_ + "jib");
        show(ui, LensSection::back);
        auto* backs = ui.child<QComboBox>("filmBack");
        const int full = backs->findText("35 mm, full aperture");
        QVERIFY(full > 0);
        backs->setCurrentIndex(full);
        Q_EMIT backs->activated(full);
        // SMPTE ST 59, camera aperture A: 24.89 mm (from memory).
        QVERIFY(std::fabs(ui.document.shot().priors.sensorWidthMm - 24.89) < 1e-9);
        QVERIFY(!ui.document.shot().priors.sensorAssumed);
        backs->setCurrentIndex(backs->findText("Full frame"));
        Q_EMIT backs->activated(backs->currentIndex());
        ui.child<QComboBox>("focalKnown")->setCurrentIndex(2);
        Q_EMIT ui.child<QComboBox>("focalKnown")->activated(2);
        // 16:9 from 36 mm: the diagonal is shorter than that of 36 × 24, so the equivalent is longer than the lens.
        ui.type("focal35", "50");
        const double diagonal = std::hypot(36.0, 36.0 * 9 / 16);
        QVERIFY(std::fabs(ui.document.shot().priors.focalMm - 50 * diagonal / std::hypot(36.0, 24.0)) < 1e-6);
        // A name that the camera data base does not know is said, and changes nothing.
        const CameraPriors before = ui.document.shot().priors;
        auto* camera = ui.child<QLineEdit>("cameraName");
        camera->setFocus();
        QTest::keyClicks(camera, "Tidal Optics Anchor");
        QTest::keyClick(camera, Qt::Key_Escape);
        camera->setText("Tidal Optics Anchor");
        QTest::keyClick(camera, Qt::Key_Return);
        QVERIFY(ui.document.shot().priors == before);
        QVERIFY2(ui.sentence().contains("data base"), qPrintable(ui.sentence()));
        ui.type("squeeze", "2");
        QCOMPARE(ui.document.shot().pixelAspect(), 2.0);
        // Stills without metadata: the button says so.
        ui.window.action("takeMetadata")->trigger();
        QVERIFY2(ui.sentence().contains("nothing of the camera"), qPrintable(ui.sentence()));
    }

    void aCutOutIsSaidOnceAndTrackedThrough() {
        Ui ui(data_ + "jib");
        show(ui, LensSection::back);
        ui.type("cutWidth", "1280");
        // The height tracks, cut from the middle: half of the sensor, axis in the middle.
        QVERIFY(std::fabs(ui.document.shot().priors.sensorWidthMm - 18) < 1e-9);
        QCOMPARE(ui.document.shot().priors.cut.fullHeight, 720.0);
        ui.type("cutLeft", "0");
        QCOMPARE(ui.document.shot().priors.principalOffset.x(), 320.0);
        ui.type("cutLeft", "900");
        QVERIFY2(ui.sentence().contains("does not lie inside"), qPrintable(ui.sentence()));
        QCOMPARE(ui.document.shot().priors.principalOffset.x(), 320.0);
        ui.document.undoStack().undo();
        ui.document.undoStack().undo();
        QVERIFY(std::fabs(ui.document.shot().priors.sensorWidthMm - 36) < 1e-9);
    }

    void anotherModelTakesTheDistortionOver() {
        Ui ui(data_ + "jib");
        show(ui, LensSection::distortion);
        auto* state = ui.child<QComboBox>("distortionKnown");
        state->setCurrentIndex(1);
        Q_EMIT state->activated(1);
        ui.type("brown-conrady-k1", "-0.12345678901234");
        QCOMPARE(ui.document.shot().priors.lens.value("k1"), -0.12345678901234);
        auto* model = ui.child<QComboBox>("lensModel");
        model->setCurrentIndex(1);
        Q_EMIT model->activated(1);
        QCOMPARE(ui.document.shot().priors.lens.kind(), LensKind::division);
        QVERIFY(ui.document.shot().priors.lens.value("lambda") < -0.05);
        QVERIFY2(ui.sentence().contains("differ by at most"), qPrintable(ui.sentence()));
        QVERIFY(ui.child<NumberField>("division-lambda")->isVisible());
        QVERIFY(!ui.child<NumberField>("brown-conrady-k1")->isVisible());
    }

    void chartStillsGiveAKnownLens() {
        Ui ui(data_ + "lens-chart/lens-chart.01.jpg");
        show(ui, LensSection::chart);
        QVERIFY(!ui.window.action("calibrateChart")->isEnabled());
        QStringList stills;
        for (const QFileInfo& f : QDir(data_ + "lens-chart").entryInfoList({"*.jpg"})) stills << f.filePath();
        QCOMPARE(stills.size(), 14);
        ui.window.lensEdits().setChartStills(stills);
        auto* table = ui.child<QTableWidget>("chartStills");
        QCOMPARE(table->rowCount(), 14);
        ui.window.action("calibrateChart")->trigger();
        ui.finish();
        QVERIFY(ui.document.shot().chart->trouble.empty());
        QCOMPARE(table->item(0, 1)->text(), QString("54/54"));
        auto* plot = ui.window.findChild<ResidualPlot*>();
        QVERIFY(plot->isVisible());
        QVERIFY(plot->enlarged() > 10);
        QVERIFY(ui.child<QLabel>("chartNumbers")->text().contains("focal"));
        ui.window.action("takeChart")->trigger();
        QCOMPARE(ui.document.shot().priors.distortion, Known::known);
        QVERIFY(ui.document.shot().priors.lens.value("k1") < -0.2);
        // One undo takes the lens back, another the chart.
        ui.document.undoStack().undo();
        QCOMPARE(ui.document.shot().priors.distortion, Known::unknown);
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().chart->stills.empty());
    }

    void edgesAreProposedAcceptedDrawnAndSolved() {
        Ui ui(data_ + "wide-yard/wide-yard.mp4");
        QTest::keyClick(&ui.window, Qt::Key_E);
        QCOMPARE(ui.plate->tool(), PlateTool::edge);
        QTest::keyClick(&ui.window, Qt::Key_E, Qt::ShiftModifier);
        ui.finish();
        const auto edges = ui.document.shot().edges;
        QVERIFY2(edges.size() > 10, qPrintable(QString::number(edges.size())));
        auto* table = ui.child<QTableWidget>("edgeTable");
        QCOMPARE(table->rowCount(), int(edges.size()));
        // A click on a proposed edge accepts it.
        const auto& middle = edges.front().points[edges.front().points.size() / 2];
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(middle.x(), middle.y()));
        QVERIFY(ui.document.shot().edges.front().accepted);
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(middle.x(), middle.y()));
        QVERIFY(!ui.document.shot().edges.front().accepted);
        // A stroke along the same edge makes one of the artist's own, on the same line.
        const Eigen::Vector2d a = edges.front().points.front(), b = edges.front().points.back();
        ui.drag(ui.at(a.x(), a.y()), ui.at(b.x(), b.y()));
        ui.finish();
        QCOMPARE(ui.document.shot().edges.size(), edges.size() + 1);
        QVERIFY(ui.document.shot().edges.back().drawn && ui.document.shot().edges.back().accepted);
        ui.document.undoStack().undo();
        // With none accepted all are used; the distortion becomes a start value.
        ui.window.action("solveEdges")->trigger();
        ui.finish();
        QCOMPARE(ui.document.shot().priors.distortion, Known::start);
        QVERIFY(ui.document.shot().priors.lens.value("k1") < -0.1);
        QVERIFY2(ui.sentence().contains("proposed edges"), qPrintable(ui.sentence()));
        QTest::keyClick(&ui.window, Qt::Key_U);
        QVERIFY2(ui.plate->undistortedShown(), qPrintable(ui.sentence()));
        ui.plate->repaint();
        ui.window.action("acceptEdges")->trigger();
        for (const StraightEdge& e : ui.document.shot().edges) QVERIFY(e.accepted);
        // A stroke where there is nothing says so and loses nothing.
        const size_t count = ui.document.shot().edges.size();
        QTest::keyClick(&ui.window, Qt::Key_U);
        ui.drag(ui.at(600, 40), ui.at(700, 60));
        ui.finish();
        QCOMPARE(ui.document.shot().edges.size(), count);
    }

    void undistortedPlatesMapsAndMoviesAreWritten() {
        Ui ui(solvedProject());
        show(ui, LensSection::write);
        const QString folder = folder_.filePath("undistorted");
        auto* field = ui.child<QLineEdit>("lensFolder");
        field->setText(folder);
        field->setModified(true);
        ui.child<QComboBox>("lensFormat")->setCurrentText("png");
        const QString size = ui.child<QLabel>("undistortedSize")->text();
        QVERIFY(size.contains("×"));
        ui.document.setRange({1001, 1003});
        ui.window.action("writeUndistorted")->trigger();
        ui.finish();
        const QStringList pngs = QDir(folder).entryList({"*.png"});
        QCOMPARE(pngs.size(), 3);
        const PictureFile first = readPicture((folder + "/" + pngs.front()).toStdString());
        QCOMPARE(QString("%1 × %2").arg(first.picture.width).arg(first.picture.height), size);
        ui.window.action("writeStmaps")->trigger();
        ui.finish();
        QCOMPARE(QDir(folder).entryList({"*stmap*.exr"}).size(), 2);
        ui.child<QComboBox>("lensFormat")->setCurrentText("mov");
        ui.window.action("writeUndistorted")->trigger();
        ui.finish();
        QCOMPARE(QDir(folder).entryList({"*.mov"}).size(), 1);
        // The camera for it: the same size stands on the page and in the file.
        ui.window.action("stepExport")->trigger();
        ui.child<QCheckBox>("exportUndistorted")->setChecked(true);
        ui.child<QLineEdit>("exportFolder")->setText(folder_.filePath("camera"));
        QTest::mouseClick(ui.child<QPushButton>("exportButton"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.exchangeEdits().running() && ui.document.shot().exportedFrom != 0, 30000);
        const std::string camera = readFile(folder_.filePath("camera/camera.json").toStdString());
        QVERIFY(camera.find(QString("\"width\": %1").arg(first.picture.width).toStdString()) != std::string::npos);
    }

    void aCameraAndALensAreLookedUpInTheDataBase() {
        Ui ui(data_ + "jib");
        show(ui, LensSection::back);
        // Any of the base that says its crop factor: none is chosen by us.
        const CameraEntry camera = ui.window.lensEdits().base().all().front();
        const QString name = QString::fromStdString(camera.maker + " " + camera.model);
        ui.window.lensEdits().takeCamera(QString::fromStdString(camera.model));
        QVERIFY2(!ui.document.shot().priors.sensorAssumed, qPrintable(name + ": " + ui.sentence()));
        const double high = ui.document.shot().priors.sensorWidthMm * 9 / 16;
        // The first match may be a sister model: what counts is that the width fits the crop factor that is said.
        const double crop = std::hypot(36.0, 24.0) / std::hypot(ui.document.shot().priors.sensorWidthMm, high);
        QVERIFY2(ui.sentence().contains(QString::number(crop, 'g', 4)), qPrintable(ui.sentence()));
        show(ui, LensSection::distortion);
        ui.window.lensEdits().takeProfile("no such lens");
        QVERIFY2(ui.sentence().contains("does not know"), qPrintable(ui.sentence()));
        QCOMPARE(ui.document.shot().priors.distortion, Known::unknown);
        Shot with = ui.document.shot();
        with.priors.focal = Known::known;
        // The first lens of the base that distorts at one of some focal lengths.
        const CameraBase& base = ui.window.lensEdits().base();
        std::optional<LensProfile> found;
        for (const std::string& lens : base.lenses({}, {}))
            for (const double mm : {24.0, 35.0, 50.0})
                if (!found && (found = base.profile(lens, mm))) with.priors.focalMm = mm;
        QVERIFY(found.has_value());
        ui.document.edit("focal", with);
        ui.window.lensEdits().takeProfile(QString::fromStdString(found->lens));
        QCOMPARE(ui.document.shot().priors.distortion, Known::known);
        QVERIFY(!ui.document.shot().priors.lens.isZero());
        QVERIFY2(ui.sentence().contains(QString::fromStdString(found->lens)), qPrintable(ui.sentence()));
    }

    void edgesAndChartComeBackWithTheProject() {
        const QString file = folder_.filePath("edges.vanchor");
        {
            Ui ui(data_ + "wide-yard/wide-yard.mp4");
            ui.window.action("findEdges")->trigger();
            ui.finish();
            ui.window.action("acceptEdges")->trigger();
            ui.window.lensEdits().setChartStills({data_ + "lens-chart/lens-chart.01.jpg",
                                                  data_ + "lens-chart/lens-chart.02.jpg",
                                                  data_ + "lens-chart/lens-chart.05.jpg"});
            ui.window.action("calibrateChart")->trigger();
            ui.finish();
            // Three stills: a result, and a warning with it.
            show(ui, LensSection::chart);
            QVERIFY2(ui.child<QLabel>("chartNote")->text().contains("Only 3 stills"),
                     qPrintable(ui.child<QLabel>("chartNote")->text()));
            QVERIFY(ui.window.saveTo(file));
        }
        Ui ui(file);
        QVERIFY(ui.document.shot().edges.size() > 10);
        QVERIFY(ui.document.shot().edges.front().accepted);
        QCOMPARE(ui.document.shot().chart->stills.size(), size_t(3));
        show(ui, LensSection::edges);
        QCOMPARE(ui.child<QTableWidget>("edgeTable")->rowCount(), int(ui.document.shot().edges.size()));
        // Delete takes the edge under the pointer away, and only with the tool in hand.
        QTest::keyClick(&ui.window, Qt::Key_E);
        const StraightEdge edge = ui.document.shot().edges.front();
        const auto& middle = edge.points[edge.points.size() / 2];
        QMouseEvent move(QEvent::MouseMove, ui.at(middle.x(), middle.y()),
                         ui.plate->mapToGlobal(ui.at(middle.x(), middle.y())), Qt::NoButton, Qt::NoButton, {});
        QApplication::sendEvent(ui.plate, &move);
        ui.plate->setFocus();
        QTest::keyClick(ui.plate, Qt::Key_Delete);
        QVERIFY(!ui.document.shot().straightEdge(
                    EdgeOverlay::edgeAt(*ui.plate, ui.document, ui.at(middle.x(), middle.y()))) ||
                ui.document.shot().edges.front().id != edge.id);
    }

    void insertsAreDistortedWithTheirAlphaAndWrongOnesRefused() {
        Ui ui(solvedProject());
        show(ui, LensSection::write);
        const UndistortedFrame frame = undistortedFrame(*ui.document.shot().lens(), 640, 360, Overscan::whole);
        Picture insert(frame.width, frame.height);
        for (int y = 0; y < frame.height; ++y)
            for (int x = 0; x < frame.width; ++x) {
                const float alpha = std::hypot(x - frame.width / 2.0, y - frame.height / 2.0) < 100 ? 1.0f : 0.0f;
                insert.at(x, y)[0] = 0.5f * alpha;
                insert.at(x, y)[3] = alpha;
            }
        PictureFormat format;
        format.bits = 16;
        format.alpha = true;
        const QString one = folder_.filePath("insert.1001.exr"), small = folder_.filePath("small.1001.exr");
        writePicture(one.toStdString(), insert, format);
        writePicture(small.toStdString(), Picture(64, 36), format);
        const LensEdits::Writing to{folder_.filePath("distorted"), "exr", Filter::bicubic, Overscan::whole, false};
        ui.window.lensEdits().writeRedistorted(one, to);
        ui.finish();
        const QStringList files = QDir(folder_.filePath("distorted")).entryList({"*.exr"});
        QCOMPARE(files.size(), 1);
        const PictureFile distorted = readPicture((folder_.filePath("distorted") + "/" + files.front()).toStdString());
        QCOMPARE(distorted.picture.width, 640);
        QVERIFY(std::fabs(double(distorted.picture.at(320, 180)[3]) - 1) < 1e-3);
        QVERIFY(distorted.picture.at(2, 2)[3] == 0);
        ui.window.lensEdits().writeRedistorted(small, to);
        ui.finish();
        QVERIFY2(ui.sentence().contains("64 × 36"), qPrintable(ui.sentence()));
        // Nothing is written where no folder can be.
        LensEdits::Writing nowhere = to;
        nowhere.folder = "/proc/no/such/place";
        ui.window.lensEdits().writeStmaps(nowhere);
        ui.finish();
        QVERIFY2(ui.sentence().contains("can't be made"), qPrintable(ui.sentence()));
    }

    void trackingOnTheUndistortedPictureNeedsALens() {
        Ui ui(data_ + "jib");
        ui.window.action("stepFeatures")->trigger();
        auto* box = ui.child<QCheckBox>("trackUndistorted");
        box->setChecked(true);
        QVERIFY(!ui.document.shot().trackUndistorted);
        QVERIFY(!box->isChecked());
        QVERIFY2(ui.sentence().contains("no lens"), qPrintable(ui.sentence()));
        Shot with = ui.document.shot();
        with.priors.distortion = Known::known;
        with.priors.lens = LensModel::brownConrady(-0.03);
        ui.document.edit("lens", with);
        box->setChecked(true);
        QVERIFY(ui.document.shot().trackUndistorted);
    }
};

}  // namespace va

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    va::LensTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "lens_test.moc"
