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

/// A movie and the same with one packet of twenty damaged: the last two thirds of it are zeros, as on a disk that lost
/// a block. The first packet stays whole.
struct CleanAndDamaged {
    Shot before, after;
    std::vector<int> chosen;  ///< ordinals of the damaged packets, rising
    int packets = 0;
};

CleanAndDamaged matchedCleanAndDamaged(const std::string& clip, const std::string& encode) {
    const fs::path folder = fs::temp_directory_path() / ("va-damaged-" + std::to_string(getpid()));
    fs::create_directories(folder);
    const std::string ending = encode.empty() ? ".mp4" : ".avi";
    const fs::path clean = folder / ("clean" + ending), damaged = folder / ("damaged" + ending);
    if (encode.empty()) {
        fs::copy_file(data + clip, clean, fs::copy_options::overwrite_existing);
    } else {
        EXPECT_EQ(std::system(("ffmpeg -v error -y -i " + data + clip + " " + encode + " " + clean.string()).c_str()),
                  0);
    }
    std::string bytes = readFile(clean);
    const MovieIndex index = readMovieIndex(clean.string(), -1, nullptr);
    CleanAndDamaged out;
    out.packets = int(index.packets.size());
    std::vector<int> all;
    for (int i = 1; i < out.packets; ++i) all.push_back(i);
    std::shuffle(all.begin(), all.end(), std::mt19937(4));
    out.chosen.assign(all.begin(), all.begin() + out.packets / 20);
    std::sort(out.chosen.begin(), out.chosen.end());
    for (const int i : out.chosen) {
        const MoviePacket& p = index.packets[size_t(i)];
        std::fill_n(bytes.begin() + p.position + 8 + p.size / 3, p.size / 2, '\0');
    }
    writeFileAtomically(damaged, bytes);
    out.before = matched(clean);
    out.after = matched(damaged);
    fs::remove_all(folder);
    return out;
}

TEST(DamagedFrames, CostThemselvesAndNothingElse) {
    // Each picture coded by itself: damage does not go on into others.
    const CleanAndDamaged m = matchedCleanAndDamaged("slipway/slipway.mp4", "-c:v mjpeg -q:v 2 -pix_fmt yuvj420p");
    std::vector<int> left;
    for (const FrameDamage& d : m.after.plate.damaged) left.push_back(d.frame - 1001);
    EXPECT_EQ(left, m.chosen);
    EXPECT_EQ(m.after.solve->solvedCount(), m.packets - int(m.chosen.size()));
    const Verdict plate = verdictOn(m.after, Step::plate);
    EXPECT_NE(plate.sentence.find("Damaged and left out"), std::string::npos) << plate.sentence;
    EXPECT_EQ(plate.lamp, Lamp::good) << "under a tenth of the range";
    const Judgement was = judged(m.before, "slipway/slipway.truth.json"),
                    is = judged(m.after, "slipway/slipway.truth.json");
    // The trade would not see a hundredth of a pixel more: what must hold is half as much again.
    EXPECT_LT(is.stickPx, 1.5 * was.stickPx + 0.005) << is.line();
    // Shape and focal length are one draw each: over ranges of this clip a few frames apart they differ by three times.
    EXPECT_LT(is.shapePx, 0.35) << is.line();
    EXPECT_LT(is.focalPercent, 0.3) << is.line();
}

class DamagedGroups : public ::testing::TestWithParam<const char*> {};

TEST_P(DamagedGroups, AreMatchedByWhatIsWholeInThem) {
    // Groups of fifty pictures: most frames depend on a damaged one in some part.
    const std::string clip = GetParam();
    const CleanAndDamaged m = matchedCleanAndDamaged(clip + "/" + clip + ".mp4", "");
    EXPECT_GE(m.after.plate.damaged.size(), m.chosen.size());
    EXPECT_GE(m.after.solve->solvedCount(), m.packets * 9 / 10);
    const std::string truth = clip + "/" + clip + ".truth.json";
    const Judgement was = judged(m.before, truth), is = judged(m.after, truth);
    // Half of the picture is lost in about half of the frames. Matching the undamaged movie with the same parts left
    // out gives 2.2 times the error in slipway, 2.4 in trolley: no method can do much better with what is there.
    EXPECT_LT(is.stickPx, 2.4 * was.stickPx + 0.005) << is.line();
    EXPECT_LT(is.shapePx, 0.8) << is.line();
}

INSTANTIATE_TEST_SUITE_P(Clips, DamagedGroups, ::testing::Values("slipway", "trolley"),
                         [](const auto& each) { return std::string(each.param); });

}  // namespace
}  // namespace va
