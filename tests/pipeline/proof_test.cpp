// SPDX-License-Identifier: GPL-3.0-or-later
// Proofs of the boatyard against what another renderer made of the same place, and against exact projection.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>

#include "base/error.h"
#include "media/display_transform.h"
#include "media/picture_file.h"
#include "proof/compose.h"
#include "proof/measure.h"
#include "proof/sun_from_posts.h"
#include "proof_scene.h"

namespace va {
namespace {

namespace fs = std::filesystem;
const fs::path data = fs::path(VA_TEST_DATA) / "proof";

Eigen::Vector3d vector3(const nlohmann::json& j) {
    return {j[0].get<double>(), j[1].get<double>(), j[2].get<double>()};
}

/// The yard with a grey box by POV-Ray (tests/data/proof/make_shadow.py), and the proof of that box over the yard
/// without it.
TEST(ProofPipeline, TheShadowOverTheYardIsTheTrueOne) {
    std::ifstream in(data / "shadow.json");
    const nlohmann::json j = nlohmann::json::parse(in);
    const Picture truth = readPicture(data / "with.png").picture, plate = readPicture(data / "without.png").picture;
    const int width = j["width"], height = j["height"];
    ASSERT_EQ(plate.width, width);
    const auto& q = j["rotation"];
    const CameraPose pose{vector3(j["position"]), Eigen::Quaterniond(q[0], q[1], q[2], q[3]).normalized()};
    const Intrinsics lens{j["focal_px"], 1, {(width - 1) / 2.0, (height - 1) / 2.0}, {}};
    const Eigen::Vector3d foot = vector3(j["box"]["foot"]), size = vector3(j["box"]["size"]),
                          toSun = vector3(j["to_sun"]);
    test::ProofScene s;
    s.cameras = {FrameCamera(pose, lens)};
    s.area = frameOfPlate(width, height);
    Box box;
    box.width = size.x(), box.height = size.y(), box.depth = size.z();
    s.add(box.shape(), ProofPart::shown, {0.67, 0.67, 0.67, 1});
    s.items[0].worldFromShape = {{1, Eigen::Quaterniond::Identity(), foot}};
    s.add(test::levelRectangle(-80, -80, 80, 80, 0), ProofPart::catcher);
    s.items[1].id = 0;
    s.lights = {SunLight{toSun.cast<float>(), 0.002F, {0.8F, 0.8F, 0.8F}},
                SkyLight{{0.3F, 0.3F, 0.3F}, nullptr, Eigen::Matrix3f::Identity()}};
    const auto render = s.render(64);
    const FrameCamera& camera = s.cameras[0];
    const Eigen::Vector3d away = Eigen::Vector3d(-toSun.x(), 0, -toSun.z()) / toSun.y();
    // Where the true picture is darker than the plate by the box's shadow, told apart from the box itself by geometry.
    const ProofLayers& l = render->layers();
    ComposeOptions options;
    // Of the true pictures' shadow: how much light is left in its middle.
    Eigen::Vector3d left = Eigen::Vector3d::Zero();
    int counted = 0;
    for (double t = 0.3; t < 0.95; t += 0.005) {
        const auto px = camera.project(foot + t * size.y() * away);
        ASSERT_TRUE(px);
        const int x = int(std::lround(px->x())), y = int(std::lround(px->y()));
        // Hidden by the box itself, or by a stone.
        if (l.colour[size_t(y) * size_t(width) + size_t(x) + 2].w() > 0 ||
            l.colour[size_t(y) * size_t(width) + size_t(x) - 2].w() > 0 ||
            truth.at(x, y)[1] > plate.at(x, y)[1] - 0.05F)
            continue;
        for (int c = 0; c < 3; ++c)
            left[c] += double(linearFromDisplay(truth.at(x, y)[c])) / double(linearFromDisplay(plate.at(x, y)[c]));
        ++counted;
    }
    ASSERT_GT(counted, 20);
    options.ambient = (left / counted).cast<float>();
    const Picture proof = composed(plate, PictureEncoding::display, l, options);
    // Inside of the true shadow, as both pictures show it.
    double difference = 0, depth = 0;
    int inside = 0, outside = 0, wrong = 0;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const size_t i = size_t(y) * size_t(width) + size_t(x);
            if (l.colour[i].w() > 0) continue;  // the box
            const float* t = truth.at(x, y);
            const float* p = plate.at(x, y);
            const float* o = proof.at(x, y);
            const double dark = double(p[0] + p[1] + p[2] - t[0] - t[1] - t[2]) / 3;
            if (dark > 0.08) {
                for (int c = 0; c < 3; ++c) difference += std::fabs(double(o[c] - t[c])) / 3;
                depth += dark, ++inside;
            } else if (dark < 0.01 && std::fabs(dark) < 0.01) {
                ++outside;
                wrong += std::fabs(double(o[1] - t[1])) > 0.1;
            }
        }
    ASSERT_GT(inside, 400);
    EXPECT_LE(difference / inside, 0.04) << "of full scale; the shadow itself is " << depth / inside << " deep";
    EXPECT_GT(depth / inside, 0.1);
    EXPECT_LE(wrong, outside / 1000) << "no shadow where there is none";
    RecordProperty("difference", std::to_string(difference / inside));
    std::printf("shadow: mean difference %.4f of full scale over %d px, shadow %.3f deep\n", difference / inside,
                inside, depth / inside);
}

/// Where an edge lies along a row, by coverage: summed from the left, half a px from the first one's middle.
TEST(ProofPipeline, EdgesLieWhereExactProjectionHasThem) {
    struct Case {
        const char* name;
        LensModel lens;
        double readout;
        int overscan;
    };
    for (const Case& c :
         {Case{"plain", {}, 0, 0}, Case{"bent", LensModel::brownConrady(-0.18, 0.05, 0, 0.001, -0.0005), 0, 0},
          Case{"rolling", {}, 0.6, 0},
          Case{"bent, rolling, overscan", LensModel::brownConrady(-0.18, 0.05, 0, 0, 0), 0.6, 24}}) {
        constexpr int width = 320, height = 180;
        test::ProofScene s;
        s.look({0.3, 1.4, 3.2}, {0, 0.5, 0}, width, height, 260, c.lens);
        if (c.readout > 0) {
            ViewRate rate;
            rate.first << 0.01, -0.03, 0.004, 0.03, 0.002, -0.01;
            s.cameras = {FrameCamera(s.cameras[0].pose(), s.cameras[0].lens(), rate, c.readout, height)};
        }
        s.area = frameOfPlate(width + 2 * c.overscan, height + 2 * c.overscan);
        s.area.left = s.area.top = -c.overscan;
        Box box;
        box.width = 1.2, box.height = 0.9, box.depth = 0.02;
        s.add(box.shape());
        s.lights = {SkyLight()};
        s.options.bounces = 0;
        const auto render = s.render(400);
        const ProofLayers& l = render->layers();
        const FrameCamera& camera = s.cameras[0];
        // The exact outline: corners of the front face, and edges in small steps.
        double worst = 0;
        int rows = 0;
        for (int y = 40; y < height - 40; y += 3) {
            // Left border: the front or the back face's edge, whichever lies further out.
            const auto crossing = [&](double x, double z) -> std::optional<double> {
                std::optional<Eigen::Vector2d> before;
                for (double h = 0; h <= 0.9; h += 0.002) {
                    const auto p = camera.project({x, h, z});
                    if (before && p && (before->y() - y) * (p->y() - y) <= 0 && before->y() != p->y())
                        return before->x() + (p->x() - before->x()) * (y - before->y()) / (p->y() - before->y());
                    before = p;
                }
                return std::nullopt;
            };
            const auto lf = crossing(-0.6, 0.01), lb = crossing(-0.6, -0.01), rf = crossing(0.6, 0.01),
                       rb = crossing(0.6, -0.01);
            if (!lf || !lb || !rf || !rb) continue;
            const double left = std::min(*lf, *lb), right = std::max(*rf, *rb);
            double covered = 0, first = 0;
            bool whole = false;
            for (int x = 0; x < l.width; ++x) {
                const double a = double(l.colour[size_t(y + c.overscan) * size_t(l.width) + size_t(x)].w()) / l.samples;
                if (!whole && a > 0.999) whole = true;
                covered += a;
                if (!whole) first += a;
                else if (first >= 0) {
                    // Coverage before the first whole pixel at x says where the border lies.
                    const double found = x - 0.5 - first - c.overscan;
                    worst = std::max(worst, std::fabs(found - left));
                    first = -1e9;
                }
            }
            worst = std::max(worst, std::fabs(covered - (right - left)));
            ++rows;
        }
        ASSERT_GT(rows, 15) << c.name;
        EXPECT_LE(worst, 0.05) << c.name;
        std::printf("edges, %s: at most %.4f px off over %d rows\n", c.name, worst, rows);
    }
}

/// Posts of the slipway's true camera, their shadows thrown by the generator's light, marked to within a pixel: the sun
/// is found to a degree, and the stated spread covers the error.
TEST(ProofPipeline, TheSunIsFoundFromPostsAndItsSpreadIsHonest) {
    for (const char* clip : {"slipway", "shed"}) {
        std::ifstream in(fs::path(VA_SOURCE_DIR) / "demo" / "data" / clip / (std::string(clip) + ".truth.json"));
        const nlohmann::json j = nlohmann::json::parse(in);
        const auto& f = j["frames"][j["frames"].size() / 2];
        const auto &q = f["rotation"], &c = f["principal_point_px"];
        LensModel lens = LensModel::brownConrady(j["lens"].value("k1", 0.0), j["lens"].value("k2", 0.0), 0, 0, 0);
        const FrameCamera camera({vector3(f["position"]), Eigen::Quaterniond(q[0], q[1], q[2], q[3]).normalized()},
                                 {f["focal_px"].get<double>(), 1, {c[0].get<double>(), c[1].get<double>()}, lens});
        const int width = j["image"]["width"], height = j["image"]["height"];
        const Eigen::Vector3d light(-30, 38, 22);  // demo/scenes/yard.inc, mirrored in z
        std::mt19937 random(11);
        std::normal_distribution<double> noise(0, 0.7);
        std::uniform_real_distribution<double> share(0.15, 0.85);
        double squares = 0, stated = 0, worst = 0;
        int fits = 0;
        for (int trial = 0; trial < 200; ++trial) {
            std::vector<SeenPost> posts;
            Eigen::Vector3d truth = Eigen::Vector3d::Zero();
            // The light is a lamp 50 m away: only posts near to each other have one direction to it.
            std::optional<Eigen::Vector3d> base;
            for (int k = 0; k < 60 && posts.size() < 3; ++k) {
                const auto ray = camera.ray({share(random) * width, (0.55 + 0.4 * share(random)) * height});
                if (!ray || ray->direction.y() > -0.02) continue;
                Eigen::Vector3d foot = ray->at(-ray->origin.y() / ray->direction.y());
                foot.y() = 0;
                if (base) foot = *base + Eigen::Vector3d(share(random) - 0.5, 0, share(random) - 0.5);
                const Eigen::Vector3d top = foot + 1.2 * Eigen::Vector3d::UnitY(), to = (light - top).normalized();
                const Eigen::Vector3d tip = top - top.y() / to.y() * to;
                const auto a = camera.project(foot), b = camera.project(top), d = camera.project(tip);
                const auto inside = [&](const std::optional<Eigen::Vector2d>& v) {
                    return v && v->x() > 0 && v->y() > 0 && v->x() < width && v->y() < height;
                };
                if (!inside(a) || !inside(b) || !inside(d) || (foot - ray->origin).norm() > 12) continue;
                const auto mark = [&](const Eigen::Vector2d& v) -> Eigen::Vector2d {
                    return v + Eigen::Vector2d(noise(random), noise(random));
                };
                posts.push_back({&camera, mark(*a), mark(*b), mark(*d)});
                truth += to;
                if (!base) base = foot;
            }
            if (posts.size() < 3) continue;
            const SunFit fit = sunFromPosts(posts, 0, 0.7);
            ASSERT_GE(fit.sigmaDegrees, 0);
            const double error = std::acos(std::min(1.0, fit.toSun.dot(truth.normalized()))) * 180 / M_PI;
            // The stated one is of each of both angles.
            squares += error * error / 2, stated += fit.sigmaDegrees * fit.sigmaDegrees, ++fits;
            worst = std::max(worst, error);
        }
        ASSERT_GT(fits, 50) << clip;
        EXPECT_LE(std::sqrt(2 * squares / fits), 1.0) << clip;
        EXPECT_GT(std::sqrt(stated / squares), 0.8) << clip;
        std::printf("sun on %s: %.2f° RMS, %.2f° at most, stated %.2f° for %.2f° over %d draws\n", clip,
                    std::sqrt(2 * squares / fits), worst, std::sqrt(stated / fits), std::sqrt(squares / fits), fits);
    }
}

}  // namespace
}  // namespace va
