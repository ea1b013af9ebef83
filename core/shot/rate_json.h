// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shot/json_parts.h"
#include "solve/rolling.h"

namespace va {

/// A camera's motion within a frame as it stands in files: { "turn": [radians a frame, a frame², a frame³], "shift": …
/// } about and along the camera's axes of computer vision (x right, y down, z ahead), three numbers each.
inline nlohmann::json rateToJson(const ViewRate& rate) {
    const auto part = [&](int from) {
        nlohmann::json out = nlohmann::json::array();
        for (const ViewRate::Move* m : {&rate.first, &rate.second, &rate.third})
            out.push_back(numbers(m->segment<3>(from)));
        return out;
    };
    return {{"turn", part(0)}, {"shift", part(3)}};
}

/// The inverse. Throws InputError for numbers that are none.
inline ViewRate rateFromJson(const nlohmann::json& json) {
    ViewRate rate;
    int order = 0;
    for (ViewRate::Move* m : {&rate.first, &rate.second, &rate.third}) {
        m->head<3>() = vector3(json.at("turn").at(size_t(order)));
        m->tail<3>() = vector3(json.at("shift").at(size_t(order++)));
        if (!m->allFinite()) throw InputError(text("a camera's motion within its frame holds no numbers"));
    }
    return rate;
}

}  // namespace va
