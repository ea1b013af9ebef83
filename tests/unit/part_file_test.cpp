// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/part_file.h"

#include <gtest/gtest.h>
#include <sys/stat.h>

#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class Written : public testing::Test {
  protected:
    Written() : folder_(fs::path(testing::TempDir()) / "part-file") {
        fs::remove_all(folder_);
        fs::create_directories(folder_ / "there");
    }
    fs::path folder_;
};

TEST_F(Written, ThroughALinkIntoWhatItLeadsTo) {
    writeFileAtomically(folder_ / "there/camera.json", "old");
    fs::create_symlink("there/camera.json", folder_ / "near.json");
    fs::create_symlink(folder_ / "near.json", folder_ / "far.json");
    writeFileAtomically(folder_ / "far.json", "new");
    EXPECT_EQ(readFile(folder_ / "there/camera.json"), "new");
    EXPECT_TRUE(fs::is_symlink(folder_ / "near.json"));
    EXPECT_TRUE(fs::is_symlink(folder_ / "far.json"));
    // What is not there yet is made there.
    fs::create_symlink("there/fresh.json", folder_ / "fresh.json");
    writeFileAtomically(folder_ / "fresh.json", "first");
    EXPECT_EQ(readFile(folder_ / "there/fresh.json"), "first");
    EXPECT_TRUE(fs::is_symlink(folder_ / "fresh.json"));
}

TEST_F(Written, NeverInPlaceOfAPipeOrADevice) {
    const fs::path pipe = folder_ / "pipe";
    ASSERT_EQ(mkfifo(pipe.c_str(), 0600), 0);
    fs::create_symlink("pipe", folder_ / "link");
    for (const fs::path& to : {pipe, folder_ / "link"}) {
        try {
            writeFileAtomically(to, "content");
            ADD_FAILURE() << to;
        } catch (const InputError& e) {
            EXPECT_NE(std::string(e.what()).find("pipe or a device"), std::string::npos) << e.what();
        }
    }
    EXPECT_TRUE(fs::is_fifo(pipe));
}

TEST_F(Written, LinkThatGoesRoundBecomesAFile) {
    fs::create_symlink("b", folder_ / "a");
    fs::create_symlink("a", folder_ / "b");
    writeFileAtomically(folder_ / "a", "content");
    EXPECT_EQ(readFile(folder_ / "a"), "content") << "such a link leads nowhere: a file takes its place";
}

}  // namespace
}  // namespace va
