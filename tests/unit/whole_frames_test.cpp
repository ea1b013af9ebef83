// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/whole_frames.h"

#include <gtest/gtest.h>

namespace va {
namespace {

/// Ten frames of one grey level each, some of them damaged.
class Ragged : public PlateSource {
  public:
    explicit Ragged(std::vector<int> bad) : bad_(std::move(bad)) {
        info_.frames = {1, 10};
        info_.width = 1280;
        info_.height = 720;
    }
    Luma luma(int frame) override {
        if (std::find(bad_.begin(), bad_.end(), frame) != bad_.end()) throw DamagedFrame("Frame is damaged.", "torn");
        lumaUncertain_ = frame == uncertain;
        Luma l(4, 4);
        std::fill(l.data.begin(), l.data.end(), float(frame));
        return l;
    }
    DisplayPicture display(int) override { return {}; }
    Picture colours(int) override { return {}; }
    int uncertain = 0;

  private:
    std::vector<int> bad_;
};

Path pathOver(int first, int last, int reference) {
    Path p;
    p.id = 1;
    p.referenceFrame = reference;
    for (int f = first; f <= last; ++f) p.points.push_back({f, 10.0 + f, 20, 1, 0.01f, 0, 0.01f});
    return p;
}

TEST(WholeFrames, ADamagedFrameIsStoodInForAndItsPointsGo) {
    Ragged source({1, 4, 5});
    WholeFrames whole(source);
    std::vector<double> levels;
    for (int f = 1; f <= 10; ++f) levels.push_back(double(whole.read(f).at(0, 0)));
    EXPECT_EQ(levels, (std::vector<double>{2, 2, 3, 3, 3, 6, 7, 8, 9, 10})) << "the neighbour's picture";
    std::vector<Path> paths{pathOver(1, 10, 1), pathOver(4, 5, 4)};
    whole.removeFrom(paths);
    ASSERT_EQ(paths.size(), 2U);
    EXPECT_EQ(paths[0].referenceFrame, 2);
    for (const int f : {1, 4, 5}) EXPECT_EQ(paths[0].at(f), nullptr) << f;
    EXPECT_EQ(paths[0].points.size(), 7U);
    // Found in the stand-in of frame 3: there it lies as well.
    EXPECT_EQ(paths[1].referenceFrame, 3);
    ASSERT_EQ(paths[1].points.size(), 1U);
    EXPECT_EQ(paths[1].points[0].frame, 3);
    std::vector<FrameDamage> known{{5, "known before"}};
    whole.addTo(known);
    ASSERT_EQ(known.size(), 3U);
    EXPECT_EQ(known[0].frame, 1);
    EXPECT_EQ(known[1], (FrameDamage{4, "torn"}));
    EXPECT_EQ(known[2].cause, "known before");
}

TEST(WholeFrames, PointsThatDependOnDamageCountForLess) {
    Ragged source({});
    source.uncertain = 6;
    WholeFrames whole(source);
    for (int f = 1; f <= 10; ++f) (void)whole.read(f);
    std::vector<Path> paths{pathOver(1, 10, 1)};
    whole.removeFrom(paths);
    EXPECT_EQ(paths[0].points.size(), 10U);
    EXPECT_NEAR(double(paths[0].at(6)->sxx), 0.01 + 0.25, 1e-6);
    EXPECT_NEAR(double(paths[0].at(7)->sxx), 0.01, 1e-6);
}

TEST(WholeFrames, WhereAllIsDamagedItSaysSo) {
    Ragged source({1, 2, 3, 4, 5, 6, 7, 8, 9, 10});
    WholeFrames whole(source);
    try {
        (void)whole.read(5);
        FAIL();
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("torn"), std::string::npos);
    }
}

}  // namespace
}  // namespace va
