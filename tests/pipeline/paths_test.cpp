// SPDX-License-Identifier: GPL-3.0-or-later
// Paths on the demo clips against the true cameras: what is wrong in the same way over many frames distorts a solve,
// and is what chained tracking is full of.
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <opencv2/video/tracking.hpp>
#include <set>

#include "base/atomic_file.h"
#include "path_truth.h"
#include "track/flat_patch.h"
#include "workflow/match_shot.h"

namespace va {
namespace {

const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";

/// The same points tracked from frame to frame by OpenCV's pyramidal Lucas–Kanade, for as long as ours were seen.
std::vector<Path> chained(const std::vector<Path>& ours, const Shot& shot, const std::set<int>& ids) {
    const auto source = openPlate(shot.plateSpec);
    std::map<int, Path> out;
    cv::Mat before;
    for (const int frame : shot.frames()) {
        const Luma luma = source->luma(frame);
        cv::Mat now(luma.height, luma.width, CV_8U);
        for (int y = 0; y < luma.height; ++y)
            for (int x = 0; x < luma.width; ++x) now.at<uchar>(y, x) = cv::saturate_cast<uchar>(luma.at(x, y));
        std::vector<cv::Point2f> from, to;
        std::vector<int> who;
        for (const Path& p : ours) {
            if (!ids.contains(p.id) || frame < p.referenceFrame || !p.at(frame)) continue;
            const auto at = out.find(p.id);
            if (at == out.end()) {
                Path& fresh = out[p.id];
                fresh.id = p.id;
                fresh.referenceFrame = frame;
                fresh.points.push_back(*p.at(frame));
                fresh.points.back().sxx = fresh.points.back().syy = 0.01f;
                fresh.points.back().sxy = 0;
            } else if (at->second.points.back().frame == frame - 1) {
                from.emplace_back(float(at->second.points.back().x), float(at->second.points.back().y));
                who.push_back(p.id);
            }
        }
        if (!from.empty()) {
            std::vector<uchar> status;
            std::vector<float> error;
            const int side = 2 * defaultPatchRadius(luma.width) + 1;
            cv::calcOpticalFlowPyrLK(before, now, from, to, status, error, cv::Size(side, side), 3,
                                     cv::TermCriteria(cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 30, 0.01));
            for (size_t i = 0; i < to.size(); ++i) {
                if (!status[i]) continue;
                PathPoint q = out[who[i]].points.back();
                q.frame = frame;
                q.x = double(to[i].x);
                q.y = double(to[i].y);
                out[who[i]].points.push_back(q);
            }
        }
        before = now;
    }
    std::vector<Path> list;
    for (auto& [id, p] : out) list.push_back(std::move(p));
    return list;
}

struct SlowError {
    double ours = 0, chained = 0;
    int paths = 0;
};

/// RMS over paths of the slow part of their error: ours weighed as the solve weighs them, theirs as they are.
/// `leaveOut` frames don't count.
SlowError slowError(const std::string& plate, const std::string& truthFile, FrameRange leaveOut = {}) {
    Progress progress;
    const Shot s = matchShot(withPlate(Shot(), data + plate), progress);
    const test::TrueCameras truth = test::readTrueCameras(data + truthFile);
    std::map<int, const SolvedPoint*> points;
    std::map<int, std::set<int>> unused;
    for (const SolvedPoint& p : s.solve->points)
        if (!p.heldBack) points[p.pathId] = &p;
    for (const SolveOutlier& o : s.solve->outliers) unused[o.pathId].insert(o.frames.begin(), o.frames.end());
    const auto counts = [&](const Path& p, const PathPoint& q) {
        const auto at = points.find(p.id);
        return at != points.end() && at->second->stretch.contains(q.frame) && !unused[p.id].contains(q.frame) &&
               (leaveOut.empty() || !leaveOut.contains(q.frame));
    };
    SlowError out;
    double weights = 0, sum = 0;
    std::set<int> ids;
    for (const test::PathError& e : test::pathErrors(*s.paths, truth, 20, counts)) {
        double variance = 0;
        int n = 0;
        for (const PathPoint& q : s.path(e.id)->points)
            if (counts(*s.path(e.id), q)) variance += 0.5 * double(q.sxx + q.syy), ++n;
        const double w = points[e.id]->weight * points[e.id]->weight * n / variance;
        weights += w;
        sum += w * e.slowPx * e.slowPx;
        ids.insert(e.id);
    }
    out.paths = int(ids.size());
    out.ours = std::sqrt(sum / weights);
    double theirs = 0;
    int n = 0;
    for (const test::PathError& e : test::pathErrors(chained(*s.paths, s, ids), truth, 20))
        theirs += e.slowPx * e.slowPx, ++n;
    out.chained = std::sqrt(theirs / std::max(1, n));
    std::printf("%s: slow error %.4f px over %d paths; chained tracking on the same points %.4f px\n", plate.c_str(),
                out.ours, out.paths, out.chained);
    return out;
}

TEST(CorrelatedError, Slipway) {
    const SlowError e = slowError("slipway/slipway.mp4", "slipway/slipway.truth.json");
    EXPECT_GT(e.paths, 200);
    EXPECT_LE(e.ours, 0.05);
    EXPECT_LT(e.ours, 0.5 * e.chained);
}

TEST(CorrelatedError, Jib) {
    const SlowError e = slowError("jib", "jib/jib.truth.json");
    EXPECT_GT(e.paths, 80);
    EXPECT_LE(e.ours, 0.05);
    EXPECT_LT(e.ours, 0.5 * e.chained);
}

// In the stumble the camera turns so unevenly while the shutter is open that the middle of the smear lies up to 0.4 px
// off where the camera was at the shutter's middle (acceleration × open time² / 24), which is what the truth holds.
TEST(CorrelatedError, BoardwalkBesideTheStumble) {
    const SlowError e = slowError("boardwalk/boardwalk.mp4", "boardwalk/boardwalk.truth.json", {1062, 1074});
    EXPECT_GT(e.paths, 150);
    EXPECT_LE(e.ours, 0.05);
    EXPECT_LT(e.ours, 0.5 * e.chained);
}

/// The sign, drawn by an eye that is two pixels off nowhere, against its true corners.
TEST(Patch, TheSignStaysOnTheSign) {
    const auto truth = nlohmann::json::parse(readFile(data + "slipway/slipway.truth.json"));
    std::map<int, Corners> corners;
    for (const auto& plane : truth.at("planes"))
        if (plane.at("name") == "sign")
            for (const auto& seen : plane.at("seen"))
                for (size_t i = 0; i < 4; ++i)
                    corners[seen[0].get<int>()][i] = {seen[1 + 2 * i].get<double>(), seen[2 + 2 * i].get<double>()};
    const auto source = openPlate(data + "slipway/slipway.mp4");
    FlatPatch sign;
    sign.referenceFrame = 1001;
    sign.corners = corners.at(1001);
    // A hand's breadth inside of the board: the background must not be part of it.
    const Eigen::Vector2d middle = 0.25 * (sign.corners[0] + sign.corners[1] + sign.corners[2] + sign.corners[3]);
    for (const auto& c : sign.corners) sign.outline.push_back(middle + 0.96 * (c - middle));
    PatchTrackRequest request;
    request.patch = sign;
    for (int f = 1001; f <= 1060; ++f) request.frames.push_back(f);
    request.read = [&](int f) { return source->luma(f); };
    Progress progress;
    const FlatPatch tracked = trackPatch(std::move(request), progress);
    ASSERT_EQ(tracked.frames.size(), 60U) << tracked.trouble;
    double sum = 0, worst = 0;
    for (const PatchFrame& f : tracked.frames)
        for (size_t i = 0; i < 4; ++i) {
            const double e = ((*tracked.cornersAt(f.frame))[i] - corners.at(f.frame)[i]).norm();
            sum += e * e, worst = std::max(worst, e);
        }
    const double rms = std::sqrt(sum / (4.0 * 60));
    std::printf("sign over 60 frames: corners %.3f px RMS, worst %.3f px\n", rms, worst);
    EXPECT_LT(rms, 0.2);
    EXPECT_LT(worst, 0.6);
}

}  // namespace
}  // namespace va
