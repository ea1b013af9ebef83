// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/photo_work.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "ground/photo_axes.h"
#include "lens/film_back.h"
#include "workflow/lens_work.h"
#include "workflow/match_shot.h"
#include "workflow/still_work.h"
#include "workflow/upright_edges.h"

namespace va {

Shot withMetadataFocal(const Shot& shot) {
    if (shot.priors.focal != Known::unknown) return shot;
    const BackFacts facts = backFactsOf(shot.plate, CameraBase());
    return facts.focalMm && facts.sensorWidthMm ? withBackFacts(shot, facts) : shot;
}

Shot withPhotoLines(const Shot& shot, int frame, Progress& progress) {
    if (!shot.hasPlate() || !shot.plate.exists(frame))
        throw InputError(text("There is no picture of frame %d to look for lines in.", frame));
    progress.stage(text("Looking for straight lines"), 0, 2);
    const auto plate = openPlate(shot.plateSpec, shot.overrides, &progress);
    // Lines that a distortion bends are straight for the lens as known.
    const std::vector<PictureLine> found = straightLinesOf(*plate, frame, shot.givenLens());
    progress.check();
    Shot out = shot;
    out.photo.frame = frame;
    std::erase_if(out.photo.lines, [](const PhotoLine& l) { return !l.drawn; });
    PhotoEvidence evidence = photoEvidenceOf(out);
    const std::vector<PhotoLine> sorted = sortLines(found, evidence, shot.seed);
    out.photo.lines.insert(out.photo.lines.end(), sorted.begin(), sorted.end());
    progress.check();
    return out;
}

Shot withPhotoMatched(const Shot& shot) {
    Shot out = shot;
    // Of a single picture there is no other frame to mean.
    if (const std::vector<int> frames = shot.frames(); frames.size() == 1) out.photo.frame = frames.front();
    const auto fit = std::make_shared<PhotoFit>(matchPhoto(photoEvidenceOf(shot)));
    out.photo.fit = fit;
    auto solve = std::make_shared<SolveResult>();
    solve->height = shot.plate.height;
    solve->trouble = fit->found ? SolveTrouble::none : SolveTrouble::tooFewFrames;
    SolvedFrame frame;
    frame.frame = out.photo.frame;
    if (fit->found) {
        solve->motion = Motion::still;
        solve->lens = fit->lens;
        solve->lensNumbers = fit->numbers;
        solve->uprightSigmaDeg = fit->uprightSigmaDeg;
        solve->rmsPx = fit->rmsPx;
        solve->measured.scaled = fit->scaled;
        frame.solved = true;
        frame.pose = fit->pose;
        frame.focalPx = fit->lens.focalPx;
        frame.rmsPx = fit->rmsPx;
        frame.observations = int(fit->lineMisfits.size() + fit->spotMisfits.size());
    }
    solve->frames = {frame};
    out.solve = solve;
    out.solveFrom = fingerprintOfSolveInput(out);
    out.refineReport.clear();
    return withGround(out, out.groundSpec);
}

Shot withPhotoMatched(const Shot& given, Progress& progress) {
    const std::vector<StillRequest> stills = stillRequests(given);
    if (stills.empty()) return withPhotoMatched(given);
    // Two unknown focal lengths ask much of a few marks.
    const Shot shot = withMetadataFocal(given);
    Shot out = withPhotoMatched(shot);
    auto base = std::make_shared<SolveResult>(*out.solve);
    if (!base->has()) {
        // Nothing tells the camera yet: the stills may. It stands at the origin and looks ahead.
        base->motion = Motion::still;
        base->trouble = SolveTrouble::noParallax;
        base->lens = shot.givenLens();
        SolvedFrame& frame = base->frames.front();
        frame.solved = true;
        frame.focalPx = base->lens.focalPx;
    }
    auto joined =
        std::make_shared<SolveResult>(withStillViews(*base, *shot.paths, stills, shotFocalFor(out, *base), progress));
    if (!joined->hasDepth() && !out.solve->has()) {
        auto none = std::make_shared<SolveResult>(*out.solve);
        none->stills = joined->stills;
        out.solve = none;
        return out;
    }
    out.solve = joined;
    out.groundBasis = nullptr;
    return withGround(out, out.groundSpec);
}

Shot matchedPhoto(const Shot& shot, int frame, Progress& progress) {
    Shot out = withMetadataFocal(shot);
    out.photo.frame = frame;
    const bool drawn =
        std::any_of(out.photo.lines.begin(), out.photo.lines.end(), [](const PhotoLine& l) { return l.drawn; }) ||
        out.photo.quad || out.photo.spots.size() >= 3;
    if (!drawn) out = withPhotoLines(out, frame, progress);
    if (stillsWantMatches(out)) out = withStillMatches(out, progress);
    return withPhotoMatched(out, progress);
}

}  // namespace va
