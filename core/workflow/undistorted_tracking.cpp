// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/undistorted_tracking.h"

#include <Eigen/LU>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "lens/resample.h"

namespace va {
namespace {

/// Positions and paths between the plate and its undistorted frame.
class Undistortion {
  public:
    Undistortion(const Intrinsics& lens, int width, int height)
        : lens_(lens),
          width_(width),
          height_(height),
          frame_(undistortedFrame(lens, width, height, Overscan::whole)),
          map_(undistortionMap(lens, frame_, width, height)) {}

    [[nodiscard]] Luma picture(const Luma& plate) const { return resample(plate, map_); }

    /// Plate position of an undistorted one, with d(plate)/d(undistorted).
    [[nodiscard]] Eigen::Vector2d toPlate(const Eigen::Vector2d& undistorted, Eigen::Matrix2d* slope = nullptr) const {
        const Intrinsics& s = frame_.undistorted;
        Eigen::Matrix2d j;
        const Eigen::Vector2d distorted = lens_.lens.distort(s.distortedFromPixel(undistorted), slope ? &j : nullptr);
        if (slope) {
            // Both have one focal length: px by px, only the pixel's shape stands between.
            const Eigen::Vector2d shape(1 / lens_.pixelAspect, 1);
            *slope = shape.asDiagonal() * j * shape.cwiseInverse().asDiagonal();
        }
        return lens_.pixelFromDistorted(distorted);
    }
    [[nodiscard]] std::optional<Eigen::Vector2d> toUndistorted(const Eigen::Vector2d& plate) const {
        const auto n = lens_.normalisedFromPixel(plate);
        return n ? std::optional(frame_.undistorted.pixelFromDistorted(*n)) : std::nullopt;
    }
    [[nodiscard]] bool inside(const Eigen::Vector2d& plate, double margin) const {
        return plate.x() >= margin && plate.y() >= margin && plate.x() <= width_ - 1 - margin &&
               plate.y() <= height_ - 1 - margin;
    }

    [[nodiscard]] Path undistorted(const Path& path) const {
        Path out = path;
        out.points.clear();
        for (PathPoint p : path.points) {
            const auto s = toUndistorted({p.x, p.y});
            if (!s) continue;
            Eigen::Matrix2d slope;
            (void)toPlate(*s, &slope);
            move(p, *s, slope.inverse());
            out.points.push_back(p);
        }
        return out;
    }
    void distort(Path& path) const {
        for (PathPoint& p : path.points) {
            Eigen::Matrix2d slope;
            const Eigen::Vector2d plate = toPlate({p.x, p.y}, &slope);
            move(p, plate, slope);
        }
    }

  private:
    static void move(PathPoint& p, const Eigen::Vector2d& to, const Eigen::Matrix2d& slope) {
        Eigen::Matrix2d covariance;
        covariance << double(p.sxx), double(p.sxy), double(p.sxy), double(p.syy);
        covariance = slope * covariance * slope.transpose();
        p.x = to.x();
        p.y = to.y();
        p.sxx = float(covariance(0, 0));
        p.sxy = float(covariance(0, 1));
        p.syy = float(covariance(1, 1));
        p.drift *= float(std::sqrt(std::fabs(slope.determinant())));
    }

    Intrinsics lens_;
    int width_, height_;
    UndistortedFrame frame_;
    PixelMap map_;
};

}  // namespace

std::vector<Path> trackUndistorted(TrackRequest request, const Intrinsics& lens, int width, int height,
                                   Progress& progress) {
    const Undistortion undistortion(lens, width, height);
    const double margin = 1.5 * defaultPatchRadius(width);
    std::vector<Path> standing;
    if (request.standing) {
        for (const Path& p : *request.standing) standing.push_back(undistortion.undistorted(p));
        request.standing = &standing;
    }
    for (Path& p : request.goOn) p = undistortion.undistorted(p);
    // What watches the plate goes on watching the plate: each frame once, in order.
    request.read = [read = std::move(request.read), watch = std::move(request.watch),
                    giveBack = std::move(request.giveBack), &undistortion,
                    last = std::numeric_limits<int>::min()](int frame) mutable {
        Luma plate = read(frame);
        if (watch && frame > last) {
            watch(frame, plate);
            last = frame;
        }
        Luma undistorted = undistortion.picture(plate);
        if (giveBack) giveBack(std::move(plate));
        return undistorted;
    };
    request.watch = {};
    request.giveBack = {};
    request.allowed = [allowed = std::move(request.allowed), margin, &undistortion](int frame, double x, double y) {
        const Eigen::Vector2d plate = undistortion.toPlate({x, y});
        return undistortion.inside(plate, margin) && (!allowed || allowed(frame, plate.x(), plate.y()));
    };
    if (request.mayBegin)
        request.mayBegin = [mayBegin = std::move(request.mayBegin), &undistortion](int frame, double x, double y) {
            const Eigen::Vector2d plate = undistortion.toPlate({x, y});
            return mayBegin(frame, plate.x(), plate.y());
        };
    std::vector<Path>* soFar = request.soFar;
    const auto distortAll = [&](std::vector<Path>& paths) {
        for (Path& p : paths) {
            undistortion.distort(p);
            // Beyond the plate's border there is nothing that was tracked.
            p.points.eraseIf([&](const PathPoint& q) { return !undistortion.inside({q.x, q.y}, 0); });
        }
        std::erase_if(paths, [](const Path& p) { return p.points.empty(); });
    };
    try {
        std::vector<Path> out = trackFeatures(std::move(request), progress);
        distortAll(out);
        return out;
    } catch (const Cancelled&) {
        if (soFar) distortAll(*soFar);
        throw;
    }
}

}  // namespace va
