// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/rolling.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "solve/minimal/resect.h"

namespace va {
namespace {

/// A camera that turns about one axis, by an angle of time.
template <class Angle>
std::vector<View> turning(const std::vector<double>& times, const Angle& angle) {
    std::vector<View> out;
    for (const double t : times)
        out.push_back(moved(View(), angle(t) * Eigen::Vector3d::UnitY(), Eigen::Vector3d::Zero()));
    return out;
}

std::vector<double> frames(int from, int to) {
    std::vector<double> out;
    for (int f = from; f <= to; ++f) out.push_back(f);
    return out;
}

/// A shake of that many frames, read where so many neighbours stand on both sides; `within`: share of its size.
void expectFollowed(double period, size_t neighbours, double within) {
    constexpr double size = 0.004;
    const double w = 2 * M_PI / period;
    const auto angle = [w](double t) { return size * std::sin(w * t + 0.3); };
    const std::vector<double> times = frames(0, 24);
    const std::vector<ViewRate> rates = ratesOf(turning(times, angle), times);
    for (size_t k = neighbours; k + neighbours < times.size(); ++k) {
        EXPECT_NEAR(rates[k].first(1), size * w * std::cos(w * times[k] + 0.3), within * size * w) << k;
        EXPECT_NEAR(rates[k].second(1), -size * w * w * std::sin(w * times[k] + 0.3), within * size * w * w) << k;
        // What counts: where the view is when a row is read.
        for (const double late : {-0.4, 0.4})
            EXPECT_NEAR(rates[k].after(late)(1), angle(times[k] + late) - angle(times[k]), within * size) << k;
    }
}

// Tremor of the hand reaches past 5 Hz (physiology, from memory: 8 to 12 Hz with smaller amplitude), which is a period
// of five frames at 25 a second.
TEST(Rolling, RatesFollowAShakeOfFiveFrames) { expectFollowed(5, 4, 0.01); }

// 7 Hz at 25 frames a second; through four neighbours on each side these rates are 7 % off.
TEST(Rolling, RatesFollowAShakeOfThreeAndAHalfFrames) { expectFollowed(3.5, 8, 0.02); }

// Central differences of sixteenth order: 2 (−1)^(k+1) (8!)² / (k (8−k)! (8+k)!) over 2 (the formula that Fornberg's
// table 1 continues). A step of one frame shows the weights one by one.
TEST(Rolling, WeightsOfSeventeenFramesAreThoseOfTheHandbook) {
    const std::vector<double> times = frames(-8, 8);
    for (int k = 1; k <= 8; ++k) {
        const auto step = [k](double t) { return t == k ? 1e-3 : 0.0; };
        const double weight =
            (k % 2 ? 1 : -1) * std::pow(std::tgamma(9), 2) / (k * std::tgamma(9 - k) * std::tgamma(9 + k));
        EXPECT_NEAR(ratesOf(turning(times, step), times)[8].first(1), 1e-3 * weight, 1e-12) << k;
    }
}

TEST(Rolling, EndsAndGapsAreExactForAPolynomialThatTheyDetermine) {
    const auto angle = [](double t) { return 1e-3 * (2 * t - 0.4 * t * t + 0.03 * t * t * t); };
    std::vector<double> times = frames(0, 5);
    times.insert(times.end(), {8, 9, 10, 20});
    const std::vector<ViewRate> rates = ratesOf(turning(times, angle), times);
    for (size_t k = 0; k < 6; ++k) {
        EXPECT_NEAR(rates[k].first(1), 1e-3 * (2 - 0.8 * times[k] + 0.09 * times[k] * times[k]), 1e-9) << k;
        EXPECT_NEAR(rates[k].second(1), 1e-3 * (-0.8 + 0.18 * times[k]), 1e-9) << k;
    }
    // Three frames between gaps determine a parabola; a frame by itself stands.
    EXPECT_NEAR(rates[7].first(1), (angle(10) - angle(8)) / 2, 1e-9);
    EXPECT_NEAR(rates[7].second(1), angle(10) + angle(8) - 2 * angle(9), 1e-9);
    EXPECT_EQ(rates[9].first.norm(), 0);
    EXPECT_TRUE(rates[6].first.allFinite());
}

// A camera that goes round in a circle and looks inward sees the middle stand still, whenever a row is read.
TEST(Rolling, RotationAndTranslationGoTogether) {
    const auto at = [](double t) {
        View v;
        v.rotation = Eigen::AngleAxisd(0.15 * t, Eigen::Vector3d::UnitY()).toRotationMatrix();
        v.translation = Eigen::Vector3d(0, 0, 5);
        return v;
    };
    const std::vector<double> times = frames(-4, 4);
    std::vector<View> views;
    for (const double t : times) views.push_back(at(t));
    const ViewRate rate = ratesOf(views, times)[4];
    for (const double row : {0.0, 100.0}) {
        const View late = viewAtRow(views[4], rate, 0.9, row, 101), right = at(row > 0 ? 0.45 : -0.45);
        EXPECT_LT((late.translation - right.translation).norm(), 2e-5);
        EXPECT_LT((late.rotation - right.rotation).norm(), 1e-6);
    }
}

TEST(Rolling, NothingOfNothing) { EXPECT_TRUE(ratesOf({}, {}).empty()); }

}  // namespace
}  // namespace va
