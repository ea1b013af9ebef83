// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/remeasure.h"

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "base/parallel.h"
#include "track/calibrate.h"
#include "track/feature_tracker.h"
#include "track/frame_reader.h"
#include "track/track.h"

namespace va {
namespace {

constexpr int longestSmear = 64;  ///< px
constexpr int framesToAsk = 8, pathsToAsk = 80;

double median(std::vector<double> v) {
    if (v.empty()) return 0;
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}

struct Reference {
    std::optional<ReferencePatch> patch;
    Eigen::Vector2d offset = Eigen::Vector2d::Zero();  ///< of the spot from the patch's middle
    double carried = 0;                                ///< px², of the place it was taken at
};

/// One path in one smeared frame, and the frame its reference is taken from.
struct Task {
    size_t path = 0;
    int frame = 0, reference = 0;
};

class Remeasurer {
  public:
    Remeasurer(RemeasureRequest& request, Progress& progress)
        : r_(request), paths_(result_.paths), progress_(progress) {
        paths_ = std::move(r_.paths);
    }

    RemeasureResult run() {
        findSpeeds();
        std::vector<std::pair<double, int>> fastest;
        for (const auto& [frame, speed] : speed_)
            if (speed > r_.leastSmear) fastest.emplace_back(-speed, frame);
        // The largest share that a shutter can be open is all of the frame's time.
        if (fastest.empty() || largestChange_ < r_.leastChange) return std::move(result_);
        std::sort(fastest.begin(), fastest.end());
        std::vector<int> asked;
        for (const auto& [speed, frame] : fastest)
            if (int(asked.size()) < framesToAsk) asked.push_back(frame);
        for (const auto& [speed, frame] : fastest) smeared_.insert(frame);
        std::sort(asked.begin(), asked.end());
        if (!findShutter(asked)) return std::move(result_);
        smeared_.clear();
        for (const auto& [frame, speed] : speed_)
            if (speed * result_.openShare >= r_.leastSmear) smeared_.insert(frame);
        measureSmeared();
        moveTheRest();
        return std::move(result_);
    }

  private:
    [[nodiscard]] bool free(const Path& path) const { return !path.setAside && path.origin == PathOrigin::automatic; }

    void findSpeeds() {
        for (const int frame : r_.frames) {
            std::vector<double> speeds, changes;
            for (const Path& path : paths_)
                if (free(path) && path.at(frame))
                    if (const auto p = r_.passage(path, frame, frame)) {
                        speeds.push_back(p->velocity.norm());
                        changes.push_back(p->acceleration.norm());
                    }
            speed_[frame] = median(std::move(speeds));
            largestChange_ = std::max(largestChange_, median(std::move(changes)));
        }
    }

    /// Where a path's reference for a smeared frame is taken: where it was first seen if that is sharp, else the
    /// nearest sharp frame of the path.
    [[nodiscard]] std::optional<int> referenceFor(const Path& path, int frame) const {
        const PathPoint* here = path.at(frame);
        if (path.at(path.referenceFrame) && !smeared_.contains(path.referenceFrame) && (!here || here->chain == 0))
            return path.referenceFrame;
        const PathPoint* best = nullptr;
        for (const PathPoint& p : path.points)
            if (!smeared_.contains(p.frame) && p.counts() && p.origin != PointOrigin::carried &&
                (!best || std::abs(p.frame - frame) < std::abs(best->frame - frame)))
                best = &p;
        if (!best) return std::nullopt;
        return best->frame;
    }

    [[nodiscard]] std::vector<Task> tasksIn(const std::vector<int>& frames, size_t atMost) const {
        std::vector<Task> out;
        for (const int frame : frames) {
            std::vector<Task> here;
            for (size_t k = 0; k < paths_.size(); ++k) {
                const Path& path = paths_[k];
                if (!free(path) || !path.frames().contains(frame)) continue;
                if (const PathPoint* p = path.at(frame); p && p->origin == PointOrigin::byHand) continue;
                if (const auto reference = referenceFor(path, frame)) here.push_back({k, frame, *reference});
            }
            const size_t every = std::max<size_t>(1, here.size() / std::max<size_t>(1, atMost));
            for (size_t i = 0; i < here.size(); i += every) out.push_back(here[i]);
        }
        return out;
    }

    using References = std::map<std::pair<size_t, int>, Reference>;

    References takeReferences(const std::vector<Task>& tasks) {
        References out;
        std::map<int, std::set<size_t>> byFrame;
        for (const Task& t : tasks) byFrame[t.reference].insert(t.path);
        std::vector<int> frames;
        for (const auto& [frame, which] : byFrame) frames.push_back(frame);
        FrameReader reader(frames, r_.read, {}, 1);
        for (const int frame : frames) {
            progress_.check();
            const Pyramid picture = reader.next();
            std::vector<std::pair<const Path*, Reference*>> work;
            for (const size_t k : byFrame[frame]) work.emplace_back(&paths_[k], &out[{k, frame}]);
            parallelRanges(int(work.size()), 8, [&](int begin, int end) {
                for (int i = begin; i < end; ++i) {
                    const auto& [path, reference] = work[size_t(i)];
                    const PathPoint* at = path->at(frame);
                    const int radius = path->radius > 0 ? path->radius : defaultPatchRadius(picture.level(0).width);
                    reference->patch.emplace(picture.level(0), int(std::lround(at->x)), int(std::lround(at->y)), radius,
                                             longestSmear);
                    reference->offset = Eigen::Vector2d(at->x, at->y) - reference->patch->middle();
                    if (frame != path->referenceFrame) reference->carried = 0.5 * double(at->sxx + at->syy);
                }
            });
        }
        return out;
    }

    /// Registers a reference that was blurred along a passage with the shutter open for `share`.
    [[nodiscard]] std::optional<ReferencePatch::Result> look(const Reference& reference, const Passage& passage,
                                                             const Pyramid& picture, double share,
                                                             MotionModel model) const {
        if (!reference.patch || !reference.patch->usable()) return std::nullopt;
        const Eigen::Matrix2d back = passage.middle.shape.inverse();
        const Eigen::Vector2d sweep = share * (back * passage.velocity),
                              distortion = 0.5 * share * share * (back * passage.acceleration);
        if (!(sweep.norm() < longestSmear - 4)) return std::nullopt;
        const bool sharp = !(sweep.norm() + 0.5 * distortion.norm() > 0.5);
        const ReferencePatch blurred = sharp ? *reference.patch : reference.patch->blurredAlong(sweep, distortion);
        if (!blurred.usable()) return std::nullopt;
        Placement start = passage.middle;
        start.at -= start.shape * reference.offset;
        ReferencePatch::Options options;
        options.model = MotionModel::translation;
        const auto near = blurred.registerIn(picture, start, options);
        if (!near || model == MotionModel::translation) return near;
        options.model = model;
        const auto full = blurred.registerIn(picture, near->placement, options);
        return full && full->correlation > near->correlation ? full : near;
    }

    bool findShutter(const std::vector<int>& frames) {
        constexpr int steps = 11;  // none, a tenth, … all of the frame's time
        const std::vector<Task> tasks = tasksIn(frames, pathsToAsk);
        const References references = takeReferences(tasks);
        std::vector<std::array<double, steps>> likes(tasks.size());
        forFrames(frames, tasks, [&](size_t i, const Pyramid& picture) {
            const Task& t = tasks[i];
            likes[i].fill(-1);
            const auto passage = r_.passage(paths_[t.path], t.reference, t.frame);
            if (!passage) return;
            for (int k = 0; k < steps; ++k)
                if (const auto r = look(references.at({t.path, t.reference}), *passage, picture, 0.1 * k,
                                        MotionModel::translation))
                    likes[i][size_t(k)] = r->correlation;
        });
        // Each frame has its say: the speed that is taken for it may be off.
        std::vector<double> shares;
        int blurredFrames = 0;
        for (const int frame : frames) {
            std::array<double, steps> sum{};
            int n = 0;
            for (size_t i = 0; i < tasks.size(); ++i) {
                if (tasks[i].frame != frame || *std::max_element(likes[i].begin(), likes[i].end()) < 0.6 ||
                    *std::min_element(likes[i].begin(), likes[i].end()) <= -1)
                    continue;
                for (size_t k = 0; k < steps; ++k) sum[k] += likes[i][k];
                ++n;
            }
            if (n < 8) continue;
            const auto best = size_t(std::max_element(sum.begin(), sum.end()) - sum.begin());
            double share = 0.1 * double(best);
            if (best > 0 && best + 1 < steps) {
                const double distortion = sum[best - 1] - 2 * sum[best] + sum[best + 1];
                if (distortion < 0) share += 0.05 * (sum[best - 1] - sum[best + 1]) / distortion;
            }
            shares.push_back(share);
            blurredFrames += best > 0 && (sum[best] - sum[0]) / n > 0.004;
        }
        if (shares.empty() || blurredFrames * 2 < int(shares.size())) return false;
        result_.openShare = median(std::move(shares));
        return result_.openShare > 0.05;
    }

    void measureSmeared() {
        const std::vector<int> frames(smeared_.begin(), smeared_.end());
        result_.frames = frames;
        const std::vector<Task> tasks = tasksIn(frames, size_t(-1));
        const References references = takeReferences(tasks);
        std::vector<std::optional<PathPoint>> found(tasks.size());
        forFrames(frames, tasks, [&](size_t i, const Pyramid& picture) {
            const Task& t = tasks[i];
            const Path& path = paths_[t.path];
            const auto passage = r_.passage(path, t.reference, t.frame);
            if (!passage) return;
            const Reference& reference = references.at({t.path, t.reference});
            const auto r = look(reference, *passage, picture, result_.openShare, path.model);
            if (!r || r->correlation < r_.lowestQuality) return;
            const Eigen::Vector2d at = r->placement.at + r->placement.shape * reference.offset;
            if (!((at - passage->middle.at).norm() < r_.reach) || (r_.allowed && !r_.allowed(t.frame, at.x(), at.y())))
                return;
            PathPoint p;
            p.frame = t.frame;
            p.x = at.x();
            p.y = at.y();
            p.quality = float(std::min(1.0, r->correlation));
            p.origin = path.at(t.frame) ? path.at(t.frame)->origin : PointOrigin::foundAgain;
            const double noise = r->covariance.trace();
            takeCovariance(p, r->covariance, noise > 0 ? r->scatter.trace() / noise : 1, reference.carried);
            notBetterThanSharp(path, p);
            found[i] = p;
        });
        for (size_t i = 0; i < tasks.size(); ++i) {
            Path& path = paths_[tasks[i].path];
            PathPoint* had = path.at(tasks[i].frame);
            if (found[i]) {
                if (had) found[i]->aside = had->aside, found[i]->masked = had->masked;
                path.put(*found[i]);
                ++result_.points;
            } else if (had) {
                moveToMiddle(path, *had);
            }
        }
    }

    /// A smear is never measured better than the same path where it is sharp, whose covariances have been calibrated.
    void notBetterThanSharp(const Path& path, PathPoint& p) const {
        const PathPoint* near = nullptr;
        for (const PathPoint& q : path.points)
            if (!smeared_.contains(q.frame) && q.sxx + q.syy > 0 &&
                (!near || std::abs(q.frame - p.frame) < std::abs(near->frame - p.frame)))
                near = &q;
        if (near) takeNoBetterThan(p, *near);
    }

    void moveToMiddle(const Path& path, PathPoint& p) const {
        if (p.origin == PointOrigin::byHand) return;
        const auto passage = r_.passage(path, p.frame, p.frame);
        if (!passage) return;
        const Eigen::Vector2d off = result_.openShare * result_.openShare / 24 * passage->acceleration;
        if (off.norm() > 1) return;
        p.x -= off.x();
        p.y -= off.y();
    }

    void moveTheRest() {
        for (Path& path : paths_)
            if (free(path))
                for (PathPoint& p : path.points)
                    if (speed_.contains(p.frame) && !smeared_.contains(p.frame)) moveToMiddle(path, p);
    }

    /// Calls `work` with every task's index and its frame's picture, in parallel within a frame.
    template <class Work>
    void forFrames(const std::vector<int>& frames, const std::vector<Task>& tasks, const Work& work) {
        FrameReader reader(frames, r_.read, {}, 2);
        for (const int frame : frames) {
            progress_.check();
            const Pyramid picture = reader.next();
            std::vector<size_t> here;
            for (size_t i = 0; i < tasks.size(); ++i)
                if (tasks[i].frame == frame) here.push_back(i);
            parallelRanges(int(here.size()), 8, [&](int begin, int end) {
                for (int i = begin; i < end; ++i) work(here[size_t(i)], picture);
            });
        }
    }

    RemeasureRequest& r_;
    RemeasureResult result_;
    std::vector<Path>& paths_;
    Progress& progress_;
    double largestChange_ = 0;     ///< px a frame², of the median path, over the frames
    std::map<int, double> speed_;  ///< px a frame, of the median path
    std::set<int> smeared_;
};

}  // namespace

RemeasureResult remeasureSmeared(RemeasureRequest request, Progress& progress) {
    return Remeasurer(request, progress).run();
}

}  // namespace va
