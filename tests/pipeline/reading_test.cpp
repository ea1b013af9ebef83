// SPDX-License-Identifier: GPL-3.0-or-later
// Reading plates in a process of its own, and runs of the shell program that are ended from outside.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <thread>

#include "base/atomic_file.h"
#include "base/error.h"
#include "media/first_picture.h"
#include "media/isolated/isolated_plate.h"

namespace va {
namespace {

namespace fs = std::filesystem;
const std::string slipway = std::string(VA_SOURCE_DIR) + "/demo/data/slipway/slipway.mp4";

/// Processes that this one has started.
std::vector<pid_t> children() {
    std::vector<pid_t> out;
    for (const auto& thread : fs::directory_iterator("/proc/self/task")) {
        std::ifstream in(thread.path() / "children");
        for (pid_t p = 0; in >> p;) out.push_back(p);
    }
    return out;
}

class Isolated : public ::testing::Test {
  protected:
    static void SetUpTestSuite() { readPlatesWith(VA_VANCHOR); }
};

TEST_F(Isolated, GivesTheSamePixelsAsReadingHere) {
    const auto plate = openPlate(slipway);
    ASSERT_FALSE(children().empty());
    // The same through the program's own process: a second test binary would be needed to switch it off again, so the
    // reference is the ffmpeg program.
    const fs::path raw = fs::temp_directory_path() / ("va-isolated-" + std::to_string(getpid()));
    ASSERT_EQ(
        std::system(
            ("ffmpeg -v error -y -i " + slipway + " -frames:v 3 -f rawvideo -pix_fmt yuv420p " + raw.string()).c_str()),
        0);
    const std::string bytes = readFile(raw);
    fs::remove(raw);
    const size_t frameSize = size_t(1280) * 720 * 3 / 2;
    for (int f = 0; f < 3; ++f) {
        const Luma l = plate->luma(1001 + f);
        double worst = 0;
        for (size_t i = 0; i < l.data.size(); ++i)
            worst = std::max(
                worst, std::fabs(double(l.data[i]) - (uint8_t(bytes[size_t(f) * frameSize + i]) - 16.0) * 255 / 219));
        EXPECT_LT(worst, 1e-3) << f;
    }
    EXPECT_EQ(plate->colours(1002).width, 1280);
    EXPECT_EQ(plate->display(1120).height, 720);
    EXPECT_EQ(firstPicture(slipway).data, plate->display(1001).data);
}

TEST_F(Isolated, ACrashCostsOneFrame) {
    const auto plate = openPlate(slipway);
    const Luma before = plate->luma(1010);
    for (const pid_t p : children()) kill(p, SIGSEGV);
    EXPECT_THROW((void)plate->luma(1011), DamagedFrame);
    EXPECT_EQ(plate->luma(1010).data, before.data);
    EXPECT_NO_THROW((void)plate->luma(1011));
}

TEST_F(Isolated, ErrorsComeThroughAsTheyAre) {
    EXPECT_THROW((void)openPlate("/nowhere/clip.mov"), InputError);
    const auto plate = openPlate(slipway);
    try {
        (void)plate->luma(5000);
        FAIL();
    } catch (const DamagedFrame&) {
        FAIL() << "a frame outside of the plate is no damage";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("1001–1120"), std::string::npos) << e.what();
    }
    Progress cancelled;
    cancelled.cancel();
    EXPECT_THROW((void)openPlate(std::string(VA_SOURCE_DIR) + "/demo/data/trolley/trolley.mp4", {}, &cancelled),
                 Cancelled);
}

class EndedRun : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-ended-" + std::to_string(getpid()));
        fs::create_directories(folder_);
    }
    void TearDown() override { fs::remove_all(folder_); }
    /// Starts a match, ends it with a signal after its first progress, gives the exit code.
    int matchEndedBy(int number) const {
        int pipes[2];
        EXPECT_EQ(pipe(pipes), 0);
        const pid_t pid = fork();
        if (pid == 0) {
            dup2(pipes[1], STDERR_FILENO);
            close(pipes[0]);
            close(pipes[1]);
            const std::string out = (folder_ / "out").string();
            execl(VA_VANCHOR, VA_VANCHOR, "match", slipway.c_str(), "--out", out.c_str(), "--json",
                  static_cast<char*>(nullptr));
            _exit(127);
        }
        close(pipes[1]);
        std::string said;
        char c = 0;
        while (said.find("Tracking") == std::string::npos && read(pipes[0], &c, 1) == 1) said += c;
        EXPECT_EQ(kill(pid, number), 0);
        while (read(pipes[0], &c, 1) == 1) {}
        close(pipes[0]);
        int status = 0;
        waitpid(pid, &status, 0);
        return WIFEXITED(status) ? WEXITSTATUS(status) : -WTERMSIG(status);
    }
    fs::path folder_;
};

TEST_F(EndedRun, LeavesWhatWasThereAndNoPartFiles) {
    fs::create_directories(folder_ / "out");
    for (const char* name : {"camera.json", "camera.usda", "cloud.ply", "shot.vanchor"})
        writeFileAtomically(folder_ / "out" / name, "of the run before");
    for (const int number : {SIGINT, SIGTERM, SIGHUP}) {
        EXPECT_EQ(matchEndedBy(number), 130) << strsignal(number);
        std::vector<std::string> names;
        for (const auto& e : fs::directory_iterator(folder_ / "out")) {
            names.push_back(e.path().filename().string());
            EXPECT_EQ(readFile(e.path()), "of the run before") << e.path();
        }
        EXPECT_EQ(names.size(), 4U);
    }
}

TEST_F(EndedRun, AClosedPipeIsNoFailure) {
    const std::string jib = std::string(VA_SOURCE_DIR) + "/demo/data/jib", out = (folder_ / "out").string();
    const int status = std::system(("bash -c 'set -o pipefail; " + std::string(VA_VANCHOR) + " match " + jib +
                                    " --fps 25 --json --out " + out + " 2>/dev/null | true'")
                                       .c_str());
    EXPECT_EQ(WEXITSTATUS(status), 0);
    EXPECT_TRUE(fs::exists(folder_ / "out" / "camera.json"));
}

}  // namespace
}  // namespace va
