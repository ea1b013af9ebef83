// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/verdict.h"
#include "workflow/layout_work.h"
#include "workflow/mover_work.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdio>
#include <map>

#include "base/text.h"
#include "lens/film_back.h"
#include "workflow/match_shot.h"
#include "workflow/proof_work.h"
#include "workflow/stale.h"
#include "workflow/still_work.h"
#include "workflow/track_shot.h"

namespace va {
namespace {

std::vector<FrameRange> runs(const std::vector<int>& frames) {
    std::vector<FrameRange> out;
    for (int f : frames) {
        if (!out.empty() && out.back().last + 1 == f) out.back().last = f;
        else out.push_back({f, f});
    }
    return out;
}

Verdict onPlate(const Shot& s) {
    if (!s.hasPlate()) return {Lamp::none, text("Open a movie, stills or a photo.")};
    const PlateInfo& p = s.plate;
    std::string base = text("%d×%d · %s fps%s · %d–%d", p.width, p.height, s.rate().label().c_str(),
                            p.rateAssumed && !s.overrides.rate ? " assumed" : "", s.range.first, s.range.last);
    if (s.frames().empty()) return {Lamp::look, text("The work range holds no picture. Set in and out anew.")};
    if (!p.warnings.empty()) return {Lamp::look, p.warnings.front()};
    const PlateFindings& found = s.findings;
    for (int cut : found.cuts)
        if (s.range.first < cut && cut <= s.range.last)
            return {Lamp::look, text("The scene changes at frame %d. Split the range there: %d–%d or %d–%d.", cut,
                                     s.range.first, cut - 1, cut, s.range.last)};
    if (found.interlaced)
        return {Lamp::look,
                text("%s. Interlaced: two moments are woven into each picture. Have it de-interlaced first.",
                     base.c_str())};
    if (!found.duplicates.empty())
        return {Lamp::look, text("%s. Repeated pictures: %s. The rate of the footage may have been converted.",
                                 base.c_str(), describeRanges(runs(found.duplicates)).c_str())};
    if (!found.black.empty())
        return {Lamp::look, text("%s. Black: %s", base.c_str(), describeRanges(runs(found.black)).c_str())};
    std::vector<int> damaged;
    std::string cause;
    for (const FrameDamage& d : p.damaged) {
        if (!s.range.contains(d.frame)) continue;
        if (cause.empty()) cause = d.cause;
        damaged.push_back(d.frame);
    }
    if (!damaged.empty()) {
        base += text(". Damaged and left out: %s (%s)", describeRanges(runs(damaged)).c_str(), cause.c_str());
        if (int(damaged.size()) * 10 > s.range.count())
            return {Lamp::look,
                    base + text(": %zu of %d frames. Copy the footage again, or choose a range without them.",
                                damaged.size(), s.range.count())};
    }
    if (!found.dependent.empty()) {
        base += text(". Coded as changes of damaged frames, and not to be trusted: %s",
                     describeRanges(runs(found.dependent)).c_str());
        if (int(found.dependent.size()) * 10 > s.range.count())
            return {Lamp::look, text("%s. Copy the footage again, or choose a range without them.", base.c_str())};
    }
    if (!p.gaps.empty()) return {Lamp::look, text("%s. Missing: %s", base.c_str(), describeRanges(p.gaps).c_str())};
    if (p.rateAssumed && !s.overrides.rate && !p.still)
        return {Lamp::look, text("%s: set the rate if it differs", base.c_str())};
    return {Lamp::good, base};
}

/// "k1 −0.0512": the first number says how strong a lens is.
std::string lensInBrief(const LensModel& l) {
    const double v = l.value(l.kind() == LensKind::anamorphic ? 2 : 0);
    return text("%s %s%.4f", lensValueNames(l.kind())[l.kind() == LensKind::anamorphic ? 2 : 0], v < 0 ? "−" : "",
                std::fabs(v));
}

Verdict onLens(const Shot& s) {
    const bool solved = s.solve->hasLens();
    if (!solved) {
        if (s.priors.distortion != Known::unknown && !s.priors.lens.isZero())
            return {
                s.priors.distortion == Known::known ? Lamp::good : Lamp::none,
                text("%s%s %s", s.priors.focal == Known::unknown ? "" : text("%.4g mm · ", s.priors.focalMm).c_str(),
                     lensInBrief(s.priors.lens).c_str(),
                     s.priors.distortion == Known::known ? "known" : "as a start value")};
        if (s.priors.focal == Known::known) return {Lamp::good, text("focal length %.4g mm known", s.priors.focalMm)};
        if (s.priors.focal == Known::start)
            return {Lamp::none, text("focal length starts at %.4g mm", s.priors.focalMm)};
        return {Lamp::none, text("Unknown: the solve will find it")};
    }
    const Intrinsics& l = s.solve->lens;
    const double across = horizontalFieldOfView(l, s.plate.width, s.plate.height) * 180 / M_PI;
    const std::string how = s.priors.distortion == Known::known ? text("given") : text("solved");
    if (s.solve->distortionRefusedPx >= 0 && !stalenessOf(s).solve) return {Lamp::look, refusalOf(*s.solve)};
    return {stalenessOf(s).solve ? Lamp::stale : Lamp::good,
            text("field of view %.1f° · %s %s", across, lensInBrief(l.lens).c_str(), how.c_str())};
}

/// A mask that rides on something that is not there any more.
const MaskShape* strandedMask(const Shot& s) {
    for (const MaskShape& m : s.exclusions.masks) {
        if (!m.enabled || m.ride == MaskRide::nothing) continue;
        if (m.ride == MaskRide::patch ? s.patch(m.rideId) == nullptr : s.path(m.rideId) == nullptr) return &m;
    }
    return nullptr;
}

Verdict onFeatures(const Shot& s) {
    if (const MaskShape* m = strandedMask(s))
        return {Lamp::look, text("The mask \"%s\" rides on a %s that is gone, and keeps nothing out. Let it ride on "
                                 "another, or on nothing.",
                                 m->name.c_str(), m->ride == MaskRide::patch ? "patch" : "path")};
    if (s.paths->empty()) {
        if (s.pathsFrom != 0)
            return {Lamp::look, text("Nothing to track was found: the picture has no texture, or a mask covers it.")};
        return {Lamp::none, text("Not tracked yet")};
    }
    int live = 0;
    for (const Path& p : *s.paths) live += !p.setAside;
    std::vector<int> thin;
    int fewest = 1 << 30;
    for (const Cover& c : coverOf(s))
        if (c.thin) thin.push_back(c.frame), fewest = std::min(fewest, c.count);
    if (stalenessOf(s).features) switch (trackWorkFor(s)) {
            case TrackWork::grow:
                return {Lamp::stale, text("%d paths. The range has grown: track the new frames.", live)};
            case TrackWork::exclusions:
                return {Lamp::stale, text("%d paths. Masks have changed: track again where they did.", live)};
            default: return {Lamp::stale, text("%d paths, from other settings or another plate. Track again.", live)};
        }
    if (!thin.empty())
        return {Lamp::look, text("%d paths. Thin at %s: down to %d. Add some there.", live,
                                 describeRanges(runs(thin)).c_str(), fewest)};
    const std::string smeared =
        s.blur.smeared > 0 ? text(" · %d smeared frames measured anew", s.blur.smeared) : std::string();
    return {Lamp::good, text("%d paths, even cover%s", live, smeared.c_str())};
}

/// " · zooms 1.9×": the longest focal length over the shortest.
std::string zoomInBrief(const SolveResult& r) {
    if (!r.zooms) return {};
    double low = INFINITY, high = 0;
    for (const SolvedFrame& f : r.frames)
        if (f.solved) low = std::min(low, f.focalPx), high = std::max(high, f.focalPx);
    return high > 0 ? text(" · zooms %.1f×", high / low) : std::string();
}

/// How sure the focal length is, as a share of it; 0 where nothing is said.
double focalDoubt(const SolveResult& r) {
    for (const LensNumber& n : r.lensNumbers)
        if (n.name == "focal" && n.value > 0) return n.sigma / n.value;
    return 0;
}

/// A known focal length that the paths contradict; empty else.
std::string focalContradiction(const Shot& s) {
    const SolveResult& r = *s.solve;
    if (!(r.askedFocalPx > 0) || s.priors.focal != Known::known) return {};
    const double mm = focalMmFromPx(r.askedFocalPx, s.priors.sensorWidthMm, s.plate.width, s.pixelAspect());
    const std::string had = r.has() && r.rmsPx > 0 ? text(" instead of %.2f", r.rmsPx) : std::string();
    return text(
        "The known focal length of %.4g mm does not go with the paths: they ask for %.4g mm on this film back, "
        "with a fit of %.2f%s px. Check the focal length and the film back's width (%.4g mm).",
        s.priors.focalMm, mm, r.askedRmsPx, had.c_str(), s.priors.sensorWidthMm);
}

/// Features that move while the camera stands, where they are enough to be a thing; else 0.
int movingBeforeIt(const SolveResult& r) {
    const auto moving = std::count_if(r.outliers.begin(), r.outliers.end(),
                                      [](const SolveOutlier& o) { return o.reason == OutlierReason::notLockedOff; });
    return moving >= 24 ? int(moving) : 0;
}

/// " · Mover 1 covers 28 % and turns by 95°"
std::string moversInBrief(const Shot& s) {
    std::string out;
    const std::vector<MotionShare> shares = motionShares(s);
    for (size_t i = 0; i < s.movers.size(); ++i) {
        out += text(" · %s covers %.0f %%", s.movers[i].name.c_str(), 100 * shares[i + 1].covered);
        if (shares[i + 1].turnedDegrees >= 1) out += text(" and turns by %.0f°", shares[i + 1].turnedDegrees);
    }
    return out;
}

/// What moves together by itself, where nobody has looked for movers yet.
std::string movingTogetherInBrief(const Shot& s) {
    if (!s.movers.empty() || s.solve->movingTogether.empty()) return {};
    return text("%zu features move by themselves: look for movers", s.solve->movingTogether.size());
}

/// What made a nodal pan look like a free move, and what to do about it; empty where nothing did.
std::string panCauseInBrief(const Shot& s) {
    const SolveResult& r = *s.solve;
    const Eigen::Vector2d off =
        r.lens.principalPoint - Eigen::Vector2d((s.plate.width - 1) / 2.0, (s.plate.height - 1) / 2.0);
    switch (r.panCause) {
        case PanCause::none: return {};
        case PanCause::noise:
            return text(
                "The paths are noisy: %.2f px, as of strong grain or compression. Track a denoised copy of the "
                "plate. ",
                r.rmsPx);
        case PanCause::squeeze:
            return text(
                "The pan fits only if pixels are %.3f as wide as they are high, and not %.3f: the plate is "
                "squeezed. Set the pixel aspect in the step Plate and match again. ",
                r.lens.pixelAspect, s.pixelAspect());
        case PanCause::offCentre:
            return text(
                "The pan fits only if the lens's middle lies %.0f px %s and %.0f px %s the plate's: the plate "
                "is a crop. Give the principal point in the step Lens and match again. ",
                std::fabs(off.x()), off.x() < 0 ? "left of" : "right of", std::fabs(off.y()),
                off.y() < 0 ? "above" : "below");
    }
    return {};
}

/// A camera that stands, with what moves before it solved: a full result.
Verdict lockedOffWithMovers(const Shot& s) {
    const SolveResult& r = *s.solve;
    std::string out = text("Locked-off camera, as what covers %.0f %% of the picture stands still",
                           100 * motionShares(s).front().covered) +
                      moversInBrief(s);
    if (const double doubt = focalDoubt(r); doubt > 0)
        out += text(". The focal length is told by what moves, to ±%.2g %%", 100 * doubt);
    else if (s.priors.focal != Known::known)
        return {Lamp::look, out + text(". The focal length is a guess: nothing that moves tells it. Give it if you "
                                       "know it.")};
    for (const Mover& m : s.movers)
        if (m.solve->motion != Motion::free) return {Lamp::look, out + ". " + moverVerdict(s, m)};
    return {Lamp::good, out + text(".")};
}

/// Nearly all live paths belong to movers: nothing is left for the camera.
bool allOnMovers(const Shot& s) {
    int live = 0, own = 0;
    for (const Path& p : *s.paths)
        if (!p.setAside) ++live, own += s.moverOfPath(p.id) != nullptr;
    return own > 0 && own * 10 >= live * 8;
}

/// Check points that the solve does not meet, the worst first; empty when all are within three tolerances.
std::string unmetCheckPoints(const Shot& s) {
    const SolveResult& r = *s.solve;
    const auto used = usedCheckPoints(s);
    if (used.size() != r.reports.size()) return {};
    int unmet = 0;
    size_t worst = 0;
    for (size_t i = 0; i < r.reports.size(); ++i) {
        unmet += r.reports[i].inTolerances > 3;
        if (r.reports[i].inTolerances > r.reports[worst].inTolerances) worst = i;
    }
    if (unmet == 0) return {};
    const bool angle = used[worst]->measure.kind == PointTie::Kind::rightAngle;
    std::string out = text("\"%s\" is missed by %.3g%s, %.0f times its tolerance", used[worst]->name.c_str(),
                           r.reports[worst].off, angle ? "°" : " m", r.reports[worst].inTolerances);
    if (unmet > 1) out += text(", and %d more %s missed", unmet - 1, unmet == 2 ? "is" : "are");
    if (r.freeRmsPx > 0 && r.rmsPx > 1.3 * r.freeRmsPx)
        out += text("; using the check points took the fit from %.2f to %.2f px", r.freeRmsPx, r.rmsPx);
    return text("%s. They contradict each other or the plate: look at the worst, and at what it is assigned to.",
                out.c_str());
}

/// " · 12 frames only turn · 3 filled": what stands in place of a solve.
std::string stoodIn(const SolveResult& r) {
    std::vector<int> turned, filled;
    int smoothed = 0;
    for (const SolvedFrame& f : r.frames) {
        if (f.origin == PoseOrigin::turned) turned.push_back(f.frame);
        if (f.origin == PoseOrigin::filled) filled.push_back(f.frame);
        smoothed += f.origin == PoseOrigin::smoothed;
    }
    std::string out;
    if (!turned.empty()) out += text(" · rotation only at %s", describeRanges(runs(turned)).c_str());
    if (!filled.empty()) out += text(" · filled by interpolation: %s", describeRanges(runs(filled)).c_str());
    if (smoothed > 0) out += text(" · %d frame%s smoothed", smoothed, smoothed == 1 ? "" : "s");
    return out;
}

/// " · rows read over 0.61 ± 0.02 of the frame's time"
std::string readoutInBrief(const SolveResult& r) {
    if (r.readout == 0) return {};
    // Two decimals are shown: what is surer than that is as sure as they are.
    return r.readoutSigma >= 0
               ? text(" · rows read over %.2f ± %.2f of the frame's time", r.readout, std::max(0.01, r.readoutSigma))
               : text(" · rows read over %.2f of the frame's time", r.readout);
}

/// Why a move is taken for a free one, where the program chose: " · a nodal pan leaves 6.3 px", or how far things
/// shift against each other where a nodal pan was out of the question.
std::string evidenceInBrief(const Shot& s) {
    const SolveResult& r = *s.solve;
    if (r.motion != Motion::free || s.choices.move != MoveChoice::automatic) return {};
    if (r.rotationRmsPx > r.rmsPx) return text(" · a nodal pan leaves %.1f px", r.rotationRmsPx);
    return r.parallaxPx > 0 ? text(" · parallax %.0f px", r.parallaxPx) : std::string();
}

/// Frames that the solve did not reach, and what to do about them.
std::string unreached(const Shot& s) {
    const SolveResult& r = *s.solve;
    std::vector<int> missing;
    for (const auto& f : r.frames)
        if (!f.solved) missing.push_back(f.frame);
    const std::vector<FrameRange> stretches = runs(missing);
    const std::string where = text("No camera at %s", describeRanges(stretches).c_str());
    for (const FrameRange& stretch : stretches)
        for (const int cut : s.findings.cuts)
            if (cut == stretch.first || cut == stretch.last + 1)
                return where + text(": the scene changes at frame %d. Split the range there.", cut);
    // As long as a hand's shake takes: what lies between solved frames can be put there.
    const bool bridged = std::all_of(stretches.begin(), stretches.end(), [&](const FrameRange& stretch) {
        return stretch.first > r.frames.front().frame && stretch.last < r.frames.back().frame && stretch.count() <= 8;
    });
    if (bridged)
        return text("%s: too few features lead there. Fill the gaps from their neighbours, or add features.",
                    where.c_str());
    return text("%s: too few features lead there. Add some, or shorten the range.", where.c_str());
}

/// One picture: what its lines and points gave, or what is missing.
Verdict onPhoto(const Shot& s) {
    const PhotoFit& f = *s.photo.fit;
    if (stalenessOf(s).solve)
        return {Lamp::stale, text("The picture was matched before the last change. Match again.")};
    if (!f.found)
        for (const ReferenceStill& still : s.stills)
            if (still.on && !still.marks.empty()) return {Lamp::look, stillVerdict(s, still)};
    if (!f.found) return {Lamp::look, f.trouble.empty() ? text("The picture was not matched yet.") : f.trouble};
    std::string number = text("Photo match: focal length %.0f px", f.lens.focalPx);
    if (f.focalSigma > 0) number += text(" ± %.1f %%", 100 * f.focalSigma);
    number += text(", upright ± %.1f°", f.uprightSigmaDeg);
    if (!s.photo.lines.empty())
        number +=
            text(", from %zu lines along %d directions, %.2f px", s.photo.lines.size(), f.vanishingPoints, f.rmsPx);
    if (!s.photo.spots.empty()) number += text(", %zu known points", s.photo.spots.size());
    if (!f.trouble.empty()) return {Lamp::look, number + ". " + f.trouble};
    return {Lamp::good, number};
}

/// What to do about a camera in one place: a photo from elsewhere, or what is wrong with those that there are.
std::string stillsHint(const Shot& s) {
    for (const ReferenceStill& still : s.stills)
        if (still.on) return stillVerdict(s, still);
    return text("A photo of the place from a few steps aside gives it depth: add it as a reference still.");
}

/// A camera in one place, to which reference stills gave depth; or why they did not.
Verdict onStills(const Shot& s) {
    const SolveResult& r = *s.solve;
    int joined = 0, marks = 0;
    double worst = 0;
    std::string trouble;
    for (const ReferenceStill& still : s.stills)
        for (const SolvedStill& solved : r.stills) {
            if (solved.id != still.id) continue;
            if (solved.solved) ++joined, marks += int(solved.used.size()), worst = std::max(worst, solved.rmsPx);
            else if (trouble.empty()) trouble = stillVerdict(s, still);
        }
    const std::string move = r.motion == Motion::still      ? text("Photo")
                             : r.motion == Motion::nodalPan ? text("Nodal pan")
                                                            : text("Locked-off camera");
    std::string number = text("%s with depth from %d reference still%s: %zu points, marks fit to %.2f px", move.c_str(),
                              joined, joined == 1 ? "" : "s", r.points.size(), worst);
    if (r.motion == Motion::nodalPan) number += text(" · rotation %.2f px", r.rmsPx);
    if (stalenessOf(s).solve) return {Lamp::stale, text("%s, before the last change. Solve again.", number.c_str())};
    if (r.motion != Motion::nodalPan && focalDoubt(r) > 0.03)
        return {Lamp::look,
                number + text(". The focal length is only known to ±%.0f %%: give it if you know it, or take "
                              "a still from another side.",
                              100 * focalDoubt(r))};
    if (!trouble.empty()) return {Lamp::look, number + ". " + trouble};
    return {Lamp::good, number};
}

Verdict onSolve(const Shot& s) {
    const SolveResult& r = *s.solve;
    if (s.solveFrom == 0) return {Lamp::none, text("Not solved yet")};
    if (r.preliminary && r.has())
        return {Lamp::stale,
                text("First camera: %d of %zu frames, fit %.2f px. The match goes on refining it; where it "
                     "was stopped, solve again.",
                     r.solvedCount(), r.frames.size(), r.rmsPx)};
    if (!s.cameraFrom.empty())
        return {Lamp::good, text("Camera taken from \"%s\" and locked: %d of %zu frames, %zu points.",
                                 s.cameraFrom.c_str(), r.solvedCount(), r.frames.size(), r.points.size())};
    if (r.motion != Motion::free && r.hasDepth()) return onStills(s);
    if (r.motion == Motion::still || !s.photo.fit->trouble.empty()) return onPhoto(s);
    const int frames = int(r.frames.size());
    if (const std::string focal = focalContradiction(s); !focal.empty() && !stalenessOf(s).solve)
        return {Lamp::look, focal};
    if (!r.has() && allOnMovers(s))
        return {
            Lamp::look,
            text("All features belong to movers: nothing is left to solve the camera from. Add features on what stands "
                 "still, or make a mover a part of the scene again.")};
    switch (r.trouble) {
        case SolveTrouble::tooFewFrames:
            return {Lamp::look, frames < 2
                                    ? text("A single frame has no motion to solve from. Choose a longer range.")
                                    : text("The paths are too short to join the frames. Track again, or choose a "
                                           "range where the view stays longer.")};
        case SolveTrouble::tooFewPaths:
            return {Lamp::look,
                    text("Too few features join the frames: a solve needs about 24 over a third of the picture. Add "
                         "features, or loosen the mask.")};
        case SolveTrouble::noStart:
            if (r.parallaxPx < 2)
                return {
                    Lamp::look,
                    text(
                        "Things shift by only %.1f px against each other in this range: too little for depth. Choose a "
                        "longer range, or one where the camera moves more.",
                        r.parallaxPx)};
            return {
                Lamp::look,
                text("No two frames gave a first camera, although things shift by %.1f px against each other. Remove "
                     "features on moving things, or give the focal length.",
                     r.parallaxPx)};
        case SolveTrouble::noParallax: {
            const std::string moving = movingTogetherInBrief(s);
            if (r.motion == Motion::lockedOff && !s.movers.empty()) return lockedOffWithMovers(s);
            if (r.motion == Motion::lockedOff && movingBeforeIt(r) > 0)
                return {Lamp::look,
                        text("Locked-off camera, and %d features move before it. Look for movers: what moves as one "
                             "thing is solved, and tells the focal length. Or match a frame as a photo.",
                             movingBeforeIt(r))};
            if (r.motion == Motion::lockedOff)
                return {
                    Lamp::look,
                    text("Locked-off camera: no depth can be solved. Match a frame of it as a photo, or add a photo "
                         "of the place from a few steps aside as a reference still.")};
            return {Lamp::look,
                    text("Nodal pan%s (%.2f px%s%s): no depth can be solved, so there is no floor. The rotation is "
                         "solved over %d of %d frames and can be exported. %s%s%s",
                         r.zooms ? " with a zoom" : "", r.rmsPx, readoutInBrief(r).c_str(),
                         focalDoubt(r) > 0 ? text(" · focal length ± %.2g %%", 100 * focalDoubt(r)).c_str() : "",
                         r.solvedCount(), frames, panCauseInBrief(s).c_str(),
                         moving.empty() ? "" : (moving + ". ").c_str(), stillsHint(s).c_str())};
        }
        case SolveTrouble::growthStopped:
        case SolveTrouble::none: break;
    }
    const std::string check = r.checkRmsPx >= 0 ? text(" · check %.2f px", r.checkRmsPx) : std::string();
    std::string number = text("fit %.2f px%s%s", r.rmsPx, check.c_str(), zoomInBrief(r).c_str());
    number += evidenceInBrief(s) + readoutInBrief(r) + stoodIn(r);
    number += moversInBrief(s);
    if (r.lensWithMovers) number += text(" · lens solved from scene and movers together");
    if (stalenessOf(s).solve) return {Lamp::stale, text("%s, before the last change. Solve again.", number.c_str())};
    if (r.trouble == SolveTrouble::growthStopped) return {Lamp::look, number + ". " + unreached(s)};
    // A nodal pan explains the paths as well as a path of the camera does: that path is then a product of noise.
    if (s.choices.move == MoveChoice::free && r.rotationRmsPx >= 0 && r.rotationRmsPx < 1.2 * r.rmsPx)
        return {Lamp::look, number + text(", but a nodal pan fits as well (%.2f px): the camera's places are not to be "
                                          "trusted. Let the kind of move be automatic.",
                                          r.rotationRmsPx)};
    if (const std::string unmet = unmetCheckPoints(s); !unmet.empty()) return {Lamp::look, number + ". " + unmet};
    if (r.mirrorRmsPx >= 0)
        return {Lamp::look,
                number + text(", but the scene's mirror image in depth fits as well (%.2f px): from so far away both "
                              "look alike. Look whether near things are near; a stretch where the camera comes closer "
                              "tells them apart.",
                              r.mirrorRmsPx)};
    if (r.motion == Motion::free && r.relief < 0.01 && s.priors.focal == Known::unknown)
        return {Lamp::look,
                number + text(". All points lie on one plane, which tells the focal length badly (%s): give it if you "
                              "know it, or add features off the plane.",
                              focalDoubt(r) > 0 ? text("± %.1f %%", 100 * focalDoubt(r)).c_str() : "not at all")};
    if (r.readoutSigma > 0.1)
        return {Lamp::look,
                number + text(". This move does not tell how rows were read (± %.2f of the frame's time): give the "
                              "read-out time, or take all rows as read at once.",
                              r.readoutSigma)};
    if (r.rmsPx > 1.0)
        return {Lamp::look, text("%s: above 1 px things will slide. Look at the worst features.", number.c_str())};
    if (r.checkRmsPx > 2 * r.rmsPx + 0.1)
        return {Lamp::look,
                text("%s: the check is much worse than the fit. Too much may have been pruned.", number.c_str())};
    // The scene is bent by some tenths of a px then, and things that are laid out far from the features slide by more.
    const std::string moving = movingTogetherInBrief(s), seen = moving.empty() ? number : number + " · " + moving;
    if (const double doubt = focalDoubt(r); doubt > 0.003)
        return {Lamp::look, seen + text(". The focal length is only known to ±%.1f %%, and depth is as unsure: give it "
                                        "if you know it, or use a stretch with more parallax.",
                                        100 * doubt)};
    if (frames < 11 && s.priors.distortion == Known::unknown)
        return {
            Lamp::look,
            number + text(". %d frames are few to find distortion from: give a start value if you have one.", frames)};
    return {Lamp::good, seen};
}

/// "floor of 183 points, 3 walls, 41 upright edges": what the level comes from.
std::string evidenceWords(const GroundFit& g) {
    int floors = 0, points = 0, walls = 0, edges = 0, horizons = 0;
    for (const LevelReport& r : g.evidence) {
        if (!r.used) continue;
        switch (r.kind) {
            case LevelKind::floor: ++floors, points += r.count; break;
            case LevelKind::wall: ++walls; break;
            case LevelKind::upright: ++edges; break;
            case LevelKind::horizon: ++horizons; break;
            case LevelKind::cameraRoll: break;
        }
    }
    std::string out;
    const auto add = [&](const std::string& part) { out += (out.empty() ? "" : ", ") + part; };
    if (floors == 1) add(text("a floor of %d points", points));
    if (floors > 1) add(text("%d level planes of %d points", floors, points));
    if (walls > 0) add(walls == 1 ? text("1 wall") : text("%d walls", walls));
    if (edges > 0) add(edges == 1 ? text("1 upright edge") : text("%d upright edges", edges));
    if (horizons > 0) add(text("the horizon"));
    return out.empty() ? text("how the camera was held") : out;
}

Verdict onGround(const Shot& s) {
    if (!s.solve->has()) return {Lamp::none, text("Needs a solve")};
    if (!s.hasWorld()) return {Lamp::none, text("No depth, so no floor")};
    const GroundFit& g = *s.ground;
    if (s.solve->motion == Motion::still && !s.solve->hasDepth()) {
        if (!g.trouble.empty()) return {Lamp::look, g.trouble};
        return {Lamp::good,
                text("Level to ± %.1f° by the photo match. %s", std::max(0.05, g.levelSigmaDeg),
                     g.metric ? text("Scale known.").c_str()
                              : text("The camera is taken to stand 1.6 m high: give its height, or a known length, for "
                                     "a scale.")
                                    .c_str())};
    }
    if (!g.trouble.empty()) return {Lamp::look, g.trouble};
    const size_t measured =
        size_t(std::count_if(g.lengths.begin(), g.lengths.end(), [](const ScaleReport& r) { return r.used; }));
    const std::string scale = !g.metric       ? text(" No scale yet.")
                              : measured == 0 ? text(" Scale from the check points.")
                              : measured == 1
                                  ? text(" Scale from one length, ± %.2g %%.", 100 * g.scaleSigma)
                                  : text(" Scale from %zu lengths, ± %.2g %%.", measured, 100 * g.scaleSigma);
    if (g.placed)
        return {Lamp::good, g.sharedResiduals.empty()
                                ? text("World from the known positions.%s", scale.c_str())
                                : text("World of another shot, by %zu points in common.", g.sharedResiduals.size())};
    const std::string words = evidenceWords(g);
    const std::string level =
        s.groundSpec.level.empty()
            ? text("Automatic level from %s, ± %.2f°.", words.c_str(), std::max(0.005, g.levelSigmaDeg))
            : text("Level from %s, ± %.2f°.", words.c_str(), std::max(0.005, g.levelSigmaDeg));
    return {Lamp::good, level + scale};
}

Verdict onLayout(const Shot& s) {
    if (s.things.empty()) return {Lamp::none, text("Nothing placed yet")};
    std::string out;
    for (const ThingKind& kind : allKinds()) {
        const auto n = std::count_if(s.things.begin(), s.things.end(),
                                     [&](const Thing& t) { return t.kind.index() == kind.index(); });
        if (n == 0) continue;
        std::string word = n == 1 ? kindLabel(kind) : kindPlural(kind);
        word[0] = char(std::tolower(word[0]));
        out += text("%s%d %s", out.empty() ? "" : ", ", int(n), word.c_str());
    }
    for (const Thing& t : s.things)
        if (const std::string trouble = thingTrouble(s, t); !trouble.empty()) return {Lamp::look, trouble};
    return {Lamp::good, out};
}

Verdict onExport(const Shot& s) {
    if (s.exportedFrom == 0) return {Lamp::none, s.solve->has() ? text("Not written yet") : text("Needs a solve")};
    if (stalenessOf(s).exported) return {Lamp::stale, text("Written before the last change")};
    return {s.exportFailed ? Lamp::look : Lamp::good, s.exportReport};
}

}  // namespace

std::string refusalOf(const SolveResult& r) {
    if (r.distortionRefusedPx < 0) return {};
    const std::string taken = r.lens.lens.isZero() ? text("taken as none") : text("kept as given");
    const std::string why = r.distortionRefusedPx < 1e6 ? text("is known only to ± %.1f px", r.distortionRefusedPx)
                                                        : text("folds over inside the frame");
    return text(
        "Distortion %s from these frames, so it was %s. Give a start value from edges or a chart, or solve more "
        "frames.",
        why.c_str(), taken.c_str());
}

std::vector<Cover> coverOf(const Shot& shot) {
    struct Cell {
        int count = 0;
        unsigned mask = 0;
    };
    std::map<int, Cell> cells;
    for (int f : shot.frames()) cells[f];
    for (const Path& p : *shot.paths) {
        if (p.setAside) continue;
        for (const PathPoint& q : p.points) {
            const auto c = cells.find(q.frame);
            if (c == cells.end() || !q.counts()) continue;
            const int x = std::clamp(int(q.x * 6 / std::max(1, shot.plate.width)), 0, 5),
                      y = std::clamp(int(q.y * 4 / std::max(1, shot.plate.height)), 0, 3);
            ++c->second.count;
            c->second.mask |= 1u << (y * 6 + x);
        }
    }
    std::vector<Cover> out;
    for (const auto& [frame, c] : cells) {
        const double spread = __builtin_popcount(c.mask) / 24.0;
        out.push_back({frame, c.count, spread, c.count < 24 || spread < 1.0 / 3});
    }
    return out;
}

namespace {

/// What stands in the way of a proof, then what of its light is measured.
Verdict onProof(const Shot& shot) {
    if (const std::string trouble = proofTrouble(shot); !trouble.empty())
        return {shot.things.empty() || !shot.solve->has() ? Lamp::none : Lamp::look, trouble};
    const ProofSun& sun = shot.proof.sun;
    const double high = std::asin(std::clamp(sun.toSun.y(), -1.0, 1.0)) * 180 / M_PI;
    if (sun.on && sun.sigmaDegrees >= 0)
        return {Lamp::good, text("Sun %.1f° high ± %.2f° by %zu posts and their shadows. Scrub: does it stick?", high,
                                 sun.sigmaDegrees, shot.proof.posts.size())};
    return {Lamp::none, sun.on
                            ? text("Sun %.1f° high, by hand: mark a post and its shadow. Scrub: does it stick?", high)
                            : text("Scrub the plate: does it stick?")};
}

}  // namespace

Verdict verdictOn(const Shot& shot, Step step) {
    switch (step) {
        case Step::plate: return onPlate(shot);
        case Step::lens: return onLens(shot);
        case Step::features: return onFeatures(shot);
        case Step::solve: return onSolve(shot);
        case Step::ground: return onGround(shot);
        case Step::layout: return onLayout(shot);
        case Step::proof: return onProof(shot);
        case Step::exporting: return onExport(shot);
    }
    return {};
}

std::array<Verdict, stepCount> verdictsOn(const Shot& shot) {
    std::array<Verdict, stepCount> out;
    for (int i = 0; i < stepCount; ++i) out[size_t(i)] = verdictOn(shot, Step(i));
    return out;
}

Verdict sentenceThatMatters(const Shot& shot) {
    if (!shot.hasPlate()) return verdictOn(shot, Step::plate);
    for (Step step : {Step::solve, Step::features, Step::plate, Step::ground}) {
        const Verdict v = verdictOn(shot, step);
        if (v.lamp == Lamp::look || v.lamp == Lamp::stale) return v;
    }
    if (!shot.solve->has()) return {Lamp::none, text("Press Match shot, or open a step at the left.")};
    return verdictLine(shot, Step::solve);
}

Verdict verdictLine(const Shot& shot, Step step) {
    Verdict v = verdictOn(shot, step);
    if (step == Step::solve && shot.solve->has() && v.lamp == Lamp::good)
        v.sentence =
            text("%d of %d frames solved · ", shot.solve->solvedCount(), int(shot.solve->frames.size())) + v.sentence;
    return v;
}

}  // namespace va
