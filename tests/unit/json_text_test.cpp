// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/json_text.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "shot/shot_file.h"

namespace va {
namespace {

/// Names of files in Latin-1, halves of characters, and what RFC 3629 forbids: overlong forms, surrogates, beyond
/// U+10FFFF.
TEST(JsonText, KeepsBytesThatAreNoUtf8) {
    for (const std::string name : {"\xE9t\xE9", "cut \xE2\x82", "\xC0\xAF", "\xED\xA0\x80", "\xF4\x90\x80\x80", "\xFF",
                                   "whole \xE2\x82\xAC \xF0\x9F\x9A\xA4"}) {
        nlohmann::json j{{"plate", name}, {"list", {1, name}}};
        const std::string text = dumpJson(j);
        nlohmann::json back = nlohmann::json::parse(text);
        restoreBytes(back, text);
        EXPECT_EQ(back, j);
    }
    EXPECT_EQ(dumpJson(nlohmann::json("caf\xC3\xA9")), "\"caf\xC3\xA9\"") << "what is UTF-8 stays";
}

TEST(JsonText, AProjectWithSuchAPlateIsWrittenAndReadAgain) {
    Shot shot;
    shot.name = "pr\xE9";
    shot.plateSpec = "/footage/pr\xE9/sh\xF6t.mp4";
    const Shot again = shotFromText(shotToText(shot, ""), "pr.vanchor");
    EXPECT_EQ(again.name, shot.name);
    EXPECT_EQ(again.plateSpec, shot.plateSpec);
}

}  // namespace
}  // namespace va
