// SPDX-License-Identifier: GPL-3.0-or-later
// How the window shares its area out: picture, inset, drawer, sections; and what is drawn over the picture.
#include <QAction>
#include <QStandardPaths>
#include <QTableView>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>
#include <cmath>

#include "drawer/drawer.h"
#include "route/route.h"
#include "steps/step_table.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "ui.h"
#include "views/views.h"

namespace va {

class ViewsTest : public QObject {
    Q_OBJECT

  private:
    QTemporaryDir folder_;
    QString solved_;

    static double share(Ui& ui) {
        QApplication::processEvents();
        return ui.window.views().visiblePictureArea() / (double(ui.window.width()) * ui.window.height());
    }
    /// How many pixels of two pictures differ.
    static int differing(const QImage& a, const QImage& b) {
        int out = 0;
        for (int y = 0; y < a.height(); ++y)
            for (int x = 0; x < a.width(); ++x) out += a.pixel(x, y) != b.pixel(x, y);
        return out;
    }

  private Q_SLOTS:
    void initTestCase() {
        prepare("views-test");
        QVERIFY(folder_.isValid());
        solved_ = solvedJib(folder_);
    }

    // The goals are the product's own: mostly picture, on a small screen and on a large one.
    void mostOfTheWindowIsPicture() {
        Ui ui(solved_);
        for (const auto& [size, alone, beside] :
             {std::tuple(QSize(1280, 800), 0.45, 0.24), std::tuple(QSize(1920, 1080), 0.55, 0.30)}) {
            ui.window.resize(size);
            QApplication::processEvents();
            QCOMPARE(ui.window.size(), size);
            for (const StepInfo& step : stepTable()) {
                ui.window.action(step.action)->trigger();
                for (const char* mode : {"plateOnly", "both"}) {
                    ui.window.action(mode)->trigger();
                    const bool besideScene = mode == std::string("both");
                    const double found = share(ui);
                    qInfo("%d x %d, %s, %s: the picture has %.1f %% of the window", size.width(), size.height(),
                          step.name, besideScene ? "beside the scene" : "plate", 100 * found);
                    QVERIFY2(found >= (besideScene ? beside : alone), step.name);
                }
            }
        }
    }

    void theInsetGrowsAndGoesToAnyCorner() {
        Ui ui(solved_);
        Views& views = ui.window.views();
        auto* scene = ui.window.findChild<SceneView*>();
        QVERIFY(scene->isVisible());  // the step Solve shows it
        QCOMPARE(views.mode(), ViewMode::plate);
        const QRect plate = ui.plate->rect().translated(ui.plate->mapTo(&views, QPoint()));
        QVERIFY(plate.contains(scene->geometry()));
        const auto drag = [&](const QPoint& to) {
            QWidget* head = scene->header();
            const QPoint from = head->rect().center();
            QTest::mousePress(head, Qt::LeftButton, {}, from);
            const QPoint there = head->mapFromGlobal(views.mapToGlobal(to));
            QMouseEvent move(QEvent::MouseMove, there, head->mapToGlobal(there), Qt::NoButton, Qt::LeftButton, {});
            QApplication::sendEvent(head, &move);
            QTest::mouseRelease(head, Qt::LeftButton, {}, head->mapFromGlobal(views.mapToGlobal(to)));
        };
        drag({90, views.height() - 120});
        QCOMPARE(views.insetCorner(), Corner::bottomLeft);
        QVERIFY(scene->geometry().center().x() < views.width() / 2);
        QVERIFY(scene->geometry().center().y() > views.height() / 2);
        drag({views.width() - 90, 120});
        QCOMPARE(views.insetCorner(), Corner::topRight);
        // To half by a double click on its head, to full and back by keys.
        QTest::mouseDClick(scene->header(), Qt::LeftButton);
        QCOMPARE(views.mode(), ViewMode::beside);
        QVERIFY(!ui.plate->rect().translated(ui.plate->mapTo(&views, QPoint())).intersects(scene->geometry()));
        QTest::keyClick(&ui.window, Qt::Key_3);
        QVERIFY(!ui.plate->isVisible());
        QCOMPARE(scene->width(), views.width());
        QTest::keyClick(&ui.window, Qt::Key_1);
        QVERIFY(ui.plate->isVisible() && scene->isVisible());
        // Away with it, for this step, and it is remembered.
        QTest::keyClick(&ui.window, Qt::Key_4);
        QVERIFY(!scene->isVisible());
        ui.window.action("stepGround")->trigger();
        QVERIFY(scene->isVisible());
        ui.window.action("stepSolve")->trigger();
        QVERIFY(!scene->isVisible());
        ui.window.action("stepPlate")->trigger();
        QVERIFY(!scene->isVisible());
    }

    void theDrawerStaysFoldedUntilItIsCalled() {
        {
            Ui ui(solved_);
            auto* drawer = ui.window.findChild<Drawer*>();
            QVERIFY(!drawer->isVisible());
            const double before = share(ui);
            const int zoom = int(1000 * ui.plate->zoom());
            QTest::keyClick(&ui.window, Qt::Key_2, Qt::ControlModifier);
            QVERIFY(drawer->isVisible());
            QCOMPARE(drawer->part(), Drawer::Part::curves);
            QVERIFY(ui.window.action("curves")->isChecked());
            // It covers the lower part; the picture stays where it is.
            QCOMPARE(int(1000 * ui.plate->zoom()), zoom);
            QVERIFY(share(ui) < before);
            QVERIFY(drawer->geometry().bottom() >= ui.window.views().height() - 2);
            // Another word changes what it shows, the same one folds it.
            QTest::keyClick(&ui.window, Qt::Key_1, Qt::ControlModifier);
            QCOMPARE(drawer->part(), Drawer::Part::table);
            QVERIFY(drawer->isVisible() && !ui.window.action("curves")->isChecked());
            QTest::keyClick(&ui.window, Qt::Key_D, Qt::ControlModifier);
            QVERIFY(!drawer->isVisible() && !ui.window.action("table")->isChecked());
            QCOMPARE(share(ui), before);
            QTest::keyClick(&ui.window, Qt::Key_4, Qt::ControlModifier);
            QCOMPARE(drawer->part(), Drawer::Part::log);
        }
        // The next window opens as the last one was left.
        MainWindow next;
        next.show();
        auto* drawer = next.findChild<Drawer*>();
        QVERIFY(drawer->isVisible());
        QCOMPARE(drawer->part(), Drawer::Part::log);
    }

    void sectionsFoldAndAreRemembered() {
        const auto header = [](MainWindow& w, const QString& text) -> FoldHeader* {
            for (FoldHeader* h : w.inspector().findChildren<FoldHeader*>())
                if (h->text() == text && h->isVisible()) return h;
            return nullptr;
        };
        {
            Ui ui(solved_);
            auto* table = ui.child<QWidget>("worstFeatures");
            QVERIFY(table->isVisible());
            FoldHeader* wrong = header(ui.window, "What fits badly");
            QVERIFY(wrong);
            QTest::mouseClick(wrong, Qt::LeftButton);
            QVERIFY(!table->isVisible());
            wrong->setFocus();
            QTest::keyClick(wrong, Qt::Key_Space);
            QVERIFY(table->isVisible());
            QTest::mouseClick(wrong, Qt::LeftButton);
            // Tools that are seldom needed are folded at first.
            QVERIFY(!ui.child<QWidget>("moveChoice")->isVisible());
            QTest::mouseClick(header(ui.window, "Camera and rolling shutter"), Qt::LeftButton);
            QVERIFY(ui.child<QWidget>("moveChoice")->isVisible());
        }
        MainWindow next;
        next.show();
        next.action("stepSolve")->trigger();
        QVERIFY(!next.findChild<QWidget*>("worstFeatures")->isVisible());
        QVERIFY(next.findChild<QWidget*>("moveChoice")->isVisible());
    }

    // What an artist needs in a step is seen without scrolling at 1280 x 800.
    void noPageScrollsAtFirst() {
        Ui ui(solved_);
        for (const StepInfo& step : stepTable()) {
            ui.window.action(step.action)->trigger();
            QTest::qWait(30);
            auto& inspector = ui.window.inspector();
            QVERIFY2(inspector.widget()->height() <= inspector.viewport()->height(),
                     qPrintable(QString("%1: %2 px of %3")
                                    .arg(step.name)
                                    .arg(inspector.widget()->height())
                                    .arg(inspector.viewport()->height())));
        }
    }

    void thePictureIsCleanWhereThingsAreJudged() {
        Ui ui(solved_);
        ui.window.action("inset")->setChecked(false);
        const auto seen = [&] {
            QTest::qWait(20);
            return ui.plate->grab().toImage();
        };
        ui.window.action("stepSolve")->trigger();
        ui.window.action("inset")->setChecked(false);
        const QImage rings = seen();
        for (const char* step : {"stepLayout", "stepProof", "stepExport"}) {
            ui.window.action(step)->trigger();
            ui.window.action("inset")->setChecked(false);
            QVERIFY2(!ui.plate->look().shown, step);
            const QImage clean = seen();
            QVERIFY2(differing(clean, rings) > 2000, step);
            // What is not seen is not picked.
            for (const Path& p : *ui.document.shot().paths)
                if (const PathPoint* q = p.at(ui.document.frame()))
                    QCOMPARE(ui.plate->pathAt(ui.plate->fromPixel(q->x, q->y)), 0);
            // One key brings them back.
            QTest::keyClick(&ui.window, Qt::Key_F4);
            QVERIFY(differing(seen(), clean) > 2000);
        }
        ui.window.action("stepFeatures")->trigger();
        QVERIFY(ui.plate->look().shown);
        // A tool that works on features brings them with it.
        ui.window.action("stepLayout")->trigger();
        QTest::keyClick(&ui.window, Qt::Key_L);
        QVERIFY(ui.plate->look().shown);
    }

    void theVerdictIsShownWhole() {
        Ui ui(solved_);
        auto* strip = ui.window.findChild<Strip*>();
        auto* sentence = ui.window.findChild<SentenceLabel*>();
        const QString before = sentence->text();
        QVERIFY(before.contains("40 of 40 frames solved"));
        for (const StepInfo& step : stepTable()) {
            ui.window.action(step.action)->trigger();
            QCOMPARE(sentence->text(), QString::fromStdString(verdictLine(ui.document.shot(), step.step).sentence));
        }
        // The longest that a verdict gets: on more lines, with room for each of them.
        std::string longest;
        for (int i = 0; i < 30; ++i) longest += "frame 10" + std::to_string(10 + i) + " is thin, ";
        strip->setSentence({Lamp::look, longest});
        QApplication::processEvents();
        QCOMPARE(sentence->text(), QString::fromStdString(longest));
        // The strip grows once the layout has run.
        const auto needed = [&] {
            return sentence->fontMetrics()
                .boundingRect(QRect(0, 0, sentence->width(), 1000), Qt::TextWordWrap, sentence->text())
                .height();
        };
        QTRY_VERIFY2(needed() <= sentence->height() + 1,
                     qPrintable(QString("%1 of %2").arg(sentence->height()).arg(needed())));
    }

    void theRailUnfoldsAVerdictOnHover() {
        Ui ui(solved_);
        auto* route = ui.window.findChild<Route*>();
        QVERIFY(route->width() <= 64);
        QEnterEvent enter({10, 10}, {10, 10}, route->entry(Step::solve)->mapToGlobal(QPointF(10, 10)));
        QApplication::sendEvent(route->entry(Step::solve), &enter);
        QTRY_VERIFY(ui.child<QLabel>("verdict") && ui.child<QLabel>("verdict")->isVisible());
        auto* verdict = ui.child<QLabel>("verdict");
        QCOMPARE(verdict->text(), QString::fromStdString(verdictOn(ui.document.shot(), Step::solve).sentence));
        QVERIFY(verdict->geometry().left() >= route->width());
        QEvent leave(QEvent::Leave);
        QApplication::sendEvent(route->entry(Step::solve), &leave);
        QTRY_VERIFY(!verdict->isVisible());
    }

    void toolsSayTheirNameAndKeySoon() {
        QVERIFY(qApp->style()->styleHint(QStyle::SH_ToolTip_WakeUpDelay) <= 500);
        Ui ui(solved_);
        for (const ToolInfo& tool : toolTable()) {
            const QAction* action = ui.window.action(tool.action);
            QVERIFY2(action->toolTip().contains(action->shortcut().toString(QKeySequence::NativeText)), tool.action);
        }
        // Labels where there is room for them, none where there is not.
        const auto labelled = [&] {
            for (auto* b : ui.window.views().findChildren<QToolButton*>())
                if (b->defaultAction() == ui.window.action("maskTool"))
                    return b->toolButtonStyle() == Qt::ToolButtonTextBesideIcon;
            return false;
        };
        ui.window.resize(1920, 1080);
        QTRY_VERIFY(labelled());
        ui.window.resize(900, 700);
        QTRY_VERIFY(!labelled());
    }

    void cloudPointsTakeThePlatesColours() {
        Ui ui(solved_);
        const Shot& shot = ui.document.shot();
        // From frame to frame, so that the picture of each is there.
        for (int f = shot.range.first; f <= shot.range.last; f += 4) {
            ui.document.setFrame(f);
            QTRY_VERIFY_WITH_TIMEOUT(ui.plate->pictureReady(f), 20000);
        }
        const QColor teal = Theme::current().teal;
        int coloured = 0;
        double hues = 0;
        for (const SolvedPoint& p : shot.solve->points) {
            const QColor c = ui.scene->colourOf(p.pathId);
            coloured += c.rgb() != teal.rgb();
            hues += c.hsvSaturationF();
        }
        QVERIFY2(coloured * 10 >= int(shot.solve->points.size()) * 9, qPrintable(QString::number(coloured)));
        QVERIFY(hues > 0);
        // The switch goes on to the residual, and to plain teal.
        const int id = shot.solve->points.front().pathId;
        QTest::keyClick(&ui.window, Qt::Key_F9);
        QCOMPARE(ui.scene->cloudColour(), CloudColour::residual);
        QCOMPARE(ui.scene->colourOf(id), residualColour(shot.solve->points.front().rmsPx));
        QTest::keyClick(&ui.window, Qt::Key_F9);
        QCOMPARE(ui.scene->colourOf(id).rgb(), teal.rgb());
        QTest::keyClick(&ui.window, Qt::Key_F9);
        QCOMPARE(ui.scene->cloudColour(), CloudColour::plate);
    }

    void lanesShowDifferences() {
        // From half of the largest: a frame with a third fewer features is drawn a good deal lower.
        std::vector<Cover> even;
        for (int f = 0; f < 20; ++f) even.push_back({f, f == 7 ? 200 : 300, 1, false});
        const LaneScale cover = coverScale(even);
        QCOMPARE(cover.high, 300.0);
        QCOMPARE(cover.share(300), 1.0);
        QVERIFY(cover.share(200) < 0.4);
        // A few features are not cut off at the lane's foot.
        even[7].count = 30;
        QCOMPARE(coverScale(even).low, 30.0);
        SolveResult solve;
        for (int f = 0; f < 40; ++f) {
            SolvedFrame frame;
            frame.frame = f, frame.solved = true, frame.rmsPx = 0.2 + 0.004 * f;
            solve.frames.push_back(frame);
        }
        solve.frames[3].rmsPx = 9;  // one outlier does not flatten the rest
        const LaneScale error = errorScale(solve);
        QVERIFY2(error.high >= 0.35 && error.high <= 0.5, qPrintable(QString::number(error.high)));
        QCOMPARE(error.share(9), 1.0);
        QCOMPARE(errorScale(SolveResult()).high, 1.0);
        QCOMPARE(coverScale({}).share(5), 1.0);
    }
};

}  // namespace va

QTEST_MAIN(va::ViewsTest)
#include "views_test.moc"
