// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/picture_file.h"

#include <OpenImageIO/imageio.h>

#include <algorithm>
#include <cctype>

#include "base/error.h"

namespace va {
namespace {

using OIIO::ImageInput;
using OIIO::ImageOutput;
using OIIO::ImageSpec;
using OIIO::TypeDesc;

std::string endingOf(const std::filesystem::path& path) {
    std::string e = path.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return e;
}

}  // namespace

PictureFile readPicture(const std::filesystem::path& path) {
    const auto in = ImageInput::open(path.string());
    if (!in)
        throw InputError("\"" + path.string() + "\" is not a picture that can be read. Replace it, or leave it out.",
                         OIIO::geterror());
    const ImageSpec& spec = in->spec();
    const int channels = spec.nchannels >= 4 ? 4 : spec.nchannels == 3 ? 3 : spec.nchannels == 2 ? 2 : 1;
    std::vector<float> raw(size_t(spec.width) * size_t(spec.height) * size_t(channels));
    if (!in->read_image(0, 0, 0, channels, TypeDesc::FLOAT, raw.data()))
        throw InputError("\"" + path.string() + "\" is cut off or damaged. Replace it, or leave it out.",
                         in->geterror());
    PictureFile out;
    out.picture = Picture(spec.width, spec.height);
    out.alpha = spec.alpha_channel >= 0 && spec.alpha_channel == channels - 1;
    out.floats = spec.format.is_floating_point();
    out.bits = spec.get_int_attribute("oiio:BitsPerSample", int(spec.format.size() * 8));
    const bool grey = channels < 3;
    for (size_t i = 0; i < out.picture.data.size() / 4; ++i) {
        const float* from = &raw[i * size_t(channels)];
        float* to = &out.picture.data[4 * i];
        for (int c = 0; c < 3; ++c) to[c] = from[grey ? 0 : c];
        to[3] = out.alpha ? from[channels - 1] : 1;
    }
    return out;
}

void writePicture(const std::filesystem::path& path, const Picture& picture, const PictureFormat& format) {
    const std::string ending = endingOf(path);
    const bool exr = ending == ".exr", dpx = ending == ".dpx", jpeg = ending == ".jpg" || ending == ".jpeg";
    if (!exr && !dpx && !jpeg && ending != ".png" && ending != ".tif" && ending != ".tiff")
        throw InputError("Pictures can't be written as \"" + ending + "\". Known endings are exr, png, tif, dpx, jpg.");
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
    // A neighbour with the right ending is written first; the name only changes once it is whole.
    const std::filesystem::path part =
        path.parent_path() / (path.stem().string() + ".part" + path.extension().string());
    const auto fail = [&](const std::string& why) {
        std::error_code ignored;
        std::filesystem::remove(part, ignored);
        throw InputError("\"" + path.string() +
                             "\" can't be written. Check that the folder exists, that there is room on the disk, and "
                             "that you may write there.",
                         why);
    };
    std::error_code ignored;
    if (path.has_parent_path()) std::filesystem::create_directories(path.parent_path(), ignored);
    const auto file = ImageOutput::create(part.string());
    if (!file || !file->open(part.string(), spec)) fail(file ? file->geterror() : OIIO::geterror());
    std::vector<float> raw(size_t(picture.width) * size_t(picture.height) * size_t(channels));
    for (size_t i = 0; i < picture.data.size() / 4; ++i)
        std::copy_n(&picture.data[4 * i], channels, &raw[i * size_t(channels)]);
    if (!file->write_image(TypeDesc::FLOAT, raw.data()) || !file->close()) fail(file->geterror());
    std::filesystem::rename(part, path, ignored);
    if (ignored) fail(ignored.message());
}

}  // namespace va
