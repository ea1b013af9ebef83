// SPDX-License-Identifier: GPL-3.0-or-later
// The real window, driven by mouse and keys, read back from what is on screen.
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QMessageBox>
#include <QMimeData>
#include <QMouseEvent>
#include <QPlainTextEdit>
#include <QPointer>
#include <QProcess>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QStandardPaths>
#include <QTableView>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <QUrl>
#include <QWheelEvent>
#include <clocale>
#include <cmath>

#include "base/atomic_file.h"
#include "base/text.h"
#include "exchange/camera_json.h"
#include "inspector/number_field.h"
#include "main_window/main_window.h"
#include "plate_view/plate_canvas.h"
#include "route/route.h"
#include "scene_view/scene_canvas.h"
#include "shot/shot_file.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "ui.h"
#include "workflow/place_things.h"

namespace va {

class WindowTest : public QObject {
    Q_OBJECT

  private:
    const QString data_ = QStringLiteral(VA_SOURCE_DIR "/demo/data/");
    QTemporaryDir folder_;

    QString solvedProject() { return solvedJib(folder_); }

    /// Answers the next dialog: types text into its line edit if any, then presses the button or Enter.
    static void answer(const QString& text, int standardButton = -1) {
        QTimer::singleShot(300, qApp, [=] {
            QWidget* dialog = QApplication::activeModalWidget();
            if (!dialog) return answer(text, standardButton);
            if (auto* box = qobject_cast<QMessageBox*>(dialog)) {
                QTest::mouseClick(box->button(QMessageBox::StandardButton(standardButton)), Qt::LeftButton);
            } else if (auto* field = dialog->findChild<QLineEdit*>()) {
                field->setText({});
                QTest::keyClicks(field, text);
                const QPointer<QWidget> open = dialog;
                QTest::keyClick(field, Qt::Key_Return);
                // On a busy machine a dialog may not have been ready for it.
                QTimer::singleShot(700, qApp, [=] {
                    if (open && QApplication::activeModalWidget() == open) answer(text, standardButton);
                });
            }
        });
    }

    /// Pixel of a solved feature that is alone enough to be hit, in the current frame.
    static std::vector<std::pair<int, QPointF>> loneFeatures(const Ui& ui) {
        std::vector<std::pair<int, QPointF>> all, out;
        for (const Path& p : *ui.document.shot().paths)
            if (const PathPoint* q = p.at(ui.document.frame())) all.emplace_back(p.id, ui.plate->fromPixel(q->x, q->y));
        for (const auto& [id, at] : all) {
            bool lone = ui.document.shot().worldPointOfPath(id).has_value() &&
                        ui.plate->rect().adjusted(12, 12, -12, -12).contains(at.toPoint());
            for (const auto& [other, there] : all)
                if (other != id && QLineF(at, there).length() < 10) lone = false;
            if (lone) out.emplace_back(id, at);
        }
        return out;
    }

  private Q_SLOTS:
    void initTestCase() {
        prepare("window-test");
        QVERIFY(folder_.isValid());
        solvedProject();
    }

    void emptyWindowSaysWhatToDo() {
        Ui ui;
        QCOMPARE(ui.window.size(), QSize(1280, 800));
        QVERIFY(ui.sentence().contains("Open a movie"));
        QVERIFY(!ui.window.findChild<QPushButton*>("primary")->isEnabled());
        QVERIFY(!ui.window.action("track")->isEnabled());
        auto* route = ui.window.findChild<Route*>();
        for (int i = 0; i < stepCount; ++i) {
            QTest::mouseClick(route->entry(Step(i)), Qt::LeftButton);
            QCOMPARE(int(route->current()), i);
            QVERIFY(!route->entry(Step(i))->accessibleName().isEmpty());
        }
    }

    /// On a desktop whose numbers have commas, files still get points, and fields take both.
    void numbersHavePointsWhateverTheDesktop() {
        const QTemporaryDir made;
        QCOMPARE(QProcess::execute("localedef",
                                   {"-i", "de_DE", "-f", "UTF-8", "--no-archive", made.filePath("de_DE.UTF-8")}),
                 0);
        qputenv("LOCPATH", made.path().toLocal8Bit());
        QVERIFY(std::setlocale(LC_ALL, "de_DE.UTF-8"));
        QCOMPARE(formatted("%.1f", 1.5), std::string("1,5"));
        {
            Ui ui;
            QCOMPARE(formatted("%.1f", 1.5), std::string("1.5"));
            QCOMPARE(evaluateEntry("3.25", 0, false), std::optional(3.25));
            QCOMPARE(evaluateEntry("3,25", 0, false), std::optional(3.25));
        }
        std::setlocale(LC_ALL, "C.UTF-8");
        qunsetenv("LOCPATH");
    }

    /// No key belongs to two actions: Qt would give it to neither.
    void everyKeyHasOneAction() {
        Ui ui;
        QMap<QString, QString> owner;
        for (const QAction* a : ui.window.findChildren<QAction*>())
            for (const QKeySequence& key : a->shortcuts()) {
                const QString word = key.toString();
                if (word.isEmpty()) continue;
                QVERIFY2(!owner.contains(word), qPrintable(word + ": " + owner[word] + ", " + a->objectName()));
                owner[word] = a->objectName();
            }
        QVERIFY(owner.size() > 60);
    }

    /// Open, match, ground, scale, box, export, undo, save, reopen: all by mouse and keys.
    void wholeWayThrough() {
        Ui ui;
        QVERIFY(ui.window.openPath(data_ + "jib/jib.1001.jpg"));
        QCOMPARE(ui.document.shot().plate.frames, (FrameRange{1001, 1040}));
        QTRY_VERIFY(ui.plate->pictureReady(1001));
        // What is on screen is the picture: bright sky above, dark ground below.
        const QImage shown = ui.plate->grab().toImage();
        const QPoint sky = ui.at(320, 20), tar = ui.at(320, 340);
        QVERIFY(qGray(shown.pixel(sky)) > qGray(shown.pixel(tar)) + 40);

        // Stills do not say their rate: that is shown, and set by hand.
        QVERIFY(ui.sentence().contains("assumed"));
        auto* rate = ui.window.findChild<QLineEdit*>("rateField");
        rate->setFocus();
        rate->selectAll();
        QTest::keyClicks(rate, "25");
        QTest::keyClick(rate, Qt::Key_Return);
        QCOMPARE(ui.document.shot().rate(), (Rational{25, 1}));
        ui.plate->setFocus();
        QTest::mouseClick(ui.window.findChild<QPushButton*>("primary"), Qt::LeftButton);
        QVERIFY(ui.document.job().running());
        QTRY_VERIFY(ui.window.findChild<QLabel*>("jobText")->text().contains("frame"));
        // The window stays alive meanwhile: steps answer.
        QTest::keyClick(&ui.window, Qt::Key_Right);
        QCOMPARE(ui.document.frame(), 1002);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running(), 120000);
        QCOMPARE(ui.document.shot().solve->solvedCount(), 40);
        QVERIFY(ui.sentence().contains("40 of 40 frames solved"));
        QVERIFY(ui.window.findChild<Route*>()->entry(Step::solve)->verdict().sentence.find("check") !=
                std::string::npos);
        QVERIFY(ui.window.findChild<QTableView*>("featureTable")->model()->rowCount() > 100);
        QTest::keyClick(&ui.window, Qt::Key_Home);
        QTRY_VERIFY(ui.plate->pictureReady(1001));

        // Three floor points with clicks and shift make the ground.
        std::vector<std::pair<int, QPointF>> floor;
        for (const auto& [id, at] : loneFeatures(ui)) {
            const auto& used = ui.document.shot().ground->usedPaths;
            if (std::find(used.begin(), used.end(), id) != used.end()) floor.emplace_back(id, at);
        }
        QVERIFY(floor.size() >= 3);
        std::sort(floor.begin(), floor.end(), [](const auto& a, const auto& b) { return a.second.x() < b.second.x(); });
        const std::pair<int, QPointF> chosen[3] = {floor.front(), floor[floor.size() / 2], floor.back()};
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::NoModifier, chosen[0].second.toPoint());
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::ShiftModifier, chosen[1].second.toPoint());
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::ShiftModifier, chosen[2].second.toPoint());
        QCOMPARE(ui.document.selectedPaths(), (QSet<int>{chosen[0].first, chosen[1].first, chosen[2].first}));
        QCOMPARE(ui.window.findChild<QTableView*>("featureTable")->selectionModel()->selectedRows().size(), 3);
        QTest::keyClick(&ui.window, Qt::Key_L, Qt::ShiftModifier);
        QCOMPARE(ui.document.shot().groundSpec.level.size(), 1U);
        QCOMPARE(ui.document.shot().groundSpec.level[0].paths.size(), 3U);
        for (const auto& c : chosen) QVERIFY(std::fabs(ui.document.shot().worldPointOfPath(c.first)->y()) < 1e-9);

        // Two points and a length set the scale.
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::NoModifier, chosen[0].second.toPoint());
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::ShiftModifier, chosen[2].second.toPoint());
        QTest::keyClick(&ui.window, Qt::Key_S, Qt::ShiftModifier);
        auto* length = ui.window.findChild<NumberField*>("scaleLength");
        QVERIFY(length->isVisible());
        length->setFocus();
        length->selectAll();
        QTest::keyClicks(length, "5.4/2");
        QTest::keyClick(length, Qt::Key_Return);
        QVERIFY(ui.document.shot().ground->metric);
        const double apart = (*ui.document.shot().worldPointOfPath(chosen[0].first) -
                              *ui.document.shot().worldPointOfPath(chosen[2].first))
                                 .norm();
        QVERIFY(std::fabs(apart - 2.7) < 1e-9);

        // A box on the ground, placed by a click.
        ui.plate->setFocus();
        QTest::keyClick(&ui.window, Qt::Key_B);
        QCOMPARE(ui.plate->tool(), PlateTool::place);
        const QPoint spot = chosen[1].second.toPoint();  // one of the points that the floor goes through
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::NoModifier, spot);
        QCOMPARE(ui.document.shot().things.size(), 1U);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.settlePlace().busy(), 60000);
        const Eigen::Vector3d base =
            PlacedThings(ui.document.shot(), ui.document.frame()).of(ui.document.shot().things[0])->translation;
        QVERIFY2(std::fabs(base.y()) < 0.1, qPrintable(QString::number(base.y())));
        // It sticks: where the nearest floor feature goes, the box's base goes, over the whole range.
        const Path* guide = ui.document.shot().path(chosen[1].first);
        for (const PathPoint& p : guide->points) {
            const auto pixel = project(*ui.document.shot().worldPose(p.frame), ui.document.shot().solve->lens, base);
            QVERIFY(pixel);
            const QPointF apartNow = ui.plate->fromPixel(pixel->x(), pixel->y()) - ui.plate->fromPixel(p.x, p.y);
            QVERIFY2(std::hypot(apartNow.x(), apartNow.y()) < 3, qPrintable(QString::number(p.frame)));
        }
        // And it is on screen: teal where there was none.
        const QImage with = ui.plate->grab().toImage();
        // Beside the tile's pin, which stands on the pointer.
        const QColor inside = with.pixelColor(spot - QPoint(60, 90));
        QVERIFY(inside.green() > inside.red());

        // Export from the inspector.
        ui.window.action("stepExport")->trigger();
        auto* folder = ui.window.findChild<QLineEdit*>("exportFolder");
        QVERIFY(folder->isVisible());
        folder->setFocus();
        folder->selectAll();
        QTest::keyClicks(folder, folder_.filePath("out"));
        QTest::mouseClick(ui.window.findChild<QPushButton*>("exportButton"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.exchangeEdits().running() && ui.document.shot().exportedFrom != 0, 30000);
        QVERIFY(ui.document.shot().exportReport.find("3 files verified") == 0);
        const SceneExport written =
            readCameraJson(readFile(folder_.filePath("out/camera.json").toStdString()), "camera.json");
        QVERIFY(written.metric);
        QCOMPARE(written.things.size(), 1U);
        QCOMPARE(written.frames.size(), 40U);
        QVERIFY(QFile::exists(folder_.filePath("out/camera.usda")) && QFile::exists(folder_.filePath("out/cloud.ply")));

        // Undo takes it back step by step, redo brings it again.
        ui.plate->setFocus();
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(ui.document.shot().things.empty());
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(!ui.document.shot().ground->metric);
        while (ui.document.undoStack().canUndo()) ui.window.action("undo")->trigger();
        QVERIFY(!ui.document.shot().solve->has());
        while (ui.document.undoStack().canRedo()) ui.window.action("redo")->trigger();
        QCOMPARE(ui.document.shot().things.size(), 1U);

        // Save through the dialog, reopen in another window.
        const QString file = folder_.filePath("whole.vanchor");
        answer(file);
        QTest::keyClick(&ui.window, Qt::Key_S, Qt::ControlModifier);
        QTRY_VERIFY(QFile::exists(file));
        QVERIFY(!ui.document.modified());
        Ui again;
        QVERIFY(again.window.openPath(file));
        QCOMPARE(again.document.shot().things.size(), 1U);
        QCOMPARE(again.document.shot().solve->solvedCount(), 40);
        QVERIFY(again.document.shot().ground->metric);
        QTRY_VERIFY(again.plate->pictureReady(1001));
    }

    void cancelKeepsThePaths() {
        Ui ui;
        QVERIFY(ui.window.openPath(data_ + "slipway/slipway.mp4"));
        QTest::keyClick(&ui.window, Qt::Key_M, Qt::ControlModifier);
        QTRY_VERIFY_WITH_TIMEOUT(ui.document.job().state().done >= 10, 60000);
        QTest::keyClick(&ui.window, Qt::Key_Escape);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running(), 30000);
        QVERIFY(!ui.document.shot().paths->empty());
        QVERIFY(!ui.document.shot().solve->has());
        QVERIFY(ui.window.findChild<QPlainTextEdit*>("log")->toPlainText().contains("cancelled"));
    }

    void selectionIsOneInAllViews() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        auto* table = ui.window.findChild<QTableView*>("featureTable");
        // From the scene view: a click on a point.
        ui.window.action("both")->trigger();
        ui.scene->frameAll();
        QTest::qWait(50);
        int id = 0;
        QPointF at;
        for (const SolvedPoint& p : ui.document.shot().solve->points) {
            const auto here = ui.scene->positionOf(ui.document.shot().worldPoint(p));
            if (!here || !ui.scene->rect().adjusted(10, 10, -10, -10).contains(here->toPoint())) continue;
            bool lone = true;
            for (const SolvedPoint& q : ui.document.shot().solve->points) {
                const auto there = ui.scene->positionOf(ui.document.shot().worldPoint(q));
                if (q.pathId != p.pathId && there && QLineF(*here, *there).length() < 9) lone = false;
            }
            if (lone) id = p.pathId, at = *here;
        }
        QVERIFY(id != 0);
        QTest::mouseClick(ui.scene, Qt::LeftButton, Qt::NoModifier, at.toPoint());
        QCOMPARE(ui.document.selectedPaths(), QSet<int>{id});
        QCOMPARE(table->selectionModel()->selectedRows().size(), 1);
        // From the table, by key.
        table->setFocus();
        QTest::keyClick(table, Qt::Key_Home, Qt::ControlModifier);
        QTest::keyClick(table, Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(ui.document.selectedPaths().size(), 2);
        // A lasso over the whole picture takes the features of the frame.
        QTest::keyClick(&ui.window, Qt::Key_L);
        QCOMPARE(ui.plate->tool(), PlateTool::lasso);
        const QRect r = ui.plate->rect().adjusted(2, 2, -2, -2);
        QTest::mousePress(ui.plate, Qt::LeftButton, Qt::NoModifier, r.topLeft());
        for (const QPoint& p : {r.topRight(), r.bottomRight(), r.bottomLeft()}) QTest::mouseMove(ui.plate, p);
        QTest::mouseRelease(ui.plate, Qt::LeftButton, Qt::NoModifier, r.bottomLeft());
        int here = 0;
        for (const Path& p : *ui.document.shot().paths) here += p.at(ui.document.frame()) != nullptr;
        QCOMPARE(ui.document.selectedPaths().size(), here);
        // Set aside and back: the solve becomes stale, and not any more.
        QTest::keyClick(&ui.window, Qt::Key_S);
        QTest::keyClick(&ui.window, Qt::Key_Delete);
        QCOMPARE(int(ui.window.findChild<Route*>()->entry(Step::solve)->verdict().lamp), int(Lamp::stale));
        QTest::keyClick(&ui.window, Qt::Key_Delete, Qt::ShiftModifier);
        QCOMPARE(int(ui.window.findChild<Route*>()->entry(Step::solve)->verdict().lamp), int(Lamp::good));
    }

    void stripScrubsAndSetsTheRange() {
        Ui ui;
        QVERIFY(ui.window.openPath(data_ + "jib"));
        auto* lanes = ui.window.findChild<Lanes*>();
        QTest::mouseClick(lanes, Qt::LeftButton, Qt::NoModifier, QPoint(int(lanes->xOf(1020)), 40));
        QCOMPARE(ui.document.frame(), 1020);
        QTest::keyClick(&ui.window, Qt::Key_I);
        QTest::keyClick(&ui.window, Qt::Key_End);
        QCOMPARE(ui.document.frame(), 1040);
        QTest::keyClick(&ui.window, Qt::Key_Left);
        QTest::keyClick(&ui.window, Qt::Key_O);
        QCOMPARE(ui.document.shot().range, (FrameRange{1020, 1039}));
        // The handle moves the range's begin.
        QTest::mousePress(lanes, Qt::LeftButton, Qt::NoModifier, QPoint(int(lanes->xOf(1019.5)) + 2, 4));
        QTest::mouseMove(lanes, QPoint(int(lanes->xOf(1010)), 4));
        QTest::mouseRelease(lanes, Qt::LeftButton, Qt::NoModifier, QPoint(int(lanes->xOf(1010)), 4));
        QCOMPARE(ui.document.shot().range.first, 1010);
        auto* field = ui.window.findChild<QLineEdit*>("frameField");
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, "1033");
        QTest::keyClick(field, Qt::Key_Return);
        QCOMPARE(ui.document.frame(), 1033);
        // Playback advances and stops.
        ui.plate->setFocus();
        QTest::keyClick(&ui.window, Qt::Key_Home);
        QTest::keyClick(&ui.window, Qt::Key_Space);
        QTRY_VERIFY(ui.document.frame() > 1013);
        QTest::keyClick(&ui.window, Qt::Key_Space);
        const int stopped = ui.document.frame();
        QTest::qWait(150);
        QCOMPARE(ui.document.frame(), stopped);
    }

    void zoomingKeepsThePointUnderThePointer() {
        Ui ui;
        QVERIFY(ui.window.openPath(data_ + "jib"));
        const QPointF at(ui.plate->width() * 0.3, ui.plate->height() * 0.5), before = ui.plate->toPixel(at);
        QWheelEvent wheel(at, ui.plate->mapToGlobal(at), {}, {0, 360}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                          false);
        QApplication::sendEvent(ui.plate, &wheel);
        QVERIFY(QLineF(before, ui.plate->toPixel(at)).length() < 1e-6);
        QVERIFY(ui.plate->zoom() > 1);
        QTest::keyClick(&ui.window, Qt::Key_0);
        const QPointF corner = ui.plate->fromPixel(-0.5, -0.5), end = ui.plate->fromPixel(639.5, 359.5);
        QVERIFY(corner.x() >= -0.5 && corner.y() >= -0.5 && end.x() <= ui.plate->width() + 0.5 &&
                end.y() <= ui.plate->height() + 0.5);
    }

    // A long page that was scrolled down must not leave the next one out of sight.
    void inspectorShowsEveryPageFromWhereItWasLeft() {
        Ui ui(solvedProject());
        auto* inspector = ui.window.findChild<QScrollArea*>(QStringLiteral("inspector"));
        QVERIFY(inspector);
        ui.window.action("stepSolve")->trigger();
        for (FoldHeader* header : inspector->findChildren<FoldHeader*>()) header->setOpen(true);
        QScrollBar* bar = inspector->verticalScrollBar();
        QTRY_VERIFY(bar->maximum() > 100);
        bar->setValue(bar->maximum());
        const int left = bar->value();
        ui.window.action("stepGround")->trigger();
        QCOMPARE(bar->value(), 0);
        QTRY_VERIFY2(bar->maximum() < left, "a short page is not as long as the longest");
        QTRY_COMPARE(bar->value(), 0);
        QVERIFY(inspector->widget()->visibleRegion().boundingRect().top() <= 0);
        ui.window.action("stepFeatures")->trigger();
        QCOMPARE(bar->value(), 0);
        ui.window.action("stepSolve")->trigger();
        QTRY_COMPARE(bar->value(), left);
    }

    // Common practice: what is drawn over a picture steps back where there is much of it.
    void marksGetSmallerWhereFeaturesCrowd() {
        Ui ui(solvedProject());
        ui.plate->fit();
        const double roomy = ui.plate->markScale();
        Shot shot = ui.document.shot();
        std::vector<Path> many;
        const int frame = ui.document.frame();
        for (int k = 0; k < 3000; ++k) {
            Path p;
            p.id = 5000 + k;
            p.referenceFrame = frame;
            PathPoint q;
            q.frame = frame;
            q.x = 8 + (k % 60) * (shot.plate.width - 16) / 59.0;
            q.y = 8 + (k / 60) * (shot.plate.height - 16) / 49.0;
            p.points = {q};
            many.push_back(p);
        }
        shot.paths = std::make_shared<std::vector<Path>>(many);
        ui.document.edit(QStringLiteral("Many"), shot);
        const double crowded = ui.plate->markScale();
        QVERIFY2(crowded < 0.7 * roomy, qPrintable(QString::number(crowded)));
        QVERIFY(crowded >= 0.5);
        // What lies a few pixels beside a mark is not the mark.
        const QPointF mark = ui.plate->fromPixel(many[600].points[0].x, many[600].points[0].y);
        QCOMPARE(ui.plate->pathAt(mark), many[600].id);
        QCOMPARE(ui.plate->pathAt(mark + QPointF(2, 0)), many[600].id);
        const double step = ui.plate->fromPixel(many[601].points[0].x, 0).x() - mark.x(),
                     down = ui.plate->fromPixel(0, many[660].points[0].y).y() - mark.y();
        QCOMPARE(ui.plate->pathAt(mark + QPointF(0.5 * step, 0.5 * down)), 0);
        ui.document.undoStack().undo();
        QVERIFY(ui.plate->markScale() > crowded);
    }

    void boxIsDraggedOverTheGroundAndTheCameraStays() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        const auto pose = *ui.document.shot().worldPose(ui.document.frame());
        const QPoint from = ui.at(330, 290), to = ui.at(400, 310);
        QTest::keyClick(&ui.window, Qt::Key_B);
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::NoModifier, from);
        QCOMPARE(ui.document.shot().things.size(), 1U);
        QTRY_VERIFY_WITH_TIMEOUT(!ui.window.settlePlace().busy(), 60000);
        ui.document.selectPaths({});
        const Eigen::Vector3d before = ui.document.shot().things[0].position;
        // It is taken hold of where no feature lies: features are picked within nine.
        QPoint grab;
        double free = 0;
        for (int dy = -14; dy <= -4; ++dy)
            for (int dx = -20; dx <= 20; ++dx) {
                const QPoint candidate = from + QPoint(dx, dy);
                double nearest = 1e9;
                for (const Path& p : *ui.document.shot().paths)
                    if (const PathPoint* q = p.at(ui.document.frame()))
                        nearest = std::min(nearest, QLineF(ui.plate->fromPixel(q->x, q->y), candidate).length());
                if (nearest > free) free = nearest, grab = candidate;
            }
        QVERIFY2(free > 9.5, qPrintable(QString::number(free)));
        QTest::mousePress(ui.plate, Qt::LeftButton, Qt::NoModifier, grab);
        QTest::mouseMove(ui.plate, grab + (to - from) / 2);
        QTest::mouseMove(ui.plate, grab + (to - from));
        QTest::mouseRelease(ui.plate, Qt::LeftButton, Qt::NoModifier, grab + (to - from));
        const Eigen::Vector3d after = ui.document.shot().things[0].position;
        QVERIFY((after - before).norm() > 0.05);
        // Along the surface that it was put on, whose axes its position is in.
        QVERIFY(std::fabs(after.y() - before.y()) < 1e-9);
        QCOMPARE(ui.document.shot().worldPose(ui.document.frame())->position, pose.position);
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(ui.document.shot().things[0].position, before);
    }

    void everyActionIsFoundByItsName() {
        Ui ui;
        QVERIFY(ui.window.openPath(data_ + "jib"));
        QTimer::singleShot(300, qApp, [] {
            QWidget* box = QApplication::activeModalWidget();
            QVERIFY(box);
            auto* field = box->findChild<QLineEdit*>();
            QVERIFY(box->findChild<QListWidget*>()->count() > 30);
            QTest::keyClicks(field, "last frame");
            QCOMPARE(box->findChild<QListWidget*>()->count(), 1);
            QTest::keyClick(field, Qt::Key_Return);
        });
        QTest::keyClick(&ui.window, Qt::Key_K, Qt::ControlModifier);
        QCOMPARE(ui.document.frame(), 1040);
        for (QAction* a : ui.window.actions()) {
            QVERIFY(!a->text().isEmpty());
            QVERIFY(!a->toolTip().isEmpty());
        }
    }

    void filesAreDroppedOnTheWindow() {
        Ui ui;
        QMimeData mime;
        mime.setUrls({QUrl::fromLocalFile(data_ + "mast-top/mast-top.mp4")});
        QDragEnterEvent enter({50, 50}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&ui.window, &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop({50, 50}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&ui.window, &drop);
        QCOMPARE(ui.document.shot().name, std::string("mast-top"));
    }

    void missingFootageLosesNothing() {
        Shot shot = readShot(solvedProject().toStdString());
        shot.plateSpec = "/gone/jib.%04d.jpg";
        const QString file = folder_.filePath("gone.vanchor");
        writeShot(shot, file.toStdString());
        Ui ui;
        QVERIFY(ui.window.openPath(file));
        QVERIFY(!ui.document.plateTrouble().isEmpty());
        QCOMPARE(ui.document.shot().solve->solvedCount(), 40);
        auto* locate = ui.window.findChild<QPushButton*>("locateFootage");
        QTRY_VERIFY(locate->isVisible());
        answer(data_ + "jib/jib.1001.jpg");
        QTest::mouseClick(locate, Qt::LeftButton);
        QTRY_VERIFY(ui.document.plateTrouble().isEmpty());
        QVERIFY(!locate->isVisible());
        QTRY_VERIFY(ui.plate->pictureReady(ui.document.frame()));
        QCOMPARE(ui.document.shot().solve->solvedCount(), 40);
        // Footage of another size is refused.
        answer(data_ + "slipway/slipway.mp4");
        ui.window.action("locate")->trigger();
        QVERIFY(ui.sentence().contains("same size"));
    }

    void troublesAreSentencesNotDialogs() {
        Ui ui;
        QVERIFY(!ui.window.openPath("/nowhere/clip.mp4"));
        QVERIFY(ui.sentence().contains("/nowhere/clip.mp4"));
        QVERIFY(ui.window.findChild<QPlainTextEdit*>("log")->toPlainText().contains("/nowhere/clip.mp4"));
        QVERIFY(ui.window.openPath(data_ + "jib"));
        QVERIFY(!ui.window.openPath(data_ + "jib/jib.truth.json"));
        QCOMPARE(ui.document.shot().plate.frames.count(), 40);  // the shot in hand is still there
        QTest::keyClick(&ui.window, Qt::Key_L, Qt::ShiftModifier);
        QVERIFY(ui.sentence().contains("three or more points"));
        QVERIFY(!ui.window.saveTo("/proc/nope.vanchor"));
        QVERIFY(ui.sentence().contains("not written"));
        QCOMPARE(QApplication::activeModalWidget(), nullptr);
    }

    void unsavedWorkIsAskedForAndAutosaved() {
        const QString file = folder_.filePath("auto.vanchor");
        QFile::copy(solvedProject(), file);
        {
            Ui ui;
            QVERIFY(ui.window.openPath(file));
            ui.document.addThing(Box(), {1, 0, 2});
            QVERIFY(ui.document.modified());
            answer({}, QMessageBox::Cancel);
            QVERIFY(!ui.window.close());
            QTest::qWait(1100);  // file times count in seconds on some disks
            ui.document.autosaveNow();
        }
        // As after a crash: the copy is newer and is offered.
        QVERIFY(!Document::recoverableCopy(file).isEmpty());
        Ui ui;
        answer({}, QMessageBox::Yes);
        QVERIFY(ui.window.openPath(file));
        QCOMPARE(ui.document.shot().things.size(), 1U);
    }

    void editsDuringAJobStay() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        ui.document.solve();
        QVERIFY(ui.document.job().running());
        ui.document.addThing(Box(), {0.5, 0, 0.5});
        QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running(), 60000);
        QCOMPARE(ui.document.shot().things.size(), 1U);
        QVERIFY(ui.document.shot().solve->has());
    }

    void lightLookIsReadable() {
        for (bool light : {false, true}) {
            Theme::use(light);
            const Theme& t = Theme::current();
            const auto luminance = [](const QColor& c) {
                const auto lin = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
                return 0.2126 * lin(c.redF()) + 0.7152 * lin(c.greenF()) + 0.0722 * lin(c.blueF());
            };
            // WCAG 2.1, contrast ratio; 4.5 : 1 is its level AA for text.
            const auto contrast = [&](const QColor& a, const QColor& b) {
                const double x = luminance(a), y = luminance(b);
                return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
            };
            for (const QColor& ground : {t.ground, t.panel, t.bar})
                for (const QColor& text : {t.text, t.textSoft, t.textQuiet, t.caption})
                    QVERIFY2(contrast(text, ground) >= 4.5, qPrintable(text.name() + " on " + ground.name()));
            QVERIFY(contrast(t.onAccent, t.accent) >= 4.5);
            QVERIFY(contrast(t.look, t.ground) >= 4.5);
        }
        Theme::use(false);
    }

    void windowComesUpWithoutAnyGraphicsHardware() {
        // The offscreen platform can make no GL context; nothing here may need one.
        QProcess program;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("QT_QPA_PLATFORM", "offscreen");
        program.setProcessEnvironment(environment);
        program.start(VA_PROGRAM, {data_ + "jib", "--pictures", folder_.filePath("offscreen")});
        QVERIFY(program.waitForFinished(120000));
        QCOMPARE(program.exitStatus(), QProcess::NormalExit);
        QCOMPARE(program.exitCode(), 0);
        QVERIFY(QFile::exists(folder_.filePath("offscreen/solve.png")));
    }

    void helpAndVersionNeedNoDisplay() {
        for (const char* word : {"--help", "--version"}) {
            QProcess program;
            QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
            environment.remove("DISPLAY");
            environment.remove("WAYLAND_DISPLAY");
            environment.remove("QT_QPA_PLATFORM");
            program.setProcessEnvironment(environment);
            program.start(VA_PROGRAM, {word});
            QVERIFY(program.waitForFinished(20000));
            QCOMPARE(program.exitStatus(), QProcess::NormalExit);
            QCOMPARE(program.exitCode(), 0);
            QVERIFY(program.readAllStandardOutput().contains("vivid-anchor"));
        }
    }

    // A scale for the colour-blind rises evenly in lightness; its end is the published one, #fee838 (from memory).
    void residualScaleRisesInLightness() {
        double last = -1;
        for (int i = 0; i <= 100; ++i) {
            const QColor c = residualColour(i / 100.0);
            const double lightness = 0.2126 * std::pow(c.redF(), 2.2) + 0.7152 * std::pow(c.greenF(), 2.2) +
                                     0.0722 * std::pow(c.blueF(), 2.2);
            QVERIFY2(lightness >= last - 1e-9, qPrintable(QString::number(i)));
            last = lightness;
        }
        QCOMPARE(residualColour(1).name(), QString("#fee838"));
        QCOMPARE(residualColour(0).name(), QString("#404c6c"));
        QCOMPARE(residualColour(7), residualColour(1));
        QCOMPARE(residualColour(-1), residualColour(0));
    }

    void tableSortsByItsHeaders() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        auto* table = ui.window.findChild<QTableView*>("featureTable");
        const auto column = [&](int c) {
            std::vector<double> out;
            for (int r = 0; r < table->model()->rowCount(); ++r)
                out.push_back(table->model()->index(r, c).data().toString().section(' ', 0, 0).toDouble());
            return out;
        };
        table->sortByColumn(3, Qt::DescendingOrder);
        auto lengths = column(3);
        QVERIFY(std::is_sorted(lengths.rbegin(), lengths.rend()));
        QVERIFY(lengths.front() == 40);
        table->sortByColumn(6, Qt::AscendingOrder);
        auto quality = column(6);
        QVERIFY(std::is_sorted(quality.begin(), quality.end()));
        // The selection follows its paths, not its rows.
        table->selectRow(5);
        const QSet<int> chosen = ui.document.selectedPaths();
        QCOMPARE(chosen.size(), 1);
        table->sortByColumn(1, Qt::AscendingOrder);
        QCOMPARE(ui.document.selectedPaths(), chosen);
        QCOMPARE(table->selectionModel()->selectedRows().size(), 1);
        const int row = table->selectionModel()->selectedRows().first().row();
        QCOMPARE(table->model()->index(row, 1).data().toInt(), *chosen.begin());
    }

    void anchorsAndBoxesAreEditedByNumbers() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        const auto features = loneFeatures(ui);
        QVERIFY(!features.empty());
        QTest::mouseClick(ui.plate, Qt::LeftButton, Qt::NoModifier, features.front().second.toPoint());
        QTest::keyClick(&ui.window, Qt::Key_N);
        QCOMPARE(ui.document.shot().things.size(), 1U);
        QVERIFY(ui.document.shot().things[0].hang == (Hang{Hang::On::point, features.front().first, {}}));
        QVERIFY(ui.document.shot().things[0].position.norm() < 1e-12);
        QCOMPARE(ui.document.selectedThing(), ui.document.shot().things[0].id);
        ui.window.action("stepLayout")->trigger();
        auto* name = ui.window.findChild<QLineEdit*>("thingName");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "bow");
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(ui.document.shot().things[0].name, std::string("bow"));
        ui.document.addThing(Box(), {0, 0, 0});
        auto* height = ui.window.findChild<NumberField*>("thing-box-height");
        height->setFocus();
        height->selectAll();
        QTest::keyClicks(height, "1.1/2");
        QTest::keyClick(height, Qt::Key_Return);
        QCOMPARE(std::get<Box>(ui.document.shot().things[1].kind).height, 0.55);
        QTest::keyClicks(height, "nonsense");
        ui.plate->setFocus();
        QCOMPARE(std::get<Box>(ui.document.shot().things[1].kind).height, 0.55);
        QTest::keyClick(&ui.window, Qt::Key_Backspace);
        QCOMPARE(ui.document.shot().things.size(), 1U);
        QTest::keyClick(&ui.window, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(ui.document.shot().things.size(), 2U);
    }

    void sceneViewModesDrawTheSameWorld() {
        Ui ui;
        QVERIFY(ui.window.openPath(solvedProject()));
        const Shot& shot = ui.document.shot();
        ui.window.action("both")->trigger();
        // Through the lens a point lies where its feature is, in proportion of the two views.
        QTest::keyClick(&ui.window, Qt::Key_F8);
        const auto features = loneFeatures(ui);
        QVERIFY(features.size() > 5);
        const double scale = std::min(ui.scene->width() / 640.0, ui.scene->height() / 360.0) / ui.plate->zoom();
        const QPointF plateMiddle = ui.plate->fromPixel(319.5, 179.5),
                      sceneMiddle(ui.scene->width() / 2.0, ui.scene->height() / 2.0);
        int near = 0;
        for (const auto& [id, at] : features) {
            const auto there = ui.scene->positionOf(*shot.worldPointOfPath(id));
            QVERIFY(there);
            near += QLineF(*there - sceneMiddle, (at - plateMiddle) * scale).length() < 2;
        }
        QVERIFY(near * 10 >= int(features.size()) * 8);
        // From the top, height does not show; from the side, depth does not.
        QTest::keyClick(&ui.window, Qt::Key_F6);
        QCOMPARE(*ui.scene->positionOf({1, 0, 2}), *ui.scene->positionOf({1, 5, 2}));
        QTest::keyClick(&ui.window, Qt::Key_F7);
        QCOMPARE(*ui.scene->positionOf({1, 2, 0}), *ui.scene->positionOf({1, 2, 5}));
        QVERIFY(ui.scene->positionOf({0, 1, 0})->y() < ui.scene->positionOf({0, 0, 0})->y());
        // Orbiting turns the view and leaves the shot alone.
        QTest::keyClick(&ui.window, Qt::Key_F5);
        const QPointF before = *ui.scene->positionOf({3, 2, -4});
        QTest::mousePress(ui.scene, Qt::LeftButton, Qt::NoModifier, ui.scene->rect().center());
        QMouseEvent move(QEvent::MouseMove, ui.scene->rect().center() + QPointF(40, 10),
                         ui.scene->mapToGlobal(ui.scene->rect().center() + QPointF(40, 10)), Qt::NoButton,
                         Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(ui.scene, &move);
        QTest::mouseRelease(ui.scene, Qt::LeftButton, Qt::NoModifier, ui.scene->rect().center() + QPoint(40, 10));
        QVERIFY(QLineF(before, *ui.scene->positionOf({3, 2, -4})).length() > 3);
        QVERIFY(!ui.document.modified());
    }

    void expressionsAreEvaluated() {
        QCOMPARE(*evaluateExpression("36/1.6"), 22.5);
        QCOMPARE(*evaluateExpression(" -2 * (3 + 4,5) "), -15.0);
        QCOMPARE(*evaluateExpression("2-1-1"), 0.0);
        QCOMPARE(*evaluateExpression(".5"), 0.5);
        for (const char* bad : {"", "1/0", "2+", "(1", "x", "1 2", "--", "1e999"})
            QVERIFY2(!evaluateExpression(bad), bad);
    }
};

}  // namespace va

QTEST_MAIN(va::WindowTest)
#include "window_test.moc"
