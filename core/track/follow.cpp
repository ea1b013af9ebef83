// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/follow.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <future>

#include "base/error.h"
#include "base/parallel.h"
#include "track/coarse_shift.h"
#include "track/find_features.h"
#include "track/patch.h"

namespace va {
namespace {

/// One re-take of the reference places the new patch with about this error, px² per axis (sampling bias of the cubic
/// included).
constexpr float chainVariance = 0.05f * 0.05f;
/// No registration is better than this in practice, px² per axis: compression, rolling texture, imperfect flatness.
constexpr float floorVariance = 0.03f * 0.03f;

int coarsestLevelFor(const Pyramid& p) { return p.levels() - 1; }

}  // namespace

int defaultPatchRadius(int pictureWidth) { return std::clamp(int(std::lround(pictureWidth / 160.0)), 6, 14); }

struct FeatureFollower::State {
    ReferencePatch reference;
    Eigen::Vector2d offset;  ///< of the path's point from the patch's middle, px of the reference frame
    Placement placement;
    Eigen::Vector2d velocity = Eigen::Vector2d::Zero();
    PathPoint point;
    int steps = 0, stepsSinceReference = 0;
    float carried = 0;  ///< variance brought along by re-taken references
    const char* reason = "";

    [[nodiscard]] Eigen::Vector2d spot(const Placement& p) const { return p.at + p.shape * offset; }
    bool lose(const char* why) {
        reason = why;
        return false;
    }
    void accept(const ReferencePatch::Result& r);
    std::optional<ReferencePatch::Result> measure(const Luma& picture, const Placement& start) const;
};

FeatureFollower::FeatureFollower(const Pyramid& picture, double x, double y, int radius)
    : state_(new State{ReferencePatch(picture.level(0), int(std::lround(x)), int(std::lround(y)), radius),
                       {},
                       {},
                       Eigen::Vector2d::Zero(),
                       {},
                       0,
                       0,
                       0,
                       ""}) {
    state_->offset = Eigen::Vector2d(x, y) - state_->reference.middle();
    state_->placement.at = state_->reference.middle();
    state_->point.x = x;
    state_->point.y = y;
    state_->point.sxx = state_->point.syy = floorVariance;
}
FeatureFollower::~FeatureFollower() = default;
FeatureFollower::FeatureFollower(FeatureFollower&&) noexcept = default;
FeatureFollower& FeatureFollower::operator=(FeatureFollower&&) noexcept = default;
bool FeatureFollower::usable() const { return state_->reference.usable(); }
const PathPoint& FeatureFollower::point() const { return state_->point; }
const char* FeatureFollower::reason() const { return state_->reason; }

/// Affine at once, which is enough after a good prediction; where that fails, translation first, so that the shape
/// can't run off after a wrong place.
std::optional<ReferencePatch::Result> FeatureFollower::State::measure(const Luma& picture,
                                                                      const Placement& start) const {
    ReferencePatch::Options full;
    full.iterations = 8;
    auto direct = reference.registerIn(picture, start, full);
    if (direct && direct->correlation > 0.97) return direct;
    ReferencePatch::Options shiftOnly;
    shiftOnly.affine = false;
    shiftOnly.iterations = 4;
    const auto near = reference.registerIn(picture, start, shiftOnly);
    if (!near) return direct;
    auto again = reference.registerIn(picture, near->placement, full);
    if (!direct || (again && again->correlation > direct->correlation)) return again;
    return direct;
}

void FeatureFollower::State::accept(const ReferencePatch::Result& r) {
    const Eigen::Vector2d before(point.x, point.y);
    placement = r.placement;
    const Eigen::Vector2d now = spot(placement);
    velocity = now - before;
    point.x = now.x();
    point.y = now.y();
    point.quality = float(std::clamp(r.correlation, 0.0, 1.0));
    point.sxx = float(r.covariance(0, 0)) + floorVariance + carried;
    point.sxy = float(r.covariance(0, 1));
    point.syy = float(r.covariance(1, 1)) + floorVariance + carried;
    ++steps;
    ++stepsSinceReference;
}

bool FeatureFollower::step(const Pyramid& before, const Pyramid& after, const FollowOptions& options) {
    State& s = *state_;
    if (!s.reference.usable()) return s.lose("no texture");
    const Luma& picture = after.level(0);
    const Eigen::Vector2d from = s.placement.at, guess = from + (s.steps > 0 ? s.velocity : Eigen::Vector2d::Zero());
    const int coarseRadius = std::clamp(s.reference.radius() - 2, 4, 8);
    const auto reached = coarseShift(before, after, from, guess, coarseRadius, 1, coarsestLevelFor(after));
    if (!reached) return s.lose("left the picture");
    const auto back = coarseShift(after, before, *reached, from + (*reached - guess) * 0.25, coarseRadius, 1, 1);
    if (!back || (*back - from).norm() > options.backTolerance * 2) return s.lose("does not lead back");

    Placement start = s.placement;
    start.at = *reached;
    auto result = s.measure(picture, start);
    const auto good = [&](const std::optional<ReferencePatch::Result>& r) {
        return r && r->correlation >= options.lowestQuality &&
               (r->placement.at - *reached).norm() < 2.0 + 0.25 * s.reference.radius();
    };
    if (!good(result) && s.stepsSinceReference >= 6 && s.point.quality >= options.lowestQuality) {
        // The surface may just look different by now. The frame before still matched: take the reference anew from
        // there.
        const Eigen::Vector2d at(s.point.x, s.point.y);
        ReferencePatch fresh(before.level(0), int(std::lround(at.x())), int(std::lround(at.y())), s.reference.radius());
        if (fresh.usable()) {
            State trial{std::move(fresh), {}, {}, s.velocity, s.point, s.steps, 0, s.carried + chainVariance, ""};
            trial.offset = at - trial.reference.middle();
            trial.placement.at = trial.reference.middle();
            trial.point.chain = uint16_t(s.point.chain + 1);
            Placement again = trial.placement;
            again.at = trial.placement.at + (*reached - from);
            result = trial.measure(picture, again);
            // One frame later a patch on one surface is nearly the same; a window over a depth edge is not.
            if (good(result) && result->correlation >= 0.5 * (1 + options.lowestQuality)) s = std::move(trial);
            else result.reset();
        }
    }
    if (!good(result)) return s.lose("no longer like its reference");
    const Eigen::Vector2d gone = result->placement.at - *reached;
    if (!(gone.norm() < s.reference.radius())) return s.lose("jumped");
    const double size = result->placement.shape.determinant();
    if (!(size > 0.15 && size < 6)) return s.lose("no longer like its reference");
    s.accept(*result);
    return true;
}

namespace {

/// Reads and prepares the next frame while the current one is worked on.
class PyramidReader {
  public:
    PyramidReader(const std::vector<int>& frames, const std::function<Luma(int)>& read) : frames_(frames), read_(read) {
        fetch();
    }
    Pyramid next() {
        Pyramid p = pending_.get();
        fetch();
        return p;
    }

  private:
    void fetch() {
        if (next_ >= frames_.size()) return;
        const int frame = frames_[next_++];
        pending_ = std::async(std::launch::async, [this, frame] {
            const Luma luma = read_(frame);
            // Enough levels for moves of about a twentieth of the width between frames.
            const int levels = luma.width > 1600 ? 5 : luma.width > 400 ? 4 : 3;
            return Pyramid(luma, levels);
        });
    }
    const std::vector<int>& frames_;
    const std::function<Luma(int)>& read_;
    size_t next_ = 0;
    std::future<Pyramid> pending_;
};

struct Live {
    FeatureFollower follower;
    Path path;
    bool lost = false;
};

}  // namespace

std::vector<Path> followFeatures(const std::vector<int>& frames, const std::function<Luma(int)>& read,
                                 const FollowOptions& options, Progress& progress,
                                 const std::function<bool(int, double, double)>& allowed, std::vector<Path>* soFar) {
    std::vector<Path> finished;
    std::vector<Live> live;
    if (frames.empty()) return finished;
    int nextId = 1, radius = options.radius;
    const auto retire = [&](Live& l) {
        if (int(l.path.points.size()) >= std::min(options.shortestPath, int(frames.size())))
            finished.push_back(std::move(l.path));
    };
    const auto byId = [](const Path& a, const Path& b) { return a.id < b.id; };
    PyramidReader reader(frames, read);
    Pyramid before;
    try {
        for (size_t i = 0; i < frames.size(); ++i) {
            progress.check();
            const int frame = frames[i];
            Pyramid now = reader.next();
            if (radius == 0) radius = defaultPatchRadius(now.level(0).width);
            if (i > 0) {
                parallelRanges(int(live.size()), 8, [&](int begin, int end) {
                    for (int k = begin; k < end; ++k) {
                        Live& l = live[size_t(k)];
                        l.lost = !l.follower.step(before, now, options) ||
                                 (allowed && !allowed(frame, l.follower.point().x, l.follower.point().y));
                        if (l.lost) continue;
                        l.path.points.push_back(l.follower.point());
                        l.path.points.back().frame = frame;
                    }
                });
                for (Live& l : live)
                    if (l.lost) retire(l);
                std::erase_if(live, [](const Live& l) { return l.lost; });
            }
            if (i % size_t(std::max(1, options.refillEvery)) == 0 || int(live.size()) < options.features / 2) {
                FindOptions find;
                find.count = options.features;
                find.margin = radius + 3;
                find.spacing = std::max(8.0, 1.2 * radius);
                if (allowed) find.allowed = [&](int x, int y) { return allowed(frame, x, y); };
                std::vector<Eigen::Vector2d> taken;
                for (const Live& l : live) taken.emplace_back(l.follower.point().x, l.follower.point().y);
                for (const FoundFeature& f : findFeatures(now.level(0), taken, find)) {
                    Live l{FeatureFollower(now, f.x, f.y, radius), {}, false};
                    if (!l.follower.usable()) continue;
                    l.path.id = nextId++;
                    l.path.referenceFrame = frame;
                    l.path.points.push_back(l.follower.point());
                    l.path.points.back().frame = frame;
                    live.push_back(std::move(l));
                }
            }
            before = std::move(now);
            progress.advance();
        }
    } catch (const Cancelled&) {
        for (Live& l : live) retire(l);
        std::sort(finished.begin(), finished.end(), byId);
        if (soFar) *soFar = std::move(finished);
        throw;
    }
    for (Live& l : live) retire(l);
    std::sort(finished.begin(), finished.end(), byId);
    return finished;
}

}  // namespace va
