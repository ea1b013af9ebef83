// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/track_shot.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <map>
#include <set>

#include "base/error.h"
#include "base/parallel.h"
#include "base/text.h"
#include "track/reacquire.h"
#include "workflow/exclusion.h"
#include "workflow/open_plate.h"
#include "workflow/undistort_first.h"
#include "workflow/undistorted_tracking.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

std::vector<int> framesToTrack(const Shot& shot) {
    if (shot.range.empty())
        throw InputError(text("The work range is empty. Set its in and out points so that it holds frames."));
    std::vector<int> frames = shot.frames();
    if (frames.empty())
        throw InputError(text("The work range %d–%d holds no picture of the plate, which has %d–%d.", shot.range.first,
                              shot.range.last, shot.plate.frames.first, shot.plate.frames.last));
    return frames;
}

int freeId(const std::vector<Path>& paths) { return paths.empty() ? 1 : paths.back().id + 1; }

/// What all ways of tracking share: the plate's reader, where features may lie, and how paths are put together.
struct Tracker {
    const Shot& shot;
    Progress& progress;
    std::unique_ptr<PlateSource> source;
    Exclusion exclusion;
    PlateWatch watch;
    WholeFrames whole;

    TrackingLens by;

    Tracker(const Shot& s, Progress& p, const TrackingLens& decided = {})
        : shot(s), progress(p), source(openPlateOf(s)), exclusion(s), whole(*source), by(decided) {}

    TrackRequest request(std::vector<int> frames) {
        TrackRequest r;
        r.frames = std::move(frames);
        r.read = [this](int f) { return whole.read(f); };
        r.giveBack = [this](Luma used) { source->takeBack(std::move(used)); };
        r.options = trackOptions(shot.density, shot.care);
        if (!exclusion.empty()) r.allowed = [this](int f, double x, double y) { return exclusion.allowed(f, x, y); };
        r.mayBegin = [this](int f, double x, double y) { return whole.mayBegin(f, x, y); };
        r.watch = [this](int f, const Luma& l) {
            if (!whole.damaged(f)) watch.see(f, l);
        };
        return r;
    }

    /// What was odd about the frames that were read.
    [[nodiscard]] PlateFindings findings() const {
        PlateFindings f = watch.findings();
        f.dependent = whole.dependent();
        return f;
    }

    std::vector<Path> track(TrackRequest r) {
        if (!by.decided) by = {true, lensToTrackBy(shot, *source)};
        std::vector<Path>* soFar = r.soFar;
        try {
            std::vector<Path> out =
                by.lens ? trackUndistorted(std::move(r), *by.lens, shot.plate.width, shot.plate.height, progress)
                        : trackFeatures(std::move(r), progress);
            whole.removeFrom(out);
            return out;
        } catch (const Cancelled&) {
            if (soFar) whole.removeFrom(*soFar);
            throw;
        }
    }
};

void sortById(std::vector<Path>& paths) {
    std::sort(paths.begin(), paths.end(), [](const Path& a, const Path& b) { return a.id < b.id; });
}

/// Frames of the plate between two numbers, in rising or falling order.
std::vector<int> between(const Shot& shot, int from, int to) {
    std::vector<int> out;
    for (int f : shot.plate.existing())
        if (f >= std::min(from, to) && f <= std::max(from, to)) out.push_back(f);
    if (from > to) std::reverse(out.begin(), out.end());
    return out;
}

/// Goes on with the paths over new frames on one side of what was tracked. The first of `frames` is the last one done.
void growOneSide(Tracker& tracker, std::vector<Path>& paths, const std::vector<int>& frames) {
    if (frames.size() < 2) return;
    TrackRequest request = tracker.request(frames);
    request.firstId = freeId(paths);
    request.options.backward = false;
    const bool falling = frames[1] < frames[0];
    if (falling) request.watch = {};  // it compares with the frame before
    std::vector<Path> stay;
    for (Path& p : paths) {
        const bool endsHere = !p.points.empty() && !p.setAside && p.origin == PathOrigin::automatic &&
                              (falling ? p.points.front() : p.points.back()).frame == frames.front();
        (endsHere ? request.goOn : stay).push_back(std::move(p));
    }
    std::vector<Path> soFar;
    request.standing = &stay;
    request.soFar = &soFar;
    // Looking for new ones in the frame that was done before would find its old gaps again.
    request.findInFirst = false;
    try {
        paths = tracker.track(std::move(request));
    } catch (const Cancelled&) {
        paths = std::move(soFar);
        paths.insert(paths.end(), stay.begin(), stay.end());
        sortById(paths);
        throw;
    }
    paths.insert(paths.end(), stay.begin(), stay.end());
    sortById(paths);
}

/// Adds the paths that are found between those of the shot.
void trackBetween(Shot& shot, Tracker& tracker, TrackRequest request) {
    const std::shared_ptr<const std::vector<Path>> had = shot.paths;
    request.standing = had.get();
    request.firstId = freeId(*had);
    request.watch = {};  // it has seen these frames
    std::vector<Path> all = tracker.track(std::move(request));
    all.insert(all.end(), had->begin(), had->end());
    sortById(all);
    tracker.whole.addTo(shot.plate.damaged);
    shot.paths = std::make_shared<std::vector<Path>>(std::move(all));
}

void mergeFindings(PlateFindings& into, const PlateFindings& fresh) {
    const auto merge = [](std::vector<int>& a, const std::vector<int>& b) {
        std::set<int> all(a.begin(), a.end());
        all.insert(b.begin(), b.end());
        a.assign(all.begin(), all.end());
    };
    merge(into.cuts, fresh.cuts);
    merge(into.duplicates, fresh.duplicates);
    merge(into.black, fresh.black);
    merge(into.dependent, fresh.dependent);
    into.interlaced = into.interlaced || fresh.interlaced;
}

/// Frames in which a place that was masked before is free now; asked on a grid.
std::vector<int> freedFrames(const Shot& shot, const std::vector<int>& frames) {
    if (!(shot.exclusions.matte == shot.exclusionsTracked.matte)) return frames;
    const MaskSet before(shot.exclusionsTracked.masks, rideMapOf(shot)), now(shot.exclusions.masks, rideMapOf(shot));
    std::vector<int> out;
    for (int f : frames) {
        bool freed = false;
        for (int j = 0; j < 27 && !freed; ++j)
            for (int i = 0; i < 48 && !freed; ++i) {
                const double x = (i + 0.5) * shot.plate.width / 48, y = (j + 0.5) * shot.plate.height / 27;
                freed = now.allowed(f, x, y) && !before.allowed(f, x, y);
            }
        if (freed) out.push_back(f);
    }
    return out;
}

}  // namespace

TrackWork trackWorkFor(const Shot& shot) {
    if (shot.pathsFrom == 0 || shot.pathsFrom != fingerprintOfTrackInput(shot) || shot.tracked.empty())
        return TrackWork::all;
    // A range that does not touch what was tracked shares nothing with it.
    if (shot.range.first > shot.tracked.last + 1 || shot.range.last < shot.tracked.first - 1) return TrackWork::all;
    if (shot.range.first < shot.tracked.first || shot.range.last > shot.tracked.last) return TrackWork::grow;
    return shot.exclusions == shot.exclusionsTracked ? TrackWork::none : TrackWork::exclusions;
}

Shot withExclusionsApplied(const Shot& shot, Progress& progress) {
    Shot out = shot;
    Exclusion exclusion(shot);
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    std::map<int, std::vector<PathPoint*>> byFrame;
    for (Path& p : *paths) {
        if (p.origin == PathOrigin::byHand) continue;  // the artist knows why it stands there
        for (PathPoint& q : p.points) byFrame[q.frame].push_back(&q);
    }
    for (auto& [frame, points] : byFrame) {
        progress.check();
        for (PathPoint* q : points) q->masked = !exclusion.empty() && !exclusion.allowed(frame, q->x, q->y);
    }
    out.paths = paths;
    return out;
}

Shot withPathsAnew(const Shot& shot, Progress& progress, Shot* soFar, const TrackingLens& by) {
    const std::vector<int> frames = framesToTrack(shot);
    progress.stage(text("Tracking features"), int(frames.size()) * (shot.care == Care::careful ? 2 : 1), 0.55);
    Shot out = shot;
    Tracker tracker(shot, progress, by);
    TrackRequest request = tracker.request(frames);
    std::vector<Path> byHand;
    for (const Path& p : *shot.paths)
        if (p.origin == PathOrigin::byHand) byHand.push_back(p);
    request.standing = &byHand;
    for (const Path& p : byHand) request.firstId = std::max(request.firstId, p.id + 1);
    std::vector<Path> partial;
    request.soFar = &partial;
    const auto take = [&](std::vector<Path> paths, FrameRange tracked) {
        paths.insert(paths.end(), byHand.begin(), byHand.end());
        sortById(paths);
        out.paths = std::make_shared<std::vector<Path>>(std::move(paths));
        out.pathsFrom = fingerprintOfTrackInput(shot);
        out.tracked = tracked;
        out.exclusionsTracked = shot.exclusions;
        out.findings = tracker.findings();
        tracker.whole.addTo(out.plate.damaged);
        out.blur = {};
        // Marks of paths that are gone: new paths get their numbers.
        for (ReferenceStill& s : out.stills)
            std::erase_if(s.marks, [&](const StillMark& m) {
                return std::none_of(byHand.begin(), byHand.end(), [&](const Path& p) { return p.id == m.path; });
            });
    };
    try {
        take(tracker.track(std::move(request)), shot.range);
    } catch (const Cancelled&) {
        if (soFar) {
            FrameRange reached{frames.front(), frames.front()};
            for (const Path& p : partial)
                if (!p.points.empty()) reached.last = std::max(reached.last, p.points.back().frame);
            // What was done is done: tracking again only does the rest.
            take(std::move(partial), reached);
            *soFar = out;
        }
        throw;
    }
    return out;
}

Shot withPaths(const Shot& shot, Progress& progress, Shot* soFar, const TrackingLens& by) {
    const std::vector<int> frames = framesToTrack(shot);
    const TrackWork work = trackWorkFor(shot);
    if (work == TrackWork::none) return shot;
    if (work == TrackWork::all) return withPathsAnew(shot, progress, soFar, by);
    Shot out = shot;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    FrameRange tracked = shot.tracked;
    const auto take = [&] {
        out.paths = paths;
        out.tracked = tracked;
    };
    const std::vector<int> after = between(shot, shot.tracked.last, std::max(shot.tracked.last, shot.range.last)),
                           before = between(shot, shot.tracked.first, std::min(shot.tracked.first, shot.range.first));
    if (work == TrackWork::grow) {
        progress.stage(text("Tracking the new frames"), int(after.size() + before.size()), 0.55);
        Tracker tracker(shot, progress, by);
        try {
            growOneSide(tracker, *paths, after);
            tracked.last = std::max(tracked.last, shot.range.last);
            growOneSide(tracker, *paths, before);
            tracked.first = std::min(tracked.first, shot.range.first);
        } catch (const Cancelled&) {
            // How far it came is seen from the paths themselves.
            for (const Path& p : *paths)
                if (!p.points.empty() && p.origin == PathOrigin::automatic) {
                    tracked.first = std::min(tracked.first, p.points.front().frame);
                    tracked.last = std::max(tracked.last, p.points.back().frame);
                }
            tracker.whole.addTo(out.plate.damaged);
            take();
            if (soFar) *soFar = out;
            throw;
        }
        tracker.whole.addTo(out.plate.damaged);
        mergeFindings(out.findings, tracker.findings());
    }
    take();
    if (!(shot.exclusions == shot.exclusionsTracked)) {
        progress.stage(text("Applying masks"), 0, 0.1);
        const std::vector<int> freed = freedFrames(out, between(out, tracked.first, tracked.last));
        out = withExclusionsApplied(out, progress);
        if (freed.size() > 1) {
            progress.stage(text("Tracking where masks went"), freed.back() - freed.front() + 1, 0.4);
            Tracker tracker(out, progress, by);
            TrackRequest request = tracker.request(between(out, freed.front(), freed.back()));
            trackBetween(out, tracker, std::move(request));
        }
        out.exclusionsTracked = shot.exclusions;
    }
    return out;
}

Shot withMorePaths(const Shot& shot, Density density, Progress& progress, const TrackingLens& by) {
    const std::vector<int> frames = framesToTrack(shot);
    const TrackOptions options = trackOptions(density, shot.care);
    size_t live = 0;
    for (const Path& p : *shot.paths)
        if (!p.setAside && p.origin == PathOrigin::automatic) live += p.points.size();
    if (double(live) > 0.7 * options.features * double(frames.size())) return shot;
    progress.stage(text("Tracking more features"), int(frames.size()) * (options.backward ? 2 : 1), 0.5);
    Shot out = shot;
    Tracker tracker(shot, progress, by);
    TrackRequest request = tracker.request(frames);
    request.options = options;
    trackBetween(out, tracker, std::move(request));
    return out;
}

std::vector<Path> pathsTrackedFrom(const Shot& shot, std::vector<Path> paths, int frame, Progress& progress) {
    if (paths.empty()) return paths;
    const std::vector<int> frames = framesToTrack(shot);
    Tracker tracker(shot, progress);
    for (const int end : {frames.back(), frames.front()}) {
        if (end == frame) continue;
        TrackRequest request = tracker.request(between(shot, frame, end));
        request.goOn = std::move(paths);
        request.findNew = false;
        request.watch = {};
        request.options.backward = false;
        request.options.shortestPath = 1;
        paths = tracker.track(std::move(request));
    }
    return paths;
}

Shot withGuidedTrack(const Shot& shot, Progress& progress, std::string* sentence) {
    const auto say = [&](const std::string& s) {
        if (sentence) *sentence = s;
    };
    if (shot.solve->motion != Motion::free) {
        say(text("There is no solve with depth yet to guide the track. Solve first."));
        return shot;
    }
    const std::vector<int> frames = framesToTrack(shot);
    progress.stage(text("Finding lost features again"), int(frames.size()), 0.9);
    Tracker tracker(shot, progress);
    std::map<int, const SolvedPoint*> points;
    for (const SolvedPoint& p : shot.solve->points)
        if (p.rmsPx < 1.5) points[p.pathId] = &p;
    std::map<int, FrameCamera> cameras;
    std::map<int, View> views;
    for (const SolvedFrame& f : shot.solve->frames)
        if (const auto camera = shot.solve->cameraAt(f.frame)) {
            cameras.emplace(f.frame, *camera);
            views[f.frame] = viewFromPose(f.pose);
        }
    ReacquireRequest request;
    request.paths = *shot.paths;
    request.frames = frames;
    request.read = [&](int f) { return tracker.whole.read(f); };
    if (!tracker.exclusion.empty())
        request.allowed = [&](int f, double x, double y) { return tracker.exclusion.allowed(f, x, y); };
    request.expected = [&](const Path& path, int frame) -> std::optional<Placement> {
        const auto point = points.find(path.id);
        const auto view = views.find(frame), reference = views.find(path.referenceFrame);
        if (point == points.end() || view == views.end() || reference == views.end()) return std::nullopt;
        const Eigen::Vector3d &X = point->second->position, here = view->second.toCamera(X),
                              there = reference->second.toCamera(X);
        const auto pixel = cameras.at(view->first).project(X);
        if (!pixel || !(here.z() > 0) || !(there.z() > 0)) return std::nullopt;
        // A small plane that faced the reference camera: turned and scaled as the camera did.
        const Eigen::Matrix3d turn = view->second.rotation * reference->second.rotation.transpose();
        Placement p;
        p.shape = turn.topLeftCorner<2, 2>() * (there.z() / here.z());
        p.at = *pixel;
        if (!(p.shape.determinant() > 0.1 && p.shape.determinant() < 10)) return std::nullopt;
        return p;
    };
    ReacquireResult result = reacquire(std::move(request), progress);
    Shot out = shot;
    tracker.whole.removeFrom(result.paths);
    tracker.whole.addTo(out.plate.damaged);
    out.paths = std::make_shared<std::vector<Path>>(std::move(result.paths));
    say(text(result.joined == 1 ? "Found %d lost points again and joined %d piece.%s"
                                : "Found %d lost points again and joined %d pieces.%s",
             result.foundAgain, result.joined, result.foundAgain > 0 ? text(" Solve again to use them.").c_str() : ""));
    return out;
}

}  // namespace va
