// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/still_work.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "base/by_id.h"
#include "base/error.h"
#include "base/text.h"
#include "lens/film_back.h"
#include "track/patch.h"
#include "track/picture_match.h"
#include "track/track.h"
#include "workflow/exclusion.h"
#include "workflow/lens_work.h"
#include "workflow/open_plate.h"
#include "workflow/track_shot.h"

namespace va {
namespace {

constexpr int mostFramesMatched = 8;
constexpr size_t mostNewPaths = 400;
constexpr double sameSpot = 4;            ///< px: a spot nearer to a path that was made for a still is that path's
constexpr double placedSigma = 0.7;       ///< px, of a mark that stays where its spot was found
constexpr double registeredFloor = 0.15;  ///< px, the least deviation of a registered mark: surfaces are not flat
constexpr double registeredReach = 4;     ///< px that registration may move a mark
constexpr double registeredQuality = 0.8;
/// Relative error of a nodal pan's focal length, which its solve does not state (0.01 and 0.18 % on the demo's two).
constexpr double panFocalSigma = 0.0015;

/// A reference still's picture with its spots.
struct OpenedStill {
    size_t index = 0;
    PictureSpots spots;
    Pyramid pyramid;
};

/// Where the patch around a frame's spot lies in the still: registered where that works, else as found.
StillMark markFor(const Luma& frame, const PictureSpots& spots, const OpenedStill& still, const SpotMatch& match,
                  int pathId) {
    const Eigen::Vector2d& at = spots.at[size_t(match.a)];
    StillMark mark{pathId, still.spots.at[size_t(match.b)], placedSigma, false};
    const double scale = still.spots.size[size_t(match.b)] / spots.size[size_t(match.a)];
    const double turn = still.spots.angle[size_t(match.b)] - spots.angle[size_t(match.a)];
    const int x = int(std::lround(at.x())), y = int(std::lround(at.y()));
    const ReferencePatch patch(frame, x, y, defaultPatchRadius(frame.width));
    if (!patch.usable()) return mark;
    Placement start;
    start.shape = scale * Eigen::Rotation2Dd(turn).toRotationMatrix();
    const Eigen::Vector2d inPatch = at - Eigen::Vector2d(x, y);
    start.at = mark.pixel - start.shape * inPatch;
    ReferencePatch::Options options;
    options.iterations = 30;
    const auto found = patch.registerIn(still.pyramid, start, options);
    if (!found || found->correlation < registeredQuality) return mark;
    const Eigen::Vector2d moved = found->placement.at + found->placement.shape * inPatch;
    if ((moved - mark.pixel).norm() > registeredReach) return mark;
    mark.pixel = moved;
    const double variance = std::max(found->covariance.trace(), found->scatter.trace()) / 2;
    mark.sigma = std::min(placedSigma, std::hypot(registeredFloor, std::sqrt(std::max(0.0, variance))));
    return mark;
}

/// The shot without marks that were found, and without the paths that only they made use of.
Shot withoutFoundMarks(const Shot& shot) {
    std::set<int> found;
    Shot out = shot;
    for (ReferenceStill& s : out.stills) {
        for (const StillMark& m : s.marks)
            if (!m.byHand) found.insert(m.path);
        std::erase_if(s.marks, [](const StillMark& m) { return !m.byHand; });
    }
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    std::erase_if(*paths, [&](const Path& p) {
        return found.contains(p.id) && p.origin == PathOrigin::automatic && p.name.empty();
    });
    out.paths = paths;
    return out;
}

}  // namespace

Shot withStill(const Shot& shot, const std::string& file) {
    for (const ReferenceStill& s : shot.stills)
        if (std::filesystem::path(s.file).lexically_normal() == std::filesystem::path(file).lexically_normal())
            return shot;
    const PlateInfo info = openStill(file)->info();
    ReferenceStill s;
    s.id = freeId(shot.stills);
    s.file = std::filesystem::absolute(file).lexically_normal().string();
    s.name = std::filesystem::path(file).stem().string();
    s.width = info.width;
    s.height = info.height;
    s.pixelAspect = info.pixelAspect.value();
    const BackFacts facts = backFactsOf(info, CameraBase());
    if (facts.focalMm && facts.sensorWidthMm && *facts.focalMm > 0 && *facts.sensorWidthMm > 0)
        s.focalPx = focalPxFromMm(*facts.focalMm, *facts.sensorWidthMm, info.width, s.pixelAspect);
    Shot out = shot;
    out.stills.push_back(std::move(s));
    return out;
}

bool stillsWantMatches(const Shot& shot) {
    return std::any_of(shot.stills.begin(), shot.stills.end(),
                       [](const ReferenceStill& s) { return s.on && s.marks.empty(); });
}

Shot withStillMatches(const Shot& given, Progress& progress) {
    Shot out = withoutFoundMarks(given);
    const std::vector<int> all = given.frames();
    if (all.empty()) throw InputError(text("The work range holds no picture to compare the stills with."));
    const int count = std::min(int(all.size()), mostFramesMatched);
    progress.stage(text("Comparing stills with the plate"), int(out.stills.size()) + count * (1 + int(all.size())),
                   0.5);
    std::vector<OpenedStill> stills;
    for (size_t i = 0; i < out.stills.size(); ++i) {
        if (!out.stills[i].on) continue;
        const auto source = openStill(out.stills[i].file);
        OpenedStill s;
        s.index = i;
        Luma picture = source->luma(source->info().frames.first);
        s.spots = describePicture(picture);
        const int levels = pyramidLevels(picture.width);
        s.pyramid = Pyramid(std::move(picture), levels);
        stills.push_back(std::move(s));
        progress.advance();
    }
    const auto plate = openPlateOf(given);
    Exclusion exclusion(given);
    std::vector<Path> made;
    int nextId = freeId(*out.paths);
    for (int k = 0; k < count; ++k) {
        progress.check();
        const int frame = all[count > 1 ? size_t(k) * (all.size() - 1) / size_t(count - 1) : 0];
        const Luma picture = plate->luma(frame);
        const PictureSpots spots = describePicture(picture);
        const Pyramid pyramid(Luma(picture), 1);
        std::map<int, std::vector<std::pair<const OpenedStill*, SpotMatch>>> bySpot;
        for (const OpenedStill& s : stills)
            for (const SpotMatch& m : matchSpots(spots, s.spots)) bySpot[m.a].emplace_back(&s, m);
        std::vector<Path> fresh;
        for (const auto& [spot, matches] : bySpot) {
            const Eigen::Vector2d at = spots.at[size_t(spot)];
            if (!exclusion.empty() && !exclusion.allowed(frame, at.x(), at.y())) continue;
            const auto near = [&](const Path& p) {
                const PathPoint* q = p.at(frame);
                return q && std::hypot(q->x - at.x(), q->y - at.y()) < sameSpot;
            };
            if (std::any_of(made.begin(), made.end(), near) || std::any_of(fresh.begin(), fresh.end(), near)) continue;
            Path p;
            p.id = nextId++;
            p.referenceFrame = frame;
            PathPoint q;
            q.frame = frame;
            q.x = at.x(), q.y = at.y();
            q.sxx = q.syy = 0.01F;
            p.put(q);
            for (const auto& [still, match] : matches)
                out.stills[still->index].marks.push_back(markFor(pyramid.level(0), spots, *still, match, p.id));
            fresh.push_back(std::move(p));
        }
        progress.advance();
        // Many more than are needed say nothing new.
        if (made.size() + fresh.size() > mostNewPaths && made.size() < mostNewPaths)
            fresh.resize(mostNewPaths - made.size());
        if (all.size() > 1) fresh = pathsTrackedFrom(given, std::move(fresh), frame, progress);
        made.insert(made.end(), fresh.begin(), fresh.end());
        if (made.size() >= mostNewPaths) break;
    }
    std::set<int> kept;
    for (const Path& p : made) kept.insert(p.id);
    for (const Path& p : *out.paths) kept.insert(p.id);
    for (ReferenceStill& s : out.stills)
        std::erase_if(s.marks, [&](const StillMark& m) { return !kept.contains(m.path); });
    auto paths = std::make_shared<std::vector<Path>>(*out.paths);
    paths->insert(paths->end(), made.begin(), made.end());
    std::sort(paths->begin(), paths->end(), [](const Path& a, const Path& b) { return a.id < b.id; });
    out.paths = paths;
    return out;
}

std::vector<StillRequest> stillRequests(const Shot& shot) {
    std::vector<StillRequest> out;
    for (const ReferenceStill& s : shot.stills)
        if (s.on) out.push_back({s.id, s.width, s.height, s.pixelAspect, s.focalPx, 0.02, s.marks});
    return out;
}

ShotFocal shotFocalFor(const Shot& shot, const SolveResult& solve) {
    if (solve.motion == Motion::free || shot.priors.focal == Known::known) return {};
    if (solve.motion == Motion::nodalPan) return {true, panFocalSigma};
    if (solve.motion == Motion::still && shot.photo.fit->found)
        return {false, std::max(0.001, shot.photo.fit->focalSigma)};
    return {false, shot.priors.focal == Known::start ? 0.02 : 1};
}

std::string stillVerdict(const Shot& shot, const ReferenceStill& still) {
    if (!still.on) return text("%s: not used", still.name.c_str());
    const auto found = std::find_if(shot.solve->stills.begin(), shot.solve->stills.end(),
                                    [&](const SolvedStill& s) { return s.id == still.id; });
    const int marks = int(still.marks.size());
    if (found == shot.solve->stills.end())
        return marks == 0 ? text("%s: no marks yet. Find them, or mark features by hand.", still.name.c_str())
                          : text("%s: %d marks, not solved yet", still.name.c_str(), marks);
    const SolvedStill& s = *found;
    switch (s.trouble) {
        case StillTrouble::fewMarks:
            return text(
                "%s: %d features in common are too few. Mark eight or more by hand (six where both focal lengths are "
                "known), or take a photo that shows "
                "more of the shot.",
                still.name.c_str(), marks);
        case StillTrouble::noParallax:
            return text(
                "%s was taken from where the shot's camera stood: it adds no depth. Take one from a few steps "
                "aside.",
                still.name.c_str());
        case StillTrouble::doesNotFit:
            return text(
                "%s: no camera explains its %d marks. Check that it shows the same place, and the marks by "
                "hand.",
                still.name.c_str(), marks);
        case StillTrouble::apart:
            return text(
                "%s shares no features with the stills that joined, so how far away it was can't be told. Mark "
                "four features that both see.",
                still.name.c_str());
        case StillTrouble::none: break;
    }
    if (!s.solved) return text("%s: %d marks, not solved yet", still.name.c_str(), marks);
    const std::string rejected = s.rejected.empty() ? std::string() : text(", %zu rejected", s.rejected.size());
    return text("%s: %zu marks%s, %.2f px, focal length %.0f px ± %.2g %%", still.name.c_str(), s.used.size(),
                rejected.c_str(), s.rmsPx, s.lens.focalPx, std::max(0.01, 100 * s.focalSigma));
}

}  // namespace va
