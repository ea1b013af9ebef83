// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/exclusion.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

/// Distance to the nearest pixel of `inside`, px, by two sweeps with steps of 3 and 4 thirds (Borgefors, "Distance
/// transformations in digital images", 1986): within 8 % of the true distance.
Plane<float> distanceTo(const Plane<uint8_t>& inside) {
    constexpr float far = 1e6f, straight = 1, diagonal = 4.0f / 3;
    Plane<float> d(inside.width, inside.height);
    for (size_t i = 0; i < d.data.size(); ++i) d.data[i] = inside.data[i] ? 0 : far;
    const auto at = [&](int x, int y) { return x < 0 || y < 0 || x >= d.width || y >= d.height ? far : d.at(x, y); };
    for (int y = 0; y < d.height; ++y)
        for (int x = 0; x < d.width; ++x)
            d.at(x, y) = std::min({d.at(x, y), at(x - 1, y) + straight, at(x, y - 1) + straight,
                                   at(x - 1, y - 1) + diagonal, at(x + 1, y - 1) + diagonal});
    for (int y = d.height - 1; y >= 0; --y)
        for (int x = d.width - 1; x >= 0; --x)
            d.at(x, y) = std::min({d.at(x, y), at(x + 1, y) + straight, at(x, y + 1) + straight,
                                   at(x + 1, y + 1) + diagonal, at(x - 1, y + 1) + diagonal});
    return d;
}

}  // namespace

RideMap rideMapOf(const Shot& shot) {
    // The parts that the map needs are copied: it outlives edits of the shot.
    auto patches = std::make_shared<std::vector<FlatPatch>>(shot.patches);
    auto paths = shot.paths;
    return [patches, paths](const MaskShape& shape, int frame) -> std::optional<Eigen::Matrix3d> {
        if (shape.ride == MaskRide::patch) {
            for (const FlatPatch& p : *patches)
                if (p.id == shape.rideId) return p.mapAt(frame);
        } else if (shape.ride == MaskRide::path) {
            for (const Path& p : *paths)
                if (p.id == shape.rideId) {
                    const PathPoint *from = p.at(p.referenceFrame), *to = p.at(frame);
                    if (!from || !to) return std::nullopt;
                    Eigen::Matrix3d m = Eigen::Matrix3d::Identity();
                    m(0, 2) = to->x - from->x;
                    m(1, 2) = to->y - from->y;
                    return m;
                }
        }
        return std::nullopt;
    };
}

Exclusion::Exclusion(const Shot& shot)
    : spec_(shot.exclusions.matte), plate_(shot.plate), masks_(shot.exclusions.masks, rideMapOf(shot)) {
    if (spec_.spec.empty()) return;
    matte_ = openPlate(spec_.spec);
    const PlateInfo& m = matte_->info();
    if (m.width != plate_.width || m.height != plate_.height)
        throw InputError(text("The mask \"%s\" is %d × %d, the plate %d × %d. Render the mask at the plate's size.",
                              spec_.spec.c_str(), m.width, m.height, plate_.width, plate_.height));
}

bool Exclusion::allowed(int frame, double x, double y) {
    return masks_.allowed(frame, x, y) && !(matte_ && matteCovers(frame, x, y));
}

bool Exclusion::matteCovers(int frame, double x, double y) {
    const std::scoped_lock lock(mutex_);
    if (frame != held_) {
        const PlateInfo& m = matte_->info();
        // In step with the plate by number, or by position in the range when the numbers differ; then the artist's
        // offset.
        const int wanted = frame + spec_.frameOffset;
        const int number = m.still            ? m.frames.first
                           : m.exists(wanted) ? wanted
                                              : wanted - plate_.frames.first + m.frames.first;
        if (!m.exists(number))
            throw InputError(
                text("The mask \"%s\" has no picture for frame %d. Render it for the whole range, set its frame "
                     "offset, or shorten the range.",
                     m.spec.c_str(), frame));
        const Luma luma = matte_->luma(number);
        Plane<uint8_t> inside(luma.width, luma.height);
        for (size_t i = 0; i < luma.data.size(); ++i)
            inside.data[i] = (double(luma.data[i]) >= 255 * spec_.threshold) != spec_.invert;
        if (spec_.grow == 0) {
            covered_ = Plane<float>(luma.width, luma.height);
            for (size_t i = 0; i < inside.data.size(); ++i) covered_.data[i] = inside.data[i] ? 0 : 1;
        } else if (spec_.grow > 0) {
            covered_ = distanceTo(inside);
            for (float& v : covered_.data) v -= float(spec_.grow);
        } else {
            for (uint8_t& v : inside.data) v = !v;
            covered_ = distanceTo(inside);
            for (float& v : covered_.data) v = float(-spec_.grow) - v + 1e-3f;
        }
        held_ = frame;
    }
    const int px = std::clamp(int(std::lround(x)), 0, covered_.width - 1),
              py = std::clamp(int(std::lround(y)), 0, covered_.height - 1);
    return covered_.at(px, py) <= 0;
}

}  // namespace va
