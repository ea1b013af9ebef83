// SPDX-License-Identifier: GPL-3.0-or-later
// The step Proof in the real window: the picture that stands while one scrubs, the dial, marks in the plate, masks in
// front, writing.
#include <QListWidget>
#include <QSlider>
#include <QTemporaryDir>

#include "inspector/sky_thumb.h"
#include "inspector/sun_dial.h"
#include "proof/sky_picture.h"
#include "ui.h"
#include "workflow/layout_work.h"
#include "workflow/place_things.h"

namespace va {

class ProofTest : public QObject {
    Q_OBJECT
  private:
    QTemporaryDir folder_;
    QString jib_;

    static void rendered(Ui& ui) { QTRY_VERIFY_WITH_TIMEOUT(ui.window.proofLive().finished(), 60000); }
    /// Mean difference between two pictures of the frame, 0..255, inside of a rectangle in shares of the picture.
    static double differs(const DisplayPicture& a, const DisplayPicture& b, double x0, double y0, double x1,
                          double y1) {
        double sum = 0;
        int count = 0;
        for (int y = int(y0 * a.height); y < int(y1 * a.height); ++y)
            for (int x = int(x0 * a.width); x < int(x1 * a.width); ++x)
                for (int c = 0; c < 24; c += 8, ++count)
                    sum += std::abs(int(a.at(x, y) >> c & 255U) - int(b.at(x, y) >> c & 255U));
        return count > 0 ? sum / count : 0;
    }
    static std::shared_ptr<const DisplayPicture> proof(Ui& ui) {
        return ui.window.proofLive().of(ui.document.frame()).picture;
    }

  private Q_SLOTS:
    void initTestCase() {
        QVERIFY(folder_.isValid());
        prepare("proof-test");
        const QString solved = solvedJib(folder_);
        Ui ui(solved);
        Shot next = ui.document.shot();
        ui.document.setFrame(1020);
        const auto place = placeAt(next, 1020, {320, 270});
        QVERIFY(place);
        int id = 0;
        next = withThing(next, newThing(next, Box(), *place, 1020), &id);
        next.proof.samples = 4;
        ui.document.edit("box", next);
        jib_ = folder_.filePath("proof.vanchor");
        QVERIFY(ui.window.saveTo(jib_));
    }

    void aCoarsePictureStandsAtOnceAndIsRefined() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        ProofLive& live = ui.window.proofLive();
        QTRY_VERIFY_WITH_TIMEOUT(live.of(1020).picture, 20000);
        QTRY_VERIFY(live.firstPictureMs() >= 0);
        qInfo("first picture after %d ms, opening the plate", live.firstPictureMs());
        rendered(ui);
        QCOMPARE(live.of(1020).samples, 4);
        QVERIFY2(ui.child<QLabel>("proofWords")->text().contains("4 samples"), qPrintable(live.words()));
        const auto plate = ui.plate->cache()->picture(1020);
        QVERIFY(plate && proof(ui)->width == plate->width);
        QVERIFY2(differs(*proof(ui), *plate, 0.35, 0.4, 0.65, 0.9) > 5, "the box stands there");
        QVERIFY2(differs(*proof(ui), *plate, 0, 0, 0.1, 0.2) < 0.01, "and nothing elsewhere");
        // Another frame, with everything opened: coarse first, then whole. The window stays alive meanwhile.
        ui.document.setFrame(1021);
        QTRY_VERIFY_WITH_TIMEOUT(live.of(1021).picture, 20000);
        qInfo("first picture of the next frame after %d ms", live.firstPictureMs());
        rendered(ui);
        // Away from the step nothing is rendered.
        ui.window.action("stepLayout")->trigger();
        ui.document.setFrame(1022);
        QTest::qWait(100);
        QVERIFY(!live.of(1022).picture);
    }

    void theDialTurnsTheShadow() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        rendered(ui);
        const auto before = proof(ui);
        auto* dial = ui.shown<SunDial>("sunDial");
        QVERIFY(dial && dial->isVisible());
        const Eigen::Vector3d was = ui.document.shot().proof.sun.toSun;
        QTest::mouseClick(dial, Qt::LeftButton, {}, QPoint(dial->width() / 4, dial->height() / 2));
        const Eigen::Vector3d now = ui.document.shot().proof.sun.toSun;
        QVERIFY((now - was).norm() > 0.1);
        QVERIFY((dial->directionAt(dial->placeOf(now)) - now).norm() < 1e-6);
        rendered(ui);
        QVERIFY(differs(*before, *proof(ui), 0.2, 0.4, 0.9, 1) > 0.5);
        ui.window.action("undo")->trigger();
        QVERIFY((ui.document.shot().proof.sun.toSun - was).norm() < 1e-12);
    }

    /// Foot, top and tip of a post of known place: the sun is where the marks have it.
    void aPostAndItsShadowTurnTheSun() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        const auto camera = *ui.document.shot().cameraAt(1020);
        const auto foot = camera.ray({320, 280});
        QVERIFY(foot && foot->direction.y() < 0);
        const Eigen::Vector3d at = foot->at(-foot->origin.y() / foot->direction.y());
        const double high = 0.25 * (at - foot->origin).norm();
        const Eigen::Vector3d sun = Eigen::Vector3d(0.5, 0.8, 0.2).normalized();
        const Eigen::Vector3d top = at + high * Eigen::Vector3d::UnitY(), tip = top - top.y() / sun.y() * sun;
        ui.window.action("postTool")->trigger();
        for (const Eigen::Vector3d& p : {at, top, tip}) {
            const auto px = camera.project(p);
            QVERIFY(px && px->x() > 0 && px->y() > 0 && px->x() < 640 && px->y() < 360);
            QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(px->x(), px->y()));
        }
        const ProofSun& found = ui.document.shot().proof.sun;
        QCOMPARE(ui.document.shot().proof.posts.size(), size_t(1));
        QVERIFY2(found.sigmaDegrees > 0, "it says how sure it is");
        const double off = std::acos(std::min(1.0, found.toSun.dot(sun))) * 180 / M_PI;
        QVERIFY2(off < 4 * found.sigmaDegrees + 1, qPrintable(QString::number(off)));
        QVERIFY(ui.child<QLabel>("proofSunNote")->text().contains("±"));
        ui.window.action("removePosts")->trigger();
        QVERIFY(ui.document.shot().proof.posts.empty());
    }

    /// While the mouse holds the sun, the plate shows a post and its shadow.
    void theHeldSunShowsAPost() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        rendered(ui);
        auto* dial = ui.shown<SunDial>("sunDial");
        const auto off = [&](const QImage& a, const QImage& b) {
            int count = 0;
            for (int y = 0; y < a.height(); ++y)
                for (int x = 0; x < a.width(); ++x) count += a.pixel(x, y) != b.pixel(x, y);
            return count;
        };
        const QPoint at = dial->placeOf(ui.document.shot().proof.sun.toSun).toPoint();
        QTest::mousePress(dial, Qt::LeftButton, {}, at);
        rendered(ui);
        const QImage held = ui.plate->grab().toImage();
        QTest::mouseRelease(dial, Qt::LeftButton, {}, at);
        rendered(ui);
        const QImage free = ui.plate->grab().toImage();
        QVERIFY2(off(held, free) > 100, qPrintable(QString::number(off(held, free))));
    }

    /// A spot of the sky picture is turned to where the plate is clicked; grey gives the sky's colour.
    void theSkyIsTurnedAndColouredFromThePlate() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        ui.window.action("skySpotTool")->trigger();
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(100, 60));
        QCOMPARE(ui.document.shot().proof.sky.turn, 0.0);  // no picture yet: a sentence, and nothing else
        ui.window.proofEdits().change(
            "sky", [](ProofSpec& p) { p.sky.picture = std::string(VA_SOURCE_DIR) + "/demo/props/yard-sky.exr"; });
        auto* thumb = ui.shown<SkyThumb>("skyThumb");
        QVERIFY(thumb && thumb->isVisible());
        QTest::mouseClick(thumb, Qt::LeftButton, {}, QPoint(thumb->width() / 4, thumb->height() / 3));
        QVERIFY(ui.window.proofEdits().skySpot());
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(100, 60));
        const double turn = ui.document.shot().proof.sky.turn;
        QVERIFY(turn != 0.0);
        const auto ray = ui.document.shot().cameraAt(1020)->ray({100, 60});
        const Eigen::Matrix3f own =
            Eigen::AngleAxisf(float(turn * M_PI / 180), Eigen::Vector3f::UnitY()).toRotationMatrix();
        QVERIFY(std::fabs(skyPlace(own * ray->direction.cast<float>()).x() - 0.25F) < 0.02F);
        ui.window.action("greyTool")->trigger();
        QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(320, 300));
        const Eigen::Vector3d& colour = ui.document.shot().proof.sky.colour;
        QVERIFY(colour != Eigen::Vector3d(1, 1, 1));
        QVERIFY(std::fabs(colour.dot(Eigen::Vector3d(0.2126, 0.7152, 0.0722)) - 1) < 1e-6);
    }

    void aMaskOfThisStepLiesBeforeTheThings() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        rendered(ui);
        const auto plate = ui.plate->cache()->picture(1020);
        QVERIFY(differs(*proof(ui), *plate, 0.35, 0.4, 0.65, 0.9) > 5);
        ui.window.action("maskTool")->trigger();
        for (const QPointF& p : {QPointF(100, 60), QPointF(560, 60), QPointF(560, 355), QPointF(100, 355)})
            QTest::mouseClick(ui.plate, Qt::LeftButton, {}, ui.at(p.x(), p.y()));
        QTest::keyClick(ui.plate, Qt::Key_Return);
        QCOMPARE(ui.document.shot().proof.front.masks.size(), size_t(1));
        QVERIFY2(ui.document.shot().exclusions.masks.empty(), "features are not kept out by it");
        QCOMPARE(ui.shown<QListWidget>("proofMasks")->count(), 1);
        rendered(ui);
        QVERIFY(differs(*proof(ui), *plate, 0.35, 0.4, 0.65, 0.9) < 0.01);
        // In Features the list is that of features again.
        ui.window.action("selectTool")->trigger();
        ui.window.action("stepFeatures")->trigger();
        QCOMPARE(ui.child<QComboBox>("maskList")->count(), 1);
    }

    void wipedFlippedAndKeptForPlayback() {
        Ui ui(jib_);
        ui.document.setFrame(1020);
        ui.window.action("stepProof")->trigger();
        rendered(ui);
        ProofLive& live = ui.window.proofLive();
        const QRect middle = QRect(ui.plate->pictureRect().center().toPoint() - QPoint(30, -20), QSize(60, 40));
        const auto shot = [&] { return ui.plate->grab(middle).toImage(); };
        const QImage with = shot();
        ui.window.action("flipProof")->trigger();
        QTRY_VERIFY(shot() != with);
        const QImage plate = shot();
        ui.window.action("flipProof")->trigger();
        QTRY_COMPARE(shot(), with);
        ui.child<QComboBox>("proofLook")->setCurrentIndex(2);
        QVERIFY(ui.child<QSlider>("proofWipe")->isVisible());
        ui.child<QSlider>("proofWipe")->setValue(0);
        QTRY_COMPARE(shot(), plate);
        ui.child<QSlider>("proofWipe")->setValue(1000);
        QTRY_COMPARE(shot(), with);
        ui.child<QComboBox>("proofLook")->setCurrentIndex(0);
        ui.document.setRange({1018, 1022});
        QTest::mouseClick(ui.child<QPushButton>("proofKeep"), Qt::LeftButton);
        QTRY_COMPARE_WITH_TIMEOUT(live.framesKept(), 5, 60000);
        for (int f = 1018; f <= 1022; ++f) QVERIFY(live.of(f).picture && live.of(f).samples == 4);
    }

    void writtenWithPasses() {
        Ui ui(jib_);
        ui.document.setRange({1018, 1019});
        ui.window.action("stepProof")->trigger();
        ui.shown<QComboBox>("proofKind")->setCurrentIndex(5);
        ui.child<QLineEdit>("proofTo")->setText(folder_.filePath("stills"));
        QTest::mouseClick(ui.shown<QPushButton>("proofWrite"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(
            !ui.window.proofEdits().running() && ui.child<QLabel>("proofReport")->text().contains("2 frames rendered"),
            60000);
        QCOMPARE(QDir(folder_.filePath("stills")).entryList({"*.exr"}).size(), 2);
        // A number outside of what it may be is refused with a sentence.
        QString said;
        connect(&ui.document, &Document::troubled, this, [&](const QString& s) { said = s; });
        ui.type("proof-sun-strength", "-2");
        QVERIFY2(said.contains("between"), qPrintable(said));
        QCOMPARE(ui.document.shot().proof.sun.strength, ProofSun().strength);
    }
};

}  // namespace va

QTEST_MAIN(va::ProofTest)
#include "proof_test.moc"
