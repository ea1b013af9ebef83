// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include "solved_shot.h"
#include "workflow/match_shot.h"
#include "workflow/stale.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

const Shot& solved() {
    static const Shot s = test::makeSolvedShot();
    return s;
}

void expectSays(const Verdict& v, Lamp lamp, const std::string& part) {
    EXPECT_EQ(v.lamp, lamp) << v.sentence;
    EXPECT_NE(v.sentence.find(part), std::string::npos) << v.sentence;
}

TEST(Verdict, EmptyShotSaysWhatToDo) {
    const Shot empty;
    expectSays(verdictOn(empty, Step::plate), Lamp::none, "Open a movie");
    expectSays(verdictOn(empty, Step::features), Lamp::none, "Not tracked");
    expectSays(verdictOn(empty, Step::solve), Lamp::none, "Not solved");
    expectSays(verdictOn(empty, Step::ground), Lamp::none, "Needs a solve");
    for (const Verdict& v : verdictsOn(empty)) EXPECT_FALSE(v.sentence.empty());
}

TEST(Verdict, GoodSolveGivesBothNumbers) {
    expectSays(verdictOn(solved(), Step::solve), Lamp::good, "fit 0.1");
    expectSays(verdictOn(solved(), Step::solve), Lamp::good, "check 0.");
    expectSays(verdictOn(solved(), Step::lens), Lamp::good, "°");
    expectSays(verdictOn(solved(), Step::layout), Lamp::good, "1 box, 1 anchor");
}

TEST(Verdict, TroubleNamesFramesAndTheNextThingToTry) {
    const auto with = [](const std::function<void(SolveResult&)>& change) {
        Shot s = solved();
        SolveResult r = *s.solve;
        change(r);
        s.solve = std::make_shared<SolveResult>(r);
        return s;
    };
    Shot s = with([](SolveResult& r) {
        r = SolveResult();
        r.frames.resize(40);
        r.trouble = SolveTrouble::tooFewPaths;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "Add features");
    s = with([](SolveResult& r) {
        r = SolveResult();
        r.frames.resize(1);
        r.trouble = SolveTrouble::tooFewFrames;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "longer range");
    s = with([](SolveResult& r) {
        r = SolveResult();
        r.trouble = SolveTrouble::noStart;
        r.parallaxPx = 4.2;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "4.2 px");
    s = with([](SolveResult& r) {
        r = SolveResult();
        r.trouble = SolveTrouble::noStart;
        r.parallaxPx = 0.8;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "only 0.8 px");
    s = with([](SolveResult& r) {
        r.motion = Motion::nodalPan;
        r.trouble = SolveTrouble::noParallax;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "Nodal pan (");
    expectSays(verdictOn(s, Step::ground), Lamp::none, "No depth");
    s = with([](SolveResult& r) {
        r.motion = Motion::nodalPan;
        r.trouble = SolveTrouble::noParallax;
        r.readout = 0.61;
        r.readoutSigma = 0.02;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "rows read over 0.61 ± 0.02 of the frame's time");
    s = with([](SolveResult& r) {
        r.motion = Motion::lockedOff;
        r.trouble = SolveTrouble::noParallax;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "Locked-off camera");
    s = with([](SolveResult& r) {
        r.trouble = SolveTrouble::growthStopped;
        r.frames[3].solved = r.frames[4].solved = r.frames[9].solved = false;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "1004–1005, 1010");
    s = with([](SolveResult& r) { r.rmsPx = 1.4; });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "will slide");
    s = with([](SolveResult& r) { r.checkRmsPx = 3; });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "check is much worse");
    expectSays(sentenceThatMatters(s), Lamp::look, "check is much worse");
}

TEST(Verdict, ZoomsMoversAndDoubtAreNamed) {
    const auto with = [](const std::function<void(Shot&, SolveResult&)>& change) {
        Shot s = solved();
        SolveResult r = *s.solve;
        change(s, r);
        s.solve = std::make_shared<SolveResult>(r);
        return s;
    };
    Shot s = with([](Shot&, SolveResult& r) {
        r.zooms = true;
        for (size_t i = 0; i < r.frames.size(); ++i) r.frames[i].focalPx = 1000 + 20.0 * double(i);
    });
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("zooms 1.5×"), std::string::npos)
        << verdictOn(s, Step::solve).sentence;
    s = with([](Shot&, SolveResult& r) { r.lensNumbers = {{"focal", 1000, 45}}; });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "only known to ±4.5 %");
    s = with([](Shot&, SolveResult& r) { r.lensNumbers = {{"focal", 1000, 6}}; });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "only known to ±0.6 %");
    // A third of a percent bends the scene by tenths of a px.
    s = with([](Shot&, SolveResult& r) { r.lensNumbers = {{"focal", 1000, 4}}; });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "only known to ±0.4 %");
    s = with([](Shot&, SolveResult& r) { r.lensNumbers = {{"focal", 1000, 2}}; });
    EXPECT_EQ(verdictOn(s, Step::solve).sentence.find("only known"), std::string::npos);
    // Why it is a free move: what a nodal pan leaves, or how far things shift where a nodal pan was not even tried.
    s = with([](Shot&, SolveResult& r) { r.rotationRmsPx = 6.34; });
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("a nodal pan leaves 6.3 px"), std::string::npos)
        << verdictOn(s, Step::solve).sentence;
    s = with([](Shot&, SolveResult& r) { r.rotationRmsPx = -1, r.parallaxPx = 57.4; });
    EXPECT_NE(verdictOn(s, Step::solve).sentence.find("parallax 57 px"), std::string::npos)
        << verdictOn(s, Step::solve).sentence;
    s.choices.move = MoveChoice::free;
    EXPECT_EQ(verdictOn(s, Step::solve).sentence.find("parallax"), std::string::npos) << "the artist chose";
    // Frames that were not reached: in the middle, at the end, and behind a cut.
    const auto without = [&](int first, int last) {
        return with([=](Shot&, SolveResult& r) {
            r.trouble = SolveTrouble::growthStopped;
            for (SolvedFrame& f : r.frames)
                if (f.frame >= first && f.frame <= last) f.solved = false;
        });
    };
    const int first = solved().solve->frames.front().frame, last = solved().solve->frames.back().frame;
    expectSays(verdictOn(without(first + 2, first + 3), Step::solve), Lamp::look, "Fill the gaps");
    expectSays(verdictOn(without(last - 2, last), Step::solve), Lamp::look, "shorten the range");
    s = without(last - 2, last);
    s.findings.cuts = {last - 2};
    expectSays(verdictOn(s, Step::solve), Lamp::look, "Split the range there");
    // A free move that was asked for where a nodal pan explains as much.
    s = with([](Shot& shot, SolveResult& r) {
        shot.choices.move = MoveChoice::free;
        shot.solveFrom = fingerprintOfSolveInput(shot);
        r.rotationRmsPx = r.rmsPx;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "a nodal pan fits as well");
    s = with([](Shot&, SolveResult& r) {
        r.motion = Motion::nodalPan;
        r.trouble = SolveTrouble::noParallax;
        r.zooms = true;
    });
    expectSays(verdictOn(s, Step::solve), Lamp::look, "Nodal pan with a zoom");
}

TEST(Verdict, ThinFramesAreNamed) {
    Shot s = solved();
    auto paths = std::make_shared<std::vector<Path>>(*s.paths);
    for (Path& p : *paths)
        p.points.eraseIf([](const PathPoint& q) { return q.frame >= 1010 && q.frame <= 1012 && q.x > 200; });
    s.paths = paths;
    s.pathsFrom = fingerprintOfTrackInput(s);
    expectSays(verdictOn(s, Step::features), Lamp::look, "Thin at 1010–1012");
}

TEST(Verdict, AMaskWithoutItsRideIsNamed) {
    Shot s = solved();
    MaskShape m;
    m.id = 1;
    m.name = "gulls";
    m.ride = MaskRide::path;
    m.rideId = 987654;
    s.exclusions.masks.push_back(m);
    expectSays(verdictOn(s, Step::features), Lamp::look, "The mask \"gulls\" rides on a path that is gone");
    s.exclusions.masks[0].enabled = false;
    EXPECT_EQ(verdictOn(s, Step::features).sentence.find("gulls"), std::string::npos);
}

TEST(Verdict, GapsAndAssumedRateAreShown) {
    Shot s = solved();
    s.plate.gaps = {{1005, 1007}};
    expectSays(verdictOn(s, Step::plate), Lamp::look, "1005–1007");
    s.plate.gaps.clear();
    s.plate.rateAssumed = true;
    expectSays(verdictOn(s, Step::plate), Lamp::look, "assumed");
    s.overrides.rate = Rational{25, 1};
    expectSays(verdictOn(s, Step::plate), Lamp::good, "25 fps");
}

TEST(Stale, ResultsKnowWhenTheirInputsChanged) {
    Shot s = solved();
    EXPECT_FALSE(stalenessOf(s).features);
    EXPECT_FALSE(stalenessOf(s).solve);
    s.range.last -= 3;
    EXPECT_FALSE(stalenessOf(s).features) << "a shorter range needs nothing new";
    EXPECT_EQ(trackWorkFor(s), TrackWork::none);
    s.tracked.last -= 6;
    EXPECT_TRUE(stalenessOf(s).features);
    EXPECT_EQ(trackWorkFor(s), TrackWork::grow);
    EXPECT_TRUE(stalenessOf(s).solve);
    expectSays(verdictOn(s, Step::solve), Lamp::stale, "Solve again");
    s = solved();
    s.exportedFrom = fingerprintOfExportInput(s);
    s.exportReport = "3 files verified";
    EXPECT_EQ(verdictOn(s, Step::exporting).lamp, Lamp::good);
    s.things[0].position.x() += 1;
    expectSays(verdictOn(s, Step::exporting), Lamp::stale, "before the last change");
    GroundSpec spec;
    spec.lengths.push_back(
        {LengthKind::distance, {solved().solve->points[0].pathId, solved().solve->points[1].pathId}, 0, 2.0, 0, ""});
    s = withGround(solved(), spec);
    EXPECT_FALSE(stalenessOf(s).solve) << "the ground is no input of the solve";
}

TEST(Workflow, EmptyRangesAreExplained) {
    Shot s = solved();
    Progress progress;
    s.range = {1010, 1009};
    try {
        (void)withPaths(s, progress);
        FAIL();
    } catch (const std::exception& e) {
        EXPECT_NE(std::string(e.what()).find("range is empty"), std::string::npos);
    }
    s.range = {5000, 5010};
    EXPECT_THROW((void)withPaths(s, progress), std::exception);
}

}  // namespace
}  // namespace va
