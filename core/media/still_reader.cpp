// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/still_reader.h"

#include <algorithm>
#include <cctype>
#include <fstream>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

namespace fs = std::filesystem;

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
    std::string why;
    input_ = pictureCodec().open(path.string(), why);
    if (!input_ || input_->format() == "ffmpeg")
        throw InputError(
            text("%s is not a picture that can be read: it may be cut off or damaged. Replace it, or leave it out.",
                 name.c_str()),
            why);
    for (parts_ = 1; parts_ < 256 && input_->hasPart(parts_);) ++parts_;
    for (part_ = 0; part_ < parts_; ++part_)
        if (choosePart()) break;
    if (part_ == parts_) {
        part_ = 0;
        (void)choosePart();
    }
    PictureLayout& l = layout_;
    if (l.fullWidth <= 0 || l.fullHeight <= 0)
        l.fullX = l.x, l.fullY = l.y, l.fullWidth = l.width, l.fullHeight = l.height;
    if (l.fullWidth > widest || l.fullHeight > widest)
        throw InputError(text("%s is %d × %d px. Up to %d px a side can be worked with: scale it down.", name.c_str(),
                              l.fullWidth, l.fullHeight, widest));
}

bool StillReader::choosePart() {
    layout_ = input_->layout(part_);
    const auto channel = [&](const char* wanted) {
        for (int i = 0; i < int(layout_.channels.size()); ++i)
            if (lowerCase(layout_.channels[size_t(i)]) == wanted) return i;
        return -1;
    };
    const int red = channel("r"), green = channel("g"), blue = channel("b");
    alpha_ = layout_.alpha;
    if (red >= 0 && green >= 0 && blue >= 0) {
        colours_ = {red, green, blue};
        return true;
    }
    const int y = channel("y");
    if (layout_.channels.size() >= 3 && y < 0) colours_ = {0, 1, 2};
    else colours_ = {std::max(y, 0)};
    return false;
}

bool StillReader::log() const {
    const std::string space = input_->word("oiio:ColorSpace");
    return space == "KodakLog" || space == "Cineon";
}

Orientation StillReader::orientation() const { return Orientation::ofExif(input_->number("Orientation", 1)); }

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
    const PictureLayout& l = layout_;
    std::vector<float> raw(size_t(l.width) * size_t(l.height) * size_t(read));
    if (std::string why; !input_->read(part_, first, first + read, raw.data(), why)) throw damaged(why);
    // The reader turns white-is-zero over for bytes only.
    const bool turnOver = format() == "tiff" && input_->number("tiff:PhotometricInterpretation", 1) == 0 &&
                          l.values != PictureLayout::Values::bytes && !floats();
    if (turnOver)
        for (float& v : raw) v = 1 - v;
    const bool whole = l.x == l.fullX && l.y == l.fullY && l.width == width() && l.height == height();
    bool inOrder = read == out;
    for (int c = 0; c < out; ++c) inOrder = inOrder && wanted[size_t(c)] == first + c;
    if (whole && inOrder) return raw;
    std::vector<float> picture(size_t(width()) * size_t(height()) * size_t(out), 0.0f);
    for (int y = std::max(l.y, l.fullY); y < std::min(l.y + l.height, l.fullY + height()); ++y)
        for (int x = std::max(l.x, l.fullX); x < std::min(l.x + l.width, l.fullX + width()); ++x) {
            const float* from = &raw[(size_t(y - l.y) * size_t(l.width) + size_t(x - l.x)) * size_t(read)];
            float* to = &picture[(size_t(y - l.fullY) * size_t(width()) + size_t(x - l.fullX)) * size_t(out)];
            for (int c = 0; c < out; ++c) to[c] = from[wanted[size_t(c)] - first];
        }
    return picture;
}

}  // namespace va
