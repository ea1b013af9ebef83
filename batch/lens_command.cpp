// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "commands.h"
#include "lens/find_chart.h"
#include "shot/lens_file.h"
#include "shot/lens_json.h"
#include "solve/chart_calibration.h"
#include "workflow/straighten.h"

namespace va {
namespace {

using nlohmann::json;

struct ChartArguments {
    std::vector<std::string> stills;
    std::string out, model = lensKindName(LensKind::brownConrady), values;
    double pixelAspect = 1;
    bool centred = false, asJson = false;
};

/// "k1,k2" as indices of the model's numbers.
std::vector<int> valuesNamed(const std::string& list, LensKind kind) {
    std::vector<int> out;
    const auto names = lensValueNames(kind);
    for (size_t begin = 0; begin < list.size();) {
        const size_t end = std::min(list.find(',', begin), list.size());
        const std::string name = list.substr(begin, end - begin);
        const auto found = std::find(names.begin(), names.end(), name);
        if (found == names.end()) throw CLI::ValidationError("--values", "the model has no number \"" + name + "\"");
        out.push_back(int(found - names.begin()));
        begin = end + 1;
    }
    return out;
}

json resultOf(const ChartCalibration& c, int width, int height) {
    json j{{"focal_px", c.lens.focalPx},
           {"principal_point_px", {c.lens.principalPoint.x(), c.lens.principalPoint.y()}},
           {"image", {{"width", width}, {"height", height}}},
           {"lens", lensToJson(c.lens.lens)},
           {"rms_px", c.rmsPx},
           {"cover", c.cover},
           {"warnings", c.warnings},
           {"stills", json::array()},
           {"sigma", json::object()}};
    for (const auto& s : c.sureness) j["sigma"][s.name] = s.sigma;
    for (const auto& s : c.stills)
        j["stills"].push_back(
            {{"name", s.name}, {"rms_px", s.rmsPx}, {"used", s.used}, {"corners", s.corners}, {"aside", s.aside}});
    return j;
}

int fromChart(const ChartArguments& a) {
    ChartOptions options;
    options.pixelAspect = a.pixelAspect;
    options.principalPoint = !a.centred;
    int kind = 0;
    while (kind < lensKinds && a.model != lensKindName(LensKind(kind))) ++kind;
    options.kind = LensKind(kind);
    options.values = valuesNamed(a.values, options.kind);
    std::vector<ChartView> views;
    int width = 0, height = 0;
    std::string first;
    for (const std::string& path : a.stills) {
        const auto still = openStill(path);
        const PlateInfo& info = still->info();
        if (width == 0) width = info.width, height = info.height, first = path;
        if (info.width != width || info.height != height)
            throw InputError("\"" + path + "\" is " + std::to_string(info.width) + " × " + std::to_string(info.height) +
                             ", but \"" + first + "\" is " + std::to_string(width) + " × " + std::to_string(height) +
                             ". Use stills of one size: they have to come from one camera and lens.");
        const FoundChart chart = findChart(still->luma(info.frames.first));
        const std::string name = std::filesystem::path(path).filename().string();
        if (chart.corners.empty()) std::fprintf(stderr, "%s: %s\n", name.c_str(), chart.trouble.c_str());
        else {
            if (!a.asJson)
                std::printf("%s: %d × %d %s, %zu found\n", name.c_str(), chart.columns, chart.rows,
                            chart.kind == ChartKind::dots ? "dots" : "corners", chart.corners.size());
            views.push_back({name, chart.corners});
        }
    }
    Progress progress;
    const ChartCalibration c = calibrateFromCharts(views, width, height, options, progress);
    if (!c.trouble.empty()) throw InputError(c.trouble);
    if (!a.out.empty()) {
        LensFile file;
        file.intrinsics = c.lens;
        file.width = width;
        file.height = height;
        file.rmsPx = c.rmsPx;
        file.source = std::to_string(c.stills.size()) + " stills of a chart";
        writeFileAtomically(a.out, writeLensFile(file));
    }
    if (a.asJson) std::printf("%s\n", resultOf(c, width, height).dump().c_str());
    else {
        std::printf("RMS %.3f px over %zu stills, corners in %.0f %% of the frame\n", c.rmsPx, c.stills.size(),
                    c.cover * 100);
        for (const auto& s : c.sureness) std::printf("  %-12s %12.6g ± %.2g\n", s.name.c_str(), s.value, s.sigma);
        for (const auto& w : c.warnings) std::printf("%s\n", w.c_str());
    }
    return exitDone;
}

struct ResampleArguments {
    std::string plate, lens, out, ending = "exr", filter = "bicubic", size, range;
    int bits = 0;
    bool overscan = false, straightAlpha = false;
};

Filter filterOf(const std::string& name) {
    return name == "bilinear" ? Filter::bilinear : name == "lanczos" ? Filter::lanczos : Filter::bicubic;
}

/// "1920x1080".
std::pair<int, int> sizeOf(const std::string& text) {
    int w = 0, h = 0;
    if (std::sscanf(text.c_str(), "%dx%d", &w, &h) != 2 || w < 1 || h < 1 || w > 65536 || h > 65536)
        throw CLI::ValidationError("--size", "a size such as 1920x1080 is needed");
    return {w, h};
}

Intrinsics lensFor(const std::string& path, int width, int height) {
    const LensFile file = readLensFile(path);
    if (!(file.intrinsics.focalPx > 0))
        throw InputError("\"" + path + "\" has no focal length: add \"focal_px\" to it.");
    return file.forSize(width, height);
}

PictureSeries seriesFor(const ResampleArguments& a, const PlateInfo& info) {
    PictureSeries to;
    to.folder = a.out;
    to.stem = std::filesystem::path(a.out).filename().string();
    if (to.stem.empty()) to.stem = "frame";
    to.ending = a.ending;
    to.format.bits = a.bits > 0 ? a.bits : a.ending == "dpx" ? 10 : info.bits > 16 ? 32 : info.bits > 8 ? 16 : 8;
    to.format.pixelAspect = info.pixelAspect.value();
    makeFolder(a.out);
    return to;
}

std::vector<int> framesFor(const std::string& range, const PlateInfo& info) {
    std::vector<int> frames = info.existing();
    if (range.empty()) return frames;
    const FrameRange wanted = parseRange(range);
    std::erase_if(frames, [&](int f) { return !wanted.contains(f); });
    if (frames.empty()) throw InputError("There is no picture in the range " + range + ".");
    return frames;
}

int resampled(const ResampleArguments& a, bool straighten) {
    const auto source = openPlate(a.plate);
    const PlateInfo& info = source->info();
    ProgressPrinter printer(false);
    Progress progress([&](const Progress::State& s) { printer(s); });
    const Overscan overscan = a.overscan ? Overscan::whole : Overscan::none;
    ResampledSeries r;
    if (straighten) {
        r = straightenPlate(*source, framesFor(a.range, info), lensFor(a.lens, info.width, info.height), overscan,
                            filterOf(a.filter), seriesFor(a, info), progress);
        // What other programs need to know of the larger frame.
        LensFile file;
        file.intrinsics = r.frame.straight;
        file.width = r.frame.width;
        file.height = r.frame.height;
        file.source = "straightened frame";
        writeFileAtomically(std::filesystem::path(a.out) / "straight_frame.json", writeLensFile(file));
    } else {
        const auto [width, height] = sizeOf(a.size);
        r = bendInsert(*source, framesFor(a.range, info), lensFor(a.lens, width, height), width, height, overscan,
                       filterOf(a.filter), !a.straightAlpha, seriesFor(a, info), progress);
    }
    printer.end();
    std::printf("%s\n", r.report.c_str());
    return exitDone;
}

void addResampleOptions(CLI::App& c, ResampleArguments& a) {
    c.add_option("--lens", a.lens, "Lens file or camera.json")->required();
    c.add_option("--out", a.out, "Folder for the frames")->required();
    c.add_option("--format", a.ending, "Kind of file")->check(CLI::IsMember({"exr", "png", "tif", "dpx", "jpg"}));
    c.add_option("--bits", a.bits, "Bits a channel: 8, 10, 16 or 32")->check(CLI::IsMember({8, 10, 16, 32}));
    c.add_option("--filter", a.filter, "Filter")->check(CLI::IsMember({"bilinear", "bicubic", "lanczos"}));
    c.add_option("--range", a.range, "First and last frame, such as 1001-1100");
    c.add_flag("--overscan", a.overscan, "The straight frame keeps every pixel of the plate, and is larger");
}

}  // namespace

void addLensCommands(CLI::App& program, Command& run) {
    CLI::App* lens = program.add_subcommand("lens", "Find a lens");
    lens->require_subcommand(1);
    CLI::App* chart = lens->add_subcommand("from-chart", "From stills of a checkerboard or a grid of dots");
    auto c = std::make_shared<ChartArguments>();
    chart->add_option("stills", c->stills, "The stills")->required();
    chart->add_option("--out", c->out, "Lens file to write");
    chart->add_option("--model", c->model, "Lens model")
        ->check(CLI::IsMember({"brown-conrady", "division", "fisheye", "anamorphic"}));
    chart->add_option("--values", c->values, "Numbers of the model to solve, such as k1,k2");
    chart->add_option("--pixel-aspect", c->pixelAspect, "Width of a pixel over its height")
        ->check(CLI::Range(0.1, 10.0));
    chart->add_flag("--centred", c->centred, "Keep the principal point in the middle of the frame");
    chart->add_flag("--json", c->asJson, "Result as one JSON object");
    chart->callback([c, &run] { run = [c] { return fromChart(*c); }; });

    auto u = std::make_shared<ResampleArguments>();
    CLI::App* undistort = program.add_subcommand("undistort", "Straighten a plate");
    undistort->add_option("plate", u->plate, "Movie, stills or photo")->required();
    addResampleOptions(*undistort, *u);
    undistort->callback([u, &run] { run = [u] { return resampled(*u, true); }; });

    auto r = std::make_shared<ResampleArguments>();
    CLI::App* redistort = program.add_subcommand("redistort", "Bend an insert that was made for the straight frame");
    redistort->add_option("insert", r->plate, "Stills with alpha, or a movie")->required();
    redistort->add_option("--size", r->size, "Size of the plate, such as 1920x1080")->required();
    addResampleOptions(*redistort, *r);
    redistort->add_flag("--straight-alpha", r->straightAlpha,
                        "Colour of an EXR insert is not multiplied by its alpha (other files say it themselves)");
    redistort->callback([r, &run] { run = [r] { return resampled(*r, false); }; });

    auto s = std::make_shared<ResampleArguments>();
    CLI::App* stmap = program.add_subcommand("stmap", "Write a lens as STMaps, both ways");
    stmap->add_option("--lens", s->lens, "Lens file or camera.json")->required();
    stmap->add_option("--size", s->size, "Size of the plate, such as 1920x1080")->required();
    stmap->add_option("--out", s->out, "Folder for straighten.exr and bend.exr")->required();
    stmap->add_flag("--overscan", s->overscan, "The straight frame keeps every pixel of the plate, and is larger");
    stmap->callback([s, &run] {
        run = [s] {
            const auto [width, height] = sizeOf(s->size);
            makeFolder(s->out);
            const std::filesystem::path folder = s->out;
            const ResampledSeries r2 = writeStmaps(lensFor(s->lens, width, height), width, height,
                                                   s->overscan ? Overscan::whole : Overscan::none,
                                                   folder / "straighten.exr", folder / "bend.exr");
            std::printf("%s\n", r2.report.c_str());
            return exitDone;
        };
    });
}

}  // namespace va
