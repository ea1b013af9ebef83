// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/plumb_line.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <optional>

#include "base/parallel.h"
#include "base/text.h"

namespace va {
namespace {

/// A line of the undistorted picture: points with cos(turn) x + sin(turn) y = far, normalised coordinates.
struct Line {
    double turn = 0, far = 0;
    [[nodiscard]] Eigen::Vector2d normal() const { return {std::cos(turn), std::sin(turn)}; }
    [[nodiscard]] Eigen::Vector2d along() const { return {-std::sin(turn), std::cos(turn)}; }
    [[nodiscard]] Eigen::Vector2d at(double t) const { return far * normal() + t * along(); }
};

using Points = std::span<const Eigen::Vector2d>;

Line lineThrough(const std::vector<Eigen::Vector2d>& points) {
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (const auto& p : points) middle += p / double(points.size());
    Eigen::Matrix2d spread = Eigen::Matrix2d::Zero();
    for (const auto& p : points) spread += (p - middle) * (p - middle).transpose();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(spread);
    const Eigen::Vector2d normal = axes.eigenvectors().col(0);
    Line line;
    line.turn = std::atan2(normal.y(), normal.x());
    line.far = normal.dot(middle);
    return line;
}

/// An edge as a line, and how far along it each of its points lies.
struct Undistorted {
    Line line;
    std::vector<double> t;
};

/// The line through the undistorted pixels: where the search for the best one starts. Nothing where the lens
/// undistorts not all of them.
std::optional<Undistorted> undistorted(Points pixels, const Intrinsics& lens) {
    std::vector<Eigen::Vector2d> points;
    for (const auto& p : pixels) {
        const auto s = lens.normalisedFromPixel(p);
        if (!s) return std::nullopt;
        points.push_back(*s);
    }
    if (points.size() < 3) return std::nullopt;
    Undistorted out{lineThrough(points), {}};
    for (const auto& p : points) out.t.push_back(out.line.along().dot(p));
    return out;
}

/// Where the distorted line comes nearest to a pixel, and which way it runs there.
struct Foot {
    double t = 0;
    Eigen::Vector2d pixel, along;  ///< px; along is d pixel / d t
};

Foot footOf(const Line& line, const Eigen::Vector2d& pixel, const Intrinsics& lens, double t) {
    Foot foot;
    const Eigen::Vector2d scale(lens.focalPx / lens.pixelAspect, lens.focalPx);
    for (int i = 0; i < 8; ++i) {
        Eigen::Matrix2d j;
        const Eigen::Vector2d distorted = lens.lens.distort(line.at(t), &j);
        foot = {t, lens.pixelFromDistorted(distorted), scale.cwiseProduct(j * line.along())};
        const double length = foot.along.squaredNorm();
        if (!(length > 1e-12)) break;
        const double step = (pixel - foot.pixel).dot(foot.along) / length;
        if (std::fabs(step) < 1e-10) break;
        t += std::clamp(step, -0.2, 0.2);
    }
    return foot;
}

/// Distance across of a pixel from the distorted line.
double across(const Foot& foot, const Eigen::Vector2d& pixel) {
    const double length = foot.along.norm();
    return length > 1e-9
               ? (foot.along.x() * (foot.pixel.y() - pixel.y()) - foot.along.y() * (foot.pixel.x() - pixel.x())) /
                     length
               : 1e3;
}

/// RMS distance in px of the plate, the line itself improved once more (its guess was fitted in the undistorted
/// picture).
double rmsOf(Points pixels, const Intrinsics& lens, Undistorted& edge) {
    double best = 1e9;
    Line& line = edge.line;
    Line kept = line;
    for (int round = 0; round < 3; ++round) {
        Eigen::Matrix2d normal = Eigen::Matrix2d::Zero();
        Eigen::Vector2d right = Eigen::Vector2d::Zero();
        double sum = 0;
        const Eigen::Vector2d scale(lens.focalPx / lens.pixelAspect, lens.focalPx);
        for (size_t i = 0; i < pixels.size(); ++i) {
            const Foot f = footOf(line, pixels[i], lens, edge.t[i]);
            edge.t[i] = f.t;
            const double r = across(f, pixels[i]), length = std::max(1e-9, f.along.norm());
            const Eigen::Vector2d n(-f.along.y() / length, f.along.x() / length);
            Eigen::Matrix2d j;
            distortPoint(lens.lens.kind(), lens.lens.values(), line.at(f.t), &j);
            const Eigen::Vector2d byFar = scale.cwiseProduct(j * line.normal());
            const Eigen::Vector2d byRotation = scale.cwiseProduct(j * (line.far * line.along() - f.t * line.normal()));
            const Eigen::Vector2d row(n.dot(byRotation), n.dot(byFar));
            normal += row * row.transpose();
            right -= row * r;
            sum += r * r;
        }
        const double rms = std::sqrt(sum / double(pixels.size()));
        if (rms < best) best = rms, kept = line;
        const Eigen::Vector2d step = normal.ldlt().solve(right);
        if (!step.allFinite() || step.norm() > 0.2) break;
        line.turn += step[0];
        line.far += step[1];
    }
    line = kept;
    return best;
}

class PlumbLines {
  public:
    PlumbLines(const std::vector<std::vector<Eigen::Vector2d>>& edges, int width, int height, const Intrinsics& start,
               const PlumbLineOptions& options, Progress& progress)
        : edges_(edges),
          width_(width),
          height_(height),
          options_(options),
          progress_(progress),
          start_(start),
          lens_(start) {
        lens_.lens = LensModel(options.kind);
        used_.assign(edges.size(), 1);
        for (size_t i = 0; i < edges.size(); ++i)
            if (edges[i].size() < 8) used_[i] = 0;
    }

    PlumbLineResult run() {
        progress_.stage(text("Fitting the lens to edges"), 3, 1);
        if (std::count(used_.begin(), used_.end(), 1) < 2) {
            out_.trouble = text(
                "At least two straight edges are needed, better ten: long ones near the border of the frame, where the "
                "lens distorts most.");
            return out_;
        }
        scan();
        progress_.advance();
        values_ = options_.values.empty() ? std::vector<int>{firstValues().front()} : options_.values;
        improve();
        if (options_.values.empty()) addNumbers();
        progress_.advance();
        if (!finite()) {
            out_.trouble = text(
                "The edges contradict each other: no distortion makes them straight. Refuse those that are curved "
                "in the "
                "world, such as hulls, ropes and roads.");
            return out_;
        }
        report();
        return out_;
    }

  private:
    [[nodiscard]] double cornerRadius() const {
        double most = 0;
        for (const double x : {0.0, width_ - 1.0})
            for (const double y : {0.0, height_ - 1.0}) most = std::max(most, lens_.distortedFromPixel({x, y}).norm());
        return most;
    }

    /// The numbers of a model from coarse to fine.
    [[nodiscard]] std::vector<int> firstValues() const {
        switch (options_.kind) {
            case LensKind::division: return {0};
            case LensKind::anamorphic: return {2, 8, 3, 7, 4, 5, 6, 9, 10, 11};
            default: return {0, 1};
        }
    }

    /// The number that distorts by about `strength` of the radius in the frame's corner, of any model.
    void setStrength(double strength) {
        const double r = cornerRadius(), q = r * r;
        LensModel model(options_.kind);
        switch (options_.kind) {
            case LensKind::division: model.setValue(0, strength / q); break;
            case LensKind::anamorphic: model.setValue(2, strength / q), model.setValue(8, strength / q); break;
            // An equidistant fisheye distorts by θ / tan θ on its own; k1 adds to that.
            case LensKind::fisheye: model.setValue(0, strength / q); break;
            // k2 as far as it keeps a strong barrel from folding over: half of k1² holds that off.
            case LensKind::brownConrady:
                model.setValue(0, strength / q), model.setValue(1, strength < 0 ? strength * strength / (q * q) : 0.0);
                break;
        }
        lens_.lens = model;
    }

    /// Tries strengths of distortion; every edge votes with its straightness, bounded, by its length.
    void scan() {
        double best = -1, bestStrength = 0;
        for (int i = -30; i <= 20; ++i) {
            progress_.check();
            const double strength = 0.02 * i;
            setStrength(strength);
            double votes = 0;
            const std::vector<double> fits = allRms();
            for (size_t e = 0; e < edges_.size(); ++e)
                if (used_[e]) votes += double(edges_[e].size()) / (1 + fits[e] * fits[e] / 0.25);
            if (votes > best) best = votes, bestStrength = strength;
        }
        setStrength(bestStrength);
        // Only what is solved stays.
        LensModel model(options_.kind);
        model.setValue(firstValues().front(), lens_.lens.value(firstValues().front()));
        if (options_.kind == LensKind::anamorphic) model.setValue(8, lens_.lens.value(8));
        if (options_.kind == LensKind::brownConrady && bestStrength < -0.1) model = lens_.lens;
        lens_.lens = model;
    }

    struct Normal {
        Eigen::MatrixXd lens;
        Eigen::VectorXd right;
        double cost = 0;
        double weight = 0, squares = 0;  ///< of the points in use, and of their weighted residuals
        bool whole = true;               ///< every edge in use could be straight
    };

    [[nodiscard]] int count() const { return int(values_.size()) + (options_.principalPoint ? 2 : 0); }

    /// Normal equations over the lens's numbers, each edge's line taken out; every edge weighs by how it fits.
    [[nodiscard]] Normal normalAt(const Intrinsics& lens) const {
        std::vector<Normal> parts(edges_.size(), Normal{Eigen::MatrixXd(), Eigen::VectorXd()});
        parallelRanges(int(edges_.size()), 1, [&](int begin, int end) {
            for (int e = begin; e < end; ++e)
                if (used_[size_t(e)]) parts[size_t(e)] = normalOf(edges_[size_t(e)], lens);
        });
        Normal out{Eigen::MatrixXd::Zero(count(), count()), Eigen::VectorXd::Zero(count())};
        for (size_t e = 0; e < edges_.size(); ++e) {
            if (!used_[e]) continue;
            const Normal& part = parts[e];
            out.whole = out.whole && part.whole;
            if (!part.whole) continue;
            out.lens += part.lens;
            out.right += part.right;
            out.cost += part.cost;
            out.weight += part.weight;
            out.squares += part.squares;
        }
        if (options_.principalPoint) {
            // Lenses sit within two percent of the middle: an opinion that counts where the edges are silent.
            const double uncertainty = std::pow(tolerance_ / (0.02 * width_), 2);
            const Eigen::Vector2d off = lens.principalPoint - start_.principalPoint;
            out.lens.diagonal().tail<2>().array() += uncertainty;
            out.right.tail<2>() -= uncertainty * off;
            out.cost += uncertainty * off.squaredNorm();
        }
        return out;
    }

    [[nodiscard]] Normal normalOf(const std::vector<Eigen::Vector2d>& pixels, const Intrinsics& lens) const {
        const int n = count();
        Normal out{Eigen::MatrixXd::Zero(n, n), Eigen::VectorXd::Zero(n)};
        const Eigen::Vector2d scale(lens.focalPx / lens.pixelAspect, lens.focalPx);
        auto edge = undistorted(pixels, lens);
        if (!edge) {
            out.whole = false;
            return out;
        }
        const double square = std::pow(rmsOf(pixels, lens, *edge), 2), limit = tolerance_ * tolerance_;
        const double w = 1 / (1 + square / limit);
        const Line& line = edge->line;
        Eigen::Matrix2d lineBlock = Eigen::Matrix2d::Zero();
        Eigen::MatrixXd mixed = Eigen::MatrixXd::Zero(n, 2), block = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n), row(n);
        Eigen::Vector2d lineRight = Eigen::Vector2d::Zero();
        for (size_t i = 0; i < pixels.size(); ++i) {
            const Foot f = footOf(line, pixels[i], lens, edge->t[i]);
            const double r = across(f, pixels[i]), length = std::max(1e-9, f.along.norm());
            const Eigen::Vector2d normal(-f.along.y() / length, f.along.x() / length);
            Eigen::Matrix2d j;
            LensValueJacobian byValues;
            distortPoint(lens.lens.kind(), lens.lens.values(), line.at(f.t), &j, &byValues);
            const Eigen::Vector2d byLine(
                normal.dot(scale.cwiseProduct(j * (line.far * line.along() - f.t * line.normal()))),
                normal.dot(scale.cwiseProduct(j * line.normal())));
            for (size_t k = 0; k < values_.size(); ++k)
                row[Eigen::Index(k)] = normal.dot(scale.cwiseProduct(byValues.col(values_[k])));
            if (options_.principalPoint) row.tail<2>() = normal;
            lineBlock += byLine * byLine.transpose();
            mixed += row * byLine.transpose();
            block += row * row.transpose();
            right -= row * r;
            lineRight -= byLine * r;
        }
        const auto solved = lineBlock.ldlt();
        out.lens = w * (block - mixed * solved.solve(mixed.transpose()));
        out.right = w * (right - mixed * solved.solve(lineRight));
        // Cauchy's loss on the whole edge: it is either straight in the world or not.
        const auto points = double(pixels.size());
        out.cost = points * limit * std::log1p(square / limit);
        out.weight = w * points;
        out.squares = w * square * points;
        return out;
    }

    /// Weighs edges by their fit, improves, sets curved ones aside, and repeats.
    void improve() {
        for (int round = 0; round < 4; ++round) {
            progress_.check();
            tolerance_ = std::max(0.1, (round == 0 ? 2 : 0.8) * medianOf(allRms()));
            descend();
            if (!options_.trustAll) setAside();
        }
        descend();
    }

    /// Levenberg–Marquardt over the lens's numbers.
    void descend() {
        double damping = 1e-4;
        Normal here = normalAt(lens_);
        for (int i = 0; i < 25; ++i) {
            Eigen::MatrixXd damped = here.lens;
            damped.diagonal() *= 1 + damping;
            damped.diagonal().array() += 1e-9;
            const Eigen::VectorXd step = damped.ldlt().solve(here.right);
            if (!step.allFinite()) return;
            Intrinsics next = lens_;
            LensModel model = lens_.lens;
            for (size_t k = 0; k < values_.size(); ++k)
                model.setValue(values_[k], model.value(values_[k]) + step[Eigen::Index(k)]);
            next.lens = model;
            if (options_.principalPoint) next.principalPoint += step.tail<2>();
            const Normal there = normalAt(next);
            if (there.whole >= here.whole && there.cost < here.cost) {
                const bool done = here.cost - there.cost < 1e-7 * here.cost;
                lens_ = next;
                here = there;
                damping = std::max(1e-9, damping * 0.2);
                if (done) return;
            } else {
                damping *= 8;
                if (damping > 1e6) return;
            }
        }
    }

    /// Of every edge under the present lens, used or not.
    [[nodiscard]] std::vector<double> allRms() const {
        std::vector<double> out(edges_.size(), 1e3);
        parallelRanges(int(edges_.size()), 1, [&](int begin, int end) {
            for (auto e = size_t(begin); e < size_t(end); ++e)
                if (auto edge = undistorted(edges_[e], lens_)) out[e] = rmsOf(edges_[e], lens_, *edge);
        });
        return out;
    }

    [[nodiscard]] double medianOf(const std::vector<double>& rms) const {
        std::vector<double> all;
        for (size_t e = 0; e < edges_.size(); ++e)
            if (used_[e]) all.push_back(rms[e]);
        if (all.empty()) return 0;
        std::nth_element(all.begin(), all.begin() + std::ptrdiff_t(all.size() / 2), all.end());
        return all[all.size() / 2];
    }

    void setAside() {
        const std::vector<double> rms = allRms();
        const double limit = std::max(0.25, 2.5 * medianOf(rms));
        std::vector<char> next(used_.size(), 0);
        for (size_t e = 0; e < edges_.size(); ++e) next[e] = edges_[e].size() >= 8 && rms[e] < limit;
        if (std::count(next.begin(), next.end(), 1) >= 2) used_ = next;
    }

    /// Takes a further number as long as the edges tell it: it must come out well beyond its own uncertainty.
    void addNumbers() {
        const auto order = firstValues();
        for (size_t k = 1; k < order.size(); ++k) {
            const Intrinsics before = lens_;
            const auto usedBefore = used_;
            values_.push_back(order[k]);
            improve();
            const Eigen::MatrixXd covariance = covarianceOf();
            const auto last = Eigen::Index(values_.size() - 1);
            const double sigma = std::sqrt(std::max(0.0, covariance(last, last)));
            if (finite() && std::fabs(lens_.lens.value(order[k])) > 3 * sigma && !folds()) continue;
            values_.pop_back();
            lens_ = before;
            used_ = usedBefore;
            if (lens_.lens.value(order[k]) != 0) {
                LensModel model = lens_.lens;
                model.setValue(order[k], 0);
                lens_.lens = model;
                improve();
            }
            break;
        }
    }

    [[nodiscard]] bool folds() const {
        return !lens_.normalisedFromPixel({0, 0}) || !lens_.normalisedFromPixel({width_ - 1.0, height_ - 1.0});
    }

    /// Neighbouring points of an edge err together (coding, texture), over about 24 px: eight points.
    static constexpr double togetherPoints = 8;

    [[nodiscard]] Eigen::MatrixXd covarianceOf() const {
        const Normal n = normalAt(lens_);
        // Of the points that count fully, one in togetherPoints is on its own; each line takes two of those.
        double lines = 0;
        for (size_t e = 0; e < edges_.size(); ++e) lines += used_[e];
        const double alone = n.weight / togetherPoints;
        const double variance = n.squares / std::max(1.0, n.weight) * alone /
                                std::max(1.0, alone - 2 * lines * n.weight / points() - count());
        return n.lens.ldlt().solve(Eigen::MatrixXd::Identity(count(), count())) * variance * togetherPoints;
    }

    /// Points of the edges in use.
    [[nodiscard]] double points() const {
        double out = 1;
        for (size_t e = 0; e < edges_.size(); ++e)
            if (used_[e]) out += double(edges_[e].size());
        return out;
    }

    [[nodiscard]] bool finite() const {
        for (int i = 0; i < lens_.lens.count(); ++i)
            if (!std::isfinite(lens_.lens.value(i)) || std::fabs(lens_.lens.value(i)) > 1e4) return false;
        return lens_.principalPoint.allFinite() && medianOf(allRms()) < 100;
    }

    void report() {
        out_.lens = lens_;
        double sum = 0;
        int used = 0;
        bool quadrant[4] = {};
        for (size_t e = 0; e < edges_.size(); ++e) {
            PlumbLineResult::Edge edge;
            edge.straightness = straightnessOf(edges_[e], lens_);
            edge.used = used_[e] != 0;
            if (edge.used) {
                sum += edge.straightness.after * edge.straightness.after * double(edges_[e].size());
                ++used;
                for (const auto& p : edges_[e])
                    if ((p - Eigen::Vector2d(width_ / 2.0, height_ / 2.0)).norm() > 0.3 * std::hypot(width_, height_))
                        quadrant[(p.x() > width_ / 2.0 ? 1 : 0) + (p.y() > height_ / 2.0 ? 2 : 0)] = true;
            }
            out_.edges.push_back(edge);
        }
        out_.rmsPx = std::sqrt(sum / points());
        const Eigen::MatrixXd covariance = covarianceOf();
        std::vector<LensValue> solved;
        for (const int i : values_) solved.push_back(lensValueAt(i));
        if (options_.principalPoint) solved.push_back(LensValue::principalX), solved.push_back(LensValue::principalY);
        out_.uncertainty = lensNumbers(lens_, solved, covariance);
        out_.mapSigmaPx = mapSigmaPx(lens_, width_, height_, solved, covariance);
        const auto aside = edges_.size() - size_t(used);
        if (used < 5)
            out_.warnings.push_back(
                text("Only %d edges took part. Ten or more, on all sides, make it reliable.", used));
        const int sides = quadrant[0] + quadrant[1] + quadrant[2] + quadrant[3];
        if (sides < 3)
            out_.warnings.push_back(text(
                "%d of the frame's four corner regions have an edge: where there is none, the distortion is a guess.",
                sides));
        if (aside > size_t(used))
            out_.warnings.push_back(
                text("%zu of %zu edges do not become straight and were left out. If they are straight in the world, "
                     "the lens needs another model.",
                     aside, edges_.size()));
        if (folds())
            out_.warnings.push_back(
                text("The model folds over inside the frame: give edges nearer to the corners, or take "
                     "the division model."));
    }

    const std::vector<std::vector<Eigen::Vector2d>>& edges_;
    int width_, height_;
    const PlumbLineOptions& options_;
    Progress& progress_;
    const Intrinsics& start_;
    Intrinsics lens_;
    std::vector<int> values_;
    std::vector<char> used_;
    double tolerance_ = 0.5;
    PlumbLineResult out_;
};

}  // namespace

Straightness straightnessOf(std::span<const Eigen::Vector2d> pixels, const Intrinsics& lens) {
    Straightness out;
    if (pixels.size() < 3) return out;
    Intrinsics plain = lens;
    plain.lens = LensModel();
    if (auto line = undistorted(pixels, plain)) out.before = rmsOf(pixels, plain, *line);
    if (auto line = undistorted(pixels, lens)) out.after = rmsOf(pixels, lens, *line);
    return out;
}

PlumbLineResult lensFromEdges(const std::vector<std::vector<Eigen::Vector2d>>& edges, int width, int height,
                              const Intrinsics& start, const PlumbLineOptions& options, Progress& progress) {
    return PlumbLines(edges, width, height, start, options, progress).run();
}

}  // namespace va
