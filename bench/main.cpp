// SPDX-License-Identifier: GPL-3.0-or-later
// va-bench [--out FILE.json] [NAME…]: measures side by side with reference libraries, prints a table, writes JSON.
// Ratios say more than seconds: both sides of a ratio are measured in one run on one machine.
#include <QApplication>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "table.h"

namespace va::bench {

double bestSeconds(int times, const std::function<void()>& run) {
    double best = 1e300;
    for (int i = 0; i < times; ++i) {
        const auto start = std::chrono::steady_clock::now();
        run();
        best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    }
    return best;
}

namespace {

std::string scaledClip(const std::string& name, const char* size, int frames) {
    const std::string folder = std::string(VA_BINARY_DIR) + "/clips", file = folder + "/" + name;
    std::filesystem::create_directories(folder);
    if (!std::filesystem::exists(file)) {
        const std::string command = "ffmpeg -v error -y -i " + std::string(VA_SOURCE_DIR) +
                                    "/demo/data/slipway/slipway.mp4 -filter_complex '[0]scale=" + size +
                                    ":flags=lanczos,split=3[a][b][c];[b]reverse[r];[a][r][c]concat=n=3' -frames:v " +
                                    std::to_string(frames) +
                                    " -c:v libx264 -preset fast -crf 18 -pix_fmt yuv420p -g 50 " + file;
        if (std::system(command.c_str()) != 0) std::fprintf(stderr, "va-bench: ffmpeg failed\n");
    }
    return file;
}

}  // namespace

std::string clip1080p(int frames) {
    return scaledClip("slipway-1080p-" + std::to_string(frames) + ".mp4", "1920:1080", frames);
}

std::string clip4k() { return scaledClip("slipway-4k.mp4", "3840:2160", 48); }

}  // namespace va::bench

int main(int argc, char** argv) {
    QApplication app(argc, argv);
    std::string out = "bench.json";
    std::vector<std::string> wanted;
    for (int i = 1; i < argc; ++i) {
        if (!std::strcmp(argv[i], "--out") && i + 1 < argc) out = argv[++i];
        else wanted.emplace_back(argv[i]);
    }
    using namespace va::bench;
    const std::pair<const char*, void (*)(Table&)> parts[] = {
        {"follow", measureTracking}, {"features", measureFeatures}, {"lens", measureLens},
        {"bundle", measureBundle},   {"solve", measureSolve},       {"ground", measureGround},
        {"layout", measureLayout},   {"exchange", measureExchange}, {"proof", measureProof},
        {"window", measureWindow},   {"match", measureMatch},       {"kinds", measureKinds},
        {"memory", measureMemory}};
    Table table;
    for (const auto& [name, measure] : parts) {
        if (!wanted.empty() && std::find(wanted.begin(), wanted.end(), name) == wanted.end()) continue;
        const size_t before = table.size();
        measure(table);
        for (size_t i = before; i < table.size(); ++i)
            std::printf("%-28s %10.3f %-6s goal %-14s %s\n", table[i].name.c_str(), table[i].value,
                        table[i].unit.c_str(), table[i].goal.c_str(), table[i].note.c_str());
        std::fflush(stdout);
    }
    nlohmann::json json = nlohmann::json::array();
    for (const Measure& m : table)
        json.push_back({{"name", m.name}, {"value", m.value}, {"unit", m.unit}, {"goal", m.goal}});
    va::writeFileAtomically(out, json.dump(1) + "\n");
    return 0;
}
