// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <chrono>
#include <functional>
#include <string>
#include <vector>

namespace va::bench {

/// One measured value; names are stable, since others read build/bench.json.
struct Measure {
    std::string name;
    double value = 0;
    std::string unit;
    std::string goal;
    std::string note;
};
using Table = std::vector<Measure>;

/// Best of `times` runs, in seconds: the least disturbed one.
double bestSeconds(int times, const std::function<void()>& run);

/// 1080p clips made once from the demo clip by ffmpeg: "slipway-1080p.mp4" (120 frames) and "slipway-1080p-300.mp4"
/// (there and back, 300 frames).
std::string clip1080p(int frames);
/// The same at 3840 × 2160, 24 frames.
std::string clip4k();

void measureTracking(Table& table);
void measureFeatures(Table& table);
void measureBundle(Table& table);
void measureLens(Table& table);
void measureSolve(Table& table);
void measureGround(Table& table);
void measureMatch(Table& table);
void measureKinds(Table& table);
void measureLayout(Table& table);
void measureExchange(Table& table);
void measureProof(Table& table);
void measureWindow(Table& table);
void measureMemory(Table& table);

}  // namespace va::bench
