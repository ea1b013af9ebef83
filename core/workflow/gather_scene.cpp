// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/gather_scene.h"

#include "solve/report/slip.h"
#include "workflow/mover_work.h"
#include "workflow/verdict.h"

namespace va {

SceneExport gatherScene(const Shot& shot) {
    SceneExport out = gatherExport(shot, verdictOn(shot, Step::solve).sentence);
    const SlipField sure = slipFieldOf(*shot.solve, *shot.paths, shot.plate.width, shot.plate.height);
    out.slipPx = slipOverPoints(sure, *shot.solve, shot.range);
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
    return out;
}

}  // namespace va
