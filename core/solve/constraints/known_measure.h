// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "solve/bundle/point_tie.h"
#include "solve/similarity.h"

namespace va {

/// Something measured on the set, by path ids. Lengths are in the unit that it was measured in.
struct KnownMeasure {
    PointTie::Kind kind = PointTie::Kind::distance;
    std::vector<int> paths;                             ///< as PointTie::points
    Eigen::Vector3d target = Eigen::Vector3d::Zero();   ///< of a position; of `level` a position on the plane
    Eigen::Vector3d normal = Eigen::Vector3d::UnitY();  ///< of that plane
    double length = 0;                                  ///< of a distance
    double tolerance = 0;                               ///< one deviation; of a right angle in degrees; 0 = hard
};

/// How well a solve meets a measure.
struct MeasureReport {
    bool used = false;
    std::string why;          ///< where it was not: a sentence
    double off = 0;           ///< largest difference, in the measure's unit; of a right angle in degrees
    double inTolerances = 0;  ///< the same over the tolerance; 0 for a hard one
};

/// The measured world against a solve's.
struct MeasuredWorld {
    bool scaled = false;  ///< lengths are known: `fromSolve.scale`
    bool placed = false;  ///< three known positions or more, not on a line: all of `fromSolve`
    Similarity fromSolve;
};

using PlaceOfPath = std::function<std::optional<Eigen::Vector3d>(int path)>;

/// From known positions by the least-squares similarity (Umeyama, PAMI 1991); else the median of the scales that
/// distances, and pairs of positions, ask for. Measures whose points the solve does not have are left out; points that
/// coincide ask for no scale.
MeasuredWorld measuredWorld(const std::vector<KnownMeasure>& measures, const PlaceOfPath& place);

/// The measures as ties in the solve's own space, for those that can be used; points are path ids. `which` gets the
/// measure that each came from. Positions without a placed world become distances among them; heights, a flat group.
/// A hard measure gets a hundred-thousandth of `depth` (how far away things are, in the solve's space) as tolerance.
std::vector<PointTie> tiesFor(const std::vector<KnownMeasure>& measures, const MeasuredWorld& world,
                              const PlaceOfPath& place, double depth);

/// One report a measure.
std::vector<MeasureReport> reportOn(const std::vector<KnownMeasure>& measures, const MeasuredWorld& world,
                                    const PlaceOfPath& place);

}  // namespace va
