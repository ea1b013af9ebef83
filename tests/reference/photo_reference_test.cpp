// SPDX-License-Identifier: GPL-3.0-or-later
// The photo match against published stills (OpenCV's chart set, tests/data/chart: focal length 532 px in
// left_intrinsics.yml) and against OpenCV's resection.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/calib3d.hpp>

#include "geometry_trials.h"
#include "ground/photo_match.h"
#include "lens/find_chart.h"
#include "media/plate_source.h"

namespace va {
namespace {

TEST(PhotoReference, ChartStillsByTheLinesOfRowsAndColumns) {
    const double published = 532;
    std::vector<double> focal;
    int unsure = 0;
    double worstTurn = 0;
    for (const char* number : {"01", "02", "03", "04", "05", "06", "07", "08", "09", "11", "12", "13", "14"}) {
        const auto still = openStill(std::string(VA_TEST_DATA) + "/chart/left" + number + ".jpg");
        const FoundChart chart = findChart(still->luma(still->info().frames.first));
        ASSERT_FALSE(chart.corners.empty()) << number;
        std::map<std::pair<int, int>, Eigen::Vector2d> at;
        for (const ChartCorner& c : chart.corners) at[{c.column, c.row}] = c.pixel;
        PhotoEvidence e;
        e.width = 640, e.height = 480;
        e.solveDistortion = true;
        const auto lines = [&](bool rows, PhotoAxis axis, int cells) {
            for (const auto& [place, pixel] : at) {
                const auto next = at.find(rows ? std::pair(place.first + cells, place.second)
                                               : std::pair(place.first, place.second + cells));
                if (next != at.end()) e.lines.push_back({pixel, next->second, axis, 0.15, true});
            }
        };
        const auto first = at.begin()->second;
        const auto alongColumn = at.at({at.begin()->first.first, at.begin()->first.second + 1}) - first;
        const bool columnsAreUpright = std::fabs(alongColumn.y()) > std::fabs(alongColumn.x());
        // Pieces that are short against the bend of the lens.
        lines(columnsAreUpright, PhotoAxis::x, 3);
        lines(!columnsAreUpright, PhotoAxis::y, 3);
        const PhotoFit fit = matchPhoto(e);
        ASSERT_TRUE(fit.found) << number << ": " << fit.trouble;
        if (fit.focalSigma > 0.08) {
            ++unsure;
            EXPECT_NE(fit.trouble.find("focal length"), std::string::npos) << number;
            std::printf("left%s: focal length not known (± %.0f %%)\n", number, 100 * fit.focalSigma);
            continue;
        }
        focal.push_back(fit.lens.focalPx);
        // With the published lens: against OpenCV's camera of the same corners.
        e.solveDistortion = false;
        e.focalPx = 532.8, e.focalSigma = 0;
        e.principalPoint = {342.5, 233.9};
        e.lens = LensModel::brownConrady(-0.281, 0.025, 0.163, 0.0012, -0.00014);
        for (const int cells : {4, 5, 6, 7}) {
            lines(columnsAreUpright, PhotoAxis::x, cells);
            lines(!columnsAreUpright, PhotoAxis::y, cells);
        }
        const PhotoFit known = matchPhoto(e);
        ASSERT_TRUE(known.found) << number;
        std::vector<cv::Point3d> board;
        std::vector<cv::Point2d> pixels;
        for (const auto& [place, pixel] : at) {
            board.emplace_back(columnsAreUpright ? place.first : place.second,
                               columnsAreUpright ? place.second : place.first, 0);
            pixels.emplace_back(pixel.x(), pixel.y());
        }
        const cv::Mat k = (cv::Mat_<double>(3, 3) << 532.8, 0, 342.5, 0, 532.8, 233.9, 0, 0, 1);
        const std::vector<double> distortion{-0.281, 0.025, 0.0012, -0.00014, 0.163};
        cv::Vec3d turn, shift;
        ASSERT_TRUE(cv::solvePnP(board, pixels, k, distortion, turn, shift));
        cv::Matx33d r;
        cv::Rodrigues(turn, r);
        // Directions of the board's lines, whose sign has no meaning.
        const View view = viewFromPose(known.pose);
        double off = 0;
        for (int axis = 0; axis < 2; ++axis) {
            const Eigen::Vector3d theirs(r(0, axis), r(1, axis), r(2, axis));
            const double dot = std::min(1.0, std::fabs(view.rotation.col(axis).dot(theirs)));
            off = std::max(off, std::acos(dot) * 180 / M_PI);
        }
        std::printf(
            "left%s: focal length %.1f px ± %.1f %%; with the published lens directions %.2f deg off OpenCV's\n",
            number, fit.lens.focalPx, 100 * fit.focalSigma, off);
        worstTurn = std::max(worstTurn, off);
    }
    ASSERT_GE(focal.size(), 5U);
    std::nth_element(focal.begin(), focal.begin() + std::ptrdiff_t(focal.size() / 2), focal.end());
    EXPECT_LE(worstTurn, 0.3);
    std::printf("median focal length %.1f px against %.0f; %d stills can't tell; directions off by %.2f deg at most\n",
                focal[focal.size() / 2], published, unsure, worstTurn);
    EXPECT_NEAR(focal[focal.size() / 2] / published, 1, 0.02);
}

TEST(PhotoReference, ResectionIsAsGoodAsOpenCv) {
    const auto [ours, theirs] = test::photoResectionErrors(40, 11);
    std::printf("resection: position off by %.4f m RMS, OpenCV's SQPNP with refinement %.4f\n", ours, theirs);
    EXPECT_LE(ours, 1.02 * theirs);
}

}  // namespace
}  // namespace va
