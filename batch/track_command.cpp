// SPDX-License-Identifier: GPL-3.0-or-later
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "commands.h"
#include "exchange/paths_file.h"
#include "interrupt.h"
#include "shot/shot_file.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {
namespace {

struct TrackArguments {
    PlateArguments plate;
    std::string out;
    bool asJson = false;
};

int track(const TrackArguments& a) {
    const std::filesystem::path file = a.out;
    const std::string ending = file.extension().string();
    if (ending != ".csv" && ending != ".json" && ending != ".vanchor")
        throw UsageError("--out", "the name has to end in .csv, .json or .vanchor");
    ProgressPrinter printer(a.asJson);
    Interrupt::Watched progress([&](const Progress::State& s) { printer(s); });
    Shot shot = shotFor(a.plate, &progress);
    const auto start = std::chrono::steady_clock::now();
    shot = withPathsAnew(shot, progress);
    useStrict(a.plate, shot);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    printer.end();
    if (file.has_parent_path()) makeFolder(file.parent_path().string());
    if (ending == ".vanchor") writeShot(shot, file);
    else writeFileAtomically(file, ending == ".csv" ? pathsToCsv(shot) : pathsToJson(shot));
    const std::string verdict = verdictOn(shot, Step::features).sentence;
    size_t points = 0;
    for (const Path& p : *shot.paths) points += p.points.size();
    if (a.asJson) {
        const nlohmann::json j{{"verdict", verdict},
                               {"paths", shot.paths->size()},
                               {"points", points},
                               {"seconds", seconds},
                               {"plate_seconds", double(shot.frames().size()) / shot.rate().value()},
                               {"cuts", shot.findings.cuts},
                               {"duplicates", shot.findings.duplicates},
                               {"black", shot.findings.black},
                               {"dependent", shot.findings.dependent},
                               {"interlaced", shot.findings.interlaced},
                               {"file", file.string()}};
        std::printf("%s\n", dumpJson(j).c_str());
    } else {
        std::printf("%s: %s\n%s: %zu paths, %zu points, %.1f s for %.1f s of plate\n", shot.name.c_str(),
                    verdict.c_str(), file.string().c_str(), shot.paths->size(), points, seconds,
                    double(shot.frames().size()) / shot.rate().value());
    }
    return shot.paths->empty() ? exitNoSolve : exitDone;
}

}  // namespace

void addTrackCommand(CommandLine& program, Command& run) {
    for (const char* name : {"track", "follow"}) {
        auto a = std::make_shared<TrackArguments>();
        CommandLine c = program.command(name, "Track features and write their paths");
        if (std::string(name) != "track") c.hidden();  // the command's older name
        addPlateOptions(c, a->plate);
        c.option("--out", a->out, "File to write: .csv, .json, or .vanchor for a project").required();
        c.flag("--json", a->asJson, "Progress and result as JSON");
        c.onChosen([a, &run] { run = [a] { return track(*a); }; });
    }
}

}  // namespace va
