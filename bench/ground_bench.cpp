// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <random>

#include "geometry_trials.h"
#include "ground/surface_tile.h"
#include "table.h"
#include "workflow/match_shot.h"
#include "workflow/photo_work.h"

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
    std::snprintf(note, sizeof note, "new frame and first tile %.2f ms, each further one %.3f ms; %d found",
                  first * 1e3, again * 10, found);
    table.push_back({"tile_20000_points", first * 1e3, "ms", "<= 30", note});
}

/// Camera from eight known points with noise, against OpenCV's SQPNP with refinement on the same draws.
void measureResection(Table& table) {
    const auto [ours, theirs] = test::photoResectionErrors(100, 5);
    table.push_back(
        {"resection_vs_opencv", ours / theirs, "ratio", "<= 1.02", "position error, eight points with 0.5 px"});
}

/// What a move of the mouse costs while a line of the photo is dragged: the camera fitted anew, and the world with it.
void measurePhotoDrag(Table& table) {
    Progress progress;
    Shot shot = matchShot(withPlate(Shot(), std::string(VA_SOURCE_DIR) + "/demo/data/shed/shed.jpg"), progress);
    const double seconds = bestSeconds(5, [&] {
        shot.photo.lines.front().a.x() += 0.5;
        shot = withPhotoMatched(shot);
    });
    char note[100];
    std::snprintf(note, sizeof note, "%zu lines", shot.photo.lines.size());
    table.push_back({"photo_refit_while_dragging", seconds * 1e3, "ms", "<= 30", note});
}

}  // namespace

void measureGround(Table& table) {
    measureTile(table);
    measureResection(table);
    measurePhotoDrag(table);
}

}  // namespace va::bench
