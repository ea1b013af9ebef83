// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/straighten.h"

#include <cmath>
#include <cstdio>

#include "base/error.h"
#include "base/text.h"
#include "lens/stmap.h"

namespace va {
namespace {

std::string sizeInWords(const StraightFrame& f) {
    return text("%d × %d px, %.3f° × %.3f°", f.width, f.height, f.fieldOfViewX() * 180 / M_PI,
                f.fieldOfViewY() * 180 / M_PI);
}

/// Every frame through the same map.
int throughMap(PlateSource& source, const std::vector<int>& frames, const PixelMap& map, Filter filter, Edge edge,
               bool multiply, const PictureSeries& to, const char* stage, Progress& progress) {
    progress.stage(stage, int(frames.size()), 1);
    int files = 0;
    Picture out;
    for (const int frame : frames) {
        progress.check();
        Picture p = source.colours(frame);
        if (multiply)
            for (size_t i = 0; i < p.data.size(); i += 4)
                for (size_t c = 0; c < 3; ++c) p.data[i + c] *= p.data[i + 3];
        out = resample(p, map, filter, edge, std::move(out));
        writePicture(to.file(frame), out, to.format);
        ++files;
        progress.advance();
    }
    return files;
}

}  // namespace

std::filesystem::path PictureSeries::file(int frame) const {
    return folder / (stem + "." + text("%04d", frame) + "." + ending);
}

ResampledSeries straightenPlate(PlateSource& plate, const std::vector<int>& frames, const Intrinsics& lens,
                                Overscan overscan, Filter filter, const PictureSeries& to, Progress& progress) {
    const PlateInfo& info = plate.info();
    ResampledSeries out;
    out.frame = straightFrame(lens, info.width, info.height, overscan);
    const PixelMap map = straighteningMap(lens, out.frame, info.width, info.height);
    out.files = throughMap(plate, frames, map, filter, Edge::hold, false, to, "Straightening", progress);
    out.report = text("%d frames straightened: %s.", out.files, sizeInWords(out.frame).c_str());
    return out;
}

ResampledSeries bendInsert(PlateSource& insert, const std::vector<int>& frames, const Intrinsics& lens, int plateWidth,
                           int plateHeight, Overscan overscan, Filter filter, bool premultiplied,
                           const PictureSeries& to, Progress& progress) {
    ResampledSeries out;
    out.frame = straightFrame(lens, plateWidth, plateHeight, overscan);
    const PlateInfo& info = insert.info();
    if (info.width != out.frame.width || info.height != out.frame.height)
        throw InputError(
            text("The insert is %d × %d px, but the straight frame of this lens is %d × %d px%s. Render it "
                 "at that size, or choose the other overscan.",
                 info.width, info.height, out.frame.width, out.frame.height,
                 overscan == Overscan::whole ? " with overscan" : ""));
    if (to.ending == "jpg" || to.ending == "dpx")
        throw InputError("An insert is nothing without its alpha, which ." + to.ending +
                         " files can't hold. Write exr, png or tif.");
    const PixelMap map = bendingMap(lens, out.frame, plateWidth, plateHeight);
    // PNG and TIFF say themselves how their colour is meant, and are read by that; only of EXR it has to be told.
    const bool multiply = !premultiplied && info.format.find("EXR") != std::string::npos;
    PictureSeries with = to;
    with.format.alpha = true;
    out.files = throughMap(insert, frames, map, filter, Edge::empty, multiply, with, "Bending", progress);
    out.report = text("%d frames bent to %d × %d px.", out.files, plateWidth, plateHeight);
    return out;
}

ResampledSeries writeStmaps(const Intrinsics& lens, int plateWidth, int plateHeight, Overscan overscan,
                            const std::filesystem::path& straight, const std::filesystem::path& bent) {
    ResampledSeries out;
    out.frame = straightFrame(lens, plateWidth, plateHeight, overscan);
    PictureFormat format;
    format.bits = 32;
    format.alpha = true;
    writePicture(straight, stmapOf(straighteningMap(lens, out.frame, plateWidth, plateHeight), plateWidth, plateHeight),
                 format);
    writePicture(bent, stmapOf(bendingMap(lens, out.frame, plateWidth, plateHeight), out.frame.width, out.frame.height),
                 format);
    out.files = 2;
    out.report = text("STMaps written: straight frame %s.", sizeInWords(out.frame).c_str());
    return out;
}

}  // namespace va
