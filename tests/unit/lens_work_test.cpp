// SPDX-License-Identifier: GPL-3.0-or-later
// Lens numbers, conversion between models, zoom lenses, camera backs, and how the project keeps all that.
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <csignal>
#include <random>

#include <cmath>
#include <filesystem>
#include <random>

#include "base/atomic_file.h"
#include "base/error.h"
#include "lens/convert_lens.h"
#include "lens/film_back.h"
#include "media/movie_writer.h"
#include "shot/lens_file.h"
#include "shot/shot_file.h"
#include "solve/bundle/uncertainty.h"
#include "synthetic_shot.h"
#include "workflow/lens_work.h"

namespace va {
namespace {

Intrinsics camera(const LensModel& lens, double focal = 900, int width = 1280, int height = 720) {
    Intrinsics i;
    i.focalPx = focal;
    i.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
    i.lens = lens;
    return i;
}

TEST(LensNumbers, ColumnsAreTheDerivativesOfThePixel) {
    for (int kind = 0; kind < lensKinds; ++kind) {
        Intrinsics lens = camera(LensModel{LensKind(kind)});
        lens.pixelAspect = 1.5;
        LensModel model{LensKind(kind)};
        for (int i = 0; i < model.count(); ++i) model.setValue(i, 0.01 * (i + 1) * (i % 2 ? 1 : -1));
        lens.lens = model;
        std::vector<LensValue> values{LensValue::focal, LensValue::principalX, LensValue::principalY};
        for (int i = 0; i < model.count(); ++i) values.push_back(lensValueAt(i));
        const Eigen::Vector2d place(0.31, -0.22);
        const Eigen::Matrix2Xd jacobian = pixelByLens(lens, place, values);
        const auto moved = [&](size_t k, double by) {
            Intrinsics other = lens;
            if (k == 0) other.focalPx += by;
            else if (k < 3) other.principalPoint(Eigen::Index(k) - 1) += by;
            else other.lens.setValue(int(k) - 3, other.lens.value(int(k) - 3) + by);
            return other.pixelFromNormalised(place);
        };
        for (size_t k = 0; k < values.size(); ++k) {
            const double h = k < 3 ? 1e-3 : 1e-6;
            const Eigen::Vector2d numeric = (moved(k, h) - moved(k, -h)) / (2 * h);
            EXPECT_LT((numeric - jacobian.col(Eigen::Index(k))).norm(), 1e-4 * (1 + numeric.norm()))
                << kind << " " << k;
        }
    }
}

TEST(LensNumbers, AChangeOfFocalLengthIsNoErrorOfTheDistortion) {
    const Intrinsics lens = camera(LensModel::brownConrady(-0.1));
    const std::vector<LensValue> focal{LensValue::focal};
    // Nearly: the distorted frame is not the undistorted one.
    EXPECT_LT(mapSigmaPx(lens, 1280, 720, focal, Eigen::MatrixXd::Identity(1, 1)), 0.01);
    const std::vector<LensValue> k1{LensValue::k1};
    const double sigma = mapSigmaPx(lens, 1280, 720, k1, Eigen::MatrixXd::Constant(1, 1, 1e-6));
    // k1 off by 0.001 moves the corner (r = 0.82) by 900 · 0.001 · 0.82³ px less what a scale does.
    EXPECT_GT(sigma, 0.1);
    EXPECT_LT(sigma, 0.5);
    EXPECT_EQ(mapSigmaPx(lens, 1280, 720, k1, Eigen::MatrixXd::Constant(1, 1, std::nan(""))), 1e9);
}

TEST(LensNumbers, DistortionAndDifferenceInPixels) {
    EXPECT_LT(largestDistortionPx(camera({}), 1280, 720), 1e-9);
    EXPECT_GT(largestDistortionPx(camera(LensModel::brownConrady(-0.2)), 1280, 720), 10);
    const Intrinsics a = camera(LensModel::brownConrady(-0.1)), b = camera(LensModel::brownConrady(-0.101));
    EXPECT_LT(largestDifferencePx(a, a, 1280, 720), 1e-9);
    EXPECT_NEAR(largestDifferencePx(a, b, 1280, 720), 900 * 0.001 * std::pow(0.87, 3), 0.15);
}

TEST(ConvertLens, ModelsTakeEachOthersDistortion) {
    const Intrinsics brown = camera(LensModel::brownConrady(-0.12, 0.02));
    for (const LensKind to : {LensKind::division, LensKind::fisheye, LensKind::anamorphic}) {
        const ConvertedLens there = convertLens(brown, to, 1280, 720);
        EXPECT_EQ(there.lens.lens.kind(), to);
        EXPECT_EQ(there.lens.focalPx, brown.focalPx);
        // What is said is what is measured.
        EXPECT_NEAR(there.largestPx, largestDifferencePx(brown, there.lens, 1280, 720), 1e-12);
        const double allowed = to == LensKind::division ? 4 : 0.05;
        EXPECT_LT(there.largestPx, allowed) << int(to);
        const ConvertedLens back = convertLens(there.lens, LensKind::brownConrady, 1280, 720);
        EXPECT_LT(back.largestPx, 0.1);
    }
    EXPECT_EQ(convertLens(brown, LensKind::brownConrady, 1280, 720).largestPx, 0);
}

TEST(ConvertLens, TheDistortionInPixelsStaysWithTheFocalLength) {
    LensModel anamorphic{LensKind::anamorphic};
    for (int i = 2; i < anamorphic.count(); ++i) anamorphic.setValue(i, 0.01 * (i % 3 - 1));
    LensModel division{LensKind::division};
    division.setValue(0, -0.1);
    for (const LensModel& model : {LensModel::brownConrady(-0.1, 0.02, 0.003, 0.001, -0.002), division, anamorphic}) {
        const Intrinsics a = camera(model);
        Intrinsics b = camera(distortionForFocal(model, 1.4), 900 * 1.4);
        for (const Eigen::Vector2d& offset : {Eigen::Vector2d(300, 120), Eigen::Vector2d(-500, 300)}) {
            const Eigen::Vector2d p = a.pixelFromNormalised(offset / 900), q = b.pixelFromNormalised(offset / 1260);
            EXPECT_LT((p - q).norm(), 1e-9) << int(model.kind());
        }
    }
}

TEST(ConvertLens, PolynomialsOfTheDataBase) {
    const Intrinsics plain = camera({});
    // poly3 and poly5 are Brown–Conrady's in another writing.
    for (const RadialForm form : {RadialForm::poly3, RadialForm::poly5, RadialForm::ptlens}) {
        RadialPolynomial p{form, {-0.02, 0.012, -0.004}, 0.5};
        const ConvertedLens c = lensFromPolynomial(p, plain, 1280, 720);
        for (const double r : {0.1, 0.3, 0.6}) {
            const double distorted = (c.lens.pixelFromNormalised({r, 0}) - c.lens.principalPoint).norm();
            EXPECT_NEAR(distorted, 900 * p.unit * p.distorted(r / p.unit), c.largestPx + 1e-9);
        }
        EXPECT_LE(c.largestPx, form == RadialForm::ptlens ? 0.2 : 0.0);
    }
}

// ---- uncertainty of a solve -----------------------------------------------------------------------------------------

/// A bundle problem of a synthetic shot at its truth, with noise on the observations.
struct KnownProblem {
    BundleProblem problem;
    explicit KnownProblem(double noise, unsigned seed, double travel = 2) {
        std::mt19937 random(seed);
        std::normal_distribution<double> gauss(0, noise);
        std::uniform_real_distribution<double> spread(-1, 1);
        problem.lenses = {camera(LensModel::brownConrady(-0.1))};
        for (int v = 0; v < 12; ++v) {
            View view;
            view.rotation = Eigen::AngleAxisd(0.02 * v, Eigen::Vector3d::UnitY()).toRotationMatrix();
            view.translation = -view.rotation * Eigen::Vector3d(travel * v / 11.0, 0.02 * v, 0);
            problem.views.push_back(view);
            problem.lensOfView.push_back(0);
        }
        for (int p = 0; p < 150; ++p)
            problem.points.emplace_back(3.5 * spread(random), 2 * spread(random), 6 + 2.5 * spread(random));
        for (int v = 0; v < 12; ++v)
            for (int p = 0; p < 150; ++p) {
                const auto pixel = project(problem.views[size_t(v)], problem.lenses[0], problem.points[size_t(p)]);
                if (!pixel || pixel->x() < 0 || pixel->y() < 0 || pixel->x() > 1279 || pixel->y() > 719) continue;
                problem.observations.push_back({v, p, *pixel + Eigen::Vector2d(gauss(random), gauss(random)),
                                                Eigen::Matrix2d::Identity() / noise});
            }
    }
};

TEST(Uncertainty, SaysWhatRepeatedSolvesScatter) {
    // Thirty noisy shots solved from the truth: their k1 and focal length scatter as the covariance says.
    const std::vector<LensValue> values{LensValue::focal, LensValue::k1};
    Eigen::Vector2d squares = Eigen::Vector2d::Zero(), said = Eigen::Vector2d::Zero();
    constexpr int runs = 30;
    for (int run = 0; run < runs; ++run) {
        KnownProblem known(0.3, unsigned(100 + run));
        BundleOptions options;
        options.solved = values;
        options.fixedViews.assign(12, 0);
        options.fixedViews[0] = 1;
        options.iterations = 30;
        ASSERT_TRUE(bundle(known.problem, options).usable);
        const auto covariance = lensCovariance(known.problem, values, false);
        ASSERT_TRUE(covariance);
        said += covariance->diagonal() / runs;
        squares += Eigen::Vector2d(std::pow(known.problem.lenses[0].focalPx - 900, 2),
                                   std::pow(known.problem.lenses[0].lens.value("k1") + 0.1, 2)) /
                   runs;
    }
    for (int k = 0; k < 2; ++k) {
        const double ratio = std::sqrt(squares(k) / said(k));
        // A standard deviation of thirty draws is itself known to 13 %.
        EXPECT_GT(ratio, 0.65) << k;
        EXPECT_LT(ratio, 1.4) << k;
    }
}

TEST(Uncertainty, WhatIsNotSeenIsNotSure) {
    // Points in the middle of the frame tell hardly anything of the distortion, which grows with the cube of the
    // radius.
    const KnownProblem whole(0.3, 7);
    BundleProblem middle = whole.problem;
    std::erase_if(middle.observations,
                  [](const auto& o) { return (o.pixel - Eigen::Vector2d(640, 360)).norm() > 250; });
    const std::vector<LensValue> k1{LensValue::k1};
    const auto sure = lensCovariance(whole.problem, k1, false), unsure = lensCovariance(middle, k1, false);
    ASSERT_TRUE(unsure && sure);
    EXPECT_GT(std::sqrt((*unsure)(0, 0)), 5 * std::sqrt((*sure)(0, 0)));
    EXPECT_TRUE(unsure->allFinite());
    // Noise counts as it should: twice of it, twice as unsure.
    const KnownProblem noisy(0.6, 7);
    const auto half = lensCovariance(noisy.problem, k1, false);
    ASSERT_TRUE(half);
    EXPECT_NEAR(std::sqrt((*half)(0, 0) / (*sure)(0, 0)), 2, 0.2);
    BundleProblem few = whole.problem;
    few.observations.resize(10);
    EXPECT_FALSE(lensCovariance(few, k1, false));
}

// ---- zoom lenses -------------------------------------------------------------------------------------------------

LensFile fileAt(double focalPx, double k1) {
    return {camera(LensModel::brownConrady(k1), focalPx), 1280, 720, "", -1, {}, false};
}

TEST(ZoomLens, BetweenItsStopsAndNotBeyond) {
    const LensFile zoom = zoomLensOf({fileAt(2400, 0.05), fileAt(900, -0.12), fileAt(1500, -0.02)}, {67, 25, 42});
    ASSERT_EQ(zoom.stops.size(), 3u);
    EXPECT_EQ(zoom.stops.front().focalMm, 25);
    // At a stop it is the stop.
    for (const auto& stop : zoom.stops) {
        const LensFile at = zoom.at(stop.focalMm);
        EXPECT_NEAR(at.intrinsics.focalPx, stop.intrinsics.focalPx, 1e-9);
        EXPECT_NEAR(at.intrinsics.lens.value("k1"), stop.intrinsics.lens.value("k1"), 1e-12);
        EXPECT_TRUE(at.stops.empty());
    }
    const LensFile between = zoom.at(std::sqrt(25.0 * 42));
    EXPECT_NEAR(between.intrinsics.focalPx, std::sqrt(900.0 * 1500), 1e-6);
    // The distortion at the frame's edge lies between those of its neighbours.
    const auto edge = [](const Intrinsics& i) {
        const Eigen::Vector2d offset(600, 0);
        return (i.pixelFromNormalised(offset / i.focalPx) - i.principalPoint).x();
    };
    EXPECT_GT(edge(between.intrinsics), edge(zoom.stops[0].intrinsics));
    EXPECT_LT(edge(between.intrinsics), edge(zoom.stops[1].intrinsics));
    EXPECT_THROW((void)zoom.at(20), InputError);
    EXPECT_THROW((void)zoom.at(80), InputError);
    EXPECT_NO_THROW((void)zoom.at(24.8));
}

TEST(ZoomLens, ComesBackFromItsFileAndIsAskedForAFocalLength) {
    const std::string path = std::string(VA_BINARY_DIR) + "/zoom-lens.json";
    const LensFile zoom = zoomLensOf({fileAt(900, -0.12), fileAt(1500, -0.02)}, {25, 42});
    writeFileAtomically(path, writeLensFile(zoom));
    const LensFile back = readLensFile(path);
    ASSERT_EQ(back.stops.size(), 2u);
    EXPECT_EQ(back.stops[1].focalMm, 42);
    EXPECT_EQ(back.stops[1].intrinsics.lens.value("k1"), -0.02);
    Shot shot;
    shot.plate.width = 1280;
    shot.plate.height = 720;
    EXPECT_THROW((void)withLensFile(shot, path), InputError);
    shot.priors.focal = Known::start;
    shot.priors.focalMm = 30;
    const Shot with = withLensFile(shot, path);
    EXPECT_EQ(with.priors.distortion, Known::known);
    EXPECT_NEAR(with.givenLens().focalPx, zoom.at(30).intrinsics.focalPx, 1e-9);
}

TEST(ZoomLens, FilesThatDoNotBelongTogetherAreRefused) {
    EXPECT_THROW((void)zoomLensOf({fileAt(900, 0)}, {25}), InputError);
    EXPECT_THROW((void)zoomLensOf({fileAt(900, 0), fileAt(1000, 0)}, {25, 25}), InputError);
    LensFile other = fileAt(1500, 0);
    other.width = 640;
    EXPECT_THROW((void)zoomLensOf({fileAt(900, 0), other}, {25, 42}), InputError);
    other = fileAt(1500, 0);
    other.intrinsics.lens = LensModel{LensKind::division};
    EXPECT_THROW((void)zoomLensOf({fileAt(900, 0), other}, {25, 42}), InputError);
}

TEST(LensFiles, ADistortionWithoutItsFocalLengthStaysTheSameInPixels) {
    const std::string path = std::string(VA_BINARY_DIR) + "/assumed-lens.json";
    LensFile file = fileAt(1408, -0.2);
    file.focalAssumed = true;
    writeFileAtomically(path, writeLensFile(file));
    EXPECT_TRUE(readLensFile(path).focalAssumed);
    Shot shot;
    shot.plate.width = 1280;
    shot.plate.height = 720;
    const Shot unknown = withLensFile(shot, path);
    EXPECT_EQ(unknown.priors.focal, Known::unknown) << "nobody knows it";
    EXPECT_EQ(unknown.priors.distortion, Known::start);
    EXPECT_NEAR(unknown.priors.lens.value("k1"), -0.2, 1e-12) << "1.1 widths is what is assumed here as well";
    shot.priors.focal = Known::known;
    shot.priors.focalMm = 18;  // 640 px
    const Shot known = withLensFile(shot, path);
    EXPECT_EQ(known.priors.distortion, Known::known);
    EXPECT_EQ(known.priors.focalMm, 18);
    const Eigen::Vector2d offset(400, 200);
    const Intrinsics a = file.intrinsics, b = known.givenLens();
    EXPECT_LT((a.pixelFromNormalised(offset / a.focalPx) - b.pixelFromNormalised(offset / b.focalPx)).norm(), 1e-9);
}

// ---- camera back -------------------------------------------------------------------------------------------------

Shot plain() {
    Shot s;
    s.plate.width = 1280;
    s.plate.rate = {25, 1};
    s.plate.height = 720;
    s.plateSpec = "nowhere";
    return s;
}

TEST(CameraPriors, ACutOutTakesItsShareOfTheSensor) {
    // The right half of a picture twice as wide, from a 36 mm sensor: 18 mm, and the axis at its left edge.
    const Shot cut = withCut(plain(), {2560, 720, 1280, 0});
    EXPECT_NEAR(cut.priors.sensorWidthMm, 18, 1e-12);
    EXPECT_NEAR(cut.priors.principalOffset.x(), -640, 1e-9);
    EXPECT_NEAR(cut.priors.principalOffset.y(), 0, 1e-9);
    // Changed again, it starts from the whole.
    const Shot middle = withCut(cut, {2560, 1440, 640, 360});
    EXPECT_NEAR(middle.priors.sensorWidthMm, 18, 1e-12);
    EXPECT_NEAR(middle.priors.principalOffset.norm(), 0, 1e-9);
    const Shot whole = withCut(middle, {});
    EXPECT_NEAR(whole.priors.sensorWidthMm, 36, 1e-12);
    EXPECT_THROW((void)withCut(plain(), {1300, 720, 100, 0}), InputError);
}

TEST(CameraPriors, FilmBacksNameTheirSource) {
    EXPECT_GT(filmBacks().size(), 10u);
    for (const FilmBack& f : filmBacks()) {
        EXPECT_GT(f.widthMm, f.heightMm) << f.name;
        EXPECT_NE(std::string(f.source), "");
    }
    // Common practice: a crop factor of about 1.6 against full frame.
    const auto crop = std::find_if(filmBacks().begin(), filmBacks().end(), [](const FilmBack& f) {
        return std::string(f.name).find("1.6") != std::string::npos;
    });
    ASSERT_NE(crop, filmBacks().end());
    EXPECT_NEAR(std::hypot(36.0, 24.0) / std::hypot(crop->widthMm, crop->heightMm), 1.6, 0.03);
}

TEST(CameraPriors, AnotherModelKeepsTheDistortionAndSaysHowWell) {
    Shot s = plain();
    s.priors.distortion = Known::start;
    s.priors.lens = LensModel::brownConrady(-0.1);
    std::string sentence;
    const Shot d = withLensModel(s, LensKind::division, &sentence);
    EXPECT_EQ(d.priors.lens.kind(), LensKind::division);
    EXPECT_LT(d.priors.lens.value("lambda"), -0.05);
    EXPECT_NE(sentence.find("px"), std::string::npos);
    // Nothing was known: nothing is invented.
    s.priors.distortion = Known::unknown;
    EXPECT_TRUE(withLensModel(s, LensKind::division).priors.lens.isZero());
}

TEST(CameraPriors, EdgesNeedAPicture) {
    Progress progress;
    EXPECT_THROW((void)withEdgesFound(Shot(), 1, progress), InputError);
    EXPECT_THROW((void)withLensFromEdges(plain(), progress), InputError) << "no edges";
}

TEST(LensInProject, EverythingComesBack) {
    Shot s = plain();
    s.name = "boat";
    s.priors.camera = "Tidal Optics Anchor 35";
    s.priors.cut = {2560, 1440, 640, 360};
    s.edges.push_back({3, 1001, {{10.25, 20.5}, {13, 20.75}, {16, 21}}, true, false});
    s.edges.push_back({4, 1007, {{1, 2}, {4, 2.5}}, false, true});
    s.chartStills = {"/stills/a.jpg", "/stills/b.jpg"};
    s.trackUndistorted = true;
    auto chart = std::make_shared<ChartCalibration>();
    chart->lens = camera(LensModel::brownConrady(-0.2, 0.04), 581.25);
    chart->width = 960;
    chart->height = 540;
    chart->rmsPx = 0.125;
    chart->cover = 0.75;
    chart->uncertainty = {{"focal", 581.25, 0.5}};
    chart->warnings = {"Few."};
    ChartCalibration::StillResult still;
    still.name = "a.jpg";
    still.rmsPx = 0.25;
    still.used = 50;
    still.corners = 54;
    chart->stills.push_back(still);
    chart->residuals.push_back({0, {100, 50}, {0.125, -0.25}, true});
    s.chart = chart;
    auto solve = std::make_shared<SolveResult>();
    solve->lensNumbers = {{"k1", -0.2, 0.001}};
    solve->lensMapSigmaPx = 0.25;
    solve->distortionRefusedPx = 3.5;
    s.solve = solve;
    const Shot back = shotFromText(shotToText(s, "/tmp"), "/tmp/boat.vanchor");
    EXPECT_TRUE(back.priors == s.priors);
    EXPECT_TRUE(back.edges == s.edges);
    EXPECT_EQ(back.chartStills, s.chartStills);
    EXPECT_TRUE(back.trackUndistorted);
    EXPECT_EQ(back.chart->lens.focalPx, 581.25);
    EXPECT_TRUE(back.chart->lens.lens == chart->lens.lens);
    EXPECT_EQ(back.chart->stills.size(), 1u);
    EXPECT_EQ(back.chart->residuals.front().error.y(), -0.25);
    EXPECT_EQ(back.chart->width, 960);
    EXPECT_EQ(back.solve->lensNumbers.front().sigma, 0.001);
    EXPECT_EQ(back.solve->distortionRefusedPx, 3.5);
    EXPECT_EQ(back.solve->lensMapSigmaPx, 0.25);
}

// ---- movies ------------------------------------------------------------------------------------------------------

TEST(MovieWriter, FramesComeBackInOrderAndColour) {
    for (const char* ending : {".mov", ".mp4"}) {
        const std::string path = std::string(VA_BINARY_DIR) + "/written" + ending;
        {
            MovieWriter movie(path, 64, 48, {24000, 1001});
            for (int f = 0; f < 6; ++f) {
                Picture p(64, 48);
                for (size_t i = 0; i < p.data.size(); i += 4) {
                    p.data[i] = 0.1f + 0.12f * float(f);
                    p.data[i + 1] = 0.5f;
                    p.data[i + 2] = 0.7f - 0.1f * float(f);
                    p.data[i + 3] = 1;
                }
                movie.write(p);
            }
            movie.finish();
        }
        const auto read = openPlate(path);
        EXPECT_EQ(read->info().width, 64);
        EXPECT_EQ(read->info().frames.count(), 6);
        EXPECT_TRUE((read->info().rate == Rational{24000, 1001}));
        for (int f = 0; f < 6; ++f) {
            const Picture p = read->colours(firstMovieFrame + f);
            EXPECT_NEAR(double(p.at(30, 20)[0]), 0.1 + 0.12 * f, 0.02) << ending << f;
            EXPECT_NEAR(double(p.at(30, 20)[2]), 0.7 - 0.1 * f, 0.02) << ending << f;
        }
    }
}

// A limit of a file's size stands in for a full disk: in both cases writing stops half-way.
TEST(MovieWriter, AFullDiskIsAnErrorAndLeavesNoMovie) {
    const std::filesystem::path path = std::filesystem::path(testing::TempDir()) / "full-disk.mp4";
    std::filesystem::remove(path);
    const auto before = std::signal(SIGXFSZ, SIG_IGN);
    rlimit was{};
    ASSERT_EQ(getrlimit(RLIMIT_FSIZE, &was), 0);
    const rlimit small{16384, was.rlim_max};
    ASSERT_EQ(setrlimit(RLIMIT_FSIZE, &small), 0);
    bool failed = false;
    try {
        MovieWriter movie(path, 320, 180, {25, 1});
        std::mt19937 random(5);
        for (int f = 0; f < 40; ++f) {
            Picture noise(320, 180);
            for (float& v : noise.data) v = float(random() % 1000) / 1000;
            movie.write(noise);
        }
        movie.finish();
    } catch (const InputError&) {
        failed = true;
    }
    setrlimit(RLIMIT_FSIZE, &was);
    std::signal(SIGXFSZ, before);
    EXPECT_TRUE(failed);
    EXPECT_FALSE(std::filesystem::exists(path));
}

TEST(MovieWriter, UnfinishedOrImpossibleFilesAreNotLeftBehind) {
    const std::string path = std::string(VA_BINARY_DIR) + "/broken-off.mp4";
    {
        MovieWriter movie(path, 64, 48, {25, 1});
        movie.write(Picture(64, 48));
    }
    EXPECT_FALSE(std::filesystem::exists(path));
    EXPECT_THROW(MovieWriter("/tmp/x.avi", 64, 48, {25, 1}), InputError);
    EXPECT_THROW(MovieWriter("/nowhere/at/all/x.mp4", 64, 48, {25, 1}), InputError);
}

}  // namespace
}  // namespace va
