// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <filesystem>

#include "arguments.h"
#include "base/error.h"
#include "base/number_text.h"
#include "base/text.h"
#include "commands.h"
#include "interrupt.h"
#include "media/colour_space.h"
#include "media/movie_writer.h"
#include "shot/shot_file.h"
#include "workflow/proof_run.h"
#include "workflow/proof_work.h"

namespace va {
namespace {

std::vector<std::string> listOf(const std::string& words) {
    std::vector<std::string> out;
    for (size_t at = 0; at < words.size();) {
        const size_t comma = std::min(words.find(',', at), words.size());
        out.push_back(words.substr(at, comma - at));
        at = comma + 1;
    }
    return out;
}

std::string listed(const std::vector<std::string>& words) {
    std::string out;
    for (const std::string& w : words) {
        if (!out.empty()) out += ", ";
        out += w;
    }
    return out;
}
std::vector<std::string> spaceWords() {
    std::vector<std::string> out;
    for (const LightSpace& s : lightSpaces()) out.emplace_back(s.word);
    return out;
}

FrameRange rangeFrom(const std::string& words, const FrameRange& all) {
    if (words.empty()) return all;
    int first = 0, last = 0, end = 0;
    if (std::sscanf(words.c_str(), "%d-%d%n", &first, &last, &end) == 2 && size_t(end) == words.size() && first <= last)
        return {first, last};
    end = 0;
    if (std::sscanf(words.c_str(), "%d%n", &first, &end) == 1 && size_t(end) == words.size()) return {first, first};
    throw UsageError("--range", "frames such as 1001-1040 are needed");
}

}  // namespace

void addProofCommand(CommandLine& program, Command& run) {
    struct Arguments {
        std::string project, out, range, format = "png", passes, colour, sun, sky;
        std::vector<std::string> set;
        int samples = 0, bits = 16;
        double overscan = 0;
        bool insertOnly = false;
    };
    auto a = std::make_shared<Arguments>();
    CommandLine c = program.command("proof", "Render the things of a project over its plate");
    c.option("project", a->project, "A .vanchor file").required();
    c.option("--out", a->out, "A folder for stills, or a movie: " + movieEndings()).required();
    c.option("--range", a->range, "Frames of the plate: 1001-1040; the work range otherwise");
    c.option("--samples", a->samples, "Samples a pixel (the project's otherwise)").between(1, 65536);
    c.option("--format", a->format, "Of stills: png or exr").oneOf({"png", "exr"});
    c.option("--bits", a->bits, "Of stills: png 8 or 16, exr 16 (half) or 32").between(8, 32);
    c.option("--passes", a->passes, "In the EXR besides the picture, with commas: " + listed(proofPassWords()));
    c.option("--colour", a->colour,
             "Of EXR: linear light in " + listed(spaceWords()) + " (the plate's values otherwise)");
    c.flag("--insert-only", a->insertOnly, "Without the plate: colour multiplied by alpha, linear light");
    c.option("--overscan", a->overscan, "Share of the plate's size added on each side; with --insert-only")
        .between(0, 1);
    c.option("--sun", a->sun, "Direction to the sun: x,y,z of the world");
    c.option("--sky", a->sky, "A picture of all directions that lights the scene");
    c.option("--set", a->set, "A number of the proof: sun/strength=1 (docs/formats.md names them); may be repeated");
    c.onChosen([a, &run] {
        run = [a] {
            Shot shot = readShot(a->project);
            for (const std::string& one : a->set) {
                const size_t equals = one.find('=');
                const ProofNumber* number = proofNumber(formatted("/%s", one.substr(0, equals).c_str()));
                const auto value = equals == std::string::npos ? std::nullopt : numberFrom(one.substr(equals + 1));
                if (!number || !value || *value < number->low || *value > number->high)
                    throw UsageError(
                        "--set",
                        formatted("\"%s\" is no number of the proof, or outside of what it may be", one.c_str()));
                number->of(shot.proof) = *value;
            }
            if (!a->sun.empty()) {
                Eigen::Vector3d to;
                const auto parts = listOf(a->sun);
                for (int k = 0; k < 3; ++k) {
                    const auto v = parts.size() == 3 ? numberFrom(parts[size_t(k)]) : std::nullopt;
                    if (!v) throw UsageError("--sun", "three numbers with commas are needed");
                    to[k] = *v;
                }
                if (!(to.norm() > 0)) throw UsageError("--sun", "the direction has no length");
                shot.proof.sun.toSun = to.normalized();
                shot.proof.sun.on = true;
            }
            if (!a->sky.empty()) shot.proof.sky.picture = a->sky, shot.proof.sky.on = true;
            ProofOutput output;
            output.to = a->out;
            output.ending = a->format;
            output.bits = a->bits;
            output.range = rangeFrom(a->range, shot.range);
            output.samples = a->samples;
            output.insertOnly = a->insertOnly;
            output.overscan = a->overscan;
            output.passes = listOf(a->passes);
            output.colour = a->colour;
            if (!shot.solve->has()) {
                std::fprintf(stderr, "%s\n", proofTrouble(shot).c_str());
                return exitNoSolve;
            }
            ProgressPrinter printer(false);
            Interrupt::Watched progress([&](const Progress::State& s) { printer(s); });
            const ProofReport r = renderProof(shot, output, progress);
            printer.end();
            std::printf("%s\n", r.sentence.c_str());
            return exitDone;
        };
    });
}

}  // namespace va
