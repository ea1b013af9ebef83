// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/match_shot.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "lens/film_back.h"
#include "media/kept_pictures.h"
#include "solve/mover_fit.h"
#include "solve/mover_search.h"
#include "solve/shared_lens.h"
#include "solve/solver.h"
#include "workflow/motion_blur.h"
#include "workflow/mover_work.h"
#include "workflow/open_plate.h"
#include "workflow/photo_work.h"
#include "workflow/settle_doubt.h"
#include "workflow/stale.h"
#include "workflow/still_marks.h"
#include "workflow/still_work.h"
#include "workflow/track_shot.h"
#include "workflow/undistort_first.h"
#include "workflow/upright_edges.h"

namespace va {

PlateOverrides choicesForOpening(const PlateOverrides& overrides) {
    PlateOverrides out;
    out.stream = overrides.stream;
    out.evenTimes = overrides.evenTimes;
    if (overrides.evenTimes) out.rate = overrides.rate;  // the grid is made by it
    return out;
}

Shot withPlate(const Shot& shot, const std::string& spec, const PlateOverrides& overrides, Progress* progress) {
    return withOpenedPlate(shot, openPlate(spec, choicesForOpening(overrides), progress)->info(), overrides);
}

Shot withOpenedPlate(const Shot& shot, const PlateInfo& plate, const PlateOverrides& overrides) {
    Shot out = shot;
    out.plateSpec = plate.spec;
    out.plate = plate;
    out.overrides = overrides;
    if (out.range.empty() || out.range.first > out.plate.frames.last || out.range.last < out.plate.frames.first)
        out.range = out.plate.frames;
    if (out.name.empty()) {
        std::string name = std::filesystem::path(out.plateSpec).stem().string();
        const size_t pattern = name.find_first_of("%#");
        if (pattern != std::string::npos) name = name.substr(0, pattern);
        while (!name.empty() && (name.back() == '.' || name.back() == '_' || name.back() == '-')) name.pop_back();
        out.name = name.empty() ? "shot" : name;
    }
    return out;
}

SolveRequest solveRequestFor(const Shot& shot) {
    SolveRequest request;
    request.frames = shot.frames();
    request.width = shot.plate.width;
    request.height = shot.plate.height;
    request.pixelAspect = shot.pixelAspect();
    request.focal = shot.priors.focal;
    if (shot.priors.focal != Known::unknown)
        request.focalPx =
            focalPxFromMm(shot.priors.focalMm, shot.priors.sensorWidthMm, shot.plate.width, shot.pixelAspect());
    request.distortion = shot.priors.distortion;
    request.lens = shot.priors.lens;
    request.principal = shot.priors.principal;
    request.principalOffset = shot.priors.principalOffset;
    request.move = shot.choices.move;
    request.zoom = shot.choices.zoom;
    request.fewPaths = shot.choices.thing;
    request.readoutKnown = shot.priors.readoutKnown;
    request.readout = shot.priors.readout;
    for (const CheckPoint* c : usedCheckPoints(shot)) request.measures.push_back(c->measure);
    request.seed = shot.seed;
    return request;
}

namespace {

/// The paths that no mover has.
std::vector<Path> pathsOfScene(const Shot& shot) {
    std::vector<Path> out;
    for (const Path& p : *shot.paths)
        if (!shot.moverOfPath(p.id)) out.push_back(p);
    return out;
}

using SolvePaths = std::function<SolveResult(const std::vector<Path>&, const SolveRequest&)>;

/// The camera alone, with its reference stills: the ground and movers follow with `finished`.
Shot solvedBy(const Shot& shot, Progress& progress, const SolvePaths& solve) {
    if (!shot.cameraFrom.empty())
        throw InputError(
            text("The camera was taken from \"%s\" and is locked. Unlock it in the Solve step to solve it anew.",
                 shot.cameraFrom.c_str()));
    const std::vector<Path> ofScene = shot.movers.empty() ? std::vector<Path>() : pathsOfScene(shot);
    Shot out = shot;
    const std::vector<Path>& paths = shot.movers.empty() ? *shot.paths : ofScene;
    SolveResult result = solve(paths, solveRequestFor(shot));
    if (const auto stills = stillRequests(shot); !stills.empty() && result.has())
        result = withStillViews(result, paths, stills, shotFocalFor(shot, result), progress);
    out.solve = std::make_shared<SolveResult>(shot.pathEdits.empty() ? std::move(result)
                                                                     : withPathEdits(result, shot.pathEdits));
    out.solveFrom = fingerprintOfSolveInput(shot);
    out.refineReport.clear();
    return out;
}

using Reached = std::function<void(const Shot&)>;

/// `reached` is told of a camera that stands before the solve is done.
Shot cameraSolved(const Shot& shot, Progress& progress, bool draft = false, const Reached& reached = {}) {
    return solvedBy(shot, progress, [&](const std::vector<Path>& paths, SolveRequest request) {
        request.draft = draft;
        if (!reached) return solveShot(paths, request, progress);
        return solveShot(paths, request, progress, [&](const SolveResult& first) {
            Shot so = shot;
            so.solve = std::make_shared<SolveResult>(first);
            so.solveFrom = fingerprintOfSolveInput(so);
            so.refineReport.clear();
            reached(so);
        });
    });
}

Shot cameraUpdated(const Shot& shot, Progress& progress) {
    return solvedBy(shot, progress, [&](const std::vector<Path>& paths, const SolveRequest& request) {
        return updateSolve(paths, request, *shot.solve, progress);
    });
}

/// Where nobody has said what moves by itself, a quick look at whether something does.
Shot movingThingsSeen(const Shot& shot) {
    if (!shot.movers.empty() || !shot.solve->hasLens()) return shot;
    const auto together = pathsMovingTogether(*shot.solve, *shot.paths, {}, solveRequestFor(shot));
    if (together == shot.solve->movingTogether) return shot;
    SolveResult with = *shot.solve;
    with.movingTogether = together;
    Shot out = shot;
    out.solve = std::make_shared<SolveResult>(std::move(with));
    return out;
}

Shot finished(const Shot& shot, Progress& progress) {
    const Shot seen = movingThingsSeen(shot);
    return withSharedLens(withMoversSolved(withGround(seen, seen.groundSpec), progress), progress);
}

/// Whether the solve of a free move knows its focal length, and depth with it, no better than to a ninth of a percent.
bool focalIsUnsure(const SolveResult& r) {
    if (r.motion != Motion::free) return false;
    const auto focal =
        std::find_if(r.lensNumbers.begin(), r.lensNumbers.end(), [](const LensNumber& n) { return n.name == "focal"; });
    return focal != r.lensNumbers.end() && focal->sigma > unsureFocal * r.lens.focalPx;
}

}  // namespace

std::vector<const CheckPoint*> usedCheckPoints(const Shot& shot) {
    std::vector<const CheckPoint*> out;
    for (const CheckPoint& c : shot.checkPoints)
        if (c.on && !c.measure.paths.empty()) out.push_back(&c);
    return out;
}

Shot withSharedLens(const Shot& shot, Progress& progress) {
    const auto stale = [&](const Mover& m) { return m.solveFrom != fingerprintOfMoverInput(shot, m); };
    if (shot.movers.empty() || !shot.cameraFrom.empty() || shot.solveFrom != fingerprintOfSolveInput(shot) ||
        std::any_of(shot.movers.begin(), shot.movers.end(), stale))
        return shot;
    std::vector<SolvedMover> movers;
    for (const Mover& m : shot.movers) movers.push_back({pathsWithIds(*shot.paths, m.paths), *m.solve});
    const auto together = solvedTogether(*shot.solve, pathsOfScene(shot), movers, solveRequestFor(shot), progress);
    if (!together) return shot;
    Shot out =
        solvedBy(shot, progress, [&](const std::vector<Path>&, const SolveRequest&) { return together->camera; });
    for (size_t i = 0; i < out.movers.size(); ++i)
        out.movers[i].solve = std::make_shared<SolveResult>(together->movers[i]);
    out = withLensOfMovers(out);
    for (Mover& m : out.movers) m.solveFrom = fingerprintOfMoverInput(out, m);
    return withGround(out, out.groundSpec);
}

Shot withSolve(const Shot& shot, Progress& progress) {
    if (shot.frames().size() == 1) return withPhotoMatched(shot, progress);
    return finished(cameraSolved(shot, progress), progress);
}

Shot withSolveUpdated(const Shot& shot, Progress& progress) {
    if (shot.frames().size() == 1) return withPhotoMatched(shot, progress);
    return finished(cameraUpdated(shot, progress), progress);
}

Shot withCameraPathEdits(const Shot& shot, const std::vector<PathEdit>& edits) {
    Shot out = shot;
    out.pathEdits = edits;
    out.solve = std::make_shared<SolveResult>(withPathEdits(*shot.solve, edits));
    return withGround(out, shot.groundSpec);
}

Shot withGround(const Shot& shot, const GroundSpec& spec) {
    Shot out = shot;
    out.groundSpec = spec;
    if (!out.groundBasis || out.groundBasis->solve != out.solve)
        out.groundBasis = makeGroundBasis(out.solve, out.uprights, setLengths(out));
    out.ground = std::make_shared<GroundFit>(buildGround(*out.groundBasis, spec));
    return out;
}

namespace {

/// Marks in the stills, and the camera with them.
Shot stillsFound(const Shot& shot, Progress& progress) {
    Shot out = withStillMatches(shot, progress);
    if (out.solve->motion == Motion::free) return cameraUpdated(out, progress);
    // The new features make the shot's own rotation surer; marks that come later only need its directions.
    out = cameraSolved(out, progress);
    const Shot more = withMoreStillMarks(out, progress);
    if (more.stills == out.stills) return out;
    return solvedBy(more, progress, [&](const std::vector<Path>&, const SolveRequest&) { return *more.solve; });
}

/// A first camera as the window shows it while the match goes on.
Shot asPreliminary(const Shot& shot) {
    SolveResult first = *shot.solve;
    first.preliminary = true;
    Shot out = shot;
    out.solve = std::make_shared<SolveResult>(std::move(first));
    return withGround(out, out.groundSpec);
}

/// Where parts of the plate depend on damaged pictures, a first solve tells which of them are good.
Shot settled(const Shot& shot, Progress& progress) {
    return withDoubtSettled(shot, [&](const Shot& s) { return cameraUpdated(s, progress); });
}

/// What a match leaves behind where it is stopped.
Shot asFarAs(const Shot& solved) { return solved.solve->draft ? asPreliminary(solved) : solved; }

/// Features tracked once more with the lens taken out of the pictures, where a first camera shows that it distorts them
/// strongly. `by` is how they were tracked, and how they are then.
void trackUndistortedAnew(Shot& solved, TrackingLens& by, Progress& progress, Shot* soFar, bool draft) {
    const PlateInfo& plate = solved.plate;
    const Intrinsics lens = solved.solve->lens;
    if (solved.solve->motion != Motion::free || solved.priors.distortion != Known::unknown || by.lens ||
        !distortsStrongly(lens, plate.width, plate.height) || !canBeUndistorted(lens, plate.width, plate.height))
        return;
    if (soFar) *soFar = asFarAs(solved);
    by = {true, lens};
    solved = cameraSolved(withPathsAnew(solved, progress, soFar, by), progress, draft);
}

Shot matched(const Shot& shot, Progress& progress, Shot* soFar, const std::function<void(const Shot&)>& reached) {
    if (const std::vector<int> frames = shot.frames(); frames.size() == 1)
        return matchedPhoto(shot, frames.front(), progress);
    TrackingLens by{true, lensToTrackBy(shot, *openPlateOf(shot))};
    const Shot tracked = withPaths(shot, progress, soFar, by);
    if (soFar) *soFar = tracked;
    // Errors of single features average out: more of them are the only way to know an unsure focal length better.
    const bool mayDensify = shot.density == Density::normal;
    Shot solved = cameraSolved(tracked, progress, mayDensify, [&](const Shot& first) {
        if (soFar) *soFar = first;
        if (reached) reached(asPreliminary(first));
    });
    if (reached) reached(asPreliminary(solved));
    trackUndistortedAnew(solved, by, progress, soFar, mayDensify);
    solved = settled(solved, progress);
    if (soFar) *soFar = asFarAs(solved);
    bool behind = solved.solve->draft;  // the solve, of the features that there are
    if (mayDensify && focalIsUnsure(*solved.solve)) {
        const Shot denser = withMorePaths(solved, Density::many, progress, by);
        behind = behind || denser.paths != solved.paths;
        solved = behind ? withSmearRemeasured(denser, progress) : denser;
    }
    if (behind) solved = settled(cameraUpdated(solved, progress), progress);
    if (soFar) *soFar = solved;
    if (shot.care == Care::careful && solved.solve->motion == Motion::free)
        if (const Shot better = withGuidedTrack(solved, progress); better.paths != solved.paths)
            solved = cameraSolved(better, progress);
    if (stillsWantMatches(solved)) {
        if (soFar) *soFar = solved;
        solved = stillsFound(solved, progress);
    }
    // What is measured anew lies within a pixel of where it was: the solve goes on from where it is.
    const Shot better = withSmearRemeasured(solved, progress);
    solved = better.paths != solved.paths ? settled(cameraUpdated(better, progress), progress) : better;
    return withUprightsFound(finished(solved, progress), progress);
}

}  // namespace

Shot withStillsFound(const Shot& shot, Progress& progress) {
    if (shot.frames().size() == 1) return withPhotoMatched(withStillMatches(shot, progress), progress);
    return withUprightsFound(finished(stillsFound(shot, progress), progress), progress);
}

Shot matchShot(const Shot& shot, Progress& progress, Shot* soFar, const std::function<void(const Shot&)>& reached) {
    const auto pictures = std::make_shared<KeptPictures>();
    Shot begun = shot;
    begun.pictures = pictures;
    return matched(begun, progress, soFar, reached);
}

}  // namespace va
