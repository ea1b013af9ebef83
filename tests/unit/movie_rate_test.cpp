// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "media/movie/movie_rate.h"

namespace va {
namespace {

/// Stamps of `n` frames at a rate, rounded to the time base as muxers do.
std::vector<int64_t> stamps(Rational rate, Rational base, int n) {
    std::vector<int64_t> out;
    for (int i = 0; i < n; ++i) out.push_back(std::llround(i / rate.value() / base.value()));
    return out;
}
constexpr Rational millisecond{1, 1000};

// Rates of SMPTE ST 2036-1 and their multiples, in containers that keep whole milliseconds.
TEST(MovieRate, MillisecondsGiveTheExactRate) {
    for (const Rational rate : {Rational{24000, 1001}, Rational{24, 1}, Rational{25, 1}, Rational{30000, 1001},
                                Rational{30, 1}, Rational{50, 1}, Rational{60000, 1001}, Rational{60, 1},
                                Rational{120000, 1001}, Rational{120, 1}, Rational{240, 1}}) {
        RateEvidence e;
        e.times = stamps(rate, millisecond, 120);
        e.timeBase = millisecond;
        // A duration of a frame in whole nanoseconds, as Matroska has it (RFC 9559, DefaultDuration).
        const auto nanoseconds = std::llround(1e9 / rate.value());
        e.container = reduced(1000000000, nanoseconds);
        const MovieRate r = findRate(e);
        EXPECT_EQ(r.rate, rate) << r.rate.num << "/" << r.rate.den;
        EXPECT_FALSE(r.variable || r.assumed);
        EXPECT_TRUE(r.dropped.empty() && r.doubled.empty() && r.disagreement.empty());
    }
}

TEST(MovieRate, FractionsOfStampsAreTakenForWhatTheyStandFor) {
    EXPECT_EQ(standardRate({19001, 317}), (Rational{60000, 1001}));
    EXPECT_EQ(standardRate({29011, 242}), (Rational{120000, 1001}));
    EXPECT_EQ(standardRate({2997, 125}), (Rational{24000, 1001}));
    EXPECT_EQ(standardRate({27, 2}), (Rational{27, 2}));
    EXPECT_EQ(standardRate({0, 1}), (Rational{0, 1}));
}

TEST(MovieRate, ATremblingClockIsStillConstant) {
    RateEvidence e;
    e.timeBase = {1, 90000};
    std::mt19937 random(3);
    for (int i = 0; i < 300; ++i) e.times.push_back(i * 3003 + int(random() % 300) - 150);  // ±1.7 ms
    const MovieRate r = findRate(e);
    EXPECT_EQ(r.rate, (Rational{30000, 1001}));
    EXPECT_FALSE(r.variable);
}

TEST(MovieRate, HolesAndTwinsAreNamed) {
    RateEvidence e;
    e.timeBase = {1, 12800};
    e.container = {25, 1};
    e.times = stamps({25, 1}, e.timeBase, 100);
    e.times.erase(e.times.begin() + 50, e.times.begin() + 52);
    MovieRate r = findRate(e);
    EXPECT_EQ(r.rate, (Rational{25, 1}));
    ASSERT_EQ(r.dropped.size(), 1U);
    EXPECT_EQ(r.dropped[0].index, 49);
    EXPECT_EQ(r.dropped[0].frames, 2);
    e.times = stamps({25, 1}, e.timeBase, 100);
    e.times[30] = e.times[29];
    r = findRate(e);
    EXPECT_EQ(r.rate, (Rational{25, 1}));
    EXPECT_EQ(r.doubled, (std::vector<int>{30}));
}

TEST(MovieRate, ATelephonesRateIsVariable) {
    RateEvidence e;
    e.timeBase = {1, 90000};
    int64_t t = 0;
    std::mt19937 random(9);
    for (int i = 0; i < 200; ++i) {
        e.times.push_back(t);
        t += random() % 5 == 0 ? 4500 + int(random() % 2000) : 3000 + int(random() % 40);  // about 27 a second
    }
    const MovieRate r = findRate(e);
    EXPECT_TRUE(r.variable);
    const double mean = 199 / (double(e.times.back()) / 90000);
    EXPECT_NEAR(r.rate.value(), mean, 0.005 * mean);
    EXPECT_GT(r.longest, 1.4 * r.shortest);
}

TEST(MovieRate, DisagreementIsSaidWithAllThree) {
    RateEvidence e;
    e.container = {30, 1};
    e.stream = {50, 1};
    e.timeBase = {1, 12800};
    e.times = stamps({25, 1}, e.timeBase, 50);
    const MovieRate r = findRate(e);
    EXPECT_EQ(r.rate, (Rational{25, 1}));
    for (const char* part : {"container says 30", "stream 50", "stamps 25"})
        EXPECT_NE(r.disagreement.find(part), std::string::npos) << r.disagreement;
}

TEST(MovieRate, WithoutStampsWhatIsStatedCounts) {
    RateEvidence e;
    EXPECT_TRUE(findRate(e).assumed);
    e.stream = {48, 1};
    EXPECT_EQ(findRate(e).rate, (Rational{48, 1}));
    e.container = {24000, 1001};
    EXPECT_EQ(findRate(e).rate, (Rational{24000, 1001}));
    e.times = {0, 0, 0, 0};  // tells nothing
    EXPECT_EQ(findRate(e).rate, (Rational{24000, 1001}));
}

}  // namespace
}  // namespace va
