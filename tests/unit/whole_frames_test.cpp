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
        lumaDamage_ = DamageMask();
        if (frame == depending) {
            // The left half.
            lumaDamage_ = DamageMask::all(1280, 720);
            for (size_t i = 0; i < lumaDamage_.depends.size(); ++i) lumaDamage_.depends[i] = i % 80 < 40;
        }
        Luma l(4, 4);
        std::fill(l.data.begin(), l.data.end(), float(frame));
        return l;
    }
    DisplayPicture display(int) override { return {}; }
    Picture colours(int) override { return {}; }
    int depending = 0;

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

/// Forty paths over all frames: ten in the left half, which depends on damage in frame 6, and thirty in the right one.
std::vector<Path> overBothHalves() {
    std::vector<Path> out;
    for (int k = 0; k < 40; ++k) {
        Path p = pathOver(1, 10, 1);
        for (PathPoint& q : p.points) q.x += k < 10 ? 0 : 700;
        p.id = k + 1;
        out.push_back(p);
    }
    return out;
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
    source.depending = 6;
    WholeFrames whole(source);
    for (int f = 1; f <= 10; ++f) (void)whole.read(f);
    std::vector<Path> paths = overBothHalves();
    for (PathPoint& q : paths[10].points) q.x -= 74;  // its pattern reaches over the edge at 640
    whole.removeFrom(paths);
    EXPECT_EQ(paths[0].points.size(), 10U);
    EXPECT_NEAR(double(paths[0].at(6)->sxx), 0.01 + 4, 1e-6);
    EXPECT_NEAR(double(paths[0].at(7)->sxx), 0.01, 1e-6);
    EXPECT_NEAR(double(paths[20].at(6)->sxx), 0.01, 1e-6) << "what lies in the right half does not depend on damage";
    EXPECT_NEAR(double(paths[10].at(6)->sxx), 0.01 + 4, 1e-6);
    whole.removeFrom(paths);
    EXPECT_NEAR(double(paths[0].at(6)->sxx), 0.01 + 4, 1e-6) << "once and not twice";
}

TEST(WholeFrames, AFrameWithHardlyAnySoundPointLosesItsDoubtfulOnes) {
    Ragged source({});
    source.depending = 6;
    WholeFrames whole(source);
    for (int f = 1; f <= 10; ++f) (void)whole.read(f);
    std::vector<Path> both = overBothHalves();
    whole.removeFrom(both);
    EXPECT_TRUE(whole.dependent().empty()) << "thirty points are enough";
    ASSERT_NE(both[0].at(6), nullptr);
    EXPECT_TRUE(both[0].at(6)->doubtful);
    EXPECT_FALSE(both[20].at(6)->doubtful);

    std::vector<Path> left = overBothHalves();
    left.resize(20);
    whole.removeFrom(left);
    EXPECT_EQ(whole.dependent(), std::vector<int>{6});
    EXPECT_EQ(left[0].at(6), nullptr);
    EXPECT_NE(left[0].at(7), nullptr);
    EXPECT_NE(left[15].at(6), nullptr) << "what does not depend on damage stays";
}

TEST(WholeFrames, APathEndsWhereItsReferenceWasRetakenInDoubt) {
    Ragged source({});
    source.depending = 6;
    WholeFrames whole(source);
    for (int f = 1; f <= 10; ++f) (void)whole.read(f);
    std::vector<Path> paths = overBothHalves();
    for (PathPoint& q : paths[0].points) q.chain = q.frame > 6 ? 1 : 0;   // re-taken in frame 6
    for (PathPoint& q : paths[1].points) q.chain = q.frame > 7 ? 1 : 0;   // in frame 7, which is whole
    for (PathPoint& q : paths[30].points) q.chain = q.frame > 6 ? 1 : 0;  // in frame 6, in the half that is whole
    paths[2].referenceFrame = 6;
    whole.removeFrom(paths);
    EXPECT_EQ(paths[0].frames(), (FrameRange{1, 6})) << "the longer part";
    EXPECT_EQ(paths[1].frames(), (FrameRange{1, 10}));
    EXPECT_EQ(paths[29].frames(), (FrameRange{1, 10}));
    EXPECT_EQ(paths.size(), 39U) << "one was measured against a doubtful picture all along";
}

TEST(WholeFrames, NothingBeginsWhereDamageReaches) {
    Ragged source({7});
    source.depending = 6;
    WholeFrames whole(source);
    for (int f = 1; f <= 7; ++f) (void)whole.read(f);
    EXPECT_TRUE(whole.mayBegin(5, 100, 100));
    EXPECT_FALSE(whole.mayBegin(6, 100, 100));
    EXPECT_FALSE(whole.mayBegin(6, 660, 100)) << "20 px from it: damage is noticed late";
    EXPECT_TRUE(whole.mayBegin(6, 700, 100));
    EXPECT_FALSE(whole.mayBegin(7, 100, 100)) << "frame 6 stands in for it";
}

TEST(DamageMask, KnowsItsSquares) {
    Luma a(100, 40), b(100, 40);
    b.at(50, 20) = 4;
    EXPECT_TRUE(DamageMask::ofDifference(a, b, 4).empty());
    const DamageMask m = DamageMask::ofDifference(a, b, 3);
    ASSERT_EQ(m.columns, 7);
    ASSERT_EQ(m.rows, 3);
    EXPECT_TRUE(m.near(50, 20, 0));
    EXPECT_TRUE(m.near(48, 31, 0)) << "the same square";
    EXPECT_FALSE(m.near(47, 20, 0));
    EXPECT_TRUE(m.near(47, 20, 1));
    EXPECT_FALSE(m.near(-500, 9000, 3)) << "outside counts as the border";
    EXPECT_NEAR(m.share(), 1 / 21.0, 1e-9);
    EXPECT_EQ(DamageMask::all(100, 40).share(), 1);
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
