// SPDX-License-Identifier: GPL-3.0-or-later
// A flat patch against the published planar pair "graffiti" of Mikolajczyk et al., "A comparison of affine region
// detectors", IJCV 2005, as it comes with OpenCV's sample data: two photos of one wall and the homography between them.
#include <gtest/gtest.h>

#include <opencv2/core.hpp>

#include "media/plate_source.h"
#include "track/flat_patch.h"

namespace va {
namespace {

/// The two stills are taken for frames 1 and 3 of a sequence.
Luma picture(int number) {
    const auto source = openPlate(std::string(VA_TEST_DATA) + "/planar/graf" + std::to_string(number) + ".png");
    return source->luma(number);
}

TEST(Graffiti, PatchSeededByHandAgreesWithThePublishedMap) {
    cv::Mat published;
    cv::FileStorage file(std::string(VA_TEST_DATA) + "/planar/H1to3p.xml", cv::FileStorage::READ);
    file["H13"] >> published;
    ASSERT_EQ(published.rows, 3);
    Eigen::Matrix3d truth;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) truth(r, c) = published.at<double>(r, c);
    const Luma first = picture(1), third = picture(3);
    // The painted middle of the wall. Towards its lower left the published map, itself made from point matches, and any
    // region's registration part by a little over a pixel.
    const Corners corners{Eigen::Vector2d(250, 180), {550, 180}, {550, 430}, {250, 430}};
    const FlatReference reference(first, {corners.begin(), corners.end()});
    ASSERT_TRUE(reference.usable());
    // Hands are not exact: each corner is put up to ten pixels off, in several ways.
    const Eigen::Vector2d slips[4][4] = {{{7, -6}, {-6, 7}, {8, 5}, {-7, -7}},
                                         {{-9, 3}, {5, 8}, {-4, -9}, {9, 4}},
                                         {{0, 9.5}, {9.5, 0}, {0, -9.5}, {-9.5, 0}},
                                         {{6, 6}, {6, 6}, {6, 6}, {6, 6}}};
    for (const auto& slip : slips) {
        Corners seeded = corners;
        for (size_t i = 0; i < 4; ++i) seeded[i] = throughMap(truth, corners[i]) + slip[i];
        const auto found = reference.registerIn(third, *mapOfCorners(corners, seeded));
        ASSERT_TRUE(found);
        double worst = 0;
        for (const auto& c : corners)
            worst = std::max(worst, (throughMap(found->map, c) - throughMap(truth, c)).norm());
        std::printf("worst corner %.3f px, quality %.3f, visible %.2f\n", worst, found->quality, found->visible);
        EXPECT_LT(worst, 1.0);
        EXPECT_LT((throughMap(found->map, {400, 305}) - throughMap(truth, {400, 305})).norm(), 0.3);
    }
}

}  // namespace
}  // namespace va
