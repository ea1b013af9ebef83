// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/import_scene.h"

#include <algorithm>
#include <cmath>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "exchange/compare.h"
#include "exchange/verify.h"
#include "workflow/ground_work.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"

namespace va {
namespace {

// Ids of points from a file, beyond those of tracked paths.
constexpr int firstPointId = 10000000;

/// Largest shift in px of what the first sees, through the second, over frames that both have: a grid in the picture,
/// at the distance of the points, else far away.
double shiftBetween(const SceneExport& a, const SceneExport& b) {
    std::map<int, const SceneExport::Frame*> other;
    for (const auto& f : b.frames)
        if (f.solved) other[f.frame] = &f;
    double depth = 1e6;
    if (!a.points.empty() && !a.frames.empty()) {
        std::vector<double> away;
        for (const auto& p : a.points) away.push_back((p.position - a.frames.front().pose.position).norm());
        std::nth_element(away.begin(), away.begin() + long(away.size() / 2), away.end());
        depth = away[away.size() / 2];
    }
    double largest = 0;
    for (const auto& f : a.frames) {
        const auto there = other.find(f.frame);
        if (!f.solved || there == other.end()) continue;
        const Intrinsics lensA = a.intrinsics(f), lensB = b.intrinsics(*there->second);
        for (int i = 0; i < 9; ++i) {
            const Eigen::Vector2d pixel(i % 3 * (a.width - 1) / 2.0, i / 3 * (a.height - 1) / 2.0);
            const auto ray = worldRay(f.pose, lensA, pixel);
            const auto q = ray ? project(there->second->pose, lensB, f.pose.position + depth * *ray) : std::nullopt;
            if (q) largest = std::max(largest, (*q - pixel).norm());
        }
    }
    return largest;
}

const Misfit* about(const std::vector<Misfit>& all, Misfit::About what) {
    const auto found = std::find_if(all.begin(), all.end(), [&](const Misfit& m) { return m.about == what; });
    return found == all.end() ? nullptr : &*found;
}
int chosenOf(const std::vector<Misfit>& all, Misfit::About what) {
    const Misfit* m = about(all, what);
    return m ? m->chosen : 0;
}

std::string frameWords(double first, double last) { return text("%.6g–%.6g", first, last); }

/// The choices that the answers make.
ForeignChoices choicesFrom(const Shot& shot, const ForeignScene& scene, const std::vector<Misfit>& misfits,
                           const std::string& camera) {
    ForeignChoices out;
    out.camera = camera;
    out.width = shot.plate.width, out.height = shot.plate.height;
    out.pixelAspect = shot.pixelAspect();
    out.rate = shot.rate();
    out.byTime = about(misfits, Misfit::About::rate) && scene.rate && chosenOf(misfits, Misfit::About::rate) == 1;
    if (about(misfits, Misfit::About::firstFrame) && chosenOf(misfits, Misfit::About::firstFrame) == 0)
        out.firstFrame = shot.plate.frames.first;
    if (about(misfits, Misfit::About::axis)) out.zUp = chosenOf(misfits, Misfit::About::axis) == 1;
    if (about(misfits, Misfit::About::unit)) {
        constexpr double metres[] = {1, 0.01, 0.0254, 0.3048};
        out.metresPerUnit = metres[std::clamp(chosenOf(misfits, Misfit::About::unit), 0, 3)];
    }
    return out;
}

/// What of a shot belongs to the world of its solve, in words; empty = nothing.
std::string settled(const Shot& shot) {
    std::string out;
    const auto add = [&](const std::string& words) { out += (out.empty() ? "" : ", ") + words; };
    if (!shot.things.empty()) add(text("%zu things", shot.things.size()));
    if (!shot.movers.empty()) add(text("%zu movers", shot.movers.size()));
    if (shot.solve->has() && !(shot.groundSpec == GroundSpec())) add(text("the ground"));
    return out;
}

/// The shot's things in the file's world: both cameras laid on each other give the change. What hangs on features of
/// the solve that ends stands in the world then.
std::vector<Thing> goneAlong(const Shot& before, Shot now, const SceneExport& from) {
    SceneExport was = gatherExport(before, "");
    was.points.clear();
    std::optional<CameraComparison> both;
    try {
        both = compareCameras(from, was);
    } catch (const InputError&) {  // no frame in common: said below
    }
    if (!both || !both->pathsTell)
        throw InputError(
            text("The two cameras can't be laid on each other: %s. Choose that things keep their numbers, and place "
                 "them anew.",
                 both ? text("one of them stands still").c_str() : text("they have no frame in common").c_str()));
    for (Thing& t : now.things) {
        if (t.hang.on == Hang::On::ground) t.hang.on = Hang::On::world;
        if (t.hang.on == Hang::On::world || t.hang.on == Hang::On::thing || t.hang.on == Hang::On::camera) continue;
        const auto place = PlacedThings(before, before.range.first).of(t);
        if (!place) continue;
        // Its own scale stays in its fields.
        const double larger = t.keys.scale.empty() ? place->scale / std::max(1e-12, t.scale) : 1;
        t.hang = {};
        t.keys.position = {}, t.keys.turn = {};
        t.position = place->translation, t.rotation = place->rotation, t.scale *= larger;
    }
    return carriedThings(before, now, both->aFromB).things;
}

/// A shape as an OBJ file. Returns its path.
std::string writeShape(const Shape& shape, const std::string& name, const std::filesystem::path& folder) {
    std::string out = "# Vivid Anchor\n";
    for (const auto& v : shape.vertices)
        out += "v " + exactText(v.x()) + " " + exactText(v.y()) + " " + exactText(v.z()) + "\n";
    size_t at = 0;
    for (const int n : shape.counts) {
        out += "f";
        for (int k = 0; k < n; ++k) out += formatted(" %d", shape.corners[at++] + 1);
        out += "\n";
    }
    std::string word;
    for (const char c : name) word += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    if (word.empty()) word = "mesh";
    const std::filesystem::path file = folder / formatted("%s.obj", word.c_str());
    writeFileAtomically(file, out);
    return file.string();
}

}  // namespace

std::vector<Misfit> misfitsOf(const Shot& shot, const ForeignScene& scene, const std::string& camera) {
    if (!shot.hasPlate()) throw InputError(text("Open the plate first: a camera is taken in over it."));
    const ForeignScene::Camera& c = cameraOf(scene, camera);
    std::vector<Misfit> out;
    const auto add = [&](Misfit m) { out.push_back(std::move(m)); };
    const double first = c.frames.front().frame, last = c.frames.back().frame;
    if (camera.empty() && scene.cameras.size() > 1)
        add({Misfit::About::camera,
             text("%zu cameras", scene.cameras.size()),
             text("one"),
             text("\"%s\" is taken: the first one.", c.name.c_str()),
             {text("take the first")},
             0,
             false});
    // What follows is told in px by taking the scene both ways.
    const auto scenes = [&](const std::function<void(ForeignChoices&)>& other) -> double {
        try {
            ForeignChoices plain = choicesFrom(shot, scene, {}, camera);
            if (!scene.metresPerUnit) plain.metresPerUnit = 1;
            ForeignChoices changed = plain;
            other(changed);
            return shiftBetween(sceneFrom(scene, plain), sceneFrom(scene, changed));
        } catch (const Error&) {
            return -1;
        }
    };
    const auto upTo = [](double px) { return px >= 0 ? text("up to %.1f px", px) : text("no frame in common"); };
    if (!scene.rate && c.frames.size() > 1) {
        add({Misfit::About::rate,
             text("not said"),
             text("%s fps", shot.rate().label().c_str()),
             text("Its frames are taken one for one."),
             {text("frame for frame")},
             0,
             false});
    } else if (scene.rate && !(*scene.rate == shot.rate())) {
        const double px = scenes([](ForeignChoices& x) { x.byTime = true; });
        add({Misfit::About::rate,
             text("%s fps", scene.rate->label().c_str()),
             text("%s fps", shot.rate().label().c_str()),
             text("Frame for frame and by time differ by %s.", upTo(px).c_str()),
             {text("frame for frame"), text("by time: camera between frames is interpolated")},
             -1,
             true});
    }
    if (scene.width && (*scene.width != shot.plate.width || *scene.height != shot.plate.height)) {
        const double scale = double(shot.plate.width) / *scene.width;
        const double off = std::fabs(*scene.height * scale - shot.plate.height) / 2;
        add({Misfit::About::size,
             text("%d × %d px", *scene.width, *scene.height),
             text("%d × %d px", shot.plate.width, shot.plate.height),
             off < 0.5
                 ? text("Scaled by %.4g, it fits.", scale)
                 : text(
                       "Their shapes differ: at one width its picture ends %.1f px from the plate's at top and bottom.",
                       off),
             {text("one width, middles together"), text("one height, middles together")},
             off < 0.5 ? 0 : -1,
             off >= 0.5});
    }
    if (scene.pixelAspect && std::fabs(*scene.pixelAspect / shot.pixelAspect() - 1) > 1e-6)
        add({Misfit::About::pixels,
             text("pixel aspect %.4g", *scene.pixelAspect),
             text("pixel aspect %.4g", shot.pixelAspect()),
             text("The plate's holds. If the file's is right, change it in Plate first: heights differ by %.1f px.",
                  shot.plate.height * std::fabs(*scene.pixelAspect / shot.pixelAspect() - 1)),
             {text("the plate's")},
             0,
             false});
    if (std::lround(first) != shot.plate.frames.first) {
        const double px = scenes([&](ForeignChoices& x) { x.firstFrame = shot.plate.frames.first; });
        const bool meets = last >= shot.plate.frames.first && first <= shot.plate.frames.last && scene.framesSaid;
        add({Misfit::About::firstFrame,
             frameWords(first, last),
             frameWords(shot.plate.frames.first, shot.plate.frames.last),
             meets ? text("As numbered, and from the plate's first frame on, differ by %s.", upTo(px).c_str())
                   : text("As numbered, it lies outside of the plate."),
             {text("its first frame is the plate's first"), text("as numbered")},
             meets ? -1 : 0,
             meets});
    }
    const auto solved = atWholeFrames(c.frames, scene.between);
    const int missing = int(solved.back().frame - solved.front().frame) + 1 - int(solved.size());
    const double covered = std::min(last - first, double(shot.plate.frames.last - shot.plate.frames.first)) + 1;
    if (missing > 0 || covered < shot.plate.frames.last - shot.plate.frames.first + 1)
        add({Misfit::About::frames,
             text("%zu frames", solved.size()),
             text("%d frames", shot.plate.frames.last - shot.plate.frames.first + 1),
             missing > 0 ? text("%d frames within have no camera; those and the ones beyond stay without.", missing)
                         : text("Frames beyond stay without a camera."),
             {text("leave them without")},
             0,
             false});
    if (!scene.axisSaid)
        add({Misfit::About::axis,
             text("not said"),
             text("Y up"),
             text("With the wrong one the world lies on its side; the camera fits the plate either way."),
             {text("Y up"), text("Z up")},
             -1,
             true});
    if (!scene.metresPerUnit)
        add({Misfit::About::unit,
             text("not said"),
             text("metres"),
             text("With the wrong one all sizes are wrong by one factor; the camera fits the plate either way."),
             {text("metres"), text("centimetres"), text("inches"), text("feet")},
             -1,
             true});
    const double aspect = shot.plate.width * shot.pixelAspect() / shot.plate.height;
    if (!(c.backWidthMm > 0)) {
        add({Misfit::About::filmBack,
             text("no film back"),
             text("%.3f mm wide", shot.priors.sensorWidthMm),
             text("Its focal length in mm means nothing without one."),
             {text("the shot's film back"), text("36 mm wide")},
             -1,
             true});
    } else if (c.angleOnly) {
        add({Misfit::About::filmBack,
             text("an angle of view"),
             text("%.3f mm wide", shot.priors.sensorWidthMm),
             text("The angle holds either way; only the focal length in mm goes with the film back."),
             {text("the shot's film back"), text("36 mm wide")},
             0,
             false});
    }
    if (c.backWidthMm > 0 && c.backHeightMm > 0 && !c.frameOf && !scene.width &&
        std::fabs(c.backWidthMm / c.backHeightMm / aspect - 1) > 1e-4) {
        const double off =
            std::fabs(shot.plate.width * shot.pixelAspect() * c.backHeightMm / c.backWidthMm - shot.plate.height) / 2;
        add({Misfit::About::backShape,
             c.angleOnly ? text("picture %.4g : 1", c.backWidthMm / c.backHeightMm)
                         : text("%.4g × %.4g mm", c.backWidthMm, c.backHeightMm),
             text("picture %.4g : 1", aspect),
             text("The back has another shape than the plate: by width and by height differ by %.1f px at the border.",
                  off),
             {text("the width holds"), text("the height holds")},
             off < 0.5 ? 0 : -1,
             off >= 0.5});
    }
    if (!c.lens) {
        double px = -1;
        if (const auto lens = shot.lens(); lens && !lens->lens.isZero())
            if (const auto corner = lens->normalisedFromPixel({0, 0}))
                px = (Intrinsics{lens->focalPx, lens->pixelAspect, lens->principalPoint, {}}.pixelFromNormalised(
                          *corner))
                         .norm();
        add({Misfit::About::distortion, text("not said"),
             px >= 0 ? text("%.1f px in the corner", px) : text("not known"),
             px >= 0 ? text("A camera for the undistorted plate fits the plate only with the shot's own distortion.")
                     : text("It is taken as none: right for a plate that is undistorted already."),
             px >= 0 ? std::vector<std::string>{text("none"), text("the shot's own lens")}
                     : std::vector<std::string>{text("none")},
             px >= 0.5 ? -1 : 0, px >= 0.5});
    }
    if (const std::string set = settled(shot); !set.empty()) {
        std::vector<std::string> choices{text("things keep their numbers")};
        if (!shot.things.empty() && shot.solve->has()) choices.insert(choices.begin(), text("things go along"));
        add({Misfit::About::world, text("a world of its own"), set,
             choices.size() > 1
                 ? text(
                       "Ground, scale and movers of the shot end with its solve. Things can go along: both cameras are "
                       "laid on each other.")
                 : text("Ground, scale and movers of the shot end with its solve."),
             choices, 0, false});
    }
    return out;
}

SceneExport answered(const Shot& shot, const ForeignScene& given, const std::vector<Misfit>& misfits,
                     const std::string& camera) {
    for (const Misfit& m : misfits)
        if (m.open && m.chosen < 0)
            throw InputError(
                text("%s against %s: choose what holds. Nothing was taken.", m.theirs.c_str(), m.ours.c_str()));
    ForeignScene scene = given;
    // The film back is made to fit the plate first.
    const std::string name = cameraOf(scene, camera).name;
    for (auto& c : scene.cameras) {
        if (c.name != name) continue;
        const double aspect = shot.plate.width * shot.pixelAspect() / shot.plate.height;
        if (!(c.backWidthMm > 0)) {
            c.backWidthMm = chosenOf(misfits, Misfit::About::filmBack) == 1 ? 36 : shot.priors.sensorWidthMm;
            c.backHeightMm = c.backWidthMm / aspect;
        }
        const bool size = scene.width && (*scene.width != shot.plate.width || *scene.height != shot.plate.height);
        const bool byHeight =
            (size && chosenOf(misfits, Misfit::About::size) == 1) || chosenOf(misfits, Misfit::About::backShape) == 1;
        if (c.frameOf && size) {
            // Its own picture's frame, as a share of the picture.
            const double sx = double(shot.plate.width) / *scene.width, sy = double(shot.plate.height) / *scene.height;
            (*c.frameOf)[0] *= sx, (*c.frameOf)[2] *= sx, (*c.frameOf)[1] *= sy, (*c.frameOf)[3] *= sy;
        }
        if (!c.frameOf && c.backHeightMm > 0) {
            if (byHeight) c.backWidthMm = c.backHeightMm * aspect;
            c.backHeightMm = c.backWidthMm / aspect;
        }
        if (c.angleOnly && chosenOf(misfits, Misfit::About::filmBack) == 0) {
            const double larger = shot.priors.sensorWidthMm / c.backWidthMm;
            c.backWidthMm *= larger, c.backHeightMm *= larger, c.offsetMm *= larger;
            for (auto& frame : c.frames) frame.focalMm *= larger;
        }
        if (!c.lens && chosenOf(misfits, Misfit::About::distortion) == 1)
            if (const auto lens = shot.lens()) c.lens = lens->lens;
    }
    scene.width = shot.plate.width, scene.height = shot.plate.height;
    return sceneFrom(scene, choicesFrom(shot, given, misfits, camera));
}

Shot withImportedScene(const Shot& shot, const ForeignScene& scene, const std::vector<Misfit>& misfits,
                       const std::string& camera, const std::string& file, const std::filesystem::path& meshFolder) {
    const SceneExport from = answered(shot, scene, misfits, camera);
    auto solve = std::make_shared<SolveResult>();
    solve->motion = Motion::free;
    solve->height = shot.plate.height;
    solve->readout = from.readout;
    int solved = 0;
    double low = 1e300, high = 0;
    for (int n = shot.range.first; n <= shot.range.last; ++n) {
        SolvedFrame& f = solve->frames.emplace_back();
        f.frame = n;
        const auto at = std::find_if(from.frames.begin(), from.frames.end(),
                                     [&](const auto& x) { return x.frame == n && x.solved; });
        if (at == from.frames.end()) continue;
        f.solved = true, f.pose = at->pose, f.focalPx = at->focalPx, f.rate = at->rate;
        low = std::min(low, at->focalPx), high = std::max(high, at->focalPx);
        ++solved;
    }
    if (solved == 0)
        throw InputError(text(
            "The file's frames %d–%d lie outside of the work range %d–%d. Choose that its first frame is the plate's "
            "first.",
            from.frames.front().frame, from.frames.back().frame, shot.range.first, shot.range.last));
    solve->lens = {(low + high) / 2, from.pixelAspect, from.principalPoint, from.lens};
    solve->zooms = high > low * (1 + 1e-6);
    if (!solve->zooms) solve->lens.focalPx = low;
    for (const auto& p : from.points) {
        SolvedPoint& to = solve->points.emplace_back();
        to.pathId = firstPointId + int(solve->points.size());
        to.position = p.position;
        to.observations = 0;
    }
    solve->measured = {true, true, Similarity()};
    Shot out = shot;
    out.priors.sensorWidthMm = from.sensorWidthMm;
    out.solve = solve;
    out.cameraFrom = std::filesystem::path(file).filename().string();
    out.refineReport.clear();
    out.movers.clear();
    out.groundSpec = {};
    out = withGround(out, out.groundSpec);
    if (const Misfit* world = about(misfits, Misfit::About::world);
        world && world->choices.size() > 1 && world->chosen == 0)
        out.things = goneAlong(shot, out, from);
    if (!meshFolder.empty()) {
        std::vector<std::pair<std::string, std::string>> names;  // in the file, here
        for (const auto& t : from.things) {
            Thing thing = t;
            thing.id = 0, thing.hang = {}, thing.keys = {};
            if (t.ownShape) {
                Mesh mesh;
                mesh.file = writeShape(*t.ownShape, t.name, meshFolder);
                mesh.size = 1;
                thing.kind = mesh;
            }
            for (const auto& at : t.samples) {
                thing.keys.position.keys.set(at.frame, at.place.translation);
                const Eigen::Vector3d before =
                    thing.keys.turn.empty() ? turnOf(at.place.rotation) : thing.keys.turn.at(at.frame);
                thing.keys.turn.keys.set(at.frame, turnNear(turnOf(at.place.rotation), before));
                if (std::fabs(at.place.scale / t.scale - 1) > 1e-9 || !thing.keys.scale.empty())
                    thing.keys.scale.keys.set(at.frame, at.place.scale);
                if (at.visible != t.visible || !thing.keys.visible.empty())
                    thing.keys.visible.keys.set(at.frame, at.visible ? 1 : 0);
            }
            int id = 0;
            thing.name = freeName(out, t.name.empty() ? kindWord(thing.kind) : t.name);
            out = withThing(out, thing, &id);
        }
    }
    out.solveFrom = fingerprintOfSolveInput(out);
    return out;
}

Shot withCameraUnlocked(const Shot& shot) {
    Shot out = shot;
    out.cameraFrom.clear();
    return out;
}

}  // namespace va
