// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/free_finish.h"

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "lens/convert_lens.h"
#include "solve/incremental/depth_mirror.h"
#include "solve/incremental/focal_valley.h"
#include "solve/incremental/frame_poses.h"
#include "solve/incremental/lens_certainty.h"
#include "solve/incremental/model_choice.h"
#include "solve/incremental/outliers.h"
#include "solve/incremental/point_placement.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/row_evidence.h"
#include "solve/incremental/thresholds.h"

namespace va {
namespace {

/// Of two solves of the same paths: mean of min(error² over a third of a pixel squared, 9), over observations that both
/// have placed.
std::pair<double, double> costsOfBoth(const Reconstruction& a, const Reconstruction& b) {
    const Observations& o = a.observations();
    double first = 0, second = 0;
    int n = 0;
    for (const PathObservation& s : o.all) {
        if (!a.hasView(s.frame) || !b.hasView(s.frame) || o.heldBack[size_t(s.path)]) continue;
        const auto p = a.residual(s), q = b.residual(s);
        if (!p || !q) continue;
        first += std::min(9.0, 9 * p->squaredNorm()), second += std::min(9.0, 9 * q->squaredNorm());
        ++n;
    }
    return n > 0 ? std::pair(first / n, second / n) : std::pair(9.0, 9.0);
}

/// px that other rates put the first and the last row elsewhere, by their turn: root mean square over the views.
double outermostRowsMoved(const Reconstruction& r, const ByFrame<ViewRate>& had) {
    double sum = 0;
    int views = 0;
    for (const FrameIndex f : r.observations().indices()) {
        if (!r.hasView(f)) continue;
        const double late = r.readout() / 2;
        sum += (r.rates()[f].after(late) - had[f].after(late)).head<3>().squaredNorm();
        ++views;
    }
    return std::sqrt(sum / std::max(1, views)) * r.lens().focalPx;
}

}  // namespace

FreeFinish::FreeFinish(SolveQuestion& question, Growth& growth, Progress& progress, SolveResult& result)
    : q_(question), growth_(growth), progress_(progress), result_(result), cancelled_([&progress] {
          return progress.cancelled();
      }) {}

void FreeFinish::readRows(Reconstruction& r) {
    const RowReading rows = q_.rows();
    if (rows.looks) lookForRows(r);
    if (!rows.matters()) return;
    r.setReadout(rows.readout, rows.solves);
    settleRows(r);
}

void FreeFinish::settleRows(Reconstruction& r) const {
    // What did not fit while all rows were taken as read at once may fit now: paths, and frames that were out of reach.
    // Each pass reaches several frames or none; six are enough for any shake that is not beyond rescue.
    for (int pass = 0, grown = 0; pass < 6 && grown < r.solvedFrames(); ++pass) {
        grown = r.solvedFrames();
        bringBackSliding(r);
        // Views and rates are found in turns, until the outermost rows stay where they are. The cost can't tell that:
        // views take up most of what a wrong rate does. A view is not worth settling far with rates that still change.
        for (int round = 0; round < 16; ++round) {
            progress_.check();
            const ByFrame<ViewRate> had = r.rates();
            refine(r, q_.lensValues(), q_.priors(), 4, 1e-5, cancelled_);
            weighPaths(r);
            classifyOutliers(r, limits::outliers);
            addPoints(r, growth_.angle(limits::finalAngle));
            if (round >= 2 && outermostRowsMoved(r, had) < q_.scaledPx(limits::rowsSettled)) break;
        }
        growth_.settleAgain(r);
    }
}

void FreeFinish::lookForRows(Reconstruction& r) const {
    const RowEvidence evidence = rowEvidence(r);
    if (evidence.explained < limits::rowsExplain || std::fabs(evidence.readout) < limits::rowsLeast) return;
    // What turns before a camera that stands is not the scene; its solve is the mover's to go on from.
    const Observations& o = r.observations();
    std::vector<char> explained(r.points().size());
    for (size_t p = 0; p < explained.size(); ++p) explained[p] = r.points()[p].has_value() && !o.heldBack[p];
    if (restStandsStill(o, explained)) return;
    Reconstruction rolling = r;
    rolling.setReadout(std::clamp(evidence.readout, -1.0, 1.0), true);
    // A quick look at some of the frames: what explains little there is not worth the long way over all of them.
    const int every = std::max(1, q_.observations.frameCount() / 25);
    const auto costOfSome = [&](Reconstruction some) {
        const BundleSummary b = refine(some, q_.lensValues(), q_.priors(), 12, 1e-4, cancelled_, every);
        return b.usable ? b.finalCost : INFINITY;
    };
    if (costOfSome(rolling) > limits::rowsQuickGain * costOfSome(r)) return;
    settleRows(rolling);
    if (!tellsReadout(rolling.readout(), readoutSigma(rolling).value_or(1e9))) return;
    // By what both have placed: the closer solve sets more aside, which must not speak against it.
    const auto [cost, had] = costsOfBoth(rolling, r);
    if (cost < limits::rowsGain * had && rolling.pointCount() * 10 >= 8 * r.pointCount()) std::swap(r, rolling);
}

void FreeFinish::weighDistortion(Reconstruction& r) {
    // An update with more paths settles a zoom, and tells how wide the valley is.
    result_.draft = q_.request.draft && r.zooms();
    auto values = q_.lensValues();
    if (values.empty()) return;
    auto covariance = lensCovariance(r, values);
    if (q_.request.draft && covariance && focalSigma(r, values, *covariance) >= limits::sureFocal) result_.draft = true;
    std::optional<FocalValley> valley;
    if (covariance && followValley(r, values, *covariance, valley)) covariance = lensCovariance(r, values);
    if (q_.distortionIsSolved()) {
        const Intrinsics& lens = r.lens();
        const double sigma =
            covariance ? mapSigmaPx(lens, q_.request.width, q_.request.height, values, *covariance) : 1e9;
        const bool folds = !lens.normalisedFromPixel({0, 0}) || !lens.normalisedFromPixel(q_.lastPixel());
        // Not told to a third of itself, and wrong by what would be seen.
        const double seen = q_.scaledPx(limits::distortionSeen);
        const double size = std::max(largestDistortionPx(lens, q_.request.width, q_.request.height) / 3, seen);
        const auto told = [&] { return (covariance && isToldFromHeld(r, values, *covariance)) || isToldByFit(r); };
        if (folds || (sigma > size && !told())) {
            q_.distortionRefused = true;
            result_.distortionRefusedPx = folds ? 1e9 : sigma;
            r.holdDistortion(heldDistortion(r));
            valley.reset();
            values = q_.lensValues();
            for (int round = 0; round < 2; ++round) {
                progress_.check();
                refine(r, values, q_.priors(), 15, 1e-5, cancelled_);
                classifyOutliers(r, limits::outliers);
                addPoints(r, growth_.angle(limits::finalAngle));
            }
            covariance = lensCovariance(r, values);
        }
    }
    if (!covariance || values.empty()) return;
    // So unsure that more features follow: how much more unsure their update tells.
    const bool unsure = q_.request.draft && focalSigma(r, values, *covariance) > unsureFocal;
    if (unsure) result_.draft = true;
    else {
        const Eigen::VectorXd more = disagreementOfPaths(r, values, *covariance);
        disagreement_ = std::max(1.0, std::sqrt(more.squaredNorm() / double(more.size())));
        // What a whole region's paths share moves the lens, but no point against its neighbours.
        const Eigen::VectorXd byRegion = disagreementOfPaths(r, values, *covariance, ErrAlike::regions);
        const Eigen::VectorXd scale = more.cwiseMax(byRegion).cwiseMax(1);
        covariance = scale.asDiagonal() * *covariance * scale.asDiagonal();
    }
    if (!result_.draft) widenByValley(r, values, *covariance, valley);
    // Also after an update, which refuses what the solve before it has refused.
    if (const double own = focalSigma(r, values, *covariance); own > 0 && q_.distortionRefused)
        *covariance *= 1 + focalVarianceByDistortion(r) / (own * own);
    result_.lensNumbers = lensNumbers(r.lens(), values, *covariance);
    if (q_.distortionIsSolved())
        result_.lensMapSigmaPx = mapSigmaPx(r.lens(), q_.request.width, q_.request.height, values, *covariance);
}

/// Whether the distortion differs from what it would be held at by far more than its deviations: then holding it there
/// would be wrong, and the focal length with it, however unsure its numbers make the corners. Wald's test.
bool FreeFinish::isToldFromHeld(const Reconstruction& r, const std::vector<LensValue>& values,
                                const Eigen::MatrixXd& covariance) const {
    const auto first = std::find_if(values.begin(), values.end(), [](LensValue v) { return v >= LensValue::k1; });
    const auto at = Eigen::Index(first - values.begin()), n = Eigen::Index(values.size()) - at;
    if (n == 0 || covariance.rows() != Eigen::Index(values.size())) return false;
    const LensModel held = heldDistortion(r);
    Eigen::VectorXd off(n);
    for (Eigen::Index k = 0; k < n; ++k) {
        const int number = int(values[size_t(at + k)]) - int(LensValue::k1);
        off[k] = r.lens().lens.value(number) - held.value(number);
    }
    const Eigen::VectorXd scale = disagreementOfPaths(r, values, covariance).cwiseMax(1).tail(n);
    const Eigen::MatrixXd own = scale.asDiagonal() * covariance.bottomRightCorner(n, n) * scale.asDiagonal();
    const double distance = off.dot(own.ldlt().solve(off));
    return distance > limits::distortionTold * limits::distortionTold;
}

/// The same where the focal length is so unsure that its numbers' deviations say little: whether the frames fit worse
/// by far with the distortion held, wherever along the focal length's valley. The likelihood ratio (Wilks 1938).
bool FreeFinish::isToldByFit(const Reconstruction& r) const {
    std::vector<LensValue> values = q_.lensValuesWithDistortion();
    const FocalValley solved(r, values, q_.priors(), cancelled_);
    std::erase_if(values, [](LensValue v) { return v >= LensValue::k1; });
    Reconstruction held = r;
    held.holdDistortion(heldDistortion(r));
    FocalValley without(held, values, q_.priors(), cancelled_);
    if (!solved.usable() || !without.usable()) return false;
    progress_.check();
    without.descend(0.1);
    const double rise = solved.deviationsSquared(without.cost(), r.errorsTogether());
    return rise > limits::distortionTold * limits::distortionTold;
}

/// The distortion as it is given, or none, at the focal length as it stands.
LensModel FreeFinish::heldDistortion(const Reconstruction& r) const {
    return distortionForFocal(q_.lens.lens, r.lens().focalPx / q_.lens.focalPx);
}

/// Relative deviation of the focal length by a covariance; 0 where it is not among the values.
double FreeFinish::focalSigma(const Reconstruction& r, const std::vector<LensValue>& values,
                              const Eigen::MatrixXd& covariance) {
    const auto at = std::find(values.begin(), values.end(), LensValue::focal) - values.begin();
    return at < covariance.rows() ? std::sqrt(covariance(at, at)) / r.lens().focalPx : 0;
}

/// Relative variance that the focal length gets from a distortion that is held, but only known as lenses are: what the
/// observations say of both, narrowed by that, less what they say of the focal length alone.
double FreeFinish::focalVarianceByDistortion(const Reconstruction& r) const {
    const std::vector<LensValue> values = q_.lensValuesWithDistortion();
    const auto covariance = lensCovariance(r, values);
    const auto at = std::find(values.begin(), values.end(), LensValue::focal) - values.begin();
    if (!covariance || at >= covariance->rows() || covariance->rows() != Eigen::Index(values.size())) return 0;
    Eigen::MatrixXd information = covariance->inverse();
    if (!information.allFinite() || !(information(at, at) > 0)) return 0;
    const double alone = 1 / information(at, at);
    for (Eigen::Index k = 0; k < covariance->rows(); ++k)
        if (values[size_t(k)] >= LensValue::k1)
            information(k, k) += 1 / (limits::usualDistortion * limits::usualDistortion);
    const double with = information.inverse()(at, at);
    return with > alone ? (with - alone) / (r.lens().focalPx * r.lens().focalPx) : 0;
}

bool FreeFinish::followValley(Reconstruction& r, const std::vector<LensValue>& values,
                              const Eigen::MatrixXd& covariance, std::optional<FocalValley>& valley) {
    const double sigma = focalSigma(r, values, covariance);
    if (sigma < limits::sureFocal || r.findsFocals()) return false;
    valley.emplace(r, values, q_.priors(), cancelled_);
    if (!valley->usable()) return false;
    progress_.check();
    const double bottom = valley->descend(std::clamp(sigma, 0.01, 0.1));
    if (std::fabs(std::log(bottom / r.lens().focalPx)) < 0.5 * sigma) return false;
    // All views follow, held there first; what fits there counts anew.
    Reconstruction other = r;
    auto priors = q_.priors();
    priors.push_back({0, LensValue::focal, bottom, 1e-3});
    for (int round = 0; round < 3; ++round) {
        progress_.check();
        refine(other, values, round == 0 ? priors : q_.priors(), 30, 1e-6, cancelled_);
        classifyOutliers(other, limits::outliers);
        addPoints(other, growth_.angle(limits::finalAngle));
    }
    // The valley's own cost has decided; this asks only that nothing was lost on the way.
    if (growth_.cost(other) >= 1.002 * growth_.cost(r)) return false;
    std::swap(r, other);
    valley.reset();
    return true;
}

void FreeFinish::widenByValley(const Reconstruction& r, const std::vector<LensValue>& values,
                               Eigen::MatrixXd& covariance, std::optional<FocalValley>& valley) const {
    const double sigma = focalSigma(r, values, covariance);
    // A surer one lies at the bottom of a parabola.
    if (sigma < limits::sureFocal || r.findsFocals()) return;
    if (!valley) valley.emplace(r, values, q_.priors(), cancelled_);
    if (!valley->usable()) return;
    const double wider = valley->width(sigma, r.errorsTogether() * disagreement_) / sigma;
    covariance *= wider * wider;
}

void FreeFinish::lookAtMirror(Reconstruction& r) {
    if (r.zooms() || depthSpread(r) > limits::farLook) return;
    Reconstruction other = r;
    mirror(other);
    // A selection of the frames shows which image is right; the others follow what its points ask for.
    const int every = std::max(1, q_.observations.frameCount() / 40);
    for (int round = 0; round < 2; ++round) {
        progress_.check();
        refine(other, q_.lensValues(), q_.priors(), 20, 1e-5, cancelled_, every);
        if (every > 1) refinePoses(other);
        classifyOutliers(other, limits::growthOutliers);
        addPoints(other, growth_.angle(limits::finalAngle));
    }
    // The same points have to be explained, and the other image has to have stayed one.
    if (other.pointCount() * 10 < r.pointCount() * 9 || !isMirrorOf(other, r)) return;
    const double here = growth_.cost(r), there = growth_.cost(other);
    if (there < here) {
        classifyOutliers(other, limits::outliers);
        refine(other, q_.lensValues(), q_.priors(), 12, 1e-5, cancelled_);
        std::swap(r, other);
    }
    if (std::min(here, there) > limits::mirrorAlike * std::max(here, there)) result_.mirrorRmsPx = other.rms();
}

void FreeFinish::useMeasures(Reconstruction& r) {
    if (q_.request.measures.empty()) return;
    std::map<int, int> groupOf;  // by path id: the stretch with most observations
    for (int p = 0; p < q_.observations.pathCount(); ++p) {
        if (!r.points()[size_t(p)]) continue;
        const auto length = [&](int g) {
            return q_.observations.ofPath[size_t(g)].second - q_.observations.ofPath[size_t(g)].first;
        };
        const auto [at, fresh] = groupOf.emplace(q_.observations.pathIds[size_t(p)], p);
        if (!fresh && length(p) > length(at->second)) at->second = p;
    }
    const PlaceOfPath place = [&](int id) -> std::optional<Eigen::Vector3d> {
        const auto at = groupOf.find(id);
        return at == groupOf.end() ? std::nullopt : r.points()[size_t(at->second)];
    };
    std::vector<double> depths;
    for (const FrameIndex f : q_.observations.indices())
        for (const int i : r.hasView(f) ? q_.observations.byFrame[f] : std::vector<int>())
            if (const auto& p = r.points()[size_t(q_.observations.all[size_t(i)].path)])
                depths.push_back(r.views()[f]->toCamera(*p).z());
    const double depth = std::max(1e-9, median(std::move(depths)));
    result_.freeRmsPx = r.rms();
    for (int round = 0; round < 2; ++round) {
        progress_.check();
        const MeasuredWorld world = measuredWorld(q_.request.measures, place);
        std::vector<PointTie> ties = tiesFor(q_.request.measures, world, place, depth);
        if (ties.empty()) break;
        for (PointTie& t : ties)
            for (int& id : t.points) id = groupOf.at(id);
        r.setTies(std::move(ties), world.placed);
        refine(r, q_.lensValues(), q_.priors(), 25, 1e-6, cancelled_);
        // A point that is held to its position may disagree with its observations: that is for the report to say.
    }
    result_.measured = measuredWorld(q_.request.measures, place);
    result_.reports = reportOn(q_.request.measures, result_.measured, place);
}

}  // namespace va
