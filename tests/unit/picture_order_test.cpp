// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include "media/movie/picture_order.h"

namespace va {
namespace {

/// Packets of "I P B B" in the order of the file: I0 P3 B1 B2 P6 B4 B5, by types, counts and stamps.
std::vector<MoviePacket> group() {
    std::vector<MoviePacket> out;
    const char types[] = "IPBBPBB";
    const int shown[] = {0, 3, 1, 2, 6, 4, 5};
    for (int i = 0; i < 7; ++i) {
        MoviePacket p;
        p.type = types[i];
        p.pts = shown[i] * 40;
        p.dts = (i - 1) * 40;
        p.pictureOrder = 2 * shown[i];
        p.resets = i == 0;
        p.startAfter = i == 0 ? 0 : -1;
        out.push_back(p);
    }
    return out;
}
const std::vector<int> right{0, 2, 3, 1, 5, 6, 4};

TEST(PictureOrder, StampsCountsAndTypesAgree) {
    const auto packets = group();
    EXPECT_EQ(orderByStamps(packets), right);
    EXPECT_EQ(orderByCounts(packets), right);
    EXPECT_EQ(orderByTypes(packets), right);
    EXPECT_TRUE(fitsOrder(right, right, 7));
    EXPECT_FALSE(fitsOrder({0, 1, 2, 3, 4, 5, 6}, right, 7));
    EXPECT_FALSE(fitsOrder({}, right, 7)) << "nothing is no evidence";
}

TEST(PictureOrder, IncompleteEvidenceGivesNoOrder) {
    auto packets = group();
    packets[3].pts = MoviePacket::noStamp;
    EXPECT_TRUE(orderByStamps(packets).empty());
    packets = group();
    packets[3].pts = packets[2].pts;
    EXPECT_TRUE(orderByStamps(packets).empty());
    packets[3].pictureOrder = packets[2].pictureOrder;
    EXPECT_TRUE(orderByCounts(packets).empty());
    packets[3].type = '?';
    EXPECT_TRUE(orderByTypes(packets).empty());
}

TEST(PictureOrder, HiddenAndDiscardedPacketsAreNotShown) {
    auto packets = group();
    packets[2].discard = true;
    packets[5].hidden = true;
    const std::vector<int> rest{0, 3, 1, 6, 4};
    EXPECT_EQ(orderByStamps(packets), rest);
    EXPECT_EQ(orderByCounts(packets), rest);
    EXPECT_EQ(orderByTypes(packets), rest);
    EXPECT_EQ(orderAsStored(packets), (std::vector<int>{0, 1, 3, 4, 6}));
}

TEST(PictureOrder, TwoStreamsOneAfterTheOther) {
    auto packets = group();
    const auto second = group();
    packets.insert(packets.end(), second.begin(), second.end());
    std::vector<int> both = right;
    for (const int i : right) both.push_back(i + 7);
    EXPECT_EQ(orderByStamps(packets), both) << "the second one's stamps begin anew";
    EXPECT_EQ(orderByCounts(packets), both);
    const auto times = timesOf(packets, both);
    ASSERT_EQ(times.size(), 14U);
    for (size_t i = 1; i < times.size(); ++i) EXPECT_EQ(times[i] - times[i - 1], 40) << i;
}

TEST(PictureOrder, StartsServeWhatIsShownFromThemOn) {
    MovieIndex index;
    index.packets = group();
    auto second = group();
    for (MoviePacket& p : second) p.pts += 280, p.dts += 280, p.pictureOrder += 14, p.resets = false;
    // An open group: its first B pictures are shown before its I picture and refer to the group before.
    std::swap(second[0].pts, second[2].pts);
    second[0].pts = 360, second[2].pts = 280, second[3].pts = 320, second[1].pts = 400;
    index.packets.insert(index.packets.end(), second.begin(), second.end());
    index.frames = orderByStamps(index.packets);
    ASSERT_EQ(index.frames.size(), 14U);
    index.listStarts();
    EXPECT_EQ(index.starts, (std::vector<int>{0, 7}));
    EXPECT_EQ(index.startFor(8), 0) << "before the I picture of the open group";
    EXPECT_EQ(index.startFor(9), 7);
    EXPECT_EQ(index.startFor(13), 7);
    index.packets[7].startAfter = 3;  // gradual refresh
    index.listStarts();
    EXPECT_EQ(index.startFor(10), 0);
}

}  // namespace
}  // namespace va
