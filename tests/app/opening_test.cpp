// SPDX-License-Identifier: GPL-3.0-or-later
// Footage as it comes, in the real window: damage is marked, choices are offered, opening can be looked at and
// cancelled.
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFile>
#include <QHelpEvent>
#include <QMessageBox>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <QToolTip>

#include "base/error.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "ui.h"

namespace va {

class OpeningTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;

    QString made(const QString& name, const QString& arguments) const {
        const QString file = folder_.filePath(name);
        QProcess ffmpeg;
        ffmpeg.start("ffmpeg", QProcess::splitCommand("-v error -y " + arguments) << file);
        return ffmpeg.waitForFinished(60000) && ffmpeg.exitCode() == 0 ? file : QString();
    }
    static int pixelsOf(const QImage& image, const QColor& colour) {
        int n = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) n += image.pixelColor(x, y) == colour;
        return n;
    }
    /// Presses a button of the next message box.
    static void answer(QMessageBox::StandardButton button) {
        QTimer::singleShot(100, qApp, [=] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            if (!box) return answer(button);
            QTest::mouseClick(box->button(button), Qt::LeftButton);
        });
    }

  private Q_SLOTS:
    void aDamagedFrameIsShownAndMarked() {
        const QString movie = made("torn.avi", "-f lavfi -i mandelbrot=s=320x180:r=25 -frames:v 30 -c:v mjpeg -q:v 2");
        QVERIFY(!movie.isEmpty());
        QFile file(movie);
        QVERIFY(file.open(QIODevice::ReadWrite));
        file.seek(file.size() / 2);
        file.write(QByteArray(3500, '\xa5'));
        file.close();
        Ui ui(movie);
        // Whichever frame lies there: it is found by going through all of them.
        int marked = 0;
        for (int f = 1001; f <= 1030; ++f) {
            ui.document.setFrame(f);
            QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(f), 10000);
            marked += pixelsOf(ui.plate->grab().toImage(), Theme::current().look) > 20;
        }
        QVERIFY2(marked >= 1 && marked <= 2, qPrintable(QString::number(marked)));
    }

    void brokenStillsAreAskedAboutOnce() {
        QDir(folder_.path()).mkpath("yard");
        QVERIFY(!made("yard/a.%04d.png", "-f lavfi -i testsrc=s=160x90:r=25 -frames:v 6").isEmpty());
        QVERIFY(!made("yard/b.%04d.png", "-f lavfi -i testsrc2=s=160x90:r=25 -frames:v 4").isEmpty());
        QVERIFY(QFile::remove(folder_.filePath("yard/a.0003.png")) &&
                QFile(folder_.filePath("yard/a.0003.png")).open(QIODevice::WriteOnly));
        Ui ui;
        answer(QMessageBox::No);
        QVERIFY(ui.window.openPath(folder_.filePath("yard")));
        QVERIFY(!ui.document.shot().hasPlate());
        answer(QMessageBox::Yes);
        QVERIFY(ui.window.openPath(folder_.filePath("yard")));
        QCOMPARE(ui.document.shot().frames().size(), size_t(5));
        // The strip tells why the frame is left out.
        ui.document.setFrame(3);
        auto* lanes = ui.window.findChild<Lanes*>("lanes");
        QHelpEvent help(QEvent::ToolTip, QPoint(int(lanes->xOf(3)), 40),
                        lanes->mapToGlobal(QPoint(int(lanes->xOf(3)), 40)));
        QApplication::sendEvent(lanes, &help);
        QTRY_VERIFY(QToolTip::text().contains("empty"));
        // The other series is a choice, and choosing it can be undone.
        auto* series = ui.child<QComboBox>("plateSeries");
        QVERIFY(series->isVisible());
        QCOMPARE(series->count(), 2);
        series->setCurrentIndex(1);
        Q_EMIT series->activated(1);
        QCOMPARE(ui.document.shot().plate.frames.count(), 4);
        QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(ui.document.frame()), 10000);
        ui.document.undoStack().undo();
        QCOMPARE(ui.document.shot().plate.frames.count(), 6);
        QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(ui.document.frame()), 10000);
    }

    void oneOfSeveralStreamsIsChosen() {
        const QString movie =
            made("two.mkv",
                 "-f lavfi -i testsrc=s=320x180:r=25 -f lavfi -i testsrc2=s=160x90:r=25 -map 0 -map 1 -frames:v 12 "
                 "-c:v libx264 -pix_fmt yuv420p");
        QVERIFY(!movie.isEmpty());
        Ui ui(movie);
        QCOMPARE(ui.document.shot().plate.width, 320);
        auto* stream = ui.child<QComboBox>("plateStream");
        QVERIFY(stream->isVisible());
        stream->setCurrentIndex(1);
        Q_EMIT stream->activated(1);
        QCOMPARE(ui.document.shot().plate.width, 160);
        QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(ui.document.frame()), 10000);
    }

    void aVariableRateCanBePutOnAnEvenGrid() {
        // Frames at the squares of their number, in milliseconds.
        const QString even = made("even.mkv", "-f lavfi -i testsrc=s=160x90:r=25 -frames:v 30 -c:v mjpeg");
        QVERIFY(!even.isEmpty());
        const QString movie = made("uneven.mkv", "-i " + even + " -c copy -bsf:v setts=pts=N*30+N*N:dts=N*30+N*N");
        QVERIFY(!movie.isEmpty());
        Ui ui(movie);
        auto* check = ui.child<QCheckBox>("plateEvenTimes");
        QVERIFY(check->isVisible());
        QCOMPARE(ui.document.shot().plate.times.size(), size_t(30));
        QTest::mouseClick(check, Qt::LeftButton, {}, QPoint(8, check->height() / 2));
        const PlateInfo& plate = ui.document.shot().plate;
        QCOMPARE(int(plate.storedFrames.size()), plate.frames.count());
        QCOMPARE(plate.storedFrames.front(), 1001);
        QCOMPARE(plate.storedFrames.back(), 1030);
        for (size_t i = 1; i < plate.storedFrames.size(); ++i)
            QVERIFY(plate.storedFrames[i] >= plate.storedFrames[i - 1]);
    }

    void openingIsCancelledAndAnotherWaits() {
        Ui ui;
        Opening& opening = ui.document.opening();
        bool refused = false, asked = false;
        // As soon as it has begun.
        connect(&opening, &Opening::changed, &opening, [&] {
            if (!opening.running() || asked) return;
            asked = true;
            try {
                (void)opening.open("/nowhere", {});
            } catch (const InputError&) {
                refused = true;
            }
            opening.cancel();
        });
        QVERIFY(!ui.window.openPath(QStringLiteral(VA_SOURCE_DIR "/demo/data/trolley/trolley.mp4")));
        QVERIFY(refused);
        QVERIFY(!ui.document.shot().hasPlate());
        QVERIFY(ui.sentence().contains("cancelled"));
    }
};

}  // namespace va

QTEST_MAIN(va::OpeningTest)
#include "opening_test.moc"
