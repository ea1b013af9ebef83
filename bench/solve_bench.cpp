// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/resource.h>
#include <unistd.h>

#include <cmath>
#include <fstream>

#include "geometry_trials.h"
#include "solve/solver.h"
#include "synthetic_shot.h"
#include "table.h"

namespace va::bench {
namespace {

test::SyntheticShot longTravel(int frames, int points) {
    test::SyntheticOptions o;
    o.frames = frames;
    o.points = points;
    o.noisePx = 0.15;
    o.outlierShare = 0.05;
    o.camera = [frames](double t) {
        const double s = t * frames * 0.16;
        return test::lookAlong({s, 0.2 * std::sin(0.1 * s), 0.4 * std::sin(0.04 * s)}, 0.25 * std::sin(0.025 * s),
                               0.03 * std::sin(0.07 * s));
    };
    return makeSyntheticShot(o);
}

double peakMegabytes() {
    rusage use{};
    getrusage(RUSAGE_SELF, &use);
    return double(use.ru_maxrss) / 1024;
}

}  // namespace

void measureSolve(Table& table) {
    for (const test::GeometryTrial& t : test::geometryTrials(400, 11)) {
        char note[300];
        std::snprintf(note, sizeof note,
                      "median error %.4f %s, OpenCV %.4f; of 95 in 100 below %.3f, %.3f; failed %d, %d; time %.2f of "
                      "OpenCV's",
                      t.ours, t.errorUnit.c_str(), t.theirs, t.oursWorst, t.theirsWorst, t.oursFailed, t.theirsFailed,
                      t.oursSeconds / t.theirsSeconds);
        table.push_back({t.name + "_error_vs_opencv", t.ours / t.theirs, "ratio", "<= 1.0", note});
    }
    Progress progress;
    {
        const test::SyntheticShot s = longTravel(200, 620);
        const SolveResult first = solveShot(s.paths, s.request, progress);
        auto edited = s.paths;
        edited[edited.size() / 2].setAside = true;
        SolveResult after;
        const double seconds = bestSeconds(2, [&] { after = updateSolve(edited, s.request, first, progress); });
        char note[200];
        std::snprintf(note, sizeof note, "200 frames, %zu paths, one set aside: %.2f s, from nothing %.2f s",
                      edited.size(), seconds, first.solveSeconds);
        table.push_back({"update_200_frames", seconds, "s", "<= 1", note});
    }
    const test::SyntheticShot s = longTravel(1000, 20000);
    size_t seen = 0;
    for (const Path& p : s.paths) seen += p.points.size();
    SolveResult r;
    const double seconds = bestSeconds(1, [&] { r = solveShot(s.paths, s.request, progress); });
    char note[300];
    std::snprintf(note, sizeof note, "%zu paths, %.2f million observations: %d of 1000 frames, fit %.3f px",
                  s.paths.size(), double(seen) / 1e6, r.solvedCount(), r.rmsPx);
    table.push_back({"solve_1000_frames", seconds, "s", "<= 60", note});
    table.push_back({"solve_1000_frames_memory", peakMegabytes(), "MB", "<= 2000", "peak of the whole process"});
}

}  // namespace va::bench
