// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/laid_out.h"

#include <QEventLoop>
#include <QFileInfo>
#include <QTimer>

#include "main_window/main_window.h"
#include "workflow/layout_work.h"
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

/// The yard's own sky lights the things, its brightest spot where the sun stands.
void setYardSky(MainWindow& window, const QString& props) {
    const QFileInfo sky(props + "/yard-sky.exr");
    if (!sky.exists()) return;
    window.proofEdits().change(QStringLiteral("Sky"),
                               [&](ProofSpec& p) { p.sky.picture = sky.canonicalFilePath().toStdString(); });
    window.proofEdits().skyToSun();
}

/// Puts a thing where a share of the picture's width and height shows the ground. Returns its id, 0 where it does not.
int onGround(MainWindow& window, const ThingKind& kind, double x, double y, const QString& name) {
    Document& document = window.document();
    const Shot& shot = document.shot();
    const auto camera = shot.cameraAt(document.frame());
    const auto ray = camera ? camera->ray({x * shot.plate.width, y * shot.plate.height}) : std::nullopt;
    if (!ray || ray->direction.y() > -1e-3) return 0;
    const Eigen::Vector3d at = ray->at(-ray->origin.y() / ray->direction.y());
    // Not settled on what the picture shows there: it stands where the ground is, even behind something.
    Thing thing = newThing(shot, kind, {{Hang::On::ground, 0, {}}, at, Eigen::Vector3d::UnitY()}, document.frame());
    thing.name = name.toStdString();
    int id = 0;
    document.edit(QStringLiteral("Place %1").arg(name), withThing(shot, thing, &id));
    return id;
}

/// The hull's outline in the middle frame of "slipway", px: as a mask that follows it, on an upright plane through it.
MaskShape hullMask(const Shot& shot, int frame) {
    constexpr double outline[][2] = {{100, 366}, {190, 362}, {190, 322}, {715, 322}, {721, 340}, {700, 372},
                                     {640, 398}, {520, 436}, {400, 447}, {280, 436}, {190, 412}, {130, 388}};
    MaskShape mask;
    mask.id = 1, mask.name = "hull", mask.feather = 1.5;
    const auto camera = shot.cameraAt(frame);
    const auto under = camera ? camera->ray({400, 470}) : std::nullopt;
    if (!under || under->direction.y() > -1e-3) return mask;
    const Eigen::Vector3d foot = under->at(-under->origin.y() / under->direction.y());
    const Eigen::Vector3d to = (foot - under->origin).cwiseProduct(Eigen::Vector3d(1, 0, 1)).normalized();
    std::vector<Eigen::Vector3d> corners;
    for (const auto& p : outline) {
        const auto ray = camera->ray({p[0], p[1]});
        if (ray) corners.push_back(ray->at((foot - ray->origin).dot(to) / ray->direction.dot(to)));
    }
    for (int at = shot.range.first; at <= shot.range.last; at += 10) {
        const auto then = shot.cameraAt(at);
        std::vector<MaskPoint> points;
        for (const Eigen::Vector3d& c : corners)
            if (const auto px = then ? then->project(c) : std::nullopt) points.push_back({*px, {0, 0}, {0, 0}});
        if (points.size() == corners.size()) mask.setPoints(at, points);
    }
    return mask;
}

/// A wet place beside the boardwalk, and a post beyond it whose picture it shows.
void addPuddle(MainWindow& window) {
    Document& document = window.document();
    Card water;
    const auto camera = document.shot().cameraAt(document.frame());
    if (!camera) return;
    water.width = 1.1 * std::fabs(camera->pose().position.y()), water.height = 0.8 * water.width;
    const int id = onGround(window, water, 0.2, 0.93, QStringLiteral("puddle"));
    if (id == 0) return;
    const Thing lying = inStance(document.shot(), *document.shot().thing(id), Stance::lie, document.frame());
    window.layoutEdits().change(QStringLiteral("Lay flat"), lying);
    window.proofEdits().change(QStringLiteral("Puddle"), [&](ProofSpec& p) {
        ProofRole& role = p.roleOf(id);
        role.part = ProofPart::catcher;
        role.catches.mirror = 0.55, role.catches.roughness = 0.06, role.catches.ripple = 0.8;
        role.catches.rippleSize = water.width / 8, role.catches.edge = water.width / 6;
    });
    onGround(window, Post(), 0.2, 0.83, QStringLiteral("post by the water"));
}

}  // namespace

void layOutProof(MainWindow& window, const QString& props) {
    Document& document = window.document();
    const FrameRange range = document.shot().range;
    document.setFrame((range.first + range.last) / 2);
    const bool slipway = QFileInfo(QString::fromStdString(document.shot().plateSpec)).completeBaseName() == "slipway";
    window.proofEdits().setSun({-0.62, 0.62, 0.48});
    setYardSky(window, props);
    onGround(window, meshOf(props, "crate"), slipway ? 0.66 : 0.36, slipway ? 0.86 : 0.9, QStringLiteral("crate"));
    const auto ball = [&](double x, double y, const QString& name, double roughness, double metalness, double grey) {
        const int id = onGround(window, Ball(), x, y, name);
        if (id == 0) return;
        Thing t = *document.shot().thing(id);
        t.colour = {grey, grey, grey, 1};
        window.layoutEdits().change(QStringLiteral("Colour"), t);
        window.proofEdits().change(
            name, [&](ProofSpec& p) { p.roleOf(id).roughness = roughness, p.roleOf(id).metalness = metalness; });
    };
    if (!slipway) {
        addPuddle(window);
        document.selectThing(0);
        return;
    }
    onGround(window, Post(), 0.735, 0.84, QStringLiteral("post"));
    ball(0.80, 0.90, QStringLiteral("chrome ball"), 0.03, 1, 0.95);
    ball(0.875, 0.91, QStringLiteral("grey ball"), 1, 0, 0.461);
    const int behind = onGround(window, Box(), 0.24, 0.555, QStringLiteral("behind the hull"));
    if (behind != 0) {
        Thing tall = *document.shot().thing(behind);
        auto& box = std::get<Box>(tall.kind);
        box.width *= 1.6, box.height *= 3, box.depth *= 1.6;
        window.layoutEdits().change(QStringLiteral("Scale"), tall);
        const MaskShape mask = hullMask(document.shot(), document.frame());
        window.proofEdits().change(QStringLiteral("Hull in front"), [&](ProofSpec& p) { p.front.masks = {mask}; });
    }
    document.selectThing(0);
}

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
    setYardSky(window, props);
}

void openLaidOut(MainWindow& window, const QString& props) {
    Document& document = window.document();
    document.matchShot();
    wait([&] { return !document.job().running(); });
    if (!document.shot().solve->hasDepth()) return;
    const QString clip = QFileInfo(QString::fromStdString(document.shot().plateSpec)).completeBaseName();
    if (clip == "slipway" || clip == "boardwalk") {
        layOutProof(window, props);
        window.action("stepProof")->trigger();
        return;
    }
    window.action("lookForMovers")->trigger();
    wait([&] { return !document.job().running(); });
    window.action("stepLayout")->trigger();
    layOutYard(window, props);
}

}  // namespace va
