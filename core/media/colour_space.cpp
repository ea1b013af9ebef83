// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/colour_space.h"

#include <OpenColorIO/OpenColorIO.h>

#include <algorithm>

#include "base/error.h"
#include "base/text.h"

namespace va {

namespace ocio = OCIO_NAMESPACE;

const std::vector<LightSpace>& lightSpaces() {
    // Chromaticities: ITU-R BT.709, item 1.3; S-2014-004 (ACEScg); SMPTE ST 2065-1.
    static const std::vector<LightSpace> all{
        {"rec709", "linear Rec. 709", "", {0.64F, 0.33F, 0.3F, 0.6F, 0.15F, 0.06F, 0.3127F, 0.329F}},
        {"acescg",
         "ACEScg",
         "-UTILITY - ACES-AP1_to_LINEAR-REC709_BFD",
         {0.713F, 0.293F, 0.165F, 0.83F, 0.128F, 0.044F, 0.32168F, 0.33767F}},
        {"aces",
         "ACES2065-1",
         "-UTILITY - ACES-AP1_to_LINEAR-REC709_BFD,UTILITY - ACES-AP1_to_CIE-XYZ-D65_BFD,"
         "-UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD",
         {0.7347F, 0.2653F, 0, 1, 0.0001F, -0.077F, 0.32168F, 0.33767F}}};
    return all;
}

const LightSpace* lightSpace(const std::string& word) {
    const auto at =
        std::find_if(lightSpaces().begin(), lightSpaces().end(), [&](const LightSpace& s) { return word == s.word; });
    return at == lightSpaces().end() ? nullptr : &*at;
}

void toLightSpace(Picture& p, const LightSpace& space) {
    if (p.width == 0 || p.height == 0 || !*space.steps) return;
    try {
        const auto all = ocio::GroupTransform::Create();
        const std::string steps = space.steps;
        for (size_t at = 0; at < steps.size();) {
            const size_t comma = std::min(steps.find(',', at), steps.size());
            const bool back = steps[at] == '-';
            const auto one = ocio::BuiltinTransform::Create();
            one->setStyle(steps.substr(at + (back ? 1 : 0), comma - at - (back ? 1 : 0)).c_str());
            one->setDirection(back ? ocio::TRANSFORM_DIR_INVERSE : ocio::TRANSFORM_DIR_FORWARD);
            all->appendTransform(one);
            at = comma + 1;
        }
        const auto processor = ocio::Config::CreateRaw()->getProcessor(all)->getDefaultCPUProcessor();
        ocio::PackedImageDesc image(p.data.data(), p.width, p.height, 4);
        processor->apply(image);
    } catch (const ocio::Exception& e) {
        throw Error(text("The colours could not be taken to %s: %s.", space.label, e.what()));
    }
}

}  // namespace va
