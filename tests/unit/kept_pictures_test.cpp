// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/kept_pictures.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>

namespace va {
namespace {

Luma levels(int width, int height, float black, float scale) {
    Luma out(width, height);
    for (size_t i = 0; i < out.data.size(); ++i) out.data[i] = (float(i % 256) - black) * scale;
    return out;
}

TEST(KeptPictures, EightBitsComeBackToTheLastDigitInAByteAPixel) {
    KeptPictures kept;
    // Full range, and limited range, in which black lies at 16 and levels below it are negative.
    const Luma full = levels(64, 32, 0, 1), limited = levels(64, 32, 16, 255.0f / 219.0f);
    kept.keep(1, full);
    kept.keep(2, limited);
    EXPECT_EQ(kept.picture(1).data, full.data);
    EXPECT_EQ(kept.picture(2).data, limited.data);
    EXPECT_EQ(kept.bytes(), size_t(2 * 64 * 32));
    EXPECT_TRUE(kept.picture(3).empty());
}

TEST(KeptPictures, FinerLevelsComeBackToATwohundredthOrNotAtAll) {
    KeptPictures kept;
    Luma fine = levels(64, 32, 0, 0.7123f);
    kept.keep(1, fine);
    const Luma back = kept.picture(1);
    ASSERT_EQ(back.data.size(), fine.data.size());
    for (size_t i = 0; i < fine.data.size(); ++i) ASSERT_NEAR(back.data[i], fine.data[i], 1.0 / 500);
    // Brighter than white: not to be cut off.
    fine.data[7] = 300;
    kept.keep(2, fine);
    EXPECT_TRUE(kept.picture(2).empty());
    fine.data[7] = -5.5f;
    kept.keep(2, fine);
    EXPECT_TRUE(kept.picture(2).empty());
    fine.data[7] = std::nanf("");
    kept.keep(2, fine);
    EXPECT_TRUE(kept.picture(2).empty());
}

TEST(KeptPictures, TheBudgetIsKept) {
    KeptPictures kept(3 * 64 * 32);
    for (int f = 1; f < 9; ++f) kept.keep(f, levels(64, 32, 0, 1));
    EXPECT_EQ(kept.bytes(), size_t(3 * 64 * 32));
    EXPECT_FALSE(kept.picture(3).empty());
    EXPECT_TRUE(kept.picture(4).empty());
}

TEST(KeptPictures, APlateIsReadOnce) {
    const std::string clip = "/tmp/kept_pictures_" + std::to_string(::getpid()) + ".mp4";
    std::filesystem::copy_file(std::string(VA_SOURCE_DIR) + "/demo/data/mast-top/mast-top.mp4", clip,
                               std::filesystem::copy_options::overwrite_existing);
    const auto pictures = std::make_shared<KeptPictures>();
    const auto first = openPlateKept(clip, {}, pictures);
    const Luma read = first->luma(1005);
    EXPECT_EQ(read.data, openPlate(clip)->luma(1005).data);
    std::filesystem::remove(clip);
    // From here on there is no file: what was read is there all the same, in another opening as well.
    const auto again = openPlateKept(clip, {}, pictures);
    EXPECT_EQ(again->info().width, first->info().width);
    EXPECT_EQ(again->info().frames, first->info().frames);
    EXPECT_EQ(again->luma(1005).data, read.data);
    EXPECT_THROW((void)again->luma(1006), InputError);
    EXPECT_THROW((void)openPlateKept(clip, {}, nullptr), InputError);
}

}  // namespace
}  // namespace va
