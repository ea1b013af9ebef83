// SPDX-License-Identifier: GPL-3.0-or-later
// Arrows only point down: reads the include lines of the whole tree.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>

namespace {

const std::map<std::string, std::set<std::string>> mayInclude{
    {"base", {"base"}},
    {"media", {"base", "media"}},
    {"lens", {"base", "lens"}},
    {"track", {"base", "lens", "track"}},
    {"solve", {"base", "lens", "track", "solve"}},
    {"ground", {"base", "lens", "track", "solve", "ground"}},
    {"layout", {"base", "media", "lens", "track", "solve", "ground", "layout"}},
    {"shot", {"base", "media", "lens", "track", "solve", "ground", "layout", "shot"}},
    {"exchange", {"base", "media", "lens", "track", "solve", "ground", "layout", "shot", "exchange"}},
    {"proof", {"base", "media", "lens", "track", "solve", "ground", "layout", "shot", "proof"}},
    {"workflow",
     {"base", "media", "lens", "track", "solve", "ground", "layout", "shot", "exchange", "proof", "workflow"}},
};

const std::regex includeLine(R"re(^\s*#include\s+([<"])([^>"]+)[>"])re");

TEST(Arrows, CoreFoldersIncludeOnlyWhatLiesBelow) {
    const std::filesystem::path core = std::filesystem::path(VA_SOURCE_DIR) / "core";
    int files = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(core)) {
        const auto ending = entry.path().extension();
        if (ending != ".h" && ending != ".cpp") continue;
        ++files;
        const std::string folder = std::filesystem::relative(entry.path(), core).begin()->string();
        ASSERT_TRUE(mayInclude.contains(folder)) << folder << " is a core folder that this test does not know";
        std::ifstream in(entry.path());
        for (std::string line; std::getline(in, line);) {
            std::smatch m;
            if (!std::regex_search(line, m, includeLine)) continue;
            const std::string name = m[2];
            if (m[1] == "\"") {
                const std::string from = name.substr(0, name.find('/'));
                EXPECT_TRUE(mayInclude.at(folder).contains(from)) << entry.path() << " includes " << name;
            } else {
                EXPECT_FALSE(name.starts_with("Q") || name.starts_with("Qt"))
                    << entry.path() << " includes " << name << ": the core knows no window";
            }
        }
    }
    EXPECT_GT(files, 50) << "the tree was not found";
}

TEST(Arrows, NothingBelowIncludesTheApplication) {
    for (const char* part : {"core", "batch"})
        for (const auto& entry :
             std::filesystem::recursive_directory_iterator(std::filesystem::path(VA_SOURCE_DIR) / part)) {
            if (!entry.is_regular_file()) continue;
            std::ifstream in(entry.path());
            for (std::string line; std::getline(in, line);)
                for (const char* app :
                     {"\"document/", "\"plate_view/", "\"scene_view/", "\"main_window/", "\"inspector/"})
                    EXPECT_EQ(line.find(std::string("#include ") + app), std::string::npos) << entry.path();
        }
}

TEST(Arrows, ViewsDoNotCastConstAway) {
    // Views get the shot as const; the compiler keeps it so unless somebody casts.
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(std::filesystem::path(VA_SOURCE_DIR) / "app")) {
        if (entry.path().extension() != ".cpp" || entry.path().parent_path().filename() == "document") continue;
        std::ifstream in(entry.path());
        const std::string text((std::istreambuf_iterator<char>(in)), {});
        EXPECT_EQ(text.find("const_cast"), std::string::npos) << entry.path();
    }
}

}  // namespace
