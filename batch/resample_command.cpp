// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>
#include <filesystem>

#include "arguments.h"
#include "base/atomic_file.h"
#include "base/error.h"
#include "commands.h"
#include "interrupt.h"
#include "shot/lens_file.h"
#include "workflow/undistort.h"

namespace va {
namespace {

struct ResampleArguments {
    std::string plate, lens, stmap, out, ending = "exr", filter = "bicubic", size, range;
    int bits = 0;
    double focalMm = 0;
    bool overscan = false, straightAlpha = false;
};

Filter filterOf(const std::string& name) {
    return name == "bilinear" ? Filter::bilinear : name == "lanczos" ? Filter::lanczos : Filter::bicubic;
}

/// "1920x1080".
std::pair<int, int> sizeOf(const std::string& text) {
    int w = 0, h = 0;
    if (std::sscanf(text.c_str(), "%dx%d", &w, &h) != 2 || w < 1 || h < 1 || w > 65536 || h > 65536)
        throw UsageError("--size", "a size such as 1920x1080 is needed");
    return {w, h};
}

Intrinsics lensFor(const std::string& path, double focalMm, int width, int height) {
    LensFile file = readLensFile(path);
    if (!file.stops.empty()) {
        if (!(focalMm > 0)) throw UsageError("--focal", "the file is of a zoom lens: say at which focal length in mm");
        file = file.at(focalMm);
    }
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
    to.rate = info.rate;
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

int resampled(const ResampleArguments& a, bool undistort) {
    ProgressPrinter printer(false);
    Interrupt::Watched progress([&](const Progress::State& s) { printer(s); });
    const auto source = openPlate(a.plate, {}, &progress);
    const PlateInfo& info = source->info();
    const Overscan overscan = a.overscan ? Overscan::whole : Overscan::none;
    ResampledSeries r;
    if (a.lens.empty() == a.stmap.empty()) throw UsageError("--lens", "give either a lens or an STMap");
    if (!a.stmap.empty()) {
        const auto [width, height] = undistort ? std::pair(0, 0) : sizeOf(a.size);
        r = throughStmap(*source, framesFor(a.range, info), a.stmap, width, height, !undistort, filterOf(a.filter),
                         !a.straightAlpha, seriesFor(a, info), progress);
    } else if (undistort) {
        r = undistortPlate(*source, framesFor(a.range, info), lensFor(a.lens, a.focalMm, info.width, info.height),
                           overscan, filterOf(a.filter), seriesFor(a, info), progress);
        // What other programs need to know of the larger frame.
        LensFile file;
        file.intrinsics = r.frame.undistorted;
        file.width = r.frame.width;
        file.height = r.frame.height;
        file.source = "undistorted frame";
        writeFileAtomically(std::filesystem::path(a.out) / "undistorted_frame.json", writeLensFile(file));
    } else {
        const auto [width, height] = sizeOf(a.size);
        r = distortInsert(*source, framesFor(a.range, info), lensFor(a.lens, a.focalMm, width, height), width, height,
                          overscan, filterOf(a.filter), !a.straightAlpha, seriesFor(a, info), progress);
    }
    printer.end();
    std::printf("%s\n", r.report.c_str());
    return exitDone;
}

void addResampleOptions(CommandLine& c, ResampleArguments& a) {
    c.option("--lens", a.lens, "Lens file or camera.json");
    c.option("--stmap", a.stmap, "STMap instead of a lens, 32-bit float EXR");
    c.option("--focal", a.focalMm, "Focal length in mm, for the file of a zoom lens");
    c.option("--out", a.out, "Folder for the frames").required();
    c.option("--format", a.ending, "Kind of file").oneOf({"exr", "png", "tif", "dpx", "jpg", "mov", "mp4"});
    c.option("--bits", a.bits, "Bits a channel: 8, 10, 16 or 32").oneOf({"8", "10", "16", "32"});
    c.option("--filter", a.filter, "Filter").oneOf({"bilinear", "bicubic", "lanczos"});
    c.option("--range", a.range, "First and last frame, such as 1001-1100");
    c.flag("--overscan", a.overscan, "The undistorted frame keeps every pixel of the plate, and is larger");
}

}  // namespace

void addResampleCommands(CommandLine& program, Command& run) {
    auto u = std::make_shared<ResampleArguments>();
    CommandLine undistort = program.command("undistort", "Undistort a plate");
    undistort.option("plate", u->plate, "Movie, stills or photo").required();
    addResampleOptions(undistort, *u);
    undistort.onChosen([u, &run] { run = [u] { return resampled(*u, true); }; });

    auto r = std::make_shared<ResampleArguments>();
    CommandLine redistort = program.command("redistort", "Distort an insert that was made for the undistorted frame");
    redistort.option("insert", r->plate, "Stills with alpha, or a movie").required();
    redistort.option("--size", r->size, "Size of the plate, such as 1920x1080").required();
    addResampleOptions(redistort, *r);
    redistort.flag("--straight-alpha", r->straightAlpha,
                   "Colour of an EXR insert is not multiplied by its alpha (other files say it themselves)");
    redistort.onChosen([r, &run] { run = [r] { return resampled(*r, false); }; });

    auto s = std::make_shared<ResampleArguments>();
    CommandLine stmap = program.command("stmap", "Write a lens as STMaps, both ways");
    stmap.option("--lens", s->lens, "Lens file or camera.json").required();
    stmap.option("--focal", s->focalMm, "Focal length in mm, for the file of a zoom lens");
    stmap.option("--size", s->size, "Size of the plate, such as 1920x1080").required();
    stmap.option("--out", s->out, "Folder for undistort.exr and distort.exr").required();
    stmap.flag("--overscan", s->overscan, "The undistorted frame keeps every pixel of the plate, and is larger");
    stmap.onChosen([s, &run] {
        run = [s] {
            const auto [width, height] = sizeOf(s->size);
            makeFolder(s->out);
            const std::filesystem::path folder = s->out;
            const ResampledSeries r2 = writeStmaps(lensFor(s->lens, s->focalMm, width, height), width, height,
                                                   s->overscan ? Overscan::whole : Overscan::none,
                                                   folder / "undistort.exr", folder / "distort.exr");
            std::printf("%s\n", r2.report.c_str());
            return exitDone;
        };
    });
}

}  // namespace va
