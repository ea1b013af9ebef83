// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of a proof on small scenes: sampling, light, what catches and hides, putting the insert onto the plate.
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

#include "base/error.h"
#include "media/display_transform.h"
#include "media/picture_file.h"
#include "proof/compose.h"
#include "proof/sample_sequence.h"
#include "proof_scene.h"
#include "shot/proof_json.h"
#include "solved_shot.h"
#include "workflow/layout_work.h"
#include "workflow/place_things.h"
#include "workflow/proof_run.h"
#include "workflow/proof_work.h"

namespace va {
namespace {

namespace fs = std::filesystem;

// A (0, 2)-sequence (Niederreiter 1987): of the first 2^k points each box of area 2^−k with sides that are powers of
// two holds exactly one; Owen's scrambling keeps that.
TEST(ProofSampling, EveryElementaryBoxHoldsOnePoint) {
    for (const uint32_t seed : {1U, 99U, 12345U}) {
        const SampleSequence s(seed);
        for (int k = 2; k <= 8; k += 2)
            for (int a = 0; a <= k; ++a) {
                std::set<std::pair<int, int>> boxes;
                for (uint32_t i = 0; i < (1U << k); ++i) {
                    const Eigen::Vector2f p = s.at(i, 3);
                    ASSERT_TRUE(p.x() >= 0 && p.x() < 1 && p.y() >= 0 && p.y() < 1);
                    boxes.insert({int(p.x() * float(1 << a)), int(p.y() * float(1 << (k - a)))});
                }
                EXPECT_EQ(boxes.size(), size_t(1) << k) << seed << " " << k << " " << a;
            }
    }
}

/// A box on ground that catches, in sun and sky.
test::ProofScene boxScene() {
    test::ProofScene s;
    s.look({2, 1.5, 3}, {0, 0.3, 0}, 96, 64, 90);
    Box box;
    s.add(box.shape(), ProofPart::shown, {0.8, 0.3, 0.2, 1});
    s.add(test::levelRectangle(-20, -20, 20, 20, 0), ProofPart::catcher);
    s.items[1].id = 0;
    s.lights = {SunLight{Eigen::Vector3f(-1, 2, 1).normalized(), 0.01F, {0.8F, 0.8F, 0.8F}},
                SkyLight{{0.3F, 0.3F, 0.3F}, nullptr, Eigen::Matrix3f::Identity()}};
    return s;
}

TEST(Proof, TheSameSamplesGiveTheSamePictureHoweverTheyAreAdded) {
    test::ProofScene s = boxScene();
    const auto once = s.render(12);
    auto twice = s.render(1);
    for (const int n : {2, 3, 6}) twice->add(n);
    EXPECT_EQ(once->layers().samples, twice->layers().samples);
    for (size_t i = 0; i < once->layers().count(); ++i) {
        ASSERT_EQ(once->layers().colour[i], twice->layers().colour[i]);
        ASSERT_EQ(once->layers().skyLeft[i], twice->layers().skyLeft[i]);
    }
    // No number that is none.
    for (const auto& c : once->layers().colour) ASSERT_TRUE(c.allFinite());
}

TEST(Proof, ThePlateStaysBitForBitWhereNothingIs) {
    test::ProofScene s = boxScene();
    const auto render = s.render(8);
    Picture plate(96, 64);
    for (size_t i = 0; i < plate.data.size(); ++i) plate.data[i] = i % 4 == 3 ? 1 : float((i * 7919) % 65536) / 65535;
    ComposeOptions o;
    o.grainSigma = {0.01F, 0.01F, 0.01F};
    const fs::path folder = fs::temp_directory_path() / ("va-proof-" + std::to_string(::getpid()));
    fs::create_directories(folder);
    for (const auto encoding : {PictureEncoding::display, PictureEncoding::linear, PictureEncoding::log}) {
        const Picture out = composed(plate, encoding, render->layers(), o);
        int same = 0, other = 0;
        for (size_t i = 0; i < render->layers().count(); ++i) {
            const bool equal = std::equal(out.data.begin() + long(4 * i), out.data.begin() + long(4 * i + 3),
                                          plate.data.begin() + long(4 * i));
            if (!render->layers().touched(i)) {
                ASSERT_TRUE(equal) << i;
            }
            (equal ? same : other) += 1;
        }
        EXPECT_GT(same, 1000);
        EXPECT_GT(other, 500);
        // Through 16-bit PNG, and through EXR as float.
        for (const char* name : {"a.png", "a.exr"}) {
            writePicture(folder / name, out, {name[2] == 'p' ? 16 : 32, false, 1});
            writePicture(folder / (std::string("p") + name), plate, {name[2] == 'p' ? 16 : 32, false, 1});
            const Picture a = readPicture(folder / name).picture,
                          b = readPicture(folder / (std::string("p") + name)).picture;
            for (size_t i = 0; i < render->layers().count(); ++i)
                if (!render->layers().touched(i)) {
                    for (size_t c = 0; c < 3; ++c) ASSERT_EQ(a.data[4 * i + c], b.data[4 * i + c]) << name;
                }
        }
    }
    fs::remove_all(folder);
}

// Light of strength 1 makes a white matte surface as bright as white: sun and sky by their definition, window and bulb
// one unit away (inverse square and cosine, common knowledge).
TEST(Proof, StrengthOneIsWhite) {
    const auto brightness = [](const ProofLight& light) {
        test::ProofScene s;
        s.look({0.4, 0.5, 0}, {0, 0, 0}, 8, 8, 400);
        s.add(test::levelRectangle(-5, -5, 5, 5, 0));
        s.lights = {light};
        const auto render = s.render(256);
        double sum = 0;
        for (const auto& c : render->layers().colour) sum += double(c.x()) / 256 / 64;
        return sum;
    };
    const double base = brightness(SkyLight{});
    EXPECT_NEAR(base, 1, 0.01) << "the facets of a white plastic take nothing away";
    // A matte surface of that kind mirrors a little: sun and lamps from above are within some per cent.
    EXPECT_NEAR(brightness(SunLight{{0, 1, 0}, 0.01F, {1, 1, 1}}), 1, 0.06);
    // It shines along right × up: X × Z is down.
    EXPECT_NEAR(brightness(AreaLight{{-0.05F, 1, -0.05F}, {0.1F, 0, 0}, {0, 0, 0.1F}, {1, 1, 1}}), 1, 0.06);
    EXPECT_NEAR(brightness(AreaLight{{-0.01F, 1, -0.01F}, {0.02F, 0, 0}, {0, 0, 0.02F}, {1, 1, 1}}), 1, 0.06)
        << "whatever its size";
    EXPECT_EQ(brightness(AreaLight{{-0.05F, 1, -0.05F}, {0, 0, 0.1F}, {0.1F, 0, 0}, {1, 1, 1}}), 0) << "turned over";
    SpotLight bulb;
    bulb.position = {0, 1, 0}, bulb.axis = {0, -1, 0};
    bulb.cosInner = bulb.cosOuter = -1;
    EXPECT_NEAR(brightness(bulb), 1, 0.06);
    bulb.position = {0, 2, 0};
    EXPECT_NEAR(brightness(bulb), 0.25, 0.02);
}

TEST(Proof, StandInsHideAndCastNothing) {
    test::ProofScene s = boxScene();
    // A wall between camera and box.
    Box wall;
    wall.width = 2, wall.height = 2, wall.depth = 0.1;
    s.add(wall.shape(), ProofPart::standIn);
    s.items[2].worldFromShape = {{1, Eigen::Quaterniond::Identity(), {0.7, 0, 1.2}}};
    const auto hidden = s.render(8), seen = boxScene().render(8);
    double a = 0, b = 0;
    for (size_t i = 0; i < hidden->layers().count(); ++i)
        a += double(hidden->layers().colour[i].w()), b += double(seen->layers().colour[i].w());
    EXPECT_LT(a, 0.5 * b);
}

TEST(Proof, AMirrorShowsTheThingUpsideDown) {
    test::ProofScene s;
    s.look({0, 0.6, 4}, {0, 0.2, 0}, 64, 64, 90);
    Box box;
    box.width = box.depth = 0.5, box.height = 0.8;
    s.add(box.shape(), ProofPart::shown, {0.9, 0.2, 0.2, 1});
    s.add(test::levelRectangle(-20, -20, 20, 20, 0), ProofPart::catcher);
    s.items[1].id = 0;
    s.lights = {SkyLight()};
    s.options.catchers.resize(2);
    s.options.catchers[1].mirror = 1;
    const auto render = s.render(8);
    const ProofLayers& l = render->layers();
    // Exact projection of the mirrored box: its top lies at −0.8.
    const auto top = s.cameras[0].project({0, -0.8, 0.25}), foot = s.cameras[0].project({0, 0, 0.25});
    ASSERT_TRUE(top && foot);
    int rows = 0;
    for (int y = 0; y < 64; ++y)
        if (l.mirrored[size_t(y) * 64 + 32].w() > 4) {
            EXPECT_GT(y, foot->y() - 1.5);
            EXPECT_LT(y, top->y() + 1.5);
            ++rows;
        }
    EXPECT_NEAR(rows, std::min(63.0, top->y()) - foot->y(), 2.5);
}

TEST(Proof, KeysTakeBrightnessAndHue) {
    PlateKey key;
    EXPECT_EQ(keyed(key, {1, 1, 1}), 0) << "off";
    key.on = true, key.low = 0.5, key.high = 0.8, key.softness = 0.1;
    EXPECT_NEAR(keyed(key, {0.65F, 0.65F, 0.65F}), 1, 1e-6);
    EXPECT_NEAR(keyed(key, {0.5F, 0.5F, 0.5F}), 0.5, 1e-4);
    EXPECT_NEAR(keyed(key, {0.3F, 0.3F, 0.3F}), 0, 1e-6);
    key.invert = true;
    EXPECT_NEAR(keyed(key, {0.3F, 0.3F, 0.3F}), 1, 1e-6);
    key = {true, PlateKey::By::hue, 340, 20, 4, false};
    EXPECT_NEAR(keyed(key, {0.8F, 0.1F, 0.1F}), 1, 1e-6) << "red, through 0°";
    EXPECT_NEAR(keyed(key, {0.8F, 0.1F, 0.2F}), 1, 1e-6) << "351°";
    EXPECT_NEAR(keyed(key, {0.1F, 0.8F, 0.1F}), 0, 1e-6) << "green";
    EXPECT_NEAR(keyed(key, {0.5F, 0.5F, 0.5F}), 0, 1e-6) << "grey has no hue";
}

TEST(Proof, SkyPicturesOfOddShapeAreRefusedAndBadNumbersMended) {
    EXPECT_THROW(SkyPicture(Picture(64, 48)), InputError);
    EXPECT_THROW(SkyPicture(Picture(64, 32)), InputError) << "black";
    Picture p(64, 32);
    for (float& v : p.data) v = 0.2F;
    p.at(10, 8)[0] = std::numeric_limits<float>::quiet_NaN();
    p.at(11, 8)[1] = -4;
    p.at(40, 6)[0] = p.at(40, 6)[1] = p.at(40, 6)[2] = 500;
    const SkyPicture sky(p);
    EXPECT_EQ(sky.repaired(), 2);
    // Its brightest place is sampled most; densities integrate to one, and directions come back.
    int bright = 0;
    double integral = 0;
    const SampleSequence s(4);
    for (uint32_t i = 0; i < 4096; ++i) {
        float density = 0;
        const Eigen::Vector3f d = sky.sample(s.at(i, 0), density);
        ASSERT_GT(density, 0);
        EXPECT_NEAR(sky.density(d) / density, 1, 0.02);
        integral += 1 / double(density) / 4096;
        const Eigen::Vector2f at = skyPlace(d);
        bright += std::fabs(at.x() * 64 - 40.5F) < 1 && std::fabs(at.y() * 32 - 6.5F) < 1;
        EXPECT_LT((skyDirection(at) - d).norm(), 1e-4F);
    }
    EXPECT_GT(bright, 2000);
    EXPECT_NEAR(integral, 4 * M_PI, 0.4) << "solid angle of all directions";
}

/// A solved shot with a box on the ground.
Shot withBox() {
    Shot s = test::makeSolvedShot();
    int id = 0;
    return withThing(s, newThing(s, Box(), placeFromWords(s, "ground:0,0,-1"), s.range.first), &id);
}

TEST(Proof, WhatStandsInItsWayIsASentence) {
    EXPECT_NE(proofTrouble(Shot()), "");
    Shot s = withBox();
    EXPECT_EQ(proofTrouble(s), "");
    s.proof.sun.on = s.proof.sky.on = false;
    EXPECT_NE(proofTrouble(s).find("no light"), std::string::npos);
    s.proof.sun.on = true;
    s.proof.sun.toSun = {0, -1, 0};
    EXPECT_NE(proofTrouble(s).find("below the horizon"), std::string::npos);
    s.things.clear();
    EXPECT_NE(proofTrouble(s), "");
    EXPECT_THROW((void)withSunFromPosts(s), InputError) << "no post";
    EXPECT_THROW((void)withSunFromPlace(s), InputError) << "no place";
    s.proof.place = PlaceAndTime();
    s.proof.place->latitude = 50, s.proof.place->hours = 1;
    EXPECT_THROW((void)withSunFromPlace(s), InputError) << "night";
    s.proof.place->hours = 12;
    const Shot noon = withSunFromPlace(s);
    // At noon of midsummer the sun stands 90 − 50 + 23.4 degrees high, in the south: +Z where north is −Z.
    EXPECT_NEAR(std::asin(noon.proof.sun.toSun.y()) * 180 / M_PI, 63.4, 0.2);
    EXPECT_GT(noon.proof.sun.toSun.z(), 0.4);
    // North from that sun is where it was.
    Shot turned = noon;
    turned.proof.north = 77;
    EXPECT_NEAR(withNorthFromSun(turned).proof.north, 0, 1e-6);
}

TEST(Proof, ASkyIsTurnedUntilItsSpotLiesInThePicture) {
    const Shot s = withBox();
    const int frame = s.range.first;
    const Shot turned = withSkyTurned(s, {0.75, 0.4}, frame, {s.plate.width * 0.3, s.plate.height * 0.4});
    // Through the picture's own rotation that spot's longitude has to be the ray's.
    const Eigen::Matrix3f own =
        Eigen::AngleAxisf(float(turned.proof.sky.turn * M_PI / 180), Eigen::Vector3f::UnitY()).toRotationMatrix();
    const Eigen::Vector3f ray =
        s.cameraAt(frame)->ray({s.plate.width * 0.3, s.plate.height * 0.4})->direction.cast<float>();
    EXPECT_NEAR(skyPlace(own * ray).x(), 0.75F, 1e-4F);
}

TEST(Proof, ASkysBrightestSpotStandsOverTheSunsPlace) {
    const fs::path file = fs::temp_directory_path() / ("va-sky-" + std::to_string(::getpid()) + ".exr");
    Picture p(64, 32);
    for (float& v : p.data) v = 0.2F;
    for (int c = 0; c < 3; ++c) p.at(12, 9)[c] = 50;
    writePicture(file, p, {32, false, 1});
    Shot s = withBox();
    EXPECT_THROW((void)withSkyToSun(s), InputError) << "no picture";
    s.proof.sky.picture = file.string();
    s = withSkyToSun(s);
    const Eigen::Matrix3f own =
        Eigen::AngleAxisf(float(s.proof.sky.turn * M_PI / 180), Eigen::Vector3f::UnitY()).toRotationMatrix();
    EXPECT_NEAR(skyPlace(own * s.proof.sun.toSun.cast<float>()).x(), 12.5F / 64, 1e-4F);
    fs::remove(file);
}

TEST(Proof, AllThatItGoesByIsKeptInTheProject) {
    ProofSpec p;
    p.sun.toSun = Eigen::Vector3d(0.3, 0.8, -0.5).normalized(), p.sun.sigmaDegrees = 0.4;
    p.sky.picture = "/some/where/sky.exr";
    p.ground = false;
    p.roleOf(3).part = ProofPart::catcher;
    p.roleOf(3).catches = {0.4, 0.1, 2, 1.5, 0.3, 0.25};
    p.roleOf(6).part = ProofPart::pane, p.roleOf(6).shift = -7;
    p.roleOf(5).roughness = 0.05, p.roleOf(5).metalness = 1, p.roleOf(5).glow = 2;
    p.posts = {{1004, {1, 2}, {3, 4}, {5, 6}}};
    p.place = PlaceAndTime();
    p.place->latitude = 54.3;
    p.shadow = ShadowMeasure{1010, {10, 20}, {30, 40}, {0.4, 0.45, 0.5}};
    p.front.key = {true, PlateKey::By::hue, 200, 240, 8, true};
    MaskShape mask;
    mask.id = 4, mask.name = "rail";
    mask.setPoints(1001, {{{0, 0}, {0, 0}, {0, 0}}, {{9, 0}, {0, 0}, {0, 0}}, {{9, 9}, {0, 0}, {0, 0}}});
    p.front.masks = {mask};
    p.look.motionBlur = false;
    p.samples = 64;
    double v = 0.11;
    for (const ProofNumber& n : proofNumbers()) n.of(p) = std::clamp(v += 0.01, n.low, n.high);
    const ProofSpec back = proofFrom(nlohmann::json::parse(proofJson(p, "/some").dump()), "/some");
    EXPECT_TRUE(back == p);
    nlohmann::json bad = proofJson(p, "/some");
    bad["numbers"]["sun/strength"] = -3;
    EXPECT_THROW((void)proofFrom(bad, "/some"), InputError);
    bad = proofJson(p, "/some");
    bad["samples"] = 0;
    EXPECT_THROW((void)proofFrom(bad, "/some"), InputError);
}

// Koschmieder's law, put in and found again.
TEST(Proof, HazeIsFoundFromTwoDarkSpots) {
    const Eigen::Vector3d air(0.5, 0.6, 0.75);
    for (const double halved : {3.0, 20.0, 300.0}) {
        const auto seen = [&](double d) { return Eigen::Vector3d((1 - std::exp2(-d / halved)) * air); };
        const HazeMeasure h = hazeBetween(seen(4), 4, seen(45), 45);
        EXPECT_NEAR(h.halved / halved, 1, 1e-6);
        EXPECT_LT((h.colour - air).norm(), 1e-6);
    }
    const Eigen::Vector3d dark(0.1, 0.1, 0.1), light(0.2, 0.2, 0.2);
    EXPECT_THROW((void)hazeBetween(dark, 5, light, 4), InputError) << "the far one is nearer";
    EXPECT_THROW((void)hazeBetween(light, 5, dark, 50), InputError) << "no haze";
    EXPECT_THROW((void)hazeBetween(dark, 10, 30 * dark, 20), InputError) << "thirty times as light";
}

TEST(Proof, TheSkysColourIsThatOfGreyInShadow) {
    const Shot s = withBox();
    Picture p(s.plate.width, s.plate.height);
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 40; ++x)
            for (int c = 0; c < 3; ++c) p.at(x, y)[c] = storedOf(0.1F + 0.05F * float(c), s.plate.encoding);  // bluish
    const Eigen::Vector3d sky = withSkyColour(s, p, {20, 20}).proof.sky.colour;
    EXPECT_NEAR(sky.z() / sky.x(), 2, 0.02);
    EXPECT_NEAR(sky.dot(Eigen::Vector3d(0.2126, 0.7152, 0.0722)), 1, 1e-9) << "its strength stays";
    EXPECT_THROW((void)withSkyColour(s, p, {80, 80}), InputError) << "black";
    EXPECT_THROW((void)withSkyColour(s, p, {1, 1}), InputError) << "at the border";
}

// A card whose picture is an even slope: all behind it moves by the same amount, told by the slope.
TEST(Proof, APaneShiftsThePlateByItsSlope) {
    test::ProofScene s;
    s.look({0, 0.5, 4}, {0, 0.5, 0}, 120, 90, 120);
    Card card;
    card.width = 2, card.height = 1;
    card.file = "slope";
    s.add(card.shape(), ProofPart::pane);
    auto slope = std::make_shared<Picture8>(200, 100);
    for (int y = 0; y < 100; ++y)
        for (int x = 0; x < 200; ++x)
            for (int c = 0; c < 4; ++c) slope->at(x, y)[c] = c < 3 ? uint8_t(x + 20) : 255;
    s.items[0].pictures = {slope};
    s.items[0].shift = 5;
    const auto render = s.render(16);
    const ProofLayers& l = render->layers();
    const size_t middle = size_t(45 * 120 + 60);
    ASSERT_FALSE(l.shifted.empty());
    EXPECT_NEAR(l.shifted[middle].z(), 16, 1e-3);
    // In linear light the slope of a display value v is that of its curve there.
    const float v = 119.5F / 255, to = (linearFromDisplay(v + 0.01F) - linearFromDisplay(v - 0.01F)) / 0.02F;
    const float expected = 5.0F / 10 * to * 200 / 255;
    EXPECT_NEAR(l.shifted[middle].x() / 16, expected, 0.03F * expected);
    EXPECT_NEAR(l.shifted[middle].y() / 16, 0, 1e-3);
    // A plate that is a slope itself is lighter there by as many px.
    Picture plate(120, 90);
    for (int y = 0; y < 90; ++y)
        for (int x = 0; x < 120; ++x)
            for (int c = 0; c < 3; ++c) plate.at(x, y)[c] = 0.002F * float(x);
    const Picture out = composed(plate, PictureEncoding::linear, l, {});
    EXPECT_NEAR(out.at(60, 45)[0], 0.002F * (60 + l.shifted[middle].x() / 16), 1e-4F);
    EXPECT_EQ(out.at(2, 2)[0], plate.at(2, 2)[0]) << "outside of the pane";
}

TEST(Proof, ACatchersBorderFades) {
    const auto shadeAt = [](float edge) {
        test::ProofScene s;
        s.look({0, 6, 0.01}, {0, 0, 0}, 60, 60, 100);
        s.add(test::levelRectangle(-1, -1, 1, 1, 0), ProofPart::catcher);
        s.items[0].id = 7;
        s.add(test::disc(3, 1, 64));
        s.lights = {SunLight{Eigen::Vector3f(0.05F, 1, 0.02F).normalized(), 0, {1, 1, 1}}};
        s.options.catchers.resize(2);
        s.options.catchers[0].edge = edge;
        // From below the disc: the camera looks up through nothing, so the disc is taken out of its sight.
        s.look({0, 0.9, 0.01}, {0, 0, 0}, 60, 60, 22);
        const auto render = s.render(16);
        std::vector<float> out;
        for (int x = 0; x < 60; ++x) out.push_back(render->layers().caught[size_t(30 * 60 + x)] / 16);
        return out;
    };
    const auto hard = shadeAt(0), soft = shadeAt(0.5F);
    EXPECT_EQ(hard[30], 1);
    EXPECT_EQ(soft[30], 1) << "its middle is whole";
    // A quarter of a unit inside of the border, 0.75 of the way to it: half of the smooth step over 0.5.
    const auto px = size_t(std::lround(29.5 + 22 * 0.75 / 0.9));
    EXPECT_EQ(hard[px], 1);
    EXPECT_NEAR(soft[px], 0.5, 0.08);
}

TEST(Proof, AColourFringeMovesRedAndBlueOutwards) {
    ProofLayers l;
    l.width = 200, l.height = 100, l.samples = 1;
    const size_t n = l.count();
    l.colour.assign(n, Eigen::Vector4f::Zero());
    l.mirrored.assign(n, Eigen::Vector4f::Zero());
    l.caught.assign(n, 0);
    for (auto* list : {&l.keyLight, &l.keyLeft, &l.skyLight, &l.skyLeft}) list->assign(n, Eigen::Vector3f::Zero());
    // White to the right of x = 150.
    for (int y = 0; y < 100; ++y)
        for (int x = 150; x < 200; ++x) l.colour[size_t(y * 200 + x)] = Eigen::Vector4f(1, 1, 1, 1);
    Picture plate(200, 100);
    ComposeOptions o;
    o.look.fringeRed = 2, o.look.fringeBlue = -1;
    const Picture out = composed(plate, PictureEncoding::linear, l, o);
    // Sums along a row tell where each channel's edge lies; the lens moves it by its share of the way to the corner.
    const auto edge = [&](int c) {
        double sum = 0;
        for (int x = 100; x < 200; ++x) sum += double(out.at(x, 50)[c]);
        return 200 - sum;
    };
    const double share = (150 - 99.5) / std::hypot(100.0, 50.0);
    EXPECT_NEAR(edge(1), 150, 1e-3);
    EXPECT_NEAR(edge(0) - 150, 2 * share, 0.06);
    EXPECT_NEAR(edge(2) - 150, -1 * share, 0.06);
    EXPECT_EQ(out.at(20, 20)[0], 0) << "the plate stays where nothing is";
}

TEST(Proof, LightsAreThingsThatAreAimed) {
    Shot s = withBox();
    int id = 0;
    s = withThing(s, newThing(s, Light(), placeFromWords(s, "ground:1,0,1"), s.range.first), &id);
    Thing light = *s.thing(id);
    light = movedTo(s, light, {1, Eigen::Quaterniond::Identity(), {1.5, 2, 1}}, s.range.first);
    const Thing& box = s.things.front();
    const Thing aimed = aimedAt(s, light, box, s.range.first);
    for (Thing& t : s.things)
        if (t.id == id) t = aimed;
    const auto at = PlacedThings(s, s.range.first).of(*s.thing(id)), to = PlacedThings(s, s.range.first).of(box);
    const auto [low, high] = shapeOf(box.kind).bounds();
    const Eigen::Vector3d way = (to->point((low + high) / 2) - at->translation).normalized();
    EXPECT_GT((at->rotation * Eigen::Vector3d::UnitZ()).dot(way), 0.9999);
    // It lights the box without a sun.
    s.proof.sun.on = s.proof.sky.on = false;
    EXPECT_EQ(proofTrouble(s), "");
    ProofStage stage;
    ProofRequest request;
    request.frame = s.range.first;
    request.area = frameOfPlate(s.plate.width, s.plate.height, 8);
    const auto render = stage.render(s, request, nullptr, {});
    render->add(4);
    double sum = 0;
    for (const auto& c : render->layers().colour) sum += double(c.head<3>().sum());
    EXPECT_GT(sum, 1);
}

TEST(Proof, AThingThatMovesIsSmearedAndTheCameraWithIt) {
    test::ProofScene s;
    s.look({0, 0.5, 4}, {0, 0.5, 0}, 96, 64, 120);
    Box box;
    box.width = box.depth = 0.4, box.height = 0.8;
    s.add(box.shape());
    s.lights = {SkyLight()};
    const auto width = [&] {
        const auto render = s.render(64);
        double partly = 0;
        for (int x = 0; x < 96; ++x) {
            const float a = render->layers().colour[size_t(32) * 96 + size_t(x)].w() / 64;
            partly += a > 0.03F && a < 0.97F;
        }
        return partly;
    };
    EXPECT_LE(width(), 3);
    // 0.3 units while the shutter is open, 9 px there at both edges.
    s.items[0].worldFromShape = {{1, Eigen::Quaterniond::Identity(), {-0.15, 0, 0}},
                                 {1, Eigen::Quaterniond::Identity(), {0, 0, 0}},
                                 {1, Eigen::Quaterniond::Identity(), {0.15, 0, 0}}};
    EXPECT_NEAR(width(), 18, 3);
    s.items[0].worldFromShape = {Similarity()};
    const FrameCamera still = s.cameras[0];
    s.cameras.clear();
    for (const double x : {-0.15, 0.0, 0.15}) {
        CameraPose pose = still.pose();
        pose.position.x() += x;
        s.cameras.emplace_back(pose, still.lens());
    }
    EXPECT_NEAR(width(), 18, 3);
}

}  // namespace
}  // namespace va
