// SPDX-License-Identifier: GPL-3.0-or-later
// va-judge CAMERA.JSON TRUTH.JSON [STILLS.TRUTH.JSON]: compares a solve with a known true camera and prints a line.
#include <cstdio>

#include "base/atomic_file.h"
#include "base/error.h"
#include "judge.h"

int main(int argc, char** argv) {
    if (argc != 3 && argc != 4) {
        std::fprintf(stderr, "usage: va-judge camera.json truth.json [stills.truth.json]\n");
        return 2;
    }
    try {
        std::printf("%s\n", va::judge(va::readFile(argv[1]), va::readFile(argv[2])).line().c_str());
        const std::string camera = va::readFile(argv[1]), truth = va::readFile(argv[2]);
        if (truth.find("\"movers\"") != std::string::npos && camera.find("\"size_known\"") != std::string::npos) {
            const va::MoverJudgement m = va::judgeMover(camera, truth);
            std::printf("mover: %d frames, rotation %.4f deg, place %.4f %% of its distance, slip %.3f px\n", m.frames,
                        m.rotationDeg, m.placePercent, m.slipPx);
        }
        if (argc == 4) {
            const va::StillsJudgement s = va::judgeStills(camera, truth, va::readFile(argv[3]));
            std::printf("%d stills: stick %.4f px, shape %.4f px, focal %.3f %%, place %.3f %%\n", s.stills, s.stickPx,
                        s.shapePx, s.worstFocalPercent, s.worstPlacePercent);
        }
        return 0;
    } catch (const va::Error& e) {
        std::fprintf(stderr, "va-judge: %s\n", e.what());
        return 1;
    }
}
