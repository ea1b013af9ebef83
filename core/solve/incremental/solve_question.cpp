// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/incremental/solve_question.h"

#include <algorithm>

namespace va {
namespace {

/// Of the lens model: what footage can tell.
std::vector<int> solvedNumbers(LensKind kind) {
    switch (kind) {
        case LensKind::division: return {0};
        case LensKind::anamorphic: return {2, 3, 7, 8};
        default: return {0, 1};
    }
}

}  // namespace

SolveQuestion::SolveQuestion(const std::vector<Path>& paths, const SolveRequest& asked)
    : request(asked),
      observations(layOut(paths, asked.frames, asked.width, asked.height, asked.heldBackShare, asked.seed)) {
    if (asked.fewPaths) observations.fewest = {8, 7, 6};
    // A point with a known position has to be in the solve.
    for (int p = 0; p < observations.pathCount(); ++p)
        if (measured(p)) observations.heldBack[size_t(p)] = 0;
    lens.pixelAspect = asked.pixelAspect;
    lens.principalPoint = Eigen::Vector2d((asked.width - 1) / 2.0, (asked.height - 1) / 2.0) + asked.principalOffset;
    lens.lens = asked.distortion == Known::unknown ? LensModel(asked.lens.kind()) : asked.lens;
    // 1.1 widths: about 49° across, the middle of what lenses do.
    lens.focalPx = asked.focal == Known::unknown ? 1.1 * asked.width * asked.pixelAspect : asked.focalPx;
}

bool SolveQuestion::measured(int path) const {
    const int id = observations.pathIds[size_t(path)];
    return std::any_of(request.measures.begin(), request.measures.end(), [id](const KnownMeasure& m) {
        return std::find(m.paths.begin(), m.paths.end(), id) != m.paths.end();
    });
}

bool SolveQuestion::mayZoom() const {
    return request.zoom == ZoomChoice::zooms ||
           (request.zoom == ZoomChoice::automatic && request.focal != Known::known);
}

std::vector<LensValue> SolveQuestion::lensValues() const {
    std::vector<LensValue> out = lensValuesWithDistortion();
    if (!distortionIsSolved()) std::erase_if(out, [](LensValue v) { return v >= LensValue::k1; });
    return out;
}

std::vector<LensValue> SolveQuestion::lensValuesWithDistortion() const {
    std::vector<LensValue> out;
    if (request.focal != Known::known) out.push_back(LensValue::focal);
    if (request.principal != Known::known) out.push_back(LensValue::principalX), out.push_back(LensValue::principalY);
    for (const int i : solvedNumbers(lens.lens.kind())) out.push_back(lensValueAt(i));
    return out;
}

std::vector<BundleOptions::Prior> SolveQuestion::priors() const {
    std::vector<BundleOptions::Prior> out;
    if (request.focal == Known::unknown) out.push_back({0, LensValue::focal, lens.focalPx, 1.0});
    if (request.focal == Known::start) out.push_back({0, LensValue::focal, request.focalPx, 0.1});
    if (request.principal != Known::known) {
        // Lenses sit within a percent or two of the middle.
        const double sigma = (request.principal == Known::start ? 0.005 : 0.02) * request.width;
        out.push_back({0, LensValue::principalX, lens.principalPoint.x(), sigma});
        out.push_back({0, LensValue::principalY, lens.principalPoint.y(), sigma});
    }
    if (distortionIsSolved()) {
        // Where the focal length is unknown, a distortion's numbers are only known for the one that was assumed.
        const bool sure = request.distortion == Known::start && request.focal != Known::unknown;
        const double sigma = sure ? 0.05 : 0.2;
        for (const int i : solvedNumbers(lens.lens.kind()))
            out.push_back({0, lensValueAt(i), lens.lens.value(i), sigma});
    }
    return out;
}

RowReading SolveQuestion::rows() const {
    const bool unknown = request.readoutKnown == Known::unknown;
    return {request.readoutKnown == Known::start, unknown ? 0 : request.readout, unknown};
}

}  // namespace va
