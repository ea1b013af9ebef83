// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/calibration/chart_calibration.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <set>

#include "base/svd3.h"
#include "base/text.h"
#include "solve/bundle/uncertainty.h"
#include "solve/minimal/homography.h"

namespace va {
namespace {

double medianOf(std::vector<double> v) {
    if (v.empty()) return 0;
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}

class Calibration {
  public:
    Calibration(const std::vector<ChartView>& views, int width, int height, const ChartOptions& options,
                Progress& progress)
        : views_(views), width_(width), height_(height), options_(options), progress_(progress) {
        lens_.pixelAspect = options.pixelAspect;
        lens_.principalPoint = {(width - 1) / 2.0, (height - 1) / 2.0};
        lens_.lens = LensModel(options.kind);
    }

    ChartCalibration run() {
        findHomographies();
        if (start_.size() < 2) {
            out_.trouble =
                text("At least two stills that show the chart are needed: take some more, tilted to all sides.");
            return out_;
        }
        if (!startFocal()) {
            out_.trouble = text(
                "All stills show the chart from nearly straight on: that does not tell the focal length from the "
                "distance. Tilt the chart by 20 to 40 degrees to different sides.");
            return out_;
        }
        progress_.stage("Calibrating", 4, 1);
        makeProblem();
        improve({LensValue::focal}, 4);
        improve(coarseValues(), 2);
        improve(allValues(), 1);
        for (int round = 0; round < 3; ++round) {
            progress_.check();
            setAside();
            improve(allValues(), round < 1 ? 1 : 0);
        }
        leaveOutWhatIsNotTold();
        if (!(problem_.lenses[0].focalPx > 0) || !std::isfinite(problem_.lenses[0].focalPx)) {
            out_.trouble =
                text("The stills contradict each other: check that all are of one lens, focal length and focus.");
            return out_;
        }
        report();
        return out_;
    }

  private:
    struct Start {
        int still;
        Eigen::Matrix3d h;  ///< board to normalised picture: px from the middle, in widths
    };

    void findHomographies() {
        for (size_t i = 0; i < views_.size(); ++i) {
            Points2 board, picture;
            std::vector<int> use;
            for (const ChartCorner& c : views_[i].corners) {
                use.push_back(int(board.size()));
                board.emplace_back(c.column, c.row);
                const Eigen::Vector2d d = c.pixel - lens_.principalPoint;
                picture.emplace_back(d.x() * lens_.pixelAspect / width_, d.y() / width_);
            }
            if (use.size() < 8) continue;
            if (const auto h = homographyFrom(board, picture, use)) start_.push_back({int(i), *h});
        }
    }

    /// h1ᵀ ω h2 = 0 and h1ᵀ ω h1 = h2ᵀ ω h2 with ω = diag(q, q, 1), q = 1/f²: least squares over all stills, each
    /// equation by the size of its columns.
    bool startFocal() {
        double above = 0, below = 0;
        for (const Start& s : start_) {
            const Eigen::Vector3d a = s.h.col(0), b = s.h.col(1);
            const double size = a.norm() * b.norm();
            const Eigen::Vector2d p(a.x() * b.x() + a.y() * b.y(),
                                    a.x() * a.x() + a.y() * a.y() - b.x() * b.x() - b.y() * b.y());
            const Eigen::Vector2d r(a.z() * b.z(), a.z() * a.z() - b.z() * b.z());
            above -= p.dot(r) / (size * size);
            below += p.dot(p) / (size * size);
        }
        // Seen straight on, the equations are empty but for rounding and noise.
        const double q = below > 1e-10 * double(start_.size()) ? above / below : 0;
        // From 8 to 170 degrees; outside of that the stills say nothing.
        if (!(q > 0.005 && q < 130)) return false;
        lens_.focalPx = width_ / std::sqrt(q);
        return true;
    }

    void makeProblem() {
        problem_.lenses = {lens_};
        std::map<std::pair<int, int>, int> pointAt;
        const double f = lens_.focalPx / width_;
        for (const Start& s : start_) {
            Eigen::Matrix3d h = Eigen::DiagonalMatrix<double, 3>(1 / f, 1 / f, 1) * s.h;
            double scale = std::sqrt(h.col(0).norm() * h.col(1).norm());
            if (h(2, 2) < 0) scale = -scale;  // the board lies in front of the camera
            h /= scale;
            Eigen::Matrix3d r;
            r << h.col(0), h.col(1), h.col(0).cross(h.col(1));
            const Svd3 svd = svd3(r);
            View v;
            v.rotation = svd.u * svd.v.transpose();
            if (v.rotation.determinant() < 0) continue;
            v.translation = h.col(2);
            const int view = int(problem_.views.size());
            problem_.views.push_back(v);
            problem_.lensOfView.push_back(0);
            stillOfView_.push_back(s.still);
            for (const ChartCorner& c : views_[size_t(s.still)].corners) {
                const auto [it, fresh] = pointAt.try_emplace({c.column, c.row}, int(problem_.points.size()));
                if (fresh) problem_.points.emplace_back(c.column, c.row, 0);
                all_.push_back({view, it->second, c.pixel, Eigen::Matrix2d::Identity()});
            }
        }
        used_.assign(all_.size(), 1);
        aside_.assign(problem_.views.size(), 0);
    }

    /// Of the numbers that were not asked for by name, those that do not stand out from their own uncertainty: fitted
    /// to noise, they would distort the frame's corners, where few chart corners lie.
    void leaveOutWhatIsNotTold() {
        if (!options_.values.empty() || options_.kind != LensKind::brownConrady) return;
        const auto told = [&](const std::vector<int>& which) {
            measureUncertainty();
            const auto n = out_.uncertainty.size() - modelValues().size();
            const auto values = modelValues();
            for (size_t k = 0; k < values.size(); ++k)
                if (std::find(which.begin(), which.end(), values[k]) != which.end() &&
                    std::fabs(out_.uncertainty[n + k].value) > 3 * out_.uncertainty[n + k].sigma)
                    return true;
            return false;
        };
        for (const auto& which : {std::vector<int>{2}, std::vector<int>{3, 4}}) {
            progress_.check();
            if (told(which)) continue;
            LensModel lens = problem_.lenses[0].lens;
            for (const int i : which) lens.setValue(i, 0), leftOut_.push_back(i);
            problem_.lenses[0].lens = lens;
            improve(allValues(), 0);
            setAside();
            improve(allValues(), 0);
        }
    }

    [[nodiscard]] std::vector<int> modelValues() const {
        if (!options_.values.empty()) return options_.values;
        if (options_.kind == LensKind::brownConrady) {
            std::vector<int> all{0, 1, 2, 3, 4};
            for (const int i : leftOut_) std::erase(all, i);
            return all;
        }
        std::vector<int> out;
        for (int i = 0; i < lens_.lens.count(); ++i)
            if (options_.kind != LensKind::anamorphic || i != 1) out.push_back(i);
        return out;
    }
    [[nodiscard]] std::vector<LensValue> coarseValues() const {
        std::vector<LensValue> out{LensValue::focal};
        const auto values = modelValues();
        if (options_.kind == LensKind::anamorphic) {
            // The turn has no meaning before there is something to turn.
            for (const int i : values)
                if (i != 0) out.push_back(lensValueAt(i));
        } else
            for (size_t k = 0; k < values.size() && k < 2; ++k) out.push_back(lensValueAt(values[k]));
        return out;
    }
    [[nodiscard]] std::vector<LensValue> allValues() const {
        std::vector<LensValue> out{LensValue::focal};
        if (options_.principalPoint) out.push_back(LensValue::principalX), out.push_back(LensValue::principalY);
        for (const int i : modelValues()) out.push_back(lensValueAt(i));
        return out;
    }

    void improve(const std::vector<LensValue>& solved, double lossScale) {
        problem_.observations.clear();
        for (size_t i = 0; i < all_.size(); ++i)
            if (used_[i]) problem_.observations.push_back(all_[i]);
        BundleOptions o;
        o.solved = solved;
        o.fixedPoints = true;
        o.lossScale = lossScale;
        o.iterations = 60;
        o.stopWhenCostFallsBy = 1e-9;
        o.cancelled = [this] { return progress_.cancelled(); };
        bundle(problem_, o);
        progress_.check();
        progress_.advance();
    }

    [[nodiscard]] Eigen::Vector2d errorOf(const BundleProblem::Observation& o) const {
        const Eigen::Vector3d c = problem_.views[size_t(o.view)].toCamera(problem_.points[size_t(o.point)]);
        if (!(c.z() > 1e-9)) return {1e3, 1e3};
        const Eigen::Vector2d e = o.pixel - problem_.lenses[0].pixelFromNormalised(c.head<2>() / c.z());
        return e.allFinite() ? e : Eigen::Vector2d(1e3, 1e3);
    }

    /// Corners beyond four times what is usual, and stills whose corners are mostly so.
    void setAside() {
        std::vector<double> all;
        std::vector<std::vector<double>> byCamera(problem_.views.size());
        for (const auto& o : all_) {
            byCamera[size_t(o.view)].push_back(errorOf(o).norm());
            all.push_back(byCamera[size_t(o.view)].back());
        }
        // The median length of a two-dimensional normal error is 1.18 σ.
        const double sigma = std::max(0.02, medianOf(all) / 1.18);
        for (size_t v = 0; v < byCamera.size(); ++v) aside_[v] = medianOf(byCamera[v]) > 4 * sigma;
        if (std::count(aside_.begin(), aside_.end(), 0) < 2) std::fill(aside_.begin(), aside_.end(), char(0));
        for (size_t i = 0; i < all_.size(); ++i)
            used_[i] = !aside_[size_t(all_[i].view)] && errorOf(all_[i]).norm() < 4 * sigma;
    }

    void report() {
        out_.lens = problem_.lenses[0];
        out_.width = width_;
        out_.height = height_;
        const size_t n = problem_.views.size();
        out_.stills.resize(n);
        std::vector<double> squares(n, 0);
        double sum = 0;
        int count = 0;
        std::set<int> cells;
        for (size_t i = 0; i < all_.size(); ++i) {
            const auto& o = all_[i];
            const Eigen::Vector2d e = errorOf(o);
            const auto v = size_t(o.view);
            out_.residuals.push_back({o.view, o.pixel, e, used_[i] != 0});
            squares[v] += e.squaredNorm();
            ++out_.stills[v].corners;
            if (!used_[i]) continue;
            ++out_.stills[v].used;
            sum += e.squaredNorm();
            ++count;
            cells.insert(std::clamp(int(o.pixel.x() * 8 / width_), 0, 7) +
                         8 * std::clamp(int(o.pixel.y() * 6 / height_), 0, 5));
        }
        out_.rmsPx = std::sqrt(sum / std::max(1, count));
        out_.cover = double(cells.size()) / 48;
        double tilt = 0;
        for (size_t v = 0; v < n; ++v) {
            auto& s = out_.stills[v];
            s.name = views_[size_t(stillOfView_[v])].name;
            s.view = problem_.views[v];
            s.rmsPx = std::sqrt(squares[v] / std::max(1, s.corners));
            s.aside = aside_[v] != 0;
            if (!s.aside) tilt = std::max(tilt, std::acos(std::min(1.0, std::fabs(s.view.rotation(2, 2)))));
        }
        measureUncertainty();
        warn(tilt * 180 / M_PI);
    }

    void measureUncertainty() {
        BundleProblem used = problem_;
        used.observations.clear();
        for (size_t i = 0; i < all_.size(); ++i)
            if (used_[i]) used.observations.push_back(all_[i]);
        const auto solved = allValues();
        const auto n = Eigen::Index(solved.size());
        // Corners are measured here and now: what they scatter is their noise, however small.
        const auto covariance = lensCovariance(used, solved, true, 0);
        out_.uncertainty =
            lensNumbers(problem_.lenses[0], solved, covariance ? *covariance : Eigen::MatrixXd::Constant(n, n, 1e18));
    }

    void warn(double tiltDegrees) {
        const auto used = std::count(aside_.begin(), aside_.end(), 0);
        if (used < 4)
            out_.warnings.push_back(
                text("Only %d stills took part. Ten or more, tilted to all sides, make the numbers "
                     "reliable.",
                     int(used)));
        if (tiltDegrees < 12)
            out_.warnings.push_back(
                text("All stills show the chart from nearly straight on (at most %.0f° tilted): that hardly tells the "
                     "focal length. Tilt it by 20 to 40°.",
                     tiltDegrees));
        if (out_.cover < 0.6)
            out_.warnings.push_back(
                text("The corners cover %.0f %% of the frame. Where there were none, above all in "
                     "the frame's corners, the distortion is a guess: bring the chart there.",
                     out_.cover * 100));
        const auto& focal = out_.uncertainty.front();
        if (focal.sigma > 0.01 * focal.value)
            out_.warnings.push_back(
                text("The focal length is only known to %.1f %%.", 100 * focal.sigma / focal.value));
        const double corner = 0.5 * std::hypot(width_, height_) / out_.lens.focalPx;
        if (out_.lens.lens.foldRadius() < corner)
            out_.warnings.push_back(
                text("The model folds over inside the frame: solve fewer of its numbers, or take a model "
                     "for wider lenses."));
        for (size_t v = 0; v < aside_.size(); ++v)
            if (aside_[v])
                out_.warnings.push_back(
                    text("\"%s\" contradicts the other stills by %.1f px and was left out: another focal length or "
                         "focus, a chart that is not flat, or a blurred picture.",
                         out_.stills[v].name.c_str(), out_.stills[v].rmsPx));
    }

    const std::vector<ChartView>& views_;
    int width_, height_;
    const ChartOptions& options_;
    Progress& progress_;
    Intrinsics lens_;
    std::vector<Start> start_;
    BundleProblem problem_;
    std::vector<int> stillOfView_;
    std::vector<BundleProblem::Observation> all_;
    std::vector<char> used_, aside_;
    std::vector<int> leftOut_;
    ChartCalibration out_;
};

}  // namespace

ChartCalibration calibrateFromCharts(const std::vector<ChartView>& views, int width, int height,
                                     const ChartOptions& options, Progress& progress) {
    return Calibration(views, width, height, options, progress).run();
}

}  // namespace va
