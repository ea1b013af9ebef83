// SPDX-License-Identifier: GPL-3.0-or-later
// How long a match takes against the clip's playing time, by the kind of move, and which stages it goes to.
#include <map>

#include "base/text.h"
#include "table.h"
#include "workflow/match_shot.h"

namespace va::bench {
namespace {

double secondsSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void measureKind(Table& table, const std::string& kind, const std::string& file) {
    const auto start = std::chrono::steady_clock::now();
    std::map<std::string, double> stages;
    std::string stage;
    auto since = start;
    Progress progress([&](const Progress::State& s) {
        if (s.stage == stage) return;
        stages[stage] += secondsSince(since);
        stage = s.stage, since = std::chrono::steady_clock::now();
    });
    double first = -1;
    const Shot shot =
        matchShot(withPlate(Shot(), std::string(VA_SOURCE_DIR) + file), progress, nullptr, [&](const Shot&) {
            if (first < 0) first = secondsSince(start);
        });
    const double all = secondsSince(start);
    stages[stage] += secondsSince(since);
    std::vector<std::pair<double, std::string>> order;
    for (const auto& [name, seconds] : stages)
        if (!name.empty()) order.emplace_back(seconds / all, name);
    std::sort(order.rbegin(), order.rend());
    std::string note;
    for (size_t i = 0; i < std::min<size_t>(4, order.size()); ++i)
        note += formatted("%s%s %.0f %%", i ? ", " : "", order[i].second.c_str(), 100 * order[i].first);
    const double playing = double(shot.frames().size()) / shot.rate().value();
    table.push_back({"first_camera_" + kind, first / playing, "x", "<= 0.6", "of the playing time"});
    table.push_back({"match_" + kind, all / playing, "x", "<= 1.0", note});
}

}  // namespace

void measureKinds(Table& table) {
    measureKind(table, "free", "/demo/data/slipway/slipway.mp4");
    measureKind(table, "handheld", "/demo/data/boardwalk/boardwalk.mp4");
    measureKind(table, "nodal", "/demo/data/mast-top/mast-top.mp4");
    measureKind(table, "zoom", "/demo/data/zoom/zoom.mp4");
    measureKind(table, "wide", "/demo/data/wide-yard/wide-yard.mp4");
    measureKind(table, "anamorphic", "/tests/data/places/scope/scope.mp4");
    measureKind(table, "portrait", "/tests/data/places/upright/upright.mp4");
    measureKind(table, "rolling", "/demo/data/quay/quay.mp4");
    measureKind(table, "mover", "/demo/data/trolley/trolley.mp4");
    measureKind(table, "flat", "/tests/data/places/wall/wall.mp4");
    measureKind(table, "long_lens", "/tests/data/places/telephoto/telephoto.mp4");
}

}  // namespace va::bench
