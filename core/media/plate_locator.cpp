// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/plate_locator.h"

#include <algorithm>
#include <cctype>
#include <cstdio>
#include <optional>
#include <set>
#include <vector>

#include "base/error.h"

namespace fs = std::filesystem;

namespace va {
namespace {

bool hasStillEnding(const fs::path& path) {
    static const std::set<std::string> endings{".png", ".jpg", ".jpeg", ".tif",  ".tiff", ".dpx", ".exr",
                                               ".tga", ".bmp", ".cin",  ".webp", ".ppm",  ".pgm", ".hdr"};
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return endings.contains(ending);
}

/// A file name cut at its last run of digits before the ending.
struct NumberedName {
    std::string before, after;
    int digits = 0;
    int number = 0;
};

std::optional<NumberedName> numbered(const std::string& name) {
    const size_t dot = name.rfind('.');
    size_t end = dot == std::string::npos ? name.size() : dot;
    while (end > 0 && !std::isdigit(static_cast<unsigned char>(name[end - 1]))) --end;
    size_t begin = end;
    while (begin > 0 && std::isdigit(static_cast<unsigned char>(name[begin - 1])) && end - begin < 9) --begin;
    if (begin == end) return std::nullopt;
    return NumberedName{name.substr(0, begin), name.substr(end), int(end - begin),
                        std::stoi(name.substr(begin, end - begin))};
}

std::string patternText(const fs::path& folder, const NumberedName& n) {
    return (folder / (n.before + "%0" + std::to_string(n.digits) + "d" + n.after)).string();
}

std::vector<std::string> fileNames(const fs::path& folder) {
    std::vector<std::string> names;
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(folder, code))
        if (entry.is_regular_file(code)) names.push_back(entry.path().filename().string());
    if (code) {
        throw InputError("The folder \"" + folder.string() + "\" can't be read. Check that you may open it.",
                         code.message());
    }
    std::sort(names.begin(), names.end());
    return names;
}

/// All files of `folder` that differ from `name` only in the number.
PlateLocation siblings(const fs::path& folder, const NumberedName& name) {
    PlateLocation out;
    out.spec = patternText(folder, name);
    for (const auto& file : fileNames(folder)) {
        const auto n = numbered(file);
        // Padded numbers have one width; unpadded ones grow with the number.
        if (n && n->before == name.before && n->after == name.after &&
            (n->digits == name.digits || std::to_string(n->number).size() == size_t(n->digits)))
            out.stills[n->number] = folder / file;
    }
    return out;
}

PlateLocation fromFolder(const fs::path& folder) {
    std::map<std::string, std::vector<std::string>> groups;
    for (const auto& file : fileNames(folder)) {
        if (!hasStillEnding(file)) continue;
        const auto n = numbered(file);
        groups[n ? n->before + "\n" + n->after : file].push_back(file);
    }
    if (groups.empty()) {
        throw InputError("The folder \"" + folder.string() +
                         "\" holds no pictures. Choose a folder with numbered stills, or a movie.");
    }
    const auto largest = std::max_element(
        groups.begin(), groups.end(), [](const auto& a, const auto& b) { return a.second.size() < b.second.size(); });
    const std::string& file = largest->second.front();
    if (const auto n = numbered(file)) return siblings(folder, *n);
    PlateLocation one;
    one.spec = (folder / file).string();
    one.stills[1] = folder / file;
    return one;
}

/// `name.%04d.ext` and `name.####.ext`, cut into what stands before and after the number.
std::optional<std::pair<std::string, std::string>> splitPattern(const std::string& name) {
    const size_t percent = name.find('%');
    if (percent != std::string::npos) {
        size_t d = percent + 1;
        while (d < name.size() && std::isdigit(static_cast<unsigned char>(name[d]))) ++d;
        if (d < name.size() && name[d] == 'd') return std::pair{name.substr(0, percent), name.substr(d + 1)};
    }
    const size_t hash = name.find('#');
    if (hash != std::string::npos) {
        const size_t end = name.find_first_not_of('#', hash);
        return std::pair{name.substr(0, hash), end == std::string::npos ? "" : name.substr(end)};
    }
    return std::nullopt;
}

}  // namespace

PlateLocation locatePlate(const std::string& spec) {
    const fs::path path = spec;
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    std::error_code code;
    if (fs::is_directory(path, code)) return fromFolder(path);
    if (!fs::exists(path, code)) {
        const auto cut = splitPattern(path.filename().string());
        if (cut && fs::is_directory(folder, code)) {
            PlateLocation out;
            out.spec = spec;
            for (const auto& file : fileNames(folder)) {
                const auto n = numbered(file);
                if (n && n->before == cut->first && n->after == cut->second) out.stills[n->number] = folder / file;
            }
            if (!out.stills.empty()) return out;
            throw InputError("No file fits the pattern \"" + spec + "\". Check the name and the number of digits.");
        }
        throw InputError("There is no file or folder \"" + spec + "\". Check the path.");
    }
    if (!hasStillEnding(path)) return {PlateLocation::Kind::movie, spec, {}};
    if (const auto n = numbered(path.filename().string())) {
        PlateLocation all = siblings(folder, *n);
        if (all.stills.size() > 1) return all;
    }
    PlateLocation one;
    one.spec = spec;
    const auto n = numbered(path.filename().string());
    one.stills[n ? n->number : 1] = path;
    return one;
}

}  // namespace va
