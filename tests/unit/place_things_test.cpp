// SPDX-License-Identifier: GPL-3.0-or-later
// Where things stand by what they hang on, and what becomes of that when solve, ground or scale change.
#include "workflow/place_things.h"

#include <gtest/gtest.h>

#include <numbers>

#include <algorithm>
#include <filesystem>

#include "base/error.h"
#include "exchange/usda.h"
#include "exchange/verify.h"
#include "ground/region_slant.h"
#include "ground/transform_text.h"
#include "layout/assets.h"
#include "solved_shot.h"
#include "workflow/gather_scene.h"
#include "workflow/ground_work.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/patch_axes.h"

namespace va {
namespace {

class Placing : public ::testing::Test {
  protected:
    static const Shot& solved() {
        static const Shot s = test::makeSolvedShot();
        return s;
    }
    /// Ids of solved points, in the order of the solve.
    static std::vector<int> ids(size_t from, size_t count) {
        std::vector<int> out;
        for (size_t i = from; i < from + count; ++i) out.push_back(solved().solve->points[i].pathId);
        return out;
    }
    /// The features of the floor that the shot was made with.
    static std::vector<int> floorIds() {
        std::vector<int> out;
        for (const SolvedPoint& p : solved().solve->points)
            if (p.pathId >= 1000) out.push_back(p.pathId);
        return out;
    }
    static Shot with(Thing t, int* id = nullptr) { return withThing(solved(), std::move(t), id); }
    static Thing hung(Hang hang, const Eigen::Vector3d& offset = {0, 0, 0}) {
        Thing t;
        t.name = "hung";
        t.hang = std::move(hang);
        t.position = offset;
        return t;
    }
    static Similarity placed(const Shot& s, int id, double frame = 1001) {
        const auto at = PlacedThings(s, frame).of(*s.thing(id));
        EXPECT_TRUE(at);
        return at.value_or(Similarity());
    }
    /// The same shot in another world: larger, turned, moved.
    static Shot elsewhere(const Shot& s) {
        GroundSpec spec = s.groundSpec;
        spec.byHand.scale = 2.5;
        spec.byHand.rotation = Eigen::AngleAxisd(0.8, Eigen::Vector3d::UnitY());
        spec.byHand.translation = {3, 0, -1};
        Shot next = withGround(s, spec);
        next.things = carriedThings(s, next).things;
        return next;
    }
};

TEST_F(Placing, OnAPointItFollowsThePoint) {
    const int point = ids(5, 1)[0];
    int id = 0;
    const Shot a = with(hung({Hang::On::point, point, {}}), &id);
    EXPECT_LT((placed(a, id).translation - *a.worldPointOfPath(point)).norm(), 1e-12);
    const Shot b = elsewhere(a);
    EXPECT_GT((*a.worldPointOfPath(point) - *b.worldPointOfPath(point)).norm(), 0.5);
    EXPECT_LT((placed(b, id).translation - *b.worldPointOfPath(point)).norm(), 1e-9);
    // Another solve of the same paths, and the point goes where it goes.
    Shot c = a;
    auto moved = std::make_shared<SolveResult>(*a.solve);
    for (SolvedPoint& p : moved->points)
        if (p.pathId == point) p.position += Eigen::Vector3d(0.1, 0.2, 0.3);
    c.solve = moved;
    c = withGround(c, c.groundSpec);
    c.things = carriedThings(a, c).things;
    EXPECT_LT((placed(c, id).translation - *c.worldPointOfPath(point)).norm(), 1e-9);
}

TEST_F(Placing, MiddleAndSurfaceOfASelection) {
    const std::vector<int> some = floorIds();
    ASSERT_GE(some.size(), 6U);
    const LayoutPlace middle = middleOf(solved(), some), surface = surfaceOf(solved(), some);
    Eigen::Vector3d mean = Eigen::Vector3d::Zero();
    for (const int i : some) mean += *solved().worldPointOfPath(i) / double(some.size());
    EXPECT_LT((middle.foot - mean).norm(), 1e-9);
    EXPECT_LT((surface.foot - mean).norm(), 1e-9);
    EXPECT_GT(surface.normal.y(), 0.99) << "the floor's normal is up, to the camera";
    EXPECT_EQ(middleOf(solved(), {some[0]}).hang.on, Hang::On::point);
    EXPECT_THROW((void)middleOf(solved(), {999999}), InputError);
    EXPECT_THROW((void)surfaceOf(solved(), {some[0], some[1]}), InputError);
    EXPECT_THROW((void)surfaceOf(solved(), {some[0], some[0], some[0]}), InputError);
}

TEST_F(Placing, EverythingStaysInThePictureWhenTheWorldChanges) {
    const std::vector<int> some = floorIds();
    std::vector<int> made;
    Shot a = solved();
    for (const Hang& hang : {Hang{}, Hang{Hang::On::point, some[0], {}}, Hang{Hang::On::middle, 0, some},
                             Hang{Hang::On::surface, 0, some}, Hang{Hang::On::camera, 0, {}}}) {
        Thing t = hung(hang, {0.3, 0.2, -0.4});
        t.rotation = Eigen::AngleAxisd(0.7, Eigen::Vector3d(1, 2, 3).normalized());
        int id = 0;
        a = withThing(a, t, &id);
        made.push_back(id);
    }
    // A child, and one with keys.
    Thing child = hung({Hang::On::thing, made[3], {}}, {0.5, 0, 0});
    child.keys.position.keys.set(1001, {0.5, 0, 0});
    child.keys.position.keys.set(1010, {0.5, 1, 0});
    child.keys.turn.keys.set(1003, {0.2, 7, 0.1});
    int id = 0;
    a = withThing(a, child, &id);
    made.push_back(id);
    const Shot b = elsewhere(a);
    for (const int thing : made)
        for (const int frame : {1001, 1007, 1024}) {
            const auto before = a.cameraAt(frame), after = b.cameraAt(frame);
            const Similarity x = placed(a, thing, frame), y = placed(b, thing, frame);
            const double size = std::get<Box>(b.thing(thing)->kind).width / std::get<Box>(a.thing(thing)->kind).width;
            EXPECT_NEAR(size, 2.5, 1e-9);
            for (const Eigen::Vector3d& own : {Eigen::Vector3d(0, 0, 0), Eigen::Vector3d(0.5, 1, 0.5)}) {
                const auto p = before->project(x.point(own)), q = after->project(y.point(size * own));
                if (!p || !q) continue;
                EXPECT_LT((*p - *q).norm(), 1e-6) << thing << " in " << frame;
            }
        }
    EXPECT_NEAR(b.thing(id)->keys.turn.keys.front().value.y(), 7, 1e-9) << "more than a turn stays so";
}

TEST_F(Placing, WhatStandsOnTheGroundStandsOnTheNewOne) {
    int id = 0;
    Thing t = hung({Hang::On::ground, 0, {}}, {1, 0, -2});
    const Shot a = with(t, &id);
    // Another level: tilted by four degrees.
    GroundSpec spec = a.groundSpec;
    spec.byHand.rotation = Eigen::AngleAxisd(0.07, Eigen::Vector3d(1, 0, 0.5).normalized());
    spec.byHand.scale = 0.4;
    Shot b = withGround(a, spec);
    b.things = carriedThings(a, b).things;
    EXPECT_NEAR(placed(b, id).translation.y(), 0, 1e-9);
    EXPECT_NEAR((placed(b, id).rotation * Eigen::Vector3d::UnitY()).y(), 1, 1e-12) << "upright";
    EXPECT_NEAR(std::get<Box>(b.thing(id)->kind).width, 0.4, 1e-9);
    // A post is a known size: it stays one.
    Thing post = t;
    post.kind = Post();
    Shot c = withThing(a, post, &id);
    Shot d = withGround(c, spec);
    d.things = carriedThings(c, d).things;
    EXPECT_EQ(std::get<Post>(d.thing(id)->kind).height, 1.8);
}

TEST_F(Placing, ASurfaceHoldsWhenSomeOfItsPointsAreGone) {
    const std::vector<int> some = floorIds();
    int id = 0;
    Thing t = hung({Hang::On::surface, 0, some}, {0.3, 0, 0.2});
    const Shot a = with(t, &id);
    Shot b = a;
    auto fewer = std::make_shared<SolveResult>(*a.solve);
    std::erase_if(fewer->points, [&](const SolvedPoint& p) { return p.pathId == some[0] || p.pathId == some[3]; });
    b.solve = fewer;
    b = withGround(b, b.groundSpec);
    b.things = carriedThings(a, b).things;
    const Similarity x = placed(a, id), y = placed(b, id);
    const auto p = a.cameraAt(1010)->project(x.translation), q = b.cameraAt(1010)->project(y.translation);
    ASSERT_TRUE(p && q);
    EXPECT_LT((*p - *q).norm(), 0.5) << "its heading must not jump to another point";
    EXPECT_LT(x.rotation.angularDistance(y.rotation), 0.02);
}

// A patch on the floor, tracked by the maps that its plane makes of it: what hangs on it stands still.
TEST_F(Placing, OnAPatchOfTheFloorItStandsStill) {
    Shot s = solved();
    // Of the made-up shot only the floor: its other points float in the air, before the floor and behind it.
    auto floorOnly = std::make_shared<SolveResult>(*s.solve);
    std::erase_if(floorOnly->points, [](const SolvedPoint& p) { return p.pathId < 1000; });
    s.solve = floorOnly;
    const auto floor = axesOnPoints(
        [&] {
            std::vector<Eigen::Vector3d> out;
            for (const int id : floorIds()) out.push_back(*s.worldPointOfPath(id));
            return out;
        }(),
        s.worldPose(1012)->position);
    ASSERT_TRUE(floor);
    const auto cornersIn = [&](int frame) {
        Corners out;
        const double half = 1.3 * (*s.worldPointOfPath(floorIds()[0]) - *s.worldPointOfPath(floorIds()[1])).norm();
        const Eigen::Vector3d own[4] = {{-half, 0, -half}, {half, 0, -half}, {half, 0, half}, {-half, 0, half}};
        for (size_t k = 0; k < 4; ++k)
            out[k] = s.cameraAt(frame)->project(floor->point(own[k])).value_or(Eigen::Vector2d::Zero());
        return out;
    };
    FlatPatch patch;
    patch.id = 1, patch.name = "floor", patch.referenceFrame = 1012;
    patch.corners = cornersIn(1012);
    for (int f = 1008; f <= 1016; ++f) patch.frames.push_back({f, *mapOfCorners(patch.corners, cornersIn(f)), 1, 1});
    s.patches.push_back(patch);
    int id = 0;
    s = withThing(s, hung({Hang::On::patch, 1, {}}, {0.1, 0.2, 0}), &id);
    const Similarity first = placed(s, id, 1012);
    for (const int f : {1008, 1010, 1014, 1016}) {
        const auto p = s.cameraAt(f)->project(first.translation),
                   q = s.cameraAt(f)->project(placed(s, id, f).translation);
        ASSERT_TRUE(p && q);
        EXPECT_LT((*p - *q).norm(), 0.5) << f;
    }
    EXPECT_FALSE(PlacedThings(s, 1020).of(*s.thing(id))) << "it was not tracked there";
}

// A board that turns and drifts by itself, with no solved feature on it: what hangs on it turns and drifts along. No
// picture tells its size from its distance, so it is compared in the picture, at the same share of the board's size.
TEST_F(Placing, OnAPatchThatMovesByItselfItMovesAlong) {
    Shot s = solved();
    auto without = std::make_shared<SolveResult>(*s.solve);
    s.solve = without;
    const int reference = 1012;
    const auto camera = *s.cameraAt(reference);
    const double away = 0.4 * (s.worldPoint(s.solve->points[0]) - camera.pose().position).norm();
    const Eigen::Vector3d start =
        camera.pose().position + away * (camera.pose().worldFromCamera * Eigen::Vector3d(0.03, 0.02, -1));
    const auto boardIn = [&](int frame) {
        const double t = frame - reference;
        const Eigen::Quaterniond turn = camera.pose().worldFromCamera *
                                        Eigen::AngleAxisd(1.2 + 0.05 * t, Eigen::Vector3d::UnitX()) *
                                        Eigen::AngleAxisd(0.3 - 0.06 * t, Eigen::Vector3d::UnitZ());
        return Similarity{1, turn, start + away * 0.004 * t * Eigen::Vector3d(1, 0.3, 0.5)};
    };
    // Not a rectangle: its corners alone would tell a wrong slant.
    const double half = 0.07 * away;
    const Eigen::Vector3d own[4] = {{-half, 0, -half}, {0.6 * half, 0, -half}, {half, 0, half}, {-1.3 * half, 0, half}};
    const auto cornersIn = [&](int frame) {
        Corners out;
        for (size_t k = 0; k < 4; ++k)
            out[k] = s.cameraAt(frame)->project(boardIn(frame).point(own[k])).value_or(Eigen::Vector2d::Zero());
        return out;
    };
    // What is solved lies around the board, not on it.
    FlatPatch patch;
    patch.id = 1, patch.name = "board", patch.referenceFrame = reference;
    patch.corners = cornersIn(reference);
    for (int f = 1004; f <= 1020; ++f) patch.frames.push_back({f, *mapOfCorners(patch.corners, cornersIn(f)), 1, 1});
    s.patches.push_back(patch);
    ASSERT_TRUE(patchDistanceAssumed(s, patch)) << "no feature may be on it";
    const auto axes = patchAxes(s, patch, reference);
    ASSERT_TRUE(axes);
    // The normal is the board's, not that of a rectangle.
    const Eigen::Vector3d normal = boardIn(reference).rotation * Eigen::Vector3d::UnitY();
    EXPECT_GT(std::fabs(normal.dot(axes->rotation * Eigen::Vector3d::UnitY())), std::cos(0.01));
    // A place over the board, with the share of the board's size that the assumed distance gives it.
    const Eigen::Vector3d over = boardIn(reference).point({0.3 * half, 0.5 * half, 0.2 * half});
    const Eigen::Vector3d eye = camera.pose().position;
    const double share = (axes->translation - eye).norm() / [&] {
        Eigen::Vector3d sum(0, 0, 0);
        for (const Eigen::Vector3d& p : own) sum += boardIn(reference).point(p) / 4;
        return (sum - eye).norm();
    }();
    int id = 0;
    s = withThing(s, hung({Hang::On::patch, 1, {}}, axes->inverse().point(eye + share * (over - eye))), &id);
    for (const int f : {1004, 1008, 1012, 1016, 1020}) {
        const auto truth = s.cameraAt(f)->project(boardIn(f).point({0.3 * half, 0.5 * half, 0.2 * half}));
        const auto got = s.cameraAt(f)->project(placed(s, id, f).translation);
        ASSERT_TRUE(truth && got);
        EXPECT_LT((*truth - *got).norm(), 0.5) << f;
    }
    EXPECT_NE(hangWordsOf(s, s.thing(id)->hang).find("moves by itself"), std::string::npos);
}

// Without frames that tell it, a rectangle's slant is told by its corners; what can't be one faces the camera.
TEST(RegionNormal, ByCornersAloneOrFacing) {
    const Eigen::Vector3d normal = Eigen::Vector3d(0.3, -0.5, -0.9).normalized();
    const Eigen::Vector3d a = normal.cross(Eigen::Vector3d::UnitX()).normalized(), b = normal.cross(a), at(0.2, 0.1, 4);
    NormalisedCorners rectangle;
    const Eigen::Vector3d own[4] = {at - a - 0.6 * b, at + a - 0.6 * b, at + a + 0.6 * b, at - a + 0.6 * b};
    for (size_t k = 0; k < 4; ++k) rectangle[k] = own[k].hnormalized();
    const auto found = regionNormal(rectangle, {}, 1e-4);
    ASSERT_TRUE(found);
    EXPECT_GT(found->dot(normal), 1 - 1e-9);
    NormalisedCorners kite = rectangle;
    kite[2] += Eigen::Vector2d(0.3, 0.2);
    const auto other = regionNormal(kite, {}, 1e-4);
    ASSERT_TRUE(other);
    EXPECT_GT(other->dot(Eigen::Vector3d(0, 0, -1)), 0.9);
    EXPECT_FALSE(regionNormal({Eigen::Vector2d(0, 0), {0.1, 0}, {0.2, 0}, {0.3, 0}}, {}, 1e-4));
}

TEST_F(Placing, FewFeaturesInCommonAreSaid) {
    int id = 0;
    const Shot a = with(hung({Hang::On::ground, 0, {}}), &id);
    Shot b = a;
    auto other = std::make_shared<SolveResult>(*a.solve);
    for (SolvedPoint& p : other->points) p.pathId += 100000;
    b.solve = other;
    const CarriedThings carried = carriedThings(a, b);
    EXPECT_EQ(carried.things[0].position, a.things[0].position);
    EXPECT_NE(carried.trouble.find("fewer than four features"), std::string::npos);
    EXPECT_EQ(carriedThings(a, a).trouble, "");
}

TEST_F(Placing, LoopsAreRefused) {
    int a = 0, b = 0, c = 0;
    Shot s = withThing(solved(), hung({}), &a);
    s = withThing(s, hung({Hang::On::thing, a, {}}), &b);
    s = withThing(s, hung({Hang::On::thing, b, {}}), &c);
    EXPECT_TRUE(wouldLoop(s, a, c));
    EXPECT_TRUE(wouldLoop(s, a, a));
    EXPECT_FALSE(wouldLoop(s, c, a));
    try {
        (void)replaced(s, *s.thing(a), {{Hang::On::thing, c, {}}, {}, Eigen::Vector3d::UnitY()}, Offsets::kept, 1001);
        FAIL() << "a loop";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("can't hang on itself"), std::string::npos);
    }
    // Where a file holds one it has no place, and nothing hangs.
    s.things[s.things.size() - 3].hang = {Hang::On::thing, c, {}};
    EXPECT_FALSE(PlacedThings(s, 1001).of(*s.thing(c)));
    (void)PlacedThings(s, 1001).visible(*s.thing(c));
}

TEST_F(Placing, RePlaceKeepsZeroesOrStays) {
    const std::vector<int> some = ids(0, 2);
    int id = 0;
    Thing t = hung({Hang::On::point, some[0], {}}, {0.1, 0.2, 0.3});
    const Shot s = with(t, &id);
    const LayoutPlace target = middleOf(s, {some[1]});
    const auto at = [&](const Thing& moved) {
        Shot next = s;
        for (Thing& each : next.things)
            if (each.id == id) each = moved;
        return placed(next, id).translation;
    };
    const Eigen::Vector3d there = *s.worldPointOfPath(some[1]);
    EXPECT_LT((at(replaced(s, *s.thing(id), target, Offsets::kept, 1001)) - there - t.position).norm(), 1e-9);
    EXPECT_LT((at(replaced(s, *s.thing(id), target, Offsets::zeroed, 1001)) - there).norm(), 1e-9);
    const Thing same = replaced(s, *s.thing(id), target, Offsets::inPlace, 1001);
    EXPECT_LT((at(same) - placed(s, id).translation).norm(), 1e-9);
    EXPECT_EQ(same.hang.id, some[1]);
    EXPECT_THROW((void)replaced(s, *s.thing(id), {{Hang::On::point, 987654, {}}, {}, {0, 1, 0}}, Offsets::kept, 1001),
                 InputError);
}

TEST_F(Placing, PlaceAsTextBackAndForth) {
    Thing t = hung({}, {1.0 / 3, -2e-7, 12345.678901234567});
    t.rotation = Eigen::AngleAxisd(1.1, Eigen::Vector3d(1, -2, 0.5).normalized());
    t.scale = 2.0 / 7;
    const Similarity back = transformFromText(placeText(t, 1001));
    EXPECT_EQ(back.translation, t.position);
    EXPECT_LT(back.rotation.angularDistance(t.rotation), 1e-15);
    EXPECT_EQ(back.scale, t.scale);
}

TEST_F(Placing, WordsForPlaces) {
    const int point = ids(3, 1)[0];
    EXPECT_EQ(placeFromWords(solved(), "feature:" + std::to_string(point)).hang.id, point);
    EXPECT_EQ(placeFromWords(solved(), "ground:1,0,-2.5").foot, Eigen::Vector3d(1, 0, -2.5));
    for (const char* wrong : {"feature:", "feature:999999", "ground:1,2", "ground:1,2,x", "plane:none", "frame:1001,5",
                              "barnacle:1", "", "frame:1001,640,-4000"})
        EXPECT_THROW((void)placeFromWords(solved(), wrong), InputError) << wrong;
    // What lies under a pixel on the floor.
    const auto floor = solved().cameraAt(1012)->project({0.2, 0, -6});
    ASSERT_TRUE(floor);
    const LayoutPlace on =
        placeFromWords(solved(), "frame:1012," + std::to_string(floor->x()) + "," + std::to_string(floor->y()));
    EXPECT_LT((on.foot - Eigen::Vector3d(0.2, 0, -6)).norm(), 0.1);
    EXPECT_GT(on.normal.y(), 0.99);
}

TEST_F(Placing, NamesAreFreeAndTaken) {
    int a = 0, b = 0;
    Thing t;
    t.name = "crate";
    Shot s = withThing(solved(), t, &a);
    s = withThing(s, t, &b);
    EXPECT_EQ(s.thing(b)->name, "crate 2");
    EXPECT_EQ(freeName(s, "crate 2"), "crate 3");
    EXPECT_THROW((void)withName(s, b, "crate"), InputError);
    EXPECT_THROW((void)withName(s, b, "  "), InputError);
    EXPECT_EQ(withName(s, b, "lid").thing(b)->name, "lid");
    EXPECT_EQ(withName(s, b, "crate 2").thing(b)->name, "crate 2") << "its own name is not taken";
}

TEST_F(Placing, WhatHangsOnARemovedThingStaysWhereItIs) {
    int a = 0, b = 0;
    Thing parent = hung({}, {1, 0, -3});
    parent.scale = 2;
    parent.rotation = Eigen::AngleAxisd(0.4, Eigen::Vector3d::UnitY());
    Shot s = withThing(solved(), parent, &a);
    s = withThing(s, hung({Hang::On::thing, a, {}}, {0.5, 0, 0}), &b);
    const Similarity before = placed(s, b);
    s = withoutThing(s, a);
    EXPECT_EQ(s.thing(a), nullptr);
    EXPECT_EQ(s.thing(b)->parent(), 0);
    const Similarity after = placed(s, b);
    EXPECT_LT((before.translation - after.translation).norm(), 1e-12);
    EXPECT_NEAR(before.scale, after.scale, 1e-12);
}

TEST_F(Placing, EyesAndLocksGoDownTheTree) {
    int a = 0, b = 0;
    Shot s = withThing(solved(), hung({}), &a);
    s = withThing(s, hung({Hang::On::thing, a, {}}), &b);
    EXPECT_TRUE(PlacedThings(s, 1001).visible(*s.thing(b)));
    s.things[s.things.size() - 2].visible = false;
    s.things[s.things.size() - 2].locked = true;
    EXPECT_FALSE(PlacedThings(s, 1001).visible(*s.thing(b)));
    EXPECT_TRUE(PlacedThings(s, 1001).locked(*s.thing(b)));
    s.things[s.things.size() - 2].visible = true;
    s.things.back().keys.visible.keys.set(1005, 0);
    s.things.back().keys.visible.keys.set(1010, 1);
    EXPECT_FALSE(PlacedThings(s, 1007).visible(*s.thing(b)));
    EXPECT_TRUE(PlacedThings(s, 1010).visible(*s.thing(b)));
}

TEST_F(Placing, BottomOnTheSurfaceAndStances) {
    int id = 0;
    Thing t = hung({Hang::On::ground, 0, {}}, {1, 0.8, -3});
    t.rotation = Eigen::AngleAxisd(0.5, Eigen::Vector3d::UnitX());
    Shot s = with(t, &id);
    const auto lowest = [&](const Thing& of) {
        double low = 1e9;
        for (const Eigen::Vector3d& v : shapeOf(of.kind).vertices) low = std::min(low, of.at(1001).point(v).y());
        return low;
    };
    EXPECT_NEAR(lowest(bottomOnSurface(s, *s.thing(id), 0.002, 1001)), 0.002, 1e-12);
    const Thing stands = inStance(s, *s.thing(id), Stance::stand, 1001);
    EXPECT_NEAR((stands.rotation * Eigen::Vector3d::UnitY()).y(), 1, 1e-12);
    EXPECT_EQ(stands.position, s.thing(id)->position) << "its foot stays";
    const Thing lies = inStance(s, *s.thing(id), Stance::lie, 1001);
    EXPECT_NEAR((lies.rotation * Eigen::Vector3d::UnitZ()).y(), 1, 1e-12);
}

TEST_F(Placing, KeysAreSetAndTakenAway) {
    Thing t = hung({}, {1, 2, 3});
    setKey(t, 1001);
    EXPECT_EQ(keyFrames(t), std::vector<int>{1001});
    setPosition(t, 1010, {4, 2, 3});
    setRotation(t, 1010, Eigen::Quaterniond(Eigen::AngleAxisd(3.0, Eigen::Vector3d::UnitY())));
    EXPECT_EQ(keyFrames(t), (std::vector<int>{1001, 1010}));
    EXPECT_GT(t.at(1005).translation.x(), 1);
    EXPECT_LT(t.at(1005).translation.x(), 4);
    removeKey(t, 1001);
    removeKey(t, 1010);
    EXPECT_TRUE(t.keys.empty());
    EXPECT_EQ(t.position, Eigen::Vector3d(4, 2, 3)) << "what the last key said stays";
    setScale(t, 1, -2);
    EXPECT_EQ(t.scale, 1);
}

TEST_F(Placing, TroublesAreSaid) {
    int id = 0;
    Shot s = with(hung({Hang::On::point, 999999, {}}), &id);
    EXPECT_NE(thingTrouble(s, *s.thing(id)).find("not in this solve"), std::string::npos);
    Thing card;
    card.kind = Card{1, 1, "/nowhere/planks.png", 0, 0, 0};
    EXPECT_NE(thingTrouble(solved(), card).find("/nowhere/planks.png"), std::string::npos);
    // A movie of 25 fps in a plate of 23.976: it plays frame for frame, and that is said.
    card.kind = Card{1, 1, std::string(VA_SOURCE_DIR) + "/demo/data/slipway/slipway.mp4", 1001, 0, 0};
    EXPECT_NE(thingTrouble(solved(), card).find("frame for frame, 96 %"), std::string::npos)
        << thingTrouble(solved(), card);
    const auto first = assets().picture(std::get<Card>(card.kind).file, 0);
    ASSERT_TRUE(first);
    EXPECT_EQ(assets().picture(std::get<Card>(card.kind).file, -5), first) << "held before its start";
    EXPECT_EQ(assets().picture(std::get<Card>(card.kind).file, 120, true), first) << "120 frames, in a loop";
    EXPECT_NE(assets().picture(std::get<Card>(card.kind).file, 120), first);
    EXPECT_EQ(assets().moving(std::get<Card>(card.kind).file).frames, 120);
    Thing mesh;
    mesh.kind = Mesh{"/nowhere/crate.obj", 1, 0, 0, 0};
    EXPECT_NE(thingTrouble(solved(), mesh).find("not there"), std::string::npos);
    Thing label;
    label.kind = Label{" \n", "", 1, 0.1, 0};
    EXPECT_NE(thingTrouble(solved(), label).find("no text"), std::string::npos);
    label.kind = Label{"\xf4\x8f\xbf\xbd", "", 1, 0.1, 0};  // a code point for private use
    EXPECT_NE(thingTrouble(solved(), label).find("No font"), std::string::npos);
    EXPECT_TRUE(shapeOf(mesh.kind).counts.empty());
}

TEST_F(Placing, ThingsLeaveWithTheirKeysAndParents) {
    int a = 0, b = 0;
    Shot s = withThing(solved(), hung({}, {1, 0, -3}), &a);
    for (Thing& t : s.things)
        if (t.id == a) {
            t.name = "trestle", t.scale = 2;
            t.keys.position.keys.set(1001, {1, 0, -3});
            t.keys.position.keys.set(1020, {2, 0, -3});
        }
    Thing lid = hung({Hang::On::thing, a, {}}, {0, 1, 0});
    lid.name = "lid";
    setVisible(lid, 1001, true);
    lid.keys.visible.keys.set(1001, 1);
    setVisible(lid, 1006, false);
    s = withThing(s, lid, &b);
    const SceneExport scene = gatherScene(s);
    const auto& out = scene.things.back();
    EXPECT_EQ(out.parentName, "trestle");
    ASSERT_EQ(out.samples.size(), 24U);
    for (const auto& sample : out.samples) {
        EXPECT_LT((sample.place.translation - placed(s, b, sample.frame).translation).norm(), 1e-12);
        EXPECT_EQ(sample.place.scale, 2);
        EXPECT_EQ(sample.visible, sample.frame < 1006);
    }
}

// What the layers make of the camera leaves beside the solved one, in the frame that they need, in both formats; things
// are read back with parents, samples and whatever their kind has.
TEST_F(Placing, LayersAndThingsAreWrittenAndReadBack) {
    Shot s = solved();
    s.layers.shake.on = true;
    int parent = 0;
    for (const ThingKind& kind : allKinds()) {
        Thing t = hung({}, {0.5, 0.25, -2});
        t.kind = kind;
        t.name = kindWord(kind);
        t.scale = 1.5;
        t.rotation = Eigen::AngleAxisd(0.4, Eigen::Vector3d(1, 2, -1).normalized());
        if (parent != 0) t.hang = {Hang::On::thing, parent, {}};
        int id = 0;
        s = withThing(s, t, &id);
        if (parent == 0) {
            parent = id;
            for (Thing& each : s.things)
                if (each.id == id) each.keys.turn.keys.set(1001, {0, 0, 0}), each.keys.turn.keys.set(1020, {0, 1, 0});
        }
    }
    const SceneExport scene = gatherScene(s);
    EXPECT_EQ(scene.layered.frames.size(), 24U);
    EXPECT_GT(scene.layered.width, scene.width);
    EXPECT_EQ(scene.frames[3].pose.position, s.worldPose(1004)->position) << "the solved camera stays";
    const auto folder = std::filesystem::temp_directory_path() / ("va_layout_" + std::to_string(::getpid()));
    std::filesystem::create_directories(folder);
    for (const char* word : {"json", "usda"}) {
        const ExportCheck check = exportAndVerify(scene, *formatNamed(word), folder / (std::string("scene.") + word));
        EXPECT_TRUE(check.passed) << check.sentence;
    }
    // A change in any of it is noticed.
    const ForeignScene read = usdaFormat.read(writeUsda(scene), "t");
    ASSERT_EQ(read.cameras.size(), 2U) << "the solved one, and the one with layers";
    EXPECT_EQ(read.cameras[1].frames.size(), 24U);
    for (const auto& of : scene.things) {
        const ForeignScene::Body* b = read.body(of.name);
        ASSERT_TRUE(b) << of.name;
        EXPECT_EQ(b->parent, of.parentName) << of.name;
        EXPECT_TRUE(of.samples.empty() || b->samples.size() == of.samples.size()) << of.name;
        const Eigen::Vector3d at = b->at(1013).place.topRightCorner<3, 1>();
        EXPECT_LT((at - of.placeAt(1013).translation).norm(), 1e-9) << of.name;
    }
    std::filesystem::remove_all(folder);
}

}  // namespace
}  // namespace va
