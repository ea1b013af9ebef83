// SPDX-License-Identifier: GPL-3.0-or-later
// Bringing paths up to date with the least work, on the stills of the demo.
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "workflow/exclusion.h"
#include "workflow/match_shot.h"
#include "workflow/track_shot.h"

namespace va {
namespace {

const std::string jib = std::string(VA_SOURCE_DIR) + "/demo/data/jib";

Shot tracked(FrameRange range, const std::function<void(Shot&)>& prepare = {}) {
    Shot s = withPlate(Shot(), jib);
    s.range = range;
    s.density = Density::few;
    if (prepare) prepare(s);
    Progress progress;
    return withPaths(s, progress);
}

MaskShape leftHalf(int until = 5000) {
    MaskShape m;
    m.id = 1;
    const Eigen::Vector2d none = Eigen::Vector2d::Zero();
    const auto box = [&](double x0, double x1) {
        return std::vector<MaskPoint>{
            {{x0, -10}, none, none}, {{x1, -10}, none, none}, {{x1, 400}, none, none}, {{x0, 400}, none, none}};
    };
    m.setPoints(1001, box(-10, 320));
    if (until < 5000) {
        m.setPoints(until, box(-10, 320));
        m.setPoints(until + 1, box(-500, -400));
    }
    return m;
}

TEST(TrackShot, GrowingTheRangeKeepsOldFramesAndLongPaths) {
    const Shot before = tracked({1010, 1022});
    EXPECT_EQ(trackWorkFor(before), TrackWork::none);
    Shot grown = before;
    grown.range = {1005, 1030};
    EXPECT_EQ(trackWorkFor(grown), TrackWork::grow);
    Progress progress;
    const Shot after = withPaths(grown, progress);
    EXPECT_EQ(trackWorkFor(after), TrackWork::none);
    EXPECT_EQ(after.tracked, (FrameRange{1005, 1030}));
    int longer = 0;
    for (const Path& p : *before.paths) {
        const Path* q = after.path(p.id);
        ASSERT_TRUE(q);
        for (const PathPoint& a : p.points) {
            const PathPoint* b = q->at(a.frame);
            ASSERT_TRUE(b);
            EXPECT_EQ(a.x, b->x) << "what was tracked stays to the last bit";
            EXPECT_EQ(a.sxx, b->sxx);
        }
        longer += q->points.front().frame < 1010 && q->points.back().frame > 1022;
    }
    EXPECT_GT(longer, 30) << "paths go on over both ends";
    // They are as good as if the whole had been tracked at once: the same features, to a hundredth.
    int inNew = 0;
    for (const Path& p : *after.paths) inNew += p.at(1028) != nullptr;
    EXPECT_GT(inNew, 80);
    // Shrinking takes nothing.
    Shot shrunk = after;
    shrunk.range = {1012, 1018};
    EXPECT_EQ(trackWorkFor(shrunk), TrackWork::none);
    EXPECT_EQ(withPaths(shrunk, progress).paths, shrunk.paths);
}

TEST(TrackShot, MorePathsComeBetweenThoseThatAreThere) {
    const Shot few = tracked({1001, 1012});
    Progress progress;
    const Shot more = withMorePaths(few, Density::normal, progress);
    const auto perFrame = [](const Shot& s) {
        size_t n = 0;
        for (const Path& p : *s.paths) n += p.points.size();
        return double(n) / 12;
    };
    EXPECT_GT(perFrame(more), 1.5 * perFrame(few));
    for (const Path& p : *few.paths) {
        const Path* q = more.path(p.id);
        ASSERT_TRUE(q);
        ASSERT_EQ(q->points.size(), p.points.size());
        EXPECT_EQ(q->points.back().x, p.points.back().x);
    }
    // None lies on another one where it was found.
    for (const Path& p : *more.paths) {
        if (few.path(p.id)) continue;
        const PathPoint& a = p.points.front();
        for (const Path& q : *more.paths) {
            const PathPoint* b = q.id < p.id ? q.at(a.frame) : nullptr;
            EXPECT_TRUE(!b || std::hypot(a.x - b->x, a.y - b->y) > 5) << p.id << " on " << q.id;
        }
    }
    EXPECT_EQ(trackWorkFor(more), TrackWork::none) << "they are up to date";
    EXPECT_EQ(withMorePaths(more, Density::few, progress).paths, more.paths) << "dense enough";
}

TEST(TrackShot, MasksCoverAndUncoverWithoutTrackingAllAnew) {
    const Shot plain = tracked({1001, 1014});
    Shot masked = plain;
    masked.exclusions.masks = {leftHalf()};
    EXPECT_EQ(trackWorkFor(masked), TrackWork::exclusions);
    Progress progress;
    const Shot covered = withPaths(masked, progress);
    EXPECT_EQ(covered.paths->size(), plain.paths->size()) << "nothing was freed, so nothing is new";
    int off = 0;
    for (const Path& p : *covered.paths)
        for (const PathPoint& q : p.points) {
            EXPECT_EQ(q.counts(), q.x > 320) << q.x;
            off += !q.counts();
        }
    EXPECT_GT(off, 100);
    Shot open = covered;
    open.exclusions.masks.clear();
    const Shot uncovered = withPaths(open, progress);
    for (const Path& p : *plain.paths)
        for (const PathPoint& q : p.points) EXPECT_TRUE(uncovered.path(p.id)->at(q.frame)->counts());

    // Tracked with the mask from the start, the half is empty; taking it away for later frames fills it there.
    const Shot half = tracked({1001, 1014}, [](Shot& s) { s.exclusions.masks = {leftHalf()}; });
    for (const Path& p : *half.paths)
        for (const PathPoint& q : p.points) EXPECT_GT(q.x, 319);
    Shot later = half;
    later.exclusions.masks = {leftHalf(1007)};
    const Shot filled = withPaths(later, progress);
    int early = 0, late = 0;
    for (const Path& p : *filled.paths)
        for (const PathPoint& q : p.points)
            if (q.x < 315 && q.counts()) (q.frame <= 1007 ? early : late)++;
    EXPECT_EQ(early, 0);
    EXPECT_GT(late, 100);
}

TEST(TrackShot, HandPathsStayWhenEverythingIsTrackedAnew) {
    Shot s = tracked({1001, 1008});
    auto paths = std::make_shared<std::vector<Path>>(*s.paths);
    Path hand = paths->front();
    hand.id = 5000;
    hand.origin = PathOrigin::byHand;
    hand.name = "gable";
    paths->push_back(hand);
    s.paths = paths;
    s.density = Density::normal;
    EXPECT_EQ(trackWorkFor(s), TrackWork::all);
    Progress progress;
    const Shot again = withPaths(s, progress);
    ASSERT_TRUE(again.path(5000));
    EXPECT_EQ(again.path(5000)->name, "gable");
    EXPECT_GT(again.paths->size(), paths->size() * 3 / 2) << "normal is more than few";
}

TEST(TrackShot, CancelKeepsWhatIsDoneAndGoesOnFromThere) {
    Shot s = withPlate(Shot(), jib);
    s.density = Density::few;
    Progress* running = nullptr;
    Progress progress([&](const Progress::State& st) {
        if (st.done >= 15) running->cancel();
    });
    running = &progress;
    Shot soFar;
    EXPECT_THROW((void)withPaths(s, progress, &soFar), Cancelled);
    ASSERT_FALSE(soFar.paths->empty());
    EXPECT_GE(soFar.tracked.last, 1012);
    EXPECT_LT(soFar.tracked.last, 1040);
    EXPECT_EQ(trackWorkFor(soFar), TrackWork::grow);
    Progress rest;
    const Shot whole = withPaths(soFar, rest);
    EXPECT_EQ(whole.tracked.last, 1040);
    EXPECT_EQ(rest.state().total, 1040 - soFar.tracked.last + 2) << "only what was left was done";
}

TEST(TrackShot, CarefulFindsAtLeastAsMuchAndLongerPaths) {
    const auto points = [](const Shot& s) {
        size_t n = 0;
        for (const Path& p : *s.paths) n += p.points.size();
        return double(n) / double(s.paths->size());
    };
    const Shot quick = tracked({1001, 1020}), careful = tracked({1001, 1020}, [](Shot&s) { s.care = Care::careful; });
    EXPECT_GT(points(careful), 0.97 * points(quick)) << "frames a path";
    int beforeReference = 0;
    for (const Path& p : *careful.paths) beforeReference += p.points.front().frame < p.referenceFrame;
    EXPECT_GT(beforeReference, 3) << "tracked backward from where they were found";
}

TEST(TrackShot, GuidedTrackWinsPointsBack) {
    Shot s = withPlate(Shot(), jib);
    Progress progress;
    s = matchShot(s, progress);
    ASSERT_EQ(s.solve->motion, Motion::free);
    // Ten frames of every third path are lost.
    auto paths = std::make_shared<std::vector<Path>>(*s.paths);
    size_t lost = 0;
    for (Path& p : *paths)
        if (p.id % 3 == 0 && p.referenceFrame < 1012)
            lost += p.points.eraseIf([](const PathPoint& q) { return q.frame >= 1015 && q.frame < 1025; });
    const auto original = s.paths;
    s.paths = paths;
    std::string sentence;
    const Shot guided = withGuidedTrack(s, progress, &sentence);
    EXPECT_NE(sentence.find("lost points"), std::string::npos);
    size_t won = 0, right = 0;
    for (const Path& p : *original)
        for (const PathPoint& q : p.points) {
            const PathPoint* g = guided.path(p.id)->at(q.frame);
            if (s.path(p.id)->at(q.frame) || !g) continue;
            ++won;
            right += std::hypot(g->x - q.x, g->y - q.y) < 0.5;
        }
    EXPECT_GT(won, lost / 2);
    EXPECT_GT(right, won * 9 / 10);
    Shot unsolved = s;
    unsolved.solve = std::make_shared<SolveResult>();
    EXPECT_EQ(withGuidedTrack(unsolved, progress, &sentence).paths, unsolved.paths);
    EXPECT_NE(sentence.find("Solve first"), std::string::npos);
}

TEST(Exclusion, MattesAreThresholdedInvertedGrownAndShifted) {
    Shot s = withPlate(Shot(), jib);
    s.exclusions.matte.spec = jib;  // the plate as its own matte: bright positions keep out
    const Luma luma = openPlate(jib)->luma(1005);
    int bx = 0, by = 0, dx = 0, dy = 0;
    for (int y = 20; y < 340; ++y)
        for (int x = 20; x < 620; ++x) {
            if (luma.at(x, y) > luma.at(bx, by)) bx = x, by = y;
            if (luma.at(x, y) < luma.at(dx, dy) || dx == 0) dx = x, dy = y;
        }
    EXPECT_FALSE(Exclusion(s).allowed(1005, bx, by));
    EXPECT_TRUE(Exclusion(s).allowed(1005, dx, dy));
    s.exclusions.matte.invert = true;
    EXPECT_TRUE(Exclusion(s).allowed(1005, bx, by));
    EXPECT_FALSE(Exclusion(s).allowed(1005, dx, dy));
    s.exclusions.matte = {jib, 0.5, false, 300, 0};
    EXPECT_FALSE(Exclusion(s).allowed(1005, dx, dy)) << "grown over everything";
    s.exclusions.matte = {jib, 0.5, false, -300, 0};
    EXPECT_TRUE(Exclusion(s).allowed(1005, bx, by)) << "shrunk to nothing";
    s.exclusions.matte = {jib, 0.5, false, 0, 30};
    EXPECT_NO_THROW((void)Exclusion(s).allowed(1005, 5, 5));
    s.exclusions.matte.frameOffset = 36;
    EXPECT_NO_THROW((void)Exclusion(s).allowed(1001, 5, 5));
    try {
        Exclusion e(s);
        (void)e.allowed(1030, 5, 5);
        FAIL();
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("frame 1030"), std::string::npos) << e.what();
    }
}

}  // namespace
}  // namespace va
