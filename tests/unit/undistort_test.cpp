// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"
#include "lens/stmap.h"
#include "shot/lens_file.h"
#include "workflow/undistort.h"

namespace va {
namespace {

Intrinsics barrel(int width, int height) {
    Intrinsics i;
    i.focalPx = 0.7 * width;
    i.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
    i.lens = LensModel::brownConrady(-0.12, 0.01);
    return i;
}

std::filesystem::path freshFolder(const char* name) {
    const auto folder = std::filesystem::temp_directory_path() / (std::string("va_undistort_") + name);
    std::filesystem::remove_all(folder);
    std::filesystem::create_directories(folder);
    return folder;
}

template <class F>
void expectInputError(const F& f, const std::string& part) {
    try {
        f();
        FAIL() << "no error with \"" << part << "\"";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find(part), std::string::npos) << e.what();
    }
}

TEST(UndistortedFrame, OverscanKeepsTheFieldOfViewItSays) {
    const Intrinsics lens = barrel(640, 360);
    const UndistortedFrame f = undistortedFrame(lens, 640, 360, Overscan::whole);
    EXPECT_GT(f.width, 640);
    // The outermost direction of the plate's left edge lies inside the larger frame.
    const auto edge = lens.normalisedFromPixel({-0.5, 179.5});
    EXPECT_LE(-edge->x(), std::tan(f.fieldOfViewX() / 2) * 1.02);
    EXPECT_NEAR(f.undistorted.principalPoint.x(), lens.principalPoint.x() + f.left, 1e-12);
    const UndistortedFrame same = undistortedFrame(lens, 640, 360, Overscan::none);
    EXPECT_EQ(same.width, 640);
    EXPECT_EQ(same.left, 0);
}

TEST(UndistortedFrame, AFoldInsideTheFrameIsAnErrorWithItsRadius) {
    Intrinsics lens = barrel(640, 360);
    lens.lens = LensModel::brownConrady(-0.9);
    expectInputError([&] { (void)undistortedFrame(lens, 640, 360, Overscan::whole); }, "folds over at");
    lens.lens = LensModel(LensKind::fisheye);
    lens.focalPx = 215;
    expectInputError([&] { (void)undistortedFrame(lens, 640, 360, Overscan::whole); },
                     "more than an undistorted picture");
    lens.focalPx = 250;
    expectInputError([&] { (void)undistortedFrame(lens, 640, 360, Overscan::whole); }, "times as large");
}

TEST(Stmap, GivesTheMapBack) {
    const Intrinsics lens = barrel(64, 36);
    const UndistortedFrame f = undistortedFrame(lens, 64, 36, Overscan::whole);
    const PixelMap map = undistortionMap(lens, f, 64, 36);
    const Picture st = stmapOf(map, 64, 36);
    const PixelMap back = mapOfStmap(st, 64, 36);
    int known = 0;
    for (size_t i = 0; i < map.x.data.size(); ++i) {
        if (!(map.x.data[i] == map.x.data[i])) {
            EXPECT_FALSE(back.x.data[i] == back.x.data[i]);
            EXPECT_EQ(st.data[4 * i], -1.0f);
            continue;
        }
        ++known;
        EXPECT_NEAR(back.x.data[i], map.x.data[i], 1e-5);
        EXPECT_NEAR(back.y.data[i], map.y.data[i], 1e-5);
    }
    EXPECT_GT(known, 64 * 36);
    // Common practice: the lower left corner of the picture is (0, 0), the upper right one (1, 1).
    PixelMap corners{Plane<float>(2, 1), Plane<float>(2, 1)};
    corners.x.data = {-0.5f, 63.5f};
    corners.y.data = {35.5f, -0.5f};
    const Picture c = stmapOf(corners, 64, 36);
    EXPECT_FLOAT_EQ(c.data[0], 0);
    EXPECT_FLOAT_EQ(c.data[1], 0);
    EXPECT_FLOAT_EQ(c.data[4], 1);
    EXPECT_FLOAT_EQ(c.data[5], 1);
}

TEST(Resample, FlatStaysFlatAndAlphaGoesWithColour) {
    Picture flat(20, 20);
    for (size_t i = 0; i < flat.data.size(); ++i) flat.data[i] = i % 4 == 3 ? 1.0f : 0.625f;
    PixelMap map{Plane<float>(20, 20), Plane<float>(20, 20)};
    for (int y = 0; y < 20; ++y)
        for (int x = 0; x < 20; ++x) map.x.at(x, y) = float(x) + 0.37f, map.y.at(x, y) = float(y) - 0.21f;
    map.x.at(19, 0) = std::nanf("");
    for (const Filter f : {Filter::bilinear, Filter::bicubic, Filter::lanczos}) {
        const Picture held = resample(flat, map, f, Edge::hold), empty = resample(flat, map, f, Edge::empty);
        EXPECT_NEAR(held.at(10, 10)[0], 0.625f, 1e-6);
        EXPECT_NEAR(held.at(0, 0)[0], 0.625f, 1e-6) << "the edge is held";
        EXPECT_EQ(held.at(19, 0)[3], 0) << "nothing is known there";
        // At the edge of an insert colour and alpha fall together: divided, the colour is the same.
        const float* e = empty.at(19, 10);
        EXPECT_LT(e[3], 0.95f);
        EXPECT_NEAR(e[0] / e[3], 0.625f, 1e-4);
    }
    // Bytes and floats are the same picture.
    Picture8 bytes(20, 20);
    for (size_t i = 0; i < bytes.data.size(); ++i)
        bytes.data[i] = i % 4 == 3 ? 255 : uint8_t(20 + (i * 37 + i / 80 * 11) % 200);
    Picture same(20, 20);
    for (size_t i = 0; i < same.data.size(); ++i) same.data[i] = float(bytes.data[i]) / 255;
    const Picture8 a = resample(bytes, map, Filter::bicubic, Edge::hold);
    const Picture b = resample(same, map, Filter::bicubic, Edge::hold);
    for (size_t i = 0; i < a.data.size(); ++i)
        EXPECT_NEAR(float(a.data[i]), std::clamp(b.data[i] * 255, 0.0f, 255.0f), 0.51f);
}

TEST(PictureFile, EveryFormatComesBack) {
    const auto folder = freshFolder("formats");
    Picture p(32, 24);
    for (int y = 0; y < 24; ++y)
        for (int x = 0; x < 32; ++x) {
            float* v = p.at(x, y);
            v[0] = float(x) / 31, v[1] = float(y) / 23, v[2] = 0.25f, v[3] = 1;
        }
    const struct {
        const char* name;
        int bits;
        float step;
    } cases[] = {{"a.exr", 16, 1e-3f}, {"b.exr", 32, 1e-7f},       {"c.png", 8, 1.0f / 250}, {"d.png", 16, 1e-4f},
                 {"e.tif", 16, 1e-4f}, {"f.dpx", 10, 1.0f / 1000}, {"g.jpg", 8, 0.1f}};
    for (const auto& c : cases) {
        PictureFormat format;
        format.bits = c.bits;
        writePicture(folder / c.name, p, format);
        const PictureFile back = readPicture(folder / c.name);
        ASSERT_EQ(back.picture.width, 32) << c.name;
        for (size_t i = 0; i < p.data.size(); ++i) ASSERT_NEAR(back.picture.data[i], p.data[i], c.step) << c.name;
        EXPECT_EQ(back.floats, std::string(c.name).ends_with("exr"));
    }
    expectInputError([&] { writePicture(folder / "x.bmp2", p, {}); }, "Known endings");
    expectInputError([&] { writePicture("/proc/nowhere/x.png", p, {}); }, "was not written");
    expectInputError([&] { (void)readPicture(folder / "missing.png"); }, "can be read");
    std::filesystem::remove_all(folder);
}

TEST(Undistort, APlateGoesThereAndItsInsertBack) {
    const auto folder = freshFolder("there_and_back");
    const int w = 160, h = 90;
    const Intrinsics lens = barrel(w, h);
    PictureSeries plates;
    plates.folder = folder / "plate";
    plates.stem = "plate";
    plates.ending = "png";
    plates.format.bits = 16;
    for (int f = 7; f <= 9; ++f) {
        Picture p(w, h);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                float* v = p.at(x, y);
                v[0] = float(0.5 + 0.4 * std::sin(0.13 * x + f)), v[1] = float(0.5 + 0.4 * std::cos(0.11 * y)),
                v[2] = 0.3f, v[3] = 1;
            }
        writePicture(plates.file(f), p, plates.format);
    }
    const auto plate = openPlate((folder / "plate").string());
    Progress progress;
    PictureSeries undistorted = plates;
    undistorted.folder = folder / "undistorted";
    const auto there = undistortPlate(*plate, {7, 8, 9}, lens, Overscan::whole, Filter::bicubic, undistorted, progress);
    EXPECT_EQ(there.files, 3);
    EXPECT_NE(there.report.find("3 frames undistorted"), std::string::npos) << there.report;
    const auto insert = openPlate((folder / "undistorted").string());
    EXPECT_EQ(insert->info().width, there.frame.width);
    PictureSeries distorted = plates;
    distorted.folder = folder / "distorted";
    (void)distortInsert(*insert, {8}, lens, w, h, Overscan::whole, Filter::bicubic, true, distorted, progress);
    const Picture was = readPicture(plates.file(8)).picture, now = readPicture(distorted.file(8)).picture;
    ASSERT_EQ(now.width, w);
    double worst = 0;
    for (int y = 2; y < h - 2; ++y)
        for (int x = 2; x < w - 2; ++x)
            for (int c = 0; c < 3; ++c) worst = std::max(worst, double(std::fabs(was.at(x, y)[c] - now.at(x, y)[c])));
    // Two filter hits on slow waves.
    EXPECT_LT(worst, 0.01);
    expectInputError(
        [&] {
            (void)distortInsert(*insert, {8}, lens, w, h, Overscan::none, Filter::bicubic, true, distorted, progress);
        },
        "undistorted frame of this lens is 160 × 90");
    (void)writeStmaps(lens, w, h, Overscan::whole, folder / "s.exr", folder / "b.exr");
    const PictureFile st = readPicture(folder / "s.exr");
    EXPECT_EQ(st.bits, 32);
    EXPECT_EQ(st.picture.width, there.frame.width);
    std::filesystem::remove_all(folder);
}

// A half transparent insert, once as PNG (whose colour is never multiplied, PNG specification, 6.2 "Alpha
// representation", from memory) and once as EXR with colour that was not multiplied, which has to be told: the same
// picture comes out.
TEST(Undistort, AnInsertsColourIsMultipliedOnce) {
    const auto folder = freshFolder("alpha");
    const Intrinsics lens = barrel(64, 36);
    Picture p(64, 36);
    for (size_t i = 0; i < p.data.size(); ++i) p.data[i] = i % 4 == 3 ? 0.5f : 0.4f;
    PictureFormat format;
    format.alpha = true;
    format.bits = 16;
    writePicture(folder / "png/in.0001.png", p, format);  // multiplied: 0.4 of a colour of 0.8
    for (size_t i = 0; i < p.data.size(); ++i) p.data[i] = i % 4 == 3 ? 0.5f : 0.8f;
    writePicture(folder / "exr/in.0001.exr", p, format);
    Progress progress;
    PictureSeries to;
    to.folder = folder / "out";
    to.stem = "out";
    to.format = format;
    for (const char* kind : {"png", "exr"}) {
        const auto insert = openPlate((folder / kind).string());
        to.ending = kind;
        (void)distortInsert(*insert, {1}, lens, 64, 36, Overscan::none, Filter::bicubic, false, to, progress);
        const Picture out = readPicture(to.file(1)).picture;
        EXPECT_NEAR(out.at(32, 18)[0], 0.4f, 2e-3) << kind;
        EXPECT_NEAR(out.at(32, 18)[3], 0.5f, 2e-3) << kind;
    }
    to.ending = "jpg";
    const auto insert = openPlate((folder / "png").string());
    expectInputError(
        [&] { (void)distortInsert(*insert, {1}, lens, 64, 36, Overscan::none, Filter::bicubic, true, to, progress); },
        "alpha");
    std::filesystem::remove_all(folder);
}

TEST(LensFile, ComesBackAndFitsOtherSizes) {
    const auto folder = freshFolder("files");
    LensFile l;
    l.intrinsics = barrel(1920, 1080);
    l.intrinsics.lens = LensModel(LensKind::division);
    l.intrinsics.lens.setValue("lambda", -0.123456789012345);
    l.width = 1920, l.height = 1080, l.source = "a chart", l.rmsPx = 0.12;
    const std::string path = (folder / "lens.json").string();
    writeFileAtomically(path, writeLensFile(l));
    const LensFile back = readLensFile(path);
    EXPECT_EQ(back.intrinsics.lens, l.intrinsics.lens);
    EXPECT_EQ(back.intrinsics.focalPx, l.intrinsics.focalPx);
    EXPECT_EQ(back.source, "a chart");
    const Intrinsics half = back.forSize(960, 540);
    EXPECT_NEAR(half.focalPx, l.intrinsics.focalPx / 2, 1e-9);
    EXPECT_NEAR(half.principalPoint.x(), 479.5, 1e-9);
    expectInputError([&] { (void)back.forSize(1440, 1080); }, "another shape");
    const std::pair<const char*, const char*> bad[] = {
        {"[]", "no JSON object"},
        {"{\"lens\": {\"model\": \"distorted_much\", \"k1\": 1}}", "\"distorted_much\" is not known"},
        {"{\"lens\": {\"model\": \"division\", \"k1\": 0.1}}", "has no number \"k1\""},
        {"{\"lens\": {\"model\": \"division\"}}", "no number"},
        {"{\"lens\": {\"k1\": 0.1}, \"focal_px\": -3}", "focal_px"}};
    for (const auto& [text, part] : bad) {
        writeFileAtomically(path, text);
        expectInputError([&] { (void)readLensFile(path); }, part);
    }
    std::filesystem::remove_all(folder);
}

}  // namespace
}  // namespace va
