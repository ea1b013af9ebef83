// SPDX-License-Identifier: GPL-3.0-or-later
// A nodal pan of the demo whose paths are spoilt in ways that make it look like a free move: squeezed, cropped, noisy.
// What was done to them is the truth.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "solve/solver.h"
#include "workflow/match_shot.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

class SpoiltPan : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        Progress progress;
        tracked_ = new Shot(
            withPaths(withPlate(Shot(), std::string(VA_SOURCE_DIR) + "/demo/data/mast-top/mast-top.mp4"), progress));
    }
    static void TearDownTestSuite() { delete tracked_; }
    /// The shot with all places changed by `change`, in a picture of that size; what falls outside is lost.
    template <typename Change>
    static Shot spoilt(int width, int height, Change change) {
        Shot out = *tracked_;
        out.plate.width = width, out.plate.height = height;
        std::vector<Path> paths;
        for (Path p : *tracked_->paths) {
            std::vector<PathPoint> kept;
            for (PathPoint q : std::as_const(p.points)) {
                change(q);
                const bool inside = q.x >= 5 && q.y >= 5 && q.x <= float(width - 6) && q.y <= float(height - 6);
                // What leaves and comes back is another path.
                if (inside && (kept.empty() || q.frame == kept.back().frame + 1)) kept.push_back(q);
            }
            p.points = SharedVector<PathPoint>(std::move(kept));
            if (p.points.size() >= 3) paths.push_back(std::move(p));
        }
        out.paths = std::make_shared<std::vector<Path>>(std::move(paths));
        return out;
    }
    static Shot solved(const Shot& shot) {
        Progress progress;
        return withSolve(shot, progress);
    }
    static std::string verdict(const Shot& shot) { return verdictOn(shot, Step::solve).sentence; }
    static Shot* tracked_;
};
Shot* SpoiltPan::tracked_ = nullptr;

TEST_F(SpoiltPan, AsItIsIsAPanAndSaysHowSureItsLensIs) {
    const Shot s = solved(*tracked_);
    EXPECT_EQ(s.solve->motion, Motion::nodalPan);
    EXPECT_EQ(s.solve->panCause, PanCause::none);
    ASSERT_FALSE(s.solve->lensNumbers.empty());
    EXPECT_EQ(s.solve->lensNumbers[0].name, "focal");
    // The scene's camera has 30 mm on a back of 36 mm, in 640 px.
    const LensNumber& focal = s.solve->lensNumbers[0];
    EXPECT_GT(focal.sigma, 0);
    EXPECT_NEAR(focal.value, 640 * 30.0 / 36, 3 * focal.sigma);
    EXPECT_LT(focal.sigma, 0.01 * focal.value);
    EXPECT_NE(verdict(s).find("focal length ± "), std::string::npos) << verdict(s);
}

TEST_F(SpoiltPan, SqueezedNamesThePixelAspect) {
    const Shot s = solved(spoilt(480, 360, [](PathPoint& q) { q.x = (q.x + 0.5F) * 0.75F - 0.5F; }));
    ASSERT_EQ(s.solve->motion, Motion::nodalPan) << verdict(s);
    EXPECT_EQ(s.solve->panCause, PanCause::squeeze);
    EXPECT_NEAR(s.solve->lens.pixelAspect, 4.0 / 3, 0.015);
    EXPECT_NE(verdict(s).find("squeezed"), std::string::npos) << verdict(s);
}

/// A clip of the demo, squeezed by a codec until its paths are noisy.
Shot matchedNoisy(const std::string& clip) {
    const std::string file = testing::TempDir() + clip + "-33.mp4";
    EXPECT_EQ(std::system(("ffmpeg -v error -y -i '" + std::string(VA_SOURCE_DIR) + "/demo/data/" + clip + "/" + clip +
                           ".mp4' -c:v libx264 -crf 33 '" + file + "'")
                              .c_str()),
              0);
    Progress progress;
    return matchShot(withPlate(Shot(), file), progress);
}

TEST(SpoiltZoom, WhileTravellingIsNoPan) {
    const Shot s = matchedNoisy("zoom");
    EXPECT_EQ(s.solve->motion, Motion::free) << verdictOn(s, Step::solve).sentence;
}

TEST(SpoiltZoom, FromATripodStaysAPan) {
    const Shot s = matchedNoisy("lookout");
    EXPECT_EQ(s.solve->motion, Motion::nodalPan) << verdictOn(s, Step::solve).sentence;
    EXPECT_TRUE(s.solve->zooms);
    // The scene's zoom goes from 26 to 50 mm.
    double shortest = 1e9, longest = 0;
    for (const SolvedFrame& f : s.solve->frames)
        shortest = std::min(shortest, f.focalPx), longest = std::max(longest, f.focalPx);
    EXPECT_NEAR(longest / shortest, 50.0 / 26, 0.06);
}

TEST_F(SpoiltPan, CroppedNamesThePrincipalPoint) {
    const Shot s = solved(spoilt(426, 240, [](PathPoint&) {}));
    ASSERT_EQ(s.solve->motion, Motion::nodalPan) << verdict(s);
    EXPECT_EQ(s.solve->panCause, PanCause::offCentre);
    EXPECT_NEAR(s.solve->lens.principalPoint.x(), 319.5, 12);
    EXPECT_NEAR(s.solve->lens.principalPoint.y(), 179.5, 12);
    EXPECT_NE(verdict(s).find("right of"), std::string::npos) << verdict(s);
    // With the principal point given it is a pan without more ado.
    Shot given = s;
    given.priors.principal = Known::known;
    given.priors.principalOffset = {319.5 - 212.5, 179.5 - 119.5};
    given = solved(given);
    EXPECT_EQ(given.solve->motion, Motion::nodalPan);
    EXPECT_EQ(given.solve->panCause, PanCause::none) << verdict(given);
}

TEST_F(SpoiltPan, NoisyNamesTheNoise) {
    std::mt19937 random(3);
    std::normal_distribution<float> noise(0, 0.7F);
    const Shot s = solved(spoilt(640, 360, [&](PathPoint& q) { q.x += noise(random), q.y += noise(random); }));
    ASSERT_EQ(s.solve->motion, Motion::nodalPan) << verdict(s);
    EXPECT_NE(verdict(s).find("noisy"), std::string::npos) << verdict(s);
}

}  // namespace
}  // namespace va
