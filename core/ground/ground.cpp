// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/ground.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace va {
namespace {

/// Expected error in px of either end of an edge or a horizon that a person drew, and of an edge that was found.
constexpr double drawnSigmaPx = 1, foundSigmaPx = 0.5;
/// Upright edges are looked for among lines that lie within this of the cameras' upright; a sine.
constexpr double nearUpright = 0.26;
/// Of what the cloud holds, planes with less support than this tell nothing of the upright.
constexpr double leastSupport = 4;

Eigen::Quaterniond aroundY(const Eigen::Vector3d& forwardToZ) {
    return Eigen::Quaterniond(Eigen::AngleAxisd(-std::atan2(forwardToZ.x(), forwardToZ.z()), Eigen::Vector3d::UnitY()));
}

/// Share of the points beside a floor that lie below it, up to which it is a floor and from which on it is terrain
/// (2 % and less on 60 flat made-up places, 14 % and more on 60 hilly ones).
constexpr double floorBelow = 0.06, terrainBelow = 0.14;
/// A floor of fewer points than this, and of a smaller share of all points, may be a plane that happens to be there.
constexpr double enoughForFloor = 24, fewShare = 0.08;
constexpr double strayTilt = 12 * M_PI / 180;  ///< deviation of such a plane's tilt

/// A chosen level that is less sure than this says so.
constexpr double unsureDeg = 2;

/// Deviation of a floor's tilt that the errors of the cameras, which all points share, leave: as a share of the angle
/// that the solve's RMS error is seen under (as measured on 60 made-up places and the demo clips).
constexpr double sharedTiltShare = 0.8;
/// The same where depth comes from a still: the share of the angle that its RMS error is seen under (as measured on
/// two of the demo's pans).
constexpr double stillTiltShare = 5;

void addSharedTilt(Surface& floor, const SolveResult& solve) {
    double tilt = sharedTiltShare * solve.rmsPx / solve.lens.focalPx;
    // Depth from reference stills has the errors of few cameras in it.
    if (solve.motion != Motion::free)
        for (const SolvedStill& s : solve.stills)
            if (s.solved) tilt = std::max(tilt, stillTiltShare * s.rmsPx / s.lens.focalPx);
    if (std::isfinite(tilt)) floor.covariance.diagonal().head<2>().array() += tilt * tilt;
}

/// Nothing lies below a floor. Where points do, beside it and about as many as on it, the floor is a level-looking spot
/// of hilly ground: gives that ground's relief, the root mean square of what lies on and below the floor, in solve
/// units; 0 for a floor. Points as unsure as a tenth of the camera's height say nothing.
double terrainRelief(const Surface& floor, const std::vector<SurePoint>& points, const Eigen::Vector3d& cameras) {
    const double height = floor.plane.distance(cameras);
    if (!(height > 0)) return 0;
    int below = 0, on = 0;
    double squares = 0;
    for (const SurePoint& p : points) {
        const Eigen::Vector3d q = p.position - floor.centre;
        const double off = floor.plane.distance(p.position), sigma = p.sigmaAlong(floor.plane.normal),
                     tolerance = 3 * sigma + 0.01 * height;
        if (std::fabs(q.dot(floor.u)) > 1.5 * floor.halfU + 0.5 * height ||
            std::fabs(q.dot(floor.v)) > 1.5 * floor.halfV + 0.5 * height || sigma > 0.1 * height || off > tolerance)
            continue;
        (off < -tolerance ? below : on) += 1;
        squares += off * off;
    }
    if (below + on == 0) return 0;
    const double share = double(below) / (below + on);
    const double sure = std::clamp((share - floorBelow) / (terrainBelow - floorBelow), 0.0, 1.0);
    return sure * std::sqrt(squares / (below + on));
}

/// A spot of hilly ground has a tilt that is known no better than half as much again as the ground's relief over its
/// narrower half. A plane of few points amid many others may be no floor at all: any tilt.
void addTerrainDoubt(Surface& floor, double relief, size_t pointsInAll) {
    const double tilt = floor.halfV > 0 ? std::atan(1.5 * relief / floor.halfV) : 0;
    const auto count = double(floor.paths.size());
    const double few = count < fewShare * double(pointsInAll)
                           ? std::clamp((enoughForFloor - count) / (enoughForFloor - 12), 0.0, 1.0) * strayTilt
                           : 0;
    if (std::isfinite(tilt)) floor.covariance.diagonal().head<2>().array() += tilt * tilt + few * few;
}

/// Builds one ground; the parts follow each other in the order of build().
class GroundBuilder {
  public:
    GroundBuilder(const GroundBasis& basis, const GroundSpec& spec)
        : basis_(basis), spec_(spec), solve_(*basis.solve), up_(basis.cameraUp) {}

    GroundFit build() {
        if (solve_.motion == Motion::still && !solve_.hasDepth()) return still();
        if (!solve_.hasDepth()) return fit_;
        takePlanes();
        const bool chosen = !spec_.level.empty() || spec_.origin.kind != WorldOrigin::Kind::automatic ||
                            spec_.facing.kind != WorldFacing::Kind::automatic;
        if (solve_.measured.placed && !chosen) {
            // Known positions say where the world is.
            fit_.worldFromSolve = solve_.measured.fromSolve;
            fit_.level = fit_.metric = fit_.placed = true;
        } else if (!placeByShared()) {
            if (spec_.level.empty()) levelByItself();
            else levelByChoice();
            Similarity& world = fit_.worldFromSolve;
            if (fit_.level) world.rotation = Eigen::Quaterniond::FromTwoVectors(up_, Eigen::Vector3d::UnitY());
            face();
            const Eigen::Vector3d origin = originInSolve();
            scale();
            world.translation = -(world.scale * (world.rotation * origin));
        }
        fit_.worldFromSolve = spec_.byHand.after(fit_.worldFromSolve);
        fit_.rms *= fit_.worldFromSolve.scale;
        return fit_;
    }

  private:
    /// The camera of one picture stands in a level world already.
    GroundFit still() {
        up_ = Eigen::Vector3d::UnitY();
        fit_.level = true;
        fit_.levelSigmaDeg = solve_.uprightSigmaDeg;
        fit_.floor = Surface();
        fit_.floor->plane.normal = up_;
        if (spec_.facing.kind != WorldFacing::Kind::automatic) face();
        const Eigen::Vector3d origin = originInSolve();
        scale();
        Similarity& world = fit_.worldFromSolve;
        world.translation = -(world.scale * (world.rotation * origin));
        world = spec_.byHand.after(world);
        return fit_;
    }

    void say(const std::string& sentence) { fit_.trouble += (fit_.trouble.empty() ? "" : " ") + sentence; }

    const SurePoint* at(int path) const { return sureAt(basis_.points, path); }

    void takePlanes() {
        for (const NamedPlane& p : spec_.planes)
            if (auto s = fitSurface(basis_.points, p.paths, true)) {
                if (s->plane.distance(basis_.cameras) < 0) s->flip();
                fit_.planes.push_back({p.id, std::move(*s)});
            } else say(text("The plane \"%s\" has too few points in this solve.", p.name.c_str()));
    }

    const Surface* plane(int id) const {
        const auto p = std::find_if(fit_.planes.begin(), fit_.planes.end(), [&](const auto& q) { return q.id == id; });
        return p != fit_.planes.end() ? &p->surface : nullptr;
    }

    bool placeByShared() {
        if (spec_.shared.empty()) return false;
        std::vector<const SurePoint*> points;
        Eigen::Matrix3Xd from(3, Eigen::Index(spec_.shared.size())), to = from;
        Eigen::Index n = 0;
        for (const SharedPoint& s : spec_.shared) {
            points.push_back(at(s.path));
            if (points.back()) from.col(n) = points.back()->position, to.col(n++) = s.position;
        }
        from.conservativeResize(3, n), to.conservativeResize(3, n);
        std::vector<Eigen::Vector3d> positions;
        for (Eigen::Index i = 0; i < n; ++i) positions.push_back(to.col(i));
        if (!fitPlane(positions)) {
            say(
                text("The world of another shot needs three points in common that are not in a row; %d are in this "
                     "solve.",
                     int(n)));
            return false;
        }
        fit_.worldFromSolve = similarityBetween(from, to);
        fit_.level = fit_.metric = fit_.placed = true;
        for (size_t i = 0; i < points.size(); ++i)
            fit_.sharedResiduals.push_back(
                points[i] ? (fit_.worldFromSolve.point(points[i]->position) - spec_.shared[i].position).norm() : -1);
        return true;
    }

    void takeFloor(Surface floor) {
        if (floor.plane.distance(basis_.cameras) < 0) floor.flip();
        fit_.usedPaths = floor.paths;
        fit_.rms = floor.plane.rms;
        fit_.floor = std::move(floor);
    }

    void levelByItself() {
        std::vector<LevelRows> rows;
        const Surface* floor = nullptr;
        for (const Candidate& c : basis_.candidates) {
            if (c.support < leastSupport) continue;
            if (c.kind == SurfaceKind::wall) rows.push_back(rowsOfWall(c.surface, basis_.cameraUp));
            else if (c.kind == SurfaceKind::floor || c.kind == SurfaceKind::top) {
                // Tops are level as often as not: floors alone tell, and the best one is the ground.
                if (c.kind == SurfaceKind::floor || c.support > 4 * leastSupport)
                    rows.push_back(rowsOfFloor(c.surface));
                if (!floor && c.kind == SurfaceKind::floor) floor = &c.surface;
            }
        }
        for (const PictureLine& line : basis_.uprights)
            if (LevelRows r = rowsOfLine(LevelKind::upright, line, solve_, foundSigmaPx);
                !r.level.empty() && std::fabs(r.level[0].dot(basis_.cameraUp)) < nearUpright)
                rows.push_back(std::move(r));
        const bool any = !rows.empty();
        rows.push_back(rowsOfCameras(solve_));
        const auto fit = any ? fitLevel(rows, basis_.cameraUp, true) : std::nullopt;
        if (!fit) {
            // Better than the solve's own axes, which are those of its first camera.
            up_ = basis_.cameraUp;
            fit_.level = true;
            fit_.levelSigmaDeg = 15;
            say(
                text("Nothing in the shot tells which way is up: no floor, no walls, no upright edges. The world is "
                     "level only as far as the camera was held level. Pick points on a floor or a wall, or draw an "
                     "upright edge."));
            return;
        }
        up_ = fit->up;
        fit_.level = true;
        fit_.levelSigmaDeg = fit->sigmaDeg();
        fit_.evidence = fit->reports;
        if (floor && floor->plane.normal.dot(up_) > 0.94) takeFloor(*floor);
        const bool held = std::none_of(fit->reports.begin(), fit->reports.end(),
                                       [](const LevelReport& r) { return r.used && r.kind != LevelKind::cameraRoll; });
        if (held || fit_.levelSigmaDeg > 1)
            say(text("The level is sure to ± %.1f° only: pick points on a floor or a wall, or draw an upright edge.",
                     fit_.levelSigmaDeg));
    }

    void levelByChoice() {
        std::vector<LevelRows> rows;
        for (const LevelEvidence& e : spec_.level) {
            rows.push_back({e.kind, {}, {}, int(e.paths.size())});
            if (e.kind == LevelKind::floor || e.kind == LevelKind::wall) {
                auto surface = surfaceOf(e);
                if (!surface) continue;
                rows.back() =
                    e.kind == LevelKind::floor ? rowsOfFloor(*surface) : rowsOfWall(*surface, basis_.cameraUp);
                if (e.kind == LevelKind::floor && !fit_.floor) takeFloor(std::move(*surface));
            } else {
                rows.back() = rowsOfLine(e.kind, e.line, solve_, drawnSigmaPx);
                if (rows.back().level.empty())
                    say(text("A line drawn in frame %d can't be used: the frame has no camera, or the line no length.",
                             e.line.frame));
            }
        }
        auto fit = fitLevel(rows, basis_.cameraUp, false);
        if (!fit) {
            // One wall, or edges that meet in the distance, leave one direction open: the cameras' roll closes it.
            std::vector<LevelRows> more = rows;
            more.push_back(rowsOfCameras(solve_));
            more.push_back(rowsOfView(solve_));
            fit = fitLevel(more, basis_.cameraUp, false);
            if (fit && std::any_of(rows.begin(), rows.end(), [](const LevelRows& r) { return !r.level.empty(); }))
                say(
                    text("The chosen evidence leaves the level open in one direction: how the camera was held fills "
                         "in, ± %.1f°. Add a floor, another wall or an upright edge.",
                         fit->sigmaDeg()));
            else fit.reset();
        }
        if (!fit) {
            fit_.floor.reset();
            fit_.usedPaths.clear();
            return;
        }
        up_ = fit->up;
        fit_.level = true;
        fit_.levelSigmaDeg = fit->sigmaDeg();
        fit_.evidence.assign(fit->reports.begin(), fit->reports.begin() + std::ptrdiff_t(rows.size()));
        // Points far away, nearly in a row, or of a floor that is seen from its edge.
        if (fit_.levelSigmaDeg > unsureDeg && fit_.trouble.empty())
            say(text(
                "What was chosen gives the level to ± %.1f° only: the points are too far away, nearly in a row, or "
                "on a floor that is seen from its edge. Choose nearer ones, or add a wall or an upright edge.",
                fit_.levelSigmaDeg));
    }

    std::optional<Surface> surfaceOf(const LevelEvidence& e) {
        std::vector<SurePoint> on;
        for (const int id : e.paths)
            if (const SurePoint* p = at(id)) on.push_back(*p);
        // Points picked one by one are meant; many, as by a lasso, hold things that lie on the floor as well.
        const bool many = on.size() >= leastForFloor;
        std::optional<Surface> out = fitSurface(on, many);
        if (out && out->plane.distance(basis_.cameras) < 0) out->flip();
        if (out && many && e.kind == LevelKind::floor)
            if (auto floor = fitFloor(on, out->plane, out->plane.distance(basis_.cameras))) out = std::move(floor);
        if (out && e.kind == LevelKind::floor) addSharedTilt(*out, solve_);
        if (out) return out;
        const bool floor = e.kind == LevelKind::floor;
        if (on.size() < 3)
            say(floor ? text("Fewer than three of the points chosen for the floor are in this solve: pick others.")
                      : text("Fewer than three of the points chosen for the wall are in this solve: pick others."));
        else
            say(floor ? text("The points chosen for the floor lie on one line, which leaves its tilt open: add one "
                             "beside the line.")
                      : text("The points chosen for the wall lie on one line, which leaves its tilt open: add one "
                             "beside the line."));
        return std::nullopt;
    }

    /// Where a ray meets the ground, in the solve's space.
    std::optional<Eigen::Vector3d> onGround(const Ray& ray) const {
        const double down = ray.direction.dot(up_), height = ray.origin.dot(up_) - groundHeight();
        const double distance = -height / down;
        return std::isfinite(distance) && distance > 0 ? std::optional(ray.at(distance)) : std::nullopt;
    }

    /// up · x on the ground.
    double groundHeight() const { return fit_.floor ? fit_.floor->centre.dot(up_) : 0; }

    std::optional<Eigen::Vector3d> facingInSolve() {
        const WorldFacing& f = spec_.facing;
        switch (f.kind) {
            case WorldFacing::Kind::automatic: break;
            case WorldFacing::Kind::points:
                if (f.paths.size() == 2)
                    if (const SurePoint* a = at(f.paths[0]), *b = at(f.paths[1]); a && b)
                        return Eigen::Vector3d(b->position - a->position);
                say(text("A point that the axis was laid along is not in this solve: pick two others."));
                break;
            case WorldFacing::Kind::edge:
                if (const auto camera = solve_.cameraAt(f.line.frame); camera && fit_.floor) {
                    const auto ra = camera->ray(f.line.a), rb = camera->ray(f.line.b);
                    const auto a = ra ? onGround(*ra) : std::nullopt, b = rb ? onGround(*rb) : std::nullopt;
                    if (a && b && (*b - *a).norm() > 0) return Eigen::Vector3d(*b - *a);
                }
                say(
                    text("The edge drawn in frame %d does not lie on the ground: draw it below the horizon, along "
                         "something on the floor.",
                         f.line.frame));
                break;
            case WorldFacing::Kind::wall: {
                const Surface* wall = plane(f.plane);
                std::optional<Surface> own;
                if (!wall && !f.paths.empty() && (own = fitSurface(basis_.points, f.paths, true))) {
                    if (own->plane.distance(basis_.cameras) < 0) own->flip();
                    wall = &*own;
                }
                if (wall) return wall->plane.normal;
                say(text("The wall that the world was to face has too few points in this solve: pick another."));
                break;
            }
            case WorldFacing::Kind::camera:
                if (const SolvedFrame* s = solve_.at(f.frame); s && s->solved)
                    return Eigen::Vector3d(s->pose.worldFromCamera * Eigen::Vector3d::UnitZ());
                say(text("Frame %d has no camera to face: choose another.", f.frame));
                break;
        }
        return std::nullopt;
    }

    void face() {
        Similarity& world = fit_.worldFromSolve;
        // Automatic: the first camera looks along −Z.
        Eigen::Vector3d z = Eigen::Vector3d::Zero();
        for (const SolvedFrame& f : solve_.frames)
            if (f.solved) {
                z = f.pose.worldFromCamera * Eigen::Vector3d::UnitZ();
                break;
            }
        bool chosen = false;
        if (const auto along = facingInSolve()) z = *along, chosen = true;
        z = world.rotation * z;
        if (std::hypot(z.x(), z.z()) < 1e-9 * z.norm() || z.norm() == 0) {
            if (chosen) say(text("The direction chosen for the axis is upright: it says nothing of where to face."));
            return;
        }
        world.rotation = aroundY(z) * world.rotation;
        const double quarters = spec_.facing.quarterTurns + (chosen && spec_.facing.alongX ? 1 : 0);
        world.rotation =
            Eigen::Quaterniond(Eigen::AngleAxisd(quarters * M_PI / 2, Eigen::Vector3d::UnitY())) * world.rotation;
        world.rotation.normalize();
    }

    Eigen::Vector3d onFloor(const Eigen::Vector3d& place) const {
        return fit_.floor ? Eigen::Vector3d(place - (place.dot(up_) - groundHeight()) * up_) : place;
    }

    Eigen::Vector3d originInSolve() {
        const WorldOrigin& o = spec_.origin;
        switch (o.kind) {
            case WorldOrigin::Kind::automatic: break;
            case WorldOrigin::Kind::point:
            case WorldOrigin::Kind::middle: {
                Eigen::Vector3d sum = Eigen::Vector3d::Zero();
                int found = 0;
                for (const int id : o.paths)
                    if (const SurePoint* p = at(id)) sum += p->position, ++found;
                // The floor stays at height zero: a point picked a hair above it, or on a thing that stands there,
                // gives the position below it.
                if (found > 0) return onFloor(sum / found);
                say(text("The point chosen as origin is not in this solve: pick another."));
                break;
            }
            case WorldOrigin::Kind::underCamera:
                if (const SolvedFrame* s = solve_.at(o.frame); s && s->solved) return onFloor(s->pose.position);
                say(text("Frame %d has no camera to put the origin under: choose another.", o.frame));
                break;
            case WorldOrigin::Kind::corner:
                if (const Surface* s = plane(o.plane)) return onFloor(s->corners()[size_t(std::clamp(o.corner, 0, 3))]);
                say(text("The plane whose corner was the origin has too few points in this solve: pick another."));
                break;
        }
        if (!fit_.floor) return Eigen::Vector3d::Zero();
        Eigen::Vector3d middle = Eigen::Vector3d::Zero();
        int found = 0;
        for (const int id : fit_.usedPaths)
            if (const SurePoint* p = at(id)) middle += p->position, ++found;
        return onFloor(found > 0 ? Eigen::Vector3d(middle / found) : fit_.floor->centre);
    }

    void scale() {
        std::vector<KnownLength> lengths = spec_.lengths;
        lengths.insert(lengths.end(), basis_.setLengths.begin(), basis_.setLengths.end());
        LengthScene scene{&basis_.points, &solve_, up_, std::nullopt, 0};
        if (fit_.floor) scene.ground = groundHeight(), scene.groundSigma = fit_.floor->offsetSigma();
        Similarity& world = fit_.worldFromSolve;
        const auto found = fitScale(lengths, scene);
        if (found) {
            world.scale = found->scale;
            fit_.metric = true;
            fit_.scaleSigma = found->sigma;
            fit_.lengths = found->reports;
            if (!found->trouble.empty()) say(found->trouble);
            for (size_t i = 0; i < spec_.lengths.size(); ++i)
                if (!found->reports[i].why.empty())
                    say(text("Length %d: %s", int(i) + 1, found->reports[i].why.c_str()));
            return;
        }
        if (!spec_.lengths.empty()) {
            for (const KnownLength& k : spec_.lengths) {
                ScaleReport r;
                r.why = k.metres > 0 ? solvedLength(k, scene).why : text("A length must be more than nothing.");
                fit_.lengths.push_back(r);
            }
            say(text("The scale can't be had: %s", fit_.lengths.front().why.c_str()));
        }
        if (solve_.measured.scaled) {
            world.scale = solve_.measured.fromSolve.scale;
            fit_.metric = true;
        }
    }

    const GroundBasis& basis_;
    const GroundSpec& spec_;
    const SolveResult& solve_;
    Eigen::Vector3d up_;  ///< in the solve's space
    GroundFit fit_;
};

}  // namespace

const NamedPlane* GroundSpec::plane(int id) const {
    const auto p = std::find_if(planes.begin(), planes.end(), [&](const NamedPlane& q) { return q.id == id; });
    return p != planes.end() ? &*p : nullptr;
}

bool operator==(const GroundSpec& a, const GroundSpec& b) {
    return a.level == b.level && a.origin == b.origin && a.facing == b.facing && a.lengths == b.lengths &&
           a.planes == b.planes && a.shared == b.shared && a.byHand.scale == b.byHand.scale &&
           a.byHand.rotation.coeffs() == b.byHand.rotation.coeffs() && a.byHand.translation == b.byHand.translation;
}

std::shared_ptr<const GroundBasis> makeGroundBasis(std::shared_ptr<const SolveResult> solve,
                                                   std::vector<PictureLine> uprights,
                                                   std::vector<KnownLength> setLengths) {
    auto out = std::make_shared<GroundBasis>();
    out->solve = std::move(solve);
    out->uprights = std::move(uprights);
    out->setLengths = std::move(setLengths);
    if (!out->solve->hasDepth()) return out;
    Eigen::Vector3d up = Eigen::Vector3d::Zero();
    int count = 0;
    for (const SolvedFrame& f : out->solve->frames) {
        if (!f.solved) continue;
        up += f.pose.worldFromCamera * Eigen::Vector3d::UnitY();
        out->cameras += f.pose.position;
        ++count;
    }
    if (count > 0) out->cameras /= count;
    if (up.norm() > 1e-9) out->cameraUp = up.normalized();
    out->points = surePoints(*out->solve);
    out->candidates = findCandidates(out->points, out->cameras, out->cameraUp);
    for (Candidate& c : out->candidates) {
        if (c.kind != SurfaceKind::floor) continue;
        if (auto floor = fitFloor(out->points, c.surface.plane, c.surface.plane.distance(out->cameras))) {
            floor->outliers.clear();  // nobody chose them
            c.surface = std::move(*floor);
            addSharedTilt(c.surface, *out->solve);
        }
    }
    // Where the widest floor is hilly ground, the other level-looking planes are: even spots of it, or the bottom of a
    // dip.
    const Surface* widest = nullptr;
    const auto extent = [](const Surface& f) { return double(f.paths.size()) * f.halfU * f.halfV; };
    for (const Candidate& c : out->candidates)
        if (c.kind == SurfaceKind::floor && (!widest || extent(c.surface) > extent(*widest))) widest = &c.surface;
    const double relief = widest ? terrainRelief(*widest, out->points, out->cameras) : 0;
    for (Candidate& c : out->candidates) {
        if (c.kind != SurfaceKind::floor && c.kind != SurfaceKind::top) continue;
        const double own = c.kind == SurfaceKind::floor ? terrainRelief(c.surface, out->points, out->cameras) : 0;
        addTerrainDoubt(c.surface, std::max(own, relief), out->points.size());
    }
    return out;
}

GroundFit buildGround(const GroundBasis& basis, const GroundSpec& spec) { return GroundBuilder(basis, spec).build(); }

}  // namespace va
