// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "lens/find_chart.h"
#include "lens/intrinsics.h"
#include "solve/calibration/chart_calibration.h"

namespace va {
namespace {

Intrinsics lensOf(int width, int height) {
    Intrinsics i;
    i.focalPx = 0.9 * width;
    i.principalPoint = {(width - 1) / 2.0 + 6, (height - 1) / 2.0 - 4};
    i.lens = LensModel::brownConrady(-0.16, 0.05);
    return i;
}

View tilted(double aroundX, double aroundY, double roll, double x, double y, double distance) {
    View v;
    v.rotation =
        (Eigen::AngleAxisd(roll, Eigen::Vector3d::UnitZ()) * Eigen::AngleAxisd(aroundX, Eigen::Vector3d::UnitX()) *
         Eigen::AngleAxisd(aroundY, Eigen::Vector3d::UnitY()))
            .toRotationMatrix();
    v.translation = Eigen::Vector3d(x, y, distance) - v.rotation * Eigen::Vector3d(4, 2.5, 0);
    return v;
}

/// A chart of 10 × 7 squares (corners at 0..8, 0..5) or of 9 × 6 dots, each pixel the mean of 4 × 4 rays.
Luma photo(const Intrinsics& lens, const View& v, int width, int height, bool dots) {
    Luma out(width, height);
    std::mt19937 random(7);
    std::normal_distribution<float> noise(0, 1.5f);
    const Eigen::Vector3d normal = v.rotation.col(2);
    // The lens is asked at the pixels' corners; between them it is as good as undistorted.
    std::vector<Eigen::Vector2d> grid;
    for (int y = 0; y <= height; ++y)
        for (int x = 0; x <= width; ++x) grid.push_back(*lens.normalisedFromPixel({x - 0.5, y - 0.5}));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const Eigen::Vector2d* corner = &grid[size_t(y * (width + 1) + x)];
            double sum = 0;
            for (int k = 0; k < 16; ++k) {
                const double s = (k % 4 + 0.5) / 4, t = (k / 4 + 0.5) / 4;
                const Eigen::Vector2d n = (1 - t) * ((1 - s) * corner[0] + s * corner[1]) +
                                          t * ((1 - s) * corner[width + 1] + s * corner[width + 2]);
                const Eigen::Vector3d ray = n.homogeneous();
                const double far = normal.dot(v.translation) / normal.dot(ray);
                const Eigen::Vector3d p = v.rotation.transpose() * (far * ray - v.translation);
                const double cx = p.x(), cy = p.y();
                double grey = 120;
                if (dots) {
                    if (cx > -0.8 && cy > -0.8 && cx < 8.8 && cy < 5.8) {
                        grey = 215;
                        const double dx = cx - std::round(cx), dy = cy - std::round(cy);
                        if (cx > -0.5 && cy > -0.5 && cx < 8.5 && cy < 5.5 && dx * dx + dy * dy < 0.3 * 0.3) grey = 40;
                    }
                } else if (cx > -1.5 && cy > -1.5 && cx < 9.5 && cy < 6.5) {
                    grey = 215;
                    if (cx > -1 && cy > -1 && cx < 9 && cy < 6 && (int(std::floor(cx)) + int(std::floor(cy))) % 2 == 0)
                        grey = 40;
                }
                sum += grey;
            }
            out.at(x, y) = float(sum / 16) + noise(random);
        }
    return out;
}

const std::vector<View>& places() {
    static const std::vector<View> all{tilted(0.5, 0.1, 0.1, -0.6, 0.2, 11),   tilted(-0.45, 0.3, -0.2, 1.5, -0.8, 12),
                                       tilted(0.1, 0.6, 0.3, -2.5, 1.2, 13),   tilted(0.2, -0.55, 0, 2.6, 1.0, 12.5),
                                       tilted(-0.3, -0.4, 1.5, 0.5, -0.4, 12), tilted(0.4, 0.35, -0.5, -1.8, -1.2, 13)};
    return all;
}

double worstCorner(const FoundChart& chart, const Intrinsics& lens, const View& v) {
    double worst = 0;
    for (const ChartCorner& c : chart.corners) {
        double nearest = 1e9;
        for (int row = 0; row < 6; ++row)
            for (int column = 0; column < 9; ++column) {
                const Eigen::Vector3d p = v.toCamera({double(column), double(row), 0});
                nearest = std::min(nearest, (lens.pixelFromNormalised(p.head<2>() / p.z()) - c.pixel).norm());
            }
        worst = std::max(worst, nearest);
    }
    return worst;
}

/// Photographs the chart from all positions; every one must be found well enough.
std::vector<ChartView> found(const Intrinsics& lens, int width, int height, bool dots, size_t least, double worst) {
    std::vector<ChartView> views;
    for (const View& v : places()) {
        const FoundChart chart = findChart(photo(lens, v, width, height, dots));
        EXPECT_EQ(chart.kind, dots ? ChartKind::dots : ChartKind::checkerboard);
        EXPECT_GE(chart.corners.size(), least) << "some charts are cut off by the frame";
        EXPECT_LT(worstCorner(chart, lens, v), worst);
        views.push_back({"still", chart.corners});
    }
    return views;
}

TEST(Chart, CheckerboardsAreFoundAndCalibrated) {
    const int w = 640, h = 400;
    const Intrinsics truth = lensOf(w, h);
    std::vector<ChartView> views = found(truth, w, h, false, 45, 0.3);
    Progress progress;
    ChartOptions options;
    options.values = {0, 1};
    const ChartCalibration c = calibrateFromCharts(views, w, h, options, progress);
    ASSERT_EQ(c.trouble, "");
    EXPECT_LT(c.rmsPx, 0.1);
    for (const auto& s : c.uncertainty) {
        const double t = s.name == "focal"         ? truth.focalPx
                         : s.name == "principal x" ? truth.principalPoint.x()
                         : s.name == "principal y" ? truth.principalPoint.y()
                                                   : truth.lens.value(s.name);
        EXPECT_LT(std::fabs(s.value - t), 5 * s.sigma) << s.name << " " << s.value << " ± " << s.sigma;
    }
    EXPECT_NEAR(c.lens.focalPx / truth.focalPx, 1, 0.002);

    // A still of another focal length does not belong: it is named and left out.
    Intrinsics other = truth;
    other.focalPx *= 1.1;
    views.push_back({"stranger.jpg", findChart(photo(other, places()[1], w, h, false)).corners});
    const ChartCalibration again = calibrateFromCharts(views, w, h, options, progress);
    EXPECT_NEAR(again.lens.focalPx / truth.focalPx, 1, 0.004);
}

TEST(Chart, GridsOfDotsAreFound) {
    const int w = 640, h = 400;
    const Intrinsics truth = lensOf(w, h);
    const std::vector<ChartView> views = found(truth, w, h, true, 40, 0.8);
    Progress progress;
    ChartOptions options;
    options.values = {0, 1};
    const ChartCalibration c = calibrateFromCharts(views, w, h, options, progress);
    ASSERT_EQ(c.trouble, "");
    EXPECT_NEAR(c.lens.focalPx / truth.focalPx, 1, 0.01);
}

/// Corners as a lens of any model would show them, with noise; no picture is needed.
std::vector<ChartView> shown(const Intrinsics& lens, int width, int height, double noise) {
    std::mt19937 random(11);
    std::normal_distribution<double> error(0, noise);
    std::vector<ChartView> views;
    for (int i = 0; i < 12; ++i) {
        const double a = 2 * M_PI * i / 12;
        const View v =
            tilted(0.5 * std::sin(a), 0.5 * std::cos(a), 0.3 * i, 2.2 * std::cos(2 * a), 1.4 * std::sin(2 * a), 7.5);
        ChartView view{"still " + std::to_string(i), {}};
        for (int row = 0; row < 6; ++row)
            for (int column = 0; column < 9; ++column) {
                const Eigen::Vector3d p = v.toCamera({double(column), double(row), 0});
                if (p.z() < 0.5) continue;
                const Eigen::Vector2d pixel = lens.pixelFromNormalised(p.head<2>() / p.z());
                if (pixel.x() < 0 || pixel.y() < 0 || pixel.x() > width - 1 || pixel.y() > height - 1) continue;
                view.corners.push_back({column, row, pixel + Eigen::Vector2d(error(random), error(random))});
            }
        views.push_back(view);
    }
    return views;
}

TEST(Chart, EveryModelFindsItsOwnNumbers) {
    const int w = 1280, h = 720;
    Intrinsics truth = lensOf(w, h);
    truth.focalPx = 700;
    const struct {
        LensKind kind;
        std::vector<double> values;
    } cases[] = {
        {LensKind::brownConrady, {-0.21, 0.04, -0.002, 0.0007, -0.0005}},
        {LensKind::division, {-0.19}},
        {LensKind::fisheye, {-0.015, 0.004, 0, 0}},
        {LensKind::anamorphic, {0.0, 0.0, -0.07, -0.04, 0.004, 0.002, 0.001, -0.05, -0.09, 0.001, 0.003, 0.006}}};
    for (const auto& c : cases) {
        truth.lens = LensModel{c.kind};
        for (size_t i = 0; i < c.values.size(); ++i) truth.lens.setValue(int(i), c.values[i]);
        Progress progress;
        ChartOptions options;
        options.kind = c.kind;
        if (c.kind == LensKind::anamorphic) options.values = {2, 3, 4, 5, 6, 7, 8, 9, 10, 11};
        const ChartCalibration r = calibrateFromCharts(shown(truth, w, h, 0.05), w, h, options, progress);
        ASSERT_EQ(r.trouble, "") << lensKindName(c.kind);
        EXPECT_NEAR(r.rmsPx, 0.05 * std::sqrt(2.0), 0.012) << lensKindName(c.kind);
        EXPECT_NEAR(r.lens.focalPx / truth.focalPx, 1, 0.003) << lensKindName(c.kind);
        // Where an undistorted point of the covered part is seen: what the numbers are for.
        double worst = 0;
        for (double x = 150; x < w - 150; x += 70)
            for (double y = 100; y < h - 100; y += 60) {
                const auto n = truth.normalisedFromPixel({x, y}), m = r.lens.normalisedFromPixel({x, y});
                ASSERT_TRUE(n && m);
                worst = std::max(
                    worst,
                    (*n * truth.focalPx - *m * r.lens.focalPx - (r.lens.principalPoint - truth.principalPoint)).norm());
            }
        EXPECT_LT(worst, 1) << lensKindName(c.kind);
        // The stated uncertainty is honest: no number is off by more than five times of it.
        for (const auto& s : r.uncertainty)
            if (s.name == "focal") {
                EXPECT_LT(std::fabs(s.value - truth.focalPx), 5 * s.sigma) << lensKindName(c.kind);
            } else if (truth.lens.value(s.name) != 0) {
                EXPECT_LT(std::fabs(s.value - truth.lens.value(s.name)), 5 * s.sigma)
                    << lensKindName(c.kind) << " " << s.name;
            }
    }
}

TEST(Chart, AStillWithAnotherFocalLengthIsNamed) {
    const int w = 1280, h = 720;
    const Intrinsics truth = lensOf(w, h);
    std::vector<ChartView> views = shown(truth, w, h, 0.05);
    Intrinsics other = truth;
    other.focalPx *= 1.04;
    other.lens = LensModel::brownConrady(-0.05);
    views[3] = shown(other, w, h, 0.05)[3];
    views[3].name = "stranger.jpg";
    Progress progress;
    const ChartCalibration r = calibrateFromCharts(views, w, h, {}, progress);
    ASSERT_EQ(r.trouble, "");
    EXPECT_NEAR(r.lens.focalPx / truth.focalPx, 1, 0.002);
    bool named = false;
    for (const auto& warning : r.warnings) named = named || warning.find("stranger.jpg") != std::string::npos;
    EXPECT_TRUE(named);
}

TEST(Chart, BadStillsGiveASentence) {
    EXPECT_NE(findChart(Luma(20, 20)).trouble, "");
    Luma noise(320, 240);
    std::mt19937 random(1);
    for (float& v : noise.data) v = float(random() % 256);
    const FoundChart none = findChart(noise);
    EXPECT_TRUE(none.corners.empty()) << none.corners.size();
    Progress progress;
    EXPECT_NE(calibrateFromCharts({}, 640, 480, {}, progress).trouble.find("two stills"), std::string::npos);

    // Seen straight on from two distances: focal length and distance can't be told apart.
    std::vector<ChartView> frontal;
    for (const double distance : {11.0, 14.0}) {
        ChartView v{"frontal", {}};
        for (int row = 0; row < 6; ++row)
            for (int column = 0; column < 9; ++column)
                v.corners.push_back(
                    {column, row, {320 + 560 * (column - 4) / distance, 240 + 560 * (row - 2.5) / distance}});
        frontal.push_back(v);
    }
    const ChartCalibration c = calibrateFromCharts(frontal, 640, 480, {}, progress);
    EXPECT_NE(c.trouble.find("straight on"), std::string::npos) << c.lens.focalPx;
}

TEST(Chart, AGridWithHolesKeepsItsPlaces) {
    std::vector<ChartMark> marks;
    for (int row = 0; row < 5; ++row)
        for (int column = 0; column < 6; ++column) {
            if (row == 2 && column == 3) continue;
            ChartMark m;
            m.pixel = {100.0 + 30 * column + 4 * row, 80.0 + 28 * row - 3 * column};
            m.along = {Eigen::Vector2d(30, -3).normalized(), Eigen::Vector2d(4, 28).normalized()};
            m.sign = (row + column) % 2 ? 1 : -1;
            marks.push_back(m);
        }
    const auto grid = gridOf(marks);
    ASSERT_EQ(grid.size(), 29U);
    const auto& corner = grid.front();
    for (const auto& c : grid) {
        const Eigen::Vector2d d = c.pixel - corner.pixel;
        const Eigen::Vector2d cells(c.column - corner.column, c.row - corner.row);
        EXPECT_NEAR(d.norm(), (cells.x() * Eigen::Vector2d(30, -3) + cells.y() * Eigen::Vector2d(4, 28)).norm(), 2.5);
    }
    EXPECT_TRUE(gridOf({}).empty());
}

}  // namespace
}  // namespace va
