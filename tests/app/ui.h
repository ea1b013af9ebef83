// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QApplication>
#include <QFile>
#include <QLabel>
#include <QMouseEvent>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

#include "inspector/inspector.h"
#include "inspector/number_field.h"
#include "main_window/main_window.h"
#include "plate_view/plate_canvas.h"
#include "scene_view/scene_canvas.h"
#include "style/theme.h"

namespace va {

/// Before the first window of a test program: settings and files of its own, the looks, dialogs that can be driven.
inline void prepare(const char* name) {
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName("vivid-anchor-test");
    QCoreApplication::setApplicationName(name);
    QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    applyTheme(*qApp);
}

/// A real window on the display, as a hand has it.
struct Ui {
    /// What an earlier window remembered of its looks must not decide what a test sees.
    struct Fresh {
        Fresh() {
            QSettings settings;
            for (const char* group : {"view", "fold", "inset"}) settings.remove(QLatin1String(group));
        }
    } fresh;
    MainWindow window;
    PlateCanvas* plate = window.findChild<PlateCanvas*>();
    SceneCanvas* scene = window.findChild<SceneCanvas*>();
    Document& document = window.document();

    /// With a plate or project opened, and the picture of its frame there; or empty.
    explicit Ui(const QString& path = {}) {
        window.show();
        // No window manager runs on the virtual display: the window has to be told that it is the active one.
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        QApplication::setActiveWindow(&window);
        QCOMPARE(QApplication::activeWindow(), &window);
        if (path.isEmpty()) return;
        QVERIFY(window.openPath(path));
        QTRY_VERIFY_WITH_TIMEOUT(plate->pictureReady(document.frame()), 20000);
    }
    ~Ui() { document.undoStack().setClean(); }
    [[nodiscard]] QPoint at(double x, double y) const { return plate->fromPixel(x, y).toPoint(); }
    [[nodiscard]] QString sentence() const { return window.findChild<QLabel*>("sentence")->text(); }
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers keys = {}) const {
        QTest::mousePress(plate, Qt::LeftButton, keys, from);
        for (int i = 1; i <= 4; ++i) {
            QMouseEvent move(QEvent::MouseMove, from + (to - from) * i / 4.0,
                             plate->mapToGlobal(from + (to - from) * i / 4.0), Qt::NoButton, Qt::LeftButton, keys);
            QApplication::sendEvent(plate, &move);
        }
        QTest::mouseRelease(plate, Qt::LeftButton, keys, to);
    }
    void finish() { QTRY_VERIFY_WITH_TIMEOUT(!document.job().running(), 120000); }
    template <class T>
    T* child(const char* name) const {
        return window.findChild<T*>(name);
    }
    /// A widget of the inspector, with the sections that it stands in unfolded and scrolled to.
    template <class T>
    T* shown(const char* name) {
        T* widget = child<T>(name);
        if (widget) window.inspector().reveal(widget);
        return widget;
    }
    /// Types into a number field and presses Return.
    void type(const char* name, const QString& text) {
        auto* field = shown<NumberField>(name);
        QVERIFY2(field, name);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }
};

/// A jib shot that was matched once through the window; later tests open its project.
inline QString solvedJib(const QTemporaryDir& folder) {
    const QString file = folder.filePath("solved.vanchor");
    if (QFile::exists(file)) return file;
    Ui ui(QStringLiteral(VA_SOURCE_DIR "/demo/data/jib"));
    ui.document.matchShot();
    [&] { QTRY_VERIFY_WITH_TIMEOUT(!ui.document.job().running() && ui.document.shot().solve->has(), 120000); }();
    [&] { QVERIFY(ui.window.saveTo(file)); }();
    return file;
}

}  // namespace va
