// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <numbers>
#include <set>

#include "layout/repeat.h"
#include "layout/stance.h"
#include "layout/thing.h"
#include "layout/thing_json.h"

namespace va {
namespace {

using nlohmann::json;

/// A thing of a kind in an odd position, every field at another value than its default.
Thing oddly(const ThingKind& kind) {
    Thing t;
    t.id = 7;
    t.name = "drum \"by the shed\" é";
    t.position = {1.25, -3.5, 1e-3};
    t.rotation = Eigen::Quaterniond(0.5, -0.5, 0.1, 0.7).normalized();
    t.kind = kind;
    t.scale = 1.25;
    t.colour = {0.1, 0.2, 0.9, 0.5};
    t.visible = false, t.locked = true;
    t.keys.position.keys.set(1001, {1, 2, 3});
    t.keys.position.keys.set(1010, {1, 2, 3.5});
    t.keys.position.keys.setBetween(1001, Between::smooth);
    t.keys.turn.keys.set(1001, {0.5, 9, -0.25});
    t.keys.turn.after = Outside::goOn, t.keys.turn.before = Outside::repeat;
    t.keys.scale.keys.set(1004, 2);
    t.keys.visible.keys.set(1002, 1);
    t.keys.colour.keys.set(1002, {1, 1, 0, 0.25});
    const std::vector<TextValue> texts = textsOf(t.kind);
    for (size_t i = 0; i < texts.size(); ++i) EXPECT_TRUE(setText(t.kind, i, "yard/planks \"é\".png")) << i;
    const std::vector<ChoiceValue> choices = choicesOf(t.kind);
    for (size_t i = 0; i < choices.size(); ++i) EXPECT_TRUE(setChoice(t.kind, i, 1)) << i;
    const std::vector<FieldValue> fields = fieldsOf(t.kind);
    for (size_t i = 0; i < fields.size(); ++i) {
        const double between = fields[i].low + (fields[i].high - fields[i].low) * (0.3 + 0.05 * double(i));
        EXPECT_TRUE(setField(t.kind, i, between)) << fields[i].label;
    }
    return t;
}

TEST(Layout, EveryKindHasWordsFieldsAndAShape) {
    std::set<std::string> words;
    for (const ThingKind& kind : allKinds()) {
        const std::string word = kindWord(kind);
        EXPECT_TRUE(words.insert(word).second) << word << " is there twice";
        EXPECT_EQ(kindNamed(word)->index(), kind.index());
        EXPECT_FALSE(std::string(kindLabel(kind)).empty() || std::string(kindPlural(kind)).empty()) << word;
        for (const FieldValue& f : fieldsOf(kind)) {
            EXPECT_LT(f.low, f.high) << word << f.label;
            EXPECT_TRUE(f.value >= f.low && f.value <= f.high) << word << f.label;
        }
        const Shape shape = shapeOf(kind);
        EXPECT_FALSE(shape.counts.empty() && shape.lines.empty()) << word << " can't be seen";
        EXPECT_EQ(hasSurface(kind) && word != "mesh", !shape.counts.empty()) << word;
        const auto inRange = [&](int i) { return i >= 0 && size_t(i) < shape.vertices.size(); };
        size_t corners = 0;
        for (const int n : shape.counts) {
            EXPECT_GE(n, 3);
            corners += size_t(n);
        }
        EXPECT_EQ(corners, shape.corners.size());
        for (const int i : shape.corners) EXPECT_TRUE(inRange(i)) << word;
        EXPECT_TRUE(shape.uv.empty() || shape.uv.size() == corners) << word;
        EXPECT_TRUE(shape.material.empty() || shape.material.size() == shape.counts.size()) << word;
        for (const int m : shape.material) EXPECT_TRUE(m >= 0 && size_t(m) < shape.materials.size()) << word;
        for (const auto& [a, b] : shape.lines) EXPECT_TRUE(inRange(a) && inRange(b)) << word;
        EXPECT_TRUE(!shape.label || inRange(*shape.label)) << word;
    }
    EXPECT_FALSE(kindNamed("barnacle"));
}

TEST(Layout, EveryKindSurvivesJson) {
    for (const ThingKind& kind : allKinds()) {
        const Thing t = oddly(kind);
        json j;
        putThing(j, t);
        Thing back = thingFrom(json::parse(j.dump()));
        back.id = t.id;
        EXPECT_TRUE(sameWithin(back, t, 1e-15)) << j.dump();
        EXPECT_TRUE(sameKind(back.kind, t.kind));
        EXPECT_EQ(back.locked, t.locked);
        const std::set<std::string> mayBeMissing{"scale", "colour", "visible", "locked", "keys"};
        for (const auto& [key, value] : j.items()) {
            json without = j;
            without.erase(key);
            if (!mayBeMissing.contains(key)) {
                EXPECT_ANY_THROW((void)thingFrom(without)) << key << " is missing";
            }
            json wrong = j;
            wrong[key] = key == "keys" ? json{{"position", 3}} : json::object();
            EXPECT_ANY_THROW((void)thingFrom(wrong)) << key << " is of another type";
        }
    }
}

TEST(Layout, WhatCantBeIsRefused) {
    json box;
    putThing(box, oddly(Box()));
    for (const char* size : {"[1, 0, 1]", "[1, -2, 1]", "[1, 1e9, 1]", "[1, 1]", "[1, null, 1]"}) {
        json wrong = box;
        wrong["size"] = json::parse(size);
        EXPECT_ANY_THROW((void)thingFrom(wrong)) << size;
    }
    json wrong = box;
    wrong["rotation"] = {0, 0, 0, 0};
    EXPECT_THROW((void)thingFrom(wrong), std::invalid_argument);
    ThingKind kind = Box();
    EXPECT_FALSE(setField(kind, 0, std::nan("")));
    EXPECT_FALSE(setField(kind, 9, 1));
    EXPECT_EQ(std::get<Box>(kind).width, 1);
}

TEST(Layout, ABoxIsClosedAndItsFacesLookOutward) {
    const Shape s = Box{2, 3, 0.5}.shape();
    double area = 0;
    for (const auto& [a, b, c] : s.triangles()) {
        const Eigen::Vector3d &p = s.vertices[size_t(a)], &q = s.vertices[size_t(b)], &r = s.vertices[size_t(c)];
        area += (q - p).cross(r - p).norm() / 2;
    }
    // The divergence theorem: a closed surface whose triangles run counter-clockwise from outside holds this volume.
    EXPECT_NEAR(volumeOf(s), 2 * 3 * 0.5, 1e-12);
    EXPECT_EQ(sharpEdges(s).size(), 12U);
    EXPECT_NEAR(area, 2 * (2 * 3 + 2 * 0.5 + 3 * 0.5), 1e-12);
    for (const Eigen::Vector3d& v : s.vertices) EXPECT_GE(v.y(), 0) << "it stands on its base";
}

// Prisms and pyramids on regular polygons of n corners in a circle of radius r: area n/2 r² sin(2π/n), volume area ·
// height, a third of it for the pyramid (Bronshtein & Semendyayev, Handbook of Mathematics, 3.3).
TEST(Layout, RoundPropsAreClosedAndOfTheirSize) {
    const auto polygon = [](int n, double r) { return n / 2.0 * r * r * std::sin(2 * std::numbers::pi / n); };
    EXPECT_NEAR(volumeOf(Cylinder{0.6, 0.9}.shape()), polygon(48, 0.3) * 0.9, 1e-12);
    EXPECT_NEAR(volumeOf(Cone{0.4, 0.7}.shape()), polygon(48, 0.2) * 0.7 / 3, 1e-12);
    EXPECT_NEAR(volumeOf(Post{1.8, 0.1}.shape()), polygon(24, 0.05) * 1.8, 1e-12);
    // A faceted ball is a little smaller than the round one.
    const double ball = volumeOf(Ball{2}.shape()), round = 4.0 / 3 * std::numbers::pi;
    EXPECT_LT(ball, round);
    EXPECT_GT(ball, 0.985 * round);
    for (const Shape& s : {Ball{2}.shape(), Cone().shape(), Cylinder().shape(), Post().shape()}) {
        double lowest = 1;
        for (const Eigen::Vector3d& v : s.vertices) lowest = std::min(lowest, v.y());
        EXPECT_NEAR(lowest, 0, 1e-12) << "it stands on its foot";
    }
}

TEST(Layout, BandsOfAPostAreATenthOfAMetre) {
    const Shape s = Post{1.8, 0.1}.shape();
    std::set<long> heights;
    for (const Eigen::Vector3d& v : s.vertices) heights.insert(std::lround(v.y() * 1000));
    ASSERT_EQ(heights.size(), 19U);
    long at = 0;
    for (const long h : heights) {
        EXPECT_EQ(h, at);
        at += 100;
    }
    EXPECT_EQ(Post({1.85, 0.1}).shape().vertices.size() / 24, 20U) << "the last band is cut";
}

TEST(Layout, ACheckerBoardAlternates) {
    const Shape s = Board{2, 1, 0.25}.shape();
    EXPECT_EQ(s.faceCount(), 32U);
    double area[2] = {0, 0};
    size_t at = 0;
    for (size_t f = 0; f < s.faceCount(); at += size_t(s.counts[f]), ++f) {
        const Eigen::Vector3d a = s.vertices[size_t(s.corners[at])], b = s.vertices[size_t(s.corners[at + 1])],
                              c = s.vertices[size_t(s.corners[at + 2])];
        const Eigen::Vector3d normal = (b - a).cross(c - b);
        EXPECT_GT(normal.y(), 0) << "seen from above";
        area[s.material[f]] += normal.norm();
    }
    EXPECT_NEAR(area[0], 1, 1e-12);
    EXPECT_NEAR(area[1], 1, 1e-12);
}

TEST(Layout, StancesOnFloorsAndWalls) {
    const Eigen::Vector3d up = Eigen::Vector3d::UnitY(), camera(3, 2, 4);
    const auto axis = [](const Eigen::Quaterniond& q, int k) -> Eigen::Vector3d {
        return q * Eigen::Vector3d::Unit(k);
    };
    const Eigen::Quaterniond stands = rotationFor(Stance::stand, up, up, camera);
    EXPECT_NEAR((axis(stands, 1) - up).norm(), 0, 1e-12);
    EXPECT_NEAR((axis(stands, 2) - Eigen::Vector3d(0.6, 0, 0.8)).norm(), 0, 1e-12) << "turned to the camera";
    const Eigen::Quaterniond lies = rotationFor(Stance::lie, up, up, camera);
    EXPECT_NEAR((axis(lies, 2) - up).norm(), 0, 1e-12);
    EXPECT_NEAR((axis(lies, 1) + Eigen::Vector3d(0.6, 0, 0.8)).norm(), 0, 1e-12) << "read from the camera";
    const Eigen::Vector3d wall = Eigen::Vector3d(1, 0.1, 0).normalized();
    const Eigen::Quaterniond onWall = rotationFor(Stance::lie, wall, up, camera);
    EXPECT_NEAR((axis(onWall, 2) - wall).norm(), 0, 1e-12);
    EXPECT_GT(axis(onWall, 1).y(), 0.99) << "its top is up";
    const Eigen::Quaterniond atWall = rotationFor(Stance::stand, wall, up, camera);
    EXPECT_NEAR((axis(atWall, 1) - up).norm(), 0, 1e-12);
    EXPECT_NEAR((axis(atWall, 2) - Eigen::Vector3d(1, 0, 0)).norm(), 0, 1e-12);
    const Eigen::Quaterniond faces = rotationFor(Stance::face, wall, up, camera);
    EXPECT_NEAR((axis(faces, 2) - Eigen::Vector3d(0.6, 0, 0.8)).norm(), 0, 1e-12);
    // Straight from above nothing says where the camera is.
    EXPECT_TRUE(rotationFor(Stance::face, up, up, up).coeffs().allFinite());
    EXPECT_TRUE(rotationFor(Stance::lie, up, up, Eigen::Vector3d::Zero()).coeffs().allFinite());
    const Eigen::Quaterniond along = alignedAlong(stands, {0, 0, 0}, {0, 3, -4});
    EXPECT_NEAR((axis(along, 0) - Eigen::Vector3d(0, 0.6, -0.8)).norm(), 0, 1e-12);
}

TEST(Layout, TurnsAreWrittenAndReadAndGoRound) {
    for (const Eigen::Vector3d& t : {Eigen::Vector3d(0.3, -2, 1), {-1.2, 3, -3}, {0, 0, 0}, {1.5, 0.2, 0.1}}) {
        EXPECT_NEAR((turnOf(rotationOf(t)) - t).norm(), 0, 1e-9) << t.transpose();
        const Eigen::Vector3d to = t + Eigen::Vector3d(0.1, 4 * std::numbers::pi - 0.1, 0);
        const Eigen::Vector3d near = turnNear(t, to);
        EXPECT_LT((near - to).norm(), 0.2);
        EXPECT_NEAR(rotationOf(near).angularDistance(rotationOf(t)), 0, 1e-9);
    }
    const Eigen::Vector3d up = turnOf(rotationOf({std::numbers::pi / 2, 0.7, 0}));
    EXPECT_NEAR(rotationOf(up).angularDistance(rotationOf({std::numbers::pi / 2, 0.7, 0})), 0, 1e-6);
    // A steady spin: two keys a turn apart, and on after them.
    Thing t;
    t.keys.turn.keys.set(0, {0, 0, 0});
    t.keys.turn.keys.set(20, {0, 2 * std::numbers::pi, 0});
    t.keys.turn.after = Outside::goOn;
    EXPECT_NEAR(t.at(5).rotation.angularDistance(rotationOf({0, std::numbers::pi / 2, 0})), 0, 1e-9);
    EXPECT_NEAR(t.at(25).rotation.angularDistance(rotationOf({0, std::numbers::pi / 2, 0})), 0, 1e-9);
    EXPECT_NEAR(headingOf(t.at(35).rotation), -std::numbers::pi / 2, 1e-9);
}

TEST(Layout, CopiesAtEvenSteps) {
    const Similarity first{1, Eigen::Quaterniond::Identity(), {1, 0, 0}};
    const auto step = repeatedByStep(first, 3, {0.5, 0, 0});
    ASSERT_EQ(step.size(), 3U);
    EXPECT_EQ(step[2].translation, Eigen::Vector3d(2.5, 0, 0));
    const auto line = repeatedAlong(first, 4, {0, 0, 0}, {0, 0, 2});
    EXPECT_EQ(line.back().translation, Eigen::Vector3d(1, 0, 2));
    const auto ring = repeatedAround(first, 3, Eigen::Vector3d::Zero(), {0, 2, 0}, 360);
    ASSERT_EQ(ring.size(), 3U);
    EXPECT_NEAR((ring[0].translation - Eigen::Vector3d(0, 0, -1)).norm(), 0, 1e-12);
    EXPECT_NEAR((ring[1].translation - Eigen::Vector3d(-1, 0, 0)).norm(), 0, 1e-12);
    EXPECT_NEAR((ring[0].rotation * Eigen::Vector3d::UnitX() - Eigen::Vector3d(0, 0, -1)).norm(), 0, 1e-12);
    const auto half = repeatedAround(first, 2, Eigen::Vector3d::Zero(), {0, 1, 0}, 180);
    EXPECT_NEAR((half[1].translation - Eigen::Vector3d(-1, 0, 0)).norm(), 0, 1e-12);
    EXPECT_TRUE(repeatedByStep(first, 0, {1, 0, 0}).empty());
    EXPECT_TRUE(repeatedAlong(first, -2, {0, 0, 0}, {1, 0, 0}).empty());
}

TEST(Layout, AHeadingLeavesTheTilt) {
    const Eigen::Quaterniond tilted = Eigen::AngleAxisd(0.4, Eigen::Vector3d::UnitY()) *
                                      Eigen::AngleAxisd(0.3, Eigen::Vector3d::UnitX()) *
                                      Eigen::AngleAxisd(-0.2, Eigen::Vector3d::UnitZ());
    for (const double heading : {-3.0, -1.0, 0.0, 0.4, 2.5}) {
        const Eigen::Quaterniond r = withHeading(tilted, heading);
        EXPECT_NEAR(headingOf(r), heading, 1e-12);
        // How far its axes lean is the same.
        for (int k = 0; k < 3; ++k)
            EXPECT_NEAR((r * Eigen::Vector3d::Unit(k)).y(), (tilted * Eigen::Vector3d::Unit(k)).y(), 1e-12);
    }
    const Eigen::Quaterniond up(Eigen::AngleAxisd(-std::numbers::pi / 2, Eigen::Vector3d::UnitX()));
    EXPECT_TRUE(withHeading(up, 1).coeffs().allFinite()) << "its Z axis points straight up";
}

TEST(Layout, ComparisonHasATolerance) {
    const Thing a = oddly(Box());
    Thing b = a;
    b.id = 1;
    b.position.x() += 1e-10;
    EXPECT_TRUE(sameWithin(a, b, 1e-9));
    b.position.x() += 1e-6;
    EXPECT_FALSE(sameWithin(a, b, 1e-9));
    b = a;
    b.rotation = b.rotation * Eigen::AngleAxisd(1e-6, Eigen::Vector3d::UnitZ());
    EXPECT_FALSE(sameWithin(a, b, 1e-9));
    b = a;
    std::get<Box>(b.kind).depth *= 1 + 1e-6;
    EXPECT_FALSE(sameWithin(a, b, 1e-9));
    b = a;
    b.kind = Anchor();
    EXPECT_FALSE(sameWithin(a, b, 1));
    b = a;
    b.name += "?";
    EXPECT_FALSE(sameWithin(a, b, 1));
}

}  // namespace
}  // namespace va
