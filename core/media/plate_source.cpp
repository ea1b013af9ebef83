// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/plate_source.h"

#include <filesystem>

#include "base/error.h"
#include "media/movie_source.h"
#include "media/plate_locator.h"
#include "media/sequence_source.h"

namespace va {

bool PlateInfo::exists(int frame) const {
    if (!frames.contains(frame)) return false;
    for (const auto& gap : gaps)
        if (gap.contains(frame)) return false;
    return true;
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
        if (i == 6) return out + " and " + std::to_string(ranges.size() - i) + " more";
        if (i > 0) out += ", ";
        out += std::to_string(ranges[i].first);
        if (ranges[i].count() > 1) out += "–" + std::to_string(ranges[i].last);
    }
    return out;
}

std::unique_ptr<PlateSource> openStill(const std::string& path) {
    if (!std::filesystem::is_regular_file(path))
        throw InputError("There is no picture \"" + path + "\". Check the path.");
    PlateLocation one;
    one.spec = path;
    one.stills[1] = path;
    return openStills(one);
}

std::unique_ptr<PlateSource> openPlate(const std::string& spec, const PlateOverrides& overrides) {
    const PlateLocation location = locatePlate(spec);
    std::unique_ptr<PlateSource> source =
        location.kind == PlateLocation::Kind::movie ? openMovie(location.spec) : openStills(location);
    PlateInfo& info = source->info_;
    if (overrides.rate) {
        info.rate = *overrides.rate;
        info.rateAssumed = false;
    }
    if (overrides.pixelAspect) info.pixelAspect = *overrides.pixelAspect;
    return source;
}

}  // namespace va
