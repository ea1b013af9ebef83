// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/paths_file.h"
#include "solved_shot.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class PathsFile : public ::testing::Test {
  protected:
    void SetUp() override { fs::create_directories(folder_); }
    void TearDown() override { fs::remove_all(folder_); }
    [[nodiscard]] fs::path write(const std::string& name, const std::string& text) const {
        writeFileAtomically(folder_ / name, text);
        return folder_ / name;
    }
    static Shot shot() {
        static const Shot solved = test::makeSolvedShot();
        Shot s = solved;
        auto paths = std::make_shared<std::vector<Path>>(*s.paths);
        Path& p = (*paths)[3];
        p.name = "gable, \"left\"\nsecond line";
        p.origin = PathOrigin::byHand;
        p.points[2].origin = PointOrigin::byHand;
        p.points[4].aside = true;
        (*paths)[6].setAside = true;
        s.paths = paths;
        return s;
    }
    std::string messageOf(const fs::path& file) const {
        try {
            (void)readPathsFile(file);
        } catch (const InputError& e) {
            return e.what();
        }
        return "";
    }
    fs::path folder_ = fs::temp_directory_path() / ("va-paths-" + std::to_string(::getpid()));
};

TEST_F(PathsFile, BothLayoutsComeBackToTheLastBit) {
    const Shot s = shot();
    for (const auto& [name, text] : {std::pair("p.csv", pathsToCsv(s)), std::pair("p.json", pathsToJson(s))}) {
        const auto back = readPathsFile(write(name, text));
        ASSERT_EQ(back.size(), s.paths->size()) << name;
        for (size_t k = 0; k < back.size(); ++k) {
            const Path &a = (*s.paths)[k], &b = back[k];
            EXPECT_EQ(a.id, b.id);
            EXPECT_EQ(a.name, b.name);
            EXPECT_EQ(a.origin, b.origin);
            EXPECT_EQ(a.setAside, b.setAside);
            ASSERT_EQ(a.points.size(), b.points.size());
            for (size_t i = 0; i < a.points.size(); ++i) {
                EXPECT_EQ(a.points[i].x, b.points[i].x);
                EXPECT_EQ(a.points[i].y, b.points[i].y);
                EXPECT_EQ(a.points[i].sxx, b.points[i].sxx);
                EXPECT_EQ(a.points[i].origin, b.points[i].origin);
                EXPECT_EQ(a.points[i].counts(), b.points[i].counts());
            }
        }
    }
}

TEST_F(PathsFile, FewColumnsInAnyOrderDo) {
    const auto paths =
        readPathsFile(write("few.csv", "y,frame,path,x\n10.5,1001,7,20.25\n11,1002,7,21\n\n5,1001,9,6\n"));
    ASSERT_EQ(paths.size(), 2U);
    EXPECT_EQ(paths[0].id, 7);
    EXPECT_EQ(paths[0].points[0].x, 20.25);
    EXPECT_EQ(paths[0].points[1].frame, 1002);
}

TEST_F(PathsFile, ErrorsNameFileLineAndWhatToDo) {
    EXPECT_NE(messageOf(write("a.csv", "path,frame,x\n1,1,2\n")).find("column \"y\" is missing"), std::string::npos);
    const std::string bad = messageOf(write("b.csv", "path,frame,x,y\n1,1001,2,3\n1,1002,two,3\n"));
    EXPECT_NE(bad.find("line 3"), std::string::npos) << bad;
    EXPECT_NE(bad.find("\"two\""), std::string::npos) << bad;
    EXPECT_NE(messageOf(write("c.csv", "path,frame,x,y\n1,1001,2,3\n1,1001,2,3\n")).find("twice"), std::string::npos);
    EXPECT_NE(messageOf(write("d.csv", "path,frame,x,y\n1,1001,nan,3\n")).find("not a number"), std::string::npos);
    EXPECT_NE(messageOf(write("e.csv", "")).find("empty"), std::string::npos);
    EXPECT_NE(messageOf(write("f.json", "{\"paths\": []}")).find("not a file of paths"), std::string::npos);
    EXPECT_NE(messageOf(write("g.json",
                              R"({"format":"vivid-anchor-paths","version":1,"paths":[{"id":1,"frame":[1],"x":[2]}]})"))
                  .find("path 1"),
              std::string::npos);
    EXPECT_NE(messageOf(write("h.txt", "x")).find(".csv"), std::string::npos);
    EXPECT_NE(messageOf(folder_ / "none.csv").find("none.csv"), std::string::npos);
}

TEST_F(PathsFile, AddingToAShotKeepsNumbersApart) {
    const Shot s = shot();
    int count = 0;
    const Shot more = withPathsFromFile(s, write("p.csv", pathsToCsv(s)), &count);
    EXPECT_EQ(count, int(s.paths->size()));
    EXPECT_EQ(more.paths->size(), 2 * s.paths->size());
    for (size_t i = 1; i < more.paths->size(); ++i) EXPECT_LT((*more.paths)[i - 1].id, (*more.paths)[i].id);
    try {
        (void)withPathsFromFile(s, write("q.csv", "path,frame,x,y\n1,1,2,3\n"));
        FAIL();
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("1001–1024"), std::string::npos) << e.what();
    }
}

TEST_F(PathsFile, AnotherSizeAndNumberingAreMapped) {
    const Shot s = shot();
    // Tracked on a proxy of half the size, numbered from 1: the middle of pixel 9.5 there is the middle of 19.5 here.
    const std::string half = "# size_px: 640 x 360\npath,frame,x,y,var_x\n3,1,9.5,19.5,0.01\n3,2,100,50,0.01\n";
    try {
        (void)withPathsFromFile(s, write("half.csv", half));
        FAIL() << "another size is not taken silently";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("640 × 360"), std::string::npos) << e.what();
    }
    PathsMapping mapping;
    mapping.sizePx = sizeOfPathsFile(write("half.csv", half));
    mapping.firstFrame = 1001;
    ASSERT_TRUE(mapping.sizePx);
    const Shot more = withPathsFromFile(s, write("half.csv", half), nullptr, mapping);
    const Path& added = *std::find_if(more.paths->begin(), more.paths->end(),
                                      [&](const Path& p) { return !s.path(p.id) || p.points.size() == 2; });
    ASSERT_EQ(added.points.size(), 2U);
    EXPECT_EQ(added.points[0].frame, 1001);
    EXPECT_DOUBLE_EQ(added.points[0].x, 19.5);
    EXPECT_DOUBLE_EQ(added.points[0].y, 39.5);
    EXPECT_NEAR(added.points[0].sxx, 0.04, 1e-7);
    // As text, from a clipboard.
    int count = 0;
    EXPECT_EQ(withPathsFromText(s, "path,frame,x,y\n1,1002,5,6\n", "clipboard", &count).paths->size(),
              s.paths->size() + 1);
    EXPECT_EQ(count, 1);
    EXPECT_THROW((void)withPathsFromText(s, "hello", "clipboard"), InputError);
}

TEST_F(PathsFile, PatchCornersAreWrittenBothWays) {
    FlatPatch p;
    p.name = "sign";
    p.referenceFrame = 1001;
    p.corners = {Eigen::Vector2d(10, 10), {50, 10}, {50, 40}, {10, 40}};
    Eigen::Matrix3d shift = Eigen::Matrix3d::Identity();
    shift(0, 2) = 2.5;
    p.frames = {{1001, Eigen::Matrix3d::Identity(), 1, 1}, {1002, shift, 0.98, 0.9}};
    const std::string csv = patchToCsv(p);
    EXPECT_NE(csv.find("frame,x1,y1,x2,y2,x3,y3,x4,y4,quality,visible\n"), std::string::npos);
    EXPECT_NE(csv.find("1002,12.5,10,52.5,10,52.5,40,12.5,40,0.98,0.9"), std::string::npos) << csv;
    const auto j = nlohmann::json::parse(patchToJson(p, shot()));
    EXPECT_EQ(j.at("frames").at(1).at("corners").at(2).at(0), 52.5);
    EXPECT_NEAR(j.at("frames").at(1).at("map").at(0).at(2).get<double>(), 2.5, 1e-9);
    EXPECT_EQ(j.at("image").at("width"), 1280);
}

}  // namespace
}  // namespace va
