// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/formats.h"

#include <algorithm>
#include <array>

namespace va {
namespace {

#define VA_ADDRESS(format) &format,
constexpr std::array formats{VA_EXPORT_FORMATS(VA_ADDRESS)};
#undef VA_ADDRESS

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
