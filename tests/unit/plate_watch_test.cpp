// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <map>

#include "media/plate_watch.h"
#include "warp.h"

namespace va {
namespace {

/// A photo that moves 3 px a frame to the left.
Luma frame(const std::string& photo, int i, double sigma = 1) {
    static std::map<std::string, Luma> photos;
    if (!photos.contains(photo)) photos[photo] = test::loadPhoto(photo);
    return test::warped(
        photos[photo], 320, 240,
        [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return p + Eigen::Vector2d(30 + 3 * i, 40); }, sigma,
        unsigned(i + 1));
}

PlateFindings watch(const std::function<Luma(int)>& read, int count) {
    PlateWatch w;
    for (int i = 0; i < count; ++i) w.see(100 + i, read(i));
    return w.findings();
}

TEST(PlateWatch, AnOrdinaryMoveIsNothing) {
    EXPECT_FALSE(watch([](int i) { return frame("home.jpg", i); }, 16).any());
    // A fast pan neither.
    EXPECT_FALSE(watch([](int i) { return frame("aloeL.jpg", i < 8 ? i : 8 + 6 * (i - 8)); }, 14).any());
}

TEST(PlateWatch, ACutIsFoundAndAFlashIsNone) {
    const auto cut = watch([](int i) { return frame(i < 9 ? "home.jpg" : "aloeL.jpg", i); }, 16);
    EXPECT_EQ(cut.cuts, std::vector<int>{109});
    const auto flash = watch(
        [](int i) {
            Luma l = frame("home.jpg", i);
            if (i == 7)
                for (float& v : l.data) v = std::min(255.0f, 200 + 0.2f * v);
            return l;
        },
        14);
    EXPECT_TRUE(flash.cuts.empty());
}

TEST(PlateWatch, RepeatedPicturesAndBlackOnesAreFound) {
    const auto repeated = watch([](int i) { return frame("home.jpg", i == 6 ? 5 : i == 11 ? 10 : i); }, 16);
    EXPECT_EQ(repeated.duplicates, (std::vector<int>{106, 111}));
    const auto black = watch([](int i) { return i == 4 || i == 5 ? Luma(320, 240) : frame("home.jpg", i); }, 10);
    EXPECT_EQ(black.black, (std::vector<int>{104, 105}));
    EXPECT_TRUE(black.cuts.empty()) << "black is no scene";
    // A camera that stands repeats nothing worth saying.
    EXPECT_TRUE(watch([](int i) { return frame("home.jpg", 0, 1.0 + i * 1e-3); }, 10).duplicates.empty());
}

TEST(PlateWatch, WovenFieldsAreSeen) {
    const auto woven = watch(
        [](int i) {
            const Luma even = frame("home.jpg", 2 * i), odd = frame("home.jpg", 2 * i + 1);
            Luma l = even;
            for (int y = 1; y < l.height; y += 2)
                for (int x = 0; x < l.width; ++x) l.at(x, y) = odd.at(x, y);
            return l;
        },
        12);
    EXPECT_TRUE(woven.interlaced);
    EXPECT_FALSE(watch([](int i) { return frame("home.jpg", 2 * i); }, 12).interlaced);
}

}  // namespace
}  // namespace va
