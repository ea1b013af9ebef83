// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/still_views.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/text.h"
#include "solve/bundle/bundle.h"
#include "solve/bundle/normal_equations.h"
#include "solve/incremental/observations.h"
#include "solve/minimal/essential.h"
#include "solve/minimal/resect.h"
#include "solve/minimal/triangulate.h"

namespace va {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr double leastAgreePx = 2.5;  ///< px, by which a mark may miss while cameras are looked for
constexpr int fewestWithDepth = 4;    ///< marks on solved points that give a camera
/// Marks that give a first still to a camera in one place, and where both focal lengths are known.
constexpr int fewestFirst = 8, fewestFirstKnown = 6;
constexpr double leastAngle = 0.25 * M_PI / 180;  ///< between rays, for a point of the cloud
constexpr double openSigma = 0.5;                 ///< relative deviation from which on a focal length is not known
constexpr double rejectAt = 4;                    ///< deviations, from which on a mark is rejected
constexpr double distortionSigma = 0.05;          ///< of k1, before anything is seen
constexpr int marksForDistortion = 40;
constexpr double tangentReach = 0.77;  ///< cosine of the angle that one flat picture of directions covers
constexpr double usualDistance = 10;   ///< units, of the median point

/// The directions that a path has from the shot's camera in its one place.
struct Bearing {
    Vector3d direction = Vector3d::UnitZ();  ///< in the world, of unit length
    double sigma = 0.1;                      ///< px
    double rmsPx = 0, worstPx = 0;           ///< of the path against the direction
    int worstFrame = 0;
    FrameRange stretch;
    int observations = 0;
};

/// A still while it is being joined.
struct Joining {
    const StillRequest* asked = nullptr;
    SolvedStill out;
    View view;
    [[nodiscard]] Vector2d normalised(const StillMark& m, double focal) const {
        Intrinsics lens = out.lens;
        lens.focalPx = focal;
        return lens.distortedFromPixel(m.pixel);
    }
};

Joining joiningOf(const StillRequest& r) {
    Joining j;
    j.asked = &r;
    j.out.id = r.id;
    j.out.lens.pixelAspect = r.pixelAspect;
    j.out.lens.principalPoint = {(r.width - 1) / 2.0, (r.height - 1) / 2.0};
    j.out.lens.focalPx = r.focalPx.value_or(1.1 * r.width * r.pixelAspect);
    return j;
}

/// By how many px a mark may miss while cameras are looked for: coarse marks by more.
double agreePxOf(const StillRequest& r) {
    std::vector<double> sigmas;
    for (const StillMark& m : r.marks) sigmas.push_back(m.sigma);
    return std::max(leastAgreePx, 3.5 * median(sigmas));
}

/// Focal lengths of the still to try, px.
std::vector<double> focalsToTry(const StillRequest& r) {
    if (r.focalPx && r.focalSigma < openSigma) return {*r.focalPx};
    std::vector<double> out;
    for (double widths = 0.5; widths < 4; widths *= 1.1) out.push_back(widths * r.width * r.pixelAspect);
    return out;
}

/// Whether two sets of rays differ by a rotation alone: a homography explains them and is one.
bool onlyTurned(const Points2& a, const Points2& b, const std::vector<char>& agrees, double threshold) {
    Points2 fromA, fromB;
    for (size_t i = 0; i < a.size(); ++i)
        if (agrees[i]) fromA.push_back(a[i]), fromB.push_back(b[i]);
    SamplingOptions options;
    options.threshold = threshold;
    const auto h = robustHomography(fromA, fromB, options);
    if (!h.found || h.agreeing < 0.9 * double(fromA.size())) return false;
    const Eigen::Matrix3d scaled = h.model / std::cbrt(h.model.determinant());
    // Of a rotation all singular values are 1.
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> axes(scaled.transpose() * scaled, Eigen::EigenvaluesOnly);
    const Vector3d squares = axes.eigenvalues();
    return squares.z() < 1.05 * 1.05 * squares.x();
}

/// Resects a still from points of the world.
bool resected(Joining& j, const std::map<int, Vector3d>& points) {
    Points3 world;
    std::vector<const StillMark*> marks;
    for (const StillMark& m : j.asked->marks)
        if (const auto at = points.find(m.path); at != points.end()) world.push_back(at->second), marks.push_back(&m);
    if (int(world.size()) < fewestWithDepth) {
        j.out.trouble = StillTrouble::fewMarks;
        return false;
    }
    int agreeing = 0;
    const auto scan = [&](const std::vector<double>& focals, double withinPx) {
        double least = 1e300;
        for (const double focal : focals) {
            Points2 seen;
            for (const StillMark* m : marks) seen.push_back(j.normalised(*m, focal));
            SamplingOptions options;
            options.threshold = withinPx / focal;
            options.trials = 300;
            const auto found = robustResection(world, seen, options);
            const double cost = found.cost * focal * focal;
            if (!found.found || found.agreeing < fewestWithDepth || cost >= least) continue;
            least = cost;
            agreeing = found.agreeing;
            j.view = found.model;
            j.out.lens.focalPx = focal;
        }
    };
    // A focal length of the coarse row, or of metadata, is off by some percent, and points by that share of their
    // distance from the middle; then it is looked for more closely.
    scan(focalsToTry(*j.asked), std::max(agreePxOf(*j.asked), 0.008 * j.asked->width));
    if (agreeing == 0) {
        j.out.trouble = StillTrouble::doesNotFit;
        return false;
    }
    std::vector<double> close;
    for (double share = 0.95; share < 1.055; share += 0.01) close.push_back(share * j.out.lens.focalPx);
    scan(close, std::max(agreePxOf(*j.asked), 0.004 * j.asked->width));
    const bool enough = agreeing >= fewestWithDepth && 2 * agreeing > int(world.size());
    j.out.trouble = enough ? StillTrouble::none : StillTrouble::doesNotFit;
    return enough;
}

/// Bundles stills and points, leaving out marks that do not fit; `fixed` views come first in the problem.
class Bundling {
  public:
    struct Seen {
        int still = 0;
        const StillMark* mark = nullptr;
        int point = 0;
    };

    BundleProblem problem;
    BundleOptions options;
    std::vector<Joining*> stills;
    std::vector<Seen> marks;
    size_t baseObservations = 0;  ///< the first ones, which stay

    void addStill(Joining& j) {
        stills.push_back(&j);
        const int lens = int(problem.lenses.size());
        problem.lenses.push_back(j.out.lens);
        problem.views.push_back(j.view);
        problem.lensOfView.push_back(lens);
        options.fixedViews.push_back(0);
        const bool known = j.asked->focalPx && j.asked->focalSigma < openSigma;
        prior(lens, LensValue::focal, j.out.lens.focalPx, known ? std::max(1e-6, j.asked->focalSigma) : openSigma);
        if (known) options.priors.back().mean = *j.asked->focalPx;
        prior(lens, LensValue::k1, 0, int(j.asked->marks.size()) >= marksForDistortion ? distortionSigma : 1e-6);
    }
    void prior(int lens, LensValue value, double mean, double sigma) {
        options.priors.push_back({lens, value, mean, sigma});
    }

    void run(Progress& progress) {
        options.solved = {LensValue::focal, LensValue::k1};
        options.cancelled = [&progress] { return progress.cancelled(); };
        for (int round = 0; round < 5; ++round) {
            layMarks();
            if (problem.observations.empty()) return;
            // The start is off by some px: a narrow loss would take good marks for wrong ones.
            options.lossScale = round == 0 ? 12 : 3;
            bundle(problem, options);
            progress.check();
            if (!reject() && round > 0) break;
        }
    }

    /// Views, lenses, errors and deviations back into the stills.
    void take() {
        for (size_t s = 0; s < stills.size(); ++s) {
            Joining& j = *stills[s];
            const size_t view = viewOf(int(s));
            j.view = problem.views[view];
            j.out.lens = problem.intrinsics(int(view));
            j.out.pose = poseFromView(j.view);
            j.out.used.clear();
            j.out.rejected.clear();
        }
        std::vector<double> sums(stills.size());
        for (const Seen& m : marks) {
            SolvedStill& out = stills[size_t(m.still)]->out;
            if (left_.contains(m.mark)) {
                out.rejected.push_back(m.mark->path);
                continue;
            }
            out.used.push_back(*m.mark);
            sums[size_t(m.still)] += std::pow(errorOf(m).value_or(1e3), 2);
        }
        for (size_t s = 0; s < stills.size(); ++s) {
            SolvedStill& out = stills[s]->out;
            out.solved = int(out.used.size()) >= fewestWithDepth;
            out.rmsPx = out.used.empty() ? 0 : std::sqrt(sums[s] / double(out.used.size()));
            if (!out.solved || out.used.size() < out.rejected.size())
                out.solved = false, out.trouble = StillTrouble::doesNotFit;
        }
        takeDeviations();
    }
    /// Relative deviation of a lens's focal length, by the lens's place in the problem.
    [[nodiscard]] double focalSigma(size_t lens) const { return lens < focalSigmas_.size() ? focalSigmas_[lens] : 0; }

  private:
    [[nodiscard]] size_t viewOf(int still) const { return problem.views.size() - stills.size() + size_t(still); }
    [[nodiscard]] std::optional<double> errorOf(const Seen& m) const {
        const int view = int(viewOf(m.still));
        const auto q = project(problem.views[size_t(view)], problem.intrinsics(view), problem.points[size_t(m.point)]);
        return q ? std::optional((*q - m.mark->pixel).norm()) : std::nullopt;
    }
    void layMarks() {
        problem.observations.resize(baseObservations);
        for (const Seen& m : marks)
            if (!left_.contains(m.mark))
                problem.observations.push_back({int(viewOf(m.still)), m.point, m.mark->pixel,
                                                Eigen::Matrix2d::Identity() / std::max(0.05, m.mark->sigma)});
    }
    bool reject() {
        // What marks of this still are off by in the middle, so that a still of coarse marks keeps most of them.
        std::vector<std::vector<double>> off(stills.size());
        for (const Seen& m : marks)
            if (!left_.contains(m.mark)) off[size_t(m.still)].push_back(errorOf(m).value_or(1e3) / m.mark->sigma);
        bool any = false;
        for (const Seen& m : marks) {
            if (left_.contains(m.mark)) continue;
            const double unit = std::max(1.0, median(off[size_t(m.still)]) / 1.18);
            if (errorOf(m).value_or(1e3) / m.mark->sigma > rejectAt * unit) left_.insert(m.mark), any = true;
        }
        return any;
    }
    void takeDeviations() {
        focalSigmas_.assign(problem.lenses.size(), 0);
        NormalEquations equations(problem, options);
        equations.linearise(problem);
        const long spare = equations.residualCount() - equations.unknownCount();
        if (spare <= 0 || !equations.factorForCovariance()) return;
        const Eigen::MatrixXd c = equations.covariance({});
        const double variance = std::max(0.25, equations.sumSquares() / double(spare));
        for (size_t lens = 0; lens < problem.lenses.size(); ++lens) {
            const Eigen::Index at = Eigen::Index(lens * options.solved.size());
            if (at >= c.rows() || !(c(at, at) >= 0)) continue;
            focalSigmas_[lens] = std::sqrt(c(at, at) * variance) / problem.lenses[lens].focalPx;
        }
        for (size_t s = 0; s < stills.size(); ++s)
            stills[s]->out.focalSigma = focalSigma(size_t(problem.lensOfView[viewOf(int(s))]));
    }

    std::set<const StillMark*> left_;
    std::vector<double> focalSigmas_;
};

/// Joins stills to a camera that stands in one place.
class OnePlace {
  public:
    OnePlace(const SolveResult& solve, const std::vector<Path>& paths, const std::vector<StillRequest>& stills,
             const ShotFocal& focal, Progress& progress)
        : result_(solve), focal_(focal), progress_(progress) {
        for (const StillRequest& r : stills) joining_.push_back(joiningOf(r));
        for (const SolvedFrame& f : solve.frames)
            if (f.solved && !place_) place_ = f.pose.position, view_ = viewFromPose(f.pose);
        std::set<int> marked;
        for (const StillRequest& r : stills)
            for (const StillMark& m : r.marks) marked.insert(m.path);
        std::set<int> rejected;
        for (const SolveOutlier& o : solve.outliers)
            if (o.whole) rejected.insert(o.pathId);
        for (const Path& p : paths)
            if (marked.contains(p.id) && !p.setAside && !rejected.contains(p.id)) takeBearing(p);
    }

    SolveResult run() {
        if (place_) {
            progress_.stage(text("Joining the reference stills"), 0, 0.5);
            std::vector<Joining*> joined;
            if (Joining* first = firstStill()) joined.push_back(first);
            bool more = !joined.empty();
            while (more) {
                bundleAll(joined);
                more = false;
                for (Joining& j : joining_) {
                    if (std::find(joined.begin(), joined.end(), &j) != joined.end()) continue;
                    if (!resected(j, points_)) continue;
                    joined.push_back(&j);
                    more = true;
                }
            }
            // Without a single point there is nothing that the stills could stand to.
            if (points_.empty())
                for (Joining* j : joined)
                    if (j->out.solved) j->out.solved = false, j->out.trouble = StillTrouble::noParallax;
            const bool any = std::any_of(joined.begin(), joined.end(), [](const Joining* j) { return j->out.solved; });
            if (any) takePoints(joined);
            for (Joining& j : joining_)
                if (any && !j.out.solved && j.out.trouble == StillTrouble::fewMarks &&
                    int(pairsOf(j).size()) >= fewestFor(j))
                    j.out.trouble = StillTrouble::apart;
        }
        for (const Joining& j : joining_) result_.stills.push_back(j.out);
        return std::move(result_);
    }

  private:
    void takeBearing(const Path& p) {
        Vector3d sum = Vector3d::Zero();
        double variance = 0;
        Bearing b;
        for (const PathPoint& q : p.points) {
            if (!q.counts()) continue;
            const auto camera = result_.cameraAt(q.frame);
            const auto ray = camera ? camera->ray({q.x, q.y}) : std::nullopt;
            if (!ray) continue;
            sum += ray->direction;
            variance += std::max(1e-4, double(q.sxx + q.syy) / 2);
            if (b.observations++ == 0) b.stretch = {q.frame, q.frame};
            b.stretch.last = q.frame;
        }
        if (b.observations == 0 || !(sum.norm() > 0)) return;
        b.direction = sum.normalized();
        double squares = 0;
        for (const PathPoint& q : p.points) {
            const auto camera = q.counts() ? result_.cameraAt(q.frame) : std::nullopt;
            const auto seen = camera ? camera->project(camera->pose().position + b.direction) : std::nullopt;
            if (!seen) continue;
            const double off = (*seen - Vector2d(q.x, q.y)).norm();
            squares += off * off;
            if (off >= b.worstPx) b.worstPx = off, b.worstFrame = q.frame;
        }
        b.rmsPx = std::sqrt(squares / b.observations);
        // A path that wanders has no one direction.
        if (b.rmsPx > std::max(1.0, 6 * result_.rmsPx)) return;
        // Errors of neighbouring frames are much the same: four frames count, and no more.
        b.sigma = std::max(0.05, std::sqrt(variance / b.observations / std::min(b.observations, 4)));
        bearings_[p.id] = b;
    }

    [[nodiscard]] std::vector<std::pair<const StillMark*, const Bearing*>> pairsOf(const Joining& j) const {
        std::vector<std::pair<const StillMark*, const Bearing*>> out;
        for (const StillMark& m : j.asked->marks)
            if (const auto b = bearings_.find(m.path); b != bearings_.end()) out.emplace_back(&m, &b->second);
        return out;
    }

    [[nodiscard]] int fewestFor(const Joining& j) const {
        const bool known = (focal_.known || focal_.sigma < openSigma) && focalsToTry(*j.asked).size() == 1;
        return known ? fewestFirstKnown : fewestFirst;
    }

    /// Focal lengths of the shot to try, over the one that it has.
    [[nodiscard]] std::vector<double> shotScales() const {
        if (focal_.known || focal_.sigma < openSigma) return {1};
        std::vector<double> out;
        for (double s = 0.5; s < 3; s *= 1.1) out.push_back(s);
        return out;
    }

    /// The still whose marks give the most parallax against the shot, with its camera; null where none does.
    Joining* firstStill() {
        Joining* best = nullptr;
        double most = 0;
        for (Joining& j : joining_) {
            const double worth = firstFrom(j);
            if (worth > most) most = worth, best = &j;
            progress_.check();
        }
        return best;
    }

    /// Looks for the still's camera by an essential matrix; how much it is worth as the first, 0 = nothing.
    double firstFrom(Joining& j) {
        const auto pairs = pairsOf(j);
        if (int(pairs.size()) < fewestFor(j)) {
            j.out.trouble = StillTrouble::fewMarks;
            return 0;
        }
        Vector3d middle = Vector3d::Zero();
        for (const auto& [mark, bearing] : pairs) middle += bearing->direction;
        const Eigen::Matrix3d turn =
            focal_.known
                ? Eigen::Matrix3d(
                      Eigen::Quaterniond::FromTwoVectors(middle.normalized(), Vector3d::UnitZ()).toRotationMatrix())
                : view_.rotation;
        double least = 1e300, worth = 0;
        j.out.trouble = StillTrouble::doesNotFit;
        for (const double shotScale : shotScales())
            for (const double focal : focalsToTry(*j.asked)) {
                // Two unknown focal lengths: as wide as each other.
                const double still = shotScales().size() > 1 && focalsToTry(*j.asked).size() > 1
                                         ? result_.lens.focalPx * shotScale / shotWidths() * j.asked->width
                                         : focal;
                Points2 a, b;
                for (const auto& [mark, bearing] : pairs) {
                    const Vector3d d = turn * bearing->direction;
                    if (d.z() < 0.2) continue;
                    a.push_back(d.head<2>() / d.z() / shotScale);
                    b.push_back(j.normalised(*mark, still));
                }
                SamplingOptions options;
                options.threshold = agreePxOf(*j.asked) / still;
                options.trials = 300;
                const auto e = robustEssential(a, b, options);
                if (!e.found || e.agreeing < fewestFor(j) || 2 * e.agreeing < int(a.size())) continue;
                const auto pose = poseFromEssential(e.model, a, b, e.agrees);
                if (!pose) continue;
                const double cost = e.cost * still * still + 1e-3 * still;
                if (cost >= least) continue;
                if (onlyTurned(a, b, e.agrees, options.threshold)) {
                    j.out.trouble = StillTrouble::noParallax;
                    continue;
                }
                least = cost;
                worth = e.agreeing;
                j.out.trouble = StillTrouble::none;
                j.out.lens.focalPx = still;
                shotScale_[&j] = shotScale;
                // Of the reference axes and |shift| = 1, to the world.
                j.view.rotation = pose->rotation * turn;
                j.view.translation = pose->translation - j.view.rotation * *place_;
                if (still != focal) break;
            }
        return worth;
    }
    [[nodiscard]] double shotWidths() const { return 2 * result_.lens.principalPoint.x() + 1; }

    void bundleAll(const std::vector<Joining*>& joined) {
        Bundling b;
        if (points_.empty() && !focal_.known) result_.lens.focalPx *= shotScale_[joined.front()];
        Intrinsics flat;
        flat.focalPx = result_.lens.focalPx;
        b.problem.lenses = {flat};
        b.prior(0, LensValue::focal, flat.focalPx, focal_.known ? 1e-7 : std::max(1e-6, focal_.sigma));
        b.prior(0, LensValue::k1, 0, 1e-7);
        for (Joining* j : joined) b.addStill(*j);
        // The shot's directions as flat pictures around its place.
        std::vector<View> flats;
        if (!focal_.known) flats.push_back(view_);
        std::map<int, int> pointOf;
        std::vector<BundleProblem::Observation> observations;
        for (const auto& [path, bearing] : bearings_) {
            std::vector<Observation> seen;
            size_t of = 0;
            while (of < flats.size() && (flats[of].rotation * bearing.direction).z() < tangentReach && focal_.known)
                ++of;
            if (of == flats.size()) {
                View v;
                v.rotation =
                    Eigen::Quaterniond::FromTwoVectors(bearing.direction, Vector3d::UnitZ()).toRotationMatrix();
                v.translation = -v.rotation * *place_;
                flats.push_back(v);
            }
            const Vector3d c = flats[of].rotation * bearing.direction;
            if (c.z() < 0.05) continue;
            // Directions were made with the focal length that the shot had.
            const Vector2d pixel = had_ * c.head<2>() / c.z();
            seen.push_back({&flats[of], pixel / flat.focalPx, std::pow(flat.focalPx / bearing.sigma, 2)});
            std::vector<std::pair<int, const StillMark*>> marks;
            for (size_t s = 0; s < joined.size(); ++s)
                for (const StillMark& m : joined[s]->asked->marks)
                    if (m.path == path) {
                        const auto n = joined[s]->out.lens.normalisedFromPixel(m.pixel);
                        if (!n) continue;
                        seen.push_back({&joined[s]->view, *n, std::pow(joined[s]->out.lens.focalPx / m.sigma, 2)});
                        marks.emplace_back(int(s), &m);
                    }
            const auto at = triangulate(seen);
            if (!at || marks.empty()) continue;
            const int index = int(b.problem.points.size());
            b.problem.points.push_back(at->position);
            pointOf[path] = index;
            observations.push_back({int(of), index, pixel, Eigen::Matrix2d::Identity() / bearing.sigma});
            for (const auto& [s, m] : marks) b.marks.push_back({s, m, index});
        }
        // Flat views first: stills' indices are counted from the end.
        b.problem.views.insert(b.problem.views.begin(), flats.begin(), flats.end());
        b.problem.lensOfView.insert(b.problem.lensOfView.begin(), flats.size(), 0);
        b.options.fixedViews.insert(b.options.fixedViews.begin(), flats.size(), 1);
        b.problem.observations = observations;
        b.baseObservations = observations.size();
        b.run(progress_);
        b.take();
        // What the shot's own focal length leaves open goes over to those of the stills.
        if (focal_.known)
            for (Joining* j : joined) j->out.focalSigma = std::hypot(j->out.focalSigma, focal_.sigma);
        if (!focal_.known) {
            result_.lens.focalPx = b.problem.lenses[0].focalPx;
            shotFocalSigma_ = b.focalSigma(0);
        }
        points_.clear();
        std::set<int> supported;
        for (const Joining* j : joined)
            for (const StillMark& m : j->out.used) supported.insert(m.path);
        for (const auto& [path, index] : pointOf) {
            const Vector3d& at = b.problem.points[size_t(index)];
            if (!supported.contains(path) || !at.allFinite()) continue;
            double widest = 0;
            for (const Joining* j : joined) {
                const Vector3d a = (at - *place_).normalized(), c = (at - j->view.centre()).normalized();
                widest = std::max(widest, std::acos(std::clamp(a.dot(c), -1.0, 1.0)));
            }
            if (widest > leastAngle && bearings_[path].direction.dot(at - *place_) > 0) points_[path] = at;
        }
    }

    void takePoints(const std::vector<Joining*>& joined) {
        if (points_.empty()) return;
        std::vector<double> distances;
        for (const auto& [path, at] : points_) distances.push_back((at - *place_).norm());
        const double scale = usualDistance / median(distances);
        for (Joining* j : joined) {
            j->out.pose.position = *place_ + scale * (j->out.pose.position - *place_);
        }
        for (const auto& [path, at] : points_) {
            const Bearing& bearing = bearings_[path];
            SolvedPoint p;
            p.pathId = path;
            p.position = *place_ + scale * (at - *place_);
            p.stretch = bearing.stretch;
            p.observations = bearing.observations;
            p.rmsPx = bearing.rmsPx;
            p.worstPx = bearing.worstPx;
            p.worstFrame = bearing.worstFrame;
            result_.points.push_back(p);
        }
        result_.trouble = SolveTrouble::none;
        if (focal_.known) return;
        for (SolvedFrame& f : result_.frames) f.focalPx = result_.lens.focalPx;
        result_.lensNumbers = {{"focal", result_.lens.focalPx, shotFocalSigma_ * result_.lens.focalPx}};
    }

    SolveResult result_;
    ShotFocal focal_;
    Progress& progress_;
    std::vector<Joining> joining_;
    std::optional<Vector3d> place_;
    View view_;  ///< of the first solved frame
    double had_ = result_.lens.focalPx, shotFocalSigma_ = 0;
    std::map<int, Bearing> bearings_;
    std::map<const Joining*, double> shotScale_;
    std::map<int, Vector3d> points_;
};

}  // namespace

SolveResult withStillViews(const SolveResult& solve, const std::vector<Path>& paths,
                           const std::vector<StillRequest>& stills, const ShotFocal& focal, Progress& progress) {
    SolveResult out = solve;
    out.stills.clear();
    if (stills.empty() || !solve.has()) return out;
    if (solve.motion != Motion::free) {
        out.points.clear();
        return OnePlace(out, paths, stills, focal, progress).run();
    }
    std::map<int, Vector3d> points;
    for (const SolvedPoint& p : solve.points) points[p.pathId] = p.position;
    progress.stage(text("Joining the reference stills"), 0, 0.5);
    std::vector<Joining> joining;
    for (const StillRequest& r : stills) joining.push_back(joiningOf(r));
    for (Joining& j : joining) {
        progress.check();
        if (!resected(j, points)) continue;
        Bundling b;
        b.addStill(j);
        b.options.fixedPoints = true;
        for (const StillMark& m : j.asked->marks)
            if (const auto at = points.find(m.path); at != points.end()) {
                b.marks.push_back({0, &m, int(b.problem.points.size())});
                b.problem.points.push_back(at->second);
            }
        b.run(progress);
        b.take();
    }
    for (const Joining& j : joining) out.stills.push_back(j.out);
    return out;
}

}  // namespace va
