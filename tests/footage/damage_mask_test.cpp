// SPDX-License-Identifier: GPL-3.0-or-later
// What the program says of pictures that depend on damaged ones, against the same movie undamaged: encoded by ffmpeg,
// damaged in known packets, compared square by square.
#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <string>

#include "base/atomic_file.h"
#include "media/movie/movie_index.h"
#include "media/plate_source.h"

namespace va {
namespace {

namespace fs = std::filesystem;

struct Coding {
    const char* name;
    const char* options;
    /// Codecs whose decoders tell which squares they could not decode leave the others alone.
    bool bySquares;
};

class DamagedMovie : public ::testing::TestWithParam<Coding> {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-depend-" + std::to_string(getpid()) + GetParam().name);
        fs::create_directories(folder_);
        clean_ = folder_ / "clean.mov";
        damaged_ = folder_ / "damaged.mov";
        ASSERT_EQ(std::system(("ffmpeg -v error -nostdin -y -i '" + std::string(VA_SOURCE_DIR) +
                               "/demo/data/slipway/slipway.mp4' -frames:v 60 -vf scale=640:360 -g 20 " +
                               GetParam().options + " '" + clean_.string() + "'")
                                  .c_str()),
                  0);
    }
    void TearDown() override { fs::remove_all(folder_); }

    /// Zeros in place of the last half of these packets, as a disk that lost a block leaves behind.
    void damage(const std::vector<int>& ordinals) {
        std::string bytes = readFile(clean_);
        const MovieIndex index = readMovieIndex(clean_.string(), -1, nullptr);
        for (const int i : ordinals) {
            const MoviePacket& p = index.packets[size_t(i)];
            std::fill_n(bytes.begin() + p.position + p.size / 2, p.size - p.size / 2, '\0');
        }
        writeFileAtomically(damaged_, bytes);
    }
    fs::path folder_, clean_, damaged_;
};

TEST_P(DamagedMovie, TellsWhatDependsOnTheDamage) {
    damage({1, 26});
    const auto clean = openPlate(clean_.string()), damaged = openPlate(damaged_.string());
    ASSERT_EQ(clean->info().frames, damaged->info().frames);
    int wrong = 0, missed = 0, right = 0, accused = 0, gaps = 0, wholeFrames = 0;
    for (int f = clean->info().frames.first; f <= clean->info().frames.last; ++f) {
        Luma is;
        try {
            is = damaged->luma(f);
        } catch (const DamagedFrame&) {
            ++gaps;
            continue;
        }
        const Luma was = clean->luma(f);
        const DamageMask said = damaged->lumaDamage();
        // Twelve levels are an edge that moved by a good part of a pixel.
        const DamageMask truly = DamageMask::ofDifference(was, is, 12), any = DamageMask::ofDifference(was, is, 0);
        wholeFrames += any.empty();
        if (any.empty()) {
            EXPECT_LT(said.share(), 0.02) << "frame " << f << " is as it was";
        }
        for (int y = 8; y < is.height; y += 16)
            for (int x = 8; x < is.width; x += 16) {
                const bool off = truly.near(x, y, 0);
                wrong += off;
                missed += off && !said.near(x, y, 0);
                if (!any.near(x, y, 0)) ++right, accused += said.near(x, y, 0);
            }
    }
    EXPECT_GE(gaps, 2);
    EXPECT_LE(gaps, 6);
    EXPECT_GE(wholeFrames, 18) << "the third group is untouched, and so is what lies before the damage";
    ASSERT_GT(wrong, 500) << "the damage is seen";
    EXPECT_LT(missed, 0.03 * wrong) << missed << " of " << wrong;
    if (GetParam().bySquares) {
        EXPECT_LT(accused, 0.1 * right) << accused << " of " << right;
    }
}

TEST_P(DamagedMovie, SaysTheSameInWhateverOrderFramesAreAskedFor) {
    damage({4, 9, 27});
    const auto there = openPlate(damaged_.string()), back = openPlate(damaged_.string());
    const FrameRange frames = there->info().frames;
    std::map<int, std::pair<std::string, DamageMask>> said;
    const auto ask = [](PlateSource& s, int f) -> std::pair<std::string, DamageMask> {
        try {
            (void)s.luma(f);
            return {"", s.lumaDamage()};
        } catch (const DamagedFrame& e) {
            return {e.cause(), {}};
        }
    };
    for (int f = frames.first; f <= frames.last; ++f) said[f] = ask(*there, f);
    for (int f = frames.last; f >= frames.first; f -= 3) {
        const auto [cause, mask] = ask(*back, f);
        EXPECT_EQ(cause, said[f].first) << f;
        EXPECT_EQ(mask.depends, said[f].second.depends) << f;
    }
}

INSTANTIATE_TEST_SUITE_P(
    Codings, DamagedMovie,
    ::testing::Values(Coding{"H264", "-c:v libx264 -crf 18 -bf 2", true},
                      Coding{"Mpeg4", "-c:v mpeg4 -q:v 3 -bf 2", true},
                      Coding{"Mpeg2", "-c:v mpeg2video -q:v 3 -bf 2", true},
                      Coding{"H265", "-c:v libx265 -crf 18 -x265-params log-level=error -tag:v hvc1", false}),
    [](const auto& each) { return std::string(each.param.name); });

}  // namespace
}  // namespace va
