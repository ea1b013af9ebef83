// SPDX-License-Identifier: GPL-3.0-or-later
#include <array>
#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "commands.h"
#include "interrupt.h"
#include "lens/edge_chain.h"
#include "lens/find_chart.h"
#include "lens/plumb_line.h"
#include "shot/json_parts.h"
#include "shot/lens_file.h"
#include "shot/lens_json.h"
#include "solve/calibration/chart_calibration.h"

namespace va {
namespace {

using nlohmann::json;

/// What every way to find a lens asks.
struct FindArguments {
    std::string out, model = lensKindName(LensKind::brownConrady), values;
    double pixelAspect = 1;
    bool asJson = false;

    [[nodiscard]] LensKind kind() const {
        int k = 0;
        while (k < lensKinds && model != lensKindName(LensKind(k))) ++k;
        return LensKind(k);
    }
};

struct ChartArguments : FindArguments {
    std::vector<std::string> stills;
    bool centred = false;
};

struct LinesArguments : FindArguments {
    std::string plate;
    std::vector<int> frames;
    std::vector<std::string> strokes;
    double focalPx = 0;
    bool principal = false;
};

/// "k1,k2" as indices of the model's numbers.
std::vector<int> valuesNamed(const std::string& list, LensKind kind) {
    std::vector<int> out;
    const auto names = lensValueNames(kind);
    for (size_t begin = 0; begin < list.size();) {
        const size_t end = std::min(list.find(',', begin), list.size());
        const std::string name = list.substr(begin, end - begin);
        const auto found = std::find(names.begin(), names.end(), name);
        if (found == names.end()) throw UsageError("--values", "the model has no number \"" + name + "\"");
        out.push_back(int(found - names.begin()));
        begin = end + 1;
    }
    return out;
}

void writeLens(const FindArguments& a, const Intrinsics& lens, int width, int height, double rmsPx,
               const std::string& source, bool focalAssumed = false) {
    if (!a.out.empty())
        writeFileAtomically(a.out, writeLensFile({lens, width, height, source, rmsPx, {}, focalAssumed}));
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
    for (const auto& s : c.uncertainty) j["sigma"][s.name] = s.sigma;
    for (const auto& s : c.stills)
        j["stills"].push_back(
            {{"name", s.name}, {"rms_px", s.rmsPx}, {"used", s.used}, {"corners", s.corners}, {"aside", s.aside}});
    return j;
}

int fromChart(const ChartArguments& a) {
    ChartOptions options;
    options.pixelAspect = a.pixelAspect;
    options.principalPoint = !a.centred;
    options.kind = a.kind();
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
    Interrupt::Watched progress;
    const ChartCalibration c = calibrateFromCharts(views, width, height, options, progress);
    if (!c.trouble.empty()) throw InputError(c.trouble);
    writeLens(a, c.lens, width, height, c.rmsPx, std::to_string(c.stills.size()) + " stills of a chart");
    if (a.asJson) std::printf("%s\n", resultOf(c, width, height).dump().c_str());
    else {
        std::printf("RMS %.3f px over %zu stills, corners in %.0f %% of the frame\n", c.rmsPx, c.stills.size(),
                    c.cover * 100);
        for (const auto& s : c.uncertainty) std::printf("  %-12s %12.6g ± %.2g\n", s.name.c_str(), s.value, s.sigma);
        for (const auto& w : c.warnings) std::printf("%s\n", w.c_str());
    }
    return exitDone;
}

/// "120,40,900,62" as two positions.
std::array<double, 4> strokeOf(const std::string& text) {
    std::array<double, 4> v{};
    if (std::sscanf(text.c_str(), "%lf,%lf,%lf,%lf", &v[0], &v[1], &v[2], &v[3]) != 4)
        throw UsageError("--stroke", "two places such as 120,40,900,62 are needed");
    return v;
}

int fromLines(const LinesArguments& a) {
    const auto source = openPlate(a.plate);
    const PlateInfo& info = source->info();
    const std::vector<int> existing = info.existing();
    std::vector<int> frames = a.frames;
    if (frames.empty()) frames = {existing[existing.size() / 2]};
    Intrinsics start;
    start.pixelAspect = a.pixelAspect;
    start.focalPx = a.focalPx > 0 ? a.focalPx : 1.1 * info.width * a.pixelAspect;
    start.principalPoint = {(info.width - 1) / 2.0, (info.height - 1) / 2.0};
    std::vector<std::vector<Eigen::Vector2d>> edges;
    std::vector<int> frameOfEdge;
    for (const int f : frames) {
        if (std::find(existing.begin(), existing.end(), f) == existing.end())
            throw InputError("There is no picture of frame " + std::to_string(f) + ".");
        const Luma luma = source->luma(f);
        if (a.strokes.empty())
            for (const EdgeChain& c : findEdgeChains(luma)) edges.push_back(c.points);
        for (const std::string& s : a.strokes) {
            const auto [x0, y0, x1, y1] = strokeOf(s);
            EdgeChain c = edgeAlong(luma, {x0, y0}, {x1, y1});
            if (c.points.size() < 8)
                throw InputError("There is no edge to track along " + s + " in frame " + std::to_string(f) +
                                 ". Draw nearer to it, and between two places where it is free.");
            edges.push_back(std::move(c.points));
        }
        frameOfEdge.resize(edges.size(), f);
    }
    PlumbLineOptions options;
    options.kind = a.kind();
    options.values = valuesNamed(a.values, options.kind);
    options.principalPoint = a.principal;
    options.trustAll = !a.strokes.empty();
    Interrupt::Watched progress;
    const PlumbLineResult r = lensFromEdges(edges, info.width, info.height, start, options, progress);
    if (!r.trouble.empty()) throw InputError(r.trouble);
    const auto used = std::count_if(r.edges.begin(), r.edges.end(), [](const auto& e) { return e.used; });
    writeLens(a, r.lens, info.width, info.height, r.rmsPx, std::to_string(used) + " straight edges", !(a.focalPx > 0));
    if (a.asJson) {
        json j{{"focal_px", r.lens.focalPx},
               {"principal_point_px", numbers(r.lens.principalPoint)},
               {"image", {{"width", info.width}, {"height", info.height}}},
               {"lens", lensToJson(r.lens.lens)},
               {"rms_px", r.rmsPx},
               {"map_sigma_px", r.mapSigmaPx},
               {"warnings", r.warnings},
               {"edges", json::array()},
               {"sigma", json::object()}};
        for (const auto& s : r.uncertainty) j["sigma"][s.name] = s.sigma;
        for (size_t i = 0; i < edges.size(); ++i)
            j["edges"].push_back({{"frame", frameOfEdge[i]},
                                  {"from", numbers(edges[i].front())},
                                  {"to", numbers(edges[i].back())},
                                  {"before_px", r.edges[i].straightness.before},
                                  {"after_px", r.edges[i].straightness.after},
                                  {"used", r.edges[i].used}});
        std::printf("%s\n", dumpJson(j).c_str());
        return exitDone;
    }
    std::printf("%zu edges, %td of them straight to %.3f px\n", edges.size(), used, r.rmsPx);
    for (const auto& s : r.uncertainty) std::printf("  %-12s %12.6g ± %.2g\n", s.name.c_str(), s.value, s.sigma);
    std::printf("Expected error of the undistortion: %.2f px at the worst place of the frame\n", r.mapSigmaPx);
    for (const auto& w : r.warnings) std::printf("%s\n", w.c_str());
    return exitDone;
}

void addFindOptions(CommandLine& c, FindArguments& a) {
    c.option("--out", a.out, "Lens file to write");
    c.option("--model", a.model, "Lens model").oneOf({"brown-conrady", "division", "fisheye", "anamorphic"});
    c.option("--values", a.values, "Numbers of the model to solve, such as k1,k2");
    c.option("--pixel-aspect", a.pixelAspect, "Width of a pixel over its height").between(0.1, 10.0);
    c.flag("--json", a.asJson, "Result as one JSON object");
}

int zoom(const std::vector<std::string>& pairs, const std::string& out) {
    std::vector<LensFile> files;
    std::vector<double> focals;
    for (const std::string& p : pairs) {
        const size_t at = p.find('=');
        char* end = nullptr;
        const double mm = at == std::string::npos ? 0 : std::strtod(p.c_str(), &end);
        if (!(mm > 0) || end != p.c_str() + at)
            throw UsageError("stops", "give each as focal length in mm = lens file, such as 24=wide.json");
        focals.push_back(mm);
        files.push_back(readLensFile(p.substr(at + 1)));
    }
    const LensFile lens = zoomLensOf(files, focals);
    writeFileAtomically(out, writeLensFile(lens));
    std::printf("A lens of %zu focal lengths, %.4g to %.4g mm\n", lens.stops.size(), lens.stops.front().focalMm,
                lens.stops.back().focalMm);
    return exitDone;
}

}  // namespace

void addLensCommands(CommandLine& program, Command& run) {
    CommandLine lens = program.command("lens", "Find a lens");
    CommandLine chart = lens.command("from-chart", "From stills of a checkerboard or a grid of dots");
    auto c = std::make_shared<ChartArguments>();
    chart.option("stills", c->stills, "The stills").required();
    addFindOptions(chart, *c);
    chart.flag("--centred", c->centred, "Keep the principal point in the middle of the frame");
    chart.onChosen([c, &run] { run = [c] { return fromChart(*c); }; });

    CommandLine lines = lens.command("from-lines", "From straight things in a plate");
    auto l = std::make_shared<LinesArguments>();
    lines.option("plate", l->plate, "Movie, stills or photo").required();
    addFindOptions(lines, *l);
    lines.option("--frame", l->frames, "Frame to look at, may be repeated; else the middle one");
    lines.option("--stroke", l->strokes,
                 "Track the edge along x0,y0,x1,y1 (px), may be repeated; else edges are found, and those that "
                 "are curved in the world left out");
    lines.option("--focal-px", l->focalPx, "Focal length in px, if known: edges do not tell it");
    lines.flag("--principal", l->principal, "Solve the principal point as well");
    lines.onChosen([l, &run] { run = [l] { return fromLines(*l); }; });

    struct Zoom {
        std::vector<std::string> stops;
        std::string out;
    };
    CommandLine zoomed = lens.command("zoom", "One zoom lens from lens files at several focal lengths");
    auto z = std::make_shared<Zoom>();
    zoomed.option("stops", z->stops, "Focal length in mm = lens file, for each: 24=wide.json 70=long.json").required();
    zoomed.option("--out", z->out, "Lens file to write").required();
    zoomed.onChosen([z, &run] { run = [z] { return zoom(z->stops, z->out); }; });
}

}  // namespace va
