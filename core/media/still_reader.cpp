// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/still_reader.h"

#include <algorithm>
#include <cctype>
#include <fstream>
#include <string_view>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

namespace fs = std::filesystem;
using OIIO::ImageInput;
using OIIO::TypeDesc;

/// A whole JPEG has its end marker (FF D9, ITU-T T.81) at the end, give or take what some cameras append. The reader
/// fills what is missing with grey and calls it a success.
bool endsLikeJpeg(const fs::path& path) {
    std::ifstream in(path, std::ios::binary | std::ios::ate);
    const std::streamoff size = in.tellg(), tail = std::min<std::streamoff>(size, 65536);
    std::string end(size_t(tail), '\0');
    in.seekg(size - tail);
    in.read(end.data(), tail);
    return end.find("\xff\xd9") != std::string::npos;
}

constexpr int widest = 16384;

}  // namespace

StillReader::StillReader(const fs::path& path) : path_(path) {
    std::error_code code;
    const std::string name = "\"" + path.string() + "\"";
    if (fs::is_symlink(path, code) && !fs::exists(path, code))
        throw InputError(
            text("%s is a link to a file that is not there. Bring the file back, or leave it out.", name.c_str()));
    if (!fs::is_regular_file(path, code))
        throw InputError(
            text("%s is not there, or is no file that can be read. Bring it back, or leave it out.", name.c_str()));
    if (fs::file_size(path, code) == 0)
        throw InputError(text("%s is empty. Copy it again, or leave it out.", name.c_str()));
    input_ = ImageInput::open(path.string());
    if (!input_ || std::string_view(input_->format_name()) == "ffmpeg")
        throw InputError(
            text("%s is not a picture that can be read: it may be cut off or damaged. Replace it, or leave it out.",
                 name.c_str()),
            OIIO::geterror());
    for (parts_ = 1; parts_ < 256 && input_->seek_subimage(parts_, 0);) ++parts_;
    (void)input_->geterror();
    for (part_ = 0; part_ < parts_; ++part_)
        if (choosePart()) break;
    if (part_ == parts_) {
        part_ = 0;
        (void)choosePart();
    }
    if (spec_.full_width <= 0 || spec_.full_height <= 0)
        spec_.full_x = spec_.x, spec_.full_y = spec_.y, spec_.full_width = spec_.width,
        spec_.full_height = spec_.height;
    if (spec_.full_width > widest || spec_.full_height > widest)
        throw InputError(text("%s is %d × %d px. Up to %d px a side can be worked with: scale it down.", name.c_str(),
                              spec_.full_width, spec_.full_height, widest));
}

bool StillReader::choosePart() {
    input_->seek_subimage(part_, 0);
    spec_ = input_->spec(part_, 0);
    const auto channel = [&](const char* wanted) {
        for (int i = 0; i < int(spec_.channelnames.size()); ++i)
            if (lowerCase(spec_.channelnames[size_t(i)]) == wanted) return i;
        return -1;
    };
    const int red = channel("r"), green = channel("g"), blue = channel("b");
    alpha_ = spec_.alpha_channel;
    if (red >= 0 && green >= 0 && blue >= 0) {
        colours_ = {red, green, blue};
        return true;
    }
    const int y = channel("y");
    if (spec_.nchannels >= 3 && y < 0) colours_ = {0, 1, 2};
    else colours_ = {std::max(y, 0)};
    return false;
}

int StillReader::bits() const { return spec_.get_int_attribute("oiio:BitsPerSample", int(spec_.format.size() * 8)); }

bool StillReader::log() const {
    const std::string space = spec_.get_string_attribute("oiio:ColorSpace");
    return space == "KodakLog" || space == "Cineon";
}

Orientation StillReader::orientation() const { return Orientation::ofExif(spec_.get_int_attribute("Orientation", 1)); }

std::vector<float> StillReader::pixels(bool withAlpha) const {
    const auto damaged = [&](const std::string& detail) {
        return InputError(text("\"%s\" is cut off or damaged. Replace it, or leave it out.", path_.string().c_str()),
                          detail);
    };
    if (format() == "jpeg" && !endsLikeJpeg(path_)) throw damaged("no end marker");
    std::vector<int> wanted = colours_;
    if (withAlpha && alpha_ >= 0) wanted.push_back(alpha_);
    const auto [low, high] = std::minmax_element(wanted.begin(), wanted.end());
    const int first = *low, read = *high - *low + 1, out = int(wanted.size());
    std::vector<float> raw(size_t(spec_.width) * size_t(spec_.height) * size_t(read));
    if (!input_->read_image(part_, 0, first, first + read, TypeDesc::FLOAT, raw.data()))
        throw damaged(input_->geterror());
    // The reader turns white-is-zero over for bytes only.
    const bool turnOver = format() == "tiff" && spec_.get_int_attribute("tiff:PhotometricInterpretation", 1) == 0 &&
                          spec_.format != TypeDesc::UINT8 && !floats();
    if (turnOver)
        for (float& v : raw) v = 1 - v;
    const bool whole =
        spec_.x == spec_.full_x && spec_.y == spec_.full_y && spec_.width == width() && spec_.height == height();
    bool inOrder = read == out;
    for (int c = 0; c < out; ++c) inOrder = inOrder && wanted[size_t(c)] == first + c;
    if (whole && inOrder) return raw;
    std::vector<float> picture(size_t(width()) * size_t(height()) * size_t(out), 0.0f);
    for (int y = std::max(spec_.y, spec_.full_y); y < std::min(spec_.y + spec_.height, spec_.full_y + height()); ++y)
        for (int x = std::max(spec_.x, spec_.full_x); x < std::min(spec_.x + spec_.width, spec_.full_x + width());
             ++x) {
            const float* from = &raw[(size_t(y - spec_.y) * size_t(spec_.width) + size_t(x - spec_.x)) * size_t(read)];
            float* to = &picture[(size_t(y - spec_.full_y) * size_t(width()) + size_t(x - spec_.full_x)) * size_t(out)];
            for (int c = 0; c < out; ++c) to[c] = from[wanted[size_t(c)] - first];
        }
    return picture;
}

}  // namespace va
