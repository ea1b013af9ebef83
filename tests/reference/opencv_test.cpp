// SPDX-License-Identifier: GPL-3.0-or-later
// Geometry against OpenCV (reference library, calib3d and imgproc).
#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <random>

#include "geometry_trials.h"
#include "solve/minimal/essential.h"
#include "solve/minimal/homography.h"
#include "solve/minimal/planar_start.h"
#include "solve/minimal/resect.h"
#include "solve/minimal/triangulate.h"
#include "synthetic_shot.h"

namespace va {
namespace {

cv::Mat cameraMatrix(const Intrinsics& i) {
    return (cv::Mat_<double>(3, 3) << i.focalPx / i.pixelAspect, 0, i.principalPoint.x(), 0, i.focalPx,
            i.principalPoint.y(), 0, 0, 1);
}
cv::Mat coefficients(const Intrinsics& i) {
    return (cv::Mat_<double>(1, 5) << i.lens.value("k1"), i.lens.value("k2"), i.lens.value("p1"), i.lens.value("p2"),
            i.lens.value("k3"));
}
cv::Mat toCv(const Eigen::Matrix3d& m) {
    return (cv::Mat_<double>(3, 3) << m(0, 0), m(0, 1), m(0, 2), m(1, 0), m(1, 1), m(1, 2), m(2, 0), m(2, 1), m(2, 2));
}
Eigen::Matrix3d toEigen(const cv::Mat& m) {
    Eigen::Matrix3d e;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) e(r, c) = m.at<double>(r, c);
    return e;
}

class Geometry : public ::testing::Test {
  protected:
    void SetUp() override {
        random_.seed(5);
        lens_.focalPx = 980;
        lens_.pixelAspect = 1.1;
        lens_.principalPoint = {655, 340};
        lens_.lens = LensModel::brownConrady(-0.11, 0.03, -0.004, 0.0007, -0.0004);
        view_ = viewFromPose(test::lookAlong({0.4, 0.2, 0.6}, 0.2, -0.05));
        for (int i = 0; i < 200; ++i) points_.emplace_back(6 * uniform() - 3, 4 * uniform() - 2, -4 - 8 * uniform());
    }
    double uniform() { return std::uniform_real_distribution<double>(0, 1)(random_); }
    double noise(double sigma) { return std::normal_distribution<double>(0, sigma)(random_); }
    Eigen::Vector2d seen(const View& v, const Eigen::Vector3d& x, double sigma = 0) {
        const Eigen::Vector3d c = v.toCamera(x);
        return c.head<2>() / c.z() + Eigen::Vector2d(sigma > 0 ? noise(sigma) : 0, sigma > 0 ? noise(sigma) : 0);
    }
    std::mt19937 random_;
    Intrinsics lens_;
    View view_;
    Points3 points_;
};

TEST_F(Geometry, ProjectionAndDistortion) {
    std::vector<cv::Point3d> world;
    for (const auto& p : points_) world.emplace_back(p.x(), p.y(), p.z());
    cv::Mat rotation;
    cv::Rodrigues(toCv(view_.rotation), rotation);
    std::vector<cv::Point2d> theirs;
    const cv::Mat shift =
        (cv::Mat_<double>(3, 1) << view_.translation.x(), view_.translation.y(), view_.translation.z());
    cv::projectPoints(world, rotation, shift, cameraMatrix(lens_), coefficients(lens_), theirs);
    for (size_t i = 0; i < points_.size(); ++i) {
        const auto ours = project(view_, lens_, points_[i]);
        ASSERT_TRUE(ours);
        EXPECT_NEAR(ours->x(), theirs[i].x, 1e-8);
        EXPECT_NEAR(ours->y(), theirs[i].y, 1e-8);
    }
}

TEST_F(Geometry, InverseDistortion) {
    std::vector<cv::Point2d> pixels, undistorted;
    for (int i = 0; i < 100; ++i) pixels.emplace_back(1280 * uniform(), 720 * uniform());
    cv::undistortPoints(pixels, undistorted, cameraMatrix(lens_), coefficients(lens_), cv::noArray(), cv::noArray(),
                        cv::TermCriteria(cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 200, 1e-14));
    for (size_t i = 0; i < pixels.size(); ++i) {
        const auto ours = lens_.normalisedFromPixel({pixels[i].x, pixels[i].y});
        ASSERT_TRUE(ours);
        EXPECT_NEAR(ours->x(), undistorted[i].x, 1e-8);
        EXPECT_NEAR(ours->y(), undistorted[i].y, 1e-8);
    }
}

TEST_F(Geometry, HomographyAsGoodAsOpenCv) {
    Eigen::Matrix3d truth;
    truth << 1.05, 0.08, 14, -0.04, 0.97, -9, 4e-5, -3e-5, 1;
    Points2 a, b;
    std::vector<cv::Point2d> ca, cb;
    for (int i = 0; i < 150; ++i) {
        const Eigen::Vector2d p(1280 * uniform(), 720 * uniform());
        Eigen::Vector2d q = (truth * p.homogeneous()).hnormalized() + Eigen::Vector2d(noise(0.3), noise(0.3));
        if (i % 4 == 0) q = {1280 * uniform(), 720 * uniform()};
        a.push_back(p), b.push_back(q);
        ca.emplace_back(p.x(), p.y()), cb.emplace_back(q.x(), q.y());
    }
    SamplingOptions o;
    o.threshold = 1.5;
    const auto ours = robustHomography(a, b, o);
    ASSERT_TRUE(ours.found);
    cv::theRNG().state = 1;
    const Eigen::Matrix3d theirs = toEigen(cv::findHomography(ca, cb, cv::RANSAC, 1.5));
    const auto error = [&](const Eigen::Matrix3d& h) {
        double worst = 0;
        for (double x : {0.0, 640.0, 1279.0})
            for (double y : {0.0, 360.0, 719.0})
                worst = std::max(worst, ((h * Eigen::Vector3d(x, y, 1)).hnormalized() -
                                         (truth * Eigen::Vector3d(x, y, 1)).hnormalized())
                                            .norm());
        return worst;
    };
    EXPECT_LT(error(ours.model), 0.6);
    EXPECT_LT(error(ours.model), 1.5 * error(theirs) + 0.1);
    EXPECT_FALSE(homographyFrom({{0, 0}, {1, 0}, {2, 0}, {3, 0}}, {{0, 0}, {1, 0}, {2, 0}, {3, 0}}, {0, 1, 2, 3}))
        << "points on a line";
}

TEST_F(Geometry, EssentialMatrixAndPose) {
    const View second = viewFromPose(test::lookAlong({1.3, 0.3, 0.2}, 0.05, -0.02));
    // Relative pose, from the first view to the second.
    const Eigen::Matrix3d rotation = second.rotation * view_.rotation.transpose();
    const Eigen::Vector3d shift = (second.translation - rotation * view_.translation).normalized();
    Points2 a, b;
    std::vector<cv::Point2d> ca, cb;
    const double sigma = 0.3 / 1000;
    for (size_t i = 0; i < points_.size(); ++i) {
        const Eigen::Vector2d p = seen(view_, points_[i], sigma);
        Eigen::Vector2d q = seen(second, points_[i], sigma);
        if (i % 5 == 0) q = {uniform() - 0.5, uniform() - 0.5};
        a.push_back(p), b.push_back(q);
        ca.emplace_back(p.x(), p.y()), cb.emplace_back(q.x(), q.y());
    }
    SamplingOptions o;
    o.threshold = 1.5 / 1000;
    o.trials = 500;
    const auto ours = robustEssential(a, b, o);
    ASSERT_TRUE(ours.found);
    const auto pose = poseFromEssential(ours.model, a, b, ours.agrees);
    ASSERT_TRUE(pose);
    const double rotationError = Eigen::AngleAxisd(pose->rotation * rotation.transpose()).angle(),
                 shiftError = std::acos(std::min(1.0, pose->translation.dot(shift)));
    cv::theRNG().state = 1;
    cv::Mat mask, r, t;
    const cv::Mat e = cv::findEssentialMat(ca, cb, cv::Mat::eye(3, 3, CV_64F), cv::RANSAC, 0.999, 1.5 / 1000, mask);
    cv::recoverPose(e, ca, cb, cv::Mat::eye(3, 3, CV_64F), r, t, mask);
    const double theirRotation = Eigen::AngleAxisd(toEigen(r) * rotation.transpose()).angle();
    EXPECT_LT(rotationError, 0.01);
    EXPECT_LT(shiftError, 0.05);
    EXPECT_LT(rotationError, 3 * theirRotation + 0.003);
}

TEST_F(Geometry, FivePointSolutionsAreEssentialAndHoldTheTruth) {
    const View second = viewFromPose(test::lookAlong({1.3, 0.3, 0.2}, 0.05, -0.02));
    const Eigen::Matrix3d rotation = second.rotation * view_.rotation.transpose();
    const Eigen::Vector3d s = (second.translation - rotation * view_.translation).normalized();
    Eigen::Matrix3d cross;
    cross << 0, -s.z(), s.y(), s.z(), 0, -s.x(), -s.y(), s.x(), 0;
    const Eigen::Matrix3d truth = (cross * rotation).normalized();
    for (int trial = 0; trial < 30; ++trial) {
        Points2 a, b;
        for (int i = 0; i < 5; ++i)
            a.push_back(seen(view_, points_[size_t(trial * 5 + i)])),
                b.push_back(seen(second, points_[size_t(trial * 5 + i)]));
        const auto found = essentialFromFive(a, b, {0, 1, 2, 3, 4});
        ASSERT_FALSE(found.empty());
        double nearest = 9;
        for (const auto& e : found) {
            nearest = std::min({nearest, (e - truth).norm(), (e + truth).norm()});
            const Eigen::Vector3d values = Eigen::JacobiSVD<Eigen::Matrix3d>(e).singularValues();
            EXPECT_NEAR(values(0), values(1), 1e-5);
            EXPECT_NEAR(values(2), 0, 1e-5);
        }
        EXPECT_LT(nearest, 1e-5) << "trial " << trial;
    }
    Points2 same(5, Eigen::Vector2d(0.1, 0.2));
    EXPECT_TRUE(essentialFromFive(same, same, {0, 1, 2, 3, 4}).empty());
}

TEST_F(Geometry, ResectionAsGoodAsOpenCv) {
    Points2 undistorted;
    std::vector<cv::Point3d> world;
    std::vector<cv::Point2d> pixels;
    const double sigma = 0.5 / 1000;
    for (size_t i = 0; i < points_.size(); ++i) {
        Eigen::Vector2d p = seen(view_, points_[i], sigma);
        if (i % 3 == 0) p = {uniform() - 0.5, uniform() - 0.5};
        undistorted.push_back(p);
        world.emplace_back(points_[i].x(), points_[i].y(), points_[i].z());
        pixels.emplace_back(p.x(), p.y());
    }
    SamplingOptions o;
    o.threshold = 3.0 / 1000;
    const auto ours = robustResection(points_, undistorted, o);
    ASSERT_TRUE(ours.found);
    cv::Mat r, t, rotation;
    cv::theRNG().state = 1;
    ASSERT_TRUE(cv::solvePnPRansac(world, pixels, cv::Mat::eye(3, 3, CV_64F), cv::noArray(), r, t, false, 500,
                                   3.0F / 1000, 0.999));
    cv::Rodrigues(r, rotation);
    const auto angle = [&](const Eigen::Matrix3d& m) {
        return Eigen::AngleAxisd(m * view_.rotation.transpose()).angle();
    };
    EXPECT_LT(angle(ours.model.rotation), 5e-4);
    EXPECT_LT((ours.model.centre() - view_.centre()).norm(), 0.003);
    EXPECT_LT(angle(ours.model.rotation), 1.5 * angle(toEigen(rotation)) + 1e-4);
}

TEST_F(Geometry, ThreePointViewsHoldTheTruth) {
    for (int trial = 0; trial < 50; ++trial) {
        Points2 undistorted;
        for (int i = 0; i < 3; ++i) undistorted.push_back(seen(view_, points_[size_t(trial * 3 + i)]));
        const Points3 three{points_[size_t(trial * 3)], points_[size_t(trial * 3 + 1)], points_[size_t(trial * 3 + 2)]};
        double nearest = 9;
        for (const View& v : viewsFromThree(three, undistorted, {0, 1, 2}))
            nearest =
                std::min(nearest, (v.rotation - view_.rotation).norm() + (v.translation - view_.translation).norm());
        EXPECT_LT(nearest, 1e-5) << "trial " << trial;
    }
    EXPECT_TRUE(viewsFromThree({{0, 0, -5}, {1, 0, -5}, {2, 0, -5}}, {{0, 0}, {0.2, 0}, {0.4, 0}}, {0, 1, 2}).empty())
        << "points on a line";
}

TEST_F(Geometry, TriangulationAsGoodAsOpenCv) {
    const View second = viewFromPose(test::lookAlong({1.4, 0.3, 0.2}, 0.05, -0.02));
    const auto matrix = [](const View& v) {
        cv::Mat m(3, 4, CV_64F);
        for (int r = 0; r < 3; ++r) {
            for (int c = 0; c < 3; ++c) m.at<double>(r, c) = v.rotation(r, c);
            m.at<double>(r, 3) = v.translation(r);
        }
        return m;
    };
    double ours = 0, theirs = 0;
    int n = 0;
    for (const auto& x : points_) {
        const Eigen::Vector2d p = seen(view_, x, 0.5 / 1000), q = seen(second, x, 0.5 / 1000);
        const auto placed = triangulate({{&view_, p, 1}, {&second, q, 1}});
        if (!placed) continue;
        const cv::Mat cp = (cv::Mat_<double>(2, 1) << p.x(), p.y()), cq = (cv::Mat_<double>(2, 1) << q.x(), q.y());
        cv::Mat out;
        cv::triangulatePoints(matrix(view_), matrix(second), cp, cq, out);
        const Eigen::Vector3d cvPoint(out.at<double>(0) / out.at<double>(3), out.at<double>(1) / out.at<double>(3),
                                      out.at<double>(2) / out.at<double>(3));
        ours += (placed->position - x).squaredNorm();
        theirs += (cvPoint - x).squaredNorm();
        ++n;
    }
    ASSERT_GT(n, 190);
    EXPECT_LT(std::sqrt(ours / n), 1.05 * std::sqrt(theirs / n));
    EXPECT_FALSE(triangulate({{&view_, {0.1, 0.1}, 1}, {&view_, {0.1, 0.1}, 1}})) << "no baseline";
    EXPECT_FALSE(triangulate({{&view_, {0.1, 0.1}, 1}}));
}

/// The same random sets for both (reference library OpenCV: findHomography, findEssentialMat with recoverPose,
/// solvePnPRansac, triangulatePoints).
TEST(GeometryTrials, AsGoodAsOpenCvOrBetter) {
    for (const test::GeometryTrial& t : test::geometryTrials(200, 3)) {
        EXPECT_LE(t.ours, 1.02 * t.theirs) << t.name;
        EXPECT_LE(t.oursWorst, 1.05 * t.theirsWorst) << t.name;
        EXPECT_EQ(t.oursFailed, 0) << t.name;
    }
}

/// Both readings of a homography are among those that OpenCV gives (reference library: decomposeHomographyMat), and
/// one of them is the truth.
TEST(PlanarStart, ReadingsOfAHomographyAgreeWithOpenCv) {
    std::mt19937_64 random(4);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int k = 0; k < 50; ++k) {
        View second = viewFromPose(
            test::lookAlong({1 + 0.5 * u(random), 0.4 * u(random), 0.4 * u(random)}, 0.2 * u(random), 0.1 * u(random)));
        const View first = viewFromPose(test::lookAlong({0, 0, 0}, 0, 0));
        const Eigen::Matrix3d rotation = second.rotation * first.rotation.transpose();
        second = {rotation, second.translation - rotation * first.translation};
        const Eigen::Vector3d normal = Eigen::Vector3d(0.4 * u(random), 0.4 * u(random), 1).normalized();
        const Eigen::Matrix3d h = second.rotation + second.translation * normal.transpose() / 6;
        Points2 a, b;
        for (int i = 0; i < 30; ++i) {
            a.emplace_back(0.4 * u(random), 0.3 * u(random));
            b.push_back((h * a.back().homogeneous()).hnormalized());
        }
        const auto poses = posesFromHomography(-2.7 * h, a, b);  // scale and sign of H mean nothing
        ASSERT_FALSE(poses.empty());
        ASSERT_LE(poses.size(), 2U);
        std::vector<cv::Mat> turns, shifts, normals;
        cv::decomposeHomographyMat(toCv(h), cv::Mat::eye(3, 3, CV_64F), turns, shifts, normals);
        double truth = 1e9;
        for (const View& p : poses) {
            double near = 1e9;
            for (size_t i = 0; i < turns.size(); ++i) {
                const Eigen::Vector3d t(shifts[i].at<double>(0), shifts[i].at<double>(1), shifts[i].at<double>(2));
                near =
                    std::min(near, (toEigen(turns[i]) - p.rotation).norm() + (t.normalized() - p.translation).norm());
            }
            EXPECT_LT(near, 1e-6);
            truth = std::min(truth, (p.rotation - second.rotation).norm() +
                                        (p.translation - second.translation.normalized()).norm());
        }
        EXPECT_LT(truth, 1e-6);
    }
    const Points2 some{{0, 0}, {0.1, 0}, {0, 0.1}, {0.2, 0.3}};
    EXPECT_TRUE(posesFromHomography(Eigen::Matrix3d::Identity(), some, some).empty()) << "a nodal pan tells no shift";
    EXPECT_TRUE(posesFromHomography(Eigen::Matrix3d::Zero(), some, some).empty());
}

}  // namespace
}  // namespace va
