// SPDX-License-Identifier: GPL-3.0-or-later
#include "geometry_trials.h"

#include "ground/photo_match.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <opencv2/calib3d.hpp>
#include <random>

#include "solve/minimal/essential.h"
#include "solve/minimal/resect.h"
#include "solve/minimal/triangulate.h"
#include "synthetic_shot.h"

namespace va::test {
namespace {

constexpr double focal = 1000, noisePx = 0.5, closePx = 1.5;

struct Set {
    View second;  ///< the first is at the origin
    std::vector<Eigen::Vector3d> world;
    Points2 a, b;                ///< straight, normalised
    Eigen::Matrix3d homography;  ///< of a plane through the world's middle
    Points2 onPlane;             ///< b by that
};

Set makeSet(std::mt19937_64& random, double wrongShare) {
    std::uniform_real_distribution<double> u(0, 1);
    std::normal_distribution<double> noise(0, noisePx / focal);
    Set s;
    s.second = viewFromPose(lookAlong({0.8 + 0.8 * u(random), 0.6 * u(random) - 0.3, 0.8 * u(random) - 0.4},
                                      0.3 * u(random) - 0.25, 0.2 * u(random) - 0.1));
    // The first view looks down +Z, as viewFromPose() of a camera at the origin does.
    const View first = viewFromPose(lookAlong({0, 0, 0}, 0, 0));
    const Eigen::Matrix3d rotation = s.second.rotation * first.rotation.transpose();
    s.second = {rotation, s.second.translation - rotation * first.translation};
    const Eigen::Vector3d normal = Eigen::Vector3d(0.4 * u(random) - 0.2, 0.4 * u(random) - 0.2, 1).normalized();
    s.homography = s.second.rotation + s.second.translation * normal.transpose() / 7;
    while (s.world.size() < 100) {
        const Eigen::Vector2d at(0.9 * (u(random) - 0.5), 0.6 * (u(random) - 0.5));
        const Eigen::Vector3d x = (3 + 9 * u(random)) * at.homogeneous();
        const Eigen::Vector3d c = s.second.toCamera(x);
        if (!(c.z() > 0.5)) continue;
        const auto shaken = [&](const Eigen::Vector2d& p) {
            return Eigen::Vector2d(p.x() + noise(random), p.y() + noise(random));
        };
        const auto anywhere = [&] { return Eigen::Vector2d(0.9 * (u(random) - 0.5), 0.6 * (u(random) - 0.5)); };
        const bool wrong = u(random) < wrongShare;
        s.world.push_back(x);
        s.a.push_back(shaken(at));
        s.b.push_back(wrong ? anywhere() : shaken(c.hnormalized()));
        s.onPlane.push_back(wrong ? anywhere() : shaken((s.homography * at.homogeneous()).hnormalized()));
    }
    return s;
}

cv::Mat pointsOf(const Points2& p) {
    cv::Mat out(int(p.size()), 1, CV_64FC2);
    for (size_t i = 0; i < p.size(); ++i) out.at<cv::Vec2d>(int(i)) = {p[i].x(), p[i].y()};
    return out;
}
Eigen::Matrix3d toEigen(const cv::Mat& m) {
    Eigen::Matrix3d e;
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) e(r, c) = m.at<double>(r, c);
    return e;
}

SamplingOptions sampling(unsigned seed) {
    SamplingOptions o;
    o.threshold = closePx / focal;
    o.trials = 1000;
    o.seed = seed;
    return o;
}

/// Runs both on every set. A negative error is a failure.
GeometryTrial run(const char* name, const char* unit, int sets, unsigned seed, double wrongShare,
                  const std::function<double(const Set&, unsigned)>& ours,
                  const std::function<double(const Set&)>& theirs) {
    GeometryTrial t;
    t.name = name;
    t.errorUnit = unit;
    std::vector<double> a, b;
    std::mt19937_64 random(seed);
    for (int k = 0; k < sets; ++k) {
        const Set s = makeSet(random, wrongShare);
        cv::theRNG().state = seed + unsigned(k);
        const auto start = std::chrono::steady_clock::now();
        const double x = ours(s, seed + unsigned(k));
        const auto between = std::chrono::steady_clock::now();
        const double y = theirs(s);
        const auto end = std::chrono::steady_clock::now();
        t.oursSeconds += std::chrono::duration<double>(between - start).count();
        t.theirsSeconds += std::chrono::duration<double>(end - between).count();
        t.oursFailed += x < 0, t.theirsFailed += y < 0;
        a.push_back(x < 0 ? 1e9 : x), b.push_back(y < 0 ? 1e9 : y);
    }
    const auto share = [](std::vector<double>& v, double of) {
        std::sort(v.begin(), v.end());
        return v[std::min(v.size() - 1, size_t(of * double(v.size())))];
    };
    t.ours = share(a, 0.5), t.theirs = share(b, 0.5);
    t.oursWorst = share(a, 0.95), t.theirsWorst = share(b, 0.95);
    return t;
}

/// Corners of the picture by both, px.
double homographyError(const Set& s, const Eigen::Matrix3d& h) {
    double sum = 0;
    for (const double x : {-0.45, 0.45})
        for (const double y : {-0.3, 0.3})
            sum +=
                ((h * Eigen::Vector3d(x, y, 1)).hnormalized() - (s.homography * Eigen::Vector3d(x, y, 1)).hnormalized())
                    .squaredNorm();
    return focal * std::sqrt(sum / 4);
}

/// Turn and direction of the shift together, degrees.
double poseError(const Set& s, const Eigen::Matrix3d& rotation, const Eigen::Vector3d& shift) {
    const double angle = Eigen::AngleAxisd(rotation * s.second.rotation.transpose()).angle();
    const double way = std::acos(std::clamp(shift.normalized().dot(s.second.translation.normalized()), -1.0, 1.0));
    return std::hypot(angle, way) * 180 / M_PI;
}

}  // namespace

std::vector<GeometryTrial> geometryTrials(int sets, unsigned seed) {
    const cv::Mat one = cv::Mat::eye(3, 3, CV_64F);
    std::vector<GeometryTrial> out;
    out.push_back(run(
        "homography", "px", sets, seed, 0.3,
        [](const Set& s, unsigned n) {
            const auto h = robustHomography(s.a, s.onPlane, sampling(n));
            return h.found ? homographyError(s, h.model) : -1;
        },
        [](const Set& s) {
            const cv::Mat h = cv::findHomography(pointsOf(s.a), pointsOf(s.onPlane), cv::RANSAC, closePx / focal,
                                                 cv::noArray(), 1000, 0.999);
            return h.empty() ? -1 : homographyError(s, toEigen(h));
        }));
    out.push_back(run(
        "essential", "deg", sets, seed, 0.3,
        [](const Set& s, unsigned n) {
            const auto e = robustEssential(s.a, s.b, sampling(n));
            const auto pose = e.found ? poseFromEssential(e.model, s.a, s.b, e.agrees) : std::nullopt;
            return pose ? poseError(s, pose->rotation, pose->translation) : -1;
        },
        [&](const Set& s) {
            cv::Mat mask, rotation, shift;
            const cv::Mat e =
                cv::findEssentialMat(pointsOf(s.a), pointsOf(s.b), one, cv::RANSAC, 0.999, closePx / focal, 1000, mask);
            if (e.rows != 3) return -1.0;
            cv::recoverPose(e, pointsOf(s.a), pointsOf(s.b), one, rotation, shift, mask);
            return poseError(s, toEigen(rotation), {shift.at<double>(0), shift.at<double>(1), shift.at<double>(2)});
        }));
    out.push_back(run(
        "resection", "% of depth", sets, seed, 0.3,
        [](const Set& s, unsigned n) {
            const auto v = robustResection(s.world, s.b, sampling(n));
            return v.found ? 100 * (v.model.centre() - s.second.centre()).norm() / 7 : -1;
        },
        [&](const Set& s) {
            cv::Mat world(int(s.world.size()), 1, CV_64FC3), rotation, shift, inliers;
            for (size_t i = 0; i < s.world.size(); ++i)
                world.at<cv::Vec3d>(int(i)) = {s.world[i].x(), s.world[i].y(), s.world[i].z()};
            if (!cv::solvePnPRansac(world, pointsOf(s.b), one, cv::noArray(), rotation, shift, false, 1000,
                                    float(closePx / focal), 0.999, inliers))
                return -1.0;
            cv::Mat matrix;
            cv::Rodrigues(rotation, matrix);
            const View v{toEigen(matrix), {shift.at<double>(0), shift.at<double>(1), shift.at<double>(2)}};
            return 100 * (v.centre() - s.second.centre()).norm() / 7;
        }));
    const View first;
    out.push_back(run(
        "triangulation", "% of depth", sets, seed, 0,
        [&](const Set& s, unsigned) {
            double sum = 0;
            for (size_t i = 0; i < s.world.size(); ++i) {
                const auto p = triangulate({{&first, s.a[i], 1}, {&s.second, s.b[i], 1}});
                if (!p) return -1.0;
                sum += (p->position - s.world[i]).squaredNorm() / s.world[i].squaredNorm();
            }
            return 100 * std::sqrt(sum / double(s.world.size()));
        },
        [](const Set& s) {
            cv::Mat p(3, 4, CV_64F), q(3, 4, CV_64F), points;
            for (int r = 0; r < 3; ++r)
                for (int c = 0; c < 4; ++c) {
                    p.at<double>(r, c) = r == c;
                    q.at<double>(r, c) = c < 3 ? s.second.rotation(r, c) : s.second.translation(r);
                }
            cv::triangulatePoints(p, q, pointsOf(s.a), pointsOf(s.b), points);
            double sum = 0;
            for (size_t i = 0; i < s.world.size(); ++i) {
                const Eigen::Vector3d x(points.at<double>(0, int(i)), points.at<double>(1, int(i)),
                                        points.at<double>(2, int(i)));
                sum += (x / points.at<double>(3, int(i)) - s.world[i]).squaredNorm() / s.world[i].squaredNorm();
            }
            return 100 * std::sqrt(sum / double(s.world.size()));
        }));
    return out;
}

std::pair<double, double> photoResectionErrors(int trials, unsigned seed) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal;
    std::uniform_real_distribution<double> uniform(-1, 1);
    double ours = 0, theirs = 0;
    for (int trial = 0; trial < trials; ++trial) {
        Intrinsics lens;
        lens.focalPx = 1200;
        lens.principalPoint = {799.5, 533};
        CameraPose pose;
        pose.position = {2 * uniform(random), 1.6 + 0.5 * uniform(random), 6};
        pose.worldFromCamera = Eigen::AngleAxisd(0.3 * uniform(random), Eigen::Vector3d::UnitY()) *
                               Eigen::AngleAxisd(0.2 * uniform(random), Eigen::Vector3d::UnitX());
        PhotoEvidence e;
        e.width = 1600, e.height = 1067;
        e.focalPx = lens.focalPx, e.focalSigma = 0;
        std::vector<cv::Point3d> points;
        std::vector<cv::Point2d> pixels;
        while (points.size() < 8) {
            const Eigen::Vector3d x(3 * uniform(random), 1.5 + 1.5 * uniform(random), 2 * uniform(random));
            const auto p = project(pose, lens, x);
            if (!p) continue;
            const Eigen::Vector2d noisy = *p + 0.5 * Eigen::Vector2d(normal(random), normal(random));
            e.spots.push_back({noisy, x, 0.5, ""});
            points.emplace_back(x.x(), x.y(), x.z());
            pixels.emplace_back(noisy.x(), noisy.y());
        }
        const PhotoFit fit = matchPhoto(e);
        const cv::Mat k = (cv::Mat_<double>(3, 3) << 1200, 0, 799.5, 0, 1200, 533, 0, 0, 1);
        cv::Mat turn, shift;
        cv::solvePnP(points, pixels, k, cv::noArray(), turn, shift, false, cv::SOLVEPNP_SQPNP);
        cv::solvePnPRefineLM(points, pixels, k, cv::noArray(), turn, shift);
        cv::Matx33d r;
        cv::Rodrigues(turn, r);
        const cv::Matx31d centre =
            -(r.t() * cv::Matx31d(shift.at<double>(0), shift.at<double>(1), shift.at<double>(2)));
        ours += fit.found ? (fit.pose.position - pose.position).squaredNorm() : 1e300;
        theirs += (Eigen::Vector3d(centre(0), centre(1), centre(2)) - pose.position).squaredNorm();
    }
    return {std::sqrt(ours / trials), std::sqrt(theirs / trials)};
}

}  // namespace va::test
