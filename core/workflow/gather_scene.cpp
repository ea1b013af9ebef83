// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/gather_scene.h"

#include "solve/report/slip.h"
#include "workflow/layout_work.h"
#include "workflow/mover_work.h"
#include "workflow/place_things.h"
#include "workflow/verdict.h"

namespace va {

namespace {

/// Where each thing stands in the world, frame by frame where it moves.
void placeThings(const Shot& shot, SceneExport& out) {
    std::vector<int> frames;
    for (const SceneExport::Frame& f : out.frames) frames.push_back(f.frame);
    for (SceneExport::PlacedThing& t : out.things) {
        const Thing& of = *shot.thing(t.id);
        t.hangsOn = hangWordsOf(shot, t.hang);
        if (const Thing* parent = shot.thing(t.parent())) t.parentName = parent->name;
        bool first = true;
        const auto take = [&](int frame) {
            const PlacedThings placed(shot, frame);
            const auto at = placed.of(of);
            if (!at) return;
            if (first) t.position = at->translation, t.rotation = at->rotation, t.scale = at->scale;
            t.visible = first ? placed.visible(of) : t.visible;
            first = false;
            t.samples.push_back({frame, *at, placed.visible(of)});
        };
        if (thingMoves(shot, of)) {
            for (const int frame : frames) take(frame);
        } else if (!frames.empty()) {
            take(frames.front());
            t.samples.clear();
        }
    }
}

/// The camera with its layers, and the frame that they need.
void layerCamera(const Shot& shot, SceneExport& out) {
    if (!shot.layers.any()) return;
    const auto cameras =
        layeredCameras(*shot.solve, shot.ground->worldFromSolve, shot.layers, shot.range, shot.rate().value());
    const LayerOverscan over = overscanOf(cameras, shot.solve->lens, out.width, out.height);
    // Where no larger frame holds what they look at, they are of use over another scene only: the plate's own frame.
    const bool holds = over.possible;
    out.layered = {out.width + (holds ? over.left + over.right : 0),
                   out.height + (holds ? over.top + over.bottom : 0),
                   holds ? over.left : 0,
                   holds ? over.top : 0,
                   {}};
    for (const LayeredCamera& c : cameras) out.layered.frames.push_back({c.frame, c.pose, c.focalPx});
}

}  // namespace

SceneExport gatherScene(const Shot& shot) {
    SceneExport out = gatherExport(shot, verdictOn(shot, Step::solve).sentence);
    const SlipField sure = slipFieldOf(*shot.solve, *shot.paths, shot.plate.width, shot.plate.height);
    out.slipPx = slipOverPoints(sure, *shot.solve, shot.range);
    out.slipNearPx = slipNearCamera(sure, *shot.solve, shot.range);
    for (const Mover& m : shot.movers) {
        if (m.solve->motion != Motion::free) continue;
        SceneExport::Mover mover;
        mover.name = m.name;
        (void)moverScale(shot, m, &mover.sizeKnown);
        for (const SolvedFrame& f : m.solve->frames)
            if (const auto pose = moverWorldPose(shot, m, f.frame)) mover.poses.emplace_back(f.frame, *pose);
        const auto points = moverPoints(shot, m);
        for (size_t i = 0; i < points.size(); ++i)
            mover.points.push_back({points[i].first, "", points[i].second, m.solve->points[i].rmsPx});
        out.movers.push_back(std::move(mover));
    }
    placeThings(shot, out);
    layerCamera(shot, out);
    return out;
}

}  // namespace va
