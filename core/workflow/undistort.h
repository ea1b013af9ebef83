// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "lens/resample.h"
#include "media/picture_file.h"
#include "media/plate_source.h"

namespace va {

/// What is to be written: one file a frame, or a movie.
struct PictureSeries {
    std::filesystem::path folder;
    std::string stem;            ///< "shot" gives shot.1001.exr
    std::string ending = "exr";  ///< exr, png, tif, dpx, jpg; mov, mp4
    PictureFormat format;
    Rational rate{25, 1};  ///< of a movie
    [[nodiscard]] bool isMovie() const { return ending == "mov" || ending == "mp4"; }
    /// Name of a frame's file, or of the movie.
    [[nodiscard]] std::filesystem::path file(int frame) const;
};

/// What a run over a plate or an insert left behind.
struct ResampledSeries {
    UndistortedFrame frame;  ///< the undistorted frame that was written or read
    int files = 0;
    std::string report;  ///< one sentence: size, fields of view, files
};

/// Undistorts frames of a plate: each is filtered once. Frames without a whole picture are left out
/// and named in the report; a movie repeats the picture before, so that its frames keep their numbers. Throws
/// InputError (the lens folds, a frame can't be written) and Cancelled; files that were finished stay.
ResampledSeries undistortPlate(PlateSource& plate, const std::vector<int>& frames, const Intrinsics& lens,
                               Overscan overscan, Filter filter, const PictureSeries& to, Progress& progress);

/// Distorts an insert that was made for the undistorted frame, so that it lies on the plate: each frame is filtered
/// once, colour and alpha together. `insert` must have the size of the undistorted frame of `overscan`, else InputError
/// says which size is meant. `premultiplied` says whether the insert's colour already is multiplied by its alpha (asked
/// of EXR only; other files say it themselves); what is written always is, and has an alpha.
ResampledSeries distortInsert(PlateSource& insert, const std::vector<int>& frames, const Intrinsics& lens,
                              int plateWidth, int plateHeight, Overscan overscan, Filter filter, bool premultiplied,
                              const PictureSeries& to, Progress& progress);

/// Writes both STMaps of a lens as 32-bit float EXR: `undistorted` takes the plate to the undistorted frame,
/// `distorted` back.
ResampledSeries writeStmaps(const Intrinsics& lens, int plateWidth, int plateHeight, Overscan overscan,
                            const std::filesystem::path& undistorted, const std::filesystem::path& distorted);

/// Frames through an STMap of any making, each filtered once: `distort` for an insert with alpha, else for a plate.
/// `width` and `height` are those that the map must have, 0 = any. Throws InputError: not there, not of float values,
/// of another size, empty; and as the above.
ResampledSeries throughStmap(PlateSource& source, const std::vector<int>& frames, const std::filesystem::path& stmap,
                             int width, int height, bool distortion, Filter filter, bool premultiplied,
                             const PictureSeries& to, Progress& progress);

}  // namespace va
