// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/constraints/known_measure.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/svd3.h"
#include "base/text.h"
#include "solve/incremental/observations.h"

namespace va {
namespace {

using Kind = PointTie::Kind;

size_t pointsNeeded(Kind kind) {
    switch (kind) {
        case Kind::position:
        case Kind::level: return 1;
        case Kind::distance: return 2;
        case Kind::rightAngle: return 3;
        case Kind::flat: return 4;
    }
    return 1;
}

/// The positions of a measure's points, or nothing when one is missing.
std::optional<std::vector<Eigen::Vector3d>> placesOf(const KnownMeasure& m, const PlaceOfPath& place) {
    if (m.paths.size() < pointsNeeded(m.kind)) return std::nullopt;
    std::vector<Eigen::Vector3d> out;
    for (const int id : m.paths) {
        const auto p = place(id);
        if (!p) return std::nullopt;
        out.push_back(*p);
    }
    return out;
}

/// What a measure asks for in a world of another scale and position.
PointTie tieIn(const KnownMeasure& m, const Similarity& solveFromWorld, double hard) {
    PointTie t;
    t.kind = m.kind;
    t.points = m.paths;
    t.target = solveFromWorld.point(m.target);
    t.normal = (solveFromWorld.rotation * m.normal).normalized();
    t.length = m.length * solveFromWorld.scale;
    if (m.kind == Kind::rightAngle) t.sigma = m.tolerance > 0 ? m.tolerance * M_PI / 180 : 1e-5;
    else t.sigma = m.tolerance > 0 ? m.tolerance * solveFromWorld.scale : hard;
    return t;
}

double sizeOf(const std::vector<Eigen::Vector3d>& points) {
    double out = 0;
    for (const auto& p : points) out = std::max(out, (p - points.front()).norm());
    return out;
}

}  // namespace

MeasuredWorld measuredWorld(const std::vector<KnownMeasure>& measures, const PlaceOfPath& place) {
    MeasuredWorld out;
    std::vector<Eigen::Vector3d> here, there;
    std::vector<double> scales;
    for (const KnownMeasure& m : measures) {
        const auto points = placesOf(m, place);
        if (!points) continue;
        if (m.kind == Kind::position) here.push_back(points->front()), there.push_back(m.target);
        if (m.kind == Kind::distance && m.length > 0 && sizeOf(*points) > 0)
            scales.push_back(m.length / sizeOf(*points));
    }
    for (size_t i = 0; i < here.size(); ++i)
        for (size_t j = 0; j < i; ++j) {
            const double a = (here[i] - here[j]).norm(), b = (there[i] - there[j]).norm();
            if (a > 0 && b > 0) scales.push_back(b / a);
        }
    if (scales.empty()) return out;
    out.scaled = true;
    out.fromSolve.scale = median(scales);
    if (here.size() < 3) return out;
    Eigen::Matrix3Xd from(3, here.size()), to(3, there.size());
    for (size_t i = 0; i < here.size(); ++i) from.col(Eigen::Index(i)) = here[i], to.col(Eigen::Index(i)) = there[i];
    const auto wide = [](const Eigen::Matrix3Xd& p) {
        const Eigen::Matrix3Xd free = p.colwise() - p.rowwise().mean();
        // Singular values of the points about their middle, squared.
        const Eigen::Vector3d s = svd3(free * free.transpose()).s;
        return s(1) > 1e-6 * s(0);
    };
    if (!wide(from) || !wide(to)) return out;
    const Similarity fit = similarityBetween(from, to);
    if (!(fit.scale > 0) || !std::isfinite(fit.scale) || !fit.translation.allFinite()) return out;
    out.placed = true;
    out.fromSolve = fit;
    return out;
}

std::vector<PointTie> tiesFor(const std::vector<KnownMeasure>& measures, const MeasuredWorld& world,
                              const PlaceOfPath& place, double depth) {
    const double hard = 1e-5 * depth;
    const Similarity back = world.fromSolve.inverse();
    std::vector<PointTie> out;
    std::vector<const KnownMeasure*> positions;
    std::map<std::vector<double>, PointTie> planes;
    for (const KnownMeasure& m : measures) {
        if (!placesOf(m, place)) continue;
        switch (m.kind) {
            case Kind::distance:
                if (world.scaled && m.length > 0) out.push_back(tieIn(m, back, hard));
                break;
            case Kind::position:
                if (world.placed) out.push_back(tieIn(m, back, hard));
                else positions.push_back(&m);
                break;
            case Kind::level:
                if (world.placed) {
                    out.push_back(tieIn(m, back, hard));
                } else {
                    // Where the plane lies is not known; that they share one is.
                    const double at = m.normal.dot(m.target);
                    PointTie& group = planes[{m.normal.x(), m.normal.y(), m.normal.z(), at}];
                    const PointTie one = tieIn(m, back, hard);
                    if (group.points.empty()) group.sigma = one.sigma;
                    group.kind = Kind::flat;
                    group.points.push_back(m.paths.front());
                    group.sigma = std::max(group.sigma, one.sigma);
                }
                break;
            case Kind::flat:
            case Kind::rightAngle: out.push_back(tieIn(m, back, hard)); break;
        }
    }
    for (auto& [plane, group] : planes)
        if (group.points.size() >= pointsNeeded(Kind::flat)) out.push_back(group);
    for (size_t i = 0; i < positions.size(); ++i)
        for (size_t j = 0; j < i; ++j) {
            KnownMeasure apart;
            apart.paths = {positions[j]->paths.front(), positions[i]->paths.front()};
            apart.length = (positions[i]->target - positions[j]->target).norm();
            apart.tolerance = std::hypot(positions[i]->tolerance, positions[j]->tolerance);
            if (apart.length > 0 && world.scaled) out.push_back(tieIn(apart, back, hard));
        }
    return out;
}

std::vector<MeasureReport> reportOn(const std::vector<KnownMeasure>& measures, const MeasuredWorld& world,
                                    const PlaceOfPath& place) {
    std::vector<MeasureReport> out;
    for (const KnownMeasure& m : measures) {
        MeasureReport r;
        const auto points = placesOf(m, place);
        const bool needsScale = m.kind == Kind::distance || m.kind == Kind::position || m.kind == Kind::level;
        if (m.paths.size() < pointsNeeded(m.kind)) {
            r.why = m.kind == Kind::flat ? text("A flat group takes four points or more.")
                    : m.paths.empty()    ? text("No feature is assigned to it yet.")
                                         : text("It has too few features.");
        } else if (!points) {
            r.why = text("One of its features has no point in this solve.");
        } else if ((m.kind == Kind::position || m.kind == Kind::level) && !world.placed) {
            r.why =
                m.kind == Kind::position
                    ? text("Fewer than three known positions, or all on a line: only the distances between them count.")
                    : text("Where the plane lies takes three known positions: only that the points share one counts.");
            r.used = true;
        } else if (needsScale && !world.scaled) {
            r.why = text("Its points coincide in this solve.");
        } else if (m.kind == Kind::distance && !(m.length > 0)) {
            r.why = text("Its length is not given yet.");
        } else {
            r.used = true;
            KnownMeasure unit = m;
            unit.tolerance = m.kind == Kind::rightAngle ? 180 / M_PI : 1;
            PointTie tie = tieIn(unit, Similarity(), 1);
            tie.points.clear();
            std::vector<Eigen::Vector3d> measured;
            for (size_t i = 0; i < points->size(); ++i) {
                tie.points.push_back(int(i));
                measured.push_back(world.fromSolve.point((*points)[i]));
            }
            const Eigen::VectorXd off = tieResiduals(tie, measured);
            r.off = m.kind == Kind::position ? off.norm() : off.cwiseAbs().maxCoeff();
            if (m.kind == Kind::rightAngle) r.off *= 180 / M_PI;
            if (m.tolerance > 0) r.inTolerances = r.off / m.tolerance;
        }
        out.push_back(std::move(r));
    }
    return out;
}

}  // namespace va
