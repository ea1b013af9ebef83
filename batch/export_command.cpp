// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>

#include "commands.h"
#include "exchange/verify.h"
#include "shot/shot_file.h"
#include "workflow/gather_scene.h"
#include "workflow/verdict.h"

namespace va {

void addExportCommand(CommandLine& program, Command& run) {
    struct Arguments {
        std::string project, format, out;
        bool undistorted = false;
    };
    auto a = std::make_shared<Arguments>();
    CommandLine c = program.command("export", "Write the camera and points of a project, and verify what was written");
    c.option("project", a->project, "A .vanchor file").required();
    std::vector<std::string> words;
    for (const ExportFormat* f : exportFormats()) words.emplace_back(f->word);
    c.option("--format", a->format, formatWords()).required().oneOf(words);
    c.option("--out", a->out, "File to write").required();
    c.flag("--undistorted", a->undistorted, "The camera of the undistorted plate in its larger frame");
    c.flag("--straight", a->undistorted).hidden();  // the option's older name
    c.onChosen([a, &run] {
        run = [a] {
            const Shot shot = readShot(a->project);
            SceneExport scene = gatherScene(shot);
            if (a->undistorted) scene = undistortedScene(scene, Overscan::whole);
            const ExportCheck check = exportAndVerify(scene, *formatNamed(a->format), a->out);
            std::printf("%s\n", check.sentence.c_str());
            return check.passed ? exitDone : exitVerification;
        };
    });
}

}  // namespace va
