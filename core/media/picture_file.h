// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <filesystem>
#include <string>
#include <vector>

#include "base/picture.h"

namespace va {

class StillReader;

/// A picture file as it is: code values as float, with what is needed to write another one like it.
struct PictureFile {
    Picture picture;      ///< colour multiplied by alpha
    bool alpha = false;   ///< the file has a channel of it
    bool floats = false;  ///< half or float in the file
    int bits = 8;         ///< per channel in the file
};

/// Reads a still as StillReader does, as it lies in the file; grey becomes colour. Throws InputError: not there, not a
/// picture, cut off.
PictureFile readPicture(const std::filesystem::path& path);

/// The picture of an opened still from its pixels (StillReader::pixels with alpha), not yet turned upright.
Picture colourPicture(const StillReader& still, const std::vector<float>& pixels);

/// How a picture is to be written.
struct PictureFormat {
    int bits = 8;        ///< 8, 10 (DPX), 16 or 32; half and float where the format holds floats
    bool alpha = false;  ///< write the channel
    double pixelAspect = 1;
};

/// Writes by the path's ending: .exr (half, or float at 32 bits), .png, .tif/.tiff, .dpx, .jpg. The file appears whole
/// or not at all. Throws InputError for another ending, and where it can't be written.
void writePicture(const std::filesystem::path& path, const Picture& picture, const PictureFormat& format);

/// One channel of a picture with many: its name as OpenEXR has it ("shadow.R", "depth.Z").
struct NamedChannel {
    std::string name;
    std::vector<float> values;  ///< width · height, rows from the top
};
/// Writes channels as OpenEXR: half, or float with `bits` 32. The picture begins at `left`, `top` of a frame of
/// `frameWidth` by `frameHeight` px (data and display window). The file appears whole or not at all. Throws InputError.
void writeChannels(const std::filesystem::path& path, int width, int height, const std::vector<NamedChannel>& channels,
                   int bits, int left, int top, int frameWidth, int frameHeight,
                   const std::array<float, 8>* chromaticities = nullptr);

}  // namespace va
