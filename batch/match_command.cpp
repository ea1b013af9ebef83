// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "commands.h"
#include "exchange/camera_json.h"
#include "exchange/verify.h"
#include "ground_options.h"
#include "interrupt.h"
#include "run_folder.h"
#include "shot/shot_file.h"
#include "solve_options.h"
#include "workflow/check_points.h"
#include "workflow/gather_scene.h"
#include "workflow/lens_work.h"
#include "workflow/match_shot.h"
#include "workflow/mover_features.h"
#include "workflow/mover_work.h"
#include "workflow/stale.h"
#include "workflow/still_work.h"
#include "workflow/verdict.h"

namespace va {
namespace {

using nlohmann::json;

struct MatchArguments {
    PlateArguments plate;
    std::string out, focal = "unknown", distortion = "solve";
    std::string move = "automatic", zoom = "automatic", scene;
    double sensorWidth = 0;
    uint64_t seed = 1;
    bool asJson = false, trackUndistorted = false, movers = false;
    SolveArguments solve;
    GroundArguments ground;
    std::vector<std::string> stills;
};

/// The file's distortion, and its principal point where it says for which picture. A focal length that was asked for
/// stays; else that of the file, to which its distortion belongs, is where the solve starts.
void takeDistortion(Shot& shot, const std::string& path) {
    const CameraPriors asked = shot.priors;
    shot = withLensFile(shot, path);
    if (asked.focal != Known::unknown) {
        shot.priors.focal = asked.focal;
        shot.priors.focalMm = asked.focalMm;
    } else if (shot.priors.focal == Known::known) {
        shot.priors.focal = Known::start;
    }
}

/// `scene`: static, largest, or the number of a mover.
Shot withSceneChosen(const Shot& shot, const std::string& scene, Progress& progress) {
    int id = 0;
    if (scene == "largest") {
        const std::vector<MotionShare> shares = motionShares(shot);
        size_t largest = 0;
        for (size_t i = 1; i < shares.size(); ++i)
            if (shares[i].covered > shares[largest].covered) largest = i;
        if (largest > 0) id = shot.movers[largest - 1].id;
    } else if (scene != "static") {
        id = std::atoi(scene.c_str());
    }
    if (id <= 0) return shot;
    const Shot swapped = withSceneSwapped(shot, id);
    return stalenessOf(swapped).solve ? withSolve(swapped, progress) : withMoversSolved(swapped, progress);
}

int match(const MatchArguments& a) {
    ProgressPrinter printer(a.asJson);
    Interrupt::Watched progress([&](const Progress::State& s) { printer(s); });
    Shot shot = shotFor(a.plate, &progress);
    shot.seed = a.seed;
    if (a.sensorWidth > 0) shot.priors.sensorWidthMm = a.sensorWidth, shot.priors.sensorAssumed = false;
    if (a.focal != "unknown") {
        char* end = nullptr;
        shot.priors.focalMm = std::strtod(a.focal.c_str(), &end);
        if (*end != 0 || !(shot.priors.focalMm > 0)) throw UsageError("--focal", "give mm, or the word unknown");
        if (!(a.sensorWidth > 0))
            throw UsageError("--focal", "a focal length in mm says nothing without --sensor-width");
        shot.priors.focal = Known::known;
    }
    if (a.distortion == "none") shot.priors.distortion = Known::known;
    else if (a.distortion != "solve") takeDistortion(shot, a.distortion);
    if (a.trackUndistorted && (shot.priors.distortion == Known::unknown || shot.priors.lens.isZero()))
        throw UsageError("--track-undistorted", "it needs a lens file in --distortion");
    shot.trackUndistorted = a.trackUndistorted;
    const std::map<std::string, MoveChoice> moves{
        {"automatic", MoveChoice::automatic},  {"free", MoveChoice::free},         {"nodal-pan", MoveChoice::nodalPan},
        {"locked-off", MoveChoice::lockedOff}, {"rotation", MoveChoice::nodalPan},  // older words
        {"fixed", MoveChoice::lockedOff}};
    const std::map<std::string, ZoomChoice> zooms{
        {"automatic", ZoomChoice::automatic}, {"no", ZoomChoice::constant}, {"yes", ZoomChoice::zooms}};
    shot.choices = {moves.at(a.move), zooms.at(a.zoom)};
    takeReadout(shot, a.solve);
    if (a.scene == "static") shot.choices.move = MoveChoice::lockedOff;

    shot = withPhotoOptions(shot, a.ground);
    for (const std::string& pattern : a.stills)
        for (const std::string& file : filesNamed("--stills", pattern)) shot = withStill(shot, file);

    RunFolder folder(a.out);
    const auto start = std::chrono::steady_clock::now();
    // Footage that goes away on the way ends the match, but not what was tracked until then.
    std::string trouble;
    Shot soFar = shot;
    try {
        shot = matchShot(shot, progress, &soFar);
    } catch (const InputError& e) {
        if (soFar.paths->empty()) throw;
        trouble = e.what();
        shot = soFar.solve->has() ? withGround(soFar, soFar.groundSpec) : withSolve(soFar, progress);
    }
    useStrict(a.plate, shot);
    shot = withSolveOptions(shot, a.solve, progress);
    if (shot.solve->has()) shot = withGroundOptions(shot, a.ground);
    if ((a.movers || !a.scene.empty()) && shot.solve->has() && trouble.empty()) shot = withMoversFound(shot, progress);
    if (!a.scene.empty() && shot.solve->has() && trouble.empty()) shot = withSceneChosen(shot, a.scene, progress);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    printer.end();
    const std::string verdict = verdictOn(shot, Step::solve).sentence;
    std::vector<ExportCheck> checks;
    double slip = -1, near = -1;
    if (shot.solve->has()) {
        const SceneExport scene = gatherScene(shot);
        slip = scene.slipPx, near = scene.slipNearPx;
        for (const ExportFormat* f : exportFormats())
            if (f->byDefault) checks.push_back(exportAndVerify(scene, *f, folder.file(f->fileName)));
        shot.exportedFrom = fingerprintOfExportInput(shot);
        shot.exportReport = checks.front().sentence;
        for (const ExportCheck& c : checks) shot.exportFailed = shot.exportFailed || !c.passed;
    } else {
        // A camera of an earlier match is none of this project's.
        for (const ExportFormat* f : exportFormats())
            if (f->byDefault) folder.setAside(f->fileName);
    }
    writeShot(shot, folder.file("shot.vanchor"), folder.place(""));
    progress.check();
    for (const std::string& name : folder.commit())
        std::fprintf(stderr, "No camera was solved: %s of an earlier match is %s~ now.\n", name.c_str(), name.c_str());
    for (ExportCheck& c : checks) c.file = folder.place(c.file.filename().string());
    bool verified = true;
    for (const auto& c : checks) verified = verified && c.passed;
    const SolveResult& r = *shot.solve;
    if (a.asJson) {
        json j{
            {"notes", shot.plate.notes},
            {"verdict", verdict},
            {"motion", motionWord(r.motion)},
            {"frames", r.frames.size()},
            {"solved", r.solvedCount()},
            {"rms_px", r.rmsPx},
            {"paths", shot.paths->size()},
            {"points", r.points.size()},
            {"focal_px", r.lens.focalPx},
            {"zooms", r.zooms},
            {"damaged", json::array()},
            {"dependent", shot.findings.dependent},
            {"notes", shot.plate.notes},
            {"lens_sigma", json::object()},
            {"k1", r.lens.lens.value("k1")},
            {"k2", r.lens.lens.value("k2")},
            {"lens_map_sigma_px", r.lensMapSigmaPx},
            {"distortion_refused", r.distortionRefusedPx >= 0 ? json(refusalOf(r)) : json(nullptr)},
            {"seconds", seconds},
            {"plate_seconds", double(shot.frames().size()) / shot.rate().value()},
            {"readout_share", r.readout},
            {"readout_sigma", r.readoutSigma >= 0 ? json(r.readoutSigma) : json(nullptr)},
            {"shutter_open_share", shot.blur.openShare},
            {"smeared_frames", shot.blur.smeared},
            {"expected_slip_px", slip >= 0 ? json(slip) : json(nullptr)},
            {"expected_slip_near_px", near >= 0 ? json(near) : json(nullptr)},
            {"refine_report", shot.refineReport},
            {"ground", verdictOn(shot, Step::ground).sentence},
            {"level_sigma_deg", shot.ground->levelSigmaDeg >= 0 ? json(shot.ground->levelSigmaDeg) : json(nullptr)},
            {"scale_sigma_percent", shot.ground->scaleSigma >= 0 ? json(100 * shot.ground->scaleSigma) : json(nullptr)},
            {"check_points", json::array()},
            {"movers", json::array()},
            {"files", json::array()}};
        for (const FrameDamage& d : shot.plate.damaged)
            j["damaged"].push_back({{"frame", d.frame}, {"cause", d.cause}});
        for (const LensNumber& n : r.lensNumbers) j["lens_sigma"][n.name] = n.sigma;
        for (const CheckPoint& c : shot.checkPoints) {
            const MeasureReport* report = reportOf(shot, c.id);
            j["check_points"].push_back({{"name", c.name},
                                         {"off", report ? json(report->off) : json(nullptr)},
                                         {"in_tolerances", report ? json(report->inTolerances) : json(nullptr)},
                                         {"verdict", checkPointLine(c, report)}});
        }
        for (const ReferenceStill& s : shot.stills) j["reference_stills"].push_back(stillVerdict(shot, s));
        for (const Mover& m : shot.movers)
            j["movers"].push_back({{"name", m.name},
                                   {"paths", m.paths.size()},
                                   {"solved", m.solve->solvedCount()},
                                   {"rms_px", m.solve->rmsPx},
                                   {"verdict", moverVerdict(shot, m)}});
        j["check_rms_px"] = r.checkRmsPx >= 0 ? json(r.checkRmsPx) : json(nullptr);
        for (const auto& c : checks)
            j["files"].push_back({{"file", c.file.string()},
                                  {"verified", c.passed},
                                  {"largest_px", c.largestPx},
                                  {"report", c.sentence}});
        std::printf("%s\n", dumpJson(j).c_str());
    } else {
        std::printf("%s: %s\n", shot.name.c_str(), verdict.c_str());
        for (const std::string& note : shot.plate.notes) std::printf("%s\n", note.c_str());
        if (!shot.plate.damaged.empty()) std::printf("%s\n", verdictOn(shot, Step::plate).sentence.c_str());
        if (r.has())
            std::printf("%d of %zu frames, %zu points, %.1f s for %.1f s of plate\n", r.solvedCount(), r.frames.size(),
                        r.points.size(), seconds, double(shot.frames().size()) / shot.rate().value());
        if (shot.hasWorld()) std::printf("%s\n", verdictOn(shot, Step::ground).sentence.c_str());
        if (!shot.refineReport.empty()) std::printf("%s\n", shot.refineReport.c_str());
        for (const CheckPoint& c : shot.checkPoints)
            std::printf("%s\n", checkPointLine(c, reportOf(shot, c.id)).c_str());
        for (const ReferenceStill& s : shot.stills) std::printf("%s\n", stillVerdict(shot, s).c_str());
        for (const Mover& m : shot.movers) std::printf("%s\n", moverVerdict(shot, m).c_str());
        for (const auto& c : checks) std::printf("%s\n", c.sentence.c_str());
    }
    if (!trouble.empty()) {
        std::fprintf(stderr, "%s\nWhat was tracked until then is in %s.\n", trouble.c_str(), a.out.c_str());
        return exitInput;
    }
    if (!verified) return exitVerification;
    // A camera that does not move is an answer where the artist said so, or where a mover before it is solved; else
    // there is no depth to go on with.
    const bool asked =
        r.motion == Motion::lockedOff && (shot.choices.move == MoveChoice::lockedOff ||
                                          std::any_of(shot.movers.begin(), shot.movers.end(),
                                                      [](const Mover& m) { return m.solve->motion == Motion::free; }));
    return shot.hasWorld() || r.motion == Motion::nodalPan || asked ? exitDone : exitNoSolve;
}

}  // namespace

void addMatchCommand(CommandLine& program, Command& run) {
    auto a = std::make_shared<MatchArguments>();
    CommandLine c = program.command("match", "Track features, solve the camera, level, and export");
    addPlateOptions(c, a->plate);
    c.option("--out", a->out, "Folder for shot.vanchor, camera.json, camera.usda, cloud.ply").required();
    c.option("--sensor-width", a->sensorWidth, "Film back width in mm").aboveZero();
    c.option("--focal", a->focal, "Focal length in mm if known, else the word unknown");
    c.option("--distortion", a->distortion, "solve, none, or a JSON file with k1, k2 …");
    c.option("--move", a->move, "Kind of move: automatic, free, nodal-pan, locked-off")
        .check([](const std::string& word) {
            for (const char* known : {"automatic", "free", "nodal-pan", "locked-off", "rotation", "fixed"})
                if (word == known) return std::string();
            return "\"" + word + "\" is none of automatic, free, nodal-pan, locked-off";
        });
    c.option("--zoom", a->zoom, "Whether the focal length changes: automatic, no, yes")
        .oneOf({"automatic", "no", "yes"});
    addSolveOptions(c, a->solve);
    addGroundOptions(c, a->ground);
    c.option("--stills", a->stills,
             "Photos of the same place that join the solve with lenses of their own: a file or a pattern in quotes, as "
             "'ref/*.jpg'; may be given several times");
    c.flag("--movers", a->movers, "Look for things that move rigidly apart from the scene, and solve them");
    c.option("--scene", a->scene,
             "Which of several motions is the scene: largest, static (what stands still), or the number of a mover. "
             "Looks for movers")
        .check([](const std::string& word) {
            char* end = nullptr;
            if (word == "largest" || word == "static" || (std::strtol(word.c_str(), &end, 10) > 0 && *end == 0))
                return std::string();
            return "\"" + word + "\" is none of largest, static, or the number of a mover";
        });
    c.flag("--track-undistorted", a->trackUndistorted,
           "Track features on the plate undistorted by that lens, for strong distortion");
    c.flag("--follow-straight", a->trackUndistorted).hidden();  // the option's older name
    c.option("--seed", a->seed, "Seed of all random draws");
    c.flag("--json", a->asJson, "Progress and result as JSON");
    c.onChosen([a, &run] { run = [a] { return match(*a); }; });
}

}  // namespace va
