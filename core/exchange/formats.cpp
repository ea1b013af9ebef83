// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/formats.h"

#include <algorithm>
#include <array>

#include "exchange/camera_json.h"
#include "exchange/ply.h"
#include "exchange/usda.h"

namespace va {
namespace {

constexpr std::array formats{
    &cameraJsonFormat,
    &usdaFormat,
    &plyFormat,
};

}  // namespace

std::span<const ExportFormat* const> exportFormats() { return formats; }

const ExportFormat* formatNamed(std::string_view word) {
    const auto found = std::find_if(formats.begin(), formats.end(), [&](const auto* f) { return word == f->word; });
    return found == formats.end() ? nullptr : *found;
}

std::string formatWords() {
    std::string out;
    for (size_t i = 0; i < formats.size(); ++i)
        out += std::string(i == 0 ? "" : i + 1 < formats.size() ? ", " : " or ") + formats[i]->word;
    return out;
}

}  // namespace va
