// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/proof_edits.h"

#include "base/error.h"
#include "workflow/place_things.h"
#include "workflow/proof_work.h"

namespace va {

ProofEdits::ProofEdits(Document& document, QObject* parent) : QObject(parent), document_(document) {
    connect(&background_, &Background::progressed, this, &ProofEdits::changed);
}

void ProofEdits::change(const QString& name, const std::function<void(ProofSpec&)>& how, const QString& merge) {
    Shot next = document_.shot();
    how(next.proof);
    if (!(next.proof == document_.shot().proof)) document_.edit(name, next, merge);
}

void ProofEdits::setNumber(const ProofNumber& number, double value) {
    if (!(value >= number.low && value <= number.high))
        return Q_EMIT document_.troubled(
            tr("%1 must be between %2 and %3.").arg(tr(number.label)).arg(number.low).arg(number.high));
    change(tr("Set %1").arg(tr(number.label).toLower()), [&](ProofSpec& p) { number.of(p) = value; });
}

void ProofEdits::apply(const QString& name, const std::function<Shot(const Shot&)>& how) {
    try {
        document_.edit(name, how(document_.shot()));
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void ProofEdits::setSun(const Eigen::Vector3d& toSun) {
    if (!(toSun.norm() > 1e-9)) return;
    change(
        tr("Turn the sun"), [&](ProofSpec& p) { p.sun.toSun = toSun.normalized(), p.sun.sigmaDegrees = -1; }, "sun");
}

void ProofEdits::addPost(const ShadowPost& post) {
    apply(tr("Mark post and shadow"), [&](const Shot& shot) {
        Shot next = shot;
        next.proof.posts.push_back(post);
        return withSunFromPosts(next);
    });
}

void ProofEdits::removePosts() {
    change(tr("Remove posts"), [](ProofSpec& p) { p.posts.clear(), p.sun.sigmaDegrees = -1; });
}

void ProofEdits::measureShadow(const Eigen::Vector2d& lit, const Eigen::Vector2d& shaded) {
    apply(tr("Measure shadow"), [&](const Shot& shot) {
        return withShadowMeasured(shot, document_.frame(), frameInHand(shot), lit, shaded);
    });
}

Picture ProofEdits::frameInHand(const Shot& shot) const {
    return openPlate(shot.plateSpec, shot.overrides)->colours(document_.frame());
}

void ProofEdits::markSkySpot(const Eigen::Vector2d& spot) {
    skySpot_ = spot;
    Q_EMIT changed();
}

void ProofEdits::turnSkySpotTo(const Eigen::Vector2d& pixel) {
    if (document_.shot().proof.sky.picture.empty() || !skySpot_)
        return Q_EMIT document_.troubled(
            tr("No spot is marked in the sky picture. Choose a picture under Sky and click something in it that the "
               "plate shows too."));
    apply(tr("Turn the sky to a spot"),
          [&](const Shot& shot) { return withSkyTurned(shot, *skySpot_, document_.frame(), pixel); });
}

void ProofEdits::pickSkyColour(const Eigen::Vector2d& grey) {
    apply(tr("Pick the sky's colour"), [&](const Shot& shot) { return withSkyColour(shot, frameInHand(shot), grey); });
}

void ProofEdits::measureHaze(const Eigen::Vector2d& near, const Eigen::Vector2d& far) {
    apply(tr("Measure haze"),
          [&](const Shot& shot) { return withHazeMeasured(shot, document_.frame(), frameInHand(shot), near, far); });
}

void ProofEdits::holdSun(bool held) {
    sunHeld_ = held;
    Q_EMIT changed();
}

void ProofEdits::sunFromPlace() {
    apply(tr("Sun from place and time"), [](const Shot& shot) { return withSunFromPlace(shot); });
}

void ProofEdits::northFromSun() {
    apply(tr("North from the sun"), [](const Shot& shot) { return withNorthFromSun(shot); });
}

void ProofEdits::skyToSun() {
    apply(tr("Turn the sky to the sun"), [](const Shot& shot) { return withSkyToSun(shot); });
}

void ProofEdits::setPart(ProofPart part) {
    const int id = document_.selectedThing();
    if (id == 0) return;
    change(tr("Set part in the proof"), [&](ProofSpec& p) { p.roleOf(id).part = part; });
}

void ProofEdits::aimLight() {
    const Shot& shot = document_.shot();
    const Thing *lamp = nullptr, *target = nullptr;
    for (const int id : document_.selectedThings()) {
        const Thing* t = shot.thing(id);
        if (!t) continue;
        if (std::holds_alternative<Light>(t->kind)) lamp = t;
        else target = t;
    }
    if (!lamp) return Q_EMIT document_.troubled(tr("No light is selected. Select one, and a thing to aim it at."));
    if (!target) {
        const PlacedThings placed(shot, document_.frame());
        const auto from = placed.of(*lamp);
        double nearest = 1e300;
        for (const Thing& t : shot.things) {
            const auto at = placed.of(t);
            if (!at || !from || !hasSurface(t.kind)) continue;
            if (const double d = (at->translation - from->translation).norm(); d < nearest) nearest = d, target = &t;
        }
    }
    if (!target) return Q_EMIT document_.troubled(tr("There is nothing to aim at. Place a thing first."));
    const Thing aimed = *lamp, at = *target;
    apply(tr("Aim light"), [&](const Shot& s) {
        Shot next = s;
        for (Thing& t : next.things)
            if (t.id == aimed.id) t = aimedAt(s, aimed, at, document_.frame());
        return next;
    });
}

void ProofEdits::renderTo(const ProofOutput& output) {
    if (background_.running()) return;
    const auto report = std::make_shared<ProofReport>();
    background_.start([shot = document_.shot(), output,
                       report](Progress& progress) { *report = renderProof(shot, output, progress); },
                      [this, report](Background::End end, const QString& trouble) {
                          if (end == Background::End::failed) Q_EMIT document_.troubled(trouble);
                          report_ = end == Background::End::done ? QString::fromStdString(report->sentence)
                                    : end == Background::End::cancelled
                                        ? tr("Stopped: what was rendered stays, and the next run goes "
                                             "on from there.")
                                        : trouble;
                          Q_EMIT changed();
                      });
    Q_EMIT changed();
}

}  // namespace va
