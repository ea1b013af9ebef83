// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/atomic_file.h"
#include "exchange/camera_json.h"
#include "judge.h"
#include "table.h"
#include "workflow/match_shot.h"

namespace va::bench {
namespace {

void measureClip(Table& table, const std::string& name, const std::string& clip, const std::string& goal) {
    Shot shot;
    double playing = 0;
    const double seconds = bestSeconds(2, [&] {
        shot = withPlate(Shot(), clip);
        Progress progress;
        shot = matchShot(shot, progress);
        playing = double(shot.frames().size()) / shot.rate().value();
    });
    char note[300];
    std::snprintf(note, sizeof note,
                  "%.2f s for a clip of %.2f s, of it the solve %.2f s; %d of %zu frames, fit %.3f px", seconds,
                  playing, shot.solve->solveSeconds, shot.solve->solvedCount(), shot.solve->frames.size(),
                  shot.solve->rmsPx);
    table.push_back({name, seconds / playing, "ratio", goal, note});
}

}  // namespace

void measureMatch(Table& table) {
    const std::string demo = std::string(VA_SOURCE_DIR) + "/demo/data/";
    measureClip(table, "match_vs_playing_720p", demo + "slipway/slipway.mp4", "<= 1.0");
    measureClip(table, "match_vs_playing_1080p", clip1080p(120), "<= 1.0");
    Progress progress;
    const Shot shot = matchShot(withPlate(Shot(), demo + "slipway/slipway.mp4"), progress);
    const Judgement j = judge(writeCameraJson(gatherExport(shot, "")), readFile(demo + "slipway/slipway.truth.json"));
    table.push_back({"slipway_stick_px", j.stickPx, "px", "<= 0.05", ""});
    table.push_back({"slipway_shape_px", j.shapePx, "px", "<= 0.2", ""});
    table.push_back({"slipway_focal_percent", j.focalPercent, "%", "<= 0.2", ""});
}

}  // namespace va::bench
