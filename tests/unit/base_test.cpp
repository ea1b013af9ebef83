// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <Eigen/Geometry>
#include <csignal>
#include <filesystem>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/parallel.h"
#include "base/progress.h"
#include "base/rational.h"
#include "base/rotation_vector.h"

namespace va {
namespace {

// Eigen's rotation about an axis by an angle is the reference, on both sides of where the series ends.
TEST(RotationVector, IsTheRotationAboutItsAxis) {
    EXPECT_EQ(rotationBy(Eigen::Vector3d::Zero()), Eigen::Matrix3d(Eigen::Matrix3d::Identity()));
    const Eigen::Vector3d axis = Eigen::Vector3d(0.3, -0.7, 0.5).normalized();
    for (const double angle : {1e-12, 1e-6, 1e-3, 0.02, 0.0999999, 0.1000001, 0.5, 2.0, M_PI, 5.0}) {
        const Eigen::Matrix3d is = rotationBy(angle * axis), has = Eigen::AngleAxisd(angle, axis).toRotationMatrix();
        EXPECT_LT((is - has).cwiseAbs().maxCoeff(), 1e-15 * 4) << angle;
        EXPECT_LT((is * is.transpose() - Eigen::Matrix3d::Identity()).cwiseAbs().maxCoeff(), 1e-15 * 4) << angle;
    }
}

TEST(Rational, ReadsWhatPeopleWrite) {
    EXPECT_EQ(parseRational("25"), (Rational{25, 1}));
    EXPECT_EQ(parseRational("24000/1001"), (Rational{24000, 1001}));
    EXPECT_EQ(parseRational("50/2"), (Rational{25, 1}));
    EXPECT_EQ(parseRational("12.5"), (Rational{25, 2}));
}

// SMPTE ST 2036 and earlier: the "drop" rates are n·1000/1001 exactly; the decimals are only their names.
TEST(Rational, DecimalNamesOfNtscRatesAreExact) {
    EXPECT_EQ(parseRational("23.976"), (Rational{24000, 1001}));
    EXPECT_EQ(parseRational("29.97"), (Rational{30000, 1001}));
    EXPECT_EQ(parseRational("59.94"), (Rational{60000, 1001}));
    EXPECT_EQ(parseRational("23.976").label(), "23.976");
}

TEST(Rational, RefusesNonsense) {
    for (const char* text : {"", "fast", "0", "-24", "24/0", "24/", "24x", "1e9", "nan", "inf"})
        EXPECT_THROW((void)parseRational(text), Error) << text;
}

TEST(Progress, CountsAndCancels) {
    double last = -1;
    std::string stage;
    Progress p([&](const Progress::State& s) {
        EXPECT_GE(s.fraction, last);
        last = s.fraction;
        stage = s.stage;
    });
    p.stage("one", 4, 0.5);
    p.advance(4);
    EXPECT_DOUBLE_EQ(last, 0.5);
    p.stage("two", 2, 0.5);
    p.advance();
    EXPECT_DOUBLE_EQ(last, 0.75);
    EXPECT_EQ(stage, "two");
    EXPECT_NO_THROW(p.check());
    p.cancel();
    EXPECT_THROW(p.check(), Cancelled);
    EXPECT_THROW(p.stage("three", 1, 0.1), Cancelled);
}

TEST(Parallel, CoversEveryIndexOnceAndPassesErrorsOn) {
    std::vector<int> hits(1000, 0);
    parallelRanges(1000, 7, [&](int b, int e) {
        for (int i = b; i < e; ++i) ++hits[size_t(i)];
    });
    EXPECT_EQ(std::count(hits.begin(), hits.end(), 1), 1000);
    EXPECT_THROW(parallelRanges(10, 1, [](int, int) { throw Error("no"); }), Error);
}

class AtomicFile : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = std::filesystem::temp_directory_path() / ("va-atomic-" + std::to_string(getpid()));
        std::filesystem::create_directories(folder_);
    }
    void TearDown() override { std::filesystem::remove_all(folder_); }
    std::filesystem::path folder_;
};

TEST_F(AtomicFile, WritesAndReads) {
    writeFileAtomically(folder_ / "a", "first");
    writeFileAtomically(folder_ / "a", "second");
    EXPECT_EQ(readFile(folder_ / "a"), "second");
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder_), {}), 1) << "no leftovers";
}

// A file size limit stands in for a full disk: in both cases write() stops half-way.
TEST_F(AtomicFile, WhenTheDiskIsFullTheOldFileStays) {
    writeFileAtomically(folder_ / "a", "old");
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit before{};
    getrlimit(RLIMIT_FSIZE, &before);
    rlimit small = before;
    small.rlim_cur = 1000;
    setrlimit(RLIMIT_FSIZE, &small);
    EXPECT_THROW(writeFileAtomically(folder_ / "a", std::string(100000, 'x')), InputError);
    setrlimit(RLIMIT_FSIZE, &before);
    EXPECT_EQ(readFile(folder_ / "a"), "old");
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder_), {}), 1)
        << "the half-written neighbour is gone";
}

TEST_F(AtomicFile, SaysWhichFileItWas) {
    try {
        (void)readFile(folder_ / "nowhere");
        FAIL();
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("nowhere"), std::string::npos);
    }
    EXPECT_THROW((void)readFile(folder_), InputError);
    EXPECT_THROW(writeFileAtomically(folder_ / "no" / "such", "x"), InputError);
}

}  // namespace
}  // namespace va
