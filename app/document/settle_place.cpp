// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/settle_place.h"

#include <algorithm>

#include "media/plate_source.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"
#include "workflow/stick_strip.h"

namespace va {
namespace {

/// Frames before and after the one in hand that are looked at: enough parallax for a place, and a second to read.
constexpr int reach = 75;

}  // namespace

SettlePlace::SettlePlace(Document& document, LayoutEdits& edits) : document_(document) {
    connect(&edits, &LayoutEdits::putOnSurface, this, &SettlePlace::settle);
}

void SettlePlace::settle(int thing) {
    if (background_.running()) {
        next_ = thing;
        return background_.cancel();
    }
    start(thing);
}

void SettlePlace::start(int id) {
    const Shot& shot = document_.shot();
    const Thing* t = shot.thing(id);
    const bool onSurface =
        t && (t->hang.on == Hang::On::surface || t->hang.on == Hang::On::ground || t->hang.on == Hang::On::plane);
    if (!onSurface || thingMoves(shot, *t) || !document_.plateTrouble().isEmpty() || !shot.solve->hasDepth()) return;
    const int frame = document_.frame();
    const auto snapshot = std::make_shared<const Shot>(shot);
    const auto place = std::make_shared<std::optional<Eigen::Vector3d>>();
    std::vector<int> frames = shot.frames();
    std::erase_if(frames, [frame](int f) { return std::abs(f - frame) > reach; });
    background_.start(
        [snapshot, place, frames, frame, id](Progress& progress) {
            const auto source = openPlate(snapshot->plateSpec, choicesForOpening(snapshot->overrides));
            *place = settledPlace(
                *snapshot, footOf(*snapshot, id), frames, [&](int f) { return source->luma(f); }, frame, progress);
        },
        [this, snapshot, place, frame, id](Background::End end, const QString&) {
            if (next_ != 0) return start(std::exchange(next_, 0));
            if (end != Background::End::done) return;
            const Thing before = *snapshot->thing(id);
            const QString name = QString::fromStdString(before.name);
            if (!*place)
                return Q_EMIT settled(
                    tr("\"%1\" stands on the plane through the features around it: the pictures there "
                       "say no more. The stick strip shows whether it sticks.")
                        .arg(name));
            auto world = PlacedThings(*snapshot, frame).of(before);
            if (!world) return;
            const double by = (**place - world->translation).norm();
            world->translation = **place;
            const Thing now = movedTo(*snapshot, before, *world, frame);
            if (!document_.amendThing(before, now)) return;
            Q_EMIT settled(tr("\"%1\" settled on its surface, by %2 %3.")
                               .arg(name)
                               .arg(by, 0, 'g', 2)
                               .arg(QString::fromUtf8(snapshot->unit())));
        });
}

}  // namespace va
