// SPDX-License-Identifier: GPL-3.0-or-later
// The camera of one picture, from lines and known points of boxes drawn at random.
#include "ground/photo_match.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "ground/photo_axes.h"

namespace va {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

/// A box before a camera that sees three of its sides, and its edges with noise.
struct BoxPhoto {
    Intrinsics lens;
    CameraPose pose;
    PhotoEvidence evidence;
    std::vector<PhotoSpot> corners;  ///< true positions, noisy pixels
};

BoxPhoto makeBoxPhoto(uint64_t seed, double noisePx) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    std::uniform_real_distribution<double> uniform(0, 1);
    const auto jolt = [&] { return Vector2d(noisePx * normal(random), noisePx * normal(random)); };
    BoxPhoto out;
    const int w = 1600, h = 1067;
    out.lens.focalPx = (0.8 + uniform(random)) * w;
    out.lens.principalPoint = {(w - 1) / 2.0, (h - 1) / 2.0};
    const double yaw = (uniform(random) < 0.5 ? -1 : 1) * (0.4 + 0.5 * uniform(random)),
                 pitch = -0.12 - 0.25 * uniform(random), roll = 0.04 * normal(random);
    out.pose.worldFromCamera = Eigen::AngleAxisd(yaw, Vector3d::UnitY()) * Eigen::AngleAxisd(pitch, Vector3d::UnitX()) *
                               Eigen::AngleAxisd(roll, Vector3d::UnitZ());
    out.pose.position = Vector3d(0, 0.6, 0) + out.pose.worldFromCamera * Vector3d(0, 0, 4 + 3 * uniform(random));
    const Vector3d half(1 + uniform(random), 0.6 + uniform(random), 0.8 + uniform(random));
    out.evidence.width = w, out.evidence.height = h;
    for (int axis = 0; axis < 3; ++axis)
        for (int i = 0; i < 4; ++i) {
            Vector3d a, b;
            const int u = (axis + 1) % 3, v = (axis + 2) % 3;
            a[u] = b[u] = (i & 1) ? half[u] : -half[u];
            a[v] = b[v] = (i & 2) ? half[v] : -half[v];
            a[axis] = -half[axis], b[axis] = half[axis];
            a.y() += half.y(), b.y() += half.y();
            const auto pa = project(out.pose, out.lens, a), pb = project(out.pose, out.lens, b);
            if (!pa || !pb) continue;
            PhotoLine line;
            line.a = *pa + jolt(), line.b = *pb + jolt();
            line.axis = PhotoAxis(axis);
            line.sigma = noisePx;
            out.evidence.lines.push_back(line);
            if (axis == 0)
                for (const auto& [at, pixel] : {std::pair(a, *pa), std::pair(b, *pb)})
                    out.corners.push_back({pixel + jolt(), at, noisePx, ""});
        }
    return out;
}

/// Degrees; lines can't tell the box from itself turned by half a turn.
double rotationOff(const CameraPose& a, const CameraPose& b) {
    const Eigen::Quaterniond half(Eigen::AngleAxisd(M_PI, Vector3d::UnitY()));
    return std::min(a.worldFromCamera.angularDistance(b.worldFromCamera),
                    (half * a.worldFromCamera).angularDistance(b.worldFromCamera)) *
           180 / M_PI;
}

TEST(PhotoMatch, FiftyBoxesByTheirLines) {
    double focalSquares = 0, turnSquares = 0;
    std::vector<double> focal, turn;
    for (uint64_t seed = 1; seed <= 50; ++seed) {
        const BoxPhoto box = makeBoxPhoto(seed, 0.5);
        const PhotoFit fit = matchPhoto(box.evidence);
        ASSERT_TRUE(fit.found) << fit.trouble;
        const double f = fit.lens.focalPx / box.lens.focalPx - 1, r = rotationOff(fit.pose, box.pose);
        focal.push_back(100 * std::fabs(f));
        turn.push_back(r);
        focalSquares += std::pow(f / fit.focalSigma, 2) / 50;
        turnSquares += std::pow(r / fit.rotationSigmaDeg, 2) / 50;
    }
    std::sort(focal.begin(), focal.end());
    std::sort(turn.begin(), turn.end());
    std::printf(
        "boxes: focal length off by %.2f %% (median), %.2f %% (worst); rotation %.3f, %.3f deg; over stated %.2f "
        "and %.2f\n",
        focal[25], focal.back(), turn[25], turn.back(), std::sqrt(focalSquares), std::sqrt(turnSquares));
    EXPECT_LE(focal.back(), 1.0);
    EXPECT_LE(turn[25], 0.1);
    double meanSquare = 0;
    for (const double r : turn) meanSquare += r * r / 50;
    EXPECT_LE(std::sqrt(meanSquare), 0.2);
    for (const double ratio : {std::sqrt(focalSquares), std::sqrt(turnSquares)}) {
        EXPECT_GE(ratio, 0.8);
        EXPECT_LE(ratio, 1.25);
    }
}

TEST(PhotoMatch, LinesAreSortedByTheirDirections) {
    std::mt19937_64 random(5);
    std::normal_distribution<double> normal;
    std::uniform_real_distribution<double> uniform(0, 1);
    for (uint64_t seed = 1; seed <= 12; ++seed) {
        const BoxPhoto box = makeBoxPhoto(seed, 0.5);
        std::vector<PictureLine> lines;
        for (const PhotoLine& l : box.evidence.lines) lines.push_back({0, l.a, l.b});
        for (int k = 0; k < 10; ++k) {
            const Vector2d a(1600 * uniform(random), 1067 * uniform(random));
            lines.push_back({0, a, a + 180 * Vector2d(normal(random), normal(random))});
        }
        PhotoEvidence sorted = box.evidence;
        sorted.lines.clear();
        sorted.lines = sortLines(lines, sorted);
        const PhotoFit fit = matchPhoto(sorted);
        ASSERT_TRUE(fit.found) << seed;
        const Vector3d up = fit.pose.worldFromCamera.conjugate() * Vector3d::UnitY(),
                       truth = box.pose.worldFromCamera.conjugate() * Vector3d::UnitY();
        EXPECT_LT(std::acos(std::min(1.0, up.dot(truth))) * 180 / M_PI, 0.5) << seed;
        EXPECT_NEAR(fit.lens.focalPx / box.lens.focalPx, 1, 0.05) << seed;
        EXPECT_LT(std::fabs(fit.lens.focalPx / box.lens.focalPx - 1), 3 * fit.focalSigma) << seed;
    }
}

TEST(PhotoMatch, KnownPointsGivePositionAndFocalLength) {
    for (uint64_t seed = 1; seed <= 20; ++seed) {
        BoxPhoto box = makeBoxPhoto(seed, 0.3);
        PhotoEvidence points = box.evidence;
        points.lines.clear();
        points.spots = box.corners;
        const PhotoFit fit = matchPhoto(points);
        ASSERT_TRUE(fit.found) << fit.trouble;
        EXPECT_TRUE(fit.scaled);
        EXPECT_NEAR(fit.lens.focalPx / box.lens.focalPx, 1, 5 * fit.focalSigma + 1e-4) << seed;
        EXPECT_LT((fit.pose.position - box.pose.position).norm(), 5 * fit.positionSigma) << seed;
        // Three are enough where the focal length is known.
        points.spots.resize(3);
        points.focalPx = box.lens.focalPx;
        points.focalSigma = 0;
        const PhotoFit three = matchPhoto(points);
        ASSERT_TRUE(three.found) << three.trouble;
        EXPECT_LT(three.rmsPx, 1) << "several cameras may see three points so; this is one of them";
    }
}

TEST(PhotoMatch, ARectangleOfKnownSideGivesTheScale) {
    const BoxPhoto box = makeBoxPhoto(3, 0.2);
    const Vector3d corner(-1, 0, 1.2);
    PhotoEvidence e = box.evidence;
    e.lines.clear();
    PhotoQuad quad;
    quad.width = 2;
    const Vector3d at[] = {corner, corner + Vector3d(2, 0, 0), corner + Vector3d(2, 0, -3),
                           corner + Vector3d(0, 0, -3)};
    for (size_t i = 0; i < 4; ++i) quad.corners[i] = *project(box.pose, box.lens, at[i]);
    e.quad = quad;
    const PhotoFit fit = matchPhoto(e);
    ASSERT_TRUE(fit.found) << fit.trouble;
    EXPECT_TRUE(fit.scaled);
    EXPECT_NEAR(fit.lens.focalPx / box.lens.focalPx, 1, 1e-3);
    EXPECT_LT((fit.pose.position - (box.pose.position - corner)).norm(), 0.02);
    // Turned inside out it is none.
    std::swap(e.quad->corners[1], e.quad->corners[2]);
    EXPECT_NE(matchPhoto(e).trouble.find("not convex"), std::string::npos);
}

// With another focal length the near side of a rectangle holds, and the rectangle on the ground stays what it is.
TEST(PhotoMatch, ByEyeTheNearSideHolds) {
    PhotoEvidence e;
    e.width = 1600, e.height = 1000;
    Intrinsics lens;
    lens.focalPx = 1500;
    lens.principalPoint = {799.5, 499.5};
    CameraPose pose;
    pose.position = {1.2, 1.6, 4};
    pose.worldFromCamera = Eigen::AngleAxisd(0.2, Vector3d::UnitY()) * Eigen::AngleAxisd(-0.25, Vector3d::UnitX());
    PhotoQuad q;
    const Vector3d corners[] = {{0, 0, 0}, {2, 0, 0}, {2, 0, -3}, {0, 0, -3}};
    for (size_t i = 0; i < 4; ++i) q.corners[i] = *project(pose, lens, corners[i]);
    e.quad = q;
    const PhotoFit fit = matchPhoto(e);
    ASSERT_TRUE(fit.found) << fit.trouble;
    EXPECT_NEAR(fit.lens.focalPx / 1500, 1, 0.02);
    // The same focal length changes nothing.
    const auto same = quadAtFocal(e, fit.lens.focalPx);
    ASSERT_TRUE(same);
    for (size_t i = 0; i < 4; ++i) EXPECT_LT((same->corners[i] - q.corners[i]).norm(), 0.5) << i;
    for (const double focal : {1100.0, 2100.0}) {
        const auto other = quadAtFocal(e, focal);
        ASSERT_TRUE(other) << focal;
        EXPECT_EQ(other->corners[0], q.corners[0]);
        EXPECT_EQ(other->corners[1], q.corners[1]);
        EXPECT_GT((other->corners[2] - q.corners[2]).norm(), 2) << focal;
        // The rectangle is one for that focal length: two to three, as it was.
        PhotoEvidence then = e;
        then.quad = other;
        then.focalPx = focal;
        then.focalSigma = 0;
        const PhotoFit by = matchPhoto(then);
        ASSERT_TRUE(by.found);
        Vector3d on[4];
        for (size_t i = 0; i < 4; ++i) {
            const Vector3d ray = *worldRay(by.pose, by.lens, other->corners[i]);
            on[i] = by.pose.position - by.pose.position.y() / ray.y() * ray;
        }
        EXPECT_NEAR((on[3] - on[0]).norm() / (on[1] - on[0]).norm(), 1.5, 0.1) << focal;
    }
    e.quad.reset();
    EXPECT_FALSE(quadAtFocal(e, 1500));
}

TEST(PhotoMatch, WhatIsMissingIsSaid) {
    const BoxPhoto box = makeBoxPhoto(7, 0.5);
    PhotoEvidence none = box.evidence;
    none.lines.clear();
    EXPECT_FALSE(matchPhoto(none).found);
    EXPECT_NE(matchPhoto(none).trouble.find("nothing to match"), std::string::npos);
    // One direction does not tell the focal length.
    PhotoEvidence one = box.evidence;
    std::erase_if(one.lines, [](const PhotoLine& l) { return l.axis != PhotoAxis::x; });
    const PhotoFit alone = matchPhoto(one);
    EXPECT_NE(alone.trouble.find("One vanishing point"), std::string::npos) << alone.trouble;
    one.focalPx = box.lens.focalPx;
    EXPECT_EQ(matchPhoto(one).trouble.find("One vanishing point"), std::string::npos);
    // Lines that are parallel in the picture meet nowhere.
    PhotoEvidence flat = box.evidence;
    flat.lines.clear();
    for (int i = 0; i < 4; ++i) {
        flat.lines.push_back(
            {Vector2d(100, 200.0 * i + 100), Vector2d(1400, 200.0 * i + 100), PhotoAxis::x, 0.5, true});
        flat.lines.push_back({Vector2d(300.0 * i + 100, 100), Vector2d(300.0 * i + 100, 900), PhotoAxis::y, 0.5, true});
    }
    const PhotoFit frontal = matchPhoto(flat);
    EXPECT_NE(frontal.trouble.find("focal length"), std::string::npos) << frontal.trouble;
    EXPECT_GT(frontal.focalSigma, 0.08);
    // A cropped photo: metadata and lines do not go together.
    PhotoEvidence cropped = box.evidence;
    cropped.focalPx = 1.5 * box.lens.focalPx;
    const PhotoFit both = matchPhoto(cropped);
    EXPECT_NE(both.trouble.find("cropped"), std::string::npos) << both.trouble;
    ASSERT_TRUE(both.linesFocalPx);
    EXPECT_NEAR(*both.linesFocalPx / box.lens.focalPx, 1, 0.02);
    // Known points in a row, and behind the camera.
    PhotoEvidence row = none;
    for (int i = 0; i < 5; ++i) row.spots.push_back({{200.0 * i + 300, 40.0 * i + 300}, {1.0 * i, 0, -5}, 0.5, "P"});
    EXPECT_NE(matchPhoto(row).trouble.find("in a row"), std::string::npos) << matchPhoto(row).trouble;
    EXPECT_FALSE(matchPhoto(row).found);
    PhotoEvidence quad = none;
    quad.quad = PhotoQuad{{Vector2d(100, 800), {900, 800}, {150, 500}, {700, 500}}};
    EXPECT_NE(matchPhoto(quad).trouble.find("not convex"), std::string::npos);
    // A picture without edges.
    EXPECT_TRUE(sortLines({}, none).empty());
}

}  // namespace
}  // namespace va
