// SPDX-License-Identifier: GPL-3.0-or-later
// Movies of all kinds against the ffmpeg program: frame N is the N-th picture that its decoder gives out
// (-fps_mode passthrough), whichever way one gets there.
#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <cstdlib>
#include <random>

#include "base/error.h"
#include "marked_frames.h"
#include "media/rotate.h"
#include "movie_cases.h"

namespace va {
namespace {

namespace fs = std::filesystem;
constexpr int frameCount = 48;

std::string with(std::string text, const std::string& what, const std::string& by) {
    for (size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
        text.replace(at, what.size(), by);
    return text;
}

class Footage : public ::testing::TestWithParam<MovieCase> {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-footage-" + std::to_string(getpid()) + GetParam().name);
        fs::create_directories(folder_);
        const fs::path raw = marked::rawFile(folder_, frameCount);
        const std::string input = "-f rawvideo -pix_fmt rgb24 -s 160x90 ";
        movie_ = folder_ / GetParam().file;
        std::string make = with(GetParam().make, "$RAWFILE", "'" + raw.string() + "'");
        make = with(make, "$RAWAT", input + "-i '" + raw.string() + "'");
        make = with(make, "-r 24", "-framerate 24");
        make = GetParam().make.find("$RAWAT") != std::string::npos
                   ? with(with(GetParam().make, "ffmpeg -r", "ffmpeg " + input + "-framerate"), "$RAWAT",
                          "-i '" + raw.string() + "'")
                   : with(make, "$RAW", input + "-framerate 25 -i '" + raw.string() + "'");
        make = with(with(with(make, "$OUT", "'" + movie_.string() + "'"), "$DIR", folder_.string()), "ffmpeg ",
                    "ffmpeg -v error -nostdin -y ");
        ASSERT_EQ(std::system(make.c_str()), 0) << make;
    }
    void TearDown() override { fs::remove_all(folder_); }
    fs::path folder_, movie_;
};

TEST_P(Footage, ShowsWhatFfmpegShows) {
    const MovieCase& c = GetParam();
    const std::string map = c.filter == "MAP1"   ? " -map 0:v:1 "
                            : c.filter == "MAPV" ? " -map 0:V "
                            : c.filter.empty()   ? ""
                                                 : " -vf " + c.filter + "format=rgb24 ";
    const marked::Reference reference = marked::byFfmpeg(movie_, c.reference, map);
    std::vector<int> numbers;
    const auto lying = [&](const DisplayPicture& p) { return upright(p, {(360 - c.turned) % 360, false}); };
    for (const DisplayPicture& f : reference.frames) numbers.push_back(marked::numberIn(lying(f)));
    ASSERT_FALSE(numbers.empty());

    const auto source = openPlate(movie_.string());
    const PlateInfo& info = source->info();
    EXPECT_EQ(info.width, reference.width);
    EXPECT_EQ(info.height, reference.height);
    const auto numberOf = [&](PlateSource& s, int frame) {
        try {
            (void)s.luma(frame);
            return marked::numberIn(lying(s.display(frame)));
        } catch (const DamagedFrame&) {
            return -2;
        }
    };
    std::vector<int> shown;
    std::vector<Luma> lumas;
    for (int f = info.frames.first; f <= info.frames.last; ++f) {
        shown.push_back(numberOf(*source, f));
        lumas.push_back(shown.back() == -2 ? Luma() : source->luma(f));
    }
    if (!c.damaged) {
        EXPECT_EQ(shown, numbers);
        EXPECT_EQ(info.rate, c.rate) << info.rate.num << "/" << info.rate.den;
    } else {
        // Where ffmpeg shows a picture, so does the plate, or a gap stands there; and never in another order.
        std::vector<int> whole, missed;
        for (const int n : shown)
            if (n != -2) whole.push_back(n);
        size_t at = 0;
        for (const int n : numbers)
            if (at < whole.size() && whole[at] == n) ++at;
            else missed.push_back(n);
        EXPECT_EQ(at, whole.size()) << testing::PrintToString(whole) << "\n" << testing::PrintToString(numbers);
        EXPECT_LE(missed.size(), shown.size() - whole.size());
        EXPECT_LE(std::abs(int(shown.size()) - int(numbers.size())), 3) << testing::PrintToString(shown) << "\n"
                                                                        << testing::PrintToString(numbers);
    }
    if (c.colours && !reference.frames.empty() && !shown.empty()) {
        const int at = int(reference.frames.size()) / 2;
        const auto ours = marked::patchColours(lying(source->display(info.frames.first + at))),
                   theirs = marked::patchColours(lying(reference.frames[size_t(at)]));
        for (size_t i = 0; i < ours.size(); ++i)
            EXPECT_NEAR(ours[i], theirs[i], 2) << "patch " << i / 3 << ", component " << i % 3;
    }
    // Backward, and in any order, from a source of its own: the very same pixels.
    const auto again = openPlate(movie_.string());
    std::vector<int> order;
    for (int f = info.frames.last; f >= info.frames.first; --f) order.push_back(f);
    std::mt19937 random(7);
    std::vector<int> jumps = order;
    std::shuffle(jumps.begin(), jumps.end(), random);
    order.insert(order.end(), jumps.begin(), jumps.end());
    int wrong = 0;
    std::string which;
    for (const int f : order) {
        const size_t i = size_t(f - info.frames.first);
        Luma l;
        try {
            l = again->luma(f);
        } catch (const DamagedFrame&) {}
        if (l.data != lumas[i].data) {
            ++wrong;
            which += " " + std::to_string(i);
        }
    }
    EXPECT_EQ(wrong, 0) << "of " << order.size() << " jumps:" << which;
}

std::string nameOf(const ::testing::TestParamInfo<MovieCase>& p) { return p.param.name; }
INSTANTIATE_TEST_SUITE_P(Movies, Footage, ::testing::ValuesIn(movieCases()), nameOf);

}  // namespace
}  // namespace va
