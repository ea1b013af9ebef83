// SPDX-License-Identifier: GPL-3.0-or-later
// What we write, read by others: the ffmpeg and ffprobe programs, and OpenCV. A file that only its own writer can read
// back proves nothing.
#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <opencv2/imgcodecs.hpp>

#include "lens/stmap.h"
#include "media/movie_writer.h"
#include "media/picture_file.h"

namespace va {
namespace {

namespace fs = std::filesystem;
constexpr int width = 96, height = 64;

/// A ramp in each channel and a sharp corner, so that swapped channels, rows or byte orders show.
Picture card() {
    Picture p(width, height);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            float* c = p.at(x, y);
            c[0] = float(x) / (width - 1);
            c[1] = float(y) / (height - 1);
            c[2] = x < 20 && y < 10 ? 0.9f : 0.1f;
            c[3] = 1;
        }
    return p;
}

class ForeignReaders : public ::testing::Test {
  protected:
    void SetUp() override { fs::create_directories(folder_); }
    void TearDown() override { fs::remove_all(folder_); }

    static std::string outputOf(const std::string& command) {
        std::string out;
        FILE* pipe = ::popen(command.c_str(), "r");
        if (!pipe) return out;
        char block[65536];
        while (const size_t n = std::fread(block, 1, sizeof block, pipe)) out.append(block, n);
        ::pclose(pipe);
        return out;
    }
    /// The file's planes green, blue, red as ffmpeg gives them.
    template <class T>
    std::vector<T> planes(const fs::path& file, const char* format) const {
        const std::string raw =
            outputOf("ffmpeg -v error -i " + file.string() + " -f rawvideo -pix_fmt " + format + " -");
        std::vector<T> out(raw.size() / sizeof(T));
        std::memcpy(out.data(), raw.data(), out.size() * sizeof(T));
        return out;
    }
    /// Largest difference of the three channels against the card, as a share of white.
    template <class T>
    double worst(const std::vector<T>& planes, double white) const {
        const size_t n = size_t(width) * height;
        if (planes.size() < 3 * n) return 1e9;
        const Picture p = card();
        double out = 0;
        for (size_t i = 0; i < n; ++i) {
            const float* c = p.data.data() + 4 * i;
            out = std::max({out, std::fabs(double(planes[i]) / white - double(c[1])),
                            std::fabs(double(planes[n + i]) / white - double(c[2])),
                            std::fabs(double(planes[2 * n + i]) / white - double(c[0]))});
        }
        return out;
    }
    fs::path folder_ = fs::temp_directory_path() / ("va-foreign-" + std::to_string(::getpid()));
};

TEST_F(ForeignReaders, StillsAreReadByFfmpeg) {
    const auto file = [&](const char* name, int bits) {
        PictureFormat format;
        format.bits = bits;
        writePicture(folder_ / name, card(), format);
        return folder_ / name;
    };
    EXPECT_LT(worst(planes<uint16_t>(file("a.png", 16), "gbrp16le"), 65535), 1.0 / 65535);
    EXPECT_LT(worst(planes<uint8_t>(file("b.png", 8), "gbrp"), 255), 0.6 / 255);
    EXPECT_LT(worst(planes<uint16_t>(file("c.tif", 16), "gbrp16le"), 65535), 1.0 / 65535);
    EXPECT_LT(worst(planes<uint16_t>(file("d.dpx", 10), "gbrp10le"), 1023), 0.6 / 1023);
    EXPECT_LT(worst(planes<float>(file("e.exr", 32), "gbrpf32le"), 1), 1e-6);
    EXPECT_LT(worst(planes<float>(file("f.exr", 16), "gbrpf32le"), 1), 1.0 / 2048) << "half has eleven bits";
}

TEST_F(ForeignReaders, StillsAreReadByOpenCv) {
    PictureFormat format;
    format.bits = 16;
    for (const char* name : {"a.png", "b.tif"}) {
        writePicture(folder_ / name, card(), format);
        const cv::Mat read = cv::imread((folder_ / name).string(), cv::IMREAD_UNCHANGED);
        ASSERT_EQ(read.type(), CV_16UC3) << name;
        ASSERT_EQ(read.cols, width);
        ASSERT_EQ(read.rows, height);
        const Picture p = card();
        for (const auto& [x, y] : {std::pair(0, 0), std::pair(95, 0), std::pair(19, 9), std::pair(40, 63)}) {
            const auto bgr = read.at<cv::Vec3w>(y, x);
            for (int c = 0; c < 3; ++c)
                EXPECT_NEAR(bgr[2 - c] / 65535.0, double(p.at(x, y)[c]), 1.0 / 65535) << name << x << " " << y;
        }
    }
}

// An STMap is what other programs look up: they have to get the same positions to the last bit.
TEST_F(ForeignReaders, StmapsKeepEveryBit) {
    const Intrinsics lens{100, 1, {47.5, 31.5}, LensModel::brownConrady(-0.05, 0.01)};
    const UndistortedFrame frame = undistortedFrame(lens, width, height, Overscan::none);
    const Picture map = stmapOf(undistortionMap(lens, frame, width, height), width, height);
    PictureFormat format;
    format.bits = 32;
    format.alpha = true;
    writePicture(folder_ / "map.exr", map, format);
    const auto read = planes<float>(folder_ / "map.exr", "gbrapf32le");
    const size_t n = size_t(width) * height;
    ASSERT_EQ(read.size(), 4 * n);
    size_t said = 0;
    for (size_t i = 0; i < n; ++i) {
        const float* c = map.data.data() + 4 * i;
        ASSERT_EQ(read[2 * n + i], c[0]) << i;
        ASSERT_EQ(read[i], c[1]) << i;
        ASSERT_EQ(read[3 * n + i], c[3]) << i;
        said += c[3] == 1;
    }
    EXPECT_GT(said, n / 2);
}

TEST_F(ForeignReaders, MoviesSayWhatTheyAre) {
    for (const auto& [name, codec, format] :
         {std::tuple("a.mov", "prores", "yuv422p10le"), std::tuple("b.mp4", "h264", "yuv420p")}) {
        const fs::path file = folder_ / name;
        {
            MovieWriter writer(file, width, height, {24000, 1001});
            for (int f = 0; f < 7; ++f) writer.write(card());
            writer.finish();
        }
        const std::string said = outputOf(
            "ffprobe -v error -count_frames -select_streams v:0 -show_entries "
            "stream=codec_name,width,height,pix_fmt,r_frame_rate,nb_read_frames,color_space,color_range -of "
            "default=nk=0 " +
            file.string());
        const auto says = [&](const std::string& what) {
            EXPECT_NE(said.find(what + "\n"), std::string::npos) << name << " lacks " << what << ":\n" << said;
        };
        says(std::string("codec_name=") + codec);
        says(std::string("pix_fmt=") + format);
        says("width=96");
        says("height=64");
        says("r_frame_rate=24000/1001");
        says("nb_read_frames=7");
        says("color_space=bt709");
    }
}

}  // namespace
}  // namespace va
