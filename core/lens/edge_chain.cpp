// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/edge_chain.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/parallel.h"

namespace va {
namespace {

/// Jacobian of the picture under a Gaussian of this many pixels: enough against noise and the coding of movies, and
/// still narrow against what lies beside an edge.
constexpr double softness = 1.2;
constexpr double longArc = 120;  ///< px
constexpr double spacing = 3;    ///< px between the points of a finished chain

struct Jacobian {
    Plane<float> x, y, size;
    explicit Jacobian(const Luma& picture)
        : x(picture.width, picture.height), y(picture.width, picture.height), size(picture.width, picture.height) {
        constexpr int reach = 4;
        float smooth[2 * reach + 1], slope[2 * reach + 1];
        float sum = 0, ramp = 0;
        for (int i = -reach; i <= reach; ++i) {
            smooth[i + reach] = float(std::exp(-0.5 * i * i / (softness * softness)));
            sum += smooth[i + reach];
            slope[i + reach] = float(i) * smooth[i + reach];
            ramp += float(i) * slope[i + reach];
        }
        for (int i = 0; i <= 2 * reach; ++i) smooth[i] /= sum, slope[i] /= ramp;
        Plane<float> level(picture.width, picture.height), along(picture.width, picture.height);
        parallelRanges(picture.height, 16, [&](int begin, int end) {
            for (int j = begin; j < end; ++j)
                for (int i = 0; i < picture.width; ++i) {
                    float a = 0, b = 0;
                    for (int k = -reach; k <= reach; ++k) {
                        const float v = picture.at(std::clamp(i + k, 0, picture.width - 1), j);
                        a += smooth[k + reach] * v;
                        b += slope[k + reach] * v;
                    }
                    level.at(i, j) = a;
                    along.at(i, j) = b;
                }
        });
        parallelRanges(picture.height, 16, [&](int begin, int end) {
            for (int j = begin; j < end; ++j)
                for (int i = 0; i < picture.width; ++i) {
                    float a = 0, b = 0;
                    for (int k = -reach; k <= reach; ++k) {
                        const int row = std::clamp(j + k, 0, picture.height - 1);
                        a += smooth[k + reach] * along.at(i, row);
                        b += slope[k + reach] * level.at(i, row);
                    }
                    x.at(i, j) = a;
                    y.at(i, j) = b;
                    size.at(i, j) = std::hypot(a, b);
                }
        });
    }
    [[nodiscard]] Eigen::Vector2d at(int i, int j) const { return {x.at(i, j), y.at(i, j)}; }
    /// Slope along `direction` between pixels, linearly.
    [[nodiscard]] double along(const Eigen::Vector2d& p, const Eigen::Vector2d& direction) const {
        const int i = std::clamp(int(std::floor(p.x())), 0, x.width - 2),
                  j = std::clamp(int(std::floor(p.y())), 0, x.height - 2);
        const double s = std::clamp(p.x() - i, 0.0, 1.0), t = std::clamp(p.y() - j, 0.0, 1.0);
        const Eigen::Vector2d g =
            (1 - t) * ((1 - s) * at(i, j) + s * at(i + 1, j)) + t * ((1 - s) * at(i, j + 1) + s * at(i + 1, j + 1));
        return g.dot(direction);
    }
};

/// Where the slope across is steepest within a pixel of `p`, along the unit normal; nothing where it is not there.
std::optional<Eigen::Vector2d> placedAcross(const Jacobian& s, const Eigen::Vector2d& p,
                                            const Eigen::Vector2d& normal) {
    Eigen::Vector2d at = p;
    for (int round = 0; round < 3; ++round) {
        const double before = s.along(at - normal, normal), here = s.along(at, normal),
                     after = s.along(at + normal, normal);
        const double distortion = before - 2 * here + after;
        if (!(distortion < 0)) return std::nullopt;
        const double step = std::clamp(0.5 * (before - after) / distortion, -1.0, 1.0);
        at += step * normal;
        if ((at - p).norm() > 1.5) return std::nullopt;
        if (std::fabs(step) < 0.02) break;
    }
    return at;
}

/// A polynomial through points in the axes of their chord: a parabola, or for long ones, which lenses distort in
/// more ways, of the fourth degree.
struct Arc {
    Eigen::Vector2d origin = Eigen::Vector2d::Zero(), along{1, 0}, across{0, 1};
    Eigen::Matrix<double, 5, 1> shape = Eigen::Matrix<double, 5, 1>::Zero();  ///< against u / scale
    double scale = 1;
    double rms = 0, worst = 0;

    [[nodiscard]] Eigen::Vector2d local(const Eigen::Vector2d& p) const {
        return {along.dot(p - origin), across.dot(p - origin)};
    }
    [[nodiscard]] double off(const Eigen::Vector2d& p) const {
        const Eigen::Vector2d q = local(p);
        const double u = std::clamp(q.x() / scale, -1.0, 2.0);
        return q.y() - (shape[0] + u * (shape[1] + u * (shape[2] + u * (shape[3] + u * shape[4]))));
    }
};

template <class Points>
Arc arcThrough(const Points& points, size_t begin, size_t end) {
    Arc arc;
    arc.origin = points[begin];
    const Eigen::Vector2d chord = points[end - 1] - points[begin];
    arc.along = chord.norm() > 1e-9 ? Eigen::Vector2d(chord.normalized()) : Eigen::Vector2d(1, 0);
    arc.across = {-arc.along.y(), arc.along.x()};
    arc.scale = std::max(1.0, chord.norm());
    const int terms = arc.scale > longArc ? 5 : 3;
    Eigen::Matrix<double, 5, 5> normal = Eigen::Matrix<double, 5, 5>::Zero();
    Eigen::Matrix<double, 5, 1> right = Eigen::Matrix<double, 5, 1>::Zero();
    for (size_t i = begin; i < end; ++i) {
        const Eigen::Vector2d q = arc.local(points[i]);
        const double u = q.x() / arc.scale;
        const Eigen::Matrix<double, 5, 1> row(1, u, u * u, u * u * u, u * u * u * u);
        normal += row * row.transpose();
        right += q.y() * row;
    }
    arc.shape.head(terms) = normal.topLeftCorner(terms, terms).ldlt().solve(right.head(terms));
    double sum = 0;
    for (size_t i = begin; i < end; ++i) {
        const double e = std::fabs(arc.off(points[i]));
        sum += e * e;
        arc.worst = std::max(arc.worst, e);
    }
    arc.rms = std::sqrt(sum / double(end - begin));
    return arc;
}

struct EdgePoint {
    Eigen::Vector2d place;
    Eigen::Vector2d normal;  ///< towards the light, unit
    float size;
};

/// A linked run of edge points before thinning.
using Run = std::vector<EdgePoint>;

class Linker {
  public:
    explicit Linker(const Luma& picture)
        : jacobian_(picture), index_(picture.width, picture.height), width_(picture.width), height_(picture.height) {}

    std::vector<Run> run() {
        findPoints();
        // From strong to weak, so that a run begins where it is sure.
        std::vector<int> order(points_.size());
        std::iota(order.begin(), order.end(), 0);
        std::stable_sort(order.begin(), order.end(),
                         [&](int a, int b) { return points_[size_t(a)].size > points_[size_t(b)].size; });
        taken_.assign(points_.size(), 0);
        std::vector<Run> out;
        for (const int seed : order) {
            if (taken_[size_t(seed)]) continue;
            if (points_[size_t(seed)].size < strong_) break;
            std::vector<int> forward = track(seed, 1), backward = track(seed, -1);
            Run run;
            for (auto it = backward.rbegin(); it != backward.rend(); ++it) run.push_back(points_[size_t(*it)]);
            run.push_back(points_[size_t(seed)]);
            for (const int i : forward) run.push_back(points_[size_t(i)]);
            taken_[size_t(seed)] = 1;
            if (run.size() >= 12) out.push_back(std::move(run));
        }
        return out;
    }
    [[nodiscard]] const Jacobian& jacobian() const { return jacobian_; }

  private:
    void findPoints() {
        // What texture alone makes: the upper part of all derivatives sets what counts as strong.
        std::vector<float> all;
        for (int y = 3; y < height_ - 3; y += 3)
            for (int x = 3; x < width_ - 3; x += 3) all.push_back(jacobian_.size.at(x, y));
        std::sort(all.begin(), all.end());
        strong_ = std::max(3.0f, all[size_t(double(all.size() - 1) * 0.85)]);
        weak_ = 0.4f * strong_;
        std::fill(index_.data.begin(), index_.data.end(), -1);
        for (int y = 2; y < height_ - 2; ++y)
            for (int x = 2; x < width_ - 2; ++x) {
                const float size = jacobian_.size.at(x, y);
                if (size < weak_) continue;
                const Eigen::Vector2d normal = jacobian_.at(x, y) / double(size);
                // A maximum within half a pixel belongs to this pixel.
                const Eigen::Vector2d p(x, y);
                const double before = jacobian_.along(p - normal, normal), after = jacobian_.along(p + normal, normal);
                if (before > double(size) || after > double(size)) continue;
                const double distortion = before - 2 * double(size) + after;
                if (!(distortion < 0)) continue;
                const double step = 0.5 * (before - after) / distortion;
                if (std::fabs(step) > 0.75) continue;
                index_.at(x, y) = int(points_.size());
                points_.push_back({p + step * normal, normal, size});
            }
    }

    /// The points that hang on a seed to one side. The way turns with the edge, but not around corners.
    std::vector<int> track(int seed, int side) {
        std::vector<int> out;
        int here = seed;
        while (true) {
            const EdgePoint& p = points_[size_t(here)];
            const Eigen::Vector2d along = double(side) * Eigen::Vector2d(-p.normal.y(), p.normal.x());
            const int x = int(std::lround(p.place.x())), y = int(std::lround(p.place.y()));
            int best = -1;
            double bestScore = 0.55;
            for (int j = std::max(0, y - 2); j <= std::min(height_ - 1, y + 2); ++j)
                for (int i = std::max(0, x - 2); i <= std::min(width_ - 1, x + 2); ++i) {
                    const int k = index_.at(i, j);
                    if (k < 0 || k == here || taken_[size_t(k)]) continue;
                    const EdgePoint& q = points_[size_t(k)];
                    const Eigen::Vector2d step = q.place - p.place;
                    const double far = step.norm(), ahead = step.dot(along);
                    if (ahead < 0.3 || far > 2.3) continue;
                    const double score = q.normal.dot(p.normal) * ahead / far / (1 + 0.15 * far);
                    if (q.normal.dot(p.normal) > 0.85 && ahead > 0.7 * far && score > bestScore)
                        bestScore = score, best = k;
                }
            if (best < 0) return out;
            taken_[size_t(best)] = 1;
            out.push_back(best);
            here = best;
        }
    }

    Jacobian jacobian_;
    Plane<int> index_;
    int width_, height_;
    std::vector<EdgePoint> points_;
    std::vector<char> taken_;
    float strong_ = 0, weak_ = 0;
};

struct Piece {
    std::vector<Eigen::Vector2d> points;
    Eigen::Vector2d normal = Eigen::Vector2d::Zero();
    double contrast = 0;
    Arc arc;
    [[nodiscard]] double length() const { return (points.back() - points.front()).norm(); }
};

constexpr double arcTolerance = 0.45;  ///< px RMS of a piece against its parabola

/// Cuts a run where it leaves a parabola: the longest stretch from each start that one explains.
void cutIntoArcs(const Run& run, std::vector<Piece>& out) {
    std::vector<Eigen::Vector2d> places;
    for (const EdgePoint& p : run) places.push_back(p.place);
    size_t begin = 0;
    while (begin + 12 <= places.size()) {
        size_t end = begin + 12;
        Arc arc = arcThrough(places, begin, end);
        if (arc.rms > arcTolerance) {
            begin += 4;
            continue;
        }
        size_t step = 8;
        while (end < places.size()) {
            const size_t next = std::min(places.size(), end + step);
            const Arc longer = arcThrough(places, begin, next);
            // The newest points must lie on it as well: a long piece hides a corner in its mean.
            double tail = 0;
            for (size_t i = end; i < next; ++i) tail += std::fabs(longer.off(places[i]));
            if (longer.rms > arcTolerance || tail / double(next - end) > 2 * arcTolerance) {
                if (step == 1) break;
                step = std::max<size_t>(1, step / 2);
                continue;
            }
            arc = longer;
            end = next;
        }
        Piece piece;
        // At its ends an edge meets another, and leans towards it within the softening.
        const size_t first = begin + 3, last = end - 3;
        piece.points.assign(places.begin() + std::ptrdiff_t(first), places.begin() + std::ptrdiff_t(last));
        piece.arc = arc;
        for (size_t i = first; i < last; ++i) {
            piece.normal += run[i].normal;
            piece.contrast += double(run[i].size) / double(last - first);
        }
        piece.normal.normalize();
        if (piece.length() > 10) out.push_back(std::move(piece));
        begin = end;
    }
}

/// One piece that continues another behind what stands in front: the same side is light, and one parabola explains
/// both.
bool joins(const Piece& a, const Piece& b, Piece& joined) {
    if (a.normal.dot(b.normal) < 0.9) return false;
    if (std::min(a.contrast, b.contrast) < 0.4 * std::max(a.contrast, b.contrast)) return false;
    const double far =
        std::min((a.points.back() - b.points.front()).norm(), (b.points.back() - a.points.front()).norm());
    if (far > 0.6 * (a.length() + b.length())) return false;
    // Before the fit: does either point towards the other?
    const Eigen::Vector2d middle = 0.5 * (b.points.front() + b.points.back());
    const Eigen::Vector2d inA = a.arc.local(middle);
    if (std::fabs(inA.y()) > 8 + 0.15 * std::max(a.length(), std::fabs(inA.x()))) return false;
    const bool aFirst = (a.points.back() - b.points.front()).norm() <= (b.points.back() - a.points.front()).norm();
    const Piece &first = aFirst ? a : b, &second = aFirst ? b : a;
    const double close = 1.15 * std::max({a.arc.rms, b.arc.rms, 0.25});
    // Most pairs are far from one arc: some of their points show it.
    constexpr size_t every = 5;
    std::vector<Eigen::Vector2d> some;
    for (const Piece* piece : {&first, &second})
        for (size_t i = 0; i < piece->points.size(); i += every) some.push_back(piece->points[i]);
    if (some.size() > 16 && arcThrough(some, 0, some.size()).rms > 2 * close) return false;
    joined = first;
    joined.points.insert(joined.points.end(), second.points.begin(), second.points.end());
    joined.arc = arcThrough(joined.points, 0, joined.points.size());
    if (joined.arc.rms > close) return false;
    // In order along the chord, or it is no continuation.
    const double overlap = joined.arc.local(first.points.back()).x() - joined.arc.local(second.points.front()).x();
    if (overlap > 3) return false;
    joined.normal = (a.normal * double(a.points.size()) + b.normal * double(b.points.size())).normalized();
    joined.contrast =
        (a.contrast * double(a.points.size()) + b.contrast * double(b.points.size())) / double(joined.points.size());
    return true;
}

/// Means of neighbours: as exact as all points, and a third of them.
EdgeChain thinned(const Piece& piece) {
    EdgeChain out;
    out.contrast = piece.contrast;
    Eigen::Vector2d sum = Eigen::Vector2d::Zero(), first = piece.points.front();
    int count = 0;
    for (const Eigen::Vector2d& p : piece.points) {
        if (count > 0 && (p - first).norm() >= spacing) {
            out.points.push_back(sum / count);
            sum.setZero();
            count = 0;
        }
        if (count == 0) first = p;
        sum += p;
        ++count;
    }
    if (count > 1) out.points.push_back(sum / count);
    return out;
}

}  // namespace

std::vector<EdgeChain> findEdgeChains(const Luma& picture, const EdgeChainOptions& options) {
    if (picture.width < 32 || picture.height < 32) return {};
    const double shortest = options.shortest * std::hypot(picture.width, picture.height);
    std::vector<Piece> pieces;
    for (const Run& run : Linker(picture).run()) cutIntoArcs(run, pieces);
    // Long ones first: they take in the short ones that continue them.
    std::erase_if(pieces, [&](const Piece& p) { return p.length() < 0.3 * shortest; });
    std::stable_sort(pieces.begin(), pieces.end(),
                     [](const Piece& a, const Piece& b) { return a.length() > b.length(); });
    if (pieces.size() > 800) pieces.resize(800);
    for (size_t i = 0; i < pieces.size(); ++i)
        for (size_t j = i + 1; j < pieces.size();) {
            Piece joined;
            if (!joins(pieces[i], pieces[j], joined)) {
                ++j;
                continue;
            }
            pieces[i] = std::move(joined);
            pieces.erase(pieces.begin() + std::ptrdiff_t(j));
            j = i + 1;
        }
    std::erase_if(pieces, [&](const Piece& p) { return p.length() < shortest; });
    std::stable_sort(pieces.begin(), pieces.end(),
                     [](const Piece& a, const Piece& b) { return a.length() > b.length(); });
    std::vector<EdgeChain> out;
    for (const Piece& p : pieces) {
        if (int(out.size()) >= options.most) break;
        out.push_back(thinned(p));
    }
    return out;
}

EdgeChain edgeAlong(const Luma& picture, const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    EdgeChain out;
    const double length = (to - from).norm();
    if (length < 16 || picture.width < 32 || picture.height < 32) return out;
    // The stroke's surroundings are enough.
    const Eigen::Vector2d along = (to - from) / length, across(-along.y(), along.x());
    const int reach = std::clamp(int(length / 12), 6, 40), steps = int(length) + 1, lanes = 2 * reach + 1;
    const Jacobian jacobian(picture);
    // Both sides of a thing have an edge: the one whose light side is the stronger along the stroke counts.
    constexpr double endReach = 5;  // px
    EdgeChain best;
    double bestCost = 0;
    for (const double side : {1.0, -1.0}) {
        std::vector<double> gain(size_t(steps) * size_t(lanes));
        const auto placeOf = [&](int step, int lane) -> Eigen::Vector2d {
            return from + along * (length * step / (steps - 1)) + across * double(lane - reach);
        };
        for (int s = 0; s < steps; ++s)
            for (int l = 0; l < lanes; ++l) {
                const Eigen::Vector2d p = placeOf(s, l);
                const bool inside =
                    p.x() >= 1 && p.y() >= 1 && p.x() <= picture.width - 2 && p.y() <= picture.height - 2;
                // The ends of the stroke are on the edge, as well as a hand can put them; between, the edge may bow.
                const double u = double(s) / (steps - 1), off = std::abs(l - reach);
                const bool near = off <= endReach + (reach - endReach) * 4 * u * (1 - u);
                gain[size_t(s * lanes + l)] =
                    inside && near ? std::max(0.0, side * jacobian.along(p, across)) * (1 - 0.3 * off / reach) : 0.0;
            }
        std::vector<double> sum(gain.size());
        std::vector<int8_t> came(gain.size(), 0);
        for (int l = 0; l < lanes; ++l) sum[size_t(l)] = gain[size_t(l)];
        for (int s = 1; s < steps; ++s)
            for (int l = 0; l < lanes; ++l) {
                double most = -1;
                for (int d = -1; d <= 1; ++d) {
                    const int before = l + d;
                    if (before < 0 || before >= lanes) continue;
                    const double v = sum[size_t((s - 1) * lanes + before)] - (d != 0 ? 0.3 : 0.0);
                    if (v > most) most = v, came[size_t(s * lanes + l)] = int8_t(d);
                }
                sum[size_t(s * lanes + l)] = most + gain[size_t(s * lanes + l)];
            }
        int lane = 0;
        for (int l = 1; l < lanes; ++l)
            if (sum[size_t((steps - 1) * lanes + l)] > sum[size_t((steps - 1) * lanes + lane)]) lane = l;
        const double cost = sum[size_t((steps - 1) * lanes + lane)];
        if (cost <= bestCost) continue;
        Piece piece;
        for (int s = steps - 1; s >= 0; --s) {
            const Eigen::Vector2d p = placeOf(s, lane);
            const double slope = side * jacobian.along(p, across);
            if (slope > 2)
                if (const auto exact = placedAcross(jacobian, p, side * across)) {
                    piece.points.push_back(*exact);
                    piece.contrast += slope;
                }
            lane += came[size_t(s * lanes + lane)];
        }
        if (piece.points.size() < 24) continue;
        std::reverse(piece.points.begin(), piece.points.end());
        piece.contrast /= double(piece.points.size());
        // What stands in front leaves points that are off the edge.
        for (int round = 0; round < 4; ++round) {
            const Arc arc = arcThrough(piece.points, 0, piece.points.size());
            const double limit = std::max(0.8, 2.5 * arc.rms);
            if (arc.worst <= limit) break;
            std::erase_if(piece.points, [&](const Eigen::Vector2d& p) { return std::fabs(arc.off(p)) > limit; });
            if (piece.points.size() < 24) break;
        }
        if (double(piece.points.size()) < 0.5 * length) continue;
        bestCost = cost;
        best = thinned(piece);
    }
    return best;
}

}  // namespace va
