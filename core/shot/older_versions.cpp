// SPDX-License-Identifier: GPL-3.0-or-later
#include "shot/older_versions.h"

#include <map>
#include <nlohmann/json.hpp>
#include <string>

namespace va {
namespace {

using nlohmann::json;

const std::map<std::string, std::string, std::less<>> newKeys{{"follow_straight", "track_undistorted"},
                                                              {"followed", "tracked"},
                                                              {"exclusions_followed", "exclusions_tracked"},
                                                              {"misfit", "variance_inflation"},
                                                              {"grip", "anisotropy"},
                                                              {"sightings", "observations"},
                                                              {"bend_refused_px", "distortion_refused_px"}};

/// Values that are words of a list, by their key.
const std::map<std::string, std::map<std::string, std::string, std::less<>>, std::less<>> newWords{
    {"motion", {{"static", "locked_off"}}},
    {"move", {{"fixed", "locked_off"}}},
    {"origin", {{"followed", "tracked"}}},
    // Of a path that the solve does not use; of one that was set aside the artist's reason stands here, and stays.
    {"reason",
     {{"off by more than the noise explains", "noise"},
      {"measured against another reference there", "other_reference"},
      {"seen in too few solved frames", "few_frames"},
      {"slides along an edge, or holds two surfaces", "slides"},
      {"does not move with the scene, or too far away to be placed", "not_scene"},
      {"does not fit the rotation", "not_rotation"},
      {"moves, although the camera stands", "not_locked_off"}}}};

void renameWord(json& value, const std::map<std::string, std::string, std::less<>>& words) {
    if (value.is_array())
        for (json& v : value) renameWord(v, words);
    if (!value.is_string()) return;
    if (const auto to = words.find(value.get_ref<const std::string&>()); to != words.end()) value = to->second;
}

void rename(json& j) {
    if (j.is_array()) {
        // Columns of numbers hold nothing to rename.
        if (!j.empty() && j.front().is_number()) return;
        for (json& v : j) rename(v);
        return;
    }
    if (!j.is_object()) return;
    json out = json::object();
    for (auto& [key, value] : j.items()) {
        if (const auto words = newWords.find(key); words != newWords.end()) renameWord(value, words->second);
        else rename(value);
        const auto to = newKeys.find(key);
        out[to != newKeys.end() ? to->second : key] = std::move(value);
    }
    j = std::move(out);
}

}  // namespace

void renameOlderKeys(json& project) {
    const auto version = project.find("version");
    if (version == project.end() || !version->is_number_integer() || version->get<int>() >= 4) return;
    rename(project);
}

}  // namespace va
