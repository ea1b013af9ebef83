// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "track/hand_track.h"
#include "track/reacquire.h"
#include "warp.h"

namespace va {
namespace {

using test::RotationZoom;
constexpr int width = 480, height = 360;

RotationZoom moveOf(int frame) {
    RotationZoom m{{width / 2.0, height / 2.0}, 0, 1, {0, 0}};
    const double t = (frame - 1) / 29.0;
    m.angle = 8 * t * M_PI / 180;
    m.zoom = 1 + 0.1 * t;
    m.shift = {18 * t, -9 * t};
    return m;
}

/// Frame 1 is the photo as it is; a board hides a part of frames 12 to 15.
Luma view(int frame, bool hidden = false) {
    static const Luma photo = test::loadPhoto("home.jpg");
    const RotationZoom m = moveOf(frame);
    Luma l = test::warped(
        photo, width, height,
        [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return m.back(p) + Eigen::Vector2d(15, 12); }, 1.5,
        unsigned(frame));
    if (hidden && frame >= 12 && frame <= 15)
        for (int y = 60; y < 300; ++y)
            for (int x = 160; x < 330; ++x) l.at(x, y) = float(90 + 25 * std::sin(0.4 * x) * std::cos(0.3 * y));
    return l;
}

const Eigen::Vector2d spot(236.3, 174.7);
Eigen::Vector2d truth(int frame, const Eigen::Vector2d& from = spot) {
    return moveOf(frame).forward(moveOf(1).back(from));
}

Path handPath(std::initializer_list<int> keys) {
    Path p;
    p.id = 3;
    p.origin = PathOrigin::byHand;
    p.referenceFrame = *keys.begin();
    for (int f : keys) {
        PathPoint q;
        q.frame = f;
        q.x = truth(f).x();
        q.y = truth(f).y();
        q.origin = PointOrigin::byHand;
        p.put(q);
    }
    return p;
}

std::vector<int> range(int from, int to) {
    std::vector<int> out;
    for (int f = from; f != to; f += from < to ? 1 : -1) out.push_back(f);
    out.push_back(to);
    return out;
}

double worst(const Path& p) {
    double w = 0;
    for (const PathPoint& q : p.points) w = std::max(w, (Eigen::Vector2d(q.x, q.y) - truth(q.frame)).norm());
    return w;
}

TEST(TrackByHand, ForwardAndBackwardReachTheEnds) {
    Progress progress;
    auto r = trackByHand({handPath({15}), range(15, 30), [](int f) { return view(f); }}, progress);
    EXPECT_EQ(r.reached, 30);
    EXPECT_EQ(r.stopped, "");
    r = trackByHand({r.path, range(15, 1), [](int f) { return view(f); }}, progress);
    EXPECT_EQ(r.reached, 1);
    ASSERT_EQ(r.path.points.size(), 30U);
    EXPECT_LT(worst(r.path), 0.12);
    EXPECT_EQ(r.path.at(15)->origin, PointOrigin::byHand);
}

TEST(TrackByHand, OneFrameIsOneFrame) {
    Progress progress;
    const auto r = trackByHand({handPath({15}), {15, 16}, [](int f) { return view(f); }}, progress);
    EXPECT_EQ(r.path.points.size(), 2U);
    EXPECT_EQ(r.reached, 16);
}

TEST(TrackByHand, GoesThroughEveryKeyWithoutAStep) {
    // The second key is two pixels off on purpose: the artist is right.
    Path p = handPath({1, 20});
    p.at(20)->x += 1.6;
    p.at(20)->y -= 1.2;
    const Eigen::Vector2d key(p.at(20)->x, p.at(20)->y);
    Progress progress;
    const auto r = trackByHand({p, range(1, 30), [](int f) { return view(f); }}, progress);
    ASSERT_EQ(r.path.points.size(), 30U);
    EXPECT_EQ(Eigen::Vector2d(r.path.at(20)->x, r.path.at(20)->y), key);
    Eigen::Vector2d before(0, 0);
    for (int f = 1; f <= 30; ++f) {
        const Eigen::Vector2d off = Eigen::Vector2d(r.path.at(f)->x, r.path.at(f)->y) - truth(f);
        if (f > 1) {
            EXPECT_LT((off - before).norm(), 0.35) << "a step at " << f;
        }
        before = off;
    }
    EXPECT_NEAR(before.norm(), 2, 0.3) << "from the key on it stays where the artist put it";
    EXPECT_GT(r.path.at(10)->drift, r.path.at(28)->drift) << "between keys that disagree less is known";
}

TEST(TrackByHand, ModelsKeepToWhatTheyAllow) {
    for (const MotionModel model : {MotionModel::translation, MotionModel::similarity, MotionModel::affine}) {
        Path p = handPath({1});
        p.model = model;
        p.radius = 9;
        Progress progress;
        const auto r = trackByHand({p, range(1, 12), [](int f) { return view(f); }}, progress);
        EXPECT_EQ(r.reached, 12);
        EXPECT_LT(worst(r.path), model == MotionModel::translation ? 0.4 : 0.12) << int(model);
    }
}

TEST(TrackByHand, ComesThroughAHiddenStretchAndSaysWhenItCannot) {
    Progress progress;
    auto r = trackByHand({handPath({5}), range(5, 30), [](int f) { return view(f, true); }}, progress);
    EXPECT_EQ(r.reached, 30) << r.stopped;
    EXPECT_FALSE(r.path.at(13)) << "nothing is made up while it is hidden";
    EXPECT_LT(worst(r.path), 0.15);
    r = trackByHand({handPath({5}), range(5, 30), [](int f) { return f < 9 ? view(f) : Luma(width, height); }},
                    progress);
    EXPECT_EQ(r.reached, 8);
    EXPECT_NE(r.stopped.find("Stopped at frame"), std::string::npos);
    r = trackByHand({handPath({5}), range(5, 8), [](int) { return Luma(width, height); }}, progress);
    EXPECT_NE(r.stopped.find("no texture"), std::string::npos);
    EXPECT_EQ(r.path.points.size(), 1U);
}

TEST(CarriedAlong, HiddenSpotGoesWithItsNeighbours) {
    Path p = handPath({5, 25});
    std::vector<Path> others(3);
    const Eigen::Vector2d places[3] = {{200, 150}, {270, 160}, {230, 215}};
    for (int i = 0; i < 3; ++i)
        for (int f = 1; f <= 30; ++f) {
            PathPoint q;
            q.frame = f;
            q.x = truth(f, places[i]).x();
            q.y = truth(f, places[i]).y();
            others[size_t(i)].points.push_back(q);
        }
    const auto carried = [&](std::vector<const Path*> n) { return carriedAlong(p, n, range(1, 30)); };
    // A rotation and zoom is carried exactly by two or three neighbours, and roughly by one.
    for (const size_t count : {size_t(2), size_t(3)}) {
        std::vector<const Path*> n;
        for (size_t i = 0; i < count; ++i) n.push_back(&others[i]);
        const Path c = carried(n);
        ASSERT_EQ(c.points.size(), 30U);
        EXPECT_LT(worst(c), 1e-6) << count;
        EXPECT_EQ(c.at(12)->origin, PointOrigin::carried);
        EXPECT_GT(c.at(12)->sxx, 0.05f) << "it is less sure than what was seen";
    }
    EXPECT_LT(worst(carried({&others[0]})), 8);
    EXPECT_EQ(carried({}).points.size(), 2U);
    others[0].points.resize(10);
    EXPECT_FALSE(carriedAlong(handPath({5}), {&others[0]}, range(1, 30)).at(20)) << "nobody was there";
}

TEST(Reanchored, ChainedDriftGoes) {
    Path p;
    p.id = 1;
    p.referenceFrame = 1;
    for (int f = 1; f <= 30; ++f) {
        // What tracking with re-taken references leaves: a slow walk away.
        PathPoint q;
        q.frame = f;
        q.x = truth(f).x() + 0.04 * (f - 1);
        q.y = truth(f).y() - 0.02 * (f - 1);
        q.chain = uint16_t(f / 8);
        q.drift = 0.1f * q.chain;
        p.points.push_back(q);
    }
    Progress progress;
    const Path r = reanchored(
        p, 1, range(1, 30), [](int f) { return view(f); }, progress);
    ASSERT_EQ(r.points.size(), 30U);
    EXPECT_GT(worst(p), 1.2);
    EXPECT_LT(worst(r), 0.12);
    EXPECT_EQ(r.at(30)->chain, 0);
    EXPECT_LT(r.drift(), 0.1f);
    EXPECT_EQ(reanchored(
                  p, 99, range(1, 30), [](int f) { return view(f); }, progress)
                  .at(30)
                  ->chain,
              p.at(30)->chain);
}

TEST(Reacquire, LostFeaturesAreFoundAgainAndPiecesJoined) {
    const auto piece = [&](int id, int from, int to) {
        Path p;
        p.id = id;
        p.referenceFrame = from;
        p.radius = 9;
        for (int f = from; f <= to; ++f) {
            PathPoint q;
            q.frame = f;
            q.x = truth(f).x();
            q.y = truth(f).y();
            p.points.push_back(q);
        }
        return p;
    };
    ReacquireRequest request;
    request.paths = {piece(1, 1, 11), piece(2, 18, 24)};
    request.frames = range(1, 30);
    request.read = [](int f) { return view(f, true); };
    request.expected = [](const Path& p, int f) -> std::optional<Placement> {
        Placement at;
        const RotationZoom a = moveOf(p.referenceFrame), b = moveOf(f);
        at.shape = b.zoom / a.zoom * Eigen::Rotation2Dd(b.angle - a.angle).toRotationMatrix();
        at.at = truth(f) + Eigen::Vector2d(0.6, -0.5);
        return at;
    };
    Progress progress;
    const ReacquireResult r = reacquire(std::move(request), progress);
    EXPECT_EQ(r.joined, 1);
    EXPECT_TRUE(r.paths[1].setAside);
    EXPECT_NE(r.paths[1].setAsideReason.find("path 1"), std::string::npos);
    const Path& whole = r.paths[0];
    EXPECT_GE(whole.points.size(), 26U);
    EXPECT_FALSE(whole.at(13)) << "hidden there";
    EXPECT_EQ(whole.at(22)->origin, PointOrigin::foundAgain);
    EXPECT_LT(worst(whole), 0.15);
}

}  // namespace
}  // namespace va
