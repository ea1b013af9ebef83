// SPDX-License-Identifier: GPL-3.0-or-later
// Tracking on the undistorted picture: a photo that pans under a strong lens, so that the true position of everything
// in every frame is known. The photo is of tests/data/photos (its source and licence stand there).
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "lens/lens_numbers.h"
#include "lens/resample.h"
#include "warp.h"
#include "workflow/undistorted_tracking.h"

namespace va {
namespace {

constexpr int width = 480, height = 320, frames = 14;

Intrinsics strongLens() {
    Intrinsics i;
    i.focalPx = 300;
    i.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
    i.lens = LensModel::brownConrady(-0.2, 0.04);
    return i;
}

/// A wall of the photo straight ahead that slides sideways by some px of the undistorted picture a frame.
struct PanningWall {
    Intrinsics lens = strongLens();
    Luma photo = test::loadPhoto("home.jpg");
    double step = 5;

    /// Photo pixel under a plate pixel of a frame.
    [[nodiscard]] Eigen::Vector2d photoAt(int frame, const Eigen::Vector2d& plate) const {
        const auto s = lens.normalisedFromPixel(plate);
        return s ? Eigen::Vector2d(photo.width / 2.0 + 300 * s->x() + step * frame - 40,
                                   photo.height / 2.0 + 300 * s->y())
                 : Eigen::Vector2d(-100, -100);
    }
    [[nodiscard]] Eigen::Vector2d plateOf(int frame, const Eigen::Vector2d& photoPixel) const {
        return lens.pixelFromNormalised({(photoPixel.x() - photo.width / 2.0 - step * frame + 40) / 300,
                                         (photoPixel.y() - photo.height / 2.0) / 300});
    }
    [[nodiscard]] Luma picture(int frame) const {
        return test::warped(
            photo, width, height, [&](const Eigen::Vector2d& p) { return photoAt(frame, p); }, 1.0, unsigned(frame));
    }
    [[nodiscard]] TrackRequest request() const {
        TrackRequest r;
        for (int f = 0; f < frames; ++f) r.frames.push_back(f);
        r.read = [this](int f) { return picture(f); };
        return r;
    }
};

/// Distances of paths from where their point of the reference frame truly goes, in px of the plate, sorted.
std::vector<double> slides(const PanningWall& wall, const std::vector<Path>& paths) {
    std::vector<double> out;
    for (const Path& p : paths) {
        if (p.points.size() < 8) continue;
        const PathPoint& first = *p.at(p.referenceFrame);
        const Eigen::Vector2d spot = wall.photoAt(p.referenceFrame, {first.x, first.y});
        for (const PathPoint& q : p.points)
            out.push_back((wall.plateOf(q.frame, spot) - Eigen::Vector2d(q.x, q.y)).norm());
    }
    std::sort(out.begin(), out.end());
    return out;
}

TEST(UndistortedTrack, PathsLieOnThePlateWhereTheirThingsAre) {
    const PanningWall wall;
    Progress progress;
    const auto undistorted = trackUndistorted(wall.request(), wall.lens, width, height, progress);
    const auto off = slides(wall, undistorted);
    ASSERT_GT(off.size(), 300u);
    EXPECT_LT(off[off.size() / 2], 0.06) << "half of all";
    EXPECT_LT(off[off.size() * 9 / 10], 0.3) << "nine of ten; the rest slides along edges or is lost";
    for (const Path& p : undistorted)
        for (const PathPoint& q : p.points) {
            EXPECT_TRUE(q.x >= 0 && q.y >= 0 && q.x <= width - 1 && q.y <= height - 1);
            EXPECT_GT(q.sxx, 0);
            EXPECT_GT(double(q.sxx) * double(q.syy), double(q.sxy) * double(q.sxy)) << "a covariance";
        }
}

TEST(UndistortedTrack, MasksAndStandingPathsAreMeantOnThePlate) {
    const PanningWall wall;
    Progress progress;
    TrackRequest request = wall.request();
    request.frames.resize(4);
    request.allowed = [](int, double x, double) { return x < width / 2.0; };
    const auto left = trackUndistorted(std::move(request), wall.lens, width, height, progress);
    ASSERT_GT(left.size(), 5u);
    for (const Path& p : left) EXPECT_LT(p.points.front().x, width / 2.0 + 0.5);
    // Their spots count as taken: nothing new is found right beside them.
    TrackRequest again = wall.request();
    again.frames.resize(1);
    again.standing = &left;
    again.firstId = 1000;
    const auto fresh = trackUndistorted(std::move(again), wall.lens, width, height, progress);
    for (const Path& f : fresh)
        for (const Path& p : left)
            if (p.points.front().frame == 0) {
                EXPECT_GT(std::hypot(f.points.front().x - p.points.front().x, f.points.front().y - p.points.front().y),
                          3);
            }
}

TEST(UndistortedTrack, GoingOnKeepsWhatWasThere) {
    const PanningWall wall;
    Progress progress;
    TrackRequest first = wall.request();
    first.frames.resize(5);
    const auto before = trackUndistorted(std::move(first), wall.lens, width, height, progress);
    TrackRequest next = wall.request();
    next.frames.erase(next.frames.begin(), next.frames.begin() + 4);
    next.findNew = false;
    for (const Path& p : before)
        if (p.points.back().frame == 4) next.goOn.push_back(p);
    const size_t going = next.goOn.size();
    ASSERT_GT(going, 10u);
    const auto after = trackUndistorted(std::move(next), wall.lens, width, height, progress);
    size_t longer = 0;
    for (const Path& p : after) {
        longer += p.points.back().frame > 8;
        for (const Path& q : before)
            if (q.id == p.id)
                for (const PathPoint& point : q.points) {
                    const PathPoint* same = p.at(point.frame);
                    ASSERT_TRUE(same);
                    // There and back through the lens.
                    EXPECT_NEAR(same->x, point.x, 1e-6);
                    EXPECT_NEAR(double(same->sxx), double(point.sxx), 1e-4 * double(point.sxx) + 1e-9);
                }
    }
    EXPECT_GT(longer * 2, going);
}

TEST(UndistortedTrack, WatchersSeeThePlateOnceAndInOrder) {
    const PanningWall wall;
    Progress progress;
    TrackRequest request = wall.request();
    request.frames.resize(6);
    std::vector<int> seen;
    request.watch = [&](int f, const Luma& l) {
        seen.push_back(f);
        EXPECT_EQ(l.width, width);
    };
    (void)trackUndistorted(std::move(request), wall.lens, width, height, progress);
    EXPECT_EQ(seen, (std::vector<int>{0, 1, 2, 3, 4, 5}));
}

TEST(UndistortedTrack, CancelKeepsPathsInPlateCoordinates) {
    const PanningWall wall;
    Progress progress;
    TrackRequest request = wall.request();
    std::vector<Path> soFar;
    request.soFar = &soFar;
    request.read = [&](int f) {
        if (f == 6) progress.cancel();
        return wall.picture(f);
    };
    EXPECT_THROW((void)trackUndistorted(std::move(request), wall.lens, width, height, progress), Cancelled);
    ASSERT_FALSE(soFar.empty());
    for (const Path& p : soFar)
        for (const PathPoint& q : p.points) EXPECT_TRUE(q.x >= 0 && q.x <= width - 1);
}

TEST(UndistortedTrack, ALensThatFoldsIsRefused) {
    PanningWall wall;
    wall.lens.lens = LensModel::brownConrady(-2);
    Progress progress;
    TrackRequest request;
    request.frames = {0, 1};
    request.read = [](int) { return Luma(width, height); };
    EXPECT_THROW((void)trackUndistorted(std::move(request), wall.lens, width, height, progress), InputError);
}

TEST(LumaResample, IsTheColoursResampleOnOneChannel) {
    const Luma photo = test::loadPhoto("home.jpg");
    Picture colours(photo.width, photo.height);
    for (size_t i = 0; i < photo.data.size(); ++i) {
        for (size_t c = 0; c < 3; ++c) colours.data[4 * i + c] = photo.data[i];
        colours.data[4 * i + 3] = 1;
    }
    Intrinsics lens = strongLens();
    lens.principalPoint = {(photo.width - 1) / 2.0, (photo.height - 1) / 2.0};
    lens.focalPx = photo.width;
    const UndistortedFrame frame = undistortedFrame(lens, photo.width, photo.height, Overscan::whole);
    const PixelMap map = undistortionMap(lens, frame, photo.width, photo.height);
    const Luma one = resample(photo, map);
    const Picture four = resample(colours, map, Filter::bicubic, Edge::hold);
    ASSERT_EQ(one.width, four.width);
    double worst = 0;
    for (size_t i = 0; i < one.data.size(); ++i)
        worst = std::max(worst, std::fabs(double(one.data[i]) - double(four.data[4 * i])));
    EXPECT_LT(worst, 1e-3);
    EXPECT_EQ(resample(Luma(), map).width, map.x.width);
}

TEST(SeenAcross, ABarrelShowsMoreThanItsFocalLengthSays) {
    // Field of view of a pinhole camera, 2 atan(width / 2 f) (Hartley & Zisserman 2004, section 6.1); the barrel's
    // border looks further out.
    Intrinsics lens = strongLens();
    lens.lens = LensModel();
    EXPECT_NEAR(horizontalFieldOfView(lens, width, height), 2 * std::atan(0.5 * width / 300), 1e-12);
    EXPECT_GT(horizontalFieldOfView(strongLens(), width, height), 2 * std::atan(0.5 * width / 300) + 0.1);
    // One that folds over before the border: as if it had no distortion.
    lens.lens = LensModel::brownConrady(-3);
    EXPECT_NEAR(horizontalFieldOfView(lens, width, height), 2 * std::atan(0.5 * width / 300), 1e-12);
}

}  // namespace
}  // namespace va
