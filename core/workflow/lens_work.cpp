// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/lens_work.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "lens/convert_lens.h"
#include "lens/edge_chain.h"
#include "lens/film_back.h"
#include "lens/find_chart.h"
#include "lens/plumb_line.h"
#include "shot/lens_file.h"

namespace va {
namespace {

int freeEdgeId(const Shot& shot) {
    int id = 1;
    for (const StraightEdge& e : shot.edges) id = std::max(id, e.id + 1);
    return id;
}

Luma lumaOf(const Shot& shot, int frame) {
    if (!shot.hasPlate() || !shot.plate.exists(frame))
        throw InputError(text("There is no picture of frame %d to look for edges in.", frame));
    return openPlate(shot.plateSpec, shot.overrides)->luma(frame);
}

std::vector<std::vector<Eigen::Vector2d>> pointsOf(const std::vector<StraightEdge>& edges) {
    std::vector<std::vector<Eigen::Vector2d>> out;
    for (const StraightEdge& e : edges) out.push_back(e.points);
    return out;
}

void say(std::string* sentence, const std::string& what) {
    if (sentence) *sentence = what;
}

Eigen::Vector2d middleOf(const PlateInfo& p) { return {(p.width - 1) / 2.0, (p.height - 1) / 2.0}; }

/// The lens as known, in the shot's mm.
void know(Shot& shot, const Intrinsics& lens) {
    CameraPriors& b = shot.priors;
    b.lens = lens.lens;
    b.distortion = Known::known;
    b.focal = Known::known;
    b.focalMm = focalMmFromPx(lens.focalPx, b.sensorWidthMm, shot.plate.width, shot.pixelAspect());
    b.principal = Known::known;
    b.principalOffset = lens.principalPoint - middleOf(shot.plate);
}

}  // namespace

Shot withEdgesFound(const Shot& shot, int frame, Progress& progress, std::string* sentence) {
    progress.stage(text("Looking for straight edges"), 0, 0.3);
    Shot out = shot;
    std::erase_if(out.edges, [&](const StraightEdge& e) { return e.frame == frame && !e.accepted && !e.drawn; });
    const auto chains = findEdgeChains(lumaOf(shot, frame));
    progress.check();
    std::vector<std::vector<Eigen::Vector2d>> points;
    for (const EdgeChain& c : chains) points.push_back(c.points);
    PlumbLineOptions options;
    options.kind = shot.priors.lens.kind();
    const PlumbLineResult r =
        lensFromEdges(points, shot.plate.width, shot.plate.height, shot.givenLens(), options, progress);
    int id = freeEdgeId(out), added = 0;
    for (size_t i = 0; i < points.size(); ++i) {
        if (r.trouble.empty() && !r.edges[i].used) continue;
        out.edges.push_back({id++, frame, points[i], false, false});
        ++added;
    }
    if (!r.trouble.empty() && added > 0)
        say(sentence, text("%d edges, too few to tell which of them one lens makes straight. Draw some more.", added));
    else
        say(sentence, added == 0 ? text("No long edges in frame %d. Draw along one, or try another frame.", frame)
                                 : text("%d edges that one lens makes straight, of %zu found. Accept those that are "
                                        "straight in the world.",
                                        added, points.size()));
    return out;
}

Shot withEdgeAlong(const Shot& shot, int frame, const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    const EdgeChain chain = edgeAlong(lumaOf(shot, frame), from, to);
    if (chain.points.size() < 8)
        throw InputError(text(
            "There is no edge to track along this stroke. Begin and end right on the edge, between places where it "
            "is free."));
    Shot out = shot;
    out.edges.push_back({freeEdgeId(out), frame, chain.points, true, true});
    return out;
}

Shot withLensFromEdges(const Shot& shot, Progress& progress, std::string* sentence) {
    std::vector<StraightEdge> chosen;
    for (const StraightEdge& e : shot.edges)
        if (e.accepted) chosen.push_back(e);
    const bool accepted = !chosen.empty();
    if (!accepted) chosen = shot.edges;
    PlumbLineOptions options;
    options.kind = shot.priors.lens.kind();
    options.trustAll = accepted;
    options.principalPoint = shot.priors.principal != Known::known;
    const PlumbLineResult r =
        lensFromEdges(pointsOf(chosen), shot.plate.width, shot.plate.height, shot.givenLens(), options, progress);
    if (!r.trouble.empty()) throw InputError(r.trouble);
    Shot out = shot;
    out.priors.lens = r.lens.lens;
    out.priors.distortion = Known::start;
    if (options.principalPoint) {
        out.priors.principal = Known::start;
        out.priors.principalOffset = r.lens.principalPoint - middleOf(shot.plate);
    }
    const auto used = std::count_if(r.edges.begin(), r.edges.end(), [](const auto& e) { return e.used; });
    say(sentence, text("%s, from %td %s edges: straight to %.2f px, sure to %.1f px.%s%s", r.lens.lens.brief().c_str(),
                       used, accepted ? "accepted" : "proposed", r.rmsPx, r.mapSigmaPx, r.warnings.empty() ? "" : " ",
                       r.warnings.empty() ? "" : r.warnings.front().c_str()));
    return out;
}

Shot withChart(const Shot& shot, Progress& progress) {
    if (shot.chartStills.empty())
        throw InputError(text("Choose stills of a lens chart first: ten or more, tilted to all sides."));
    progress.stage(text("Finding the chart"), int(shot.chartStills.size()), 0.8);
    std::vector<ChartView> views;
    std::vector<std::string> without;
    int width = 0, height = 0;
    std::string first;
    for (const std::string& path : shot.chartStills) {
        progress.check();
        const auto still = openStill(path);
        const PlateInfo& info = still->info();
        const std::string name = std::filesystem::path(path).filename().string();
        if (width == 0) width = info.width, height = info.height, first = name;
        if (info.width != width || info.height != height)
            throw InputError(
                text("\"%s\" is %d × %d, but \"%s\" is %d × %d. Use stills of one size: they have to come "
                     "from one camera and lens.",
                     name.c_str(), info.width, info.height, first.c_str(), width, height));
        const FoundChart chart = findChart(still->luma(info.frames.first));
        if (chart.corners.empty()) without.push_back("\"" + name + "\": " + chart.trouble);
        else views.push_back({name, chart.corners});
        progress.advance();
    }
    ChartOptions options;
    options.kind = shot.priors.lens.kind();
    options.pixelAspect = shot.hasPlate() ? shot.pixelAspect() : 1;
    auto result = std::make_shared<ChartCalibration>(calibrateFromCharts(views, width, height, options, progress));
    result->warnings.insert(result->warnings.end(), without.begin(), without.end());
    Shot out = shot;
    out.chart = result;
    return out;
}

Shot withChartLens(const Shot& shot) {
    if (shot.chart->stills.empty() || !shot.chart->trouble.empty())
        throw InputError(text("There is no chart result to take. Choose stills of a chart and calibrate first."));
    const LensFile file{shot.chart->lens, shot.chart->width, shot.chart->height, {}, shot.chart->rmsPx, {}, false};
    Shot out = shot;
    know(out, shot.hasPlate() ? file.forSize(shot.plate.width, shot.plate.height) : shot.chart->lens);
    return out;
}

Shot withLensFile(const Shot& shot, const std::string& path) {
    LensFile file = readLensFile(path);
    if (!file.stops.empty()) {
        if (shot.priors.focal == Known::unknown)
            throw InputError(
                text("\"%s\" is of a zoom lens: give the focal length of this shot first, then the distortion at it "
                     "can be found.",
                     path.c_str()));
        file = file.at(shot.priors.focalMm);
    }
    Shot out = shot;
    if (file.focalAssumed && file.intrinsics.focalPx > 0 && shot.hasPlate()) {
        // Found in a picture without its focal length: the same distortion in px, for the focal length here.
        const Intrinsics lens = file.forSize(shot.plate.width, shot.plate.height);
        out.priors.lens = distortionForFocal(lens.lens, shot.givenLens().focalPx / lens.focalPx);
        out.priors.distortion = shot.priors.focal == Known::known ? Known::known : Known::start;
        out.priors.principalOffset = lens.principalPoint - middleOf(shot.plate);
    } else if (file.intrinsics.focalPx > 0 && shot.hasPlate())
        know(out, file.forSize(shot.plate.width, shot.plate.height));
    else {
        out.priors.lens = file.intrinsics.lens;
        out.priors.distortion = Known::known;
    }
    return out;
}

Shot withLensModel(const Shot& shot, LensKind kind, std::string* sentence) {
    Shot out = shot;
    if (out.priors.lens.kind() == kind) return out;
    out.priors.lens = LensModel(kind);
    if (shot.priors.distortion == Known::unknown || shot.priors.lens.isZero() || !shot.hasPlate()) return out;
    Intrinsics lens = shot.givenLens();
    lens.lens = shot.priors.lens;
    const ConvertedLens converted = convertLens(lens, kind, shot.plate.width, shot.plate.height);
    out.priors.lens = converted.lens.lens;
    say(sentence,
        converted.largestPx < 1e6
            ? text("Converted: the two models differ by at most %.3f px inside the frame.", converted.largestPx)
            : text("The model can't do what the lens does: it folds over inside the frame."));
    return out;
}

BackFacts backFactsOf(const PlateInfo& plate, const CameraBase& base) {
    BackFacts out;
    out.camera = plate.cameraModel.starts_with(plate.cameraMaker) || plate.cameraMaker.empty()
                     ? plate.cameraModel
                     : plate.cameraMaker + " " + plate.cameraModel;
    const double wide = std::max(plate.width, plate.height), high = std::min(plate.width, plate.height);
    if (!(wide > 0)) return out;
    // The sensor lies as the picture does: the width of an upright photo is the sensor's short side.
    const double widthOfDiagonal = plate.width / std::hypot(wide, high);
    const double fullDiagonal = std::hypot(36.0, 24.0);
    struct Claim {
        double width;
        std::string source;
    };
    std::vector<Claim> claims;
    if (plate.sensorWidthMm)
        claims.push_back({*plate.sensorWidthMm * plate.width / wide, text("its focal plane resolution")});
    if (const auto camera = base.camera(plate.cameraMaker, plate.cameraModel))
        claims.push_back({fullDiagonal / camera->cropFactor * widthOfDiagonal,
                          text("the camera data base (crop factor %.3g)", camera->cropFactor)});
    if (plate.focalMm && plate.focal35Mm)
        claims.push_back({fullDiagonal * *plate.focalMm / *plate.focal35Mm * widthOfDiagonal,
                          text("its 35 mm equivalent of %.4g mm", *plate.focal35Mm)});
    std::erase_if(claims, [&](const Claim& c) {
        // From the smallest telephone's sensor to large-format film.
        if (c.width > 1.5 && c.width < 120) return false;
        out.trouble.push_back(
            text("A sensor %.3g mm wide, from %s, can't be: it is not used.", c.width, c.source.c_str()));
        return true;
    });
    if (plate.focalMm && (*plate.focalMm < 0.8 || *plate.focalMm > 3000))
        out.trouble.push_back(text("A focal length of %.4g mm can't be: it is not used.", *plate.focalMm));
    else out.focalMm = plate.focalMm;
    if (plate.digitalZoom)
        out.trouble.push_back(
            text("The photo was enlarged in the camera (digital zoom %.3g): the picture is a part of the sensor.",
                 *plate.digitalZoom));
    if (claims.empty()) return out;
    out.sensorWidthMm = claims.front().width;
    out.source = claims.front().source;
    // 35 mm equivalents are rounded to whole mm, and makers measure them along the width or the diagonal.
    for (size_t i = 1; i < claims.size(); ++i)
        if (std::fabs(claims[i].width / claims.front().width - 1) > 0.12)
            out.trouble.push_back(
                text("The photo contradicts itself: %s makes the sensor %.3g mm wide, %s makes it "
                     "%.3g mm. It may have been cropped, or the metadata changed: check the width.",
                     claims.front().source.c_str(), claims.front().width, claims[i].source.c_str(), claims[i].width));
    return out;
}

Shot withBackFacts(const Shot& shot, const BackFacts& facts) {
    Shot out = shot;
    CameraPriors& b = out.priors;
    if (facts.sensorWidthMm) b.sensorWidthMm = *facts.sensorWidthMm, b.sensorAssumed = false, b.cut = {};
    if (!facts.camera.empty()) b.camera = facts.camera;
    if (facts.focalMm && (facts.sensorWidthMm || !b.sensorAssumed)) {
        b.focalMm = *facts.focalMm;
        b.focal = Known::start;
    }
    return out;
}

Shot withLensProfile(const Shot& shot, const LensProfile& profile, std::string* sentence) {
    if (shot.priors.focal == Known::unknown || !(shot.priors.focalMm > 0))
        throw InputError(text("Give the focal length first: the data base knows the distortion for each."));
    RadialPolynomial p;
    p.form = RadialForm(int(profile.form));
    p.terms = profile.terms;
    p.unit = profile.unitMm / profile.focalMm;
    Intrinsics camera = shot.givenLens();
    camera.lens = LensModel();
    const ConvertedLens c = lensFromPolynomial(p, camera, shot.plate.width, shot.plate.height);
    Shot out = shot;
    out.priors.lens = c.lens.lens;
    out.priors.distortion = Known::known;
    // The polynomial may scale the middle: then the focal length that the plate's pixels see is another.
    out.priors.focalMm = focalMmFromPx(c.lens.focalPx, shot.priors.sensorWidthMm, shot.plate.width, shot.pixelAspect());
    say(sentence, text("%s at %.4g mm: %s.%s", profile.lens.c_str(), profile.focalMm, c.lens.lens.brief().c_str(),
                       c.largestPx > 0.001 ? text(" Fitted to %.3f px.", c.largestPx).c_str() : ""));
    return out;
}

Shot withCut(const Shot& shot, const CameraPriors::Cut& cut) {
    Shot out = shot;
    CameraPriors& b = out.priors;
    const double w = shot.plate.width, h = shot.plate.height;
    // Back to the whole picture first.
    if (b.cut.fullWidth > 0) {
        b.sensorWidthMm *= b.cut.fullWidth / w;
        b.principalOffset.setZero();
    }
    b.cut = {};
    if (cut.fullWidth <= 0 || cut.fullHeight <= 0) return out;
    if (cut.left < 0 || cut.top < 0 || cut.left + w > cut.fullWidth + 1e-6 || cut.top + h > cut.fullHeight + 1e-6)
        throw InputError(
            text("The plate (%d × %d px) does not lie inside of a picture of %g × %g px at %g, %g. Give "
                 "sizes in px of the plate: a picture that was made smaller counts as smaller.",
                 shot.plate.width, shot.plate.height, cut.fullWidth, cut.fullHeight, cut.left, cut.top));
    b.cut = cut;
    b.sensorWidthMm *= w / cut.fullWidth;
    // The lens's axis goes through the middle of the whole picture.
    b.principalOffset = {cut.fullWidth / 2 - cut.left - w / 2, cut.fullHeight / 2 - cut.top - h / 2};
    return out;
}

}  // namespace va
