// SPDX-License-Identifier: GPL-3.0-or-later
#include "export_options.h"

#include <charconv>
#include <cstdio>

#include "base/error.h"
#include "exchange/euler.h"

namespace va {

void ExportOptions::addTo(CommandLine& c) {
    c.option("--up", up_, "The axis that is up: y or z").oneOf({"y", "z"});
    c.option("--units", units_, "Unit of lengths: m, cm or inch").oneOf({"m", "cm", "inch"});
    c.option("--first", first_, "Number of the first frame (the plate's own otherwise)");
    c.option("--film-back", filmBack_, "Width of the film back in mm").aboveZero();
    c.flag("--camera-per-frame", perFrame_, "Of a zoom: one camera a frame in formats that know no zoom");
}

void ExportOptions::addProjectTo(CommandLine& c) {
    c.flag("--undistorted", undistorted_, "The camera of the undistorted plate in its larger frame");
    c.flag("--straight", undistorted_).hidden();  // the option's older name
    c.flag("--layered", layered_, "The camera with its layers");
    c.flag("--recentre", recentre_, "The origin below the middle of the cloud");
    c.option("--cloud-at-most", cloud_, "Points that fit best, at most so many").between(1, 100000000);
    c.option("--points", points_, "Of the cloud only these features: their numbers, with commas");
    c.option("--nearest", nearest_, "Leave out points nearer to the camera than this").aboveZero();
    c.option("--farthest", farthest_, "Leave out points farther from the camera than this").aboveZero();
    c.option("--rotation-order", order_, "Of the tables: XYZ, XZY, YXZ, YZX, ZXY or ZYX");
    c.option("--leave-out", leave_,
             "Of cloud, planes, anchors, things, movers, paths, corners: those to leave out, with commas");
}

ExportChoices ExportOptions::choices() const {
    ExportChoices out;
    out.zUp = up_ == "z";
    for (int i = 0; i < 3; ++i)
        if (units_ == exportUnitWords[i]) out.unit = ExportUnit(i);
    if (!first_.empty()) out.firstFrame = wholeFrom("--first", first_);
    if (filmBack_ > 0) out.filmBackMm = filmBack_;
    out.cameraPerFrame = perFrame_;
    out.undistorted = undistorted_, out.layered = layered_, out.recentre = recentre_;
    out.cloudAtMost = cloud_, out.nearest = nearest_, out.farthest = farthest_;
    if (!isEulerOrder(order_)) throw UsageError("--rotation-order", "one of XYZ, XZY, YXZ, YZX, ZXY, ZYX is needed");
    out.eulerOrder = order_;
    for (size_t at = 0; at < points_.size();) {
        const size_t comma = std::min(points_.find(',', at), points_.size());
        out.onlyPoints.push_back(wholeFrom("--points", points_.substr(at, comma - at)));
        at = comma + 1;
    }
    for (size_t at = 0; at < leave_.size();) {
        const size_t comma = std::min(leave_.find(',', at), leave_.size());
        const std::string part = leave_.substr(at, comma - at);
        bool known = false;
        for (const auto& [word, to] :
             {std::pair("cloud", &out.cloud), std::pair("planes", &out.planes), std::pair("anchors", &out.anchors),
              std::pair("things", &out.things), std::pair("movers", &out.movers), std::pair("paths", &out.paths),
              std::pair("corners", &out.corners)})
            if (part == word) *to = false, known = true;
        if (!known)
            throw UsageError("--leave-out",
                             "\"" + part + "\" is not one of cloud, planes, anchors, things, movers, paths, corners");
        at = comma + 1;
    }
    return out;
}

std::pair<int, int> sizeFrom(const std::string& option, const std::string& words) {
    int w = 0, h = 0, end = 0;
    if (std::sscanf(words.c_str(), "%dx%d%n", &w, &h, &end) != 2 || size_t(end) != words.size() || w < 1 || h < 1 ||
        w > 65536 || h > 65536)
        throw UsageError(option, "a size such as 1920x1080 is needed");
    return {w, h};
}

Rational rateFromWords(const std::string& option, const std::string& words) {
    try {
        const Rational r = parseRational(words);
        if (r.positive()) return r;
    } catch (const Error&) {  // said below
    }
    throw UsageError(option, "a rate such as 24, 23.976 or 24000/1001 is needed");
}

int wholeFrom(const std::string& option, const std::string& words) {
    int v = 0;
    const auto [end, trouble] = std::from_chars(words.data(), words.data() + words.size(), v);
    if (trouble != std::errc() || end != words.data() + words.size() || v < -100000000 || v > 100000000)
        throw UsageError(option, "a frame number is needed");
    return v;
}

}  // namespace va
