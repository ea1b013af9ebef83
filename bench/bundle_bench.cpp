// SPDX-License-Identifier: GPL-3.0-or-later
#include "bal.h"
#include "ceres_bundle.h"
#include "shot_problem.h"
#include "table.h"

namespace va::bench {
namespace {

void compare(Table& table, const std::string& name, const char* goal, const BundleProblem& start,
             BundleOptions options) {
    options.iterations = 60;
    options.stopWhenCostFallsBy = 1e-6;
    BundleSummary ours, theirs;
    double best = 1e9, theirBest = 1e9;
    for (int round = 0; round < 2; ++round) {
        BundleProblem a = start, b = start;
        ours = bundle(a, options);
        theirs = test::ceresBundle(b, options, 2);
        best = std::min(best, ours.seconds), theirBest = std::min(theirBest, theirs.seconds);
    }
    char note[300];
    std::snprintf(note, sizeof note,
                  "%zu views, %zu observations: ours %.2f s in %d steps to %.8e; Ceres (analytic derivatives, "
                  "SPARSE_SCHUR, two threads) %.2f s in %d steps to %.8e",
                  start.views.size(), start.observations.size(), best, ours.iterations, ours.finalCost, theirBest,
                  theirs.iterations, theirs.finalCost);
    table.push_back({name, best / theirBest, "ratio", goal, note});
}

}  // namespace

void measureBundle(Table& table) {
    BundleOptions options;
    options.solved = {LensValue::focal, LensValue::k1, LensValue::k2};
    compare(table, "bundle_time_vs_ceres_pictures", "",
            test::readBal(std::string(VA_TEST_DATA) + "/bal/problem-16-22106-pre.txt.bz2"), options);
    test::ShotProblemOptions shot;
    shot.views = 200, shot.points = 1000;
    const test::ShotProblem p = test::makeShotProblem(shot);
    compare(table, "bundle_time_vs_ceres_shot", "<= 0.5", p.start, p.options);
}

}  // namespace va::bench
