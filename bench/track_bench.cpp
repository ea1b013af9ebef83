// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <opencv2/video/tracking.hpp>

#include "media/plate_source.h"
#include "pictures.h"
#include "table.h"
#include "track/find_features.h"
#include "track/track.h"
#include "warp.h"

namespace va::bench {
namespace {

constexpr int radius = 10;  // OpenCV's usual window of 21 × 21
const cv::Size window(2 * radius + 1, 2 * radius + 1);
const cv::TermCriteria stop(cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 30, 0.01);

/// Seconds, and the last positions of the features that survived, for both trackers over the same frames and start
/// points.
struct Run {
    double ours = 0, theirs = 0;
    long ourSteps = 0, theirSteps = 0;
    std::vector<std::optional<Eigen::Vector2d>> ourEnd, theirEnd;
};

Run track(const std::vector<Luma>& frames, const std::vector<FoundFeature>& start) {
    Run run;
    const StepOptions options;
    Pyramid before(frames[0], 4), spare;
    std::vector<FeatureTracker> trackers;
    for (const auto& f : start) trackers.emplace_back(before, f.x, f.y, radius);
    std::vector<char> alive(trackers.size(), 1);
    auto clock = std::chrono::steady_clock::now();
    for (size_t i = 1; i < frames.size(); ++i) {
        Pyramid now(frames[i], 4, std::move(spare));
        for (size_t k = 0; k < trackers.size(); ++k) {
            if (!alive[k]) continue;
            ++run.ourSteps;
            alive[k] = trackers[k].step(before, now, options) != StepOutcome::lost;
        }
        spare = std::move(before);
        before = std::move(now);
    }
    run.ours = std::chrono::duration<double>(std::chrono::steady_clock::now() - clock).count();
    for (size_t k = 0; k < trackers.size(); ++k)
        run.ourEnd.push_back(alive[k] ? std::optional(Eigen::Vector2d(trackers[k].point().x, trackers[k].point().y))
                                      : std::nullopt);

    std::vector<cv::Mat> pictures;
    for (const Luma& l : frames) pictures.push_back(bytes(l));
    cv::setNumThreads(1);
    std::vector<cv::Point2f> at, next;
    std::vector<size_t> which;
    for (size_t k = 0; k < start.size(); ++k) at.emplace_back(float(start[k].x), float(start[k].y)), which.push_back(k);
    std::vector<cv::Mat> pyramid, nextPyramid;
    cv::buildOpticalFlowPyramid(pictures[0], pyramid, window, 3);
    clock = std::chrono::steady_clock::now();
    for (size_t i = 1; i < pictures.size() && !at.empty(); ++i) {
        std::vector<uchar> status;
        std::vector<float> error;
        cv::buildOpticalFlowPyramid(pictures[i], nextPyramid, window, 3);
        cv::calcOpticalFlowPyrLK(pyramid, nextPyramid, at, next, status, error, window, 3, stop);
        run.theirSteps += long(at.size());
        std::vector<cv::Point2f> kept;
        std::vector<size_t> keptWhich;
        for (size_t k = 0; k < next.size(); ++k)
            if (status[k]) kept.push_back(next[k]), keptWhich.push_back(which[k]);
        at = kept;
        which = keptWhich;
        std::swap(pyramid, nextPyramid);
    }
    run.theirs = std::chrono::duration<double>(std::chrono::steady_clock::now() - clock).count();
    cv::setNumThreads(-1);
    run.theirEnd.assign(start.size(), std::nullopt);
    for (size_t k = 0; k < at.size(); ++k) run.theirEnd[which[k]] = Eigen::Vector2d(at[k].x, at[k].y);
    return run;
}

/// RMS distance from the true end over features that both tracked: {ours, theirs, features}.
std::array<double, 3> drift(const std::function<test::RotationZoom(double t)>& move) {
    const Luma photo = test::loadPhoto("aloeL.jpg");
    const int width = 900, height = 700, count = 60;
    std::vector<Luma> frames;
    for (int i = 0; i < count; ++i) {
        const test::RotationZoom m = move(i / double(count - 1));
        frames.push_back(test::warped(
            photo, width, height,
            [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return m.back(p) + Eigen::Vector2d(190, 200); }, 2.0,
            unsigned(i)));
    }
    FindOptions find;
    find.count = 200;
    find.margin = 130;
    const auto start = findFeatures(Pyramid(frames[0], 1).level(0), {}, find);
    const Run run = track(frames, start);
    double ours = 0, theirs = 0;
    int n = 0;
    for (size_t k = 0; k < start.size(); ++k) {
        if (!run.ourEnd[k] || !run.theirEnd[k]) continue;
        const Eigen::Vector2d truth = move(1).forward(move(0).back(Eigen::Vector2d(start[k].x, start[k].y)));
        const double theirError = (*run.theirEnd[k] - truth).norm();
        if (theirError > 5) continue;  // lost, not drifted: that would flatter the ratio
        ours += (*run.ourEnd[k] - truth).squaredNorm();
        theirs += theirError * theirError;
        ++n;
    }
    return {std::sqrt(ours / std::max(1, n)), std::sqrt(theirs / std::max(1, n)), double(n)};
}

}  // namespace

void measureTracking(Table& table) {
    const auto source = openPlate(std::string(VA_SOURCE_DIR) + "/demo/data/slipway/slipway.mp4");
    std::vector<Luma> frames;
    for (int f = 1001; f <= 1060; ++f) frames.push_back(source->luma(f));
    FindOptions find;
    find.count = 300;
    find.margin = 14;
    const auto start = findFeatures(Pyramid(frames[0], 1).level(0), {}, find);
    double best = 1e9, ours = 0, theirs = 0;
    for (int i = 0; i < 3; ++i) {
        const Run run = track(frames, start);
        const double a = run.ours / double(run.ourSteps), b = run.theirs / double(run.theirSteps);
        if (a / b < best) best = a / b, ours = a, theirs = b;
    }
    char note[200];
    std::snprintf(note, sizeof note, "%.1f against %.1f µs a point and frame, pyramids included, %zu points, one core",
                  ours * 1e6, theirs * 1e6, start.size());
    table.push_back({"follow_time_vs_opencv", best, "ratio", "<= 1", note});

    const auto turning = drift([](double t) {
        return test::RotationZoom{{450, 350}, t * 12 * M_PI / 180, 1 + 0.15 * t, {0, 0}};
    });
    std::snprintf(note, sizeof note, "12° and 15 %% over 60 frames: %.4f against %.4f px over %.0f features",
                  turning[0], turning[1], turning[2]);
    table.push_back({"follow_drift_vs_opencv", turning[0] / turning[1], "ratio", "<= 0.2", note});
    const auto shifting = drift([](double t) { return test::RotationZoom{{450, 350}, 0, 1, {41.3 * t, -22.7 * t}}; });
    std::snprintf(note, sizeof note, "pure shift over 60 frames: %.4f against %.4f px over %.0f features", shifting[0],
                  shifting[1], shifting[2]);
    table.push_back({"follow_shift_vs_opencv", shifting[0] / shifting[1], "ratio", "<= 1", note});
}

}  // namespace va::bench
