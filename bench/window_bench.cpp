// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QApplication>
#include <QElapsedTimer>

#include "main_window/main_window.h"
#include "plate_view/plate_canvas.h"
#include "shot/shot_file.h"
#include "style/theme.h"
#include "table.h"
#include "views/views.h"
#include "workflow/match_shot.h"

namespace va::bench {
namespace {

bool waitFor(const std::function<bool()>& done, int milliseconds) {
    QElapsedTimer clock;
    clock.start();
    while (!done() && clock.elapsed() < milliseconds)
        QApplication::processEvents(QEventLoop::WaitForMoreEvents | QEventLoop::AllEvents, 5);
    return done();
}

}  // namespace

void measureWindow(Table& table) {
    applyTheme(*qApp);
    const std::string clip = std::string(VA_SOURCE_DIR) + "/demo/data/slipway/slipway.mp4";
    MainWindow window;
    window.show();
    window.resize(1700, 1000);
    QApplication::processEvents();
    auto* plate = window.findChild<PlateCanvas*>();
    QElapsedTimer clock;
    clock.start();
    window.openPath(QString::fromStdString(clip));
    waitFor([&] { return plate->pictureReady(1001); }, 20000);
    QApplication::processEvents();
    table.push_back({"first_picture_s", double(clock.nsecsElapsed()) * 1e-9, "s", "<= 1",
                     "from opening to the picture on screen, 720p H.264"});

    for (const QSize size : {QSize(1280, 800), QSize(1920, 1080)}) {
        window.resize(size);
        const QString of = QString::number(size.width());
        const auto share = [&](const char* views, const char* step) {
            window.action(views)->trigger();
            window.action(step)->trigger();
            QApplication::processEvents();
            return 100 * window.views().visiblePictureArea() / (double(window.width()) * window.height());
        };
        const bool small = size.width() == 1280;
        table.push_back({"picture_share_alone_" + of.toStdString(), share("plateOnly", "stepPlate"), "%",
                         small ? ">= 45" : ">= 55", "of the window's area, step Plate"});
        table.push_back({"picture_share_beside_" + of.toStdString(), share("both", "stepSolve"), "%",
                         small ? ">= 24" : ">= 30", "of the window's area, beside the scene view"});
    }
    window.resize(1700, 1000);

    // With everything that lies on the picture after a match, in a range that is held.
    Progress progress;
    const std::string file = std::string(VA_BINARY_DIR) + "/bench.vanchor";
    writeShot(matchShot(withPlate(Shot(), clip), progress), file);
    window.openPath(QString::fromStdString(file));
    window.action("plateOnly")->trigger();
    const FrameRange held{1001, 1090};
    for (int f = held.first; f <= held.last; ++f)
        if (!waitFor([&] { return plate->pictureReady(f); }, 20000)) break;
    int painted = 0, slowest = 0;
    clock.restart();
    for (int round = 0; round < 2; ++round)
        for (int f = held.first; f <= held.last; ++f) {
            QElapsedTimer one;
            one.start();
            window.document().setFrame(f);
            plate->repaint();
            QApplication::processEvents();
            slowest = std::max(slowest, int(one.elapsed()));
            ++painted;
        }
    char note[160];
    std::snprintf(note, sizeof note,
                  "scrubbing a held range with paths, whole window, plate %d × %d; slowest step %d ms", plate->width(),
                  plate->height(), slowest);
    table.push_back({"scrub_fps_720p", painted / (double(clock.nsecsElapsed()) * 1e-9), "fps", ">= 25", note});
    table.push_back({"longest_block_ms", double(slowest), "ms", "<= 100", "slowest of these steps"});
    window.document().undoStack().setClean();
}

void measureMemory(Table& table) {
    const std::string clip = clip1080p(300), folder = std::string(VA_BINARY_DIR) + "/memory";
    const pid_t child = fork();
    if (child == 0) {
        execl(VA_PROGRAM, VA_PROGRAM, clip.c_str(), "--pictures", folder.c_str(), static_cast<char*>(nullptr));
        _exit(127);
    }
    int status = 0;
    rusage usage{};
    wait4(child, &status, 0, &usage);
    const bool good = WIFEXITED(status) && WEXITSTATUS(status) == 0;
    table.push_back({"memory_peak_mb_1080p_300f", double(usage.ru_maxrss) / 1024, "MB", "<= 1500",
                     good ? "the window: open, match, walk through the views" : "the program did not end well"});
}

}  // namespace va::bench
