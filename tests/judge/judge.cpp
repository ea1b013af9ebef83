// SPDX-License-Identifier: GPL-3.0-or-later
#include "judge.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/Geometry>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <map>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "exchange/camera_json.h"
#include "shot/lens_json.h"
#include "solve/minimal/triangulate.h"
#include "solve/similarity.h"

namespace va {
namespace {

using nlohmann::json;

struct TrueFrame {
    CameraPose pose;
    Intrinsics lens;
};
struct TruePoint {
    Eigen::Vector3d position;
    std::vector<std::pair<int, Eigen::Vector2d>> seen;
};
struct Truth {
    std::map<int, TrueFrame> frames;
    std::vector<TruePoint> points;
};

Truth readTruth(const std::string& text) {
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || j.value("format", "") != "vivid-anchor-truth") throw InputError("not a truth file");
    Truth t;
    for (const auto& f : j.at("frames")) {
        TrueFrame o;
        const auto &p = f.at("position"), &q = f.at("rotation");
        o.pose.position = {p[0].get<double>(), p[1].get<double>(), p[2].get<double>()};
        o.pose.worldFromCamera =
            Eigen::Quaterniond(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
        o.lens.focalPx = f.at("focal_px");
        o.lens.pixelAspect = j.at("image").at("pixel_aspect");
        o.lens.principalPoint = {f.at("principal_point_px")[0].get<double>(),
                                 f.at("principal_point_px")[1].get<double>()};
        o.lens.lens = lensFromJson(j.at("lens"));
        t.frames[f.at("frame").get<int>()] = o;
    }
    for (const auto& p : j.at("points")) {
        TruePoint o;
        o.position = {p.at("position")[0].get<double>(), p.at("position")[1].get<double>(),
                      p.at("position")[2].get<double>()};
        for (const auto& s : p.at("seen"))
            o.seen.emplace_back(s[0].get<int>(), Eigen::Vector2d(s[1].get<double>(), s[2].get<double>()));
        t.points.push_back(std::move(o));
    }
    return t;
}

struct Solved {
    View view;
    CameraPose pose;
    Intrinsics lens;
};

/// Least squares over a few numbers by Levenberg–Marquardt with difference quotients: small problems, no need for more.
void minimise(Eigen::VectorXd& x, const std::function<Eigen::VectorXd(const Eigen::VectorXd&)>& residuals) {
    double damping = 1e-3;
    Eigen::VectorXd r = residuals(x);
    for (int i = 0; i < 50; ++i) {
        Eigen::MatrixXd j(r.size(), x.size());
        for (Eigen::Index k = 0; k < x.size(); ++k) {
            const double h = 1e-6 * std::max(1.0, std::fabs(x(k)));
            Eigen::VectorXd y = x;
            y(k) += h;
            j.col(k) = (residuals(y) - r) / h;
        }
        Eigen::MatrixXd a = j.transpose() * j;
        a.diagonal() *= 1 + damping;
        const Eigen::VectorXd step = a.ldlt().solve(j.transpose() * r);
        const Eigen::VectorXd next = residuals(x - step);
        if (next.squaredNorm() < r.squaredNorm()) {
            const bool small = r.squaredNorm() - next.squaredNorm() < 1e-12 * r.squaredNorm();
            x -= step, r = next, damping *= 0.1;
            if (small) return;
        } else if ((damping *= 10) > 1e8) {
            return;
        }
    }
}

Similarity similarityOf(const Eigen::VectorXd& x) {
    const Eigen::Vector3d rotation = x.segment<3>(0);
    const double angle = rotation.norm();
    Similarity s;
    if (angle > 0) s.rotation = Eigen::Quaterniond(Eigen::AngleAxisd(angle, rotation / angle));
    s.scale = std::exp(x(3));
    s.translation = x.segment<3>(4);
    return s;
}

/// Similarity from true to solved space: camera positions and orientations give the start, whatever the path looks
/// like.
Similarity startAlignment(const Truth& t, const std::map<int, Solved>& solved) {
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    Eigen::Vector3d trueMiddle = Eigen::Vector3d::Zero(), middle = trueMiddle;
    for (const auto& [f, s] : solved) {
        const Eigen::Quaterniond q = s.pose.worldFromCamera * t.frames.at(f).pose.worldFromCamera.conjugate();
        sum += q.coeffs() * q.coeffs().transpose();
        trueMiddle += t.frames.at(f).pose.position, middle += s.pose.position;
    }
    const double n = double(solved.size());
    trueMiddle /= n, middle /= n;
    Similarity out;
    out.rotation = Eigen::Quaterniond(Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d>(sum).eigenvectors().col(3).eval());
    double a = 0, b = 0;
    for (const auto& [f, s] : solved)
        a += (s.pose.position - middle).squaredNorm(), b += (t.frames.at(f).pose.position - trueMiddle).squaredNorm();
    out.scale = b > 0 ? std::sqrt(a / b) : 1;
    out.translation = middle - out.scale * (out.rotation * trueMiddle);
    return out;
}

/// Things anchored at true points, by their true pixels through the solved cameras: RMS slide; −1 where none can be.
double stickOf(const Truth& truth, const std::map<int, Solved>& solved) {
    double stick = 0;
    int count = 0;
    for (const TruePoint& p : truth.points) {
        std::vector<Observation> seen;
        std::vector<std::pair<int, Eigen::Vector2d>> pixels;
        for (const auto& [frame, pixel] : p.seen) {
            const auto s = solved.find(frame);
            if (s == solved.end()) continue;
            if (const auto n = s->second.lens.normalisedFromPixel(pixel))
                seen.push_back({&s->second.view, *n, 1}), pixels.emplace_back(frame, pixel);
        }
        const auto placed = triangulate(seen);
        if (!placed) continue;
        for (const auto& [frame, pixel] : pixels)
            if (const auto q = project(solved.at(frame).view, solved.at(frame).lens, placed->position))
                stick += (*q - pixel).squaredNorm(), ++count;
    }
    return count ? std::sqrt(stick / count) : -1;
}

/// True points through both cameras after the best similarity: RMS.
double shapeOf(const Truth& truth, const std::map<int, Solved>& solved, const Similarity& start,
               Similarity* best = nullptr) {
    const auto residuals = [&](const Eigen::VectorXd& x) {
        const Similarity s = similarityOf(x).after(start);
        std::vector<double> r;
        for (const TruePoint& p : truth.points)
            for (const auto& [frame, pixel] : p.seen) {
                const auto at = solved.find(frame);
                if (at == solved.end()) continue;
                const auto q = project(at->second.view, at->second.lens, s.point(p.position));
                r.push_back(q ? q->x() - pixel.x() : 1000), r.push_back(q ? q->y() - pixel.y() : 1000);
            }
        return Eigen::VectorXd(Eigen::Map<Eigen::VectorXd>(r.data(), Eigen::Index(r.size())));
    };
    Eigen::VectorXd x = Eigen::VectorXd::Zero(7);
    minimise(x, residuals);
    if (best) *best = similarityOf(x).after(start);
    const Eigen::VectorXd left = residuals(x);
    return std::sqrt(left.squaredNorm() / (double(left.size()) / 2));
}

}  // namespace

std::string Judgement::line() const {
    char text[400];
    std::snprintf(text, sizeof text,
                  "solved %d/%d  stick %.4f px  shape %.4f px  rotation %.4f deg  path %.4f %%  focal %.4f %%  lens "
                  "%.4f px  level %.3f ± %.3f deg  fit %.3f px  check %.3f px",
                  solved, frames, stickPx, shapePx, rotationDeg, pathPercent, focalPercent, lensPx, levelDeg,
                  levelSigmaDeg, rmsPx, checkPx);
    return text;
}

MoverJudgement judgeMover(const std::string& cameraJson, const std::string& truthJson) {
    const SceneExport scene = readCameraJson(cameraJson, "camera.json");
    const Truth truth = readTruth(truthJson);
    const json j = json::parse(truthJson);
    if (scene.movers.empty() || !j.contains("movers")) throw InputError("no mover to judge");
    // From the camera: axes and position of the mover.
    struct Seen {
        int frame = 0;
        Eigen::Quaterniond ours, theirs;
        Eigen::Vector3d ourPlace, theirPlace;
    };
    std::vector<Seen> seen;
    std::map<int, CameraPose> trueMover;
    for (const auto& f : j.at("movers").at(0).at("frames")) {
        const auto &p = f.at("position"), &q = f.at("rotation");
        trueMover[f.at("frame").get<int>()] = {
            {p[0].get<double>(), p[1].get<double>(), p[2].get<double>()},
            Eigen::Quaterniond(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>())};
    }
    std::map<int, CameraPose> cameras;
    std::map<int, Intrinsics> lenses;
    for (const auto& f : scene.frames)
        if (f.solved) cameras[f.frame] = f.pose, lenses[f.frame] = scene.intrinsics(f);
    const auto from = [](const CameraPose& camera, const CameraPose& thing) {
        const Eigen::Quaterniond back = camera.worldFromCamera.conjugate();
        return CameraPose{back * (thing.position - camera.position), (back * thing.worldFromCamera).normalized()};
    };
    for (const auto& [frame, pose] : scene.movers[0].poses) {
        if (!cameras.contains(frame) || !trueMover.contains(frame)) continue;
        const CameraPose a = from(cameras[frame], pose), b = from(truth.frames.at(frame).pose, trueMover[frame]);
        seen.push_back({frame, a.worldFromCamera, b.worldFromCamera, a.position, b.position});
    }
    MoverJudgement out;
    out.frames = int(seen.size());
    if (out.frames < 3) return out;
    // The mover's own axes: one turn for all frames.
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    for (const Seen& s : seen) {
        const Eigen::Quaterniond q = s.theirs.conjugate() * s.ours;
        sum += q.coeffs() * q.coeffs().transpose();
    }
    const Eigen::Quaterniond axes(Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d>(sum).eigenvectors().col(3).eval());
    // ours = size · theirs + ours' axes · a position in the mover: four numbers, linear.
    Eigen::MatrixXd a(3 * Eigen::Index(seen.size()), 4);
    Eigen::VectorXd b(3 * Eigen::Index(seen.size()));
    for (size_t i = 0; i < seen.size(); ++i) {
        const Eigen::Index row = 3 * Eigen::Index(i);
        a.block<3, 1>(row, 0) = seen[i].theirPlace;
        a.block<3, 3>(row, 1) = (seen[i].theirs * axes).toRotationMatrix();
        b.segment<3>(row) = seen[i].ourPlace;
    }
    const Eigen::VectorXd x = (a.transpose() * a).ldlt().solve(a.transpose() * b);
    const Eigen::VectorXd off = a * x - b;
    double rotation = 0, place = 0;
    for (size_t i = 0; i < seen.size(); ++i) {
        rotation += std::pow((seen[i].theirs * axes).angularDistance(seen[i].ours), 2);
        place += off.segment<3>(3 * Eigen::Index(i)).squaredNorm() / (x[0] * x[0] * seen[i].theirPlace.squaredNorm());
    }
    out.rotationDeg = std::sqrt(rotation / double(seen.size())) * 180 / M_PI;
    out.placePercent = 100 * std::sqrt(place / double(seen.size()));
    out.size = x[0];
    // What hangs on the mover where its own points are: seen as the true motion shows it, placed by the solved one.
    double slip = 0;
    int count = 0;
    std::vector<View> views;
    for (const Seen& s : seen)
        views.push_back(viewFromPose({s.ours.conjugate() * -s.ourPlace, s.ours.conjugate().normalized()}));
    for (const SceneExport::Point& p : scene.movers[0].points) {
        std::vector<Observation> rays;
        std::vector<std::pair<size_t, Eigen::Vector2d>> pixels;
        for (size_t i = 0; i < seen.size(); ++i) {
            const Seen& s = seen[i];
            const auto pixel =
                project(CameraPose(), truth.frames.at(s.frame).lens,
                        x[0] * s.theirPlace + (s.theirs * axes) * (Eigen::Vector3d(x.segment<3>(1)) + p.position));
            const auto n = pixel ? lenses.at(s.frame).normalisedFromPixel(*pixel) : std::nullopt;
            if (n) rays.push_back({&views[i], *n, 1}), pixels.emplace_back(i, *pixel);
        }
        const auto placed = triangulate(rays);
        if (!placed) continue;
        for (const auto& [i, pixel] : pixels)
            if (const auto q = project(views[i], lenses.at(seen[i].frame), placed->position))
                slip += (*q - pixel).squaredNorm(), ++count;
    }
    if (count > 0) out.slipPx = std::sqrt(slip / count);
    return out;
}

StillsJudgement judgeStills(const std::string& cameraJson, const std::string& truthJson,
                            const std::string& stillsTruthJson) {
    const SceneExport scene = readCameraJson(cameraJson, "camera.json");
    const Truth shot = readTruth(truthJson);
    Truth truth = readTruth(stillsTruthJson);
    StillsJudgement out;
    std::map<int, Solved> solved;
    // Numbers of the stills' truth are the ends of their names; those of the shot lie far above.
    double focal = 0;
    for (const auto& still : scene.stills) {
        const size_t digits = still.name.find_last_not_of("0123456789");
        const int number = std::atoi(still.name.c_str() + (digits == std::string::npos ? 0 : digits + 1));
        if (!truth.frames.contains(number)) continue;
        solved[number] = {viewFromPose(still.pose), still.pose, still.lens};
        focal = std::max(focal, 100 * std::fabs(still.lens.focalPx / truth.frames.at(number).lens.focalPx - 1));
    }
    out.stills = int(solved.size());
    out.worstFocalPercent = focal;
    std::map<int, Solved> frames;
    for (const auto& f : scene.frames)
        if (f.solved && shot.frames.contains(f.frame)) {
            frames[f.frame] = {viewFromPose(f.pose), f.pose, scene.intrinsics(f)};
            truth.frames[f.frame] = shot.frames.at(f.frame);
        }
    for (TruePoint& p : truth.points)
        for (const auto& [frame, camera] : frames) {
            const TrueFrame& t = truth.frames.at(frame);
            const auto q = project(t.pose, t.lens, p.position);
            if (q && q->x() > 0 && q->y() > 0 && q->x() < scene.width - 1 && q->y() < scene.height - 1)
                p.seen.emplace_back(frame, *q);
        }
    std::erase_if(truth.points, [](const TruePoint& p) { return p.seen.back().first < 1000; });
    solved.insert(frames.begin(), frames.end());
    if (out.stills == 0 || solved.size() < 3) return out;
    out.stickPx = stickOf(truth, solved);
    Similarity best;
    out.shapePx = shapeOf(truth, solved, startAlignment(truth, solved), &best);
    // Positions of the stills, over how far they are from the shot's camera.
    const Eigen::Vector3d shotAt = frames.begin()->second.pose.position;
    for (const auto& [number, s] : solved) {
        if (frames.contains(number)) continue;
        const Eigen::Vector3d off = best.point(truth.frames.at(number).pose.position) - s.pose.position;
        out.worstPlacePercent = std::max(out.worstPlacePercent, 100 * off.norm() / (s.pose.position - shotAt).norm());
    }
    return out;
}

// The truth's places in the pictures are those of each frame's pose, for a rolling shutter that of the middle row; the
// solved cameras are compared by their poses as well.
Judgement judge(const std::string& cameraJson, const std::string& truthJson) {
    const SceneExport scene = readCameraJson(cameraJson, "camera.json");
    const Truth truth = readTruth(truthJson);
    Judgement out;
    out.frames = int(truth.frames.size());
    out.rmsPx = scene.rmsPx;
    out.checkPx = scene.checkRmsPx;
    std::map<int, Solved> solved;
    for (const auto& f : scene.frames)
        if (f.solved && truth.frames.contains(f.frame))
            solved[f.frame] = {viewFromPose(f.pose), f.pose, scene.intrinsics(f)};
    out.solved = int(solved.size());
    if (out.solved < 3) return out;

    const bool depth = scene.motion == "free";
    out.stickPx = depth ? stickOf(truth, solved) : -1;
    const Similarity start = startAlignment(truth, solved);
    if (depth) out.shapePx = shapeOf(truth, solved, start);

    const auto pathResiduals = [&](const Eigen::VectorXd& y) {
        const Similarity s = similarityOf(y).after(start);
        Eigen::VectorXd r(Eigen::Index(3 * solved.size()));
        Eigen::Index i = 0;
        for (const auto& [frame, c] : solved)
            r.segment<3>(3 * i++) = s.point(truth.frames.at(frame).pose.position) - c.pose.position;
        return r;
    };
    Eigen::VectorXd y = Eigen::VectorXd::Zero(7);
    minimise(y, pathResiduals);
    double length = 0, rotation = 0, focal = 0;
    std::optional<Eigen::Vector3d> last;
    for (const auto& [frame, c] : solved) {
        const TrueFrame& f = truth.frames.at(frame);
        if (last) length += (f.pose.position - *last).norm();
        last = f.pose.position;
        const double angle = (start.rotation * f.pose.worldFromCamera).angularDistance(c.pose.worldFromCamera);
        rotation += angle * angle;
        focal += std::fabs(c.lens.focalPx / f.lens.focalPx - 1);
    }
    const double n = double(solved.size());
    out.pathPercent =
        length > 0 ? 100 * std::sqrt(pathResiduals(y).squaredNorm() / n) / (length * start.scale * std::exp(y(3))) : 0;
    out.rotationDeg = std::sqrt(rotation / n) * 180 / M_PI;
    out.focalPercent = 100 * focal / n;
    out.levelDeg = std::acos(std::clamp((start.rotation * Eigen::Vector3d::UnitY()).y(), -1.0, 1.0)) * 180 / M_PI;
    out.levelSigmaDeg = scene.world.levelSigmaDeg;

    const TrueFrame& first = truth.frames.begin()->second;
    const Intrinsics& ours = solved.begin()->second.lens;
    double lens = 0;
    int lensCount = 0;
    for (int gy = 0; gy <= 8; ++gy)
        for (int gx = 0; gx <= 12; ++gx) {
            const Eigen::Vector2d pixel(gx / 12.0 * (scene.width - 1), gy / 8.0 * (scene.height - 1));
            const auto a = first.lens.normalisedFromPixel(pixel), b = ours.normalisedFromPixel(pixel);
            if (!a || !b) continue;
            lens += (*a * first.lens.focalPx - *b * ours.focalPx).squaredNorm();
            ++lensCount;
        }
    out.lensPx = lensCount ? std::sqrt(lens / lensCount) : -1;
    return out;
}

}  // namespace va
