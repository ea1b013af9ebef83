// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/picture_run.h"

#include <QAction>
#include <QCoreApplication>
#include <QDeadlineTimer>
#include <QDir>
#include <QEventLoop>
#include <QPixmap>
#include <QTimer>
#include <algorithm>

#include "main_window/main_window.h"
#include "plate_view/plate_canvas.h"

namespace va {

void PictureRun::waitUntil(const std::function<bool()>& done, int milliseconds) {
    const QDeadlineTimer deadline(milliseconds);
    while (!done() && !deadline.hasExpired()) {
        QEventLoop loop;
        QTimer::singleShot(20, &loop, &QEventLoop::quit);
        loop.exec();
    }
}

void PictureRun::settle() {
    auto* canvas = window_.findChild<PlateCanvas*>();
    waitUntil([&] { return canvas->pictureReady(window_.document().frame()); }, 10'000);
    waitUntil([] { return false; }, 150);
}

bool PictureRun::take(const QString& name) {
    settle();
    return window_.grab().save(folder_ + "/" + name + ".png");
}

int PictureRun::exec() {
    Document& document = window_.document();
    if (!document.shot().hasPlate() || !QDir().mkpath(folder_)) return 1;
    bool good = take("plate");
    window_.action("match")->trigger();
    waitUntil(
        [&] { return document.job().state().done > document.job().state().total / 2 || !document.job().running(); },
        60'000);
    good = take("matching") && good;
    waitUntil([&] { return !document.job().running(); }, 300'000);
    const Shot& solved = document.shot();
    document.setFrame((solved.range.first * 3 + solved.range.last * 2) / 5);
    window_.action("stepSolve")->trigger();
    good = take("solve") && good;
    if (!solved.solve->has() || solved.solve->motion != Motion::free) return good ? 0 : 1;

    // Two floor points a known way apart do for a scale; the level stays the one that was found.
    window_.action("stepGround")->trigger();
    std::vector<int> floor;
    for (int id : solved.ground->usedPaths)
        if (const Path* p = solved.path(id); p && p->at(document.frame())) floor.push_back(id);
    if (floor.size() >= 3) {
        document.selectPaths({floor.front(), floor[floor.size() / 2], floor.back()});
        window_.action("level")->trigger();
    }
    good = take("ground") && good;
    window_.action("stepLayout")->trigger();
    auto* canvas = window_.findChild<PlateCanvas*>();
    const auto place = canvas->groundAt(QPointF(canvas->width() * 0.62, canvas->height() * 0.72));
    if (place) document.addBox(*place);
    good = take("layout") && good;
    window_.action("lensView")->trigger();
    document.setFrame(solved.range.last);
    window_.action("stepProof")->trigger();
    good = take("proof") && good;
    window_.action("top")->trigger();
    window_.action("stepFeatures")->trigger();
    document.setFrame((solved.range.first + solved.range.last) / 2);
    window_.action("selectAll")->trigger();
    good = take("features") && good;
    return good ? 0 : 1;
}

}  // namespace va
