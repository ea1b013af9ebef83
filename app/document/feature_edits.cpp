// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/feature_edits.h"

#include <Eigen/Geometry>
#include <Eigen/LU>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/paths_file.h"
#include "media/plate_source.h"
#include "track/hand_track.h"
#include "workflow/exclusion.h"
#include "workflow/suggest_masks.h"
#include "workflow/track_shot.h"

namespace va {
namespace {

Shot withPath(const Shot& shot, const Path& path) {
    Shot next = shot;
    auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
    const auto at =
        std::lower_bound(paths->begin(), paths->end(), path.id, [](const Path& p, int id) { return p.id < id; });
    if (at != paths->end() && at->id == path.id) *at = path;
    else paths->insert(at, path);
    next.paths = paths;
    return next;
}

PathPoint handPoint(int frame, const Eigen::Vector2d& pixel) {
    PathPoint p;
    p.frame = frame;
    p.x = pixel.x();
    p.y = pixel.y();
    p.origin = PointOrigin::byHand;
    // An eye with a loupe places to about a fifth of a pixel.
    p.sxx = p.syy = 0.2f * 0.2f;
    return p;
}

}  // namespace

int FeatureEdits::addHandFeature(const Eigen::Vector2d& pixel) {
    const Shot& shot = document_.shot();
    Path path;
    path.id = shot.paths->empty() ? 1 : shot.paths->back().id + 1;
    int number = 1;
    for (const Path& p : *shot.paths) number += p.origin == PathOrigin::byHand;
    path.name = tr("hand %1").arg(number).toStdString();
    path.origin = PathOrigin::byHand;
    path.referenceFrame = document_.frame();
    path.radius = defaultPatchRadius(shot.plate.width);
    path.searchRadius = 3 * path.radius;
    path.points.push_back(handPoint(document_.frame(), pixel));
    document_.edit(tr("Place feature by hand"), withPath(shot, path));
    document_.selectPaths({path.id});
    return path.id;
}

void FeatureEdits::changePath(const QString& name, int pathId, const std::function<void(Path&)>& change,
                              const QString& merge) {
    const Path* p = document_.shot().path(pathId);
    if (!p) return;
    Path next = *p;
    change(next);
    document_.edit(name, withPath(document_.shot(), next), merge);
}

void FeatureEdits::placeByHand(int pathId, const Eigen::Vector2d& pixel) {
    changePath(tr("Set feature by hand"), pathId, [&](Path& p) { p.put(handPoint(document_.frame(), pixel)); });
}

void FeatureEdits::nudge(const Eigen::Vector2d& by) {
    const Path* p = current();
    if (const PathPoint* q = p ? p->at(document_.frame()) : nullptr)
        changePath(
            tr("Nudge feature"), p->id,
            [&, at = Eigen::Vector2d(Eigen::Vector2d(q->x, q->y) + by)](Path& next) {
                next.put(handPoint(document_.frame(), at));
            },
            // A row of key presses is one step of undo.
            QStringLiteral("nudge %1 %2").arg(p->id).arg(document_.frame()));
}

const Path* FeatureEdits::current() const {
    const Path* any = nullptr;
    for (int id : document_.selectedPaths()) {
        const Path* p = document_.shot().path(id);
        if (p && p->at(document_.frame())) return p;
        if (p) any = p;
    }
    return any;
}

void FeatureEdits::trackCurrent(bool forward, bool oneFrame) {
    const Path* p = current();
    if (!p) return say(tr("Select a feature first, or place one with the hand tool."));
    if (!p->at(document_.frame()))
        return say(
            tr("The feature has no position in frame %1. Set it there by hand, or go to a frame where it has one.")
                .arg(document_.frame()));
    const int id = p->id, from = document_.frame();
    if (p->origin != PathOrigin::byHand) {
        // From now on it is the artist's.
        changePath(tr("Take over feature"), id, [&](Path& path) {
            path.origin = PathOrigin::byHand;
            path.at(from)->origin = PointOrigin::byHand;
        });
    }
    document_.startJob(forward ? tr("Track forward") : tr("Track backward"), Part::paths,
                       [=, this](const Shot& s, Progress& progress, Shot&) {
                           HandTrackRequest request;
                           request.path = *s.path(id);
                           for (int f : s.frames())
                               if (forward ? f >= from : f <= from) request.frames.push_back(f);
                           if (!forward) std::reverse(request.frames.begin(), request.frames.end());
                           if (oneFrame && request.frames.size() > 2) request.frames.resize(2);
                           const auto source = openPlate(s.plateSpec, s.overrides);
                           request.read = [&](int f) { return source->luma(f); };
                           progress.stage("Tracking by hand", int(request.frames.size()), 1);
                           const HandTrackResult result = trackByHand(std::move(request), progress);
                           if (!result.stopped.empty())
                               Q_EMIT document_.message(QString::fromStdString(result.stopped));
                           return withPath(s, result.path);
                       });
}

void FeatureEdits::newReference() {
    const Path* p = current();
    if (!p || !p->at(document_.frame()))
        return say(tr("Select a feature that has a position in this frame first: its reference is taken from here."));
    changePath(tr("Take new reference"), p->id, [&](Path& path) {
        PathPoint& q = *path.at(document_.frame());
        q.origin = PointOrigin::byHand;
        if (path.origin == PathOrigin::automatic) path.origin = PathOrigin::byHand;
    });
}

void FeatureEdits::reanchor() {
    const Path* p = current();
    if (!p || !p->at(document_.frame()))
        return say(tr("Select a path that has a position in this frame first: all of it is measured anew against it."));
    const int id = p->id, frame = document_.frame();
    document_.startJob(tr("Re-anchor path"), Part::paths, [=](const Shot& s, Progress& progress, Shot&) {
        const auto source = openPlate(s.plateSpec, s.overrides);
        progress.stage("Measuring against one reference", int(s.path(id)->points.size()), 1);
        return withPath(s,
                        reanchored(
                            *s.path(id), frame, s.plate.existing(), [&](int f) { return source->luma(f); }, progress));
    });
}

void FeatureEdits::carryAlong() {
    const Path* p = nullptr;
    std::vector<const Path*> neighbours;
    for (int id : document_.selectedPaths()) {
        const Path* q = document_.shot().path(id);
        // The hidden one is the one that is not seen here; by hand, it wins.
        if (q && !q->at(document_.frame()) && (!p || q->origin == PathOrigin::byHand)) p = q;
    }
    for (int id : document_.selectedPaths())
        if (document_.shot().path(id) != p) neighbours.push_back(document_.shot().path(id));
    if (!p || neighbours.empty())
        return say(
            tr("Go to a frame where the spot is hidden and select its path together with neighbours that are seen "
               "there."));
    const Path carried = carriedAlong(*p, neighbours, document_.shot().frames());
    document_.edit(tr("Carry along with %1").arg(neighbours.size()), withPath(document_.shot(), carried));
}

void FeatureEdits::removeSpan(FrameRange span, bool aside) {
    std::vector<int> ids(document_.selectedPaths().begin(), document_.selectedPaths().end());
    if (ids.empty() || span.empty()) return say(tr("Select paths and a span of frames first."));
    document_.edit(aside ? tr("Set frames %1–%2 aside").arg(span.first).arg(span.last)
                         : tr("Bring frames %1–%2 back").arg(span.first).arg(span.last),
                   withSpanSetAside(document_.shot(), ids, span, aside));
}

void FeatureEdits::guidedTrack() {
    if (document_.shot().solve->motion != Motion::free)
        return say(tr("There is no solve with depth yet to guide the track. Solve first."));
    document_.startJob(tr("Guided track"), Part::paths, [this](const Shot& s, Progress& progress, Shot&) {
        std::string sentence;
        const Shot out = withGuidedTrack(s, progress, &sentence);
        Q_EMIT document_.message(QString::fromStdString(sentence));
        return out;
    });
}

void FeatureEdits::prune(const PruneRules& rules) {
    const auto found = pathsToPrune(document_.shot(), rules);
    document_.setPreviewed({});
    if (found.empty()) return;
    document_.edit(found.size() == 1 ? tr("Prune 1 path") : tr("Prune %1 paths").arg(found.size()),
                   withSetAside(document_.shot(), found));
}

void FeatureEdits::addPathsFromFile(const QString& file, const PathsMapping& mapping) {
    try {
        int count = 0;
        const Shot next = withPathsFromFile(document_.shot(), file.toStdString(), &count, mapping);
        document_.edit(tr("Read %1 paths").arg(count), next);
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()));
    }
}

void FeatureEdits::pastePaths(const QString& words) {
    try {
        int count = 0;
        const Shot next =
            withPathsFromText(document_.shot(), words.toStdString(), tr("clipboard").toStdString(), &count);
        document_.edit(tr("Paste %1 paths").arg(count), next);
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()));
    }
}

QString FeatureEdits::selectedPathsText() const {
    std::vector<Path> chosen;
    for (const Path& p : *document_.shot().paths)
        if (document_.selectedPaths().contains(p.id)) chosen.push_back(p);
    return chosen.empty() ? QString() : QString::fromStdString(pathsToCsv(chosen));
}

void FeatureEdits::writePaths(const QString& file) {
    try {
        writeFileAtomically(file.toStdString(),
                            file.endsWith(".json") ? pathsToJson(document_.shot()) : pathsToCsv(document_.shot()));
        Q_EMIT document_.message(tr("%1 paths written to %2").arg(document_.shot().paths->size()).arg(file));
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()));
    }
}

// ---- masks ------------------------------------------------------------------------------------------------------

void FeatureEdits::setMaskList(MaskList list) {
    if (list == maskList_) return;
    maskList_ = list;
    document_.selectMask(0);
}

const std::vector<MaskShape>& FeatureEdits::masks() const {
    const Shot& s = document_.shot();
    return maskList_ == MaskList::front ? s.proof.front.masks : s.exclusions.masks;
}

int FeatureEdits::addMask(const std::vector<MaskPoint>& points) {
    if (points.size() < 3) return 0;
    Shot next = document_.shot();
    MaskShape mask;
    // Ids are of both lists together.
    for (const auto* list : {&next.exclusions.masks, &next.proof.front.masks})
        for (const MaskShape& m : *list) mask.id = std::max(mask.id, m.id);
    ++mask.id;
    mask.name = tr("mask %1").arg(mask.id).toStdString();
    mask.setPoints(document_.frame(), points);
    (maskList_ == MaskList::front ? next.proof.front.masks : next.exclusions.masks).push_back(mask);
    document_.edit(tr("Draw mask"), next);
    document_.selectMask(mask.id);
    return mask.id;
}

void FeatureEdits::changeMask(const QString& name, int maskId, const std::function<void(MaskShape&)>& change) {
    Shot next = document_.shot();
    for (auto* list : {&next.exclusions.masks, &next.proof.front.masks})
        for (MaskShape& m : *list)
            if (m.id == maskId) {
                const MaskShape before = m;
                change(m);
                if (m == before) return;
                document_.edit(name, next);
                return;
            }
}

std::vector<MaskPoint> FeatureEdits::maskPoints(const MaskShape& mask) const {
    std::vector<MaskPoint> points = mask.pointsAt(document_.frame());
    if (mask.ride == MaskRide::nothing) return points;
    const auto map = rideMapOf(document_.shot())(mask, document_.frame());
    if (!map) return {};
    for (MaskPoint& p : points) {
        const Eigen::Vector2d at = throughMap(*map, p.at);
        p.in = throughMap(*map, p.at + p.in) - at;
        p.out = throughMap(*map, p.at + p.out) - at;
        p.at = at;
    }
    return points;
}

void FeatureEdits::setMaskPoints(int maskId, const std::vector<MaskPoint>& points) {
    changeMask(tr("Shape mask"), maskId, [&](MaskShape& m) {
        std::vector<MaskPoint> own = points;
        if (m.ride != MaskRide::nothing) {
            const auto map = rideMapOf(document_.shot())(m, document_.frame());
            if (!map) return;
            const Eigen::Matrix3d back = map->inverse();
            for (MaskPoint& p : own) {
                const Eigen::Vector2d at = throughMap(back, p.at);
                p.in = throughMap(back, p.at + p.in) - at;
                p.out = throughMap(back, p.at + p.out) - at;
                p.at = at;
            }
        }
        m.setPoints(document_.frame(), own);
    });
}

void FeatureEdits::removeMask(int maskId) {
    Shot next = document_.shot();
    for (auto* list : {&next.exclusions.masks, &next.proof.front.masks})
        std::erase_if(*list, [=](const MaskShape& m) { return m.id == maskId; });
    document_.edit(tr("Remove mask"), next);
}

void FeatureEdits::suggestMasks() {
    const auto suggestions = va::suggestMasks(document_.shot());
    if (suggestions.empty())
        return say(document_.shot().solve->motion == Motion::free
                       ? tr("No region moves on its own or lies at infinity.")
                       : tr("A solve with depth is needed to tell what moves on its own."));
    Shot next = document_.shot();
    QStringList reasons;
    for (const MaskSuggestion& s : suggestions) {
        next.exclusions.masks.push_back(s.shape);
        // A suggestion is no decision: the artist turns it on. Moving things are the usual reason to look for them.
        next.exclusions.masks.back().enabled = s.moving;
        reasons << QString::fromStdString(s.reason);
    }
    document_.edit(tr("Suggest masks"), next);
    Q_EMIT document_.message(reasons.join(QLatin1Char(' ')));
}

void FeatureEdits::setMatte(const QString& name, const std::function<void(Matte&)>& change) {
    Shot next = document_.shot();
    change(next.exclusions.matte);
    if (next.exclusions.matte == document_.shot().exclusions.matte) return;
    try {
        const Exclusion check(next);
    } catch (const Error& e) {
        return say(QString::fromUtf8(e.what()));
    }
    document_.edit(name, next);
}

void FeatureEdits::setTrackUndistorted(bool on) {
    if (document_.shot().trackUndistorted == on) return;
    if (on && (document_.shot().priors.distortion == Known::unknown || document_.shot().priors.lens.isZero()))
        return say(tr(
            "There is no lens to take out: give a distortion in the step Lens first, from edges, a chart or a file."));
    Shot next = document_.shot();
    next.trackUndistorted = on;
    document_.edit(on ? tr("Track on the undistorted picture") : tr("Track on the plate"), next);
}

void FeatureEdits::setTracking(Density density, Care care) {
    Shot next = document_.shot();
    if (next.density == density && next.care == care) return;
    next.density = density;
    next.care = care;
    document_.edit(tr("Set how features are tracked"), next);
}

// ---- patches ----------------------------------------------------------------------------------------------------

int FeatureEdits::addPatch(const Corners& corners) {
    Shot next = document_.shot();
    FlatPatch patch;
    for (const FlatPatch& p : next.patches) patch.id = std::max(patch.id, p.id);
    ++patch.id;
    patch.name = tr("patch %1").arg(patch.id).toStdString();
    patch.referenceFrame = document_.frame();
    patch.corners = corners;
    patch.outline.assign(corners.begin(), corners.end());
    next.patches.push_back(patch);
    document_.edit(tr("Draw patch"), next);
    document_.selectPatch(patch.id);
    return patch.id;
}

void FeatureEdits::changePatch(const QString& name, int patchId, const std::function<void(FlatPatch&)>& change) {
    Shot next = document_.shot();
    for (FlatPatch& p : next.patches)
        if (p.id == patchId) {
            change(p);
            document_.edit(name, next);
            return;
        }
}

void FeatureEdits::setPatchCorners(int patchId, const Corners& corners) {
    const int frame = document_.frame();
    changePatch(tr("Move patch corners"), patchId, [&](FlatPatch& p) {
        if (frame == p.referenceFrame) {
            p.corners = corners;
            p.outline.assign(corners.begin(), corners.end());
            p.frames.clear();
            p.corrections.clear();
            return;
        }
        const auto now = p.cornersAt(frame);
        if (!now) return;
        const Corners* had = p.corrections.key(frame);
        Corners by = had ? *had : Corners{};
        if (!had) {
            // What the corrections around it amount to here already.
            const PatchFrame* f = p.at(frame);
            for (size_t i = 0; i < 4; ++i) by[i] = (*now)[i] - (f ? throughMap(f->map, p.corners[i]) : p.corners[i]);
        }
        for (size_t i = 0; i < 4; ++i) by[i] += corners[i] - (*now)[i];
        p.corrections.set(frame, by);
    });
}

void FeatureEdits::trackPatch(bool forward, bool backward) {
    const int id = document_.selectedPatch();
    if (!document_.shot().patch(id))
        return say(tr("Draw a patch first: choose the patch tool and drag over something flat."));
    document_.startJob(tr("Track patch"), Part::patches, [=, this](const Shot& s, Progress& progress, Shot&) {
        Shot next = s;
        for (FlatPatch& p : next.patches) {
            if (p.id != id) continue;
            const auto source = openPlate(s.plateSpec, s.overrides);
            // A mask that rides on this patch would hide it from itself.
            Shot others = s;
            std::erase_if(others.exclusions.masks,
                          [=](const MaskShape& m) { return m.ride == MaskRide::patch && m.rideId == id; });
            Exclusion exclusion(others);
            PatchTrackRequest request;
            request.patch = p;
            request.frames = s.frames();
            request.read = [&](int f) { return source->luma(f); };
            if (!exclusion.empty())
                request.allowed = [&](int f, double x, double y) { return exclusion.allowed(f, x, y); };
            request.forward = forward;
            request.backward = backward;
            progress.stage("Tracking the patch", int(request.frames.size()), 1);
            p = va::trackPatch(std::move(request), progress);
            if (!p.trouble.empty()) Q_EMIT document_.message(QString::fromStdString(p.trouble));
        }
        return next;
    });
}

void FeatureEdits::removePatch(int patchId) {
    Shot next = document_.shot();
    std::erase_if(next.patches, [=](const FlatPatch& p) { return p.id == patchId; });
    document_.edit(tr("Remove patch"), next);
}

void FeatureEdits::writePatch(const QString& file) {
    const FlatPatch* p = document_.shot().patch(document_.selectedPatch());
    if (!p) return say(tr("Select a patch first."));
    try {
        writeFileAtomically(file.toStdString(),
                            file.endsWith(".json") ? patchToJson(*p, document_.shot()) : patchToCsv(*p));
        Q_EMIT document_.message(tr("Corners of %1 written to %2").arg(QString::fromStdString(p->name), file));
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()));
    }
}

}  // namespace va
