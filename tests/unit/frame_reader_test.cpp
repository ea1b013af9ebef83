// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/frame_reader.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <set>
#include <stdexcept>

#include "base/error.h"
#include "base/row_sums.h"

namespace va {
namespace {

/// A picture that tells its number.
Luma numbered(int frame) {
    Luma l(64, 48);
    std::fill(l.data.begin(), l.data.end(), float(frame));
    return l;
}

TEST(FrameReader, GivesFramesInOrderAndPicturesBack) {
    std::vector<int> frames{3, 4, 7}, seen;
    for (int f = 9; f < 40; ++f) frames.push_back(f);
    std::atomic<int> back = 0;
    FrameReader reader(
        frames, numbered, [&](int f, const Luma& l) { seen.push_back(l.at(5, 5) == float(f) ? f : -1); }, 2,
        [&](Luma used) { back += used.width == 64; });
    reader.makeSofter(true);
    Pyramid spare;
    for (const int frame : frames) {
        Pyramid p = reader.next(std::move(spare));
        ASSERT_EQ(p.levels(), 2);
        EXPECT_FLOAT_EQ(p.level(0).at(20, 20), float(frame));
        EXPECT_FLOAT_EQ(p.level(1).at(10, 10), float(frame));
        EXPECT_FLOAT_EQ(p.softer().at(20, 20), float(frame)) << "memory that is used again holds nothing old";
        spare = std::move(p);
    }
    EXPECT_EQ(seen, frames);
    // The memory of a frame serves for one that is read two or three later.
    EXPECT_GE(back, int(frames.size()) - 5);
    EXPECT_THROW((void)reader.next(), std::out_of_range);
}

TEST(FrameReader, FallingFramesAreReadInRisingRuns) {
    std::vector<int> frames, read;
    for (int f = 40; f > 0; --f) frames.push_back(f);
    FrameReader reader(
        frames,
        [&](int f) {
            read.push_back(f);
            return numbered(f);
        },
        {}, 1);
    for (const int f : frames) EXPECT_EQ(reader.nextLuma().at(0, 0), float(f));
    EXPECT_EQ(std::set<int>(read.begin(), read.end()).size(), read.size()) << "each once";
    int falls = 0;
    for (size_t i = 1; i < read.size(); ++i) falls += read[i] < read[i - 1];
    EXPECT_LE(falls, 3) << "a movie decodes forward";
}

TEST(FrameReader, FailureComesWithItsFrameAndStopsNothingBefore) {
    FrameReader reader({1, 2, 3, 4}, [](int f) {
        if (f == 3) throw InputError("Frame 3 is broken.");
        return numbered(f);
    });
    EXPECT_FLOAT_EQ(reader.next().level(0).at(9, 9), 1);
    EXPECT_FLOAT_EQ(reader.next().level(0).at(9, 9), 2);
    EXPECT_THROW((void)reader.next(), InputError);
    EXPECT_THROW((void)reader.next(), InputError) << "it stays broken";
}

TEST(FrameReader, GoesAwayInTheMiddle) {
    std::atomic<int> read = 0;
    {
        FrameReader reader(std::vector<int>(500, 1), [&](int) {
            ++read;
            return numbered(1);
        });
        (void)reader.next();
    }
    EXPECT_LT(read, 10) << "only so far ahead";
}

TEST(RowSums, AreThePlainSums) {
    std::vector<float> a, b, c, d, e, f;
    for (int i = 0; i < 131; ++i) {
        a.push_back(float(i * 7 % 31));
        b.push_back(float(i * 5 % 23));
        c.push_back(float(i % 11)), d.push_back(float(i * 3 % 13)), e.push_back(float(i % 7));
        f.push_back(float(i * 2 % 17));
    }
    float plain = 0, near = 0, far = 0;
    for (size_t i = 0; i < a.size(); ++i) {
        plain += std::fabs(a[i] - b[i]);
        if (std::fabs(a[i] - b[i]) < 8) continue;
        near += std::fabs(a[i] - 0.5f * (c[i] + d[i]));
        far += std::fabs(a[i] - 0.5f * (e[i] + f[i]));
    }
    EXPECT_NEAR(sumOfDifferences(a.data(), b.data(), int(a.size())), plain, 1e-3);
    float one = -1, two = -1;
    combSums(a.data(), b.data(), c.data(), d.data(), e.data(), f.data(), int(a.size()), 8, one, two);
    EXPECT_NEAR(one, near, 1e-3);
    EXPECT_NEAR(two, far, 1e-3);
}

}  // namespace
}  // namespace va
