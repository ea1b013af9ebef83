// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/laid_out.h"

#include <QEventLoop>
#include <QFileInfo>
#include <QTimer>

#include "main_window/main_window.h"
#include "workflow/mover_work.h"
#include "workflow/place_things.h"

namespace va {
namespace {

void wait(const std::function<bool()>& done) {
    while (!done()) {
        QEventLoop loop;
        QTimer::singleShot(20, &loop, &QEventLoop::quit);
        loop.exec();
    }
}

/// Where in the picture of the clip "trolley", shares of its width and height, in its middle.
constexpr double signX = 0.165, signY = 0.31, postX = 0.76, postY = 0.86, crateX = 0.86, crateY = 0.70;

Mesh meshOf(const QString& props, const char* name) {
    Mesh m;
    m.file = (props + "/" + name + ".obj").toStdString();
    return m;
}

/// On the mover's highest point, where there is a mover.
void hangLantern(MainWindow& window, const QString& props) {
    const Shot& shot = window.document().shot();
    if (shot.movers.empty()) return;
    const Mover& mover = shot.movers.front();
    const auto pose = moverWorldPose(shot, mover, window.document().frame());
    if (!pose) return;
    std::optional<Eigen::Vector3d> top;
    for (const auto& [id, own] : moverPoints(shot, mover)) {
        const Eigen::Vector3d p = pose->position + pose->worldFromCamera * own;
        if (!top || p.y() > top->y()) top = p;
    }
    if (!top) return;
    window.layoutEdits().place(meshOf(props, "lantern"),
                               {{Hang::On::mover, mover.id, {}}, *top, Eigen::Vector3d::UnitY()});
    window.layoutEdits().rename(QStringLiteral("lantern"));
}

/// Across the picture, above the hull, beyond it.
void flyGull(MainWindow& window, const QString& props) {
    Document& document = window.document();
    const Shot& shot = document.shot();
    const auto camera = shot.cameraAt(document.frame());
    if (!camera) return;
    const double far = shot.ground->metric ? 12 : 1.3 * camera->pose().position.norm();
    const auto at = [&](double x, double y) -> Eigen::Vector3d {
        const auto ray = camera->ray({x * shot.plate.width, y * shot.plate.height});
        return ray ? ray->at(far) : Eigen::Vector3d::Zero();
    };
    window.layoutEdits().place(meshOf(props, "gull"), {Hang(), at(0.3, 0.16), Eigen::Vector3d::UnitY()});
    window.layoutEdits().rename(QStringLiteral("gull"));
    Thing gull = *window.layoutEdits().current();
    const FrameRange r = shot.range;
    const double xs[] = {0.05, 0.3, 0.62, 0.95}, ys[] = {0.22, 0.13, 0.19, 0.08};
    for (int i = 0; i < 4; ++i) {
        const int frame = r.first + i * (r.count() - 1) / 3;
        gull.keys.position.keys.set(frame, at(xs[i], ys[i]));
        gull.keys.position.keys.setBetween(frame, Between::smooth);
        const Eigen::Vector3d along =
            at(xs[std::min(i + 1, 3)], ys[std::min(i + 1, 3)]) - at(xs[std::min(i, 2)], ys[std::min(i, 2)]);
        gull.keys.turn.keys.set(frame, {0, std::atan2(along.x(), along.z()), i % 2 ? 0.25 : -0.2});
        gull.keys.turn.keys.setBetween(frame, Between::smooth);
    }
    gull.keys.position.after = Outside::goOn;
    window.layoutEdits().change(QStringLiteral("Fly"), gull);
}

}  // namespace

void layOutYard(MainWindow& window, const QString& props) {
    Document& document = window.document();
    const FrameRange range = document.shot().range;
    document.setFrame((range.first + range.last) / 2);
    const auto place = [&](const ThingKind& kind, double x, double y, const char* name) {
        const Shot& shot = document.shot();
        const auto on = placeAt(shot, document.frame(), {x * shot.plate.width, y * shot.plate.height});
        if (!on) return;
        window.layoutEdits().place(kind, *on);
        window.layoutEdits().rename(QString::fromLatin1(name));
        window.layoutEdits().settle();
        wait([&] { return !window.settlePlace().busy(); });
    };
    Label sign;
    sign.words = "SLIP 4";
    place(sign, signX, signY, "sign");
    place(meshOf(props, "crate"), crateX, crateY, "crate");
    place(Post(), postX, postY, "post");
    hangLantern(window, props);
    flyGull(window, props);
    // The yard's own sky lights the things, its brightest spot where the sun stands.
    const QString sky = props + "/yard-sky.exr";
    if (!QFileInfo::exists(sky)) return;
    window.proofEdits().change(QStringLiteral("Sky"),
                               [&](ProofSpec& p) { p.sky.picture = QFileInfo(sky).absoluteFilePath().toStdString(); });
    window.proofEdits().skyToSun();
}

void openLaidOut(MainWindow& window, const QString& props) {
    Document& document = window.document();
    document.matchShot();
    wait([&] { return !document.job().running(); });
    if (!document.shot().solve->hasDepth()) return;
    window.action("lookForMovers")->trigger();
    wait([&] { return !document.job().running(); });
    window.action("stepLayout")->trigger();
    layOutYard(window, props);
}

}  // namespace va
