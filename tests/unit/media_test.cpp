// SPDX-License-Identifier: GPL-3.0-or-later
// Plates, good and bad. Footage is made by the ffmpeg program and OpenCV, so that the readers are checked against other
// writers.
#include <gtest/gtest.h>

#include <condition_variable>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <opencv2/imgcodecs.hpp>
#include <opencv2/imgproc.hpp>

#include "base/error.h"
#include "media/display_transform.h"
#include "media/frame_cache.h"
#include "media/movie_writer.h"
#include "media/plate_locator.h"
#include "media/plate_source.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class Media : public ::testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = fs::temp_directory_path() / ("va-media-" + std::to_string(getpid()));
        fs::create_directories(folder_);
    }
    static void TearDownTestSuite() { fs::remove_all(folder_); }

    /// Each frame is grey with brightness 40 + 4·n, so that a picture tells its number.
    static fs::path movie(const std::string& name, const std::string& coding, int frames = 40,
                          const std::string& rate = "24000/1001") {
        const fs::path file = folder_ / name;
        if (!fs::exists(file)) {
            const std::string command = "ffmpeg -v error -y -f lavfi -i \"color=black:s=192x108:r=" + rate +
                                        ",format=gray,geq=lum='40+4*N'\" -frames:v " + std::to_string(frames) + " " +
                                        coding + " " + file.string();
            EXPECT_EQ(std::system(command.c_str()), 0) << command;
        }
        return file;
    }
    static double brightness(PlateSource& s, int frame) {
        const Luma l = s.luma(frame);
        double sum = 0;
        for (float v : l.data) sum += v;
        return sum / double(l.data.size());
    }
    static void still(const fs::path& file, int level, int width = 64, int height = 48) {
        cv::imwrite(file.string(), cv::Mat(height, width, CV_8UC3, cv::Scalar(level, level, level)));
    }
    static std::string troubleOf(const std::string& spec) {
        try {
            (void)openPlate(spec);
        } catch (const InputError& e) {
            return e.what();
        }
        return "";
    }
    static fs::path folder_;
};
fs::path Media::folder_;

class Codec : public Media, public ::testing::WithParamInterface<std::pair<const char*, const char*>> {};

// Long groups of pictures with B frames are where seeking by rate goes wrong.
TEST_P(Codec, JumpsLandOnTheExactFrame) {
    const auto [name, coding] = GetParam();
    const auto source = openPlate(movie(name, coding).string());
    const PlateInfo& info = source->info();
    EXPECT_EQ(info.width, 192);
    EXPECT_EQ(info.height, 108);
    EXPECT_EQ(info.rate, (Rational{24000, 1001}));
    EXPECT_FALSE(info.rateAssumed);
    ASSERT_EQ(info.frames, (FrameRange{1001, 1040}));
    EXPECT_TRUE(info.warnings.empty()) << info.warnings.front();
    for (int frame : {1001, 1002, 1003, 1040, 1001, 1020, 1019, 1021, 1039, 1010, 1011, 1013, 1012}) {
        // The encoder scaled full-range grey to video range; reading it must scale back.
        EXPECT_NEAR(brightness(*source, frame), 40 + 4.0 * (frame - 1001), 1.8) << "frame " << frame;
    }
}
INSTANTIATE_TEST_SUITE_P(
    Movies, Codec,
    ::testing::Values(std::pair{"h264.mp4", "-c:v libx264 -pix_fmt yuv420p -g 30 -bf 3 -crf 10"},
                      std::pair{"h264.mkv", "-c:v libx264 -pix_fmt yuv420p -g 250 -bf 2 -crf 10"},
                      std::pair{"h265.mp4", "-c:v libx265 -x265-params log-level=none -pix_fmt yuv420p -crf 8"},
                      std::pair{"prores.mov", "-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le"},
                      std::pair{"mpeg4.avi", "-c:v mpeg4 -q:v 2 -pix_fmt yuv420p"}));

TEST_F(Media, PortraitMoviesStandUpright) {
    const fs::path flat = movie("h264.mp4", "-c:v libx264 -pix_fmt yuv420p -g 30 -bf 3 -crf 10");
    const fs::path turned = folder_ / "turned.mp4";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -display_rotation 90 -i " + flat.string() + " -c copy " +
                           turned.string() + " 2>/dev/null || ffmpeg -v error -y -i " + flat.string() +
                           " -c copy -metadata:s:v rotate=270 " + turned.string())
                              .c_str()),
              0);
    const auto source = openPlate(turned.string());
    EXPECT_EQ(source->info().width, 108);
    EXPECT_EQ(source->info().height, 192);
    EXPECT_EQ(source->luma(1005).width, 108);
    EXPECT_EQ(source->display(1005).height, 192);
}

TEST_F(Media, CutOffMovieIsNamedAndTheRestUsable) {
    // The index stands in front, as in a download that broke off.
    const fs::path whole = movie("front.mp4",
                                 "-c:v libx264 -pix_fmt yuv420p -g 10 -movflags +faststart -x264-params nal-hrd=none "
                                 "-qp 1 -vf noise=alls=40:allf=t",
                                 60);
    const fs::path cut = folder_ / "cut.mp4";
    fs::copy_file(whole, cut, fs::copy_options::overwrite_existing);
    fs::resize_file(cut, fs::file_size(whole) / 2);
    const auto source = openPlate(cut.string());
    ASSERT_FALSE(source->info().warnings.empty());
    EXPECT_NE(source->info().warnings.front().find("cut off"), std::string::npos);
    EXPECT_LT(source->info().frames.count(), 60);
    EXPECT_GT(source->info().frames.count(), 10);
    EXPECT_EQ(source->info().warnings.size(), 1U) << "holes at the end are part of the cut";
    EXPECT_NO_THROW((void)source->luma(1001));
    EXPECT_NO_THROW((void)source->luma(source->info().frames.last));
    // The index at the end is gone: nothing can be read.
    const fs::path end = movie("end.mp4", "-c:v libx264 -pix_fmt yuv420p -qp 1 -vf noise=alls=40:allf=t");
    fs::resize_file(end, fs::file_size(end) / 2);
    EXPECT_NE(troubleOf(end.string()).find("end.mp4"), std::string::npos);
}

TEST_F(Media, WhatIsNoPictureIsSaid) {
    std::ofstream(folder_ / "letter.txt") << "Dear boatyard,";
    std::ofstream(folder_ / "fake.jpg") << "not a picture";
    std::ofstream(folder_ / "empty.mp4").flush();
    EXPECT_NE(troubleOf((folder_ / "letter.txt").string()).find("letter.txt"), std::string::npos);
    EXPECT_NE(troubleOf((folder_ / "fake.jpg").string()).find("not a picture"), std::string::npos);
    EXPECT_NE(troubleOf((folder_ / "empty.mp4").string()), "");
    EXPECT_NE(troubleOf((folder_ / "nowhere.mov").string()).find("no file"), std::string::npos);
    fs::create_directories(folder_ / "bare");
    EXPECT_NE(troubleOf((folder_ / "bare").string()).find("no pictures"), std::string::npos);
    const fs::path sound = folder_ / "sound.mp4";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i anullsrc -t 0.5 -c:a aac " + sound.string()).c_str()), 0);
    EXPECT_NE(troubleOf(sound.string()).find("no moving picture"), std::string::npos);
}

TEST_F(Media, SequencesAreFoundByFolderPatternAndMember) {
    const fs::path f = folder_ / "seq";
    fs::create_directories(f);
    for (int n : {98, 99, 100, 101, 103, 106, 107}) still(f / ("yard." + std::to_string(n) + ".png"), n);
    still(f / "other_0001.png", 1);
    for (const fs::path& spec : {f, f / "yard.%d.png", f / "yard.###.png", f / "yard.101.png"}) {
        const auto source = openPlate(spec.string());
        EXPECT_EQ(source->info().frames, (FrameRange{98, 107})) << spec;
        ASSERT_EQ(source->info().gaps.size(), 2U) << spec;
        EXPECT_EQ(source->info().gaps[0], (FrameRange{102, 102}));
        EXPECT_EQ(source->info().gaps[1], (FrameRange{104, 105}));
        EXPECT_NE(source->info().warnings.front().find("102, 104–105"), std::string::npos);
        EXPECT_NEAR(brightness(*source, 103), 103, 0.6);
        EXPECT_THROW((void)source->luma(104), InputError);
        EXPECT_TRUE(source->info().rateAssumed);
        EXPECT_EQ(source->info().existing().size(), 7U);
    }
    EXPECT_NE(troubleOf((f / "quay.%04d.png").string()).find("No file fits"), std::string::npos);
}

TEST_F(Media, AStillOfAnotherSizeIsNamedAndLeftOut) {
    const fs::path f = folder_ / "sizes";
    fs::create_directories(f);
    still(f / "a.0001.png", 10);
    still(f / "a.0002.png", 10);
    still(f / "a.0003.png", 10, 80, 48);
    const auto source = openPlate(f.string());
    EXPECT_EQ(source->info().width, 64);
    ASSERT_EQ(source->info().damaged.size(), 1U);
    EXPECT_EQ(source->info().damaged[0].frame, 3);
    EXPECT_NE(source->info().damaged[0].cause.find("80 × 48"), std::string::npos) << source->info().damaged[0].cause;
    EXPECT_FALSE(source->info().exists(3));
    EXPECT_THROW((void)source->luma(3), DamagedFrame);
    EXPECT_NEAR(brightness(*source, 2), 10, 0.6);
}

TEST_F(Media, AnUnreadableStillIsLeftOut) {
    const fs::path f = folder_ / "ragged";
    fs::create_directories(f);
    for (int n = 1; n <= 4; ++n) still(f / ("r.000" + std::to_string(n) + ".jpg"), 90);
    std::ofstream(f / "r.0003.jpg") << "spilled tea";
    const auto source = openPlate(f.string());
    ASSERT_EQ(source->info().damaged.size(), 1U);
    EXPECT_EQ(source->info().damaged[0].frame, 3);
    EXPECT_NE(source->info().warnings.front().find("3 can't be used"), std::string::npos)
        << source->info().warnings.front();
    EXPECT_EQ(source->info().existing(), (std::vector<int>{1, 2, 4}));
    EXPECT_NEAR(brightness(*source, 4), 90, 1);
}

TEST_F(Media, SinglePhotoIsASequenceOfOne) {
    still(folder_ / "shed.jpg", 77);
    const auto source = openPlate((folder_ / "shed.jpg").string());
    EXPECT_TRUE(source->info().still);
    EXPECT_EQ(source->info().frames.count(), 1);
    EXPECT_NEAR(brightness(*source, source->info().frames.first), 77, 1);
}

TEST_F(Media, SixteenBitAndLinearPicturesAreShownRight) {
    cv::imwrite((folder_ / "deep.tif").string(), cv::Mat(8, 8, CV_16UC3, cv::Scalar(30000, 30000, 30000)));
    const auto deep = openPlate((folder_ / "deep.tif").string());
    EXPECT_EQ(deep->info().bits, 16);
    EXPECT_NEAR(brightness(*deep, 1), 30000 / 257.0, 0.3);
    // Mid grey of 18 % light has the sRGB value 118 (IEC 61966-2-1).
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i "
                           "color=black:s=16x16,format=gbrpf32le,geq=r=0.18:g=0.18:b=0.18 -frames:v 1 " +
                           (folder_ / "lin.exr").string())
                              .c_str()),
              0);
    const auto linear = openPlate((folder_ / "lin.exr").string());
    EXPECT_EQ(linear->info().encoding, PictureEncoding::linear);
    EXPECT_NEAR(brightness(*linear, 1), 117.6, 1.0);
}

TEST_F(Media, DpxAndHalfFloatAreRead) {
    const std::string grey =
        "ffmpeg -v error -y -f lavfi -i color=black:s=32x32,format=gbrp10le,geq=r=400:g=400:b=400 -frames:v 1 ";
    ASSERT_EQ(std::system((grey + (folder_ / "plate.0007.dpx").string()).c_str()), 0);
    const auto dpx = openPlate((folder_ / "plate.0007.dpx").string());
    EXPECT_EQ(dpx->info().bits, 10);
    EXPECT_EQ(dpx->info().frames.first, 7) << "the file's own number, also for a single one";
    EXPECT_GT(brightness(*dpx, 7), 20);
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i color=black:s=16x16,format=gbrpf32le,geq=r=0.5:g=0.5:b=0.5 "
                           "-frames:v 1 -format half " +
                           (folder_ / "half.exr").string())
                              .c_str()),
              0);
    // IEC 61966-2-1: half of the light is 187.5 of 255.
    EXPECT_NEAR(brightness(*openPlate((folder_ / "half.exr").string()), 1), 187.5, 0.5);
}

/// An EXIF block written by hand after EXIF 2.3 (CIPA DC-008): big-endian TIFF with Make, Model, Orientation and, in
/// the Exif directory, the focal length (31.5 mm) and its 35 mm equivalent (50).
std::string exifSegment(int orientation) {
    std::string tiff("MM\0*\0\0\0\x08", 8), data;
    const auto u16 = [](int v) { return std::string{char(v >> 8), char(v)}; };
    const auto u32 = [&](int v) { return u16(v >> 16) + u16(v & 0xffff); };
    const auto entry = [&](int tag, int type, int count, const std::string& value) {
        return u16(tag) + u16(type) + u32(count) + value;
    };
    const int firstSize = 2 + 4 * 12 + 4, exifAt = 8 + firstSize, exifSize = 2 + 2 * 12 + 4, dataAt = exifAt + exifSize;
    const std::string make("Quayside\0", 9), model("Tarpot 3\0", 9);
    tiff += u16(4) + entry(0x010f, 2, 9, u32(dataAt)) + entry(0x0110, 2, 9, u32(dataAt + 10)) +
            entry(0x0112, 3, 1, u16(orientation) + u16(0)) + entry(0x8769, 4, 1, u32(exifAt)) + u32(0);
    tiff += u16(2) + entry(0x920a, 5, 1, u32(dataAt + 20)) + entry(0xa405, 3, 1, u16(50) + u16(0)) + u32(0);
    tiff += make + std::string(1, 0) + model + std::string(1, 0) + u32(63) + u32(2);
    const std::string body = std::string("Exif\0\0", 6) + tiff;
    return "\xff\xe1" + u16(int(body.size()) + 2) + body;
}

TEST_F(Media, PhotoTellsItsCameraAndStandsUpright) {
    still(folder_ / "plain.jpg", 80, 96, 64);
    std::ifstream in(folder_ / "plain.jpg", std::ios::binary);
    const std::string plain((std::istreambuf_iterator<char>(in)), {});
    std::ofstream(folder_ / "tagged.jpg", std::ios::binary) << plain.substr(0, 2) + exifSegment(6) + plain.substr(2);
    const auto source = openPlate((folder_ / "tagged.jpg").string());
    const PlateInfo& info = source->info();
    EXPECT_EQ(info.cameraMaker, "Quayside");
    EXPECT_EQ(info.cameraModel, "Tarpot 3");
    ASSERT_TRUE(info.focalMm);
    EXPECT_NEAR(*info.focalMm, 31.5, 1e-6);
    ASSERT_TRUE(info.focal35Mm);
    EXPECT_NEAR(*info.focal35Mm, 50, 1e-6);
    EXPECT_EQ(info.rotation, 90);
    EXPECT_EQ(info.width, 64) << "a portrait photo stands upright";
    EXPECT_EQ(source->display(1).height, 96);
}

TEST_F(Media, AnamorphicMovieTellsItsPixelAspect) {
    const fs::path file = movie("wide.mp4", "-vf setsar=4/3 -c:v libx264 -pix_fmt yuv420p", 5, "25");
    const auto source = openPlate(file.string());
    EXPECT_EQ(source->info().pixelAspect, (Rational{4, 3}));
    // The artist knows better.
    const auto corrected = openPlate(file.string(), {Rational{24, 1}, Rational{2, 1}});
    EXPECT_EQ(corrected->info().pixelAspect, (Rational{2, 1}));
    EXPECT_EQ(corrected->info().rate, (Rational{24, 1}));
}

TEST_F(Media, UnevenMovieIsNamed) {
    // Every third frame dropped without closing the gap: a variable rate.
    const fs::path file = folder_ / "uneven.mkv";
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i testsrc=s=192x108:r=25 -frames:v 40 -vf "
                           "\"select='mod(n,3)'\" -vsync vfr -c:v libx264 " +
                           file.string())
                              .c_str()),
              0);
    const auto source = openPlate(file.string());
    ASSERT_FALSE(source->info().warnings.empty());
    EXPECT_NE(source->info().warnings.front().find("variable rate"), std::string::npos);
    EXPECT_NO_THROW((void)source->luma(source->info().frames.last));
}

TEST_F(Media, FramesThatAreQuicklyGotAtAreKeyFrames) {
    const auto source =
        openPlate(movie("keys.mp4", "-c:v libx264 -pix_fmt yuv420p -g 12 -sc_threshold 0 -bf 2").string());
    // Every twelfth frame is a key frame by the coder's setting: 1001, 1013, 1025, 1037.
    EXPECT_EQ(source->quickFrameNear(1001), 1001);
    EXPECT_EQ(source->quickFrameNear(1020), 1025);
    EXPECT_EQ(source->quickFrameNear(1018), 1013);
    EXPECT_EQ(source->quickFrameNear(1040), 1037);
    EXPECT_NEAR(brightness(*source, 1025), brightness(*source, 1024) + 4 * 255.0 / 219, 1.5);
}

TEST_F(Media, PicturesTakenBackLeaveNothingBehind) {
    const auto source = openPlate(movie("back.mp4", "-c:v libx264 -pix_fmt yuv420p").string());
    const Luma seen = source->luma(1010);
    Luma other(seen.width * 2, seen.height);
    std::fill(other.data.begin(), other.data.end(), 99.0f);
    source->takeBack(std::move(other));
    const Luma again = source->luma(1010);
    EXPECT_EQ(again.width, seen.width);
    EXPECT_EQ(again.height, seen.height);
    EXPECT_EQ(again.data, seen.data);
}

TEST_F(Media, ShowingAndTrackingSeeTheSamePicture) {
    const fs::path file = movie("h264.mp4", "-c:v libx264 -pix_fmt yuv420p -g 30 -bf 3 -crf 10");
    const auto source = openPlate(file.string());
    const DisplayPicture shown = source->display(1020);
    const Luma luma = source->luma(1020);
    ASSERT_EQ(shown.width, luma.width);
    for (int x = 4; x < shown.width; x += 37) {
        const uint32_t p = shown.at(x, 50);
        EXPECT_NEAR(double(p >> 8 & 255), luma.at(x, 50), 3) << "grey: green is luma";
        EXPECT_EQ(p >> 24, 255U);
    }
    EXPECT_THROW((void)source->luma(1041), InputError);
    EXPECT_THROW((void)source->luma(1000), InputError);
}

TEST(Ranges, AreDescribedShortly) {
    EXPECT_EQ(describeRanges({}), "");
    EXPECT_EQ(describeRanges({{3, 3}}), "3");
    EXPECT_EQ(describeRanges({{3, 5}, {9, 9}}), "3–5, 9");
    std::vector<FrameRange> many;
    for (int i = 0; i < 20; ++i) many.push_back({i * 10, i * 10});
    EXPECT_EQ(describeRanges(many), "0, 10, 20, 30, 40, 50 and 14 more");
    EXPECT_TRUE(FrameRange{}.empty());
    EXPECT_EQ((FrameRange{5, 9}).clamp(12), 9);
}

// IEC 61966-2-1: 0.5 of light is 0.7354 of signal. Cineon: code 685 is the 90 % white card,
// 470 the 18 % grey card, 95 black (Kodak 1993; the card values are from memory).
TEST(DisplayTransform, KnownValues) {
    EXPECT_NEAR(displayFromLinear(0.5F), 0.7354, 1e-4);
    EXPECT_EQ(displayFromLinear(-1), 0);
    EXPECT_EQ(displayFromLinear(7), 1);
    EXPECT_EQ(displayFromLinear(std::nanf("")), 0);
    EXPECT_NEAR(linearFromLog(685 / 1023.0F), 1, 1e-5);
    EXPECT_NEAR(linearFromLog(95 / 1023.0F), 0, 1e-6);
    EXPECT_NEAR(linearFromLog(470 / 1023.0F), 0.18 / 0.9, 0.02);
}

TEST_F(Media, CacheFetchesAheadWithinItsBudget) {
    const fs::path file = movie("h264.mp4", "-c:v libx264 -pix_fmt yuv420p -g 30 -bf 3 -crf 10");
    const size_t one = 192 * 108 * 4;
    std::mutex mutex;
    std::condition_variable came;
    std::vector<int> order;
    FrameCache cache(openPlate(file.string()), one * 10, [&](int frame) {
        std::scoped_lock lock(mutex);
        order.push_back(frame);
        came.notify_all();
    });
    const auto wait = [&](int frame) {
        std::unique_lock lock(mutex);
        return came.wait_for(lock, std::chrono::seconds(20),
                             [&] { return std::find(order.begin(), order.end(), frame) != order.end(); });
    };
    ASSERT_TRUE(wait(1005)) << "runs ahead by itself";
    cache.setFocus(1030, 1, {1001, 1040});
    ASSERT_TRUE(wait(1034));
    EXPECT_TRUE(cache.picture(1030));
    EXPECT_LE(cache.held().size(), 10U);
    EXPECT_EQ(cache.picture(1030)->width, 192);
    EXPECT_FALSE(cache.picture(2000));
}

TEST_F(Media, CacheTellsWhyAFrameIsEmpty) {
    const fs::path f = folder_ / "broken";
    fs::create_directories(f);
    for (int n = 1; n <= 3; ++n) {
        cv::Mat noise(256, 256, CV_8UC3);
        cv::theRNG().state = uint64_t(n);
        cv::randu(noise, 0, 255);
        cv::imwrite((f / ("b.000" + std::to_string(n) + ".jpg")).string(), noise);
    }
    fs::resize_file(f / "b.0002.jpg", fs::file_size(f / "b.0002.jpg") / 2);
    ASSERT_GT(fs::file_size(f / "b.0002.jpg"), 700U) << "the header is whole";
    std::mutex mutex;
    std::condition_variable came;
    int count = 0;
    FrameCache cache(openPlate((f / "b.%04d.jpg").string()), 1 << 24, [&](int) {
        std::scoped_lock lock(mutex);
        ++count;
        came.notify_all();
    });
    std::unique_lock lock(mutex);
    ASSERT_TRUE(came.wait_for(lock, std::chrono::seconds(20), [&] { return count >= 3; }));
    lock.unlock();
    EXPECT_TRUE(cache.picture(1));
    EXPECT_TRUE(cache.picture(3));
    EXPECT_NE(cache.trouble(2).find("Frame 2"), std::string::npos);
}

// Bars of 75 % (ITU-R BT.471), grey steps: colours come back within 2/255 in their middles, frames one for one.
TEST(MovieWriter, EveryKindKeepsFramesRateAndColours) {
    const fs::path folder = fs::temp_directory_path() / ("va-movies-" + std::to_string(::getpid()));
    fs::create_directories(folder);
    Picture bars(320, 180);
    for (int y = 0; y < 180; ++y)
        for (int x = 0; x < 320; ++x) {
            float* c = bars.at(x, y);
            const int bar = x / 40;
            for (int k = 0; k < 3; ++k) c[k] = y < 120 ? ((7 - bar) >> (2 - k) & 1 ? 0.75F : 0) : float(bar) / 7;
            c[3] = 1;
        }
    EXPECT_FALSE(isMovieName("a.png"));
    EXPECT_THROW(MovieWriter(folder / "a.avi", 320, 180, {25, 1}), InputError);
    for (const char* name : {"a.mp4", "a.h265.mp4", "a.mov", "a.mkv"}) {
        EXPECT_TRUE(isMovieName(name));
        MovieWriter writer(folder / name, 320, 180, {24000, 1001});
        for (int i = 0; i < 7; ++i) writer.write(bars);
        writer.finish();
        const auto plate = openPlate((folder / name).string());
        EXPECT_EQ(plate->info().frames.count(), 7) << name;
        EXPECT_EQ(plate->info().width, 320) << name;
        EXPECT_NEAR(plate->info().rate.value(), 24000 / 1001.0, 0.01) << name;
        const Picture back = plate->colours(plate->info().frames.first + 3);
        float worst = 0;
        for (const int y : {60, 150})
            for (int bar = 0; bar < 8; ++bar)
                for (int c = 0; c < 3; ++c)
                    worst = std::max(worst, std::fabs(back.at(bar * 40 + 20, y)[c] - bars.at(bar * 40 + 20, y)[c]));
        EXPECT_LE(worst, 2.0F / 255) << name;
    }
    fs::remove_all(folder);
}

}  // namespace
}  // namespace va
