// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/track.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "base/error.h"
#include "base/parallel.h"
#include "base/row_sums.h"
#include "track/calibrate.h"
#include "track/find_features.h"
#include "track/frame_reader.h"
#include "track/patch.h"

namespace va {
namespace {

struct Live {
    FeatureTracker tracker;
    Path path;
    Eigen::Vector2d expected = Eigen::Vector2d::Zero();
    StepOutcome outcome = StepOutcome::seen;
};

/// Frame in which the reference that the path's end is measured against was taken.
int referenceFrameOf(const Path& path, bool falling) {
    const PathPoint& end = falling ? path.points.front() : path.points.back();
    if (end.chain == 0) return path.referenceFrame;
    // A re-taken reference comes from the point before the first one measured against it.
    const auto n = int(path.points.size());
    int i = falling ? 0 : n - 1;
    while (i >= 0 && i < n && path.points[size_t(i)].chain == end.chain) i += falling ? 1 : -1;
    return i >= 0 && i < n ? path.points[size_t(i)].frame : path.referenceFrame;
}

double median(std::vector<double>& v) {
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}

/// An affine field of moves, fitted robustly (Cauchy weights) to those that were seen at some positions; their median
/// where fewer than eight were seen, and none with fewer than five.
class MoveField {
  public:
    MoveField() = default;
    MoveField(const std::vector<Eigen::Vector2d>& from, const std::vector<Eigen::Vector2d>& by) {
        if (from.size() < 5) return;
        if (from.size() < 8) {
            std::vector<double> x, y;
            for (const auto& d : by) x.push_back(d.x()), y.push_back(d.y());
            field_.row(0) << median(x), median(y);
            return;
        }
        for (const auto& p : from) middle_ += p / double(from.size());
        std::vector<double> left(from.size(), 0);
        double scale = 1e9;
        for (int round = 0; round < 5; ++round) {
            Eigen::Matrix3d normal = Eigen::Matrix3d::Identity() * 1e-3;
            Eigen::Matrix<double, 3, 2> right = Eigen::Matrix<double, 3, 2>::Zero();
            for (size_t i = 0; i < from.size(); ++i) {
                const Eigen::Vector3d row = rowAt(from[i]);
                const double u = left[i] / scale, w = 1 / (1 + u * u);
                normal += w * row * row.transpose();
                right += w * row * by[i].transpose();
            }
            field_ = normal.inverse() * right;
            for (size_t i = 0; i < from.size(); ++i) left[i] = (by[i] - at(from[i])).norm();
            std::vector<double> sorted = left;
            scale = 0.1 + median(sorted);
        }
    }
    [[nodiscard]] Eigen::Vector2d at(const Eigen::Vector2d& place) const { return field_.transpose() * rowAt(place); }

  private:
    [[nodiscard]] Eigen::Vector3d rowAt(const Eigen::Vector2d& p) const {
        return {1, (p - middle_).x() / 100, (p - middle_).y() / 100};
    }
    Eigen::Vector2d middle_ = Eigen::Vector2d::Zero();
    Eigen::Matrix<double, 3, 2> field_ = Eigen::Matrix<double, 3, 2>::Zero();  ///< of (1, x, y) in hundreds of px
};

/// Mean step between neighbouring pixels over that between neighbours at quarter size: falls under blur, not with
/// light.
double fineContrast(const Pyramid& p) {
    const auto steps = [](const Luma& l) {
        double sum = 0;
        for (int y = 0; y < l.height; y += 4) {
            sum += double(sumOfDifferences(l.row(y) + 1, l.row(y), l.width - 1)) / std::max(1, l.width - 1);
        }
        return sum / ((l.height + 3) / 4) + 0.05;
    };
    return steps(p.level(0)) / steps(p.level(std::min(2, p.levels() - 1)));
}

/// One pass over the frames in one direction.
class Pass {
  public:
    Pass(TrackRequest& request, Progress& progress)
        : r_(request),
          progress_(progress),
          falling_(request.frames.size() > 1 && request.frames[1] < request.frames[0]),
          nextId_(request.firstId) {
        step_.lowestQuality = r_.options.lowestQuality;
        step_.bridge = r_.options.bridge;
        step_.searchRadius = r_.options.searchRadius;
    }

    std::vector<Path> run() {
        prepareGoingOn();
        FrameReader reader(r_.frames, r_.read, r_.watch, 0, r_.giveBack);
        Pyramid before, spare;
        try {
            for (size_t i = 0; i < r_.frames.size(); ++i) {
                progress_.check();
                frame_ = r_.frames[i];
                Pyramid now = reader.next(std::move(spare));
                if (radius_ == 0)
                    radius_ = r_.options.radius > 0 ? r_.options.radius : defaultPatchRadius(now.level(0).width);
                if (i > 0) track(before, now);
                reader.makeSofter(std::any_of(live_.begin(), live_.end(), [](const Live& l) {
                    return l.tracker.size() > 0.98 * ReferencePatch::softerFrom;
                }));
                goOnHere(now);
                if (r_.findNew && (i > 0 || r_.findInFirst) && wantsNew(i)) findNew(now);
                if (i == 0) sharp_ = fineContrast(now);
                spare = std::move(before);
                before = std::move(now);
                progress_.advance();
            }
        } catch (const Cancelled&) {
            if (r_.soFar) *r_.soFar = collect();
            throw;
        }
        return collect();
    }

  private:
    /// References of paths that go on may lie in other frames: those are read beforehand.
    void prepareGoingOn() {
        for (Path& p : r_.goOn) {
            if (p.points.empty()) continue;
            const PathPoint& end = falling_ ? p.points.front() : p.points.back();
            const int from = referenceFrameOf(p, falling_);
            waiting_[end.frame].push_back(&p);
            if (from != end.frame) references_[from];
        }
        for (auto& [frame, pyramid] : references_) {
            progress_.check();
            pyramid = Pyramid(r_.read(frame), 1);
        }
    }

    void goOnHere(const Pyramid& now) {
        const auto here = waiting_.find(frame_);
        if (here == waiting_.end()) return;
        for (Path* p : here->second) {
            const PathPoint& end = falling_ ? p->points.front() : p->points.back();
            const int from = referenceFrameOf(*p, falling_), radius = p->radius > 0 ? p->radius : radius_;
            const PathPoint* spot = p->at(from);
            const bool elsewhere = from != frame_ && spot;
            FeatureTracker f = elsewhere
                                   ? FeatureTracker(references_.at(from), {spot->x, spot->y}, radius, now, end, step_)
                                   : FeatureTracker(now, end.x, end.y, radius);
            if (!f.usable()) {
                finished_.push_back(std::move(*p));
                continue;
            }
            live_.push_back({std::move(f), std::move(*p), {}, StepOutcome::seen});
        }
        waiting_.erase(here);
    }

    void track(const Pyramid& before, const Pyramid& now) {
        for (Live& l : live_) l.expected = l.tracker.expected();
        step_.blurred = looksBlurred(now);
        const auto stepOne = [&](Live& l, const Eigen::Vector2d& jolt) {
            l.outcome = l.tracker.step(before, now, step_, jolt);
            if (l.outcome != StepOutcome::seen) return;
            const PathPoint& p = l.tracker.point();
            if (r_.allowed && !r_.allowed(frame_, p.x, p.y)) l.outcome = StepOutcome::lost;
        };
        // Every eighth feature goes first: what they show of the frame's common jolt helps the others to their
        // position.
        constexpr size_t every = 8;
        const auto share = [&](bool scouts, const MoveField& jolt) {
            parallelRanges(int(live_.size()), 8, [&](int begin, int end) {
                for (auto k = size_t(begin); k < size_t(end); ++k)
                    if ((k % every == 0) == scouts) stepOne(live_[k], jolt.at(live_[k].expected));
            });
        };
        step_.openShare = 0;
        share(true, {});
        std::vector<Eigen::Vector2d> at, jolts;
        // All features look through the same shutter.
        std::vector<double> open;
        for (size_t k = 0; k < live_.size(); k += every) {
            const Live& l = live_[k];
            if (l.outcome != StepOutcome::seen) continue;
            at.push_back(l.expected);
            jolts.push_back(l.tracker.settled() - l.expected);
            if (l.tracker.openShare() > 0) open.push_back(l.tracker.openShare());
        }
        if (open.size() >= 5) step_.openShare = median(open);
        share(false, MoveField(at, jolts));

        takeHiddenAlong(now);

        std::vector<double> moves;
        for (Live& l : live_) {
            if (l.outcome == StepOutcome::seen) {
                moves.push_back(l.tracker.lastMove().norm());
                l.path.points.push_back(l.tracker.point());
                l.path.points.back().frame = frame_;
            }
            if (l.outcome == StepOutcome::lost) retire(l);
        }
        if (!moves.empty()) moved_ += median(moves) / now.level(0).width;
        std::erase_if(live_, [](const Live& l) { return l.outcome == StepOutcome::lost; });
    }

    /// Features that were not seen get a second try where the others' moves take them, and go along with it otherwise:
    /// blurred or hidden, they have to be in the right place when they show again.
    void takeHiddenAlong(const Pyramid& now) {
        std::vector<Eigen::Vector2d> from, by;
        size_t hidden = 0;
        for (const Live& l : live_) {
            hidden += l.outcome == StepOutcome::bridged;
            if (l.outcome != StepOutcome::seen) continue;
            from.push_back(l.tracker.cameFrom());
            by.push_back(l.tracker.settled() - l.tracker.cameFrom());
        }
        if (hidden == 0 || from.size() < 8) return;
        const MoveField field(from, by);
        parallelRanges(int(live_.size()), 8, [&](int begin, int end) {
            for (auto k = size_t(begin); k < size_t(end); ++k) {
                Live& l = live_[k];
                if (l.outcome != StepOutcome::bridged) continue;
                const Eigen::Vector2d at = l.tracker.cameFrom();
                l.outcome = l.tracker.tryAt(now, at + field.at(at), step_);
                const PathPoint& p = l.tracker.point();
                if (l.outcome == StepOutcome::seen && r_.allowed && !r_.allowed(frame_, p.x, p.y))
                    l.outcome = StepOutcome::lost;
            }
        });
    }

    /// A frame whose finest contrast fell by a seventh against what the frames before had.
    bool looksBlurred(const Pyramid& now) {
        const double s = fineContrast(now);
        const bool blurred = sharp_ > 0 && s < 0.86 * sharp_;
        if (!blurred) sharp_ = sharp_ > 0 ? 0.8 * sharp_ + 0.2 * s : s;
        else sharp_ *= 0.99;  // a view that stays soft is no blur
        return blurred;
    }

    bool wantsNew(size_t i) {
        if (i == 0 || int(live_.size()) < r_.options.features / 2) return true;
        due_ = due_ || i % size_t(std::max(1, r_.options.refillEvery)) == 0;
        // A reference out of a smeared frame would pass the smear's error on to the whole path.
        if (!due_) return false;
        if (r_.options.refillMove > 0 && moved_<r_.options.refillMove&& int(live_.size())> r_.options.features * 4 / 5)
            return false;
        return true;
    }

    void findNew(const Pyramid& now) {
        moved_ = 0;
        due_ = false;
        FindOptions find;
        find.count = r_.options.features;
        find.margin = radius_ + 3;
        find.spacing = r_.options.spacing > 0 ? r_.options.spacing : std::max(8.0, 1.2 * radius_);
        // Half of the patch must be free as well: a window over a mask's edge sees two things.
        const double half = 0.5 * radius_;
        if (r_.allowed || r_.mayBegin)
            find.allowed = [&](int x, int y) {
                if (r_.mayBegin && !r_.mayBegin(frame_, x, y)) return false;
                return !r_.allowed ||
                       (r_.allowed(frame_, x, y) && r_.allowed(frame_, x - half, y - half) &&
                        r_.allowed(frame_, x + half, y - half) && r_.allowed(frame_, x - half, y + half) &&
                        r_.allowed(frame_, x + half, y + half));
            };
        std::vector<Eigen::Vector2d> taken;
        for (const Live& l : live_) taken.emplace_back(l.tracker.point().x, l.tracker.point().y);
        if (r_.standing)
            for (const Path& p : *r_.standing)
                if (const PathPoint* at = p.setAside ? nullptr : p.at(frame_)) taken.emplace_back(at->x, at->y);
        const auto found = findFeatures(now, taken, find);
        std::vector<std::optional<FeatureTracker>> fresh(found.size());
        parallelRanges(int(found.size()), 8, [&](int begin, int end) {
            for (int k = begin; k < end; ++k)
                fresh[size_t(k)].emplace(now, found[size_t(k)].x, found[size_t(k)].y, radius_);
        });
        for (auto& f : fresh) {
            if (!f->usable()) continue;
            Live l{std::move(*f), {}, {}, StepOutcome::seen};
            l.path.id = nextId_++;
            l.path.referenceFrame = frame_;
            l.path.radius = radius_;
            l.path.points.push_back(l.tracker.point());
            l.path.points.back().frame = frame_;
            live_.push_back(std::move(l));
        }
    }

    void retire(Live& l) {
        const PatchEvidence e = l.tracker.evidence();
        PatchEvidence& had = l.path.evidence;
        had.varianceInflation = std::max(had.varianceInflation, e.varianceInflation);
        had.anisotropy = std::min(had.anisotropy, e.anisotropy);
        finished_.push_back(std::move(l.path));
    }

    std::vector<Path> collect() {
        for (Live& l : live_) retire(l);
        live_.clear();
        for (auto& [frame, paths] : waiting_)
            for (Path* p : paths) finished_.push_back(std::move(*p));
        waiting_.clear();
        const auto byFrame = [](const PathPoint& a, const PathPoint& b) { return a.frame < b.frame; };
        for (Path& p : finished_) std::sort(p.points.begin(), p.points.end(), byFrame);
        std::sort(finished_.begin(), finished_.end(), [](const Path& a, const Path& b) { return a.id < b.id; });
        return std::move(finished_);
    }

    TrackRequest& r_;
    Progress& progress_;
    bool falling_;
    int nextId_, frame_ = 0, radius_ = 0;
    double moved_ = 0, sharp_ = 0;
    bool due_ = false;  ///< looking for new features
    StepOptions step_;
    std::vector<Live> live_;
    std::vector<Path> finished_;
    std::map<int, std::vector<Path*>> waiting_;  ///< by the frame they end in
    std::map<int, Pyramid> references_;
};

}  // namespace

int defaultPatchRadius(int pictureWidth) { return std::clamp(int(std::lround(pictureWidth / 128.0)), 6, 15); }
int pyramidLevels(int pictureWidth) {
    return pictureWidth > 3000 ? 6 : pictureWidth > 1600 ? 5 : pictureWidth > 400 ? 4 : 3;
}

TrackOptions trackOptions(Density density, Care care) {
    TrackOptions o;
    o.features = density == Density::few ? 120 : density == Density::many ? 700 : 300;
    if (care == Care::careful) {
        o.bridge = 24;
        o.searchRadius = 24;
        o.backward = true;
        o.refillMove = 0.012;
        o.refillEvery = 2;
    }
    return o;
}

std::vector<Path> trackFeatures(TrackRequest request, Progress& progress) {
    if (request.frames.empty()) return std::move(request.goOn);
    std::map<int, SharedVector<PathPoint>> had;
    for (const Path& p : request.goOn) had[p.id] = p.points;
    std::vector<Path> paths = Pass(request, progress).run();
    if (request.options.backward && request.frames.size() > 1) {
        TrackRequest back = request;
        std::reverse(back.frames.begin(), back.frames.end());
        back.goOn = std::move(paths);
        back.findNew = false;
        back.watch = {};
        // Paths that reach to the first frame are waiting for a frame that comes last: they stay as they are.
        paths = Pass(back, progress).run();
    }
    const int least = std::min(request.options.shortestPath, int(request.frames.size()));
    std::erase_if(paths,
                  [&](const Path& p) { return p.origin == PathOrigin::automatic && int(p.points.size()) < least; });
    calibrateCovariances(paths);
    // What was there before the call has been calibrated already.
    for (Path& p : paths)
        if (const auto old = had.find(p.id); old != had.end())
            for (const PathPoint& q : old->second)
                if (PathPoint* now = p.at(q.frame)) *now = q;
    return paths;
}

}  // namespace va
