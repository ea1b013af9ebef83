// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/plate_source.h"

#include <algorithm>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "media/even_times.h"
#include "media/isolated/isolated_plate.h"
#include "media/movie/movie_source.h"
#include "media/plate_locator.h"
#include "media/sequence_source.h"

namespace va {

bool PlateInfo::exists(int frame) const {
    if (!frames.contains(frame)) return false;
    for (const auto& gap : gaps)
        if (gap.contains(frame)) return false;
    return damageAt(frame).empty();
}

std::string PlateInfo::damageAt(int frame) const {
    const auto at = std::lower_bound(damaged.begin(), damaged.end(), frame,
                                     [](const FrameDamage& d, int f) { return d.frame < f; });
    return at != damaged.end() && at->frame == frame ? at->cause : std::string();
}

std::vector<int> PlateInfo::existing() const {
    std::vector<int> out;
    for (int f = frames.first; f <= frames.last; ++f)
        if (exists(f)) out.push_back(f);
    return out;
}

std::string describeRanges(const std::vector<FrameRange>& ranges) {
    std::string out;
    for (size_t i = 0; i < ranges.size(); ++i) {
        if (i == 6) return text("%s and %zu more", out.c_str(), ranges.size() - i);
        if (i > 0) out += ", ";
        out += std::to_string(ranges[i].first);
        if (ranges[i].count() > 1) out += "–" + std::to_string(ranges[i].last);
    }
    return out;
}

std::unique_ptr<PlateSource> openStill(const std::string& path) {
    if (!std::filesystem::is_regular_file(path))
        throw InputError(text("There is no picture \"%s\". Check the path.", path.c_str()));
    PlateLocation one;
    one.spec = path;
    one.stills[1] = path;
    return openStills(one);
}

std::unique_ptr<PlateSource> openPlate(const std::string& spec, const PlateOverrides& overrides, Progress* progress) {
    if (platesAreIsolated()) return openIsolated(spec, overrides, progress);
    const PlateLocation location = locatePlate(spec);
    std::unique_ptr<PlateSource> source = location.kind == PlateLocation::Kind::movie
                                              ? openMovie(location.spec, overrides.stream, progress)
                                              : openStills(location);
    PlateInfo& info = source->info_;
    constexpr int smallest = 4, widest = 16384;
    const std::string size = std::to_string(info.width) + " × " + std::to_string(info.height) + " px";
    if (info.width < smallest || info.height < smallest)
        throw InputError(
            text("\"%s\" is %s: too small to track anything in. Choose larger footage.", spec.c_str(), size.c_str()));
    if (info.width > widest || info.height > widest)
        throw InputError(text("\"%s\" is %s. Up to %d px a side can be worked with: scale it down.", spec.c_str(),
                              size.c_str(), widest));
    if (overrides.rate) {
        info.rate = *overrides.rate;
        info.rateAssumed = false;
    }
    if (overrides.pixelAspect) info.pixelAspect = *overrides.pixelAspect;
    if (overrides.evenTimes && !info.times.empty()) return onEvenTimes(std::move(source));
    return source;
}

}  // namespace va
