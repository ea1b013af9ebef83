// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <filesystem>

#include "arguments.h"
#include "base/error.h"
#include "commands.h"
#include "export_options.h"
#include "interrupt.h"
#include "shot/shot_file.h"
#include "workflow/export_run.h"
#include "workflow/gather_scene.h"

namespace va {
namespace {

std::vector<std::string> wordsOf(const std::string& list) {
    std::vector<std::string> out;
    for (size_t at = 0; at <= list.size();) {
        const size_t comma = std::min(list.find(',', at), list.size());
        const std::string word = list.substr(at, comma - at);
        if (!isExportWord(word)) throw UsageError("--format", "\"" + word + "\" is not one of " + allExportWords());
        out.push_back(word);
        at = comma + 1;
    }
    return out;
}

}  // namespace

void addExportCommand(CommandLine& program, Command& run) {
    struct Arguments {
        std::string project, format, out;
        ExportOptions options;
    };
    auto a = std::make_shared<Arguments>();
    CommandLine c = program.command("export", "Write the camera and scene of a project, and verify what was written");
    c.option("project", a->project, "A .vanchor file").required();
    c.option("--format", a->format, "One or more, with commas, of " + allExportWords()).required();
    c.option("--out", a->out, "File to write; with several formats, STMaps or a plate a folder").required();
    a->options.addTo(c);
    a->options.addProjectTo(c);
    c.onChosen([a, &run] {
        run = [a] {
            const std::vector<std::string> words = wordsOf(a->format);
            const ExportChoices choices = a->options.choices();
            const Shot shot = readShot(a->project);
            const ExportFormat* one = words.size() == 1 ? formatNamed(words[0]) : nullptr;
            if (one && !std::filesystem::is_directory(a->out)) {
                const ExportCheck check = exportAndVerify(prepared(gatherScene(shot), choices), *one, a->out);
                std::printf("%s\n", check.sentence.c_str());
                return check.passed ? exitDone : exitVerification;
            }
            ProgressPrinter printer(false);
            Interrupt::Watched progress([&](const Progress::State& s) { printer(s); });
            const ExportRun r = exportShot(shot, choices, words, a->out, progress);
            printer.end();
            for (const ExportCheck& check : r.checks) std::printf("%s\n", check.sentence.c_str());
            for (const std::string& refused : r.refused) std::fprintf(stderr, "%s\n", refused.c_str());
            std::printf("\n%s", r.nextProgram.c_str());
            if (r.checks.empty()) return exitInput;
            return r.passed() ? exitDone : exitVerification;
        };
    });
}

}  // namespace va
