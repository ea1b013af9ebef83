// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/verify.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "exchange/export_body.h"
#include "exchange/export_choices.h"
#include "lens/film_back.h"

namespace va {
namespace {

constexpr size_t comparedVertices = 24;

/// At most `most` of 0 … count − 1, the first and the last among them.
std::vector<size_t> evenly(size_t count, size_t most) {
    std::vector<size_t> out;
    for (size_t i = 0; i < std::min(count, most); ++i)
        out.push_back(count <= most ? i : (i * (count - 1) + (most - 1) / 2) / (most - 1));
    return out;
}

/// Gathers differences of places, in px where a camera sees them.
struct Differences {
    double px = 0, units = 0, share = 0;
    int compared = 0;
    void place(const CameraPose& a, const Intrinsics& lensA, const Eigen::Vector3d& p, const CameraPose& b,
               const Intrinsics& lensB, const Eigen::Vector3d& q, int width, int height) {
        units = std::max(units, (p - q).norm());
        share = std::max(share, (p - q).norm() / std::max({1.0, p.norm(), (p - a.position).norm()}));
        const auto x = project(a, lensA, p);
        if (!x || x->x() < -0.5 || x->y() < -0.5 || x->x() > width - 0.5 || x->y() > height - 0.5) return;
        const auto y = project(b, lensB, q);
        px = std::max(px, y ? (*x - *y).norm() : 1e9);
        ++compared;
    }
};

std::string asOneWord(std::string name) {
    std::replace(name.begin(), name.end(), ' ', '_');
    return name;
}

const ForeignScene::Body* bodyNamed(const ForeignScene& s, const std::string& name, bool vertices) {
    for (const auto& b : s.bodies)
        if ((b.name == name || b.name == asOneWord(name)) && b.vertices.empty() != vertices) return &b;
    return nullptr;
}

/// Places of a body that stand for it, some of its vertices, and the same ones of the body as read: files order and
/// share vertices as they like, so that each is found as the nearest one where both stand in one frame.
std::pair<std::vector<Eigen::Vector3d>, std::vector<Eigen::Vector3d>> marksOf(const ExportBody& ours, bool placeOnly,
                                                                              const Similarity& place,
                                                                              const ForeignScene::Body& found,
                                                                              const Eigen::Matrix4d& there) {
    std::pair<std::vector<Eigen::Vector3d>, std::vector<Eigen::Vector3d>> out;
    if (ours.shape.vertices.empty() || placeOnly) {
        out.first = {Eigen::Vector3d::Zero(), {0.1, 0, 0}, {0, 0.1, 0}};
        out.second = out.first;
        return out;
    }
    for (const size_t i : evenly(ours.shape.vertices.size(), comparedVertices)) {
        const Eigen::Vector3d at = place.point(ours.shape.vertices[i]);
        double nearest = 1e300;
        Eigen::Vector3d best(0, 0, 0);
        for (const Eigen::Vector3d& v : found.vertices)
            if (const double d = ((there * v.homogeneous()).head<3>() - at).squaredNorm(); d < nearest)
                nearest = d, best = v;
        out.first.push_back(ours.shape.vertices[i]), out.second.push_back(best);
    }
    return out;
}

/// What is wrong besides pixels; empty when all is equal.
std::string factsWrong(const SceneExport& s, const ForeignScene& found, const ExportFormat& format) {
    if (found.width && (*found.width != s.width || *found.height != s.height)) return text("the picture size differs");
    if (found.pixelAspect && std::fabs(*found.pixelAspect - s.pixelAspect) > 1e-9)
        return text("the pixel aspect differs");
    if (found.rate && !(*found.rate == s.rate)) return text("the frame rate differs");
    if (found.zUp != s.zUp && found.axisSaid) return text("another axis is up");
    if (s.metric && found.metresPerUnit && std::fabs(*found.metresPerUnit / s.metresPerUnit - 1) > 1e-9)
        return text("the unit differs");
    if (!format.holdsCamera) return {};
    if (found.cameras.empty()) return text("there is no camera");
    if (!found.rate) return text("there is no frame rate");
    std::vector<int> ours;
    for (const auto& f : s.frames)
        if (f.solved) ours.push_back(f.frame);
    const auto& theirs = found.cameras.front().frames;
    if (ours.size() != theirs.size()) return text("the number of frames differs");
    for (size_t i = 0; i < ours.size(); ++i)
        if (std::fabs(theirs[i].frame - ours[i]) > 1e-3) return text("the frame numbers differ");
    if (format.holdsPoints && found.points.size() != s.points.size()) return text("the number of points differs");
    return {};
}

/// Things, planes and movers, compared at the frames through our camera. Gives what is wrong.
std::string compareBodies(const SceneExport& s, const ForeignScene& found, const std::vector<size_t>& frames,
                          const ExportFormat& format, Differences& d) {
    for (const ExportBody& b : bodiesOf(s)) {
        if (!format.holdsMarks && b.shape.vertices.empty()) continue;
        // Where a format holds no points, a mover without faces is its place.
        const bool placeOnly = b.shape.faceCount() == 0 && !format.holdsPoints;
        const ForeignScene::Body* other = bodyNamed(found, b.name, !b.shape.vertices.empty() && !placeOnly);
        if (!other) return text("\"%s\" is not there", b.name.c_str());
        if (other->triangles.size() != b.shape.triangles().size())
            return text("\"%s\" has other faces", b.name.c_str());
        std::vector<Eigen::Vector3d> mine, yours;
        for (const size_t i : frames) {
            const SceneExport::Frame& f = s.frames[i];
            // A frame that it has no place in is no frame to compare.
            if (b.moves() &&
                std::none_of(b.samples.begin(), b.samples.end(), [&](const auto& at) { return at.frame == f.frame; }))
                continue;
            const auto& at = format.holdsCamera ? b.at(f.frame) : b.samples.front();
            const auto& there = other->at(f.frame);
            if (format.holdsVisibility && there.visible != at.visible)
                return text("\"%s\" is seen where it is hidden", b.name.c_str());
            if (mine.empty()) std::tie(mine, yours) = marksOf(b, placeOnly, at.place, *other, there.place);
            const Intrinsics lens = s.intrinsics(f);
            for (size_t k = 0; k < mine.size(); ++k)
                d.place(f.pose, lens, at.place.point(mine[k]), f.pose, lens,
                        (there.place * yours[k].homogeneous()).head<3>(), s.width, s.height);
            // What no camera sees is compared by its place.
            ++d.compared;
        }
    }
    return {};
}

}  // namespace

Intrinsics plateIntrinsics(const ForeignScene&, const ForeignScene::Camera& c, const ForeignScene::Frame& f, int width,
                           int height, double pixelAspect) {
    const auto frame = c.frameOf.value_or(std::array<double, 4>{double(width), double(height), 0, 0});
    const double backHeight = c.backHeightMm > 0 ? c.backHeightMm : c.backWidthMm * frame[1] / (frame[0] * pixelAspect);
    Intrinsics out;
    out.pixelAspect = pixelAspect;
    out.focalPx = f.focalMm / c.backWidthMm * frame[0] * pixelAspect;
    out.principalPoint = {(frame[0] - 1) / 2 - c.offsetMm.x() * frame[0] / c.backWidthMm - frame[2],
                          (frame[1] - 1) / 2 + c.offsetMm.y() * frame[1] / backHeight - frame[3]};
    if (c.lens) out.lens = *c.lens;
    return out;
}

ExportCheck verified(const SceneExport& s, const ForeignScene& found, const ExportFormat& format,
                     const std::filesystem::path& file) {
    ExportCheck check;
    check.file = file;
    check.format = &format;
    const std::string name = file.filename().string();
    const auto wrong = [&](const std::string& what) {
        check.sentence =
            text("%s was written, but read back %s. Do not use it; report this.", name.c_str(), what.c_str());
        return check;
    };
    if (const std::string what = factsWrong(s, found, format); !what.empty()) return wrong(what);
    std::vector<size_t> solved;
    for (size_t i = 0; i < s.frames.size(); ++i)
        if (s.frames[i].solved) solved.push_back(i);
    std::vector<size_t> at, frames;
    for (const size_t i : evenly(solved.size(), comparedFrames)) at.push_back(i), frames.push_back(solved[i]);
    // A turning camera has no points; frame corners on a far sphere stand in for them.
    std::vector<Eigen::Vector3d> ours, theirs;
    const bool points = format.holdsPoints && found.points.size() == s.points.size();
    for (const size_t i : evenly(s.points.size(), comparedPoints)) {
        ours.push_back(s.points[i].position);
        theirs.push_back(points ? found.points[i].position : s.points[i].position);
    }
    if (format.holdsPoints && !format.holdsCamera && found.points.size() != s.points.size())
        return wrong(text("the number of points differs"));
    if (ours.empty() && format.holdsCamera) {
        for (double az = -3; az <= 3; az += 0.25)
            for (double el = -1; el <= 1; el += 0.25)
                ours.push_back(
                    1000 * Eigen::Vector3d(std::sin(az) * std::cos(el), std::sin(el), -std::cos(az) * std::cos(el)));
        theirs = ours;
    }
    const bool bodies = format.holdsThings && !bodiesOf(s).empty();
    if (!format.holdsCamera && s.points.empty() && !bodies && !frames.empty()) {
        // A camera that only turns or stands has no points: there is nothing that could be wrong.
        check.passed = true;
        check.lacks = format.lacks(s);
        check.sentence = text("%s is empty: this solve has no points.", name.c_str());
        return check;
    }
    Differences d;
    for (size_t k = 0; k < frames.size(); ++k) {
        const SceneExport::Frame& f = s.frames[frames[k]];
        Intrinsics lens = s.intrinsics(f), other = lens;
        CameraPose pose = f.pose;
        if (format.holdsCamera) {
            const auto& camera = found.cameras.front();
            const auto& there = camera.frames[at[k]];
            other = plateIntrinsics(found, camera, there, s.width, s.height, s.pixelAspect);
            // What the file has no place for is left out on both sides.
            if (!camera.lens) lens.lens = LensModel();
            pose = there.pose;
            d.units = std::max(d.units, (pose.position - f.pose.position).norm());
            if (k == 0) check.angleOfView = fieldOfView(other.focalPx, s.width * s.pixelAspect) * 180 / M_PI;
        }
        for (size_t i = 0; i < ours.size(); ++i)
            d.place(f.pose, lens, ours[i], pose, other, theirs[i], s.width, s.height);
    }
    if (format.holdsThings)
        if (const std::string what = compareBodies(s, found, frames, format, d); !what.empty()) return wrong(what);
    check.largestPx = d.px, check.largestUnits = d.units, check.compared = d.compared;
    if (d.compared == 0) {
        check.sentence = text(
            "%s was written, but no point is seen by any camera: nothing could be compared. Solve the shot again, then "
            "export.",
            name.c_str());
        return check;
    }
    // What no camera sees has to stand where it belongs as well.
    if (d.px <= exportTolerancePx && d.share > exportToleranceShare)
        return wrong(text("something out of the picture stands %.3g units elsewhere", d.units));
    check.passed = d.px <= exportTolerancePx;
    check.sentence =
        text(check.passed ? "%s read back: %d × %d, %s fps, %d–%d, largest difference %.5f px over %d observations."
                          : "%s was written, but read back (%d × %d, %s fps, %d–%d) it is %.5f px off over %d "
                            "observations. Do not use it; report this.",
             name.c_str(), s.width, s.height, s.rate.label().c_str(), s.frames.front().frame, s.frames.back().frame,
             d.px, d.compared);
    check.lacks = format.lacks(s);
    if (check.passed && !check.lacks.empty()) check.sentence += text(" Not in the file: %s.", check.lacks.c_str());
    return check;
}

ExportCheck exportAndVerify(const SceneExport& given, const ExportFormat& format, const std::filesystem::path& file) {
    const bool standard = format.standardAxes && (given.zUp || given.metresPerUnit != 1);
    const SceneExport scene = standard ? inAxes(given, false, 1) : given;
    OutFiles files = format.write(scene);
    const std::string stem = file.stem().string();
    const auto named = [&](std::string words) {
        for (size_t at = words.find("{stem}"); at != std::string::npos; at = words.find("{stem}", at + stem.size()))
            words.replace(at, 6, stem);
        return words;
    };
    std::vector<std::filesystem::path> companions;
    // The main file comes last: it is whole only with what it names.
    for (size_t i = files.size(); i-- > 1;) {
        const std::filesystem::path to = file.parent_path() / named(files[i].name);
        if (to.parent_path() != file.parent_path()) {
            std::error_code code;
            std::filesystem::create_directories(to.parent_path(), code);
        }
        writeFileAtomically(to, files[i].copyOf.empty() ? files[i].content : readFile(files[i].copyOf));
        companions.push_back(to);
    }
    // Only text formats name their companions within.
    writeFileAtomically(file, files.size() > 1 && files[0].content.find('\0') == std::string::npos
                                  ? named(files[0].content)
                                  : files[0].content);
    ForeignScene found;
    try {
        found = format.read(readFile(file), file.string());
    } catch (const Error& e) {
        ExportCheck check;
        check.file = file, check.format = &format, check.companions = companions;
        check.sentence = text("%s could not be read back: %s", file.filename().string().c_str(), e.what());
        return check;
    }
    ExportCheck check = verified(scene, found, format, file);
    for (const std::filesystem::path& other : companions) {
        if (!check.passed || !format.companionWrong) break;
        const std::string wrong = format.companionWrong(scene, other.filename().string(), readFile(other));
        if (wrong.empty()) continue;
        check.passed = false;
        check.sentence = text("%s was written, but read back %s. Do not use it; report this.",
                              other.filename().string().c_str(), wrong.c_str());
    }
    check.companions = std::move(companions);
    if (standard && check.passed)
        check.sentence += text(" Its standard has Y up and metres: that is how it was written.");
    return check;
}

}  // namespace va
