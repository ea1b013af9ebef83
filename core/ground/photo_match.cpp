// SPDX-License-Identifier: GPL-3.0-or-later
#include "ground/photo_match.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/least_squares.h"
#include "base/rotation_vector.h"
#include "base/text.h"
#include "solve/minimal/resect.h"

namespace va {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr double degree = M_PI / 180;
constexpr double usualFocal = 1.1;        ///< widths, where nothing tells it
constexpr double usualHeight = 1.6;       ///< m, of a camera in the hand: common practice
constexpr double usualRoll = 3 * degree;  ///< deviation of how level a camera is held
constexpr double usualOffMiddle = 0.015;  ///< widths, deviation of the principal point of a picture that is not cropped
constexpr double openFocal = 0.08;        ///< relative deviation from which on a focal length counts as not known
constexpr double contradiction = 3;       ///< deviations between two focal lengths
constexpr double sureDistortion = 0.03;   ///< deviation of k1, or a quarter of it, above which the lines do not tell it
constexpr double finiteVanishing = 12;    ///< widths from the middle, within which a vanishing point is finite

/// What is solved, in the order of the unknowns.
struct Layout {
    bool focal = true, principal = false, distortion = false, position = false, sides = false;
    [[nodiscard]] Eigen::Index size() const {
        return 3 + focal + 2 * principal + 2 * distortion + 3 * position + 2 * sides;
    }
};

struct Camera {
    Intrinsics lens;
    View view;
    double width = 1, depth = 1;  ///< of a rectangle of unknown sides
};

/// The camera as evidence starts it, and how unknowns change it.
struct Problem {
    const PhotoEvidence& evidence;
    Layout layout;
    Camera start;

    [[nodiscard]] Camera at(const Eigen::VectorXd& x) const {
        Camera c = start;
        c.view.rotation = rotationBy(x.head<3>()) * start.view.rotation;
        Eigen::Index i = 3;
        if (layout.focal) c.lens.focalPx = start.lens.focalPx * std::exp(std::clamp(x(i++), -4.0, 4.0));
        if (layout.principal) c.lens.principalPoint += evidence.width * x.segment<2>(i), i += 2;
        if (layout.distortion) {
            c.lens.lens.setValue("k1", start.lens.lens.value("k1") + x(i));
            c.lens.lens.setValue("k2", start.lens.lens.value("k2") + x(i + 1));
            i += 2;
        }
        Vector3d centre = start.view.centre();
        if (layout.position) centre += usualHeight * x.segment<3>(i), i += 3;
        if (layout.sides) c.width = start.width * std::exp(x(i)), c.depth = start.depth * std::exp(x(i + 1)), i += 2;
        c.view.translation = -c.view.rotation * centre;
        return c;
    }
};

Vector2d middleOfPicture(const PhotoEvidence& e) {
    return e.principalPoint.value_or(Vector2d((e.width - 1) / 2.0, (e.height - 1) / 2.0));
}

/// Half the distance in px by which the ends of a line miss the direction to its axis's vanishing point.
double lineMisfit(const PhotoLine& line, const Camera& c) {
    const auto a = c.lens.normalisedFromPixel(line.a), b = c.lens.normalisedFromPixel(line.b);
    if (!a || !b) return 0;
    const Vector2d middle = (*a + *b) / 2;
    const Vector3d vanishing = c.view.rotation.col(int(line.axis));
    const Vector3d through = middle.homogeneous().cross(vanishing);
    const double slope = through.head<2>().norm();
    return slope > 1e-12 ? through.dot(a->homogeneous()) / slope * c.lens.focalPx : 1e3;
}

std::array<Vector3d, 4> quadCorners(double width, double depth) {
    return {Vector3d(0, 0, 0), Vector3d(width, 0, 0), Vector3d(width, 0, -depth), Vector3d(0, 0, -depth)};
}

/// All residuals, in units of their deviation.
Eigen::VectorXd residualsOf(const Problem& p, const Eigen::VectorXd& x) {
    const PhotoEvidence& e = p.evidence;
    const Camera c = p.at(x);
    std::vector<double> r;
    for (const PhotoLine& line : e.lines) r.push_back(lineMisfit(line, c) / (line.sigma / std::sqrt(2.0)));
    if (e.horizon)
        for (const Vector2d& end : {e.horizon->a, e.horizon->b}) {
            const auto n = c.lens.normalisedFromPixel(end);
            // A ray on the horizon is level.
            r.push_back(n ? n->homogeneous().normalized().dot(c.view.rotation.col(1)) * c.lens.focalPx : 1e3);
        }
    const auto seen = [&](const Vector3d& at, const Vector2d& pixel, double sigma) {
        const auto q = project(c.view, c.lens, at);
        const Vector2d off = q ? Vector2d((*q - pixel) / sigma) : Vector2d(1e4, 1e4);
        r.push_back(off.x()), r.push_back(off.y());
    };
    for (const PhotoSpot& s : e.spots) seen(s.position, s.pixel, s.sigma);
    if (e.quad) {
        const auto corners =
            quadCorners(e.quad->width > 0 ? e.quad->width : c.width, e.quad->depth > 0 ? e.quad->depth : c.depth);
        for (size_t i = 0; i < 4; ++i) seen(corners[i], e.quad->corners[i], e.quad->sigma);
    }
    if (e.focalPx && p.layout.focal) r.push_back(std::log(c.lens.focalPx / *e.focalPx) / std::max(1e-6, e.focalSigma));
    // Weak: a camera is held level from side to side, and its focal length is an ordinary one. They matter where
    // nothing else tells.
    r.push_back(std::asin(std::clamp(c.view.rotation(0, 1), -1.0, 1.0)) / usualRoll * 0.3);
    if (p.layout.focal) r.push_back(std::log(c.lens.focalPx / (usualFocal * e.width)) / 1.0);
    if (p.layout.position) {
        const double height = c.view.centre().y();
        if (e.cameraHeight) r.push_back((height - *e.cameraHeight) / (0.05 * *e.cameraHeight));
        else if (e.quad && e.spots.empty() && e.quad->width <= 0 && e.quad->depth <= 0)
            r.push_back((height - usualHeight) / 0.01);
    }
    if (p.layout.principal) {
        const Vector2d off = (c.lens.principalPoint - middleOfPicture(e)) / (usualOffMiddle * e.width);
        r.push_back(off.x()), r.push_back(off.y());
    }
    if (p.layout.distortion) r.push_back(c.lens.lens.value("k1") / 0.3), r.push_back(c.lens.lens.value("k2") / 0.15);
    return Eigen::Map<Eigen::VectorXd>(r.data(), Eigen::Index(r.size()));
}

/// Direction in the camera, of unit length, that an axis's lines meet in; nothing for fewer than two.
std::optional<Vector3d> directionOf(const std::vector<PhotoLine>& lines, PhotoAxis axis, const Intrinsics& lens) {
    Eigen::Matrix3d sum = Eigen::Matrix3d::Zero();
    int count = 0;
    for (const PhotoLine& l : lines) {
        if (l.axis != axis) continue;
        const auto a = lens.normalisedFromPixel(l.a), b = lens.normalisedFromPixel(l.b);
        if (!a || !b) continue;
        const Vector3d plane = a->homogeneous().cross(b->homogeneous()).normalized();
        const double weight = (*a - *b).squaredNorm();
        sum += weight * plane * plane.transpose();
        ++count;
    }
    if (count < 2) return std::nullopt;
    return Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(sum).eigenvectors().col(0);
}

/// Signs: X to the right, Y up, Z towards the camera where they tell; camera axes are x right, y down, z ahead.
Vector3d faced(const Vector3d& direction, PhotoAxis axis) {
    const double sign = axis == PhotoAxis::x ? direction.x() : axis == PhotoAxis::y ? -direction.y() : -direction.z();
    return sign < 0 ? Vector3d(-direction) : direction;
}

/// A rotation (camera from world) from the directions of as many axes as there are.
Eigen::Matrix3d rotationFrom(const std::array<std::optional<Vector3d>, 3>& axes) {
    // Without any: level, looking along −Z.
    Eigen::Matrix3d level;
    level << 1, 0, 0, 0, -1, 0, 0, 0, -1;
    Eigen::Matrix3d wanted = 1e-3 * level;
    for (int i = 0; i < 3; ++i)
        if (axes[size_t(i)]) wanted.col(i) += faced(*axes[size_t(i)], PhotoAxis(i));
    // A third axis from two, with the sign that makes it right-handed.
    const auto have = [&](int i) { return axes[size_t(i)].has_value(); };
    for (int i = 0; i < 3; ++i) {
        const int a = (i + 1) % 3, b = (i + 2) % 3;
        if (!have(i) && have(a) && have(b)) wanted.col(i) += wanted.col(a).cross(wanted.col(b));
    }
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(wanted, Eigen::ComputeFullU | Eigen::ComputeFullV);
    Eigen::Matrix3d r = svd.matrixU() * svd.matrixV().transpose();
    if (r.determinant() < 0) {
        // X and Z can't both look as they were guessed: the one that lies less across the view gives way.
        const int give = std::fabs(wanted.col(0).x()) < std::fabs(wanted.col(2).z()) ? 0 : 2;
        wanted.col(give) = -wanted.col(give);
        const Eigen::JacobiSVD<Eigen::Matrix3d> again(wanted, Eigen::ComputeFullU | Eigen::ComputeFullV);
        r = again.matrixU() * again.matrixV().transpose();
    }
    return r;
}

/// The focal length that makes two vanishing points those of directions at right angles; nothing where they do not.
std::optional<double> orthogonalFocal(const Vector2d& a, const Vector2d& b, const Vector2d& middle, double aspect) {
    const Vector2d u((a.x() - middle.x()) * aspect, a.y() - middle.y()),
        v((b.x() - middle.x()) * aspect, b.y() - middle.y());
    const double squared = -u.dot(v);
    return squared > 0 ? std::optional(std::sqrt(squared)) : std::nullopt;
}

bool convex(const std::array<Vector2d, 4>& q) {
    int positive = 0;
    for (size_t i = 0; i < 4; ++i) {
        const Vector2d a = q[(i + 1) % 4] - q[i], b = q[(i + 2) % 4] - q[(i + 1) % 4];
        positive += a.x() * b.y() - a.y() * b.x() > 0;
    }
    return positive == 0 || positive == 4;
}

/// Whether known points lie on one line, to a hundredth of their extent.
bool inARow(const std::vector<PhotoSpot>& spots) {
    Vector3d middle = Vector3d::Zero();
    for (const PhotoSpot& s : spots) middle += s.position / double(spots.size());
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const PhotoSpot& s : spots) spread += (s.position - middle) * (s.position - middle).transpose();
    const Vector3d squares =
        Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread, Eigen::EigenvaluesOnly).eigenvalues();
    return !(squares(1) > 1e-4 * squares(2));
}

/// A quad's sides as lines: two along X, two along Z.
std::vector<PhotoLine> sidesOf(const PhotoQuad& q) {
    const auto line = [&](size_t a, size_t b, PhotoAxis axis) {
        return PhotoLine{q.corners[a], q.corners[b], axis, q.sigma, true};
    };
    return {line(0, 1, PhotoAxis::x), line(3, 2, PhotoAxis::x), line(0, 3, PhotoAxis::z), line(1, 2, PhotoAxis::z)};
}

/// Starts from known points: the focal length, of a row of them, with which their resection fits best.
std::optional<Camera> startFromSpots(const PhotoEvidence& e, const Intrinsics& lens) {
    if (e.spots.size() < 3) return std::nullopt;
    Points3 world;
    for (const PhotoSpot& s : e.spots) world.push_back(s.position);
    std::vector<double> focals;
    if (e.focalPx) focals.push_back(*e.focalPx);
    else if (e.spots.size() >= 4)
        for (double f = 0.4; f < 6; f *= 1.12) focals.push_back(f * e.width);
    else focals.push_back(lens.focalPx);
    std::optional<Camera> best;
    double least = 1e300;
    for (const double f : focals) {
        Camera c{lens, {}, 1, 1};
        c.lens.focalPx = f;
        Points2 undistorted;
        for (const PhotoSpot& s : e.spots)
            undistorted.push_back(c.lens.normalisedFromPixel(s.pixel).value_or(Vector2d(9, 9)));
        SamplingOptions options;
        options.threshold = 30 / f;
        const auto found = robustResection(world, undistorted, options);
        if (!found.found) continue;
        c.view = refineView(found.model, world, undistorted, std::vector<double>(world.size(), 1), 1e9);
        double cost = 0;
        for (size_t i = 0; i < world.size(); ++i) {
            const auto q = project(c.view, c.lens, world[i]);
            cost += q ? std::min(1e4, (*q - e.spots[i].pixel).squaredNorm()) : 1e4;
        }
        if (cost < least) least = cost, best = c;
    }
    return best;
}

/// Puts a camera of known rotation where the rectangle says it is.
void placeByQuad(Camera& c, const PhotoQuad& q) {
    // Height 1 over the ground, then the scale of the known side; the first corner is the origin.
    std::array<Vector3d, 4> hits;
    for (size_t i = 0; i < 4; ++i) {
        const auto n = c.lens.normalisedFromPixel(q.corners[i]);
        if (!n) return;
        const Vector3d ray = c.view.rotation.transpose() * n->homogeneous();
        if (ray.y() > -1e-6) return;
        hits[i] = ray * (-1 / ray.y());
    }
    const double wide = std::max(1e-6, ((hits[1] - hits[0]).norm() + (hits[2] - hits[3]).norm()) / 2),
                 deep = std::max(1e-6, ((hits[3] - hits[0]).norm() + (hits[2] - hits[1]).norm()) / 2);
    const double scale = q.width > 0 ? q.width / wide : q.depth > 0 ? q.depth / deep : usualHeight;
    c.width = wide * scale, c.depth = deep * scale;
    c.view.translation = -c.view.rotation * Vector3d(-hits[0].x() * scale, scale, -hits[0].z() * scale);
}

PhotoFit fitPhoto(const PhotoEvidence& evidence) {
    PhotoFit fit;
    PhotoEvidence e = evidence;
    const auto say = [&](const std::string& sentence) { fit.trouble += (fit.trouble.empty() ? "" : " ") + sentence; };
    if (e.quad && !convex(e.quad->corners)) {
        say(text("The rectangle on the ground is not convex: its corners must go round it, one after the other."));
        e.quad.reset();
    }
    if (e.spots.size() >= 3 && inARow(e.spots)) {
        say(
            text("The known points lie in a row, which leaves the camera free to go round them: mark one beside the "
                 "row."));
        e.spots.clear();
    }
    std::vector<PhotoLine> all = e.lines;
    if (e.quad)
        for (const PhotoLine& side : sidesOf(*e.quad)) all.push_back(side);
    if (all.empty() && !e.horizon && e.spots.size() < 3) {
        say(text(
            "There is nothing to match the picture by: draw lines along two directions, a rectangle on the ground, "
            "or mark three known points."));
        return fit;
    }
    const Vector2d middle = middleOfPicture(e);
    Intrinsics lens;
    lens.pixelAspect = e.pixelAspect;
    lens.principalPoint = middle;
    lens.lens = e.lens;
    lens.focalPx = e.focalPx.value_or(usualFocal * e.width);
    std::array<int, 3> linesOf{};
    for (const PhotoLine& l : all) ++linesOf[size_t(l.axis)];
    std::array<std::optional<Vector2d>, 3> points;
    int finite = 0;
    for (int i = 0; i < 3; ++i) {
        points[size_t(i)] = vanishingPoint(all, PhotoAxis(i));
        fit.vanishingPoints += linesOf[size_t(i)] >= 2;
        finite += points[size_t(i)] && (*points[size_t(i)] - middle).norm() < finiteVanishing * e.width;
    }
    if (!e.focalPx) {
        // The pair that meets nearest tells it best.
        double nearest = 1e300;
        for (size_t i = 0; i < 3; ++i)
            for (size_t k = 0; k < i; ++k) {
                if (!points[i] || !points[k]) continue;
                const auto f = orthogonalFocal(*points[i], *points[k], middle, e.pixelAspect);
                const double far = std::max((*points[i] - middle).norm(), (*points[k] - middle).norm());
                if (f && far<nearest&& * f> 0.2 * e.width && *f < 20 * e.width) nearest = far, lens.focalPx = *f;
            }
    }
    std::array<std::optional<Vector3d>, 3> directions;
    for (int i = 0; i < 3; ++i) directions[size_t(i)] = directionOf(all, PhotoAxis(i), lens);
    Problem problem{e, {}, {lens, {}, 1, 1}};
    problem.start.view.rotation = rotationFrom(directions);
    problem.start.view.translation =
        -problem.start.view.rotation * Vector3d(0, e.cameraHeight.value_or(usualHeight), 0);
    if (e.quad) placeByQuad(problem.start, *e.quad);
    if (const auto byPoints = startFromSpots(e, lens)) problem.start = *byPoints;
    problem.layout.position = e.quad || e.spots.size() >= 3;
    problem.layout.sides = e.quad && (e.quad->width <= 0 || e.quad->depth <= 0);
    problem.layout.principal =
        !e.principalPoint && ((finite == 3 && linesOf[0] >= 3 && linesOf[1] >= 3 && linesOf[2] >= 3) ||
                              (e.solveDistortion && all.size() >= 20));
    problem.layout.distortion = e.solveDistortion && all.size() >= 6 && lens.lens.kind() == LensKind::brownConrady;
    problem.layout.focal = !(e.focalPx && e.focalSigma <= 0);
    const auto residuals = [&](const Eigen::VectorXd& x) { return residualsOf(problem, x); };
    const auto solved = leastSquares(Eigen::VectorXd::Zero(problem.layout.size()), residuals);
    const Camera c = problem.at(solved.x);
    if (!std::isfinite(solved.cost) || !std::isfinite(c.lens.focalPx)) {
        say(text(
            "The lines and points of the picture contradict each other: no camera fits them. Check which axis each "
            "line belongs to."));
        return fit;
    }
    fit.found = true;
    fit.lens = c.lens;
    fit.pose = poseFromView(c.view);
    const double measured =
        double(all.size() + 2 * e.spots.size() + (e.horizon ? 2 : 0) + (e.quad ? 4 : 0) + (e.focalPx ? 1 : 0));
    const double spare = measured - double(problem.layout.size());
    const double worse = spare > 0 ? std::max(1.0, std::sqrt(solved.cost / spare)) : 1;
    const Eigen::MatrixXd covariance = solved.covariance * worse * worse;
    const Eigen::Matrix3d turn = covariance.topLeftCorner<3, 3>();
    const Vector3d up = c.view.rotation.col(1);
    fit.rotationSigmaDeg = std::min(180.0, std::sqrt(std::max(0.0, turn.trace())) / degree);
    // A rotation about the upright itself does not tilt it.
    fit.uprightSigmaDeg = std::min(180.0, std::sqrt(std::max(0.0, turn.trace() - up.dot(turn * up))) / degree);
    Eigen::Index i = 3;
    if (problem.layout.focal) {
        fit.focalSigma = std::min(10.0, std::sqrt(std::max(0.0, covariance(i, i))));
        fit.numbers.push_back({"focal", c.lens.focalPx, fit.focalSigma * c.lens.focalPx});
        ++i;
    }
    if (problem.layout.principal) {
        fit.numbers.push_back({"principal x", c.lens.principalPoint.x(), std::sqrt(covariance(i, i)) * e.width});
        fit.numbers.push_back(
            {"principal y", c.lens.principalPoint.y(), std::sqrt(covariance(i + 1, i + 1)) * e.width});
        i += 2;
    }
    if (problem.layout.distortion) {
        fit.numbers.push_back({"k1", c.lens.lens.value("k1"), std::sqrt(covariance(i, i))});
        fit.numbers.push_back({"k2", c.lens.lens.value("k2"), std::sqrt(covariance(i + 1, i + 1))});
        i += 2;
    }
    const bool measuredSize =
        e.spots.size() >= 3 || e.cameraHeight || (e.quad && (e.quad->width > 0 || e.quad->depth > 0));
    if (problem.layout.position && measuredSize)
        fit.positionSigma = usualHeight * std::sqrt(std::max(0.0, covariance.block<3, 3>(i, i).trace()));
    fit.scaled = measuredSize;
    double squares = 0;
    for (const PhotoLine& l : e.lines) {
        fit.lineMisfits.push_back(std::fabs(lineMisfit(l, c)));
        squares += std::pow(fit.lineMisfits.back(), 2);
    }
    for (const PhotoSpot& s : e.spots) {
        const auto q = project(c.view, c.lens, s.position);
        fit.spotMisfits.push_back(q ? (*q - s.pixel).norm() : 1e4);
        squares += std::pow(fit.spotMisfits.back(), 2);
    }
    const size_t count = fit.lineMisfits.size() + fit.spotMisfits.size();
    fit.rmsPx = count > 0 ? std::sqrt(squares / double(count)) : 0;

    // What is missing, and what contradicts.
    if (problem.layout.focal && fit.focalSigma > openFocal)
        say(fit.vanishingPoints <= 1 && e.spots.size() < 4
                ? text("One vanishing point does not tell the focal length: give it, or draw lines along a second "
                       "direction.")
                : text(
                      "The focal length is known to ± %.0f %% only: lines that are parallel in the picture do not tell "
                      "it. Give it, or draw lines that meet.",
                      100 * fit.focalSigma));
    if (fit.uprightSigmaDeg > 2)
        say(text("The upright is known to ± %.1f° only: draw upright edges, or the horizon.", fit.uprightSigmaDeg));
    if (e.focalPx && problem.layout.focal && fit.vanishingPoints >= 2) {
        PhotoEvidence alone = e;
        alone.focalPx.reset();
        const PhotoFit without = fitPhoto(alone);
        if (without.found && without.focalSigma < openFocal) {
            fit.linesFocalPx = without.lens.focalPx;
            const double off = std::log(without.lens.focalPx / *e.focalPx);
            if (std::fabs(off) > contradiction * std::hypot(without.focalSigma, e.focalSigma))
                say(text(
                    "The picture's lines say a focal length of %.0f px, what is given says %.0f px: the picture may "
                    "be cropped, or resized from another shape.",
                    without.lens.focalPx, *e.focalPx));
        }
    }
    int behind = 0;
    for (const PhotoSpot& s : e.spots) behind += c.view.toCamera(s.position).z() <= 0;
    if (behind > 0)
        say(text("%d known points lie behind the camera: check their positions and which is which.", behind));
    return fit;
}

}  // namespace

std::optional<Vector2d> vanishingPoint(const std::vector<PhotoLine>& lines, PhotoAxis axis) {
    Intrinsics pixels;
    pixels.focalPx = 1000;
    const auto d = directionOf(lines, axis, pixels);
    if (!d || std::fabs(d->z()) < 1e-9) return std::nullopt;
    const Vector2d at = pixels.pixelFromNormalised(d->head<2>() / d->z());
    return at.norm() < 1e7 ? std::optional(at) : std::nullopt;
}

PhotoFit matchPhoto(const PhotoEvidence& evidence) {
    if (!evidence.solveDistortion) return fitPhoto(evidence);
    PhotoFit fit = fitPhoto(evidence);
    const auto k1 =
        std::find_if(fit.numbers.begin(), fit.numbers.end(), [](const LensNumber& n) { return n.name == "k1"; });
    if (fit.found && k1 != fit.numbers.end() && k1->sigma < std::max(sureDistortion, 0.25 * std::fabs(k1->value)))
        return fit;
    PhotoEvidence straight = evidence;
    straight.solveDistortion = false;
    return fitPhoto(straight);
}

std::optional<PhotoQuad> quadAtFocal(const PhotoEvidence& evidence, double focalPx) {
    if (!evidence.quad || !(focalPx > 0)) return std::nullopt;
    const PhotoFit now = matchPhoto(evidence);
    if (!now.found) return std::nullopt;
    PhotoQuad out = *evidence.quad;
    PhotoEvidence e = evidence;
    e.quad.reset();
    e.lines.clear();
    e.horizon.reset();
    e.spots.clear();
    e.focalPx = focalPx;
    e.focalSigma = 0;
    // The corners on the ground as the present camera sees them; the near ones hold, the far ones may give way.
    for (size_t i = 0; i < 4; ++i) {
        const auto ray = worldRay(now.pose, now.lens, out.corners[i]);
        if (!ray || !(ray->y() < -1e-6)) return std::nullopt;
        PhotoSpot s;
        s.position = now.pose.position - now.pose.position.y() / ray->y() * *ray;
        s.pixel = out.corners[i];
        s.sigma = i < 2 ? 0.05 : 60;
        e.spots.push_back(s);
    }
    const PhotoFit then = matchPhoto(e);
    if (!then.found) return std::nullopt;
    for (size_t i = 2; i < 4; ++i) {
        const auto seen = project(then.pose, then.lens, e.spots[i].position);
        if (!seen) return std::nullopt;
        out.corners[i] = *seen;
    }
    return convex(out.corners) ? std::optional(out) : std::nullopt;
}

}  // namespace va
