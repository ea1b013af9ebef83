// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/plate_locator.h"

#include <algorithm>
#include <cctype>
#include <fstream>
#include <limits>
#include <set>
#include <string_view>

#include "base/error.h"
#include "base/text.h"
#include "media/still_reader.h"
#include "media/still_series.h"

namespace fs = std::filesystem;

namespace va {
namespace {

bool hasStillEnding(const fs::path& path) {
    static const std::set<std::string> endings{
        ".png", ".jpg",  ".jpeg", ".jpe",  ".jfif", ".jif", ".tif", ".tiff", ".dpx", ".exr", ".sxr", ".tga", ".bmp",
        ".cin", ".webp", ".ppm",  ".pgm",  ".pnm",  ".pbm", ".hdr", ".rgbe", ".jp2", ".j2k", ".jpf", ".jpx", ".j2c",
        ".jpc", ".avif", ".heic", ".heif", ".hif",  ".sgi", ".rgb", ".rgba", ".psd", ".iff", ".gif"};
    std::string ending = path.extension().string();
    ending = lowerCase(ending);
    return endings.contains(ending);
}

bool isGif(const fs::path& path) {
    std::string ending = path.extension().string();
    ending = lowerCase(ending);
    return ending == ".gif";
}

/// Stills by their first bytes, for files whose ending says something else or nothing.
bool beginsLikeStill(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::string head(16, '\0');
    in.read(head.data(), 16);
    const std::string_view h(head.data(), size_t(std::max<std::streamsize>(in.gcount(), 0)));
    const auto begins = [&](std::string_view magic) { return h.substr(0, magic.size()) == magic; };
    using namespace std::string_view_literals;
    if (begins("\x89PNG\r\n\x1a\n"sv)) return true;
    if (begins("\xff\xd8\xff"sv)) return true;                                              // JPEG
    if (begins("II*\0"sv) || begins("MM\0*"sv)) return true;                                // TIFF
    if (begins("\x76\x2f\x31\x01"sv)) return true;                                          // OpenEXR
    if (begins("SDPX"sv) || begins("XPDS"sv) || begins("\x80\x2a\x5f\xd7"sv)) return true;  // DPX, Cineon
    if (begins("\0\0\0\x0cjP  "sv) || begins("\xff\x4f\xff\x51"sv)) return true;            // JPEG 2000
    if (begins("RIFF"sv) && h.substr(8, 4) == "WEBP"sv) return true;
    if (h.size() >= 12 && h.substr(4, 4) == "ftyp"sv) {
        const std::string_view brand = h.substr(8, 4);
        return brand == "avif"sv || brand == "heic"sv || brand == "heix"sv || brand == "mif1"sv;
    }
    return begins("#?RADIANCE"sv) || begins("8BPS"sv);
}

/// Names of files, and of links whether they lead anywhere or not.
std::vector<std::string> fileNames(const fs::path& folder) {
    std::vector<std::string> names;
    std::error_code code;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        std::error_code ignored;
        if (it->is_regular_file(ignored) || it->is_symlink(ignored)) names.push_back(it->path().filename().string());
    }
    if (code) {
        throw InputError(text("The folder \"%s\" can't be read. Check that you may open it.", folder.string().c_str()),
                         code.message());
    }
    std::sort(names.begin(), names.end());
    return names;
}

/// Numbers that lie far from all others are no frames of the same shot: the largest cluster stays.
void dropStrays(std::map<int64_t, std::string>& files, std::vector<std::string>& notes) {
    const auto count = int64_t(files.size());
    if (count < 2 || files.rbegin()->first - files.begin()->first <= 100 * count + 10'000) return;
    std::map<int64_t, std::string> best, now;
    int64_t last = files.begin()->first;
    for (const auto& [n, name] : files) {
        if (n - last > 10'000) {
            if (now.size() > best.size()) best = now;
            now.clear();
        }
        now.emplace(n, name);
        last = n;
    }
    if (now.size() > best.size()) best = now;
    std::string left;
    int more = 0;
    for (const auto& [n, name] : files)
        if (!best.contains(n) && ++more <= 3) left += (left.empty() ? "\"" : ", \"") + name + "\"";
    if (more > 3) left += text(" and %d more", more - 3);
    notes.push_back(text("The number of %s lies far from the others: left out.", left.c_str()));
    files = std::move(best);
}

PlateLocation locationOf(StillSeries s, const fs::path& folder) {
    PlateLocation out;
    for (const std::string& name : s.ambiguous)
        out.notes.push_back(text("\"%s\" has the frame number of another file: left out.", name.c_str()));
    dropStrays(s.files, out.notes);
    // Frame numbers are 32 bits wide; clocks used as numbers are longer.
    int64_t shift = 0;
    constexpr int64_t most = std::numeric_limits<int>::max() / 2;
    if (s.files.rbegin()->first > most || s.files.begin()->first < -most) {
        shift = 1001 - s.files.begin()->first;
        out.notes.push_back(text("The files' numbers are too long for frame numbers: \"%s\" is frame 1001.",
                                 s.files.begin()->second.c_str()));
    }
    for (const auto& [n, name] : s.files) out.stills[int(n + shift)] = folder / name;
    out.spec = s.files.size() > 1 ? (folder / s.pattern()).string() : (folder / s.files.begin()->second).string();
    return out;
}

PlateLocation fromFolder(const fs::path& folder) {
    std::vector<std::string> names = fileNames(folder);
    std::erase_if(names, [](const std::string& n) { return !hasStillEnding(n) || n.starts_with('.'); });
    if (names.empty()) {
        throw InputError(text("The folder \"%s\" holds no pictures. Choose a folder with numbered stills, or a movie.",
                              folder.string().c_str()));
    }
    const std::vector<StillSeries> all = stillSeries(names);
    PlateLocation out = locationOf(all.front(), folder);
    for (size_t i = 1; i < all.size(); ++i) {
        const StillSeries& s = all[i];
        out.others.push_back((folder / (s.files.size() > 1 ? s.pattern() : s.files.begin()->second)).string());
    }
    if (!out.others.empty())
        out.notes.push_back(text("The folder holds %zu series of stills; this is the longest, %zu frames. Next: %s.",
                                 all.size(), out.stills.size(), fs::path(out.others.front()).filename().c_str()));
    return out;
}

}  // namespace

PlateLocation locatePlate(const std::string& spec) {
    const fs::path path = spec;
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    const std::string name = path.filename().string();
    std::error_code code;
    if (fs::is_directory(path, code)) return fromFolder(path);
    if (!fs::exists(path, code)) {
        if (fs::is_symlink(path, code) && !hasStillEnding(path))
            throw InputError(text("\"%s\" is a link to a file that is not there. Bring the file back.", spec.c_str()));
        if (fs::is_directory(folder, code)) {
            std::vector<std::string> names = fileNames(folder);
            std::erase_if(names, [](const std::string& n) { return n.starts_with('.'); });
            if (const auto s = seriesByPattern(name, names)) {
                if (!s->files.empty()) {
                    PlateLocation out = locationOf(*s, folder);
                    out.spec = spec;
                    return out;
                }
                throw InputError(
                    text("No file fits the pattern \"%s\". Check the name and the number of digits.", spec.c_str()));
            }
        }
        throw InputError(text("There is no file or folder \"%s\". Check the path.", spec.c_str()));
    }
    if (!fs::is_regular_file(path, code))
        throw InputError(
            text("\"%s\" is a pipe or a device, which can be read only once. Save the footage to a file first.",
                 spec.c_str()));
    if (fs::file_size(path, code) == 0 && !hasStillEnding(path))
        throw InputError(text("\"%s\" is empty. Copy it again.", spec.c_str()));
    if (!hasStillEnding(path) && !beginsLikeStill(path)) return {PlateLocation::Kind::movie, spec, {}, {}, {}};
    // Pictures that move in a format of stills.
    if (isGif(path) && StillReader(path).parts() > 1) return {PlateLocation::Kind::movie, spec, {}, {}, {}};
    std::vector<std::string> names = fileNames(folder);
    std::erase_if(names, [&](const std::string& n) { return n != name && (n.starts_with('.') || !hasStillEnding(n)); });
    PlateLocation out = locationOf(seriesOf(name, names), folder);
    if (out.stills.size() == 1) out.spec = spec;
    return out;
}

bool looksLikeStills(const std::string& spec) {
    std::error_code code;
    return spec.find_first_of("%#") != std::string::npos || fs::is_directory(spec, code) || hasStillEnding(spec);
}

}  // namespace va
