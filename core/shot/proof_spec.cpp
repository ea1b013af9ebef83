// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/proof_spec.h"

#include <algorithm>

namespace va {

const ProofRole* ProofSpec::role(int thing) const {
    const auto at = std::find_if(roles.begin(), roles.end(), [&](const ProofRole& r) { return r.thing == thing; });
    return at == roles.end() ? nullptr : &*at;
}
ProofRole& ProofSpec::roleOf(int thing) {
    for (ProofRole& r : roles)
        if (r.thing == thing) return r;
    return roles.emplace_back(ProofRole{.thing = thing, .roughness = {}, .metalness = {}, .catches = {}});
}

std::span<const ProofNumber> proofNumbers() {
    using S = ProofSpec;
#define VA_OF(member) [](S& s) -> double& { return s.member; }
    static const ProofNumber all[] = {
        {"/sun/diameter", "Angular size", "°", 0, 60, 2, VA_OF(sun.diameter)},
        {"/sun/strength", "Strength", "", 0, 1e4, 3, VA_OF(sun.strength)},
        {"/sun/red", "Red", "", 0, 100, 3, VA_OF(sun.colour[0])},
        {"/sun/green", "Green", "", 0, 100, 3, VA_OF(sun.colour[1])},
        {"/sun/blue", "Blue", "", 0, 100, 3, VA_OF(sun.colour[2])},
        {"/sky/strength", "Strength", "", 0, 1e4, 3, VA_OF(sky.strength)},
        {"/sky/red", "Red", "", 0, 100, 3, VA_OF(sky.colour[0])},
        {"/sky/green", "Green", "", 0, 100, 3, VA_OF(sky.colour[1])},
        {"/sky/blue", "Blue", "", 0, 100, 3, VA_OF(sky.colour[2])},
        {"/sky/turn", "Turn", "°", -360, 360, 1, VA_OF(sky.turn)},
        {"/north", "North", "°", -360, 360, 2, VA_OF(north)},
        {"/ground/mirror", "Mirror", "", 0, 1, 2, VA_OF(groundCatches.mirror)},
        {"/ground/roughness", "Roughness", "", 0, 1, 2, VA_OF(groundCatches.roughness)},
        {"/ground/fade", "Halved after", "units", 0, 1e6, 3, VA_OF(groundCatches.fade)},
        {"/ground/ripple", "Ripple", "°", 0, 45, 2, VA_OF(groundCatches.ripple)},
        {"/ground/ripple_size", "Wave length", "units", 1e-6, 1e6, 3, VA_OF(groundCatches.rippleSize)},
        {"/look/fringe_red", "Red fringe", "px", -20, 20, 2, VA_OF(look.fringeRed)},
        {"/look/fringe_blue", "Blue fringe", "px", -20, 20, 2, VA_OF(look.fringeBlue)},
        {"/look/blur", "Blur", "px", -1, 100, 2, VA_OF(look.blur)},
        {"/look/shutter", "Shutter", "of a frame", 0, 1, 3, VA_OF(look.shutter)},
        {"/look/f_number", "f-number", "", 0, 128, 2, VA_OF(look.fNumber)},
        {"/look/focus_distance", "Focus distance", "units", 0, 1e6, 3, VA_OF(look.focusDistance)},
        {"/look/grain", "Grain", "of the plate's", 0, 10, 2, VA_OF(look.grain)},
        {"/look/lift", "Lift", "", -1, 1, 3, VA_OF(look.lift)},
        {"/look/gamma", "Gamma", "", 0.1, 10, 3, VA_OF(look.gamma)},
        {"/look/gain", "Gain", "", 0, 100, 3, VA_OF(look.gain)},
        {"/look/saturation", "Saturation", "", 0, 4, 2, VA_OF(look.saturation)},
        {"/look/red", "Red", "", 0, 100, 3, VA_OF(look.tint[0])},
        {"/look/green", "Green", "", 0, 100, 3, VA_OF(look.tint[1])},
        {"/look/blue", "Blue", "", 0, 100, 3, VA_OF(look.tint[2])},
        {"/look/haze", "Halved after", "units", 0, 1e6, 2, VA_OF(look.haze)},
        {"/look/haze_red", "Haze red", "", 0, 100, 3, VA_OF(look.hazeColour[0])},
        {"/look/haze_green", "Haze green", "", 0, 100, 3, VA_OF(look.hazeColour[1])},
        {"/look/haze_blue", "Haze blue", "", 0, 100, 3, VA_OF(look.hazeColour[2])},
        {"/key/low", "Low", "", 0, 360, 3, VA_OF(front.key.low)},
        {"/key/high", "High", "", 0, 360, 3, VA_OF(front.key.high)},
        {"/key/softness", "Softness", "", 0, 360, 3, VA_OF(front.key.softness)},
    };
#undef VA_OF
    return all;
}

const ProofNumber* proofNumber(std::string_view path) {
    const auto all = proofNumbers();
    const auto at = std::find_if(all.begin(), all.end(), [&](const ProofNumber& n) { return path == n.path; });
    return at == all.end() ? nullptr : &*at;
}

}  // namespace va
