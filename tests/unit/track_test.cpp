// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>
#include <set>

#include "base/error.h"
#include "track/coarse_shift.h"
#include "track/find_features.h"
#include "track/patch.h"
#include "track/track.h"
#include "warp.h"

namespace va {
namespace {

using test::RotationZoom;

// Against the definition, weight by weight; borders repeat.
TEST(Pyramid, LevelsAreTheBinomialBlursOfTheirDefinition) {
    Luma in(131, 97);
    unsigned state = 7;
    for (float& v : in.data) v = float((state = state * 1664525U + 1013904223U) >> 24);
    const auto blurred = [](const Luma& of, const std::vector<double>& taps, int x, int y) {
        const int reach = int(taps.size()) / 2;
        double sum = 0;
        for (int j = -reach; j <= reach; ++j)
            for (int i = -reach; i <= reach; ++i)
                sum += taps[size_t(i + reach)] * taps[size_t(j + reach)] *
                       double(of.at(std::clamp(x + i, 0, of.width - 1), std::clamp(y + j, 0, of.height - 1)));
        return sum;
    };
    const std::vector<double> light{0.25, 0.5, 0.25}, wide{0.0625, 0.25, 0.375, 0.25, 0.0625};
    // The memory of pyramids that are used up comes in other sizes, with what was in it.
    Pyramid spare;
    for (const int levels : {3, 1, 3}) {
        Pyramid p(in, levels, std::move(spare));
        ASSERT_EQ(p.levels(), levels);
        for (int y = 0; y < in.height; ++y)
            for (int x = 0; x < in.width; ++x) ASSERT_NEAR(double(p.level(0).at(x, y)), blurred(in, light, x, y), 1e-3);
        for (int n = 1; n < levels; ++n) {
            const Luma &level = p.level(n), &before = p.level(n - 1);
            ASSERT_EQ(level.width, (before.width + 1) / 2);
            ASSERT_EQ(level.height, (before.height + 1) / 2);
            for (int y = 0; y < level.height; ++y)
                for (int x = 0; x < level.width; ++x)
                    ASSERT_NEAR(double(level.at(x, y)), blurred(before, wide, 2 * x, 2 * y), 1e-3);
        }
        const Luma softer = p.softer();
        ASSERT_NEAR(double(softer.at(20, 30)), blurred(p.level(0), light, 20, 30), 1e-3);
        const Luma taken = p.takePicture();
        EXPECT_EQ(taken.data.size(), in.data.size());
        spare = std::move(p);
    }
    EXPECT_TRUE(Pyramid().takePicture().data.empty());
}

TEST(Pyramid, LevelsShareTheOrigin) {
    // A bright spot on an even pixel stays on its pixel at half the size.
    Luma in(128, 96);
    in.at(64, 48) = 255;
    const Pyramid p(in, 3);
    ASSERT_EQ(p.levels(), 3);
    for (int level = 0; level < 3; ++level) {
        const Luma& l = p.level(level);
        int bx = 0, by = 0;
        for (int y = 0; y < l.height; ++y)
            for (int x = 0; x < l.width; ++x)
                if (l.at(x, y) > l.at(bx, by)) bx = x, by = y;
        EXPECT_EQ(bx, 64 >> level);
        EXPECT_EQ(by, 48 >> level);
    }
}

class OnPhoto : public ::testing::Test {
  protected:
    static const Luma& photo() {
        static const Luma p = test::loadPhoto("home.jpg");
        return p;
    }
    static constexpr int width = 480, height = 360;
    static Luma view(const RotationZoom& move, double sigma, unsigned seed) {
        return test::warped(
            photo(), width, height,
            [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return move.back(p) + Eigen::Vector2d(15, 12); }, sigma,
            seed);
    }
    static RotationZoom still() { return {{width / 2.0, height / 2.0}, 0, 1, {0, 0}}; }
};

TEST_F(OnPhoto, FindingSpreadsFeaturesAndKeepsDistance) {
    const Pyramid p(view(still(), 0, 1), 1);
    FindOptions o;
    o.count = 120;
    const auto found = findFeatures(p.level(0), {}, o);
    ASSERT_GT(found.size(), 60U);
    int quadrants[4] = {};
    for (size_t i = 0; i < found.size(); ++i) {
        ++quadrants[(found[i].x > width / 2) + 2 * (found[i].y > height / 2)];
        for (size_t j = 0; j < i; ++j)
            EXPECT_GE(std::hypot(found[i].x - found[j].x, found[i].y - found[j].y), o.spacing - 1e-6);
    }
    for (int q : quadrants) EXPECT_GT(q, 8);
    // What is there already counts.
    std::vector<Eigen::Vector2d> taken;
    for (const auto& f : found) taken.emplace_back(f.x, f.y);
    EXPECT_LT(findFeatures(p.level(0), taken, o).size(), found.size() / 3);
}

TEST_F(OnPhoto, FindingFillsOnlyWhatIsMissing) {
    const Pyramid p(view(still(), 0, 1), 1);
    FindOptions o;
    o.count = 200;  // enough cells that full ones are passed over
    const auto all = findFeatures(p.level(0), {}, o);
    std::vector<Eigen::Vector2d> taken;
    std::set<std::pair<int, int>> gone;
    for (const auto& f : all) {
        if (f.x < width / 3) gone.emplace(f.x, f.y);
        else taken.emplace_back(f.x, f.y);
    }
    ASSERT_GT(gone.size(), 20U);
    std::set<std::pair<int, int>> found;
    for (const auto& f : findFeatures(p.level(0), taken, o)) found.emplace(f.x, f.y);
    EXPECT_EQ(found, gone);
}

// Patches grow with the picture, so wide ones are searched at half their size: the positions are the same ones.
TEST_F(OnPhoto, FindingInAWidePictureGivesThePlacesOfItsHalf) {
    constexpr int w = 1680, h = 1260;
    const Luma wide = test::warped(
        photo(), w, h, [](const Eigen::Vector2d& p) -> Eigen::Vector2d { return p / 3.5 + Eigen::Vector2d(15, 12); }, 0,
        1);
    const Pyramid p(wide, 3);
    FindOptions o;
    o.count = 150;
    o.margin = 20;
    o.spacing = 24;
    o.allowed = [](int x, int) { return x < 1200; };
    const auto found = findFeatures(p, {}, o);
    ASSERT_GT(found.size(), 60U);
    for (size_t i = 0; i < found.size(); ++i) {
        EXPECT_TRUE(found[i].x >= 20 && found[i].y >= 20 && found[i].x < 1200 && found[i].y < h - 20);
        for (size_t j = 0; j < i; ++j)
            EXPECT_GE(std::hypot(found[i].x - found[j].x, found[i].y - found[j].y), o.spacing - 1e-6);
    }
    FindOptions half = o;
    half.margin = 11;
    half.spacing = 12;
    half.allowed = [](int x, int) { return x < 600; };
    const auto inHalf = findFeatures(p.level(1), {}, half);
    ASSERT_EQ(found.size(), inHalf.size());
    for (size_t i = 0; i < found.size(); ++i)
        EXPECT_TRUE(found[i].x == 2 * inHalf[i].x && found[i].y == 2 * inHalf[i].y);
    // A narrow one is searched as it is.
    const Pyramid narrow(view(still(), 0, 1), 3);
    EXPECT_EQ(findFeatures(narrow, {}, {}).size(), findFeatures(narrow.level(0), {}, {}).size());
}

TEST_F(OnPhoto, FindingKeepsOutOfMasksAndFlatPictures) {
    const Pyramid p(view(still(), 0, 1), 1);
    FindOptions o;
    o.allowed = [](int x, int) { return x < width / 2; };
    const auto found = findFeatures(p.level(0), {}, o);
    ASSERT_GT(found.size(), 20U);
    for (const auto& f : found) EXPECT_LT(f.x, width / 2);
    const Pyramid flat(Luma(width, height), 1);
    EXPECT_TRUE(findFeatures(flat.level(0), {}, {}).empty());
}

TEST_F(OnPhoto, RegistrationFindsRotationZoomGainAndBias) {
    const Pyramid first(view(still(), 0, 1), 1);
    RotationZoom move = still();
    move.angle = 0.08;
    move.zoom = 1.06;
    Luma moved = view(move, 0, 2);
    for (float& v : moved.data) v = 0.8f * v + 20;
    const Pyramid second(moved, 1);
    FindOptions o;
    o.count = 60;
    o.margin = 60;
    int tried = 0, good = 0;
    for (const auto& f : findFeatures(first.level(0), {}, o)) {
        const ReferencePatch patch(first.level(0), f.x, f.y, 9);
        if (!patch.usable()) continue;
        const Eigen::Vector2d truth = move.forward(patch.middle());
        Placement start;
        start.at = truth + Eigen::Vector2d(0.8, -0.6);
        const auto r = patch.registerIn(second, start);
        ++tried;
        if (!r) continue;
        const Eigen::Matrix2d shape = 1.06 * Eigen::Rotation2Dd(0.08).toRotationMatrix();
        if ((r->placement.at - truth).norm() < 0.03 && (r->placement.shape - shape).norm() < 0.02 &&
            r->correlation > 0.995)
            ++good;
    }
    ASSERT_GT(tried, 20);
    EXPECT_GE(good * 100, tried * 95);
}

// What a position claims of its own error must be true: normalised squared errors average near 1 an axis.
TEST_F(OnPhoto, NearerPlacesAreAveragedNotSampledHereAndThere) {
    // Seen 1.5 and 1.9 times larger, a patch covers more pixels: all of them tell where it is, if all are used.
    for (const double zoom : {1.5, 1.9}) {
        RotationZoom move = still();
        move.zoom = zoom;
        const Pyramid first(view(still(), 0, 1), 1);
        FindOptions o;
        o.count = 60;
        o.margin = 110;
        const auto features = findFeatures(first.level(0), {}, o);
        double fitting = 0, plain = 0, normalised = 0;
        int n = 0;
        for (unsigned seed = 1; seed <= 6; ++seed) {
            const Luma seen = view(move, 4, seed);
            const Pyramid many(seen, 3), one(seen, 1);
            for (const auto& f : features) {
                const ReferencePatch patch(first.level(0), f.x, f.y, 8);
                if (!patch.usable()) continue;
                Placement start;
                start.shape = zoom * Eigen::Matrix2d::Identity();
                start.at = move.forward(patch.middle()) + Eigen::Vector2d(0.4, -0.3);
                const auto r = patch.registerIn(many, start);
                const auto q = zoom > 1.6 ? patch.registerIn(one, start) : std::nullopt;
                if (!r || r->correlation < 0.8) continue;
                const Eigen::Vector2d e = r->placement.at - move.forward(patch.middle());
                if (e.norm() > 1) continue;
                // Both have to have found it: the comparison is one of precision, not of who got lost.
                const Eigen::Vector2d own =
                    q ? Eigen::Vector2d(q->placement.at - move.forward(patch.middle())) : Eigen::Vector2d::Zero();
                if (zoom > 1.6 && (!q || own.norm() > 1)) continue;
                ++n;
                fitting += e.squaredNorm();
                normalised += 0.5 * e.dot(r->covariance.inverse() * e);
                plain += own.squaredNorm();
            }
        }
        ASSERT_GT(n, 60);
        EXPECT_LT(std::sqrt(fitting / n), 0.1) << zoom;
        EXPECT_GT(normalised / n, 0.5) << zoom;
        EXPECT_LT(normalised / n, 2.0) << zoom;
        EXPECT_TRUE(zoom < 1.6 || fitting < 0.75 * plain) << fitting << " against " << plain;
    }
}

TEST_F(OnPhoto, CovarianceIsHonestUnderWhiteNoise) {
    const double sigma = 4;
    const Pyramid first(view(still(), 0, 1), 1);  // a clean reference: its noise would be the same in every repetition
    FindOptions o;
    o.count = 60;
    o.margin = 40;
    double sum = 0;
    int n = 0;
    for (unsigned seed = 10; seed < 16; ++seed) {
        RotationZoom move = still();
        move.shift = {0.37 + 0.1 * seed, -0.21 * seed};
        const Pyramid second(view(move, sigma, seed), 1);
        for (const auto& f : findFeatures(first.level(0), {}, o)) {
            const ReferencePatch patch(first.level(0), f.x, f.y, 8);
            Placement start;
            start.at = move.forward(patch.middle());
            const auto r = patch.registerIn(second, start);
            if (!r) continue;
            const Eigen::Vector2d e = r->placement.at - move.forward(patch.middle());
            sum += e.dot(r->covariance.inverse() * e);
            n += 2;
        }
    }
    ASSERT_GT(n, 300);
    EXPECT_GT(sum / n, 0.7);
    EXPECT_LT(sum / n, 1.5);
}

TEST_F(OnPhoto, PatchWithoutTextureIsNotUsed) {
    EXPECT_FALSE(ReferencePatch(Luma(64, 64), 32, 32, 8).usable());
    Luma stripes(64, 64);  // texture in one direction only: would slide along
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x) stripes.at(x, y) = float(128 + 60 * std::sin(x * 0.7));
    EXPECT_FALSE(ReferencePatch(Pyramid(stripes, 1).level(0), 32, 32, 8).usable());
    EXPECT_FALSE(ReferencePatch(photo(), 3, 3, 8).usable()) << "hangs over the edge";
}

TEST_F(OnPhoto, CoarseShiftBridgesLargeMoves) {
    const Pyramid a(view(still(), 1, 1), 4);
    RotationZoom move = still();
    move.shift = {23.4, -17.8};
    const Pyramid b(view(move, 1, 2), 4);
    FindOptions o;
    o.count = 50;
    o.margin = 50;
    int good = 0, tried = 0;
    for (const auto& f : findFeatures(a.level(0), {}, o)) {
        const Eigen::Vector2d from(f.x, f.y);
        const auto to = coarseShift(a, b, from, from, 8, 1, 3);
        ++tried;
        good += to && (*to - from - move.shift).norm() < 1.0;
    }
    EXPECT_GE(good * 100, tried * 80) << good << " of " << tried;
}

/// trackFeatures over the frames given, with everything else as it comes.
std::vector<Path> track(const std::vector<int>& frames, const std::function<Luma(int)>& read, Progress& progress,
                        const TrackOptions& options = {}, std::vector<Path>* soFar = nullptr) {
    TrackRequest request;
    request.frames = frames;
    request.read = read;
    request.options = options;
    request.soFar = soFar;
    return trackFeatures(std::move(request), progress);
}

/// Paths through 40 frames of a slow turn and zoom stay where the photo's points go.
TEST_F(OnPhoto, TrackingDoesNotDrift) {
    std::vector<int> frames;
    for (int i = 0; i < 40; ++i) frames.push_back(100 + i);
    const auto move = [&](int frame) {
        RotationZoom m = still();
        const double t = (frame - 100) / 39.0;
        m.angle = t * 10 * M_PI / 180;
        m.zoom = 1 + 0.12 * t;
        return m;
    };
    Progress progress;
    TrackOptions o;
    o.features = 80;
    const auto paths = track(
        frames, [&](int f) { return view(move(f), 1.5, unsigned(f)); }, progress, o);
    double sum = 0;
    int n = 0, whole = 0;
    for (const Path& p : paths) {
        const PathPoint* first = p.at(100);
        const PathPoint* last = p.at(139);
        if (!first || !last) continue;
        ++whole;
        const Eigen::Vector2d truth = move(139).forward(move(100).back({first->x, first->y}));
        sum += (truth - Eigen::Vector2d(last->x, last->y)).squaredNorm();
        ++n;
    }
    ASSERT_GT(whole, 25);
    EXPECT_LT(std::sqrt(sum / n), 0.12);
}

TEST_F(OnPhoto, BlackFramesEndPathsWithoutNonsense) {
    Progress progress;
    const auto paths = track(
        {1, 2, 3, 4, 5, 6, 7, 8}, [&](int f) { return f < 6 ? view(still(), 1, unsigned(f)) : Luma(width, height); },
        progress);
    ASSERT_FALSE(paths.empty());
    for (const Path& p : paths) EXPECT_LE(p.points.back().frame, 5);
    EXPECT_TRUE(track(
                    {1, 2, 3, 4, 5, 6}, [](int) { return Luma(width, height); }, progress)
                    .empty());
    EXPECT_TRUE(track(
                    {}, [](int) { return Luma(); }, progress)
                    .empty());
}

TEST_F(OnPhoto, CancelKeepsWhatWasTracked) {
    Progress progress;
    std::vector<int> frames;
    for (int i = 1; i <= 30; ++i) frames.push_back(i);
    std::vector<Path> soFar;
    EXPECT_THROW(track(
                     frames,
                     [&](int f) {
                         if (f == 15) progress.cancel();
                         return view(still(), 1, unsigned(f));
                     },
                     progress, {}, &soFar),
                 Cancelled);
    ASSERT_FALSE(soFar.empty());
    EXPECT_GE(soFar.front().points.size(), 10U);
}

TEST_F(OnPhoto, SameInputSamePaths) {
    const auto run = [&] {
        Progress progress;
        return track(
            {1, 2, 3, 4, 5, 6},
            [&](int f) {
                RotationZoom m = still();
                m.shift = {2.0 * f, 0.5 * f};
                return view(m, 1, unsigned(f));
            },
            progress);
    };
    const auto a = run(), b = run();
    ASSERT_GT(a.size(), 20U);
    ASSERT_EQ(a.size(), b.size());
    for (size_t i = 0; i < a.size(); ++i) {
        ASSERT_EQ(a[i].points.size(), b[i].points.size());
        for (size_t k = 0; k < a[i].points.size(); ++k) EXPECT_EQ(a[i].points[k].x, b[i].points[k].x);
    }
}

}  // namespace
}  // namespace va
