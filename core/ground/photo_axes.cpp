// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/photo_axes.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <random>

namespace va {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr int axisTrials = 6000;
constexpr double agreePx = 2;   ///< ends of a line from the direction to the vanishing point, at 1000 px of width
constexpr double finePx = 1.5;  ///< the same once the camera is fitted
constexpr double longestCounts = 0.3;                    ///< widths: longer lines count no more
constexpr double shortestFocal = 0.4, longestFocal = 5;  ///< widths
constexpr double usualFocalLog = 0.6, usualRollSigma = 12 * M_PI / 180;
constexpr double mostRoll = 30 * M_PI / 180, mostPitch = 55 * M_PI / 180;
constexpr int fewestOfAxis = 3;
/// How well a found line lies along its axis, radians: things stand and lie askew, and some lines are sorted wrongly.
/// Drawn lines are meant.
constexpr double askewSigma = 1 * M_PI / 180;

/// A line in widths of the picture from its middle, y down.
struct Segment {
    Vector2d a, b, middle;
    Vector3d through;  ///< homogeneous line
    double length;
};

/// Half the distance in widths by which a segment's ends miss the direction to a vanishing point.
double misfitOf(const Segment& s, const Vector3d& direction, double focal) {
    const Vector3d vanishing(direction.x() * focal, direction.y() * focal, direction.z());
    const Vector3d line = s.middle.homogeneous().cross(vanishing);
    const double slope = line.head<2>().norm();
    return slope > 1e-12 ? std::fabs(line.dot(s.a.homogeneous())) / slope : 1;
}

struct Axes {
    double focal = 0;            ///< widths
    Eigen::Matrix3d directions;  ///< columns, camera axes
};

/// Which column is upright, and how likely such a camera is; −1 where none can be.
int uprightOf(const Axes& axes, double& worth) {
    int best = 0;
    for (int i = 1; i < 3; ++i)
        if (std::fabs(axes.directions(1, i)) > std::fabs(axes.directions(1, best))) best = i;
    const Vector3d up = axes.directions.col(best);
    const double roll = std::atan2(std::fabs(up.x()), std::fabs(up.y())),
                 pitch = std::asin(std::min(1.0, std::fabs(up.z())));
    if (roll > mostRoll || pitch > mostPitch) return -1;
    worth = std::exp(-0.5 * std::pow(roll / usualRollSigma, 2)) *
            std::exp(-0.5 * std::pow(std::log(axes.focal / 1.1) / usualFocalLog, 2));
    return best;
}

double supportOfAxes(const std::vector<Segment>& segments, const Axes& axes, double limit) {
    double sum = 0;
    for (const Segment& s : segments) {
        double best = 0;
        for (int i = 0; i < 3; ++i) {
            const double off = misfitOf(s, axes.directions.col(i), axes.focal) / limit;
            best = std::max(best, 1 - off * off);
        }
        sum += best * std::min(s.length, longestCounts);
    }
    return sum;
}

/// Columns as the world's axes: Y upright, Z the one that looks more along the view.
std::array<int, 3> named(const Axes& axes, int upright) {
    const int a = (upright + 1) % 3, b = (upright + 2) % 3;
    const bool aAhead = std::fabs(axes.directions(2, a)) > std::fabs(axes.directions(2, b));
    return {aAhead ? b : a, upright, aAhead ? a : b};
}

}  // namespace

std::vector<PhotoLine> sortLines(const std::vector<PictureLine>& lines, const PhotoEvidence& e, uint64_t seed) {
    Intrinsics lens;
    lens.focalPx = e.focalPx.value_or(1.1 * e.width);
    lens.pixelAspect = e.pixelAspect;
    lens.principalPoint = e.principalPoint.value_or(Vector2d((e.width - 1) / 2.0, (e.height - 1) / 2.0));
    lens.lens = e.lens;
    std::vector<Segment> segments;
    std::vector<size_t> of;
    std::vector<double> lengths;
    for (size_t i = 0; i < lines.size(); ++i) {
        const auto a = lens.normalisedFromPixel(lines[i].a), b = lens.normalisedFromPixel(lines[i].b);
        if (!a || !b) continue;
        Segment s;
        s.a = *a * lens.focalPx / e.width, s.b = *b * lens.focalPx / e.width;
        s.middle = (s.a + s.b) / 2;
        s.length = (s.b - s.a).norm();
        if (!(s.length > 1e-3)) continue;
        s.through = s.a.homogeneous().cross(s.b.homogeneous());
        segments.push_back(s);
        of.push_back(i);
        lengths.push_back(std::min(s.length, longestCounts));
    }
    if (segments.size() < 2 * fewestOfAxis) return {};
    std::mt19937_64 random(seed);
    std::discrete_distribution<size_t> draw(lengths.begin(), lengths.end());
    Axes best;
    double most = 0;
    const double limit = agreePx / 1000;
    for (int trial = 0; trial < axisTrials; ++trial) {
        const Segment &s1 = segments[draw(random)], &s2 = segments[draw(random)], &s3 = segments[draw(random)],
                      &s4 = segments[draw(random)];
        const Vector3d first = s1.through.cross(s2.through);
        if (first.norm() < 1e-9) continue;
        Axes axes;
        Vector3d d1, d2;
        if (e.focalPx) {
            axes.focal = *e.focalPx / e.width;
            d1 = Vector3d(first.x() / axes.focal, first.y() / axes.focal, first.z()).normalized();
            const Vector3d plane(s3.through.x() * axes.focal, s3.through.y() * axes.focal, s3.through.z());
            d2 = d1.cross(plane);
        } else {
            const Vector3d second = s3.through.cross(s4.through);
            if (second.norm() < 1e-9 || std::fabs(first.z()) < 1e-12 || std::fabs(second.z()) < 1e-12) continue;
            const double squared = -(first.head<2>() / first.z()).dot(second.head<2>() / second.z());
            if (!(squared > shortestFocal * shortestFocal && squared < longestFocal * longestFocal)) continue;
            axes.focal = std::sqrt(squared);
            d1 = Vector3d(first.x() / axes.focal, first.y() / axes.focal, first.z()).normalized();
            d2 = Vector3d(second.x() / axes.focal, second.y() / axes.focal, second.z());
        }
        if (d2.norm() < 1e-9) continue;
        d2 = (d2 - d2.dot(d1) * d1).normalized();
        axes.directions.col(0) = d1, axes.directions.col(1) = d2, axes.directions.col(2) = d1.cross(d2);
        if (!axes.directions.allFinite()) continue;
        double worth = 0;
        if (uprightOf(axes, worth) < 0) continue;
        // Given, a focal length is as likely as any.
        const double support = supportOfAxes(segments, axes, limit) * (e.focalPx ? 1 : 0.5 + 0.5 * worth);
        if (support > most) most = support, best = axes;
    }
    if (most <= 0) return {};

    // Fit, sort anew by the camera fitted, and so on.
    std::vector<PhotoLine> out;
    std::array<Vector3d, 3> directions;
    double focal = best.focal, worth = 0;
    const auto names = named(best, uprightOf(best, worth));
    for (size_t i = 0; i < 3; ++i) directions[i] = best.directions.col(names[i]);
    double within = limit;
    for (int round = 0; round < 4; ++round) {
        out.clear();
        std::array<int, 3> count{};
        for (size_t i = 0; i < segments.size(); ++i) {
            int axis = -1;
            double least = within;
            for (int k = 0; k < 3; ++k)
                if (const double off = misfitOf(segments[i], directions[size_t(k)], focal); off < least)
                    least = off, axis = k;
            if (axis < 0) continue;
            PhotoLine line;
            line.a = lines[of[i]].a, line.b = lines[of[i]].b;
            line.axis = PhotoAxis(axis);
            out.push_back(line);
            ++count[size_t(axis)];
        }
        if (std::count_if(count.begin(), count.end(), [](int n) { return n >= fewestOfAxis; }) < 2) return {};
        PhotoEvidence fitted = e;
        fitted.lines = out;
        const PhotoFit fit = matchPhoto(fitted);
        if (!fit.found) break;
        focal = fit.lens.focalPx / e.width;
        const View view = viewFromPose(fit.pose);
        for (int k = 0; k < 3; ++k) directions[size_t(k)] = view.rotation.col(k);
        within = finePx / 1000;
    }
    for (PhotoLine& line : out) line.sigma = std::hypot(line.sigma, askewSigma * (line.b - line.a).norm());
    return out;
}

}  // namespace va
