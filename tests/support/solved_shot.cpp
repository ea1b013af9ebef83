// SPDX-License-Identifier: GPL-3.0-or-later
#include "solved_shot.h"

#include "synthetic_shot.h"
#include "workflow/match_shot.h"

namespace va::test {

Shot makeSolvedShot() {
    SyntheticOptions o;
    o.frames = 24;
    o.camera = [](double t) { return lookAlong({-2 + 4 * t, 1.7, 0.5 * t}, 0.12 - 0.3 * t, -0.12); };
    SyntheticShot s = makeSyntheticShot(o);
    // A floor under the camera, so that there is something to stand on.
    int id = int(s.paths.size()) + 1000;
    for (int x = -4; x <= 4; ++x)
        for (int z = 4; z <= 10; z += 2) {
            Path p;
            p.id = id++;
            for (int f = 0; f < o.frames; ++f) {
                const auto q = project(s.cameras[size_t(f)], s.lens, {x * 1.0, 0, -z * 1.0});
                if (!q || q->x() < 0 || q->y() < 0 || q->x() > 1279 || q->y() > 719) continue;
                p.points.push_back({1001 + f, q->x(), q->y(), 0.99F, 0.01F, 0, 0.01F, 0});
            }
            if (p.points.size() >= 3) s.paths.push_back(p);
        }
    Shot shot;
    shot.name = "made-up";
    shot.plateSpec = "/nowhere/made-up.mp4";
    shot.plate.width = 1280;
    shot.plate.height = 720;
    shot.plate.rate = {24000, 1001};
    shot.plate.frames = {1001, 1000 + o.frames};
    shot.plate.format = "H.264";
    shot.range = shot.plate.frames;
    shot.paths = std::make_shared<std::vector<Path>>(s.paths);
    shot.pathsFrom = fingerprintOfTrackInput(shot);
    shot.tracked = shot.range;
    Progress progress;
    shot = withSolve(shot, progress);
    Thing box;
    box.id = 1;
    box.name = "box 1";
    box.position = {0.25, 0, -0.5};
    box.rotation = Eigen::Quaterniond(Eigen::AngleAxisd(0.3, Eigen::Vector3d::UnitY()));
    box.kind = Box{1, 2, 0.5};
    Thing anchor;
    anchor.id = 2;
    anchor.kind = Anchor();
    anchor.name = "bow \"fore\"";
    anchor.position = {1, 0.5, -2};
    shot.things = {box, anchor};
    return shot;
}

}  // namespace va::test
