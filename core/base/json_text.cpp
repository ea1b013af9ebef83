// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/json_text.h"

#include <nlohmann/json.hpp>

namespace va {
namespace {

/// Length of the well-formed UTF-8 sequence that begins a text; 0 where none does.
size_t sequenceAt(std::string_view s) {
    const auto byte = [&](size_t i) { return i < s.size() ? static_cast<unsigned char>(s[i]) : 0U; };
    const auto follows = [&](size_t i) { return (byte(i) & 0xC0U) == 0x80U; };
    const unsigned a = byte(0);
    if (a < 0x80) return 1;
    if (a >= 0xC2 && a < 0xE0 && follows(1)) return 2;
    if (a >= 0xE0 && a < 0xF0 && follows(1) && follows(2)) {
        const bool tooLong = a == 0xE0 && byte(1) < 0xA0, surrogate = a == 0xED && byte(1) >= 0xA0;
        return tooLong || surrogate ? 0 : 3;
    }
    if (a >= 0xF0 && a < 0xF5 && follows(1) && follows(2) && follows(3)) {
        const bool tooLong = a == 0xF0 && byte(1) < 0x90, beyond = a == 0xF4 && byte(1) >= 0x90;
        return tooLong || beyond ? 0 : 4;
    }
    return 0;
}

std::string textOf(std::string_view bytes) {
    std::string out;
    while (!bytes.empty()) {
        const size_t n = sequenceAt(bytes);
        if (n > 0) {
            out += bytes.substr(0, n);
        } else {
            // U+EF80 to U+EFFF are EE BE 80 to EE BF BF.
            const auto b = static_cast<unsigned char>(bytes[0]);
            out += {char(0xEE), char(b < 0xC0 ? 0xBE : 0xBF), char(0x80U | (b & 0x3FU))};
        }
        bytes.remove_prefix(n > 0 ? n : 1);
    }
    return out;
}

std::string bytesOf(std::string_view text) {
    std::string out;
    for (size_t i = 0; i < text.size(); ++i) {
        const bool stands =
            i + 2 < text.size() && text[i] == char(0xEE) && (text[i + 1] == char(0xBE) || text[i + 1] == char(0xBF));
        if (!stands) {
            out += text[i];
            continue;
        }
        out += char((text[i + 1] == char(0xBE) ? 0x80U : 0xC0U) | (static_cast<unsigned char>(text[i + 2]) & 0x3FU));
        i += 2;
    }
    return out;
}

template <class Json, class Change>
void changeStrings(Json& j, const Change& change) {
    if (j.is_string()) {
        j = change(j.template get_ref<const std::string&>());
    } else if (j.is_array()) {
        for (auto& child : j) changeStrings(child, change);
    } else if (j.is_object()) {
        Json out = Json::object();
        for (auto& [key, child] : j.items()) {
            changeStrings(child, change);
            out[change(key)] = std::move(child);
        }
        j = std::move(out);
    }
}

template <class Json>
std::string dumped(const Json& j, int indent) {
    try {
        return j.dump(indent);
    } catch (const nlohmann::json::type_error&) {
        Json text = j;
        changeStrings(text, textOf);
        return text.dump(indent);
    }
}

}  // namespace

std::string dumpJson(const nlohmann::json& j, int indent) { return dumped(j, indent); }
std::string dumpJson(const nlohmann::ordered_json& j, int indent) { return dumped(j, indent); }

void restoreBytes(nlohmann::json& j, std::string_view content) {
    if (content.find("\xEE\xBE") == std::string_view::npos && content.find("\xEE\xBF") == std::string_view::npos)
        return;
    changeStrings(j, bytesOf);
}

}  // namespace va
