// SPDX-License-Identifier: GPL-3.0-or-later
#include "arguments.h"

#include <glob.h>

#include <unistd.h>

#include <charconv>
#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "exchange/paths_file.h"
#include "export_options.h"
#include "shot/feature_json.h"
#include "shot/shot_file.h"
#include "workflow/match_shot.h"

namespace va {
namespace {

using nlohmann::json;

std::optional<Rational> parseRatio(const char* option, const std::string& text) {
    if (text.empty()) return std::nullopt;
    try {
        return parseRational(text);
    } catch (const Error& e) {
        throw UsageError(option, e.what());
    }
}

/// Mask shapes: a project, or an object with "masks" as in one.
std::vector<MaskShape> readMasks(const std::string& file) {
    const json j = json::parse(readFile(file), nullptr, false);
    if (j.is_object() && j.value("format", "") == "vivid-anchor-shot") return readShot(file).exclusions.masks;
    std::vector<MaskShape> out;
    try {
        for (const auto& m : j.at("masks")) out.push_back(maskFrom(m));
    } catch (const json::exception& e) {
        throw InputError("\"" + file + "\" holds no mask shapes: a project or an object with \"masks\" is needed.",
                         e.what());
    }
    return out;
}

/// Reads "1001-1120" or "-20--5". Gives what is wrong with the text; empty = nothing.
std::string readRange(const std::string& text, FrameRange& out) {
    const char *at = text.data(), *end = at + text.size();
    const auto first = std::from_chars(at, end, out.first);
    const bool middle = first.ec == std::errc() && first.ptr != end && *first.ptr == '-';
    const auto last = middle ? std::from_chars(first.ptr + 1, end, out.last) : first;
    if (first.ec == std::errc::result_out_of_range || last.ec == std::errc::result_out_of_range)
        return "\"" + text + "\" holds a frame number that is too large";
    if (!middle || last.ec != std::errc() || last.ptr != end)
        return "\"" + text + "\" is not a range; write it as 1001-1120";
    if (out.last < out.first) return "\"" + text + "\" holds no frame: its end lies before its beginning";
    return {};
}

}  // namespace

FrameRange parseRange(const std::string& text) {
    FrameRange out;
    if (const std::string wrong = readRange(text, out); !wrong.empty()) throw UsageError("--range", wrong);
    return out;
}

void addPlateOptions(CommandLine& c, PlateArguments& a) {
    c.option("plate", a.plate, "Movie, folder, pattern (name.%04d.ext, name.####.ext) or one file of a sequence")
        .required();
    c.option("--range", a.range, "Frames A-B in the plate's own numbers").check([](const std::string& text) {
        FrameRange range;
        return readRange(text, range);
    });
    c.option("--fps", a.rate, "Frame rate: 25, 23.976, 24000/1001");
    c.option("--pixel-aspect", a.pixelAspect, "Width : height of a pixel");
    c.option("--stream", a.stream, "Of a movie with several moving pictures, the number of the one to use");
    c.flag("--even-times", a.evenTimes, "Put the frames of a movie with a variable rate on an even grid of its rate");
    c.flag("--strict", a.strict, "Stop where a frame is damaged or missing, instead of going on without it");
    c.option("--density", a.density, "few, normal or many features").oneOf({"few", "normal", "many"});
    c.option("--care", a.care, "quick, or careful: farther search, backward too, guided by the solve")
        .oneOf({"quick", "careful"});
    c.option("--mask", a.mask, "Matte files, white keeps features out: pattern, folder or movie");
    c.option("--mask-threshold", a.maskThreshold, "Share of full white from which the matte keeps out")
        .between(0.0, 1.0);
    c.flag("--mask-invert", a.maskInvert, "Black keeps features out instead");
    c.option("--mask-grow", a.maskGrow, "Pixels that the matte is grown by; negative shrinks it");
    c.option("--mask-offset", a.maskOffset, "Added to a frame's number to find its matte");
    c.option("--masks-from", a.masksFrom, "Mask shapes of a project (.vanchor), or a JSON object with \"masks\"");
    c.option("--paths", a.paths, "Paths to start with, .csv or .json");
    c.option("--paths-first", a.pathsFirst, "Frame of the plate that the first frame of the paths is");
    c.option("--paths-size", a.pathsSize, "Size of the picture that the paths were tracked in: 1920x1080");
}

Shot shotFor(const PlateArguments& a, Progress* progress) {
    Shot shot;
    if (!a.range.empty()) shot.range = parseRange(a.range);
    PlateOverrides overrides;
    overrides.rate = parseRatio("--fps", a.rate);
    overrides.pixelAspect = parseRatio("--pixel-aspect", a.pixelAspect);
    if (a.stream >= 0) overrides.stream = a.stream;
    overrides.evenTimes = a.evenTimes;
    const FrameRange wanted = shot.range;
    shot = withPlate(shot, a.plate, overrides, progress);
    if (!wanted.empty() && (wanted.last < shot.plate.frames.first || wanted.first > shot.plate.frames.last)) {
        throw InputError("The range " + a.range + " lies outside of the plate, which has " +
                         std::to_string(shot.plate.frames.first) + "-" + std::to_string(shot.plate.frames.last) + ".");
    }
    shot.range = {std::max(shot.range.first, shot.plate.frames.first),
                  std::min(shot.range.last, shot.plate.frames.last)};
    useStrict(a, shot);
    for (size_t i = 0; i < 3; ++i)
        if (a.density == densityNames[i]) shot.density = Density(i);
    shot.care = a.care == "careful" ? Care::careful : Care::quick;
    shot.exclusions.matte = {a.mask, a.maskThreshold, a.maskInvert, a.maskGrow, a.maskOffset};
    if (!a.masksFrom.empty()) shot.exclusions.masks = readMasks(a.masksFrom);
    if (!a.paths.empty()) {
        PathsMapping mapping;
        if (!a.pathsFirst.empty()) mapping.firstFrame = wholeFrom("--paths-first", a.pathsFirst);
        if (!a.pathsSize.empty()) mapping.sizePx = sizeFrom("--paths-size", a.pathsSize);
        shot = withPathsFromFile(shot, a.paths, nullptr, mapping);
        auto paths = std::make_shared<std::vector<Path>>(*shot.paths);
        // Given paths are somebody's work: tracking anew leaves them alone.
        for (Path& p : *paths) p.origin = PathOrigin::byHand;
        shot.paths = paths;
    }
    return shot;
}

void useStrict(const PlateArguments& a, const Shot& shot) {
    if (!a.strict) return;
    for (const FrameRange& gap : shot.plate.gaps)
        if (gap.last >= shot.range.first && gap.first <= shot.range.last)
            throw InputError("Frames " + describeRanges({gap}) + " are missing, and --strict was asked for.");
    for (const FrameDamage& d : shot.plate.damaged)
        if (shot.range.contains(d.frame))
            throw InputError("Frame " + std::to_string(d.frame) +
                             " is damaged, and --strict was asked for: " + d.cause);
}

ProgressPrinter::ProgressPrinter(bool asJson) : json_(asJson), terminal_(isatty(STDERR_FILENO)) {}

void ProgressPrinter::operator()(const Progress::State& s) {
    const auto now = std::chrono::steady_clock::now();
    const bool newStage = s.stage != stage_;
    if (!newStage && s.done != s.total && now - last_ < std::chrono::milliseconds(200)) return;
    last_ = now;
    stage_ = s.stage;
    if (json_) {
        json j{{"stage", s.stage}, {"done", s.done}, {"total", s.total}, {"fraction", s.fraction}};
        if (s.secondsLeft >= 0) j["seconds_left"] = s.secondsLeft;
        std::fprintf(stderr, "%s\n", dumpJson(j).c_str());
        return;
    }
    std::string line = s.stage;
    if (s.total > 0) line += ", " + std::to_string(std::min(s.done, s.total)) + "/" + std::to_string(s.total);
    if (s.secondsLeft >= 0) line += ", about " + std::to_string(int(s.secondsLeft + 0.5)) + " s left";
    if (terminal_) std::fprintf(stderr, "\r\033[K%s", line.c_str());
    else if (newStage) std::fprintf(stderr, "%s\n", line.c_str());
    std::fflush(stderr);
}

void ProgressPrinter::end() const {
    if (terminal_ && !json_) std::fprintf(stderr, "\r\033[K");
}

std::vector<std::string> filesNamed(const std::string& option, const std::string& pattern) {
    glob_t found{};
    std::vector<std::string> out;
    if (glob(pattern.c_str(), 0, nullptr, &found) == 0) out.assign(found.gl_pathv, found.gl_pathv + found.gl_pathc);
    globfree(&found);
    if (out.empty()) throw UsageError(option, "there is no file \"" + pattern + "\"");
    return out;
}

void makeFolder(const std::string& folder) {
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    if (code) throw InputError("The folder \"" + folder + "\" can't be made. Choose another.", code.message());
}

}  // namespace va
