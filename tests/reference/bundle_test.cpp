// SPDX-License-Identifier: GPL-3.0-or-later
// The bundle against a general-purpose library and against what statistics promises.
#include <gtest/gtest.h>

#include <random>

#include "ceres_bundle.h"
#include "shot_problem.h"
#include "solve/bundle/normal_equations.h"
#include "solve/minimal/triangulate.h"
#include "solve/report/slip.h"

namespace va {
namespace {

using test::makeShotProblem;
using test::ShotProblem;
using test::ShotProblemOptions;

struct Case {
    const char* name;
    bool rotationOnly;
    double lossScale;
    double seenFor;
};

class AgainstCeres : public ::testing::TestWithParam<Case> {};

// Ceres Solver with SPARSE_SCHUR, analytic derivatives, the same problem and start.
TEST_P(AgainstCeres, SameMinimum) {
    ShotProblemOptions o;
    o.views = 60, o.points = 300;
    o.rotationOnly = GetParam().rotationOnly;
    o.seenFor = GetParam().seenFor;
    ShotProblem p = makeShotProblem(o);
    // Some gross errors, where a loss is to deal with them.
    if (GetParam().lossScale > 0)
        for (size_t i = 0; i < p.start.observations.size(); i += 37) p.start.observations[i].pixel.x() += 4;
    p.options.lossScale = GetParam().lossScale;
    p.options.iterations = 100;
    p.options.stopWhenCostFallsBy = 1e-12;
    BundleProblem ours = p.start, theirs = p.start;
    const BundleSummary a = bundle(ours, p.options), b = test::ceresBundle(theirs, p.options, 1);
    ASSERT_TRUE(a.usable && b.usable);
    EXPECT_NEAR(a.initialCost / b.initialCost, 1, 1e-9);
    EXPECT_NEAR(a.finalCost / b.finalCost, 1, 1e-6) << a.brief() << " against " << b.brief();
    EXPECT_NEAR(ours.lenses[0].focalPx / theirs.lenses[0].focalPx, 1, 1e-5);
}
INSTANTIATE_TEST_SUITE_P(Kinds, AgainstCeres,
                         ::testing::Values(Case{"free", false, 0, 0.3}, Case{"loss", false, 2, 0.3},
                                           Case{"long", false, 0, 1.0}, Case{"turn", true, 0, 0.5},
                                           Case{"rotationLoss", true, 2, 0.3}),
                         [](const auto& i) { return i.param.name; });

TEST(Bundle, ZoomAndReadoutComeBackFromADisturbedStart) {
    for (const bool turns : {false, true}) {
        ShotProblemOptions o;
        o.views = 50, o.points = 300, o.seenFor = 0.6;
        o.zoom = true;
        o.rotationOnly = turns;
        o.noisePx = 0.05;
        ShotProblem p = makeShotProblem(o);
        p.options.iterations = 100;
        p.options.stopWhenCostFallsBy = 1e-10;
        ASSERT_TRUE(bundle(p.start, p.options).usable);
        double worst = 0;
        for (int v = 0; v < o.views; ++v)
            worst = std::max(worst, std::fabs(p.start.focalOfView[size_t(v)] / p.truth.focalOfView[size_t(v)] - 1));
        EXPECT_LT(worst, turns ? 0.004 : 0.002) << "turns " << turns;
    }
    ShotProblemOptions o;
    o.views = 50, o.points = 300, o.seenFor = 0.6;
    o.readout = 0.4;
    o.noisePx = 0.05;
    ShotProblem p = makeShotProblem(o);
    p.start.readout = 0;
    p.options.iterations = 100;
    p.options.stopWhenCostFallsBy = 1e-10;
    ASSERT_TRUE(bundle(p.start, p.options).usable);
    EXPECT_NEAR(p.start.readout, 0.4, 0.02);
    EXPECT_NEAR(p.start.lenses[0].focalPx / p.truth.lenses[0].focalPx, 1, 0.002);
}

TEST(Bundle, TiesPinTheWorldDown) {
    ShotProblemOptions o;
    o.views = 30, o.points = 200, o.seenFor = 0.7;
    ShotProblem p = makeShotProblem(o);
    p.options.fixedViews.clear();
    p.options.iterations = 200;
    p.options.stopWhenCostFallsBy = 1e-12;
    // The truth's world, twice as large and moved.
    const Eigen::Vector3d away(1, 2, 3);
    const auto known = [&](int i) -> Eigen::Vector3d { return 2 * p.truth.points[size_t(i)] + away; };
    for (const int i : {3, 50, 90, 140})
        p.start.ties.push_back({PointTie::Kind::position, {i}, known(i), Eigen::Vector3d::UnitY(), 0, 0.001});
    PointTie apart;
    apart.points = {10, 120};
    apart.length = (known(10) - known(120)).norm();
    apart.sigma = 0.001;
    p.start.ties.push_back(apart);
    for (auto& x : p.start.points) x = 2 * x + away;
    for (auto& v : p.start.views) v.translation = 2 * v.translation - v.rotation * away;
    const BundleSummary s = bundle(p.start, p.options);
    ASSERT_TRUE(s.usable);
    for (const PointTie& t : p.start.ties) EXPECT_LT(tieResiduals(t, p.start.points).norm() * t.sigma, 0.02);
    // All other points stand where the known ones put them.
    double worst = 0;
    for (size_t i = 0; i < p.start.points.size(); ++i)
        worst = std::max(worst, (p.start.points[i] - known(int(i))).norm() / (2 * p.truth.points[i].norm()));
    EXPECT_LT(worst, 0.02) << s.brief();
}

// Statistics: over many repetitions the spread of an estimate is what its covariance says.
TEST(Covariance, SpreadAgreesWithWhatIsStated) {
    constexpr int runs = 100;
    ShotProblemOptions o;
    o.views = 14, o.points = 60, o.seenFor = 1.2;
    o.noisePx = 0.2;
    o.disturb = 0;
    // Two views fix turn, position and scale.
    Eigen::VectorXd sum, squares;
    Eigen::VectorXd stated;
    int count = 0;
    const ShotProblem base = makeShotProblem(o);
    std::mt19937_64 random(5);
    std::normal_distribution<double> gauss;
    for (int run = 0; run < runs; ++run) {
        BundleProblem p = base.truth;
        for (auto& s : p.observations) {
            s.pixel = *project(p.views[size_t(s.view)], p.lenses[0], p.points[size_t(s.point)]);
            s.pixel += o.noisePx * Eigen::Vector2d(gauss(random), gauss(random));
        }
        BundleOptions options = base.options;
        options.fixedViews.back() = 1;
        options.stopWhenCostFallsBy = 1e-9;
        ASSERT_TRUE(bundle(p, options).usable);
        std::vector<int> all(p.views.size());
        for (size_t i = 0; i < all.size(); ++i) all[i] = int(i);
        // What is looked at: focal length, k1, the positions of the views and of the points.
        std::vector<double> off{p.lenses[0].focalPx - base.truth.lenses[0].focalPx,
                                p.lenses[0].lens.value("k1") - base.truth.lenses[0].lens.value("k1")};
        for (size_t v = 1; v + 1 < all.size(); ++v)
            for (int k = 0; k < 3; ++k) off.push_back((p.views[v].translation - base.truth.views[v].translation)[k]);
        for (size_t i = 0; i < p.points.size(); ++i)
            for (int k = 0; k < 3; ++k) off.push_back((p.points[i] - base.truth.points[i])[k]);
        const Eigen::Map<const Eigen::VectorXd> e(off.data(), Eigen::Index(off.size()));
        if (run == 0) sum = squares = Eigen::VectorXd::Zero(e.size());
        sum += e, squares += e.cwiseAbs2();
        ++count;
        if (run > 0) continue;
        NormalEquations n(p, options);
        n.linearise(p);
        ASSERT_TRUE(n.factorForCovariance());
        const Eigen::MatrixXd joint = n.covariance(all);
        const Eigen::Index border = 6 * Eigen::Index(all.size());
        std::vector<double> variance{joint(border, border), joint(border + 1, border + 1)};
        for (size_t v = 1; v + 1 < all.size(); ++v)
            for (int k = 0; k < 3; ++k) {
                // A rotation moves the translation as well: t' = exp(w) t + s.
                const Eigen::Vector3d t = p.views[v].translation;
                Eigen::Matrix<double, 3, 6> by;
                by << 0, t.z(), -t.y(), 1, 0, 0, -t.z(), 0, t.x(), 0, 1, 0, t.y(), -t.x(), 0, 0, 0, 1;
                const Eigen::Matrix3d c =
                    by * joint.block<6, 6>(6 * Eigen::Index(v), 6 * Eigen::Index(v)) * by.transpose();
                variance.push_back(c(k, k));
            }
        for (size_t i = 0; i < p.points.size(); ++i) {
            const Eigen::Matrix3d c = n.pointCovariance(joint, int(i));
            for (int k = 0; k < 3; ++k) variance.push_back(c(k, k));
        }
        stated = Eigen::Map<const Eigen::VectorXd>(variance.data(), Eigen::Index(variance.size()));
    }
    // Root mean square ratio over groups: a single one of a hundred runs scatters by 7 %.
    const Eigen::VectorXd ratio = (squares / count).cwiseQuotient(stated);
    const Eigen::Index views = 3 * (Eigen::Index(base.truth.views.size()) - 2);
    EXPECT_NEAR(std::sqrt(ratio[0]), 1, 0.22) << "focal length";
    EXPECT_NEAR(std::sqrt(ratio[1]), 1, 0.22) << "k1";
    const double places = std::sqrt(ratio.segment(2, views).mean()),
                 points = std::sqrt(ratio.tail(ratio.size() - 2 - views).mean());
    std::printf("spread over stated: focal %.3f, places %.3f, points %.3f\n", std::sqrt(ratio[0]), places, points);
    EXPECT_GT(places, 0.8);
    EXPECT_LT(places, 1.25);
    EXPECT_GT(points, 0.8);
    EXPECT_LT(points, 1.25);
}

// A thing anchored at a true point slides, over many repetitions, by what the field says.
TEST(Slip, SpreadAgreesWithWhatIsStated) {
    constexpr int runs = 100;
    ShotProblemOptions o;
    o.views = 24, o.points = 80, o.seenFor = 0.8;
    o.noisePx = 0.2;
    o.disturb = 0;
    const ShotProblem base = makeShotProblem(o);
    std::vector<int> frames;
    for (int v = 0; v < o.views; ++v) frames.push_back(1001 + v);
    const FrameRange range{1001, 1000 + o.views};
    // Positions that nothing was measured at: the truth's points a little aside.
    std::vector<Eigen::Vector3d> places;
    for (size_t i = 0; i < base.truth.points.size(); i += 8)
        places.push_back(base.truth.points[i] * 1.07 + Eigen::Vector3d(0.1, 0.05, 0.2));
    std::vector<double> slid(places.size(), 0), stated(places.size(), 0);
    std::mt19937_64 random(11);
    std::normal_distribution<double> gauss;
    for (int run = 0; run < runs; ++run) {
        BundleProblem p = base.truth;
        for (auto& s : p.observations) {
            s.pixel = *project(p.views[size_t(s.view)], p.lenses[0], p.points[size_t(s.point)]);
            s.pixel += o.noisePx * Eigen::Vector2d(gauss(random), gauss(random));
        }
        BundleOptions options = base.options;
        options.stopWhenCostFallsBy = 1e-9;
        ASSERT_TRUE(bundle(p, options).usable);
        const SlipField field(p, frames, options.solved, o.width, o.height);
        ASSERT_FALSE(field.empty());
        for (size_t k = 0; k < places.size(); ++k) {
            // Where the true camera sees it, placed and seen again by the solved one.
            std::vector<Observation> seen;
            std::vector<std::pair<int, Eigen::Vector2d>> pixels;
            for (int v = 0; v < o.views; ++v) {
                const auto q = project(base.truth.views[size_t(v)], base.truth.lenses[0], places[k]);
                if (!q || q->x() < 0 || q->y() < 0 || q->x() > o.width - 1 || q->y() > o.height - 1) continue;
                // The best position is the one that slides least in px, so all count alike.
                seen.push_back({&p.views[size_t(v)], *p.lenses[0].normalisedFromPixel(*q), 1});
                pixels.emplace_back(v, *q);
            }
            if (seen.size() < 3) continue;
            const auto placed = triangulate(seen);
            ASSERT_TRUE(placed);
            double sum = 0;
            for (const auto& [v, q] : pixels)
                sum += (*project(p.views[size_t(v)], p.lenses[0], placed->position) - q).squaredNorm();
            slid[k] += sum / double(pixels.size()) / runs;
            const double says = field.slipPx(placed->position, range);
            stated[k] += says * says / runs;
        }
    }
    double all = 0;
    int count = 0;
    for (size_t k = 0; k < places.size(); ++k) {
        if (stated[k] == 0) continue;
        const double ratio = std::sqrt(slid[k] / stated[k]);
        EXPECT_GT(ratio, 0.7) << k;
        EXPECT_LT(ratio, 1.4) << k;
        all += ratio, ++count;
    }
    ASSERT_GE(count, 5);
    std::printf("slip over stated: %.3f over %d places\n", all / count, count);
    EXPECT_GT(all / count, 0.8);
    EXPECT_LT(all / count, 1.25);
}

// The lower bound on any unbiased estimate (Cramér 1946, Rao 1945): a bundle of points with Gaussian noise reaches it.
TEST(Bundle, ErrorsAreNearTheBound) {
    double ratios = 0;
    int count = 0;
    for (unsigned seed = 1; seed <= 40; ++seed) {
        ShotProblemOptions o;
        o.views = 30, o.points = 120, o.seenFor = 0.6;
        o.noisePx = 0.15;
        o.seed = 77;  // one scene, many draws
        ShotProblem p = makeShotProblem(o);
        std::mt19937_64 random(seed);
        std::normal_distribution<double> gauss;
        for (auto& s : p.start.observations) {
            s.pixel = *project(p.truth.views[size_t(s.view)], p.truth.lenses[0], p.truth.points[size_t(s.point)]);
            s.pixel += o.noisePx * Eigen::Vector2d(gauss(random), gauss(random));
        }
        p.options.iterations = 60;
        p.options.stopWhenCostFallsBy = 1e-9;
        p.options.lossScale = 4;  // as robust as a solve with few outliers needs
        ASSERT_TRUE(bundle(p.start, p.options).usable);
        // The bound: the information of the true problem.
        BundleOptions plain = p.options;
        plain.lossScale = 0;
        NormalEquations n(p.truth, plain);
        n.linearise(p.truth);
        ASSERT_TRUE(n.factorForCovariance());
        const double bound = n.covariance({})(0, 0), error = p.start.lenses[0].focalPx - p.truth.lenses[0].focalPx;
        ratios += error * error / bound;
        ++count;
    }
    const double ratio = std::sqrt(ratios / count);
    std::printf("focal length over its bound: %.3f\n", ratio);
    // Forty draws scatter by a ninth.
    EXPECT_LT(ratio, 1.2 + 0.11);
}

}  // namespace
}  // namespace va
