// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/flat_patch.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "track/frame_reader.h"
#include "track/mask_shape.h"
#include "track/pyramid.h"

namespace va {
namespace {

using Map = Eigen::Matrix3d;
using UseFn = std::function<bool(double, double)>;

constexpr int mostPixels = 60000;  ///< a level; more add cost and little precision
constexpr int blockSide = 12;      ///< px of the level

/// Catmull–Rom at (x, y); false within two pixels of the picture's edge.
bool sampleCubic(const Luma& l, float x, float y, float& out) {
    const int ix = int(std::floor(x)), iy = int(std::floor(y));
    if (ix < 1 || iy < 1 || ix + 2 >= l.width || iy + 2 >= l.height) return false;
    const float s = x - float(ix), t = y - float(iy);
    const auto weights = [](float f, float w[4]) {
        w[0] = f * (-0.5f + f * (1 - 0.5f * f));
        w[1] = 1 + f * f * (-2.5f + 1.5f * f);
        w[2] = f * (0.5f + f * (2 - 1.5f * f));
        w[3] = f * f * (-0.5f + 0.5f * f);
    };
    float wx[4], wy[4];
    weights(s, wx);
    weights(t, wy);
    out = 0;
    for (int j = 0; j < 4; ++j) {
        const float* p = l.row(iy - 1 + j) + ix - 1;
        out += wy[j] * (wx[0] * p[0] + wx[1] * p[1] + wx[2] * p[2] + wx[3] * p[3]);
    }
    return true;
}

float medianOf(std::vector<float> v) {
    if (v.empty()) return 0;
    const auto m = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::nth_element(v.begin(), m, v.end());
    return *m;
}

float tukey(float u) { return std::fabs(u) < 1 ? (1 - u * u) * (1 - u * u) : 0; }

}  // namespace

std::optional<Map> mapOfCorners(const Corners& from, const Corners& to) {
    Eigen::Matrix<double, 8, 8> A;
    Eigen::Matrix<double, 8, 1> b;
    for (int i = 0; i < 4; ++i) {
        const Eigen::Vector2d &p = from[size_t(i)], &q = to[size_t(i)];
        A.row(2 * i) << p.x(), p.y(), 1, 0, 0, 0, -p.x() * q.x(), -p.y() * q.x();
        A.row(2 * i + 1) << 0, 0, 0, p.x(), p.y(), 1, -p.x() * q.y(), -p.y() * q.y();
        b(2 * i) = q.x();
        b(2 * i + 1) = q.y();
    }
    const Eigen::FullPivLU<Eigen::Matrix<double, 8, 8>> lu(A);
    if (!lu.isInvertible()) return std::nullopt;
    const Eigen::Matrix<double, 8, 1> h = lu.solve(b);
    Map m;
    m << h(0), h(1), h(2), h(3), h(4), h(5), h(6), h(7), 1;
    if (!m.allFinite() || std::fabs(m.determinant()) < 1e-12) return std::nullopt;
    return m;
}

Eigen::Vector2d throughMap(const Map& map, const Eigen::Vector2d& pixel) {
    return (map * pixel.homogeneous()).hnormalized();
}

const PatchFrame* FlatPatch::at(int frame) const {
    const auto it =
        std::lower_bound(frames.begin(), frames.end(), frame, [](const PatchFrame& p, int f) { return p.frame < f; });
    return it != frames.end() && it->frame == frame ? &*it : nullptr;
}

std::optional<Corners> FlatPatch::cornersAt(int frame) const {
    const PatchFrame* p = at(frame);
    if (!p && frame != referenceFrame) return std::nullopt;
    Corners out = corners;
    if (p)
        for (auto& c : out) c = throughMap(p->map, c);
    // Between corrections, with none in the reference frame.
    Keyed<Corners> keys = corrections;
    const Eigen::Vector2d zero = Eigen::Vector2d::Zero();
    if (!keys.key(referenceFrame)) keys.set(referenceFrame, {zero, zero, zero, zero});
    const Corners by = keys.at(frame);
    for (size_t i = 0; i < 4; ++i) out[i] += by[i];
    return out;
}

std::optional<Map> FlatPatch::mapAt(int frame) const {
    const auto c = cornersAt(frame);
    return c ? mapOfCorners(corners, *c) : std::nullopt;
}

FlatReference::FlatReference(const Luma& picture, const std::vector<Eigen::Vector2d>& outline, const UseFn& use) {
    if (outline.size() < 3) return;
    Eigen::Vector2d lowest = outline[0], highest = outline[0];
    for (const auto& p : outline) lowest = lowest.cwiseMin(p), highest = highest.cwiseMax(p);
    const Eigen::Vector2d middle = 0.5 * (lowest + highest);
    const double reach = std::max(4.0, 0.5 * (highest - lowest).maxCoeff());
    normalise_ << 1 / reach, 0, -middle.x() / reach, 0, 1 / reach, -middle.y() / reach, 0, 0, 1;
    // Coarsest: the region about 24 px across.
    pyramidLevels_ = 1;
    while (pyramidLevels_ < 6 && (highest - lowest).minCoeff() / (1 << pyramidLevels_) > 24) ++pyramidLevels_;
    const Pyramid pyramid(picture, pyramidLevels_);
    pyramidLevels_ = pyramid.levels();
    for (int level = pyramidLevels_ - 1; level >= 0; --level) {
        const Luma& l = pyramid.level(level);
        const double size = 1 << level;
        Level out;
        out.level = level;
        const int x0 = std::max(2, int(std::ceil(lowest.x() / size))),
                  y0 = std::max(2, int(std::ceil(lowest.y() / size)));
        const int x1 = std::min(l.width - 3, int(std::floor(highest.x() / size))),
                  y1 = std::min(l.height - 3, int(std::floor(highest.y() / size)));
        int stride = 1;
        while (double(std::max(0, x1 - x0)) * std::max(0, y1 - y0) / (stride * stride) > mostPixels) ++stride;
        const int blockColumns = std::max(1, x1 - x0) / blockSide + 1;
        std::vector<Eigen::Vector2f> at;
        for (int y = y0; y <= y1; y += stride)
            for (int x = x0; x <= x1; x += stride) {
                const Eigen::Vector2d p(x * size, y * size);
                if (!insideOutline(outline, p) || (use && !use(p.x(), p.y()))) continue;
                at.emplace_back(p.cast<float>());
                out.block.push_back((y - y0) / blockSide * blockColumns + (x - x0) / blockSide);
            }
        if (at.size() < (level == 0 ? 200U : 80U)) {
            if (level == 0) levels_.clear();
            continue;
        }
        out.blocks = ((y1 - y0) / blockSide + 1) * blockColumns;
        const auto n = Eigen::Index(at.size());
        out.at.resize(2, n);
        out.texture.resize(n);
        out.descent.resize(n, 8);
        for (Eigen::Index i = 0; i < n; ++i) {
            out.at.col(i) = at[size_t(i)];
            const int x = int(std::lround(double(at[size_t(i)].x()) / size)),
                      y = int(std::lround(double(at[size_t(i)].y()) / size));
            out.texture(i) = l.at(x, y);
            // Per unit of the normalised coordinates.
            const auto step = float(reach / size);
            const float gx = 0.5f * (l.at(x + 1, y) - l.at(x - 1, y)) * step,
                        gy = 0.5f * (l.at(x, y + 1) - l.at(x, y - 1)) * step;
            const float u = float((double(at[size_t(i)].x()) - middle.x()) / reach),
                        v = float((double(at[size_t(i)].y()) - middle.y()) / reach), along = gx * u + gy * v;
            out.descent.row(i) << gx * u, gx * v, gx, gy * u, gy * v, gy, -along * u, -along * v;
        }
        levels_.push_back(std::move(out));
    }
    if (levels_.empty() || levels_.back().level != 0) {
        levels_.clear();
        return;
    }
    const auto& d = levels_.back().descent;
    Eigen::Matrix2f structure;
    structure << d.col(2).squaredNorm(), d.col(2).dot(d.col(5)), d.col(2).dot(d.col(5)), d.col(5).squaredNorm();
    const Eigen::Vector2f strength = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2f>(structure).eigenvalues();
    if (!(strength(0) > 1e-4f * strength(1)) || !(double(strength(0)) > 0.5 * double(d.rows()) * reach * reach * 0.01))
        levels_.clear();
}

std::optional<FlatReference::Result> FlatReference::registerIn(const Luma& picture, const Map& start,
                                                               const UseFn& use) const {
    if (!usable() || !start.allFinite()) return std::nullopt;
    const Pyramid pyramid(picture, pyramidLevels_);
    Result result{start / start(2, 2), 0, 0};
    for (const Level& level : levels_) {
        if (level.level >= pyramid.levels()) continue;
        // A coarse level that runs away (few pixels, half of them hidden) is passed over; the finest has to hold.
        if (auto better = refine(level, pyramid.level(level.level), result.map, use)) result = *better;
        else if (level.level == 0) return std::nullopt;
    }
    return result;
}

std::optional<FlatReference::Result> FlatReference::refine(const Level& level, const Luma& l, const Map& start,
                                                           const UseFn& use) const {
    const Map denormalise = normalise_.inverse();
    Result result{start, 0, 0};
    const float size = float(1 << level.level);
    const Eigen::Index n = level.texture.size();
    Eigen::VectorXf samples(n), weight(n), left(n);
    std::vector<float> blockWeight(size_t(level.blocks), 1);
    const bool finest = level.level == 0;
    for (int i = 0; i < (finest ? 14 : 20); ++i) {
        const Eigen::Matrix3f m = result.map.cast<float>();
        Eigen::Index inside = 0;
        for (Eigen::Index k = 0; k < n; ++k) {
            const Eigen::Vector3f q = m * level.at.col(k).homogeneous();
            const float x = q.x() / q.z(), y = q.y() / q.z();
            const bool there =
                q.z() > 1e-3f && sampleCubic(l, x / size, y / size, samples(k)) && (!use || use(double(x), double(y)));
            weight(k) = there ? 1 : 0;
            if (!there) samples(k) = 0;
            inside += there;
        }
        if (inside * 4 < n) return std::nullopt;
        // Gain and bias by weighted regression, then a robust scale, twice: the first round is pulled by what hides
        // the region.
        float gain = 1, bias = 0, sigma = 0;
        const Eigen::VectorXf there = weight;
        for (int round = 0; round < (i == 0 ? 4 : 2); ++round) {
            const float sw = weight.sum(), sT = weight.dot(level.texture), sI = weight.dot(samples);
            const float cTT = weight.dot(level.texture.cwiseAbs2()) - sT * sT / sw,
                        cTI = weight.dot(level.texture.cwiseProduct(samples)) - sT * sI / sw;
            if (!(sw > 20) || !(cTT > 0)) return std::nullopt;
            gain = std::clamp(cTI / cTT, 0.1f, 10.0f);
            bias = (sI - gain * sT) / sw;
            left = (samples.array() - bias) / gain - level.texture.array();
            std::vector<float> lengths;
            lengths.reserve(size_t(inside));
            for (Eigen::Index k = 0; k < n; ++k)
                if (there(k) > 0) lengths.push_back(std::fabs(left(k)));
            sigma = 1.4826f * medianOf(std::move(lengths)) + 0.3f;
            std::vector<float> sum(size_t(level.blocks), 0), count(size_t(level.blocks), 0);
            for (Eigen::Index k = 0; k < n; ++k) {
                weight(k) = there(k) * tukey(left(k) / (4.685f * sigma));
                const auto b = size_t(level.block[size_t(k)]);
                sum[b] += weight(k), count[b] += there(k);
            }
            std::vector<float> agree;
            for (size_t b = 0; b < sum.size(); ++b)
                if (count[b] > 0) agree.push_back(sum[b] / count[b]);
            const float usual = std::max(0.3f, medianOf(agree));
            for (size_t b = 0; b < sum.size(); ++b) {
                const float share = count[b] > 0 ? sum[b] / count[b] / usual : 0;
                // A few large blocks say nothing of what hides a part of them.
                blockWeight[b] = level.blocks < 16 ? 1 : std::clamp((share - 0.45f) / 0.35f, 0.02f, 1.0f);
            }
            for (Eigen::Index k = 0; k < n; ++k) weight(k) *= blockWeight[size_t(level.block[size_t(k)])];
        }
        Eigen::Matrix<float, Eigen::Dynamic, 10> J(n, 10);
        J.leftCols<8>() = level.descent;
        J.col(8) = level.texture.array() - level.texture.mean();
        J.col(9).setOnes();
        const Eigen::Matrix<float, Eigen::Dynamic, 10> wJ = weight.asDiagonal() * J;
        const Eigen::Matrix<double, 10, 10> normal = (J.transpose() * wJ).cast<double>();
        const Eigen::Matrix<double, 10, 1> right = (wJ.transpose() * left).cast<double>();
        const Eigen::LDLT<Eigen::Matrix<double, 10, 10>> chol(normal);
        const Eigen::Matrix<double, 10, 1> d = chol.solve(right);
        if (chol.info() != Eigen::Success || !d.allFinite()) return std::nullopt;
        Map change;
        change << 1 + d(0), d(1), d(2), d(3), 1 + d(4), d(5), d(6), d(7), 1;
        Map next = result.map * denormalise * change.inverse() * normalise_;
        next /= next(2, 2);
        // How far the region's corners go: what "small" means for all eight values.
        double step = 0;
        for (const double u : {-1.0, 1.0})
            for (const double v : {-1.0, 1.0}) {
                const Eigen::Vector2d p = throughMap(denormalise, {u, v});
                step = std::max(step, (throughMap(next, p) - throughMap(result.map, p)).norm());
            }
        if (!next.allFinite() || !(step < 0.5 / normalise_(0, 0))) return std::nullopt;
        result.map = next;
        if (step < (finest ? 0.004 : 0.05 * double(size))) break;
    }
    if (finest) {
        const float sw = weight.sum();
        if (!(sw > 20)) return std::nullopt;
        const float mT = weight.dot(level.texture) / sw, mI = weight.dot(samples) / sw;
        const float cross = weight.dot(((level.texture.array() - mT) * (samples.array() - mI)).matrix());
        const float a = weight.dot((level.texture.array() - mT).square().matrix()),
                    b = weight.dot((samples.array() - mI).square().matrix());
        result.quality = a > 0 && b > 0 ? double(cross / std::sqrt(a * b)) : 0;
        result.visible = double(sw) / double(n);
    }
    return result;
}

FlatPatch trackPatch(PatchTrackRequest request, Progress& progress) {
    FlatPatch patch = request.patch;
    patch.trouble.clear();
    const auto useIn = [&](int frame) -> UseFn {
        if (!request.allowed) return {};
        return [&request, frame](double x, double y) { return request.allowed(frame, x, y); };
    };
    const FlatReference reference(request.read(patch.referenceFrame), patch.outline, useIn(patch.referenceFrame));
    if (!reference.usable()) {
        patch.trouble = text(
            "There is too little texture in the region in frame %d to track it. Draw it larger, or where there is more "
            "to see.",
            patch.referenceFrame);
        return patch;
    }
    std::map<int, PatchFrame> found;
    for (const PatchFrame& f : patch.frames)
        if ((f.frame > patch.referenceFrame && !request.forward) ||
            (f.frame < patch.referenceFrame && !request.backward))
            found[f.frame] = f;
    found[patch.referenceFrame] = {patch.referenceFrame, Map::Identity(), 1, 1};
    for (const bool falling : {false, true}) {
        if (falling ? !request.backward : !request.forward) continue;
        std::vector<int> way;
        for (int f : request.frames)
            if (falling ? f < patch.referenceFrame : f > patch.referenceFrame) way.push_back(f);
        if (falling) std::reverse(way.begin(), way.end());
        if (way.empty()) continue;
        FrameReader reader(way, request.read, {}, 1);
        Map last = Map::Identity(), before = Map::Identity();
        for (int f : way) {
            progress.check();
            const Luma now = reader.nextLuma();
            progress.advance();
            Map guess = last * before.inverse() * last;
            guess /= guess(2, 2);
            auto r = reference.registerIn(now, guess, useIn(f));
            if (!r || r->quality < 0.8) {
                const auto again = reference.registerIn(now, last, useIn(f));
                if (again && (!r || again->quality > r->quality)) r = again;
            }
            if (!r || r->quality < 0.5 || r->visible < 0.2) {
                const std::string why = !r                 ? text("it left the picture or changed too much")
                                        : r->visible < 0.2 ? text("less than a fifth of it can be seen")
                                                           : text("it no longer looks like its reference");
                const std::string sentence = text(
                    "Tracking the patch stopped at frame %d: %s. Correct its corners there and track on, or draw it in "
                    "another frame.",
                    f, why.c_str());
                patch.trouble += (patch.trouble.empty() ? "" : " ") + sentence;
                break;
            }
            before = last;
            last = r->map;
            found[f] = {f, r->map, r->quality, r->visible};
        }
    }
    patch.frames.clear();
    for (const auto& [f, p] : found) patch.frames.push_back(p);
    return patch;
}

Luma rectified(const Luma& picture, const Corners& corners, int width, int height) {
    Luma out(std::max(1, width), std::max(1, height));
    const double w = out.width - 1, h = out.height - 1;
    const auto map = mapOfCorners({Eigen::Vector2d(0, 0), {w, 0}, {w, h}, {0, h}}, corners);
    if (!map) return out;
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            const Eigen::Vector2d p = throughMap(*map, {x, y});
            float v = 0;
            if (p.allFinite() && p.cwiseAbs().maxCoeff() < 1e6 && sampleCubic(picture, float(p.x()), float(p.y()), v))
                out.at(x, y) = v;
        }
    return out;
}

DisplayPicture rectified(const DisplayPicture& picture, const Corners& corners, int width, int height) {
    DisplayPicture out(std::max(1, width), std::max(1, height));
    Luma channel(picture.width, picture.height);
    for (uint32_t& p : out.data) p = 0xff000000U;
    for (const int shift : {0, 8, 16}) {
        for (size_t i = 0; i < picture.data.size(); ++i) channel.data[i] = float(picture.data[i] >> shift & 0xffU);
        const Luma seen = rectified(channel, corners, width, height);
        for (size_t i = 0; i < out.data.size(); ++i)
            out.data[i] |= uint32_t(std::clamp(std::lround(seen.data[i]), 0L, 255L)) << shift;
    }
    return out;
}

}  // namespace va
