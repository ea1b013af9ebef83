// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "commands.h"
#include "exchange/compare.h"
#include "exchange/foreign_export.h"
#include "exchange/manifest.h"
#include "export_options.h"

namespace va {
namespace {

/// What a file may not say of itself.
struct Unsaid {
    std::string size, rate, camera, inUnits, inUp;
    double back = 0;
    bool byTime = false;
    void addTo(CommandLine& c) {
        c.option("--size", size, "Size of the plate, where the file does not say it: 1920x1080");
        c.option("--rate", rate, "Frames a second: 24, 24000/1001; the frames stay, one for one");
        c.flag("--by-time", byTime, "With --rate: keep the time instead of the frames");
        c.option("--camera", camera, "Name of the camera, where the file holds several");
        c.option("--in-units", inUnits, "Unit of the file, where it does not say it: m, cm or inch")
            .oneOf({"m", "cm", "inch"});
        c.option("--in-up", inUp, "The axis that is up in the file: y or z").oneOf({"y", "z"});
        c.option("--in-film-back", back, "Film back in mm that the file's focal lengths belong to").aboveZero();
    }
    [[nodiscard]] ForeignChoices choices() const {
        ForeignChoices out;
        if (!size.empty()) std::tie(out.width, out.height) = sizeFrom("--size", size);
        if (!rate.empty()) out.rate = rateFromWords("--rate", rate);
        out.byTime = byTime;
        out.camera = camera;
        for (int i = 0; i < 3; ++i)
            if (inUnits == exportUnitWords[i]) out.metresPerUnit = exportUnitMetres[i];
        if (!inUp.empty()) out.zUp = inUp == "z";
        if (back > 0) out.backWidthMm = back;
        return out;
    }
};

const ExportFormat& formatOf(const std::string& file) {
    const std::string name = lowerCase(std::filesystem::path(file).filename().string());
    const ExportFormat* found = nullptr;
    for (const ExportFormat* f : exportFormats()) {
        const std::string ending = std::filesystem::path(f->fileName).extension().string();
        if (name.ends_with(ending) && (!found || name.find(f->word) != std::string::npos)) found = f;
    }
    if (!found)
        throw InputError("\"" + file + "\" has no ending of a scene file. Take one of " + sceneEndings() +
                         ", .obj or .ply.");
    return *found;
}

}  // namespace

void addConvertCommands(CommandLine& program, Command& run) {
    struct Arguments {
        std::string in, out, plate;
        Unsaid unsaid;
        ExportOptions options;
        bool table = false;
    };
    {
        auto a = std::make_shared<Arguments>();
        CommandLine c = program.command("convert", "Write a scene file in another format, and verify what was written");
        c.option("in", a->in, "A scene file: " + sceneEndings()).required();
        c.option("out", a->out, "File to write; its ending says the format").required();
        a->unsaid.addTo(c);
        a->options.addTo(c);
        c.onChosen([a, &run] {
            run = [a] {
                const ForeignScene found = readScene(a->in);
                for (const std::string& note : found.notes) std::fprintf(stderr, "%s\n", note.c_str());
                const SceneExport scene = sceneFrom(found, a->unsaid.choices());
                if (!found.pixelAspect)
                    std::fprintf(stderr, "The file has no pixel aspect: its pixels are taken as square.\n");
                if (cameraOf(found, a->unsaid.camera).angleOnly && !(a->unsaid.back > 0))
                    std::fprintf(
                        stderr,
                        "The file has an angle of view and no film back: focal lengths in mm are for a back %g mm "
                        "wide. Give --in-film-back for another one.\n",
                        guessedBackMm);
                if (!scene.metric && a->options.unitsGiven())
                    throw UsageError("--units", "the file does not say its unit: give --in-units as well");
                const ExportCheck check =
                    exportAndVerify(prepared(scene, a->options.choices()), formatOf(a->out), a->out);
                std::printf("%s\n", check.sentence.c_str());
                return check.passed ? exitDone : exitVerification;
            };
        });
    }
    {
        auto a = std::make_shared<Arguments>();
        CommandLine c = program.command("compare", "Compare the cameras of two scene files in px");
        c.option("a", a->in, "A scene file").required();
        c.option("b", a->out, "The one that is compared with it").required();
        c.option("--plate", a->plate, "Size of the plate: 1920x1080; needed where a file does not say it");
        c.flag("--table", a->table, "A line a frame");
        c.onChosen([a, &run] {
            run = [a] {
                ForeignChoices choices;
                if (!a->plate.empty()) std::tie(choices.width, choices.height) = sizeFrom("--plate", a->plate);
                const CameraComparison r = compareScenes(readScene(a->in), readScene(a->out), choices);
                std::printf("%s\n", r.sentence.c_str());
                if (a->table) std::printf("%s", comparisonTable(r).c_str());
                return exitDone;
            };
        });
    }
    {
        auto a = std::make_shared<Arguments>();
        CommandLine c = program.command("verify", "Check the files of an export against its manifest");
        c.option("folder", a->in, "The folder with manifest.json").required();
        c.onChosen([a, &run] {
            run = [a] {
                const ManifestCheck r = verifyManifest(a->in);
                for (const ManifestCheck::File& f : r.files) std::printf("%s\n", f.sentence.c_str());
                return r.passed() ? exitDone : exitVerification;
            };
        });
    }
}

}  // namespace va
