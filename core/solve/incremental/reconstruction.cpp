// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/reconstruction.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "solve/bundle/normal_equations.h"
#include "solve/bundle/uncertainty.h"
#include "solve/minimal/essential.h"
#include "solve/minimal/planar_start.h"
#include "solve/minimal/triangulate.h"

namespace va {
namespace {

constexpr double rayleighMedian = 1.17741;  // √(2 ln 2): median length of a 2D unit Gaussian

}  // namespace

std::optional<Eigen::Vector2d> Reconstruction::residual(const PathObservation& s) const {
    const auto& point = points_[size_t(s.path)];
    const auto view = point ? viewOf(s) : std::nullopt;
    if (!view) return std::nullopt;
    const auto pixel = project(*view, lensOf(s.frame), *point);
    if (!pixel) return std::nullopt;
    return Eigen::Vector2d(*pixel - s.pixel);
}

std::optional<View> Reconstruction::viewOf(const PathObservation& s) const {
    const auto& view = views_[size_t(s.frame)];
    if (!view || rates_.empty()) return view;
    return viewAtRow(*view, rates_[size_t(s.frame)], readout_, s.pixel.y(), observations_.height);
}

void Reconstruction::setReadout(double readout, bool solve) {
    readout_ = readout;
    solvesReadout_ = solve;
    takeRates();
}

void Reconstruction::takeRates() {
    rates_.clear();
    if (!rolls()) return;
    std::vector<View> views;
    std::vector<double> times;
    for (size_t f = 0; f < views_.size(); ++f)
        if (views_[f]) views.push_back(*views_[f]), times.push_back(observations_.frames[f]);
    const std::vector<ViewRate> rates = ratesOf(views, times);
    rates_.assign(views_.size(), ViewRate());
    for (size_t f = 0, i = 0; f < views_.size(); ++f)
        if (views_[f]) rates_[f] = rates[i++];
}

void Reconstruction::resume(int frame, const View& view, double focalPx) {
    views_[size_t(frame)] = view;
    if (zooms()) focal_[size_t(frame)] = focalPx;
}

void Reconstruction::resumePoint(int path, const Eigen::Vector3d& place) { points_[size_t(path)] = place; }

int Reconstruction::solvedFrames() const {
    return int(std::count_if(views_.begin(), views_.end(), [](const auto& v) { return v.has_value(); }));
}

int Reconstruction::pointCount() const {
    return int(std::count_if(points_.begin(), points_.end(), [](const auto& p) { return p.has_value(); }));
}

int Reconstruction::placedIn(int frame) const {
    int n = 0;
    for (int i : observations_.byFrame[size_t(frame)])
        n += points_[size_t(observations_.all[size_t(i)].path)].has_value();
    return n;
}

bool Reconstruction::begin(int frameA, int frameB, uint64_t seed, double leastAngle, int plane) {
    Points2 a, b;
    std::vector<std::pair<int, int>> pairs;
    SamplingOptions options;
    options.threshold = 1.5 / lens_.focalPx;
    options.trials = 300;
    options.seed = seed;
    const auto gather = [&] {
        a.clear(), b.clear(), pairs.clear();
        for (const auto& [i, j] : observations_.shared(frameA, frameB)) {
            const auto p = undistorted(observations_.all[size_t(i)]), q = undistorted(observations_.all[size_t(j)]);
            if (!p || !q) continue;
            a.push_back(*p), b.push_back(*q);
            pairs.emplace_back(i, j);
        }
    };
    if (zooms() && !focalsHeld_) {
        // How far the lens zoomed between the two: what agrees with most.
        double best = INFINITY, bestFocal = lens_.focalPx;
        for (const double share : {1.0, 0.94, 1.06, 0.88, 1.13, 0.8, 1.25, 0.7, 1.4}) {
            focal_[size_t(frameB)] = lens_.focalPx * share;
            gather();
            const auto e = robustEssential(a, b, options);
            if (e.found && e.cost < best) best = e.cost, bestFocal = focal_[size_t(frameB)];
        }
        focal_[size_t(frameB)] = bestFocal;
    }
    gather();
    std::optional<View> pose;
    std::vector<char> agrees;
    if (plane < 0) {
        const auto e = robustEssential(a, b, options);
        if (!e.found || e.agreeing < observations_.fewest.placed) return false;
        pose = poseFromEssential(e.model, a, b, e.agrees);
        agrees = e.agrees;
    } else {
        const auto h = robustHomography(a, b, options);
        if (!h.found || h.agreeing < observations_.fewest.placed) return false;
        const auto poses = posesFromHomography(h.model, a, b);
        if (plane < int(poses.size())) pose = poses[size_t(plane)];
        agrees = h.agrees;
    }
    if (!pose) return false;
    views_[size_t(frameA)] = View{};
    views_[size_t(frameB)] = *pose;
    for (size_t k = 0; k < pairs.size(); ++k) {
        if (!agrees[k]) continue;
        const auto point = triangulate({{&*views_[size_t(frameA)], a[k], 1}, {&*views_[size_t(frameB)], b[k], 1}});
        if (point && point->angle > leastAngle)
            points_[size_t(observations_.all[size_t(pairs[k].first)].path)] = point->position;
    }
    return pointCount() >= observations_.fewest.placed;
}

bool Reconstruction::addFrame(int frame, uint64_t seed, const View* near) {
    // A zoom may have moved on since the frames next to it: what agrees with most is used.
    std::vector<double> focals{lens_.focalPx};
    if (focalsHeld_) {
        focals = {focal_[size_t(frame)]};
    } else if (zooms()) {
        focals.clear();
        for (const double share : {1.0, 0.96, 1.04, 0.9, 1.1}) focals.push_back(likelyFocal(frame) * share);
    }
    std::optional<View> best;
    double bestFocal = 0;
    int most = 0;
    for (const double focal : focals) {
        if (zooms()) focal_[size_t(frame)] = focal;
        Points3 world;
        Points2 seen;
        std::vector<double> weights;
        collect(frame, world, seen, weights, false);
        if (int(world.size()) < observations_.fewest.seen) return false;
        const double close = 3.0 / focal;
        const auto agreeing = [&](const View& v) {
            int n = 0;
            for (size_t i = 0; i < world.size(); ++i) {
                const Eigen::Vector3d c = v.toCamera(world[i]);
                n += c.z() > 1e-9 && (c.head<2>() / c.z() - seen[i]).norm() < close;
            }
            return n;
        };
        View view;
        if (near) view = refineView(*near, world, seen, weights, 2.0);
        if (!near || agreeing(view) * 10 < int(world.size()) * 8) {
            SamplingOptions options;
            options.threshold = close;
            options.trials = 300;
            options.seed = seed + uint64_t(frame) * 7919u;
            const auto r = robustResection(world, seen, options);
            if (r.found && (!near || r.agreeing > agreeing(view)))
                view = refineView(r.model, world, seen, weights, 2.0);
            else if (!near) continue;
        }
        const int n = agreeing(view);
        if (n >= observations_.fewest.seen && n * 2 >= int(world.size()) && n > most)
            best = view, bestFocal = focal, most = n;
        if (most * 10 >= int(world.size()) * 9) break;
    }
    if (!best) return false;
    if (zooms() && !focalsHeld_) {
        focal_[size_t(frame)] = bestFocal;
        refinePose(frame, *best, false);
    }
    views_[size_t(frame)] = *best;
    return true;
}

double Reconstruction::likelyFocal(int frame) const {
    int near = -1;
    for (int f = 0; f < int(views_.size()); ++f)
        if (views_[size_t(f)] && f != frame && (near < 0 || std::abs(f - frame) < std::abs(near - frame))) near = f;
    return near < 0 ? lens_.focalPx : focal_[size_t(near)];
}

void Reconstruction::refinePose(int frame, View& view, bool usedOnly) {
    BundleProblem p;
    p.views = {view};
    p.lenses = {lens_};
    p.lensOfView = {0};
    if (zooms()) p.focalOfView = {focal_[size_t(frame)]};
    p.timeOfView = {0};
    if (!rates_.empty()) {
        p.rates = {rates_[size_t(frame)]};
        p.readout = readout_;
        p.height = observations_.height;
    }
    for (const int i : observations_.byFrame[size_t(frame)]) {
        const PathObservation& s = observations_.all[size_t(i)];
        const auto& point = points_[size_t(s.path)];
        if (!point || observations_.heldBack[size_t(s.path)] || (usedOnly && !s.use)) continue;
        p.observations.push_back({0, int(p.points.size()), s.pixel, pathWeight(s.path) / scale_ * s.sqrtInformation});
        p.points.push_back(*point);
    }
    if (int(p.observations.size()) < observations_.fewest.seen) return;
    BundleOptions options;
    options.fixedPoints = true;
    options.solveZoom = zooms() && !focalsHeld_;
    options.lossScale = 2.0;
    options.iterations = 12;
    options.stopWhenCostFallsBy = 1e-4;
    if (!bundle(p, options).usable) return;
    view = p.views[0];
    if (options.solveZoom) focal_[size_t(frame)] = p.focalOfView[0];
}

int Reconstruction::addPoints(double leastAngle) {
    int added = 0;
    for (int p = 0; p < observations_.pathCount(); ++p) {
        if (points_[size_t(p)] || observations_.heldBack[size_t(p)] || slides_[size_t(p)]) continue;
        std::vector<Observation> seen;
        std::vector<int> which;
        const auto [begin, end] = observations_.ofPath[size_t(p)];
        std::vector<View> views;
        views.reserve(size_t(end - begin));
        for (int i = begin; i < end; ++i) {
            const PathObservation& s = observations_.all[size_t(i)];
            const auto view = viewOf(s);
            const auto n = view ? undistorted(s) : std::nullopt;
            if (!n) continue;
            views.push_back(*view);
            seen.push_back({&views.back(), *n, 1});
            which.push_back(i);
        }
        if (seen.size() < 2) continue;
        const auto point = triangulate(seen);
        if (!point || point->angle < leastAngle) continue;
        points_[size_t(p)] = point->position;
        int good = 0;
        for (int i : which) {
            PathObservation& s = observations_.all[size_t(i)];
            const auto r = residual(s);
            s.use = r && r->norm() < 3.0;
            good += s.use;
        }
        if (good < 2 || good * 3 < int(which.size()) * 2) points_[size_t(p)].reset();
        else ++added;
    }
    return added;
}

double Reconstruction::robustScale() const {
    std::vector<double> lengths;
    for (const PathObservation& s : observations_.all) {
        if (observations_.heldBack[size_t(s.path)]) continue;
        if (const auto r = residual(s))
            lengths.push_back((s.sqrtInformation * *r).norm() *
                              (pathWeight_.empty() ? 1 : pathWeight_[size_t(s.path)]));
    }
    return std::max(0.05, median(std::move(lengths)) / rayleighMedian);
}

Reconstruction::Selection Reconstruction::select(int every) const {
    Selection out;
    std::vector<int> viewIndex(views_.size(), -1), pointIndex(points_.size(), -1);
    for (size_t f = 0; f < views_.size(); ++f) {
        if (!views_[f] || (every > 1 && f % size_t(every) != 0)) continue;
        viewIndex[f] = int(out.problem.views.size());
        out.problem.views.push_back(*views_[f]);
        out.problem.lensOfView.push_back(0);
        if (zooms()) out.problem.focalOfView.push_back(focal_[f]);
        out.problem.timeOfView.push_back(observations_.frames[f]);
        if (!rates_.empty()) out.problem.rates.push_back(rates_[f]);
        out.viewFrame.push_back(int(f));
    }
    for (const PathObservation& s : observations_.all) {
        if (!s.use || viewIndex[size_t(s.frame)] < 0 || !points_[size_t(s.path)] ||
            observations_.heldBack[size_t(s.path)])
            continue;
        int& at = pointIndex[size_t(s.path)];
        if (at < 0) {
            at = int(out.problem.points.size());
            out.problem.points.push_back(*points_[size_t(s.path)]);
            out.pointPath.push_back(s.path);
        }
        const double weight = (pathWeight_.empty() ? 1 : pathWeight_[size_t(s.path)]) / scale_;
        out.problem.observations.push_back({viewIndex[size_t(s.frame)], at, s.pixel, weight * s.sqrtInformation});
    }
    out.problem.lenses.push_back(lens_);
    out.problem.readout = readout_;
    out.problem.height = observations_.height;
    for (PointTie tie : ties_) {
        bool whole = true;
        for (int& p : tie.points) p = pointIndex[size_t(p)], whole = whole && p >= 0;
        if (whole) out.problem.ties.push_back(std::move(tie));
    }
    return out;
}

BundleSummary Reconstruction::refine(const std::vector<LensValue>& solved,
                                     const std::vector<BundleOptions::Prior>& priors, int iterations, double stop,
                                     const std::function<bool()>& cancelled, int every) {
    scale_ = robustScale();
    Selection s = select(every);
    BundleOptions options;
    options.solved = solved;
    options.priors = priors;
    options.fixedViews.assign(s.problem.views.size(), 0);
    if (!options.fixedViews.empty() && !tiesPlace_) options.fixedViews[0] = 1;
    options.solveReadout = solvesReadout_;
    options.solveZoom = zooms() && std::find(solved.begin(), solved.end(), LensValue::focal) != solved.end();
    options.lossScale = 2.0;
    options.iterations = iterations;
    options.stopWhenCostFallsBy = stop;
    // Only the last rounds, which look closely, are worth the last tenth of a deviation.
    options.stopWhenCamerasGain = stop < 5e-5 ? 0.02 : 0.2;
    if (options.solveZoom) {
        // Focal lengths, depths and the way ahead change together along a valley: many small steps lead far.
        options.iterations = 4 * iterations;
        options.stopWhenCamerasGain = 0.01;
        options.stopWhenCostFallsBy = 0.1 * stop;
    }
    options.cancelled = cancelled;
    const BundleSummary summary = bundle(s.problem, options);
    if (!summary.usable) return summary;
    readout_ = s.problem.readout;
    for (size_t i = 0; i < s.viewFrame.size(); ++i) views_[size_t(s.viewFrame[i])] = s.problem.views[i];
    for (size_t i = 0; i < s.pointPath.size(); ++i) points_[size_t(s.pointPath[i])] = s.problem.points[i];
    lens_ = s.problem.lenses[0];
    if (zooms() && !focalsHeld_) {
        for (size_t i = 0; i < s.viewFrame.size(); ++i) focal_[size_t(s.viewFrame[i])] = s.problem.focalOfView[i];
        lens_.focalPx = median(s.problem.focalOfView);
        // Frames between those that were bundled track them.
        for (size_t i = 1; i < s.viewFrame.size(); ++i)
            for (int f = s.viewFrame[i - 1] + 1; f < s.viewFrame[i]; ++f) {
                const double share = double(f - s.viewFrame[i - 1]) / (s.viewFrame[i] - s.viewFrame[i - 1]);
                focal_[size_t(f)] =
                    std::pow(s.problem.focalOfView[i - 1], 1 - share) * std::pow(s.problem.focalOfView[i], share);
            }
    }
    takeRates();
    return summary;
}

std::optional<Eigen::MatrixXd> Reconstruction::covariance(const std::vector<LensValue>& values, bool readout) const {
    constexpr int mostViews = 60;  // dense algebra over six numbers a view
    const int every = (solvedFrames() + mostViews - 1) / mostViews;
    const Selection s = select(every);
    auto covariance = va::lensCovariance(s.problem, values, false, 0.25, readout);
    // The frames between count as well; they see the same points in much the same way.
    // A path's error that goes on over frames is one measurement and not many.
    if (covariance)
        *covariance *=
            errorsTogether() * errorsTogether() * double(s.problem.views.size()) / std::max(1, solvedFrames());
    return covariance;
}

std::optional<Eigen::MatrixXd> Reconstruction::lensCovariance(const std::vector<LensValue>& values) const {
    return covariance(values, false);
}

Eigen::VectorXd Reconstruction::disagreement(const std::vector<LensValue>& values,
                                             const Eigen::MatrixXd& covariance) const {
    constexpr int groups = 16, mostViews = 40;
    const Selection s = select((solvedFrames() + mostViews - 1) / mostViews);
    const auto n = Eigen::Index(values.size());
    const Eigen::VectorXd none = Eigen::VectorXd::Ones(n);
    if (int(s.problem.points.size()) < 6 * groups || covariance.rows() != n || n == 0) return none;
    BundleOptions options;
    options.solved = values;
    options.lossScale = 2.0;
    options.fixedViews.assign(s.problem.views.size(), 0);
    if (!tiesPlace_) options.fixedViews[0] = 1;
    options.solveZoom = zooms() && !focalsHeld_;
    Eigen::MatrixXd moves = Eigen::MatrixXd::Zero(n, groups);
    std::vector<char> failed(groups, 0);
    parallelRanges(groups, 1, [&](int begin, int end) {
        for (int g = begin; g < end; ++g) {
            BundleProblem p = s.problem;
            std::erase_if(p.observations, [&](const auto& o) { return o.point % groups == g; });
            NormalEquations equations(p, options);
            BundleStep step;
            if (!std::isfinite(equations.linearise(p)) || !equations.solve(1e-10, step)) {
                failed[size_t(g)] = 1;
                continue;
            }
            // The focal lengths of a zoom are among the views' numbers: the middle one speaks for all.
            const auto middle = Eigen::Index(p.views.size() / 2);
            for (Eigen::Index k = 0, border = 0; k < n; ++k)
                moves(k, g) = options.solveZoom && values[size_t(k)] == LensValue::focal
                                  ? p.focalOfView[size_t(middle)] * step.views[(middle + 1) * equations.viewSize() - 1]
                                  : step.border[border++];
        }
    });
    if (std::find(failed.begin(), failed.end(), 1) != failed.end() || !moves.allFinite()) return none;
    const Eigen::MatrixXd off = moves.colwise() - moves.rowwise().mean();
    const Eigen::VectorXd variance = (groups - 1.0) / groups * off.rowwise().squaredNorm(),
                          ratio = variance.cwiseQuotient(covariance.diagonal()).cwiseSqrt();
    return ratio.allFinite() ? Eigen::VectorXd(ratio.cwiseMin(10)) : none;
}

std::optional<double> Reconstruction::readoutSigma() const {
    if (rates_.empty()) return std::nullopt;
    const auto c = covariance({}, true);
    if (!c || c->size() == 0) return std::nullopt;
    return std::sqrt((*c)(c->rows() - 1, c->cols() - 1));
}

double Reconstruction::depthSpread() const {
    std::vector<double> shares;
    for (size_t f = 0; f < views_.size(); ++f) {
        if (!views_[f]) continue;
        double sum = 0, squares = 0;
        int n = 0;
        for (const int i : observations_.byFrame[f])
            if (const auto& p = points_[size_t(observations_.all[size_t(i)].path)]) {
                const double z = views_[f]->toCamera(*p).z();
                sum += z, squares += z * z, ++n;
            }
        if (n < 3 || !(sum > 0)) continue;
        const double mean = sum / n;
        shares.push_back(std::sqrt(std::max(0.0, squares / n - mean * mean)) / mean);
    }
    return median(std::move(shares));
}

void Reconstruction::mirror() {
    std::vector<size_t> solved;
    for (size_t f = 0; f < views_.size(); ++f)
        if (views_[f]) solved.push_back(f);
    if (solved.empty()) return;
    const View base = *views_[solved[solved.size() / 2]];
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    int n = 0;
    for (const auto& p : points_)
        if (p) middle += base.toCamera(*p), ++n;
    if (n == 0) return;
    middle /= n;
    const Eigen::Matrix3d flip = Eigen::Vector3d(1, 1, -1).asDiagonal();
    // In the middle view's axes about the points' middle a far view is x ~ R X + t; with X → F X it is F R F and t that
    // see the same.
    const Eigen::Vector3d centre = base.rotation.transpose() * (middle - base.shift);
    for (auto& p : points_)
        if (p) p = (centre + base.rotation.transpose() * (flip * (base.rotation * (*p - centre)))).eval();
    for (auto& v : views_) {
        if (!v) continue;
        const Eigen::Vector3d seen = v->toCamera(centre);
        const Eigen::Matrix3d relative = v->rotation * base.rotation.transpose();
        v->rotation = flip * relative * flip * base.rotation;
        v->shift = seen - v->rotation * centre;
    }
    takeRates();
}

bool Reconstruction::mirrorOf(const Reconstruction& other) const {
    // Depths of the points in the middle common view: against each other they run the other way.
    for (size_t k = views_.size() / 2, step = 0; step < 2 * views_.size(); ++step) {
        const size_t f = (k + step) % views_.size();
        if (!views_[f] || !other.views_[f]) continue;
        double a = 0, b = 0, ab = 0;
        int n = 0;
        for (int pass = 0; pass < 2; ++pass) {
            const double meanA = n > 0 ? a / n : 0, meanB = n > 0 ? b / n : 0;
            for (size_t p = 0; p < points_.size(); ++p) {
                if (!points_[p] || !other.points_[p]) continue;
                const double x = views_[f]->toCamera(*points_[p]).z(),
                             y = other.views_[f]->toCamera(*other.points_[p]).z();
                if (pass == 0) a += x, b += y, ++n;
                else ab += (x - meanA) * (y - meanB);
            }
        }
        return n > 3 && ab < 0;
    }
    return false;
}

void Reconstruction::refinePoses() {
    parallelRanges(int(views_.size()), 4, [&](int begin, int end) {
        for (int f = begin; f < end; ++f) {
            if (!views_[size_t(f)]) continue;
            if ((zooms() && !focalsHeld_) || rolls()) {
                refinePose(f, *views_[size_t(f)], true);
                continue;
            }
            Points3 world;
            Points2 seen;
            std::vector<double> weights;
            collect(f, world, seen, weights, true);
            if (world.size() >= 6) views_[size_t(f)] = refineView(*views_[size_t(f)], world, seen, weights, 2.0);
        }
    });
    takeRates();
}

void Reconstruction::collect(int frame, Points3& world, Points2& seen, std::vector<double>& weights,
                             bool usedOnly) const {
    for (int i : observations_.byFrame[size_t(frame)]) {
        const PathObservation& s = observations_.all[size_t(i)];
        const auto& point = points_[size_t(s.path)];
        if (!point || observations_.heldBack[size_t(s.path)] || (usedOnly && !s.use)) continue;
        const auto n = undistorted(s);
        if (!n) continue;
        world.push_back(*point);
        seen.push_back(*n);
        const double weight = pathWeight_.empty() ? 1 : pathWeight_[size_t(s.path)];
        // Mean precision of the two axes, in normalised units.
        weights.push_back(0.5 * s.sqrtInformation.squaredNorm() * std::pow(lensOf(frame).focalPx * weight, 2));
    }
}

void Reconstruction::classifyOutliers(double limit) {
    scale_ = robustScale();
    for (int p = 0; p < observations_.pathCount(); ++p) {
        if (!points_[size_t(p)]) continue;
        const auto [begin, end] = observations_.ofPath[size_t(p)];
        int used = 0, seen = 0, behind = 0;
        for (int i = begin; i < end; ++i) {
            PathObservation& s = observations_.all[size_t(i)];
            if (!views_[size_t(s.frame)]) continue;
            ++seen;
            const auto r = residual(s);
            behind += !r;
            const double weight = pathWeight_.empty() ? 1 : pathWeight_[size_t(p)];
            // In sigmas of the noise, but never so tight that a well-measured observation is lost to a few hundredths
            // of a pixel.
            s.use = r && ((s.sqrtInformation * *r).norm() * weight < limit * scale_ || r->norm() < 0.1) &&
                    (slideLimit_ == 0 || r->norm() < 3 * slideLimit_);
            used += s.use;
        }
        if (used < 3 || used * 2 < seen || behind > 0) points_[size_t(p)].reset();
    }
}

double Reconstruction::errorThatCounts(int path) const {
    const auto [begin, end] = observations_.ofPath[size_t(path)];
    std::vector<std::pair<int, Eigen::Vector2d>> errors;
    for (int i = begin; i < end; ++i) {
        const PathObservation& s = observations_.all[size_t(i)];
        const auto r = s.use ? residual(s) : std::nullopt;
        if (r) errors.emplace_back(observations_.frames[size_t(s.frame)], s.sqrtInformation * *r);
    }
    if (errors.empty()) return -1;
    // Running means over 20 frames; both sums are an axis.
    constexpr int half = 10;
    double slow = 0, quick = 0, together = 0;
    for (const auto& [frame, e] : errors) {
        Eigen::Vector2d mean = Eigen::Vector2d::Zero();
        int n = 0;
        for (const auto& [other, o] : errors)
            if (std::abs(other - frame) <= half) mean += o, ++n;
        mean /= n;
        slow += 0.5 * mean.squaredNorm();
        quick += 0.5 * (e - mean).squaredNorm();
        together += n;
    }
    const auto n = double(errors.size());
    // A mean over k observations of noise alone has 1/k of its variance: only what exceeds that is slow.
    const double k = together / n, noise = quick / std::max(1.0, n - n / k);
    return std::sqrt(noise + k * std::max(0.0, slow / n - noise / k));
}

void Reconstruction::weighPaths() {
    pathWeight_.assign(points_.size(), 1.0);
    std::vector<double> own(points_.size(), -1), known;
    for (int p = 0; p < observations_.pathCount(); ++p)
        if (points_[size_t(p)] && (own[size_t(p)] = errorThatCounts(p)) >= 0) known.push_back(own[size_t(p)]);
    const double typical = typicalError_ = std::max(1e-6, median(std::move(known)));
    for (int p = 0; p < observations_.pathCount(); ++p) {
        if (own[size_t(p)] < 0) continue;
        // Drawn towards the typical path as if four observations of that had been seen: short paths prove little.
        const auto [begin, end] = observations_.ofPath[size_t(p)];
        const double n = end - begin, e = own[size_t(p)];
        const double variance = (n * e * e + 4 * typical * typical) / (n + 4);
        pathWeight_[size_t(p)] = std::min(4.0, typical / std::sqrt(variance));
    }
}

double Reconstruction::rms() const {
    double sum = 0;
    int count = 0;
    for (const PathObservation& s : observations_.all)
        if (const auto e = s.use && !observations_.heldBack[size_t(s.path)] ? residual(s) : std::nullopt)
            sum += e->squaredNorm(), ++count;
    return count > 0 ? std::sqrt(sum / count) : 0;
}

double Reconstruction::pathRms(int path) const {
    const auto [begin, end] = observations_.ofPath[size_t(path)];
    double sum = 0;
    int n = 0;
    for (int i = begin; i < end; ++i) {
        const PathObservation& s = observations_.all[size_t(i)];
        const auto r = s.use ? residual(s) : std::nullopt;
        if (r) sum += r->squaredNorm(), ++n;
    }
    return n > 0 ? std::sqrt(sum / n) : -1;
}

void Reconstruction::setAsideSliding(double times, double never) {
    std::vector<double> all;
    for (int p = 0; p < observations_.pathCount(); ++p)
        if (points_[size_t(p)]) all.push_back(pathRms(p));
    slideLimit_ = std::max(never, times * median(std::move(all)));
    for (int p = 0; p < observations_.pathCount(); ++p)
        if (points_[size_t(p)] && pathRms(p) > slideLimit_) points_[size_t(p)].reset(), slides_[size_t(p)] = 1;
}

double Reconstruction::truncatedCost() const {
    double sum = 0;
    int n = 0;
    for (const PathObservation& s : observations_.all) {
        if (!views_[size_t(s.frame)] || observations_.heldBack[size_t(s.path)]) continue;
        ++n;
        const auto r = residual(s);
        // Against a fixed yardstick of a third of a pixel: whitening would let one hypothesis hide behind its own
        // scale.
        sum += r ? std::min(9.0, r->squaredNorm() * 9) : 9.0;
    }
    return n > 0 ? sum / n : 9.0;
}

}  // namespace va
