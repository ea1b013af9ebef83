// SPDX-License-Identifier: GPL-3.0-or-later
// A match of footage in which one frame of twenty is damaged, against the truth.
#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "base/atomic_file.h"
#include "exchange/camera_json.h"
#include "judge.h"
#include "media/movie/movie_index.h"
#include "workflow/gather_scene.h"
#include "workflow/match_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

namespace fs = std::filesystem;
const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";

Shot matched(const fs::path& plate) {
    Progress progress;
    return matchShot(withPlate(Shot(), plate.string()), progress);
}

Judgement judged(const Shot& shot, const std::string& truth) {
    return judge(writeCameraJson(gatherScene(shot)), readFile(data + truth));
}

TEST(DamagedFrames, CostThemselvesAndNothingElse) {
    const fs::path folder = fs::temp_directory_path() / ("va-damaged-" + std::to_string(getpid()));
    fs::create_directories(folder);
    // Each picture coded by itself: damage does not go on into others.
    const fs::path clean = folder / "clean.avi", damaged = folder / "damaged.avi";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -i " + data +
                           "slipway/slipway.mp4 -c:v mjpeg -q:v 2 -pix_fmt yuvj420p " + clean.string())
                              .c_str()),
              0);
    std::string bytes = readFile(clean);
    const MovieIndex index = readMovieIndex(clean.string(), -1, nullptr);
    std::vector<int> chosen(index.packets.size());
    for (size_t i = 0; i < chosen.size(); ++i) chosen[i] = int(i);
    std::shuffle(chosen.begin(), chosen.end(), std::mt19937(4));
    chosen.resize(index.packets.size() / 20);
    for (const int i : chosen) {
        const MoviePacket& p = index.packets[size_t(i)];
        // The last two thirds of the picture are zeros, as on a disk that lost a block.
        std::fill_n(bytes.begin() + p.position + 8 + p.size / 3, p.size / 2, '\0');
    }
    writeFileAtomically(damaged, bytes);
    const Shot before = matched(clean), after = matched(damaged);
    fs::remove_all(folder);
    std::vector<int> left;
    for (const FrameDamage& d : after.plate.damaged) left.push_back(d.frame - 1001);
    std::sort(chosen.begin(), chosen.end());
    EXPECT_EQ(left, chosen);
    EXPECT_EQ(after.solve->solvedCount(), int(index.frames.size() - chosen.size()));
    const Verdict plate = verdictOn(after, Step::plate);
    EXPECT_NE(plate.sentence.find("Damaged and left out"), std::string::npos) << plate.sentence;
    EXPECT_EQ(plate.lamp, Lamp::good) << "under a tenth of the range";
    const Judgement was = judged(before, "slipway/slipway.truth.json"),
                    is = judged(after, "slipway/slipway.truth.json");
    // The trade would not see a hundredth of a pixel more: what must hold is half as much again.
    EXPECT_LT(is.stickPx, 1.5 * was.stickPx + 0.005) << is.line();
    EXPECT_LT(is.shapePx, 1.5 * was.shapePx + 0.005) << is.line();
    EXPECT_LT(is.focalPercent, 1.5 * was.focalPercent + 0.05) << is.line();
}

}  // namespace
}  // namespace va
