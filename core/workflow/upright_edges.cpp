// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/upright_edges.h"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <array>
#include <cmath>

#include "base/error.h"
#include "base/parallel.h"
#include "base/text.h"
#include "lens/edge_chain.h"
#include "workflow/match_shot.h"
#include "workflow/open_plate.h"

namespace va {
namespace {

constexpr int framesLookedAt = 2;
constexpr int searchWidth = 900;  ///< px from which on pictures are halved first
constexpr double straightPx = 1;  ///< RMS distance of an edge from its line
/// A ground that no edges are needed for: its upright sure to this, of so many points, so even and so wide against the
/// height of the cameras. On hilly ground small even spots lie at any tilt.
constexpr double sureEnoughDeg = 0.15, evenEnough = 0.003, wideEnough = 1.3;
constexpr size_t enoughPoints = 36;
constexpr double nearCameraUp = 0.3;  ///< sine of the angle between an upright edge's plane of view and the cameras' up

Luma halved(const Luma& from) {
    Luma out(from.width / 2, from.height / 2);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x)
            out.at(x, y) = 0.25F * (from.at(2 * x, 2 * y) + from.at(2 * x + 1, 2 * y) + from.at(2 * x, 2 * y + 1) +
                                    from.at(2 * x + 1, 2 * y + 1));
    return out;
}

bool groundIsPlain(const GroundFit& g, const Eigen::Vector3d& cameras) {
    if (!g.floor || g.levelSigmaDeg < 0 || g.levelSigmaDeg > sureEnoughDeg) return false;
    const double height = g.floor->plane.distance(cameras);
    const bool contradicts = std::any_of(g.evidence.begin(), g.evidence.end(),
                                         [](const LevelReport& r) { return r.kind == LevelKind::floor && !r.used; });
    return !contradicts && g.floor->paths.size() >= enoughPoints && g.floor->halfV > wideEnough * height &&
           g.floor->plane.rms < evenEnough * height;
}

}  // namespace

std::optional<PictureLine> straightLine(const std::vector<Eigen::Vector2d>& edge, int frame, const Intrinsics& lens) {
    std::vector<Eigen::Vector2d> points;
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();
    for (const Eigen::Vector2d& p : edge)
        if (const auto n = lens.normalisedFromPixel(p)) points.push_back(*n), middle += *n;
    if (points.size() < 8 || points.size() < edge.size()) return std::nullopt;
    middle /= double(points.size());
    Eigen::Matrix2d spread = Eigen::Matrix2d::Zero();
    for (const Eigen::Vector2d& p : points) spread += (p - middle) * (p - middle).transpose();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(spread);
    const double rms = std::sqrt(std::max(0.0, axes.eigenvalues()(0)) / double(points.size())) * lens.focalPx;
    if (!(rms < straightPx)) return std::nullopt;
    const Eigen::Vector2d along = axes.eigenvectors().col(1);
    const auto end = [&](const Eigen::Vector2d& p) {
        return lens.pixelFromNormalised(middle + along.dot(p - middle) * along);
    };
    const PictureLine out{frame, end(points.front()), end(points.back())};
    return out.a.allFinite() && out.b.allFinite() ? std::optional(out) : std::nullopt;
}

std::vector<PictureLine> straightLinesOf(PlateSource& plate, int frame, const Intrinsics& lens) {
    return straightLinesIn(plate.luma(frame), frame, lens);
}

std::vector<PictureLine> straightLinesIn(Luma picture, int frame, const Intrinsics& lens) {
    const bool half = picture.width > searchWidth;
    if (half) picture = halved(picture);
    std::vector<PictureLine> out;
    for (EdgeChain& chain : findEdgeChains(picture)) {
        if (half)
            for (Eigen::Vector2d& p : chain.points) p = 2 * p + Eigen::Vector2d(0.5, 0.5);
        if (const auto line = straightLine(chain.points, frame, lens)) out.push_back(*line);
    }
    return out;
}

Shot withUprightsFound(const Shot& shot, Progress& progress) {
    if (!shot.solve->hasDepth() || !shot.groundSpec.level.empty() || shot.ground->placed) return shot;
    if (groundIsPlain(*shot.ground, shot.groundBasis->cameras)) return shot;
    progress.stage(text("Looking for upright edges"), 0, 0.5);
    std::vector<int> frames;
    for (const SolvedFrame& f : shot.solve->frames)
        if (f.solved) frames.push_back(f.frame);
    if (frames.empty()) return shot;
    Shot out = shot;
    out.uprights.clear();
    try {
        const auto plate = openPlateOf(shot, &progress);
        struct Look {
            int frame = 0;
            Luma picture;
            std::vector<PictureLine> lines;
        };
        std::array<Look, framesLookedAt> looks;
        for (size_t k = 0; k < looks.size(); ++k) {
            progress.check();
            looks[k].frame = frames[(frames.size() - 1) * (2 * k + 1) / (2 * looks.size())];
            looks[k].picture = plate->luma(looks[k].frame);
        }
        parallelRanges(framesLookedAt, 1, [&](int begin, int end) {
            for (auto k = size_t(begin); k < size_t(end); ++k)
                if (const auto lens = shot.lensAt(looks[k].frame))
                    looks[k].lines = straightLinesIn(std::move(looks[k].picture), looks[k].frame, *lens);
        });
        for (const Look& look : looks)
            for (const PictureLine& line : look.lines) {
                const LevelRows r = rowsOfLine(LevelKind::upright, line, *shot.solve, 1);
                if (!r.level.empty() && std::fabs(r.level[0].dot(shot.groundBasis->cameraUp)) < nearCameraUp)
                    out.uprights.push_back(line);
            }
    } catch (const InputError&) {
        return shot;
    }
    if (out.uprights.empty()) return shot;
    out.groundBasis = nullptr;
    return withGround(out, out.groundSpec);
}

}  // namespace va
