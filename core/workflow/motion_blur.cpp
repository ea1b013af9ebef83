// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/motion_blur.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <map>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "solve/minimal/triangulate.h"
#include "track/remeasure.h"
#include "workflow/exclusion.h"
#include "workflow/open_plate.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

/// px of RMS error of a point whose passage is believed.
constexpr double worstFitPx = 3;

/// Where solved cameras see a path's spot. After a solve without depth the spot is a direction.
class SolvedWays {
  public:
    explicit SolvedWays(const Shot& shot) : solve_(*shot.solve) {
        for (const SolvedPoint& p : solve_.points)
            if (p.rmsPx < worstFitPx) points_[p.pathId] = p.position;
        for (const SolvedFrame& f : solve_.frames)
            if (const auto camera = solve_.cameraAt(f.frame))
                cameras_.emplace(f.frame, Camera{viewFromPose(f.pose), solve_.intrinsics(f.frame), *camera});
        if (solve_.motion == Motion::free) placeNewPaths(*shot.paths);
    }

    [[nodiscard]] std::optional<Passage> passage(const Path& path, int reference, int frame) const {
        const auto here = cameras_.find(frame), there = cameras_.find(reference);
        if (here == cameras_.end() || there == cameras_.end()) return std::nullopt;
        const auto spot = placeOf(path);
        if (!spot) return std::nullopt;
        std::optional<Eigen::Vector2d> x[5];
        for (int k = -2; k <= 2; ++k)
            if (const auto c = cameras_.find(frame + k); c != cameras_.end()) x[k + 2] = c->second.rows.project(*spot);
        if (!x[2]) return std::nullopt;
        Passage out;
        if (x[0] && x[1] && x[3] && x[4]) {
            // Through five positions: a shake of a few frames' length is underrated by three.
            out.velocity = (8 * (*x[3] - *x[1]) - (*x[4] - *x[0])) / 12;
            out.acceleration = (16 * (*x[1] + *x[3]) - (*x[0] + *x[4]) - 30 * *x[2]) / 12;
        } else if (x[1] && x[3]) {
            out.velocity = (*x[3] - *x[1]) / 2;
            out.acceleration = *x[1] + *x[3] - 2 * *x[2];
        } else if (x[1] || x[3]) {
            out.velocity = x[3] ? *x[3] - *x[2] : *x[2] - *x[1];
        } else {
            return std::nullopt;
        }
        // A small plane that faced the reference camera: turned and scaled as the camera did.
        const Eigen::Vector3d a = here->second.view.toCamera(*spot), b = there->second.view.toCamera(*spot);
        const Eigen::Matrix3d turn = here->second.view.rotation * there->second.view.rotation.transpose();
        const double zoom = here->second.lens.focalPx / there->second.lens.focalPx;
        out.middle.shape = turn.topLeftCorner<2, 2>() * (zoom * b.z() / a.z());
        out.middle.at = *x[2];
        const double size = out.middle.shape.determinant();
        if (!(size > 0.1 && size < 10)) return std::nullopt;
        return out;
    }

  private:
    struct Camera {
        View view;
        Intrinsics lens;
        FrameCamera rows;  ///< with a rolling shutter: projects row by row
    };

    /// Paths that the solve has not seen yet get the position that its cameras give them. Where a passage goes is known
    /// well even if how far away it is is not.
    void placeNewPaths(const std::vector<Path>& paths) {
        std::set<int> known;
        for (const SolvedPoint& p : solve_.points) known.insert(p.pathId);
        for (const SolveOutlier& o : solve_.outliers) known.insert(o.pathId);
        std::vector<const Path*> fresh;
        for (const Path& p : paths)
            if (!p.setAside && !known.contains(p.id)) fresh.push_back(&p);
        std::vector<std::optional<Eigen::Vector3d>> placed(fresh.size());
        parallelRanges(int(fresh.size()), 16, [&](int begin, int end) {
            for (auto i = size_t(begin); i < size_t(end); ++i) placed[i] = placeFrom(*fresh[i]);
        });
        for (size_t i = 0; i < fresh.size(); ++i)
            if (placed[i]) points_[fresh[i]->id] = *placed[i];
    }

    [[nodiscard]] std::optional<Eigen::Vector3d> placeFrom(const Path& path) const {
        std::vector<Observation> seen;
        for (const PathPoint& p : path.points)
            if (const auto camera = cameras_.find(p.frame); p.counts() && camera != cameras_.end())
                if (const auto n = camera->second.lens.normalisedFromPixel({p.x, p.y}))
                    seen.push_back({&camera->second.view, *n, 1});
        const auto at = triangulate(seen);
        if (!at) return std::nullopt;
        double sum = 0;
        for (const Observation& s : seen) {
            const Eigen::Vector3d c = s.view->toCamera(at->position);
            sum += (c.head<2>() / c.z() - s.undistorted).squaredNorm();
        }
        const double rmsPx = std::sqrt(sum / double(seen.size())) * solve_.lens.focalPx;
        return rmsPx < worstFitPx ? std::optional(at->position) : std::nullopt;
    }

    [[nodiscard]] std::optional<Eigen::Vector3d> placeOf(const Path& path) const {
        if (solve_.motion == Motion::free) {
            const auto p = points_.find(path.id);
            return p == points_.end() ? std::nullopt : std::optional(p->second);
        }
        const PathPoint* seen = path.at(path.referenceFrame);
        const auto camera = cameras_.find(path.referenceFrame);
        if (!seen || camera == cameras_.end()) return std::nullopt;
        const auto n = camera->second.lens.normalisedFromPixel({seen->x, seen->y});
        if (!n) return std::nullopt;
        return Eigen::Vector3d(camera->second.view.rotation.transpose() * n->homogeneous().normalized());
    }

    const SolveResult& solve_;
    std::map<int, Eigen::Vector3d> points_;  ///< by path, in the solve's world
    std::map<int, Camera> cameras_;          ///< by frame
};

}  // namespace

Shot withSmearRemeasured(const Shot& shot, Progress& progress) {
    if (shot.solve->motion != Motion::free && shot.solve->motion != Motion::nodalPan) return shot;
    RemeasureRequest request;
    for (const int f : shot.frames())
        if (!shot.blur.looked.contains(f)) request.frames.push_back(f);
    if (request.frames.empty()) return shot;
    const SolvedWays ways(shot);
    const auto source = openPlateOf(shot);
    Exclusion exclusion(shot);
    progress.stage(text("Looking at motion blur"), 0, 0.2);
    request.paths = *shot.paths;
    WholeFrames whole(*source);
    request.read = [&](int f) { return whole.read(f); };
    request.passage = [&](const Path& p, int reference, int frame) { return ways.passage(p, reference, frame); };
    if (!exclusion.empty()) request.allowed = [&](int f, double x, double y) { return exclusion.allowed(f, x, y); };
    RemeasureResult made = remeasureSmeared(std::move(request), progress);
    Shot out = shot;
    // What was looked at with another range stays so: tracked frames are one stretch.
    const FrameRange had = shot.blur.looked;
    out.blur.looked = had.empty()
                          ? shot.range
                          : FrameRange{std::min(had.first, shot.range.first), std::max(had.last, shot.range.last)};
    if (made.openShare == 0) return out;
    whole.removeFrom(made.paths);
    whole.addTo(out.plate.damaged);
    out.paths = std::make_shared<std::vector<Path>>(std::move(made.paths));
    out.blur.openShare = made.openShare;
    out.blur.smeared += int(made.frames.size());
    return out;
}

}  // namespace va
