// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/feature_tracker.h"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>

#include <cmath>

#include "track/coarse_shift.h"
#include "track/search_patch.h"

namespace va {
namespace {

/// One re-take of the reference places the new patch with about this error, px² per axis (sampling bias of the cubic
/// included).
constexpr double chainVariance = 0.05 * 0.05;
/// Sampling between pixels leaves about this much, px² per axis, however clean the picture is.
constexpr double samplingVariance = 0.006 * 0.006;
/// The middle of a smear is not quite where the shutter's middle was, since the move is not even: error as a share of
/// the smear's length.
constexpr double smearError = 0.02;
/// Steps between tries to go back to the first reference.
constexpr int returnEvery = 8;

int coarsestLevelFor(const Pyramid& p) { return p.levels() - 1; }

}  // namespace

void takeCovariance(PathPoint& point, const Eigen::Matrix2d& noise, double varianceInflation, double carried) {
    const double factor = std::max(1.0, varianceInflation);
    point.sxx = float(noise(0, 0) * factor + samplingVariance + carried);
    point.sxy = float(noise(0, 1) * factor);
    point.syy = float(noise(1, 1) * factor + samplingVariance + carried);
    point.drift = float(std::sqrt(0.5 * noise.trace() * (factor - 1) + samplingVariance + carried));
}

struct FeatureTracker::State {
    /// A reference with the path's spot in it.
    struct Reference {
        ReferencePatch patch;
        Eigen::Vector2d offset;  ///< of the path's point from the patch's middle, px of the reference frame
        uint16_t chain = 0;
        double carried = 0;  ///< px², variance brought along by re-taking
    };
    Reference reference;
    std::optional<Reference> first;  ///< once the reference was re-taken
    Placement firstInReference;      ///< where the first patch lies in the frame of the current reference
    Placement placement;
    Eigen::Vector2d from = Eigen::Vector2d::Zero();  ///< of the patch's middle, before the last step
    Eigen::Vector2d velocity = Eigen::Vector2d::Zero();
    PathPoint point;
    int steps = 0, sinceReference = 0, bridged = 0;
    double scatterSum = 0, noiseSum = 0, anisotropySum = 0;
    int evidenceCount = 0;
    std::vector<float> residuals;  ///< of the current reference, for ReferencePatch::weigh
    int residualFrames = 0, nextWeighing = 6;
    double open = 0;   ///< share of the frame's time, from the last step
    double smear = 0;  ///< px, of the registration that comes next to accept()
    LostBy lostBy = LostBy::none;

    State(Reference r, const Placement& at, const PathPoint& p) : reference(std::move(r)), placement(at), point(p) {}

    [[nodiscard]] Eigen::Vector2d spot(const Placement& p, const Reference& r) const {
        return p.at + p.shape * r.offset;
    }
    [[nodiscard]] double varianceInflation() const {
        // Drawn towards 1 as if noise alone had been seen four times before.
        if (!(noiseSum > 0)) return 1;  // not one grey level of difference: a still picture
        const double four = 4 * noiseSum / evidenceCount;
        return (scatterSum + four) / (noiseSum + four);
    }
    StepOutcome lose(LostBy why) {
        lostBy = why;
        return StepOutcome::lost;
    }
    [[nodiscard]] std::optional<ReferencePatch::Result> measure(const ReferencePatch& patch, const Pyramid& picture,
                                                                const Placement& start, MotionModel model) const;
    void accept(const ReferencePatch::Result& r);
    std::optional<ReferencePatch::Result> measureBlurred(const Pyramid& picture, const Placement& start,
                                                         const Eigen::Vector2d& move, const StepOptions& options);
    bool retake(const Pyramid& before, const Pyramid& picture, const Eigen::Vector2d& step, const StepOptions& options);
    void tryFirstAgain(const Pyramid& picture, const StepOptions& options);
};

FeatureTracker::FeatureTracker(const Pyramid& picture, double x, double y, int radius) {
    State::Reference r{ReferencePatch(picture.level(0), int(std::lround(x)), int(std::lround(y)), radius), {}};
    r.offset = Eigen::Vector2d(x, y) - r.patch.middle();
    Placement at;
    at.at = r.patch.middle();
    PathPoint p;
    p.x = x;
    p.y = y;
    takeCovariance(p, Eigen::Matrix2d::Zero(), 1, 0);
    state_ = std::make_unique<State>(std::move(r), at, p);
}

FeatureTracker::FeatureTracker(const Pyramid& referencePicture, const Eigen::Vector2d& spot, int radius,
                               const Pyramid& picture, const PathPoint& last, const StepOptions& options)
    : FeatureTracker(referencePicture, spot.x(), spot.y(), radius) {
    const Eigen::Vector2d at(last.x, last.y);
    Placement start;
    start.at = at - state_->reference.offset;
    const auto r = usable() ? state_->measure(state_->reference.patch, picture, start, options.model) : std::nullopt;
    if (r && r->correlation >= options.lowestQuality && (r->placement.at - start.at).norm() < 3) {
        state_->placement = r->placement;
        state_->reference.chain = last.chain;
        // The path's own point is where it goes on from; the difference is of the size of its error.
        state_->point = last;
        return;
    }
    *this = FeatureTracker(picture, at.x(), at.y(), radius);
    state_->reference.chain = uint16_t(last.chain + 1);
    state_->reference.carried = double(last.drift) * double(last.drift) + chainVariance;
    state_->point = last;
}

FeatureTracker::~FeatureTracker() = default;
FeatureTracker::FeatureTracker(FeatureTracker&&) noexcept = default;
FeatureTracker& FeatureTracker::operator=(FeatureTracker&&) noexcept = default;
bool FeatureTracker::usable() const { return state_->reference.patch.usable(); }
const PathPoint& FeatureTracker::point() const { return state_->point; }
LostBy FeatureTracker::lostBy() const { return state_->lostBy; }

double FeatureTracker::openShare() const { return state_->open; }

PatchEvidence FeatureTracker::evidence() const {
    PatchEvidence e;
    e.varianceInflation = float(state_->varianceInflation());
    e.anisotropy = state_->evidenceCount > 0 ? float(state_->anisotropySum / state_->evidenceCount) : 1.0f;
    return e;
}

Eigen::Vector2d FeatureTracker::expected() const { return state_->placement.at + state_->velocity; }
Eigen::Vector2d FeatureTracker::settled() const { return state_->placement.at; }
double FeatureTracker::size() const { return std::sqrt(std::fabs(state_->placement.shape.determinant())); }
Eigen::Vector2d FeatureTracker::lastMove() const { return state_->velocity; }
Eigen::Vector2d FeatureTracker::cameFrom() const { return state_->from; }

/// The full model at once, which is enough after a good prediction; where that fails, translation first, so that the
/// shape can't run off after a wrong position.
std::optional<ReferencePatch::Result> FeatureTracker::State::measure(const ReferencePatch& patch,
                                                                     const Pyramid& picture, const Placement& start,
                                                                     MotionModel model) const {
    ReferencePatch::Options full;
    full.model = model;
    full.iterations = 8;
    auto direct = patch.registerIn(picture, start, full);
    if ((direct && direct->correlation > 0.97) || model == MotionModel::translation) return direct;
    ReferencePatch::Options shiftOnly;
    shiftOnly.model = MotionModel::translation;
    shiftOnly.iterations = 4;
    const auto near = patch.registerIn(picture, start, shiftOnly);
    if (!near) return direct;
    auto again = patch.registerIn(picture, near->placement, full);
    if (!direct || (again && again->correlation > direct->correlation)) return again;
    return direct;
}

std::optional<ReferencePatch::Result> FeatureTracker::State::measureBlurred(const Pyramid& picture,
                                                                            const Placement& start,
                                                                            const Eigen::Vector2d& move,
                                                                            const StepOptions& options) {
    const Eigen::Vector2d inReference = placement.shape.inverse() * move;
    const auto at = [&](double part, const Placement& begin, MotionModel model) {
        Eigen::Vector2d sweep = part * inReference;
        if (sweep.norm() > ReferencePatch::blurReach) sweep *= ReferencePatch::blurReach / sweep.norm();
        const ReferencePatch blurred = reference.patch.blurredAlong(sweep);
        return blurred.usable() ? measure(blurred, picture, begin, model) : std::nullopt;
    };
    double share = options.openShare;
    Placement near = start;
    // The blur hides the shape, which is known from the frames around.
    if (share <= 0) {
        // Shutters are open for about half of the frame's time; a quarter to all of it occurs.
        constexpr double shares[] = {0.3, 0.5, 0.7, 0.9};
        double like[4] = {-1, -1, -1, -1};
        int best = -1;
        for (int k = 0; k < 4; ++k) {
            const auto r = at(shares[k], near, MotionModel::translation);
            if (!r) continue;
            like[k] = r->correlation;
            if (best < 0 || like[k] > like[best]) best = k, near = r->placement;
        }
        if (best < 0) return std::nullopt;
        share = shares[best];
        if (best > 0 && best < 3 && like[best - 1] > 0 && like[best + 1] > 0) {
            const double distortion = like[best - 1] - 2 * like[best] + like[best + 1];
            if (distortion < 0) share += 0.1 * (like[best - 1] - like[best + 1]) / distortion;
        }
    }
    auto r = at(share, near, MotionModel::translation);
    if (r && options.model != MotionModel::translation) {
        const auto shaped = at(share, r->placement, options.model);
        if (shaped && shaped->correlation > r->correlation) r = shaped;
    }
    if (r) open = share, smear = share * move.norm();
    return r;
}

void FeatureTracker::State::accept(const ReferencePatch::Result& r) {
    const Eigen::Vector2d before(point.x, point.y);
    placement = r.placement;
    const Eigen::Vector2d now = spot(placement, reference);
    const double anisotropy = [&] {
        const Eigen::Vector2d e = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(r.covariance).eigenvalues();
        return e(1) > 0 ? std::sqrt(std::max(0.0, e(0)) / e(1)) : 1.0;
    }();
    scatterSum += r.scatter.trace();
    noiseSum += r.covariance.trace();
    anisotropySum += anisotropy;
    ++evidenceCount;
    velocity = (now - before) / (1 + bridged);
    point.x = now.x();
    point.y = now.y();
    point.quality = float(std::clamp(r.correlation, 0.0, 1.0));
    point.chain = reference.chain;
    takeCovariance(point, r.covariance, varianceInflation(), reference.carried + std::pow(smearError * smear, 2));
    smear = 0;
    ++steps;
    ++sinceReference;
    bridged = 0;
}

/// The surface may just look different by now. The frame before still matched: take the reference anew from there.
bool FeatureTracker::State::retake(const Pyramid& before, const Pyramid& picture, const Eigen::Vector2d& step,
                                   const StepOptions& options) {
    const Eigen::Vector2d at(point.x, point.y);
    Reference fresh{
        ReferencePatch(before.level(0), int(std::lround(at.x())), int(std::lround(at.y())), reference.patch.radius()),
        {},
        uint16_t(point.chain + 1),
        reference.carried + chainVariance};
    if (!fresh.patch.usable()) return false;
    fresh.offset = at - fresh.patch.middle();
    Placement start;
    start.at = fresh.patch.middle() + step;
    const auto r = measure(fresh.patch, picture, start, options.model);
    // One frame later a patch on one surface is nearly the same; a window over a depth edge is not.
    if (!r || r->correlation < 0.5 * (1 + options.lowestQuality) ||
        (r->placement.at - start.at).norm() >= 2.0 + 0.25 * reference.patch.radius())
        return false;
    // pixel = S u + a for the old patch in the frame before, and the new patch's offsets there are pixel − middle.
    Placement inFresh{placement.shape, placement.at - fresh.patch.middle()};
    if (!first) first = std::move(reference);
    else
        inFresh = {placement.shape * firstInReference.shape,
                   placement.shape * firstInReference.at + placement.at - fresh.patch.middle()};
    firstInReference = inFresh;
    reference = std::move(fresh);
    residuals.clear();
    residualFrames = 0;
    nextWeighing = 6;
    sinceReference = 0;
    accept(*r);
    return true;
}

void FeatureTracker::State::tryFirstAgain(const Pyramid& picture, const StepOptions& options) {
    Placement start{placement.shape * firstInReference.shape, placement.shape * firstInReference.at + placement.at};
    const auto r = first->patch.registerIn(picture, start);
    if (!r || r->correlation < std::max(options.lowestQuality + 0.02, double(point.quality) - 0.02)) return;
    if ((spot(r->placement, *first) - Eigen::Vector2d(point.x, point.y)).norm() > 1.5) return;
    const Eigen::Vector2d keep = velocity;
    reference = std::move(*first);
    first.reset();
    residuals.clear();
    residualFrames = 0;
    nextWeighing = 6;
    sinceReference = 0;
    accept(*r);
    velocity = keep;
    --steps;
}

StepOutcome FeatureTracker::step(const Pyramid& before, const Pyramid& after, const StepOptions& options,
                                 const Eigen::Vector2d& jolt) {
    State& s = *state_;
    if (!usable()) return s.lose(LostBy::texture);
    const Luma& picture = after.level(0);
    const int radius = s.reference.patch.radius();
    const Eigen::Vector2d from = s.from = s.placement.at, guess = from + s.velocity + jolt;
    if (guess.x() < radius || guess.y() < radius || guess.x() > picture.width - 1 - radius ||
        guess.y() > picture.height - 1 - radius)
        return s.lose(LostBy::edge);
    // What comes back after a gap must look more like the reference than what was there all the time.
    s.open = s.smear = 0;
    const double least = s.bridged > 0 ? 0.5 * (1 + options.lowestQuality) : options.lowestQuality;
    const auto good = [&](const std::optional<ReferencePatch::Result>& r, const Eigen::Vector2d& near, double reach) {
        if (!r || r->correlation < least || !((r->placement.at - near).norm() < reach)) return false;
        const double size = r->placement.shape.determinant();
        return size > 0.15 && size < 6;
    };
    thread_local std::vector<float> samples;
    const auto finish = [&](const ReferencePatch::Result& r, bool direct = false) {
        s.accept(r);
        // Every second frame does for the weights: neighbours are alike.
        if (direct && s.steps % 2 == 0) {
            s.reference.patch.addResidual(samples, s.residuals);
            if (++s.residualFrames == s.nextWeighing) {
                s.reference.patch.weigh(s.residuals, s.residualFrames);
                s.nextWeighing *= 2;
            }
        }
        if (s.first && s.steps % returnEvery == 0) s.tryFirstAgain(after, options);
        return StepOutcome::seen;
    };

    Placement start = s.placement;
    start.at = guess;
    if (s.steps > 0) {
        ReferencePatch::Options direct;
        direct.model = options.model;
        direct.iterations = 6;
        direct.samples = &samples;
        direct.stop = 0.03;
        const auto r = s.reference.patch.registerIn(after, start, direct);
        if (good(r, guess, 1.0 + 0.1 * radius) && r->correlation >= double(s.point.quality) - 0.03 &&
            !(options.blurred && r->correlation < 0.98 && (r->placement.at - from).norm() > 3))
            return finish(*r, true);
    }

    const int coarseRadius = std::clamp(radius - 2, 4, 8);
    auto reached = coarseShift(before, after, from, guess, coarseRadius, 1, coarsestLevelFor(after));
    if (reached) {
        const auto back = coarseShift(after, before, *reached, from + (*reached - guess) * 0.25, coarseRadius, 1, 1);
        if (!back || (*back - from).norm() > options.backTolerance) reached.reset();
    }
    const double reach = 2.0 + 0.25 * radius;
    std::optional<ReferencePatch::Result> result;
    if (reached) {
        start.at = *reached;
        result = s.measure(s.reference.patch, after, start, options.model);
        const bool sharp = good(result, *reached, reach);
        const Eigen::Vector2d move = *reached - from;
        // A smeared picture may still be like the sharp reference, but not in the right place.
        if (options.blurred && move.norm() > 3 && !(sharp && result->correlation > 0.98)) {
            const auto blurred = s.measureBlurred(after, sharp ? result->placement : start, move, options);
            if (good(blurred, *reached, reach) && !(sharp && result->correlation > blurred->correlation))
                return finish(*blurred);
            s.open = s.smear = 0;
        }
        if (sharp) return finish(*result);
        if (s.bridged == 0 && s.sinceReference >= 6 && double(s.point.quality) >= options.lowestQuality &&
            s.retake(before, after, *reached - from, options))
            return StepOutcome::seen;
    }
    if (options.searchRadius > 0) {
        start.at = guess;
        if (const auto found = searchPatch(s.reference.patch, s.placement.shape, after, guess, options.searchRadius)) {
            start.at = *found;
            result = s.measure(s.reference.patch, after, start, options.model);
            if (good(result, *found, reach)) return finish(*result);
        }
    }
    if (++s.bridged > options.bridge || s.steps < 2) return s.lose(reached ? LostBy::appearance : LostBy::wayBack);
    // Hidden, blurred or dark: it is taken along by the pyramid step, or on its way, until it can be seen again.
    s.placement.at = reached ? *reached : guess;
    if (reached) s.velocity = *reached - from;
    return StepOutcome::bridged;
}

StepOutcome FeatureTracker::tryAt(const Pyramid& after, const Eigen::Vector2d& at, const StepOptions& options) {
    State& s = *state_;
    const int radius = s.reference.patch.radius();
    const Eigen::Vector2d move = at - s.from;
    Placement start = s.placement;
    start.at = at;
    const auto good = [&](const std::optional<ReferencePatch::Result>& r) {
        return r && r->correlation >= (options.blurred ? options.lowestQuality : 0.5 * (1 + options.lowestQuality)) &&
               (r->placement.at - at).norm() < 2.0 + 0.25 * radius;
    };
    auto r = s.measure(s.reference.patch, after, start, options.model);
    if (!good(r) && options.blurred && move.norm() > 3) r = s.measureBlurred(after, start, move, options);
    if (good(r)) {
        s.accept(*r);
        s.velocity = s.placement.at - s.from;
        return StepOutcome::seen;
    }
    s.placement.at = at;
    s.velocity = move;
    return StepOutcome::bridged;
}

}  // namespace va
