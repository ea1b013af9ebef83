// SPDX-License-Identifier: GPL-3.0-or-later
#include "track/hand_track.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/keyed.h"
#include "base/text.h"
#include "track/frame_reader.h"
#include "track/patch.h"
#include "track/track.h"

namespace va {
namespace {

StepOptions stepsFor(const Path& path, double lowestQuality) {
    StepOptions s;
    s.model = path.model;
    s.lowestQuality = lowestQuality;
    s.bridge = 24;  // the artist sees what happens: rather go on than stop at every blur
    s.searchRadius = path.searchRadius > 0 ? path.searchRadius : 24;
    s.backTolerance = 4;
    s.blurred = true;
    return s;
}

/// One leg: from frames.front(), where the tracker stands, until frames.back() or until it is lost.
struct Leg {
    std::map<int, PathPoint> points;
    std::string stopped;
    PatchEvidence evidence;
};

Leg trackLeg(const Path& path, const PathPoint& start, const PathPoint& key, const std::vector<int>& frames,
             const std::function<Luma(int)>& read, double lowestQuality, Progress& progress) {
    Leg leg;
    const StepOptions options = stepsFor(path, lowestQuality);
    Pyramid reference;
    if (key.frame != start.frame) reference = Pyramid(read(key.frame), 1);
    FrameReader reader(frames, read);
    Pyramid before = reader.next();
    const int radius = path.radius > 0 ? path.radius : defaultPatchRadius(before.level(0).width);
    FeatureTracker tracker = key.frame != start.frame
                                 ? FeatureTracker(reference, {key.x, key.y}, radius, before, start, options)
                                 : FeatureTracker(before, start.x, start.y, radius);
    if (!tracker.usable()) {
        const bool edge = start.x < radius + 1 || start.y < radius + 1 ||
                          start.x > before.level(0).width - radius - 2 || start.y > before.level(0).height - radius - 2;
        leg.stopped =
            edge ? text("The patch hangs over the picture's edge in frame %d. Make it smaller or begin farther inside.",
                        start.frame)
                 : text(
                       "There is no texture to hold on to around the feature in frame %d. Make the patch larger or "
                       "choose another spot.",
                       start.frame);
        return leg;
    }
    int hiddenSince = 0;
    bool hidden = false;
    for (size_t i = 1; i < frames.size(); ++i) {
        progress.check();
        Pyramid now = reader.next();
        const StepOutcome outcome = tracker.step(before, now, options);
        progress.advance();
        if (outcome == StepOutcome::lost) {
            leg.stopped = tracker.lostBy() == LostBy::edge
                              ? text("Stopped at frame %d: the feature left the picture.", frames[i])
                              : text(
                                    "Stopped at frame %d: the feature is no longer like its reference. Set it by hand "
                                    "there, or take a new reference.",
                                    frames[i]);
            break;
        }
        if (outcome == StepOutcome::bridged && !hidden) hiddenSince = frames[i];
        hidden = outcome == StepOutcome::bridged;
        if (outcome == StepOutcome::seen) {
            PathPoint p = tracker.point();
            p.frame = frames[i];
            leg.points[p.frame] = p;
        }
        before = std::move(now);
    }
    if (hidden && leg.stopped.empty())
        leg.stopped = text(
            "Stopped at frame %d: the feature can't be seen from there on. Set it by hand where it shows again, or "
            "carry it along with its neighbours.",
            hiddenSince);
    leg.evidence = tracker.evidence();
    return leg;
}

/// Weight of the far side at a frame of a stretch, 0 at `from`, 1 at `to`.
double share(int frame, int from, int to) { return double(frame - from) / double(to - from); }

/// The points that were set by hand: what a path goes through exactly.
Keyed<PathPoint> handKeys(const Path& path) {
    Keyed<PathPoint> out;
    for (const PathPoint& p : path.points)
        if (p.origin == PointOrigin::byHand) out.set(p.frame, p);
    return out;
}

}  // namespace

HandTrackResult trackByHand(HandTrackRequest request, Progress& progress) {
    HandTrackResult result{request.path, 0, ""};
    Path& path = result.path;
    std::vector<int> frames = request.frames;
    if (frames.empty() || !path.at(frames.front())) return result;
    result.reached = frames.front();
    const bool falling = frames.size() > 1 && frames[1] < frames[0];
    while (frames.size() > 1) {
        const PathPoint start = *path.at(frames.front());
        // The key behind: the start itself, or the nearest one against the direction.
        PathPoint key = start;
        const Keyed<PathPoint> keys = handKeys(path);
        if (const auto* behind = falling ? keys.atOrAfter(start.frame) : keys.atOrBefore(start.frame))
            key = behind->value;
        // The leg ends at the next key.
        size_t length = 1;
        const PathPoint* next = nullptr;
        while (length < frames.size() && !next) {
            next = path.at(frames[length]);
            if (next && next->origin != PointOrigin::byHand) next = nullptr;
            ++length;
        }
        const std::vector<int> stretch(frames.begin(), frames.begin() + std::ptrdiff_t(length));
        Leg leg = trackLeg(path, start, key, stretch, request.read, request.lowestQuality, progress);
        path.evidence = leg.evidence;
        if (next) {
            const PathPoint end = *next;
            const std::vector<int> back(stretch.rbegin(), stretch.rend());
            Leg other = trackLeg(path, end, end, back, request.read, request.lowestQuality, progress);
            for (size_t i = 1; i + 1 < stretch.size(); ++i) {
                const int f = stretch[i];
                const double w = share(f, start.frame, end.frame);
                const auto a = leg.points.find(f), b = other.points.find(f);
                PathPoint p;
                if (a != leg.points.end() && b != other.points.end()) {
                    p = w < 0.5 ? a->second : b->second;
                    const double dx = a->second.x - b->second.x, dy = a->second.y - b->second.y;
                    p.x = (1 - w) * a->second.x + w * b->second.x;
                    p.y = (1 - w) * a->second.y + w * b->second.y;
                    // Where the two disagree, neither is known better than that.
                    const auto apart = float(w * (1 - w) * 0.5 * (dx * dx + dy * dy));
                    p.sxx += apart, p.syy += apart;
                    p.drift = std::sqrt(p.drift * p.drift + apart);
                } else if (a != leg.points.end() || b != other.points.end()) {
                    const bool first = a != leg.points.end();
                    p = first ? a->second : b->second;
                    // The one side that got here is led over to the other key, if it reached that.
                    const PathPoint &from = first ? start : end, &goal = first ? end : start;
                    const auto& reached = (first ? leg : other).points;
                    if (const auto at = reached.find(goal.frame); at != reached.end()) {
                        Keyed<Eigen::Vector2d> correction;
                        correction.set(from.frame, Eigen::Vector2d::Zero());
                        correction.set(goal.frame, {goal.x - at->second.x, goal.y - at->second.y});
                        const Eigen::Vector2d by = correction.at(f);
                        p.x += by.x();
                        p.y += by.y();
                    }
                } else {
                    continue;
                }
                path.put(p);
            }
            result.reached = end.frame;
            frames.erase(frames.begin(), frames.begin() + std::ptrdiff_t(length - 1));
            continue;
        }
        for (const auto& [f, p] : leg.points) path.put(p);
        if (!leg.points.empty()) result.reached = falling ? leg.points.begin()->first : leg.points.rbegin()->first;
        result.stopped = leg.stopped;
        break;
    }
    return result;
}

Path carriedAlong(const Path& path, const std::vector<const Path*>& neighbours, const std::vector<int>& frames) {
    Path out = path;
    if (path.points.empty() || neighbours.empty()) return out;
    // What the neighbours did from one frame to another, applied to a position; nothing when none is seen in both.
    const auto moved = [&](int from, int to, const Eigen::Vector2d& at, double& far) -> std::optional<Eigen::Vector2d> {
        std::vector<Eigen::Vector2d> a, b;
        for (const Path* n : neighbours) {
            const PathPoint *p = n->at(from), *q = n->at(to);
            if (p && q) a.emplace_back(p->x, p->y), b.emplace_back(q->x, q->y);
        }
        if (a.empty()) return std::nullopt;
        Eigen::Vector2d ma = Eigen::Vector2d::Zero(), mb = ma;
        for (size_t i = 0; i < a.size(); ++i) ma += a[i] / double(a.size()), mb += b[i] / double(a.size());
        far = (at - ma).norm();
        Eigen::Matrix2d linear = Eigen::Matrix2d::Identity();
        if (a.size() == 2) {
            const Eigen::Vector2d da = a[1] - a[0], db = b[1] - b[0];
            const double n = da.squaredNorm();
            if (n > 1) {
                const double c = da.dot(db) / n, s = (da.x() * db.y() - da.y() * db.x()) / n;
                linear << c, -s, s, c;
            }
        } else if (a.size() > 2) {
            Eigen::Matrix2d aa = Eigen::Matrix2d::Identity() * 1e-6, ba = Eigen::Matrix2d::Identity() * 1e-6;
            for (size_t i = 0; i < a.size(); ++i)
                aa += (a[i] - ma) * (a[i] - ma).transpose(), ba += (b[i] - mb) * (a[i] - ma).transpose();
            linear = ba * aa.inverse();
            // Neighbours in a row say nothing across it.
            if (!linear.allFinite() || !(linear.determinant() > 0.05) || linear.norm() > 20) linear.setIdentity();
        }
        return Eigen::Vector2d(mb + linear * (at - ma));
    };
    for (int f : frames) {
        if (path.at(f)) continue;
        const PathPoint *before = nullptr, *after = nullptr;
        for (const PathPoint& p : path.points) {
            if (p.frame < f) before = &p;
            if (p.frame > f && !after) after = &p;
        }
        double farA = 0, farB = 0;
        const auto a = before ? moved(before->frame, f, {before->x, before->y}, farA) : std::nullopt;
        const auto b = after ? moved(after->frame, f, {after->x, after->y}, farB) : std::nullopt;
        if (!a && !b) continue;
        const double w = a && b ? share(f, before->frame, after->frame) : a ? 0 : 1;
        Eigen::Vector2d at = Eigen::Vector2d::Zero();
        if (a) at += (1 - w) * *a;
        if (b) at += w * *b;
        PathPoint p;
        p.frame = f;
        p.x = at.x();
        p.y = at.y();
        p.quality = 0;
        p.origin = PointOrigin::carried;
        // A hundredth of the distance to the neighbours: parallax and distorting that an affine move leaves out.
        const double sigma = 0.3 + 0.01 * (a && b ? (1 - w) * farA + w * farB : a ? farA : farB);
        p.sxx = p.syy = float(sigma * sigma);
        p.drift = float(sigma);
        out.put(p);
    }
    return out;
}

Path reanchored(const Path& path, int referenceFrame, const std::vector<int>& frames,
                const std::function<Luma(int)>& read, Progress& progress) {
    Path out = path;
    const PathPoint* anchor = path.at(referenceFrame);
    if (!anchor) return out;
    const Pyramid picture(read(referenceFrame), 1);
    const int radius = path.radius > 0 ? path.radius : defaultPatchRadius(picture.level(0).width);
    const ReferencePatch reference(picture.level(0), int(std::lround(anchor->x)), int(std::lround(anchor->y)), radius);
    if (!reference.usable()) return out;
    const Eigen::Vector2d offset = Eigen::Vector2d(anchor->x, anchor->y) - reference.middle();
    out.referenceFrame = referenceFrame;
    for (const bool falling : {false, true}) {
        std::vector<int> way;
        for (int f : frames)
            if (path.at(f) && (falling ? f < referenceFrame : f > referenceFrame)) way.push_back(f);
        if (way.empty()) continue;
        if (falling) std::reverse(way.begin(), way.end());
        FrameReader reader(way, read);
        Eigen::Matrix2d shape = Eigen::Matrix2d::Identity();
        double scatter = 0, noise = 0;
        for (int f : way) {
            progress.check();
            const Pyramid now = reader.next();
            progress.advance();
            PathPoint& p = *out.at(f);
            if (p.origin == PointOrigin::byHand) continue;
            Placement start{shape, Eigen::Vector2d(p.x, p.y) - shape * offset};
            ReferencePatch::Options options;
            options.model = path.model;
            const auto r = reference.registerIn(now, start, options);
            if (!r || r->correlation < 0.9 || (r->placement.at - start.at).norm() > 2 + 0.25 * radius) {
                p.chain = std::max<uint16_t>(p.chain, 1);
                continue;
            }
            shape = r->placement.shape;
            const Eigen::Vector2d at = r->placement.at + shape * offset;
            scatter += r->scatter.trace();
            noise += r->covariance.trace();
            p.x = at.x();
            p.y = at.y();
            p.quality = float(std::clamp(r->correlation, 0.0, 1.0));
            p.chain = 0;
            p.origin = PointOrigin::tracked;
            takeCovariance(p, r->covariance, noise > 0 ? scatter / noise : 1, 0);
        }
    }
    PathPoint& at = *out.at(referenceFrame);
    at.chain = 0;
    at.quality = 1;
    if (at.origin != PointOrigin::byHand) takeCovariance(at, Eigen::Matrix2d::Zero(), 1, 0);
    return out;
}

}  // namespace va
