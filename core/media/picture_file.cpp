// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/picture_file.h"

#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstring>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/part_file.h"
#include "base/text.h"
#include "media/still_reader.h"

namespace va {
namespace {

using OIIO::ImageOutput;
using OIIO::ImageSpec;
using OIIO::TypeDesc;

std::string endingOf(const std::filesystem::path& path) {
    std::string e = path.extension().string();
    e = lowerCase(e);
    return e;
}

/// Encodes in memory and writes the bytes at once where the format's writer can do that: those writers do not look
/// whether the disk took what they gave it. Of other formats the file is read again.
void writeImage(const std::filesystem::path& path, ImageSpec spec, const std::vector<float>& raw) {
    const auto fail = [&](const std::string& why) {
        throw InputError(text("\"%s\" can't be written. Check that the folder exists, that there is room on the disk, "
                              "and that you may write there.",
                              path.string().c_str()),
                         why);
    };
    std::error_code ignored;
    if (path.has_parent_path()) std::filesystem::create_directories(path.parent_path(), ignored);
    const auto file = ImageOutput::create(path.string());
    if (!file) return fail(OIIO::geterror());
    if (file->supports("ioproxy")) {
        std::vector<unsigned char> bytes;
        OIIO::Filesystem::IOVecOutput memory(bytes);
        file->set_ioproxy(&memory);
        if (!file->open(path.string(), spec) || !file->write_image(TypeDesc::FLOAT, raw.data()) || !file->close())
            fail(file->geterror());
        writeFileAtomically(path, {reinterpret_cast<const char*>(bytes.data()), bytes.size()});
        return;
    }
    PartFile place(path);
    if (!file->open(place.part().string(), spec) || !file->write_image(TypeDesc::FLOAT, raw.data()) || !file->close())
        fail(file->geterror());
    const auto again = OIIO::ImageInput::open(place.part().string());
    std::vector<float> row(size_t(spec.width) * size_t(spec.nchannels));
    if (!again || !again->read_scanline(spec.height - 1 + spec.y, 0, TypeDesc::FLOAT, row.data()))
        fail(again ? again->geterror() : OIIO::geterror());
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
    TypeDesc type = format.bits > 8 && !jpeg ? TypeDesc::UINT16 : TypeDesc::UINT8;
    if (exr) type = format.bits > 16 ? TypeDesc::FLOAT : TypeDesc::HALF;
    else if (format.bits > 16 && ending.starts_with(".tif")) type = TypeDesc::FLOAT;
    ImageSpec spec(picture.width, picture.height, channels, type);
    if (dpx && format.bits == 10) spec.attribute("oiio:BitsPerSample", 10);
    if (alpha) spec.alpha_channel = 3;
    spec.attribute("PixelAspectRatio", float(format.pixelAspect));
    if (exr) spec.attribute("compression", "zip");
    if (jpeg) spec.attribute("CompressionQuality", 98);
    std::vector<float> raw(size_t(picture.width) * size_t(picture.height) * size_t(channels));
    for (size_t i = 0; i < picture.data.size() / 4; ++i)
        std::copy_n(&picture.data[4 * i], channels, &raw[i * size_t(channels)]);
    // The library cuts ten bits off sixteen without rounding: the nearest code value has to be there already.
    if (dpx && format.bits == 10)
        for (float& v : raw) v = std::round(std::clamp(v, 0.0f, 1.0f) * 1023) / 1023;
    writeImage(path, spec, raw);
}

void writeChannels(const std::filesystem::path& path, int width, int height, const std::vector<NamedChannel>& channels,
                   int bits, int left, int top, int frameWidth, int frameHeight,
                   const std::array<float, 8>* chromaticities) {
    ImageSpec spec(width, height, int(channels.size()), bits > 16 ? TypeDesc::FLOAT : TypeDesc::HALF);
    spec.channelnames.clear();
    for (size_t i = 0; i < channels.size(); ++i) {
        spec.channelnames.push_back(channels[i].name);
        if (channels[i].name == "A") spec.alpha_channel = int(i);
    }
    spec.x = left, spec.y = top;
    spec.full_x = spec.full_y = 0, spec.full_width = frameWidth, spec.full_height = frameHeight;
    spec.attribute("compression", "zip");
    if (chromaticities) spec.attribute("chromaticities", TypeDesc(TypeDesc::FLOAT, 8), chromaticities->data());
    std::vector<float> raw(size_t(width) * size_t(height) * channels.size());
    for (size_t c = 0; c < channels.size(); ++c)
        for (size_t i = 0; i < channels[c].values.size(); ++i) raw[i * channels.size() + c] = channels[c].values[i];
    writeImage(path, spec, raw);
}

}  // namespace va
