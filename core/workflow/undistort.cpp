// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/undistort.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <memory>

#include "base/error.h"
#include "base/text.h"
#include "lens/stmap.h"
#include "media/movie_writer.h"

namespace va {
namespace {

std::string sizeInWords(const UndistortedFrame& f) {
    return text("%d × %d px, %.3f° × %.3f°", f.width, f.height, f.fieldOfViewX() * 180 / M_PI,
                f.fieldOfViewY() * 180 / M_PI);
}

/// What a run over the frames did.
struct Run {
    int files = 0;
    std::vector<FrameRange> damaged;  ///< left out

    [[nodiscard]] std::string leftOut() const {
        return damaged.empty() ? std::string() : text(" Damaged and left out: %s.", describeRanges(damaged).c_str());
    }
};

/// Every frame through the same map.
Run throughMap(PlateSource& source, const std::vector<int>& frames, const PixelMap& map, Filter filter, Edge edge,
               bool multiply, const PictureSeries& to, const char* stage, Progress& progress) {
    progress.stage(stage, int(frames.size()), 1);
    Run run;
    Picture out;
    std::unique_ptr<MovieWriter> movie;
    if (to.isMovie()) movie = std::make_unique<MovieWriter>(to.file(0), map.x.width, map.x.height, to.rate);
    for (const int frame : frames) {
        progress.check();
        Picture p;
        try {
            p = source.colours(frame);
        } catch (const DamagedFrame&) {
            // A movie repeats the picture before, so that its frames keep their numbers; stills have a gap.
            if (movie) movie->write(out.empty() ? Picture(map.x.width, map.x.height) : out);
            if (!run.damaged.empty() && run.damaged.back().last + 1 == frame) run.damaged.back().last = frame;
            else run.damaged.push_back({frame, frame});
            progress.advance();
            continue;
        }
        if (multiply)
            for (size_t i = 0; i < p.data.size(); i += 4)
                for (size_t c = 0; c < 3; ++c) p.data[i + c] *= p.data[i + 3];
        out = resample(p, map, filter, edge, std::move(out));
        if (movie) movie->write(out);
        else writePicture(to.file(frame), out, to.format);
        ++run.files;
        progress.advance();
    }
    if (movie) movie->finish();
    return run;
}

/// An insert with its alpha.
Run distortThrough(PlateSource& insert, const std::vector<int>& frames, const PixelMap& map, Filter filter,
                   bool premultiplied, const PictureSeries& to, Progress& progress) {
    if (to.ending == "jpg" || to.ending == "dpx" || to.isMovie())
        throw InputError(
            text("An insert is nothing without its alpha, which .%s files can't hold. Write exr, png or tif.",
                 to.ending.c_str()));
    // PNG and TIFF say themselves how their colour is meant, and are read by that; only of EXR it has to be told.
    const bool multiply = !premultiplied && insert.info().format.find("EXR") != std::string::npos;
    PictureSeries with = to;
    with.format.alpha = true;
    return throughMap(insert, frames, map, filter, Edge::empty, multiply, with, "Distorting", progress);
}

}  // namespace

std::filesystem::path PictureSeries::file(int frame) const {
    return folder / (isMovie() ? stem + "." + ending : stem + "." + formatted("%04d", frame) + "." + ending);
}

ResampledSeries undistortPlate(PlateSource& plate, const std::vector<int>& frames, const Intrinsics& lens,
                               Overscan overscan, Filter filter, const PictureSeries& to, Progress& progress) {
    const PlateInfo& info = plate.info();
    ResampledSeries out;
    out.frame = undistortedFrame(lens, info.width, info.height, overscan);
    const PixelMap map = undistortionMap(lens, out.frame, info.width, info.height);
    const Run run = throughMap(plate, frames, map, filter, Edge::hold, false, to, "Undistorting", progress);
    out.files = run.files;
    out.report = text("%d frames undistorted: %s.", out.files, sizeInWords(out.frame).c_str()) + run.leftOut();
    return out;
}

ResampledSeries distortInsert(PlateSource& insert, const std::vector<int>& frames, const Intrinsics& lens,
                              int plateWidth, int plateHeight, Overscan overscan, Filter filter, bool premultiplied,
                              const PictureSeries& to, Progress& progress) {
    ResampledSeries out;
    out.frame = undistortedFrame(lens, plateWidth, plateHeight, overscan);
    const PlateInfo& info = insert.info();
    if (info.width != out.frame.width || info.height != out.frame.height)
        throw InputError(
            text("The insert is %d × %d px, but the undistorted frame of this lens is %d × %d px%s. Render it "
                 "at that size, or choose the other overscan.",
                 info.width, info.height, out.frame.width, out.frame.height,
                 overscan == Overscan::whole ? " with overscan" : ""));
    const PixelMap map = redistortionMap(lens, out.frame, plateWidth, plateHeight);
    const Run run = distortThrough(insert, frames, map, filter, premultiplied, to, progress);
    out.files = run.files;
    out.report = text("%d frames distorted to %d × %d px.", out.files, plateWidth, plateHeight) + run.leftOut();
    return out;
}

ResampledSeries writeStmaps(const Intrinsics& lens, int plateWidth, int plateHeight, Overscan overscan,
                            const std::filesystem::path& undistorted, const std::filesystem::path& distorted) {
    ResampledSeries out;
    out.frame = undistortedFrame(lens, plateWidth, plateHeight, overscan);
    PictureFormat format;
    format.bits = 32;
    format.alpha = true;
    writePicture(undistorted,
                 stmapOf(undistortionMap(lens, out.frame, plateWidth, plateHeight), plateWidth, plateHeight), format);
    writePicture(distorted,
                 stmapOf(redistortionMap(lens, out.frame, plateWidth, plateHeight), out.frame.width, out.frame.height),
                 format);
    out.files = 2;
    out.report = text("STMaps written: undistorted frame %s.", sizeInWords(out.frame).c_str());
    return out;
}

ResampledSeries throughStmap(PlateSource& source, const std::vector<int>& frames, const std::filesystem::path& stmap,
                             int width, int height, bool distortion, Filter filter, bool premultiplied,
                             const PictureSeries& to, Progress& progress) {
    const PictureFile file = readPicture(stmap);
    const std::string name = text("The STMap \"%s\"", stmap.string().c_str());
    if (!file.floats)
        throw InputError(
            text("%s holds whole numbers, which place pixels to a 65536th of the picture at best. Have it written as "
                 "32-bit float EXR.",
                 name.c_str()));
    const Picture& picture = file.picture;
    if ((width > 0 && picture.width != width) || (height > 0 && picture.height != height))
        throw InputError(name + text(" is %d × %d px, but the plate is %d × %d px. It was made for another plate or "
                                     "another overscan: take the one of this size.",
                                     picture.width, picture.height, width, height));
    Picture whole = picture;
    // Maps of others may come without an alpha: then every position inside the source counts.
    if (!file.alpha)
        for (size_t i = 3; i < whole.data.size(); i += 4) whole.data[i] = 1;
    const PixelMap map = mapOfStmap(whole, source.info().width, source.info().height);
    if (std::none_of(map.x.data.begin(), map.x.data.end(), [](float v) { return v == v; }))
        throw InputError(
            text("%s points nowhere into the picture: red and green should lie between 0 and 1.", name.c_str()));
    ResampledSeries out;
    const Run run = distortion
                        ? distortThrough(source, frames, map, filter, premultiplied, to, progress)
                        : throughMap(source, frames, map, filter, Edge::hold, false, to, "Undistorting", progress);
    out.files = run.files;
    out.report =
        text("%d frames taken through the STMap to %d × %d px.", out.files, map.x.width, map.x.height) + run.leftOut();
    return out;
}

}  // namespace va
