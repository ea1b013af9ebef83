// SPDX-License-Identifier: GPL-3.0-or-later
// What the core tells an artist goes through one place, where it can be translated.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <sstream>
#include <vector>

#include "base/error.h"
#include "base/rational.h"
#include "base/text.h"
#include "workflow/verdict.h"

namespace va {
namespace {

class Translated : public ::testing::Test {
  protected:
    void TearDown() override { setPatternTranslator({}); }
};

TEST_F(Translated, PatternsNotSentencesAreTranslated) {
    setPatternTranslator([](const char* pattern) -> std::string {
        if (std::string(pattern) == "%d of %s") return "%2$s: %1$d";
        if (std::string(pattern) == "%.2f px") return "%.1f Pixel";
        if (std::string(pattern) == "%s only") return "%d";  // would read a pointer as a number
        if (std::string(pattern) == "%zu and %d") return "%zu";
        return {};
    });
    EXPECT_EQ(text("%d of %s", 3, "frames"), "frames: 3");
    EXPECT_EQ(text("%.2f px", 0.26), "0.3 Pixel");
    EXPECT_EQ(text("%s only", "this"), "this only") << "asks for another value";
    EXPECT_EQ(text("%zu and %d", size_t(2), 1), "2 and 1") << "leaves a value out";
    EXPECT_EQ(text("untouched %d %%", 5), "untouched 5 %");
    EXPECT_EQ(formatted("%d of %s", 3, "frames"), "3 of frames") << "files are not translated";
}

TEST_F(Translated, ErrorsAndVerdictsAreInTheOtherLanguage) {
    setPatternTranslator([](const char* pattern) { return "»" + std::string(pattern) + "«"; });
    try {
        (void)parseRational("quick");
        FAIL();
    } catch (const Error& e) {
        EXPECT_EQ(std::string(e.what()),
                  "»\"quick\" is not a frame rate or ratio. Write it as 25, 23.976 or 24000/1001.«");
    }
    for (const Verdict& v : verdictsOn(Shot())) EXPECT_TRUE(v.sentence.starts_with("»")) << v.sentence;
}

struct Token {
    std::string text;
    bool string = false;
    int line = 0;
};

/// Names, marks and string literals of a C++ file, without comments and lines of the preprocessor. Literals that follow
/// each other are one.
std::vector<Token> tokensOf(const std::string& code) {
    std::vector<Token> out;
    int line = 1;
    for (size_t i = 0; i < code.size();) {
        const char c = code[i];
        line += c == '\n';
        if (std::isspace(static_cast<unsigned char>(c))) {
            ++i;
        } else if (code.compare(i, 2, "//") == 0 || (c == '#' && (i == 0 || code[i - 1] == '\n'))) {
            i = std::min(code.find('\n', i), code.size());
        } else if (c == '"' || c == '\'') {
            size_t end = i + 1;
            while (end < code.size() && code[end] != c) end += code[end] == '\\' ? 2 : 1;
            const std::string inside = code.substr(i + 1, end - i - 1);
            if (c == '"' && !out.empty() && out.back().string) out.back().text += inside;
            else out.push_back({inside, c == '"', line});
            i = end + 1;
        } else if (std::isalnum(static_cast<unsigned char>(c)) || c == '_') {
            size_t end = i;
            while (end < code.size() && (std::isalnum(static_cast<unsigned char>(code[end])) || code[end] == '_'))
                ++end;
            out.push_back({code.substr(i, end - i), false, line});
            i = end;
        } else {
            out.push_back({std::string(1, c), false, line});
            ++i;
        }
    }
    return out;
}

/// Whether a literal reads like something said to a person: four words in a row, or an end with a full stop.
bool isSentence(const std::string& literal) {
    static const std::regex words("[A-Za-z]+ [a-z]+ [a-z]+ [a-z]+"), stop("[a-z]{3,}\\. ?$");
    return std::regex_search(literal, words) || std::regex_search(literal, stop);
}

std::vector<std::string> sentencesOutsideOfText(const std::string& code) {
    const std::vector<Token> t = tokensOf(code);
    std::vector<std::string> out;
    for (size_t i = 0; i < t.size(); ++i) {
        if (!t[i].string || !isSentence(t[i].text)) continue;
        // Back over what stands before it in its call: "text(" or, choosing between patterns, "text(a ? ".
        bool inside = false;
        int depth = 0;
        for (size_t k = i; k-- > 0;) {
            const std::string& mark = t[k].text;
            if (t[k].string) continue;
            if (mark == ")") ++depth;
            else if (mark == "(" && depth-- == 0) {
                inside = k > 0 && (t[k - 1].text == "text" || t[k - 1].text == "static_assert");
                break;
            } else if (mark == ";") break;
        }
        if (!inside) out.push_back(std::to_string(t[i].line) + ": " + t[i].text);
    }
    return out;
}

TEST(Sentences, TheSearchFindsWhatItShould) {
    EXPECT_EQ(sentencesOutsideOfText("throw Error(\"There is no plate.\");").size(), 1U);
    EXPECT_EQ(sentencesOutsideOfText("x = \"\\\"\" + n + \"\\\" is not there. Copy \" \"it again.\";").size(), 1U);
    EXPECT_TRUE(sentencesOutsideOfText("throw Error(text(\"There is no plate.\"));").empty());
    EXPECT_TRUE(sentencesOutsideOfText("return text(n == 1 ? \"It has one.\" : \"It has two.\");").empty());
    EXPECT_TRUE(sentencesOutsideOfText("// There is no plate.\nint a; // \"There is no plate.\"").empty());
}

TEST(Sentences, AllOfTheCoreGoThroughText) {
    int files = 0;
    const std::filesystem::path core = std::filesystem::path(VA_SOURCE_DIR) / "core";
    for (const auto& entry : std::filesystem::recursive_directory_iterator(core)) {
        const auto ending = entry.path().extension();
        const std::string name = std::filesystem::relative(entry.path(), core).string();
        // The words of older projects, and what "cancelled" is called where nobody reads it.
        if ((ending != ".h" && ending != ".cpp") || name == "shot/older_versions.cpp" || name == "base/error.h")
            continue;
        std::ifstream in(entry.path());
        std::stringstream code;
        code << in.rdbuf();
        ++files;
        for (const std::string& s : sentencesOutsideOfText(code.str())) ADD_FAILURE() << name << ":" << s;
    }
    EXPECT_GT(files, 150) << "the tree was not found";
}

}  // namespace
}  // namespace va
