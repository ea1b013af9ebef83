// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <opencv2/calib3d.hpp>
#include <random>

#include "ground/photo_match.h"
#include "ground/surface_tile.h"
#include "table.h"

namespace va::bench {
namespace {

/// The surface tile over 20 000 points: a new frame and one question, and a question alone.
void measureTile(Table& table) {
    std::mt19937_64 random(1);
    std::uniform_real_distribution<double> uniform(-1, 1);
    auto solve = std::make_shared<SolveResult>();
    solve->motion = Motion::free;
    GroundBasis basis;
    basis.solve = solve;
    for (int i = 0; i < 20000; ++i) {
        SurePoint p;
        p.pathId = i + 1;
        p.position = {6 * uniform(random), i % 3 ? 0 : 1.5 + 1.5 * uniform(random), -4 + 4 * uniform(random)};
        p.covariance = 1e-6 * Eigen::Matrix3d::Identity();
        p.depth = 6;
        p.perPx = 0.006;
        basis.points.push_back(p);
    }
    Intrinsics lens;
    lens.focalPx = 1500;
    lens.principalPoint = {959.5, 539.5};
    const FrameCamera camera({{0, 1.6, 4}, Eigen::Quaterniond::Identity()}, lens);
    const GroundFit ground;
    int found = 0;
    const double first = bestSeconds(5, [&] {
        const SurfaceFinder finder(basis, ground, camera, 1920, 1080);
        found += finder.at({900, 800}).has_value();
    });
    const SurfaceFinder finder(basis, ground, camera, 1920, 1080);
    const double again = bestSeconds(5, [&] {
        for (int i = 0; i < 100; ++i) found += finder.at({400 + 10.0 * i, 700}).has_value();
    });
    char note[160];
    std::snprintf(note, sizeof note, "new frame and first tile %.2f ms, each further one %.3f ms; %d found", first * 1e3,
                  again * 10, found);
    table.push_back({"tile_20000_points", first * 1e3, "ms", "<= 30", note});
}

/// Camera from eight known points with noise, against OpenCV's SQPNP with refinement on the same draws.
void measureResection(Table& table) {
    std::mt19937_64 random(5);
    std::normal_distribution<double> normal;
    std::uniform_real_distribution<double> uniform(-1, 1);
    double ours = 0, theirs = 0;
    for (int trial = 0; trial < 100; ++trial) {
        Intrinsics lens;
        lens.focalPx = 1200;
        lens.principalPoint = {799.5, 533};
        CameraPose pose;
        pose.position = {2 * uniform(random), 1.6, 6};
        PhotoEvidence e;
        e.width = 1600, e.height = 1067;
        e.focalPx = lens.focalPx, e.focalSigma = 0;
        std::vector<cv::Point3d> points;
        std::vector<cv::Point2d> pixels;
        while (points.size() < 8) {
            const Eigen::Vector3d x(3 * uniform(random), 1.5 + 1.5 * uniform(random), 2 * uniform(random));
            const auto p = project(pose, lens, x);
            if (!p) continue;
            const Eigen::Vector2d noisy = *p + 0.5 * Eigen::Vector2d(normal(random), normal(random));
            e.spots.push_back({noisy, x, 0.5, ""});
            points.emplace_back(x.x(), x.y(), x.z());
            pixels.emplace_back(noisy.x(), noisy.y());
        }
        ours += (matchPhoto(e).pose.position - pose.position).squaredNorm();
        const cv::Mat k = (cv::Mat_<double>(3, 3) << 1200, 0, 799.5, 0, 1200, 533, 0, 0, 1);
        cv::Mat turn, shift;
        cv::solvePnP(points, pixels, k, cv::noArray(), turn, shift, false, cv::SOLVEPNP_SQPNP);
        cv::solvePnPRefineLM(points, pixels, k, cv::noArray(), turn, shift);
        cv::Matx33d r;
        cv::Rodrigues(turn, r);
        const cv::Matx31d c = -(r.t() * cv::Matx31d(shift.at<double>(0), shift.at<double>(1), shift.at<double>(2)));
        theirs += (Eigen::Vector3d(c(0), c(1), c(2)) - pose.position).squaredNorm();
    }
    table.push_back({"resection_vs_opencv", std::sqrt(ours / theirs), "ratio", "<= 1.02",
                     "position error, eight points with 0.5 px"});
}

}  // namespace

void measureGround(Table& table) {
    measureTile(table);
    measureResection(table);
}

}  // namespace va::bench
