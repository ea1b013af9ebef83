// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/settle_doubt.h"

#include <gtest/gtest.h>

#include "../support/solved_shot.h"
#include "workflow/match_shot.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

Shot solvedAgain(const Shot& shot) {
    Progress progress;
    return withSolve(shot, progress);
}

void doubt(PathPoint& q, double off) {
    const float variance = doubtVariance(1280);
    q.x += off;
    q.doubtful = true;
    q.sxx += variance;
    q.syy += variance;
}

TEST(SettleDoubt, KeepsWhatLiesWhereTheSolvePutsItAndDropsTheRest) {
    Shot shot = test::makeSolvedShot();
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    ASSERT_GT(paths->size(), 40U);
    const FrameRange all = paths->front().frames();
    const int from = all.first + all.count() / 3, to = from + all.count() / 4;
    // Every fourth path is off by three pixels in the middle of the shot, every next one is doubted for nothing.
    std::vector<int> off, right;
    for (size_t i = 0; i < paths->size(); ++i) {
        Path& p = (*paths)[i];
        if (i % 4 > 1 || !p.at(from) || !p.at(to) || p.points.size() < 16) continue;
        for (PathPoint& q : p.points)
            if (q.frame >= from && q.frame <= to) doubt(q, i % 4 == 0 ? 3 : 0);
        (i % 4 == 0 ? off : right).push_back(p.id);
    }
    ASSERT_GT(off.size(), 5U);
    ASSERT_GT(right.size(), 5U);
    shot.paths = paths;
    shot = solvedAgain(shot);
    const Shot settled = withDoubtSettled(shot, solvedAgain);
    EXPECT_NE(settled.paths, shot.paths);
    for (const Path& p : *settled.paths)
        for (const PathPoint& q : p.points) EXPECT_FALSE(q.doubtful) << p.id;
    const auto pathOf = [&](int id) {
        return std::find_if(settled.paths->begin(), settled.paths->end(), [&](const Path& p) { return p.id == id; });
    };
    for (const int id : off) {
        ASSERT_NE(pathOf(id), settled.paths->end());
        EXPECT_EQ(pathOf(id)->at(from + 1), nullptr) << id;
        EXPECT_NE(pathOf(id)->at(from - 1), nullptr) << "its other frames stay";
    }
    int kept = 0;
    for (const int id : right)
        if (const auto p = pathOf(id); p != settled.paths->end() && p->at(from + 1)) {
            ++kept;
            EXPECT_LT(p->at(from + 1)->sxx, 0.5F);
        }
    EXPECT_GT(kept, int(right.size()) * 3 / 4);
    EXPECT_LT(settled.solve->rmsPx, 0.5);
}

TEST(SettleDoubt, KeepsADoubtfulShotThatHasNothingElse) {
    Shot shot = test::makeSolvedShot();
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    // From the sixth frame on, all depends on one that is lost.
    for (Path& p : *paths)
        for (PathPoint& q : p.points)
            if (q.frame > 1005) doubt(q, 0.3);
    shot.paths = paths;
    shot = solvedAgain(shot);
    ASSERT_EQ(shot.solve->motion, Motion::free);
    const int solved = shot.solve->solvedCount();
    const Shot settled = withDoubtSettled(shot, solvedAgain);
    EXPECT_EQ(settled.paths, shot.paths);
    EXPECT_EQ(settled.solve->solvedCount(), solved);
}

TEST(SettleDoubt, LeavesAShotWithoutDoubtAsItIs) {
    const Shot shot = test::makeSolvedShot();
    int updates = 0;
    const Shot same = withDoubtSettled(shot, [&](const Shot& s) {
        ++updates;
        return s;
    });
    EXPECT_EQ(same.paths, shot.paths);
    EXPECT_EQ(updates, 0);
}

}  // namespace
}  // namespace va
