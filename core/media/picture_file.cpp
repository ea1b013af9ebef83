// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/picture_file.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstring>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/part_file.h"
#include "base/text.h"
#include "media/codec/picture_codec.h"
#include "media/still_reader.h"

namespace va {
namespace {

using Values = PictureLayout::Values;

std::string endingOf(const std::filesystem::path& path) {
    std::string e = path.extension().string();
    e = lowerCase(e);
    return e;
}

/// Encodes in memory and writes the bytes at once where the format's writer can do that: those writers do not look
/// whether the disk took what they gave it. Of other formats the file is read again.
void writeImage(const std::filesystem::path& path, const PictureOutput& how, const std::vector<float>& raw) {
    const auto fail = [&](const std::string& why) {
        throw InputError(text("\"%s\" can't be written. Check that the folder exists, that there is room on the disk, "
                              "and that you may write there.",
                              path.string().c_str()),
                         why);
    };
    std::error_code ignored;
    if (path.has_parent_path()) std::filesystem::create_directories(path.parent_path(), ignored);
    std::vector<unsigned char> bytes;
    std::string why;
    switch (pictureCodec().encode(path.string(), how, raw, bytes, why)) {
        case PictureCodec::Encoded::inMemory:
            writeFileAtomically(path, {reinterpret_cast<const char*>(bytes.data()), bytes.size()});
            return;
        case PictureCodec::Encoded::failed: return fail(why);
        case PictureCodec::Encoded::byFileOnly: break;
    }
    PartFile place(path);
    if (!pictureCodec().write(place.part().string(), how, raw, why)) fail(why);
    if (const int code = place.commit(); code != 0) fail(std::strerror(code));
}

}  // namespace

Picture colourPicture(const StillReader& still, const std::vector<float>& pixels) {
    Picture out(still.width(), still.height());
    const size_t colours = still.grey() ? 1 : 3, channels = colours + (still.alpha() ? 1 : 0);
    for (size_t i = 0; i < out.data.size() / 4; ++i) {
        const float* from = &pixels[i * channels];
        float* to = &out.data[4 * i];
        for (size_t c = 0; c < 3; ++c) to[c] = from[colours == 1 ? 0 : c];
        to[3] = still.alpha() ? from[colours] : 1;
    }
    return out;
}

PictureFile readPicture(const std::filesystem::path& path) {
    const StillReader still(path);
    return {colourPicture(still, still.pixels(true)), still.alpha(), still.floats(), still.bits()};
}

void writePicture(const std::filesystem::path& path, const Picture& picture, const PictureFormat& format) {
    const std::string ending = endingOf(path);
    const bool exr = ending == ".exr", dpx = ending == ".dpx", jpeg = ending == ".jpg" || ending == ".jpeg";
    if (!exr && !dpx && !jpeg && ending != ".png" && ending != ".tif" && ending != ".tiff")
        throw InputError(
            text("Pictures can't be written as \"%s\". Known endings are exr, png, tif, dpx, jpg.", ending.c_str()));
    const bool alpha = format.alpha && !jpeg && !dpx;
    const int channels = alpha ? 4 : 3;
    PictureOutput how{{0, 0, picture.width, picture.height, 0, 0, picture.width, picture.height}};
    PictureLayout& layout = how.layout;
    layout.values = format.bits > 8 && !jpeg ? Values::words : Values::bytes;
    if (exr) layout.values = format.bits > 16 ? Values::floats : Values::halfs;
    else if (format.bits > 16 && ending.starts_with(".tif")) layout.values = Values::floats;
    layout.channels = {"R", "G", "B"};
    if (alpha) layout.channels.emplace_back("A"), layout.alpha = 3;
    if (dpx && format.bits == 10) how.numbers.emplace_back("oiio:BitsPerSample", 10);
    how.reals.emplace_back("PixelAspectRatio", float(format.pixelAspect));
    if (exr) how.words.emplace_back("compression", "zip");
    if (jpeg) how.numbers.emplace_back("CompressionQuality", 98);
    std::vector<float> raw(size_t(picture.width) * size_t(picture.height) * size_t(channels));
    for (size_t i = 0; i < picture.data.size() / 4; ++i)
        std::copy_n(&picture.data[4 * i], channels, &raw[i * size_t(channels)]);
    // The library cuts ten bits off sixteen without rounding: the nearest code value has to be there already.
    if (dpx && format.bits == 10)
        for (float& v : raw) v = std::round(std::clamp(v, 0.0f, 1.0f) * 1023) / 1023;
    writeImage(path, how, raw);
}

void writeChannels(const std::filesystem::path& path, int width, int height, const std::vector<NamedChannel>& channels,
                   int bits, int left, int top, int frameWidth, int frameHeight,
                   const std::array<float, 8>* chromaticities) {
    PictureOutput how{{left, top, width, height, 0, 0, frameWidth, frameHeight}};
    how.layout.values = bits > 16 ? Values::floats : Values::halfs;
    for (size_t i = 0; i < channels.size(); ++i) {
        how.layout.channels.push_back(channels[i].name);
        if (channels[i].name == "A") how.layout.alpha = int(i);
    }
    how.words.emplace_back("compression", "zip");
    how.chromaticities = chromaticities;
    std::vector<float> raw(size_t(width) * size_t(height) * channels.size());
    for (size_t c = 0; c < channels.size(); ++c)
        for (size_t i = 0; i < channels[c].values.size(); ++i) raw[i * channels.size() + c] = channels[c].values[i];
    writeImage(path, how, raw);
}

}  // namespace va
