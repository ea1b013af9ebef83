// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <numbers>
#include <set>

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
        EXPECT_FALSE(shape.faces.empty() && shape.lines.empty()) << word << " can't be seen";
        const auto inRange = [&](int i) { return i >= 0 && size_t(i) < shape.vertices.size(); };
        for (const auto& f : shape.faces) {
            EXPECT_GE(f.size(), 3U);
            for (const int i : f) EXPECT_TRUE(inRange(i)) << word;
        }
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
        EXPECT_EQ(back, t) << j.dump();
        for (const auto& [key, value] : j.items()) {
            json without = j;
            without.erase(key);
            EXPECT_ANY_THROW((void)thingFrom(without)) << key << " is missing";
            json wrong = j;
            wrong[key] = json::object();
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
    // The divergence theorem: a closed surface whose triangles run counter-clockwise from outside holds this volume.
    double volume = 0, area = 0;
    for (const auto& [a, b, c] : s.triangles()) {
        const Eigen::Vector3d &p = s.vertices[size_t(a)], &q = s.vertices[size_t(b)], &r = s.vertices[size_t(c)];
        volume += p.dot(q.cross(r)) / 6;
        area += (q - p).cross(r - p).norm() / 2;
    }
    EXPECT_NEAR(volume, 2 * 3 * 0.5, 1e-12);
    EXPECT_NEAR(area, 2 * (2 * 3 + 2 * 0.5 + 3 * 0.5), 1e-12);
    for (const Eigen::Vector3d& v : s.vertices) EXPECT_GE(v.y(), 0) << "it stands on its base";
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
