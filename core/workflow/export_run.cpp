// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/export_run.h"

#include <algorithm>
#include <functional>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/text.h"
#include "media/picture_file.h"
#include "workflow/gather_scene.h"
#include "workflow/undistort.h"

namespace va {
namespace {

namespace fs = std::filesystem;

ExportCheck written(const fs::path& file, const std::string& sentence) {
    ExportCheck out;
    out.file = file;
    out.passed = fs::is_regular_file(file);
    out.sentence =
        out.passed ? sentence : text("\"%s\" was not written. Check that there is room.", file.string().c_str());
    return out;
}

/// An STMap as read back against the lens: places of a grid, in px of the source. `source` gives where a pixel's middle
/// comes from.
ExportCheck mapChecked(const fs::path& file, int width, int height, int sourceWidth, int sourceHeight,
                       const std::function<std::optional<Eigen::Vector2d>(const Eigen::Vector2d&)>& source,
                       const std::string& report) {
    constexpr int step = 16;
    ExportCheck out;
    out.file = file;
    const Picture map = readPicture(file).picture;
    if (map.width != width || map.height != height) {
        out.sentence = text("\"%s\" read back has %d × %d px instead of %d × %d. Do not use it; report this.",
                            file.string().c_str(), map.width, map.height, width, height);
        return out;
    }
    for (int y = 0; y < height; y += step)
        for (int x = 0; x < width; x += step) {
            const float* c = map.at(x, y);
            const auto truth = source({x, y});
            if (c[3] < 1 || !truth) continue;
            const Eigen::Vector2d found{double(c[0]) * sourceWidth - 0.5, (1 - double(c[1])) * sourceHeight - 0.5};
            out.largestPx = std::max(out.largestPx, (found - *truth).norm());
            ++out.compared;
        }
    out.passed = out.compared > 0 && out.largestPx <= exportTolerancePx;
    out.sentence = out.passed ? text("%s read back: largest difference %.5f px over %d places. %s",
                                     file.filename().string().c_str(), out.largestPx, out.compared, report.c_str())
                              : text("%s is %.4f px off over %d places. Do not use it; report this.",
                                     file.filename().string().c_str(), out.largestPx, out.compared);
    return out;
}

std::vector<ExportCheck> writeMaps(const Shot& shot, const fs::path& folder, Progress&) {
    const auto lens = shot.lens();
    if (!lens) throw InputError(text("There is no lens yet. Solve the shot, or give focal length and distortion."));
    const fs::path there = folder / "stmap-undistort.exr", back = folder / "stmap-distort.exr";
    const ResampledSeries r = va::writeStmaps(*lens, shot.plate.width, shot.plate.height, Overscan::whole, there, back);
    const UndistortedFrame frame = undistortedFrame(*lens, shot.plate.width, shot.plate.height, Overscan::whole);
    const Eigen::Vector2d corner(frame.left, frame.top);
    const Intrinsics flat{lens->focalPx, lens->pixelAspect, lens->principalPoint, LensModel()};
    return {mapChecked(
                there, frame.width, frame.height, shot.plate.width, shot.plate.height,
                [&](const Eigen::Vector2d& p) -> std::optional<Eigen::Vector2d> {
                    return lens->pixelFromNormalised(*flat.normalisedFromPixel(p - corner));
                },
                r.report),
            mapChecked(
                back, shot.plate.width, shot.plate.height, frame.width, frame.height,
                [&](const Eigen::Vector2d& p) -> std::optional<Eigen::Vector2d> {
                    const auto ray = lens->normalisedFromPixel(p);
                    return ray ? std::optional<Eigen::Vector2d>(flat.pixelFromNormalised(*ray) + corner) : std::nullopt;
                },
                r.report)};
}

std::vector<ExportCheck> writePlate(const Shot& shot, const fs::path& folder, Progress& progress) {
    const auto lens = shot.lens();
    if (!lens) throw InputError(text("There is no lens yet. Solve the shot, or give focal length and distortion."));
    PictureSeries to;
    to.folder = folder / "plate";
    std::error_code code;
    fs::create_directories(to.folder, code);
    to.stem = "plate";
    to.format.bits = 16;
    to.format.pixelAspect = shot.pixelAspect();
    to.rate = shot.rate();
    const auto source = openPlate(shot.plateSpec, shot.overrides, &progress);
    const ResampledSeries r =
        undistortPlate(*source, shot.frames(), *lens, Overscan::whole, Filter::bicubic, to, progress);
    std::vector<ExportCheck> out;
    for (const int f : shot.frames()) {
        if (!fs::is_regular_file(to.file(f))) continue;
        // Each is read again: its size has to be the frame's.
        ExportCheck c = written(to.file(f), r.report);
        const Picture read = readPicture(to.file(f)).picture;
        c.passed = read.width == r.frame.width && read.height == r.frame.height;
        if (!c.passed)
            c.sentence = text("%s read back has another size. Do not use it.", to.file(f).filename().string().c_str());
        out.push_back(std::move(c));
    }
    if (out.empty()) throw InputError(text("No frame of the plate could be written. Check the folder."));
    return out;
}

}  // namespace

const std::vector<PictureExport>& pictureExports() {
    static const std::vector<PictureExport> all{{"stmap", "STMaps, both ways, OpenEXR", writeMaps},
                                                {"plate", "Undistorted plate, OpenEXR", writePlate}};
    return all;
}

std::string allExportWords() {
    std::string out;
    for (const ExportFormat* f : exportFormats()) out += std::string(out.empty() ? "" : ", ") + f->word;
    for (const PictureExport& p : pictureExports()) out += std::string(", ") + p.word;
    return out;
}

bool isExportWord(const std::string& word) {
    return formatNamed(word) || std::any_of(pictureExports().begin(), pictureExports().end(),
                                            [&](const PictureExport& p) { return word == p.word; });
}

bool ExportRun::passed() const {
    return !checks.empty() && refused.empty() &&
           std::all_of(checks.begin(), checks.end(), [](const ExportCheck& c) { return c.passed; });
}

ExportRun exportShot(const Shot& shot, const ExportChoices& choices, const std::vector<std::string>& words,
                     const fs::path& folder, Progress& progress) {
    const SceneExport scene = prepared(gatherScene(shot), choices);
    std::error_code code;
    fs::create_directories(folder, code);
    if (!fs::is_directory(folder, code))
        throw InputError(text("The folder \"%s\" can't be made. Choose another.", folder.string().c_str()));
    ExportRun run;
    run.nextProgram = nextProgramText(scene);
    for (const std::string& word : words) {
        progress.check();
        progress.stage(text("Writing %s", word.c_str()), 0, 1.0 / double(words.size()));
        try {
            if (const ExportFormat* format = formatNamed(word)) {
                run.checks.push_back(exportAndVerify(scene, *format, folder / format->fileName));
                continue;
            }
            for (const PictureExport& p : pictureExports())
                if (word == p.word)
                    for (ExportCheck& c : p.write(shot, folder, progress)) run.checks.push_back(std::move(c));
        } catch (const InputError& e) {
            run.refused.push_back(word + ": " + e.what());
        }
    }
    if (run.checks.empty()) return run;
    writeFileAtomically(folder / "README.txt", readmeOf(scene, run.checks));
    writeFileAtomically(folder / "manifest.json", manifestOf(scene, run.checks, folder));
    return run;
}

}  // namespace va
