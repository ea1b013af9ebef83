// SPDX-License-Identifier: GPL-3.0-or-later
// What leaves the shot and what comes into it, by mouse and keys.
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QPlainTextEdit>
#include <QSignalSpy>
#include <QTableWidget>

#include "main_window/scene_dialogs.h"
#include "style/theme.h"
#include "ui.h"

namespace va {

class ExchangeTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString slipway_;
    const QString foreign_ = QStringLiteral(VA_SOURCE_DIR "/demo/exchange/slipway_from_elsewhere.usda");

    static TakeSceneDialog* asked(Ui& ui) {
        TakeSceneDialog* out = nullptr;
        (void)QTest::qWaitFor([&] { return (out = ui.window.findChild<TakeSceneDialog*>()) && out->isVisible(); },
                              5000);
        return out;
    }

  private Q_SLOTS:
    void initTestCase() {
        prepare("exchange-test");
        slipway_ = folder_.filePath("slipway.vanchor");
        Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/slipway/slipway.mp4"));
        ui.document.matchShot();
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running() && ui.document.shot().solve->has(), 120000);
        QVERIFY(ui.window.saveTo(slipway_));
    }

    /// Tick formats and choices, write, see every file's row; the block tells what the next program has to show.
    void exportedWithChoicesAndVerified() {
        Ui ui(slipway_);
        ui.window.action("stepExport")->trigger();
        for (const char* word : {"glb", "dae", "csv"}) {
            auto* box = ui.window.findChild<QCheckBox*>(QStringLiteral("format-%1").arg(QLatin1String(word)));
            QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
            QVERIFY(box->isChecked());
        }
        auto* lacks = ui.window.findChild<QLabel*>("exportLacks");
        QVERIFY2(lacks->text().contains("glb has no place for"), qPrintable(lacks->text()));
        auto* next = ui.window.findChild<QPlainTextEdit*>("exportNext");
        QVERIFY(next->toPlainText().contains("1280 × 720"));
        QVERIFY(next->toPlainText().contains("1001–1120"));
        ui.window.findChild<QComboBox*>("exportFirst")->setCurrentIndex(1);
        ui.window.findChild<QComboBox*>("exportUp")->setCurrentIndex(1);
        QVERIFY2(next->toPlainText().contains("1–120"), qPrintable(next->toPlainText()));
        QVERIFY(next->toPlainText().contains("Z up"));
        auto* to = ui.window.findChild<QLineEdit*>("exportFolder");
        to->setText(folder_.filePath("out"));
        QTest::mouseClick(ui.window.findChild<QPushButton*>("exportButton"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.exchangeEdits().running() && ui.document.shot().exportedFrom != 0, 60000);
        auto* files = ui.window.findChild<QTableWidget*>("exportFiles");
        QCOMPARE(files->rowCount(), 6);
        for (int i = 0; i < 6; ++i) QCOMPARE(files->item(i, 2)->text(), QStringLiteral("good"));
        for (const char* name :
             {"camera.usda", "camera.glb", "camera.dae", "camera.csv", "manifest.json", "README.txt"})
            QVERIFY2(QFile::exists(folder_.filePath(QStringLiteral("out/%1").arg(QLatin1String(name)))), name);
        QVERIFY(verifyManifest(folder_.filePath("out").toStdString()).passed());
        QTest::mouseClick(ui.window.findChild<QPushButton*>("copyNext"), Qt::LeftButton);
        QVERIFY(QGuiApplication::clipboard()->text().contains("Film back"));
    }

    /// A scene of another rate, axis, unit and film back: nothing is taken before all is answered.
    void aForeignSceneIsAskedAboutAndTaken() {
        Ui ui(slipway_);
        ui.window.takeScene(foreign_);
        TakeSceneDialog* ask = asked(ui);
        QVERIFY(ask);
        auto* take = ask->findChild<QPushButton*>("takeButton");
        QVERIFY(!take->isEnabled());
        for (auto* answer : ask->findChildren<QComboBox*>())
            if (answer->currentIndex() < 0) answer->setCurrentIndex(answer->accessibleName() == "Rate" ? 1 : 0);
        QVERIFY(take->isEnabled());
        QTest::mouseClick(take, Qt::LeftButton);
        QTRY_COMPARE_WITH_TIMEOUT(ui.document.shot().cameraFrom, std::string("slipway_from_elsewhere.usda"), 5000);
        const Shot& s = ui.document.shot();
        QCOMPARE(s.solve->solvedCount(), 119);
        QVERIFY(s.ground->metric);
        QVERIFY(std::any_of(s.things.begin(), s.things.end(), [](const Thing& t) { return t.name == "tall post"; }));
        // The post is 1.8 m high and stands on the world's ground.
        for (const Thing& t : s.things)
            if (t.name == "tall post") {
                const auto [low, high] = shapeOf(t.kind).bounds();
                QVERIFY(std::fabs(t.scale * (high - low).maxCoeff() - 1.8) < 1e-6);
            }
        // Locked: solving says so. Unlocking and undo bring it back.
        QSignalSpy troubles(&ui.document, &Document::troubled);
        ui.document.solve();
        QTRY_VERIFY_WITH_TIMEOUT(!troubles.isEmpty(), 20000);
        QVERIFY(troubles.first().first().toString().contains("locked"));
        ui.document.undoStack().undo();
        QVERIFY(ui.document.shot().cameraFrom.empty());
        QCOMPARE(ui.document.shot().solve->solvedCount(), 120);
    }

    /// Against the solve here: the truth of the clip, resampled, lies within about a px.
    void comparedWithTheOwnSolve() {
        Ui ui(slipway_);
        const auto offered = ui.window.exchangeEdits().offer(foreign_);
        QVERIFY(offered);
        ExchangeEdits::Offered o = *offered;
        for (Misfit& m : o.misfits)
            if (m.chosen < 0) m.chosen = m.about == Misfit::About::rate ? 1 : 0;
        const auto c = ui.window.exchangeEdits().compareWith(o);
        QVERIFY(c);
        QCOMPARE(int(c->frames.size()), 119);
        QVERIFY2(c->largestPx < 2.5, c->sentence.c_str());
        CompareDialog dialog(*c, o.file);
        dialog.show();
        QVERIFY(QTest::qWaitForWindowExposed(&dialog));
        QSignalSpy chosen(&dialog, &CompareDialog::frameChosen);
        auto* plot = dialog.findChild<ComparisonPlot*>();
        QTest::mouseClick(plot, Qt::LeftButton, {}, QPoint(plot->width() / 2, 40));
        QCOMPARE(chosen.size(), 1);
        // Frame for frame instead of by time it slides, and that shows.
        for (Misfit& m : o.misfits)
            if (m.about == Misfit::About::rate) m.chosen = 0;
        const auto wrong = ui.window.exchangeEdits().compareWith(o);
        QVERIFY(wrong && wrong->onlyA > c->onlyA);
    }

    /// The camera as a table on the clipboard, and back without loss.
    void copiedAndPastedAsText() {
        Ui ui(slipway_);
        ui.window.action("copyCameraRange")->trigger();
        const QString words = QGuiApplication::clipboard()->text();
        QVERIFY(words.contains("\nframe,x,y,z,"));
        QCOMPARE(words.count('\n') > 120, true);
        ui.window.action("copyCamera")->trigger();
        QCOMPARE(QGuiApplication::clipboard()->text().count("\n10"), 1);
        auto offered = ui.window.exchangeEdits().offerText(words);
        QVERIFY(offered);
        for (Misfit& m : offered->misfits) {
            QVERIFY2(!m.open || m.about == Misfit::About::unit, "all but the unit of a scene without a scale is said");
            m.chosen = std::max(0, m.chosen);
        }
        const auto c = ui.window.exchangeEdits().compareWith(*offered);
        QVERIFY(c);
        QVERIFY2(c->largestPx < 1e-6, c->sentence.c_str());
        ui.window.action("copyVerdict")->trigger();
        QVERIFY(QGuiApplication::clipboard()->text().contains("px"));
        QSignalSpy troubles(&ui.document, &Document::troubled);
        QVERIFY(!ui.window.exchangeEdits().offerText("no table"));
        QCOMPARE(troubles.size(), 1);
    }
};

}  // namespace va

QTEST_MAIN(va::ExchangeTest)
#include "exchange_test.moc"
