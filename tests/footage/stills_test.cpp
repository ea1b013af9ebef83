// SPDX-License-Identifier: GPL-3.0-or-later
// Numbered stills and photos as they come: names, windows, orientations, broken files.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cstdlib>
#include <fstream>

#include "base/error.h"
#include "media/plate_locator.h"
#include "media/plate_source.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class Stills : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-stills-" + std::to_string(getpid()));
        fs::remove_all(folder_);
        fs::create_directories(folder_);
    }
    void TearDown() override { fs::remove_all(folder_); }

    /// A grey picture whose level tells which one it is.
    void still(const std::string& name, int level, int width = 32, int height = 24,
               OIIO::TypeDesc type = OIIO::TypeDesc::UINT8) const {
        const fs::path file = folder_ / name;
        // The writer goes by the ending, which may be an unusual one.
        const fs::path plain = folder_ / (".making" + std::string(file.extension() == ".exr"   ? ".exr"
                                                                  : file.extension() == ".tif" ? ".tif"
                                                                                               : ".png"));
        auto out = OIIO::ImageOutput::create(plain.string());
        ASSERT_TRUE(out && out->open(plain.string(), OIIO::ImageSpec(width, height, 3, type)));
        const std::vector<float> pixels(size_t(width) * size_t(height) * 3, float(level) / 255.0f);
        ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, pixels.data()) && out->close());
        fs::rename(plain, file);
    }
    std::unique_ptr<PlateSource> open(const std::string& name = "") const {
        return openPlate(name.empty() ? folder_.string() : (folder_ / name).string());
    }
    static double level(PlateSource& s, int frame) { return double(s.luma(frame).at(3, 3)); }
    std::string troubleOf(const std::string& name) const {
        try {
            (void)open(name);
        } catch (const InputError& e) {
            return e.what();
        }
        return "";
    }
    fs::path folder_;
};

TEST_F(Stills, NumbersOfAllKinds) {
    struct Case {
        const char *first, *second;
        int a, b;
    };
    // The file's number is the frame's: common practice.
    for (const Case& c :
         {Case{"u.9.png", "u.10.png", 9, 10}, Case{"n.-0002.png", "n.-0001.png", -2, -1},
          Case{"m_-5.png", "m_6.png", -5, 6}, Case{"eight.20261126.png", "eight.20261127.png", 20261126, 20261127},
          Case{"shot-0001.png", "shot-0002.png", 1, 2}, Case{"v_0007_4k.png", "v_0008_4k.png", 7, 8},
          Case{"yard_v02_0101_v3.png", "yard_v02_0102_v3.png", 101, 102},
          Case{"100%_done.0003.png", "100%_done.0004.png", 3, 4},
          Case{"take 3 'b'.0005.png", "take 3 'b'.0006.png", 5, 6}, Case{"боат.0001.png", "боат.0002.png", 1, 2},
          Case{"half%d.0011.png", "half%d.0012.png", 11, 12}, Case{"#3 slip.0001.png", "#3 slip.0002.png", 1, 2}}) {
        SetUp();
        still(c.first, 40);
        still(c.second, 80);
        for (const std::string& spec : {std::string(c.first), std::string()}) {
            const auto source = open(spec);
            EXPECT_EQ(source->info().frames.first, c.a) << c.first;
            EXPECT_EQ(source->info().frames.last, c.b) << c.first;
            EXPECT_NEAR(level(*source, c.a), 40, 0.6) << c.first;
            EXPECT_NEAR(level(*source, c.b), 80, 0.6) << c.first;
            // What is stored in a project opens the same again.
            EXPECT_EQ(openPlate(source->info().spec)->info().frames, source->info().frames) << source->info().spec;
        }
    }
}

TEST_F(Stills, NumbersLongerThanFramesBeginAt1001) {
    still("clock.4000000001.png", 30);
    still("clock.4000000002.png", 60);
    const auto source = open();
    EXPECT_EQ(source->info().frames, (FrameRange{1001, 1002}));
    EXPECT_NEAR(level(*source, 1002), 60, 0.6);
    ASSERT_FALSE(source->info().notes.empty());
    EXPECT_NE(source->info().notes.front().find("frame 1001"), std::string::npos);
}

TEST_F(Stills, PaddedAndUnpaddedAreTwoSeries) {
    for (int n = 1; n <= 3; ++n) still("a." + std::to_string(n) + ".png", 10 * n);
    for (int n = 1; n <= 4; ++n) still("a.000" + std::to_string(n) + ".png", 100 + 10 * n);
    const auto padded = open("a.0002.png"), plain = open("a.2.png");
    EXPECT_EQ(padded->info().frames.count(), 4);
    EXPECT_EQ(plain->info().frames.count(), 3);
    EXPECT_NEAR(level(*padded, 2), 120, 0.6);
    EXPECT_NEAR(level(*plain, 2), 20, 0.6);
    EXPECT_EQ(openPlate(padded->info().spec)->info().frames.count(), 4);
    EXPECT_EQ(openPlate(plain->info().spec)->info().frames.count(), 3);
    // A padded series goes on where its numbers outgrow it.
    still("b.0998.png", 1), still("b.9999.png", 2), still("b.10000.png", 3);
    EXPECT_EQ(open("b.0998.png")->info().frames.last, 10000);
}

TEST_F(Stills, EndingsInCapitalsBelongToTheSeries) {
    still("c.0001.PNG", 10), still("c.0002.png", 20), still("c.0003.png", 30);
    const auto source = open();
    EXPECT_EQ(source->info().existing(), (std::vector<int>{1, 2, 3}));
    EXPECT_NEAR(level(*source, 1), 10, 0.6);
    still("c.0002.PNG", 99);
    const auto twice = open();
    EXPECT_NEAR(level(*twice, 2), 20, 0.6) << "as most are spelled";
    ASSERT_FALSE(twice->info().notes.empty());
    EXPECT_NE(twice->info().notes.front().find("c.0002.PNG"), std::string::npos);
}

TEST_F(Stills, NotesOfOtherSystemsAreNoFrames) {
    for (int n = 1; n <= 3; ++n) {
        still("d.000" + std::to_string(n) + ".png", 50);
        std::ofstream(folder_ / ("._d.000" + std::to_string(n) + ".png")) << "Mac OS X        ";
    }
    const auto source = open();
    EXPECT_EQ(source->info().frames.count(), 3);
    EXPECT_TRUE(source->info().damaged.empty());
}

TEST_F(Stills, BrokenOnesAreNamedAndLeftOut) {
    for (int n = 1; n <= 9; ++n) still("e.000" + std::to_string(n) + ".png", 20 * n);
    std::ofstream(folder_ / "e.0001.png", std::ios::trunc).flush();  // empty, and the first
    fs::resize_file(folder_ / "e.0003.png", fs::file_size(folder_ / "e.0003.png") - 20);
    fs::remove(folder_ / "e.0004.png");
    fs::create_symlink(folder_ / "nowhere.png", folder_ / "e.0004.png");
    still("e.0005.png", 1, 24, 32);
    still("e.0006.png", 1, 32, 24, OIIO::TypeDesc::UINT16);
    fs::remove(folder_ / "e.0007.png");
    fs::create_symlink(folder_ / "e.0008.png", folder_ / "e.0007.png");
    const auto source = open();
    const PlateInfo& info = source->info();
    EXPECT_EQ(info.frames, (FrameRange{1, 9}));
    std::vector<int> damaged;
    for (const FrameDamage& d : info.damaged) damaged.push_back(d.frame);
    EXPECT_EQ(damaged, (std::vector<int>{1, 4, 5, 6})) << "the cut-off one shows when its pixels are read";
    EXPECT_NE(info.damaged[0].cause.find("empty"), std::string::npos);
    EXPECT_NE(info.damaged[1].cause.find("link"), std::string::npos);
    EXPECT_NE(info.damaged[2].cause.find("24 × 32"), std::string::npos);
    EXPECT_NE(info.damaged[3].cause.find("16 bits"), std::string::npos);
    for (const int f : {1, 3, 4, 5, 6}) EXPECT_THROW((void)source->luma(f), DamagedFrame) << f;
    EXPECT_NEAR(level(*source, 2), 40, 0.6);
    EXPECT_NEAR(level(*source, 7), 160, 0.6) << "a link to another frame";
    EXPECT_NEAR(level(*source, 9), 180, 0.6);
}

TEST_F(Stills, FarNumbersAreNoFrames) {
    for (int n = 1; n <= 3; ++n) still("f." + std::to_string(n) + ".png", 20);
    still("f.99999999.png", 20);
    const auto source = open();
    EXPECT_EQ(source->info().frames, (FrameRange{1, 3}));
    ASSERT_FALSE(source->info().notes.empty());
    EXPECT_NE(source->info().notes.front().find("f.99999999.png"), std::string::npos);
}

TEST_F(Stills, OfSeveralSeriesTheLongestIsTakenAndTheOthersAreNamed) {
    for (int n = 1; n <= 3; ++n) still("left." + std::to_string(n) + ".png", 20);
    for (int n = 1; n <= 5; ++n) still("right." + std::to_string(n) + ".png", 90);
    const auto source = open();
    EXPECT_EQ(source->info().frames.count(), 5);
    ASSERT_EQ(source->info().otherSeries.size(), 1U);
    EXPECT_NE(source->info().notes.front().find("2 series"), std::string::npos);
    EXPECT_EQ(openPlate(source->info().otherSeries.front())->info().frames.count(), 3);
}

TEST_F(Stills, UnusualEndingsAreStills) {
    for (const char* kind : {"jfif", "jpe", "jp2", "avif", "webp", "gif", "bmp", "tga", "jpg"}) {
        const std::string name = std::string("k") + kind + ".0001." + kind,
                          as = kind == std::string("jfif") || kind == std::string("jpe") ? "jpg" : kind;
        const std::string command = "ffmpeg -v error -y -f lavfi -i color=0xc04020:s=64x48:d=0.04 -frames:v 1 " +
                                    std::string(as == "gif"    ? "-vf 'split[a][b];[a]palettegen[p];[b][p]paletteuse' "
                                                : as == "jp2"  ? "-pix_fmt rgb24 "
                                                : as == "avif" ? "-c:v libaom-av1 -still-picture 1 -crf 5 "
                                                               : "") +
                                    (folder_ / ("x." + as)).string();
        ASSERT_EQ(std::system(command.c_str()), 0) << command;
        fs::rename(folder_ / ("x." + as), folder_ / name);
        const auto source = open(name);
        EXPECT_TRUE(source->info().still) << kind;
        EXPECT_EQ(source->info().frames.first, 1) << kind;
        const uint32_t p = source->display(1).at(20, 20);
        EXPECT_NEAR(double(p >> 16 & 255), 0xc0, 4) << kind;
        EXPECT_NEAR(double(p >> 8 & 255), 0x40, 4) << kind;
        EXPECT_NEAR(double(p & 255), 0x20, 4) << kind;
    }
}

/// A grey picture in the Tagged Image File Format, written by hand after TIFF 6.0 (1992), section 2: one strip,
/// no compression.
void writeTiff(const fs::path& file, int w, int h, int bits, int photometric, int orientation,
               const std::string& data) {
    const auto u16 = [](int v) { return std::string{char(v & 255), char(v >> 8 & 255)}; };
    const auto u32 = [&](int v) { return u16(v & 0xffff) + u16(v >> 16); };
    const std::vector<std::array<int, 3>> tags{
        {256, 3, w}, {257, 3, h},           {258, 3, bits}, {259, 3, 1}, {262, 3, photometric},
        {273, 4, 0}, {274, 3, orientation}, {277, 3, 1},    {278, 3, h}, {279, 4, int(data.size())}};
    const int at = 8 + 2 + 12 * int(tags.size()) + 4;
    std::string out = "II*" + std::string(1, '\0') + u32(8) + u16(int(tags.size()));
    for (const auto& [tag, type, value] : tags)
        out += u16(tag) + u16(type) + u32(1) + (type == 3 ? u16(value) + u16(0) : u32(tag == 273 ? at : value));
    std::ofstream(file, std::ios::binary) << out << u32(0) << data;
}

TEST_F(Stills, WhiteIsZeroAndSingleBits) {
    const int w = 16, h = 8;
    // Upper half dark, lower half light, as stored for black-is-zero; TIFF 6.0, tag 262.
    const auto rows = [&](const std::string& dark, const std::string& light) {
        std::string out;
        for (int y = 0; y < h; ++y) out += y < h / 2 ? dark : light;
        return out;
    };
    const auto sixteen = [&](int v) {
        std::string row;
        for (int x = 0; x < w; ++x) row += std::string{char(v & 255), char(v >> 8)};
        return row;
    };
    struct Case {
        int bits;
        std::string data;
        double dark, light;
    };
    for (const Case& c : {Case{1, rows(std::string(2, '\0'), std::string(2, '\xff')), 0, 255},
                          Case{8, rows(std::string(16, '\x0a'), std::string(16, '\xc8')), 10, 200},
                          Case{16, rows(sixteen(2570), sixteen(51400)), 10, 200}}) {
        writeTiff(folder_ / "black.tif", w, h, c.bits, 1, 1, c.data);
        writeTiff(folder_ / "white.tif", w, h, c.bits, 0, 1, c.data);
        const Luma black = open("black.tif")->luma(1), white = open("white.tif")->luma(1);
        EXPECT_NEAR(double(black.at(3, 1)), c.dark, 0.5) << c.bits;
        EXPECT_NEAR(double(black.at(3, 6)), c.light, 0.5) << c.bits;
        EXPECT_NEAR(double(white.at(3, 1)), 255 - c.dark, 0.5) << c.bits;
        EXPECT_NEAR(double(white.at(3, 6)), 255 - c.light, 0.5) << c.bits;
    }
}

TEST_F(Stills, AllEightOrientationsStandUpright) {
    // TIFF 6.0 and EXIF 2.3, tag 274: which sides of the picture the stored first row and first column are.
    struct Sides {
        const char *row, *column;
    };
    const std::array<Sides, 8> sides{{{"top", "left"},
                                      {"top", "right"},
                                      {"bottom", "right"},
                                      {"bottom", "left"},
                                      {"left", "top"},
                                      {"right", "top"},
                                      {"right", "bottom"},
                                      {"left", "bottom"}}};
    const int w = 12, h = 8;
    std::string data;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            data += char(y == 0 ? 220 : x == 0 ? 120 : 20);  // first row light, first column grey
    for (int o = 1; o <= 8; ++o) {
        writeTiff(folder_ / "o.tif", w, h, 8, 1, o, data);
        const auto source = open("o.tif");
        const Luma l = source->luma(1);
        const bool turned = o >= 5;
        ASSERT_EQ(l.width, turned ? h : w) << o;
        ASSERT_EQ(source->info().width, l.width);
        const auto middleOf = [&](const std::string& side) {
            if (side == "top") return double(l.at(l.width / 2, 0));
            if (side == "bottom") return double(l.at(l.width / 2, l.height - 1));
            return double(l.at(side == "left" ? 0 : l.width - 1, l.height / 2));
        };
        EXPECT_NEAR(middleOf(sides[size_t(o - 1)].row), 220, 0.5) << o;
        EXPECT_NEAR(middleOf(sides[size_t(o - 1)].column), 120, 0.5) << o;
    }
}

TEST_F(Stills, TgaOriginsAreUsed) {
    // Truevision TGA 2.0 specification, field 5.6: bit 5 of the descriptor says top, bit 4 right.
    for (const auto& [descriptor, right, top] : {std::tuple{0x00, false, false}, std::tuple{0x20, false, true},
                                                 std::tuple{0x10, true, false}, std::tuple{0x30, true, true}}) {
        std::string out{"\0\0\2\0\0\0\0\0\0\0\0\0\x10\0\x08\0\x18", 17};
        out += char(descriptor);
        for (int y = 0; y < 8; ++y)
            for (int x = 0; x < 16; ++x)
                out += std::string(3, char(y < 4 && x < 8 ? 250 : 10));  // the stored first corner is light
        std::ofstream(folder_ / "o.tga", std::ios::binary) << out;
        const Luma l = open("o.tga")->luma(1);
        EXPECT_NEAR(double(l.at(right ? 14 : 1, top ? 1 : 6)), 250, 0.5) << descriptor;
        EXPECT_NEAR(double(l.at(right ? 1 : 14, top ? 6 : 1)), 10, 0.5) << descriptor;
    }
}

class Exr : public Stills {
  protected:
    /// An OpenEXR file with a data window; each pixel's red is its x in the display window over 1000, green its y.
    void exr(const std::string& name, int x, int y, int w, int h, int fullWidth, int fullHeight) const {
        OIIO::ImageSpec spec(w, h, 3, OIIO::TypeDesc::HALF);
        spec.x = x, spec.y = y, spec.full_x = 0, spec.full_y = 0, spec.full_width = fullWidth,
        spec.full_height = fullHeight;
        auto out = OIIO::ImageOutput::create("x.exr");
        ASSERT_TRUE(out->open((folder_ / name).string(), spec));
        std::vector<float> p;
        for (int j = y; j < y + h; ++j)
            for (int i = x; i < x + w; ++i) p.insert(p.end(), {float(i) / 1000, float(j) / 1000, 0.5f});
        ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, p.data()) && out->close());
    }
};

TEST_F(Exr, TheDisplayWindowIsThePicture) {
    exr("w.0001.exr", 0, 0, 320, 240, 320, 240);
    exr("w.0002.exr", -20, -20, 360, 280, 320, 240);
    exr("w.0003.exr", 10, 5, 300, 230, 320, 240);
    const auto source = open();
    EXPECT_EQ(source->info().width, 320);
    EXPECT_EQ(source->info().height, 240);
    EXPECT_TRUE(source->info().damaged.empty());
    for (int f = 1; f <= 3; ++f) {
        const Picture p = source->colours(f);
        ASSERT_EQ(p.width, 320);
        EXPECT_NEAR(double(p.at(100, 60)[0]), 0.100, 1e-4) << f;
        EXPECT_NEAR(double(p.at(100, 60)[1]), 0.060, 1e-4) << f;
    }
    EXPECT_EQ(source->colours(3).at(2, 2)[2], 0) << "outside of the data window there is nothing";
    EXPECT_NEAR(double(source->colours(2).at(2, 2)[2]), 0.5, 1e-4);
}

TEST_F(Exr, OfSeveralPartsTheOneWithColoursIsShown) {
    auto out = OIIO::ImageOutput::create("x.exr");
    OIIO::ImageSpec depth(32, 24, 1, OIIO::TypeDesc::FLOAT), beauty(32, 24, 3, OIIO::TypeDesc::HALF);
    depth.channelnames = {"Z"};
    depth.attribute("oiio:subimagename", "depth");
    beauty.attribute("oiio:subimagename", "beauty");
    const OIIO::ImageSpec specs[] = {depth, beauty};
    const std::string file = (folder_ / "parts.exr").string();
    ASSERT_TRUE(out->open(file, 2, specs));
    const std::vector<float> far(32 * 24, 1000.0f);
    std::vector<float> colour;
    for (int i = 0; i < 32 * 24; ++i) colour.insert(colour.end(), {0.1f, 0.2f, 0.3f});
    ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, far.data()));
    ASSERT_TRUE(out->open(file, beauty, OIIO::ImageOutput::AppendSubimage));
    ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, colour.data()) && out->close());
    const Picture p = open("parts.exr")->colours(1);
    EXPECT_NEAR(double(p.at(5, 5)[0]), 0.1, 1e-3);
    EXPECT_NEAR(double(p.at(5, 5)[2]), 0.3, 1e-3);
}

TEST_F(Stills, WhatCannotBeUsedIsSaidInASentence) {
    ASSERT_EQ(mkfifo((folder_ / "pipe.mov").c_str(), 0600), 0);
    EXPECT_NE(troubleOf("pipe.mov").find("pipe"), std::string::npos);
    EXPECT_THROW((void)openPlate("/dev/zero"), InputError);
    std::ofstream(folder_ / "zero.mp4").flush();
    EXPECT_NE(troubleOf("zero.mp4").find("empty"), std::string::npos);
    std::ofstream(folder_ / "letter.mov") << "Dear boatyard, the slipway is finished.\n";
    EXPECT_NE(troubleOf("letter.mov").find("letter.mov"), std::string::npos);
    std::ofstream(folder_ / "list.mov") << "ffconcat version 1.0\nfile 'letter.mov'\n";
    EXPECT_NE(troubleOf("list.mov"), "");
    still("dot.png", 7, 1, 1);
    EXPECT_NE(troubleOf("dot.png").find("1 × 1"), std::string::npos);
    still("wide.png", 7, 32000, 4);
    EXPECT_NE(troubleOf("wide.png").find("32000"), std::string::npos);
    const auto run = [&](const std::string& command) {
        return std::system(("cd " + folder_.string() + " && " + command + " 2>/dev/null").c_str());
    };
    ASSERT_EQ(run("ffmpeg -v error -y -f lavfi -i testsrc=s=64x48:d=1 -c:v libx264 -pix_fmt yuv420p -encryption_scheme "
                  "cenc-aes-ctr -encryption_key "
                  "76a6c65c5ea762046bd749a2e632ccbb -encryption_kid a7e61c373e219033c21091fa607bf3b8 secret.mp4"),
              0);
    EXPECT_NE(troubleOf("secret.mp4").find("encrypted"), std::string::npos) << troubleOf("secret.mp4");
    ASSERT_EQ(run("ffmpeg -v error -y -f lavfi -i testsrc=s=64x48 -frames:v 1 -c:v libx264 -pix_fmt yuv420p one.mp4"),
              0);
    EXPECT_EQ(open("one.mp4")->info().frames.count(), 1);
}

}  // namespace
}  // namespace va
