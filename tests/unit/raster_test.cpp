// SPDX-License-Identifier: GPL-3.0-or-later
// Drawing in software: depth, near plane, edges through the lens, picking.
#include "layout/raster.h"

#include <gtest/gtest.h>

#include <numbers>

#include "solve/frame_camera.h"

namespace va {
namespace {

constexpr int width = 640, height = 360;

FrameCamera cameraWith(double k1) {
    LensModel lens;
    lens.setValue(0, k1);
    return FrameCamera({{0, 1, 5}, Eigen::Quaterniond::Identity()},
                       {500, 1, {(width - 1) / 2.0, (height - 1) / 2.0}, lens});
}

RasterView viewOf(const FrameCamera& camera) {
    RasterView v;
    v.project = [camera](const Eigen::Vector3d& p) { return camera.project(p); };
    v.eye = camera.pose().position;
    v.forward = camera.pose().worldFromCamera * Eigen::Vector3d(0, 0, -1);
    v.nearest = 0.01;
    v.bends = !camera.lens().lens.isZero();
    return v;
}

RasterItem item(const ThingKind& kind, const Eigen::Vector3d& at, const Eigen::Vector4d& colour) {
    RasterItem i;
    i.shape = std::make_shared<const DrawnShape>(shapeOf(kind));
    i.worldFromShape.translation = at;
    i.colour = colour;
    i.wire = false;
    return i;
}

uint32_t pixel(const RasterPicture& p, double x, double y) {
    return p.argb[size_t(std::lround(y)) * size_t(p.width) + size_t(std::lround(x))];
}
int red(uint32_t c) { return int(c >> 16 & 255); }
int green(uint32_t c) { return int(c >> 8 & 255); }

const Eigen::Vector4d redColour{1, 0, 0, 1}, greenColour{0, 1, 0, 1};

TEST(Raster, NearThingsHideFarOnesWhateverTheOrder) {
    const RasterView view = viewOf(cameraWith(0));
    const RasterItem far = item(Box{2, 2, 2}, {0, 0, -4}, greenColour),
                     near = item(Box{0.5, 0.5, 0.5}, {0, 0.75, 0}, redColour);
    for (const auto& items : {std::vector{far, near}, std::vector{near, far}}) {
        const RasterPicture p = drawShapes(items, view, width, height);
        const auto middle = *view.project({0, 1, 0.25}), side = *view.project({0.8, 1.8, -3});
        EXPECT_GT(red(pixel(p, middle.x(), middle.y())), 100);
        EXPECT_EQ(green(pixel(p, middle.x(), middle.y())), 0);
        EXPECT_GT(green(pixel(p, side.x(), side.y())), 100);
        EXPECT_EQ(pixel(p, 5, 5), 0U) << "nothing there";
    }
    // Two that go through each other: each is seen where it is nearer.
    RasterItem turned = item(Card{2, 2, "", 0, 0, 0}, {0, 0, 0}, redColour), other = turned;
    turned.worldFromShape.rotation = Eigen::AngleAxisd(0.7, Eigen::Vector3d::UnitY());
    other.worldFromShape.rotation = Eigen::AngleAxisd(-0.7, Eigen::Vector3d::UnitY());
    other.colour = greenColour;
    const RasterPicture cross = drawShapes({turned, other}, view, width, height);
    const auto left = *view.project({-0.4, 1, 0}), right = *view.project({0.4, 1, 0});
    EXPECT_GT(red(pixel(cross, left.x(), left.y())) + green(pixel(cross, left.x(), left.y())), 100);
    EXPECT_NE(red(pixel(cross, left.x(), left.y())) > 100, red(pixel(cross, right.x(), right.y())) > 100);
}

TEST(Raster, AFloorThatGoesUnderTheCameraIsCutRight) {
    const RasterView view = viewOf(cameraWith(0));
    Board board;
    board.width = board.depth = 40, board.square = 40;
    const RasterPicture p = drawShapes({item(board, {0, 0, 0}, redColour)}, view, width, height);
    // The horizon's row is the middle one; the board ends 20 behind the origin: 25 from the camera, 1 below it.
    const double edge = (height - 1) / 2.0 + 500 * 1 / 25.0;
    for (int x = 0; x < width; x += 13) {
        // As wide as the picture only where it is near enough.
        const double y = height - 1;
        EXPECT_GT(red(pixel(p, x, y)), 50) << x;
        EXPECT_EQ(pixel(p, x, std::floor(edge) - 2), 0U) << x;
    }
    EXPECT_GT(red(pixel(p, width / 2.0, std::ceil(edge) + 2)), 50);
    // Looking away from it, nothing of it is drawn.
    const FrameCamera away(
        {{0, 1, 30}, Eigen::Quaterniond(Eigen::AngleAxisd(std::numbers::pi, Eigen::Vector3d::UnitY()))},
        {500, 1, {(width - 1) / 2.0, (height - 1) / 2.0}, {}});
    RasterItem wired = item(board, {0, 0, 0}, redColour);
    wired.wire = true;
    for (const uint32_t c : drawShapes({wired}, viewOf(away), width, height).argb) ASSERT_EQ(c, 0U);
}

TEST(Raster, EdgesBendWithTheLensUpToTheCorner) {
    const FrameCamera camera = cameraWith(-0.22);
    const RasterView view = viewOf(camera);
    // Long edges across the picture, and into its corner.
    const std::pair<Eigen::Vector3d, Eigen::Vector3d> edges[] = {{{-4, 2.6, 0}, {4, 2.6, 0}},
                                                                 {{-2.8, -0.6, 0}, {2.8, 2.4, -1}},
                                                                 {{2.9, -3, 0}, {2.9, 4, 0}},
                                                                 {{-3, 0, 4.5}, {3, 0, -30}}};
    for (const auto& [a, b] : edges) {
        const auto curves = curveOf(a, b, view);
        ASSERT_FALSE(curves.empty());
        int compared = 0;
        for (double t = 0; t <= 1; t += 1.0 / 2048) {
            const auto exact = camera.project(a + t * (b - a));
            if (!exact || exact->x() < 0 || exact->y() < 0 || exact->x() > width - 1 || exact->y() > height - 1)
                continue;
            double nearest = 1e9;
            for (const auto& curve : curves)
                for (size_t i = 1; i < curve.size(); ++i) {
                    const Eigen::Vector2d along = curve[i] - curve[i - 1];
                    const double s = std::clamp((*exact - curve[i - 1]).dot(along) / along.squaredNorm(), 0.0, 1.0);
                    nearest = std::min(nearest, (*exact - curve[i - 1] - s * along).norm());
                }
            EXPECT_LT(nearest, 0.5) << t;
            ++compared;
        }
        EXPECT_GT(compared, 200);
    }
    // The drawn face ends where its bent edge does.
    RasterItem card = item(Card{7, 3, "", 0, 0, 0}, {0, -0.5, 0}, redColour);
    const RasterPicture p = drawShapes({card}, view, width, height);
    int rows = 0;
    for (double x = -3.4; x < 3.4; x += 0.1) {
        const auto top = camera.project({x, 2.5, 0});
        if (!top || top->x() < 1 || top->x() > width - 2 || top->y() < 3 || top->y() > height - 4) continue;
        ++rows;
        EXPECT_GT(red(pixel(p, top->x(), std::ceil(top->y() + 0.7))), 100) << x;
        EXPECT_EQ(pixel(p, top->x(), std::floor(top->y() - 0.7)), 0U) << x;
    }
    EXPECT_GT(rows, 30);
}

TEST(Raster, NeighboursLeaveNoCracks) {
    const RasterView view = viewOf(cameraWith(-0.22));
    Board board;
    board.width = board.depth = 6, board.square = 0.75;
    RasterItem floor = item(board, {0, 0, 0}, redColour);
    const RasterPicture p = drawShapes({floor}, view, width, height);
    int holes = 0, filled = 0;
    for (double x = -2.9; x < 2.9; x += 0.02)
        for (double z = -2.9; z < 2.9; z += 0.02) {
            const auto at = view.project({x, 0, z});
            if (!at || at->x() < 1 || at->y() < 1 || at->x() > width - 2 || at->y() > height - 2) continue;
            ++filled;
            holes += pixel(p, at->x(), at->y()) == 0;
        }
    EXPECT_GT(filled, 10000);
    EXPECT_EQ(holes, 0);
}

TEST(Raster, AddScreenAndOpacity) {
    const RasterView view = viewOf(cameraWith(0));
    RasterItem back = item(Card{2, 2, "", 0, 0, 0}, {0, 0, -1}, {0.5, 0.5, 0.5, 1});
    const auto over = [&](int blend, double opacity) {
        Card c{1, 1, "", 0, blend, 0};
        RasterItem front = item(c, {0, 0.5, 0}, {0.5, 0, 0, opacity});
        const RasterPicture p = drawShapes({front, back}, view, width, height);
        const auto at = *view.project({0, 1, 0});
        return pixel(p, at.x(), at.y());
    };
    EXPECT_NEAR(red(over(0, 1)), 128, 2);
    EXPECT_NEAR(green(over(0, 1)), 0, 2);
    EXPECT_NEAR(green(over(0, 0.5)), 64, 2) << "half of what is behind";
    EXPECT_NEAR(red(over(1, 1)), 255, 2);
    EXPECT_NEAR(green(over(1, 1)), 128, 2) << "adds, and covers nothing";
    EXPECT_NEAR(red(over(2, 1)), 191, 2) << "1 - (1 - 0.5)(1 - 0.5)";
}

TEST(Raster, PicturesStandUprightOnCards) {
    auto picture = std::make_shared<Picture8>(2, 2);
    const uint8_t texels[] = {255, 0, 0, 255, 0, 255, 0, 255, 0, 0, 255, 255, 255, 255, 255, 255};
    std::copy(std::begin(texels), std::end(texels), picture->data.begin());
    Card card{2, 2, "rows.png", 0, 0, 0};
    RasterItem c = item(card, {0, 0, 0}, {1, 1, 1, 1});
    c.pictures = {picture};
    const RasterView view = viewOf(cameraWith(0));
    const RasterPicture p = drawShapes({c}, view, width, height);
    const auto at = [&](double x, double y) {
        const auto q = *view.project({x, y, 0});
        return pixel(p, q.x(), q.y()) & 0xffffff;
    };
    EXPECT_EQ(at(-0.9, 1.9), 0xff0000U);
    EXPECT_EQ(at(0.9, 1.9), 0x00ff00U);
    EXPECT_EQ(at(-0.9, 0.1), 0x0000ffU);
    EXPECT_EQ(at(0.9, 0.1), 0xffffffU);
}

TEST(Raster, LinesAreHiddenBehindFaces) {
    const RasterView view = viewOf(cameraWith(0));
    RasterItem front = item(Box{2, 2, 0.2}, {0, 0, 0}, greenColour), back = item(Box{1, 1, 1}, {0, 0.5, -3}, redColour);
    back.solid = false, back.wire = true;
    back.line = {1, 0, 0, 1};
    back.lineWidth = 2;
    for (const uint32_t c : drawShapes({front, back}, view, width, height).argb) ASSERT_LT(red(c), 20);
    int seen = 0;
    for (const uint32_t c : drawShapes({back}, view, width, height).argb) seen += red(c) > 200;
    EXPECT_GT(seen, 300);
}

TEST(Raster, TwiceAsManySamplesSmoothAndKeepTheSize) {
    const RasterView view = viewOf(cameraWith(0));
    const auto ball = item(Ball{1}, {0, 0.5, 0}, redColour);
    const RasterPicture one = drawShapes({ball}, view, width, height), two = drawShapes({ball}, view, width, height, 2);
    ASSERT_EQ(two.width, width);
    int soft = 0;
    double area1 = 0, area2 = 0;
    for (const uint32_t c : one.argb) area1 += (c >> 24) / 255.0;
    for (const uint32_t c : two.argb) area2 += (c >> 24) / 255.0, soft += (c >> 24) > 0 && (c >> 24) < 255;
    EXPECT_GT(soft, 50);
    EXPECT_NEAR(area2 / area1, 1, 0.01);
}

TEST(Raster, SmallRoundThingsHaveFewerSidesAndTheirSize) {
    for (const ThingKind& kind : allKinds()) {
        const Shape full = shapeOf(kind), coarse = coarseShapeOf(kind);
        const auto [low, high] = full.bounds();
        const auto [a, b] = coarse.bounds();
        EXPECT_LT((low - a).norm() + (high - b).norm(), 0.2 * (high - low).norm() + 1e-9) << kindWord(kind);
        EXPECT_LE(coarse.faceCount(), full.faceCount()) << kindWord(kind);
        EXPECT_EQ(coarse.materials.size(), full.materials.size()) << kindWord(kind);
        if (std::holds_alternative<Ball>(kind) || std::holds_alternative<Post>(kind)) {
            EXPECT_LT(4 * coarse.triangles().size(), 2 * full.triangles().size()) << kindWord(kind);
            EXPECT_GT(volumeOf(coarse), 0.75 * volumeOf(full)) << kindWord(kind);
        }
    }
    DrawnShapes shapes;
    Thing t;
    t.id = 1, t.kind = Ball();
    EXPECT_LT(shapes.of(t, 0, 25, 20)->triangles.size(), shapes.of(t, 0, 25, 200)->triangles.size());
    const RasterView view = viewOf(cameraWith(0));
    EXPECT_NEAR(pxAt(view, {0, 1, 0}, 0.5), 500 * 0.5 / 5, 1e-9);
}

TEST(Raster, ParallelViewsAndEmptyOnes) {
    RasterView top;
    top.parallel = true;
    top.forward = {0, -1, 0};
    top.eye = {0, 100, 0};
    top.project = [](const Eigen::Vector3d& p) { return Eigen::Vector2d(320 + 50 * p.x(), 180 + 50 * p.z()); };
    const RasterPicture p = drawShapes(
        {item(Box{1, 1, 1}, {0, 0, 0}, redColour), item(Box{4, 0.5, 4}, {0, 0, 0}, greenColour)}, top, width, height);
    EXPECT_GT(red(pixel(p, 320, 180)), 100) << "the higher one is nearer";
    EXPECT_GT(green(pixel(p, 320 + 60, 180)), 100);
    EXPECT_TRUE(drawShapes({}, top, 0, 0).argb.empty());
    for (const uint32_t c : drawShapes({item(Anchor(), {0, 0, 0}, redColour)}, top, 64, 64).argb) ASSERT_EQ(c, 0U);
}

TEST(Raster, ARayMeetsTheNearestFace) {
    const DrawnShape box(Box{2, 2, 2}.shape());
    const Similarity at{0.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.3, Eigen::Vector3d::UnitY())), {0, 0, -4}};
    const auto hit = rayMeets({0, 0.5, 5}, {0, 0, -1}, box, at);
    ASSERT_TRUE(hit);
    // A square of half side 0.5 turned by 0.3 about its middle.
    EXPECT_NEAR(*hit, 9 - 0.5 / std::cos(0.3), 1e-9);
    EXPECT_FALSE(rayMeets({0, 0.5, 5}, {0, 0, 1}, box, at)) << "behind";
    EXPECT_FALSE(rayMeets({3, 0.5, 5}, {0, 0, -1}, box, at));
}

}  // namespace
}  // namespace va
