// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/shared_lens.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <memory>
#include <utility>

#include "lens/lens_numbers.h"
#include "solve/incremental/end_rates.h"
#include "solve/incremental/lens_certainty.h"
#include "solve/incremental/outliers.h"
#include "solve/incremental/reconstruction.h"
#include "solve/incremental/refine.h"
#include "solve/incremental/resume.h"
#include "solve/incremental/solve_question.h"
#include "solve/incremental/thresholds.h"
#include "solve/mover.h"
#include "solve/mover_steady.h"
#include "solve/report/free_result.h"

namespace va {
namespace {

/// Relative deviation of a solved focal length; infinite where it was not solved.
double focalDeviation(const SolveResult& solve) {
    for (const LensNumber& n : solve.lensNumbers)
        if (n.name == "focal" && n.value > 0) return n.sigma / n.value;
    return INFINITY;
}

/// One of those that see through the lens: the scene's camera, or a mover.
struct Part {
    Part(const std::vector<Path>& paths, const SolveRequest& asked, const SolveResult& from)
        : request(asked), question(paths, request), had(from) {
        holdBackAs(from, question);
        question.distortionRefused = from.distortionRefusedPx >= 0;
        r = resumed(question, from);
    }
    SolveRequest request;
    SolveQuestion question;
    const SolveResult& had;
    std::unique_ptr<Reconstruction> r;
    Eigen::MatrixXd covariance;  ///< of the lens's values, by this part alone
    double spread = 1;           ///< by how much its errors go together
};
using Parts = std::vector<std::unique_ptr<Part>>;

/// Weights of paths, what slides and what is off, by the part as it stands.
void sieve(Part& part) {
    Reconstruction& r = *part.r;
    weighPaths(r);
    setAsideSliding(r, limits::slidingTimes, part.question.scaledPx(limits::slidingNever));
    classifyOutliers(r, limits::outliers);
}

/// What a part tells of the lens, and how far its errors go together.
void weigh(Part& part, const std::vector<LensValue>& values) {
    const auto alone = lensCovariance(*part.r, values);
    const auto n = Eigen::Index(values.size());
    if (!alone || alone->rows() != n || !alone->allFinite()) {
        // It follows the lens that the others tell.
        part.covariance = 1e12 * Eigen::MatrixXd::Identity(n, n);
        return;
    }
    const Eigen::VectorXd more = disagreementOfPaths(*part.r, values, *alone).cwiseMax(1);
    part.covariance = more.asDiagonal() * *alone * more.asDiagonal();
    // How wide the valley of its focal length is has been looked at by its own solve.
    for (const LensNumber& number : part.had.lensNumbers)
        if (number.name == "focal")
            part.covariance *= std::max(1.0, number.sigma * number.sigma / part.covariance(0, 0));
    part.spread = part.r->errorsTogether() * std::sqrt(std::max(1.0, part.covariance(0, 0) / (*alone)(0, 0)));
}

/// Of the lens's values by all parts, if their errors had nothing in common: what they tell adds up.
Eigen::MatrixXd jointCovariance(const Parts& parts) {
    Eigen::MatrixXd information = Eigen::MatrixXd::Zero(parts[0]->covariance.rows(), parts[0]->covariance.cols());
    for (const auto& part : parts) information += part->covariance.inverse();
    return information.inverse();
}

/// One bundle over the parts, which share the first one's lens and stand in worlds of their own.
bool refineTogether(Parts& parts, const std::vector<LensValue>& values, const std::function<bool()>& cancelled) {
    double surest = INFINITY;
    for (const auto& part : parts) surest = std::min(surest, part->spread);
    std::vector<BundleSelection> selections;
    BundleProblem all;
    BundleOptions options;
    const bool rolls = std::any_of(parts.begin(), parts.end(), [](const auto& p) { return !p->r->rates().empty(); });
    for (const auto& part : parts) {
        part->r->trust().scale = robustScale(*part->r);
        BundleSelection s = selectForBundle(*part->r, 1);
        const int firstView = int(all.views.size()), firstPoint = int(all.points.size());
        all.views.insert(all.views.end(), s.problem.views.begin(), s.problem.views.end());
        all.points.insert(all.points.end(), s.problem.points.begin(), s.problem.points.end());
        for (BundleProblem::Observation o : s.problem.observations) {
            o.view += firstView, o.point += firstPoint;
            o.sqrtInformation *= surest / part->spread;
            all.observations.push_back(o);
        }
        if (rolls) {
            s.problem.rates.resize(s.problem.views.size());
            all.rates.insert(all.rates.end(), s.problem.rates.begin(), s.problem.rates.end());
        }
        options.fixedViews.resize(all.views.size(), 0);
        if (firstView < int(all.views.size())) options.fixedViews[size_t(firstView)] = 1;
        selections.push_back(std::move(s));
    }
    all.lenses.push_back(parts[0]->r->lens());
    all.lensOfView.assign(all.views.size(), 0);
    all.readout = parts[0]->r->readout();
    all.height = parts[0]->r->observations().height;
    options.solved = values;
    options.priors = parts[0]->question.priors();
    options.lossScale = limits::bundleLoss;
    options.iterations = 30;
    options.stopWhenCostFallsBy = 1e-6;
    options.stopWhenCamerasGain = 0.02;
    options.cancelled = cancelled;
    if (!bundle(all, options).usable) return false;
    size_t view = 0, point = 0;
    for (size_t i = 0; i < parts.size(); ++i) {
        Reconstruction& r = *parts[i]->r;
        for (const FrameIndex f : selections[i].frameOfView) r.setView(f, all.views[view++]);
        for (const int path : selections[i].pathOfPoint) r.setPoint(path, all.points[point++]);
        r.setLens(all.lenses[0]);
        r.updateRates();
        measureEndRates(r);
    }
    return true;
}

/// The part as a result, in the world that it had.
SolveResult resultOf(const Part& part, const std::vector<LensValue>& values, const Eigen::MatrixXd& covariance) {
    SolveResult out = part.had;
    out.frames.clear();
    for (const int f : part.request.frames) out.frames.emplace_back().frame = f;
    out.points.clear();
    out.outliers.clear();
    out.heldBack.clear();
    out.parallaxByFrame.clear();
    out.checkPaths = 0;
    out.checkRmsPx = -1;
    // How much paths disagree was found by the earlier solve, and is taken over.
    const double disagreement = std::max(1.0, part.had.errorsTogether / part.r->errorsTogether());
    takeFree(*part.r, part.question, &part.had, disagreement, out);
    if (!part.had.lensNumbers.empty()) {
        out.lensWithMovers = true;
        out.lensNumbers = lensNumbers(part.r->lens(), values, covariance);
        if (part.question.distortionIsSolved())
            out.lensMapSigmaPx =
                mapSigmaPx(part.r->lens(), part.request.width, part.request.height, values, covariance);
    }
    return out;
}

}  // namespace

std::optional<SolvedTogether> solvedTogether(const SolveResult& camera, const std::vector<Path>& scene,
                                             const std::vector<SolvedMover>& movers, const SolveRequest& request,
                                             Progress& progress) {
    const bool stands = camera.motion == Motion::lockedOff;
    if ((camera.motion != Motion::free && !stands) || camera.zooms || request.focal == Known::known ||
        !request.measures.empty())
        return std::nullopt;
    Parts parts;
    if (!stands) parts.push_back(std::make_unique<Part>(scene, request, camera));
    std::vector<const Part*> partOf;  // of each mover; none where it has no free solve
    const SolveRequest ofMovers = moverRequest(camera, request);
    for (const SolvedMover& m : movers) {
        const bool counts = m.solve.motion == Motion::free && !m.solve.zooms;
        if (counts) parts.push_back(std::make_unique<Part>(m.paths, ofMovers, m.solve));
        partOf.push_back(counts ? parts.back().get() : nullptr);
    }
    const auto begun = [](const auto& part) { return part->r != nullptr; };
    if (parts.size() < 2 || !std::all_of(parts.begin(), parts.end(), begun)) return std::nullopt;
    // Before a standing camera movers come with lenses of their own: all go on from the surest one's.
    if (stands)
        std::stable_sort(parts.begin(), parts.end(),
                         [](const auto& a, const auto& b) { return focalDeviation(a->had) < focalDeviation(b->had); });
    const std::vector<LensValue> values = parts[0]->question.lensValues();
    if (values.empty() || values.front() != LensValue::focal || !std::isfinite(focalDeviation(parts[0]->had)))
        return std::nullopt;
    const auto cancelled = [&progress] { return progress.cancelled(); };
    for (const auto& part : parts) {
        progress.check();
        if (part != parts[0]) {
            part->r->setLens(parts[0]->r->lens());
            if (stands) refine(*part->r, {}, {}, 15, 1e-5, cancelled);
        }
        // Earlier solves hand on views and points, but not which observations they left out.
        classifyOutliers(*part->r, limits::growthOutliers);
        sieve(*part);
        weigh(*part, values);
    }
    // Before a standing camera each mover came with a lens of its own, but a camera has one.
    if (!stands && !(jointCovariance(parts)(0, 0) < std::pow(limits::moversTellLens, 2) * parts[0]->covariance(0, 0)))
        return std::nullopt;
    // Weights and outliers that were found with another lens settle again.
    for (int round = 0; round < 3; ++round) {
        progress.check();
        if (!refineTogether(parts, values, cancelled)) return std::nullopt;
        for (const auto& part : parts) sieve(*part);
    }
    for (const auto& part : parts) weigh(*part, values);
    // Both go by the same plate and tracker: errors that they have in common do not average out.
    const Eigen::MatrixXd& stated = (*std::min_element(parts.begin(), parts.end(), [](const auto& a, const auto& b) {
                                        return a->covariance(0, 0) < b->covariance(0, 0);
                                    }))->covariance;
    SolvedTogether out{stands ? camera : resultOf(*parts[0], values, stated), {}};
    for (size_t i = 0; i < movers.size(); ++i)
        out.movers.push_back(partOf[i]
                                 ? withSteadyTurn(resultOf(*partOf[i], values, stated), out.camera, movers[i].paths)
                                 : movers[i].solve);
    return out;
}

}  // namespace va
