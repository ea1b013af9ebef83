// SPDX-License-Identifier: GPL-3.0-or-later
#include "lens/undistorted_frame.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <limits>

#include "base/error.h"
#include "base/parallel.h"
#include "base/text.h"
#include "lens/film_back.h"

namespace va {
namespace {

constexpr float nothing = std::numeric_limits<float>::quiet_NaN();

/// Fills a map row by row with `sourceOf`(pixel), keeping what lies within half a pixel of the source's edges.
template <class F>
PixelMap mapOf(int width, int height, int sourceWidth, int sourceHeight, const F& sourceOf) {
    PixelMap map{Plane<float>(width, height), Plane<float>(width, height)};
    parallelRanges(height, 8, [&](int begin, int end) {
        for (int y = begin; y < end; ++y)
            for (int x = 0; x < width; ++x) {
                const std::optional<Eigen::Vector2d> p = sourceOf(Eigen::Vector2d(x, y));
                const bool inside = p && p->x() >= -0.5 && p->y() >= -0.5 && p->x() <= sourceWidth - 0.5 &&
                                    p->y() <= sourceHeight - 0.5;
                map.x.at(x, y) = inside ? float(p->x()) : nothing;
                map.y.at(x, y) = inside ? float(p->y()) : nothing;
            }
    });
    return map;
}

}  // namespace

double UndistortedFrame::fieldOfViewX() const {
    return fieldOfView(undistorted.focalPx / undistorted.pixelAspect, width);
}
double UndistortedFrame::fieldOfViewY() const { return fieldOfView(undistorted.focalPx, height); }

UndistortedFrame undistortedFrame(const Intrinsics& distorted, int width, int height, Overscan overscan,
                                  double largest) {
    UndistortedFrame out;
    out.width = width;
    out.height = height;
    out.undistorted = distorted;
    out.undistorted.lens = LensModel{};
    Eigen::Vector2d low(0, 0), high(width - 1, height - 1);
    // What is outermost in the plate is outermost when undistorted; pixels are areas, so their outer edges count.
    const auto take = [&](double x, double y) {
        const auto n = distorted.normalisedFromPixel({x, y});
        if (!n) {
            const double r = distorted.lens.foldRadius();
            if (!std::isfinite(r))
                throw InputError(text(
                    "The lens sees more than an undistorted picture can hold: directions 90° from its axis and beyond. "
                    "Crop the plate, or check the focal length."));
            const double px = (distorted.pixelFromNormalised({r, 0}) - distorted.principalPoint).norm();
            throw InputError(
                text("The lens folds over at %.0f px from its middle, inside the picture: its numbers can't be right "
                     "out there. Try fewer of them, or a model for wider lenses.",
                     px));
        }
        const Eigen::Vector2d p = out.undistorted.pixelFromDistorted(*n);
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    };
    constexpr int steps = 64;
    for (int i = 0; i <= steps; ++i) {
        const double t = double(i) / steps;
        take(-0.5 + t * width, -0.5), take(-0.5 + t * width, height - 0.5);
        take(-0.5, -0.5 + t * height), take(width - 0.5, -0.5 + t * height);
    }
    if (overscan == Overscan::none) return out;
    const Eigen::Vector2d size = high - low;
    if (size.x() > largest * width || size.y() > largest * height) {
        throw InputError(
            text("Undistorted whole, the picture would be %.0f × %.0f px: more than %g times as large. Keep the "
                 "plate's size, or crop it first.",
                 size.x(), size.y(), largest));
    }
    out.left = int(std::ceil(-low.x() - 0.5 - 1e-6));
    out.top = int(std::ceil(-low.y() - 0.5 - 1e-6));
    out.left = std::max(0, out.left);
    out.top = std::max(0, out.top);
    const int right = std::max(0, int(std::ceil(high.x() - (width - 0.5) - 1e-6)));
    const int bottom = std::max(0, int(std::ceil(high.y() - (height - 0.5) - 1e-6)));
    // Even, as movies have to be: then stills, movies, maps and cameras of the frame are of one size.
    out.width = width + out.left + right;
    out.height = height + out.top + bottom;
    out.width += out.width % 2;
    out.height += out.height % 2;
    out.undistorted.principalPoint += Eigen::Vector2d(out.left, out.top);
    return out;
}

PixelMap undistortionMap(const Intrinsics& distorted, const UndistortedFrame& frame, int plateWidth, int plateHeight) {
    const double fold = distorted.lens.foldRadius();
    return mapOf(frame.width, frame.height, plateWidth, plateHeight,
                 [&](const Eigen::Vector2d& p) -> std::optional<Eigen::Vector2d> {
                     const Eigen::Vector2d n = frame.undistorted.distortedFromPixel(p);
                     if (n.norm() > fold) return std::nullopt;
                     return distorted.pixelFromNormalised(n);
                 });
}

PixelMap redistortionMap(const Intrinsics& distorted, const UndistortedFrame& frame, int plateWidth, int plateHeight) {
    return mapOf(plateWidth, plateHeight, frame.width, frame.height,
                 [&](const Eigen::Vector2d& p) -> std::optional<Eigen::Vector2d> {
                     const auto n = distorted.normalisedFromPixel(p);
                     if (!n) return std::nullopt;
                     return frame.undistorted.pixelFromDistorted(*n);
                 });
}

}  // namespace va
