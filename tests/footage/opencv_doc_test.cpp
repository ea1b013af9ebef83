// SPDX-License-Identifier: GPL-3.0-or-later
// Movies that Debian's package opencv-doc ships (OpenCV samples and tutorials, Apache-2.0), as found: presentation
// times equal to decode times, pictures that are empty, old codecs. Reference: the ffmpeg program.
#include <gtest/gtest.h>
#include <unistd.h>

#include <Eigen/Eigenvalues>
#include <cmath>
#include <cstdlib>
#include <random>

#include "marked_frames.h"
#include "workflow/match_shot.h"
#include "workflow/mover_features.h"
#include "workflow/verdict.h"

namespace va {
namespace {

namespace fs = std::filesystem;

class OpencvDoc : public ::testing::TestWithParam<const char*> {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() / ("va-opencv-doc-" + std::to_string(getpid()));
        fs::create_directories(folder_);
    }
    void TearDown() override { fs::remove_all(folder_); }
    /// The movie, unpacked where it is packed; empty where the package is not installed.
    [[nodiscard]] fs::path movie(const std::string& name) const {
        const fs::path doc = "/usr/share/doc/opencv-doc";
        for (const fs::path& at : {doc / "examples/data" / name, doc / "opencv4/html" / name})
            if (fs::exists(at)) return at;
        const fs::path packed = doc / "opencv4/html" / (name + ".gz"), out = folder_ / name;
        if (!fs::exists(packed)) return {};
        return std::system(("gzip -dc '" + packed.string() + "' > '" + out.string() + "'").c_str()) == 0 ? out
                                                                                                         : fs::path();
    }
    fs::path folder_;
};

double meanDifference(const DisplayPicture& a, const DisplayPicture& b) {
    if (a.width != b.width || a.height != b.height) return 255;
    double sum = 0;
    for (size_t i = 0; i < a.data.size(); ++i)
        for (const int shift : {0, 8, 16})
            sum += std::abs(int(a.data[i] >> shift & 255) - int(b.data[i] >> shift & 255));
    return sum / (3.0 * double(a.data.size()));
}

TEST_P(OpencvDoc, ShowsWhatFfmpegShows) {
    const fs::path file = movie(GetParam());
    if (file.empty()) GTEST_SKIP() << "opencv-doc is not installed";
    const marked::Reference reference = marked::byFfmpeg(file);
    const auto source = openPlate(file.string());
    const PlateInfo& info = source->info();
    ASSERT_EQ(size_t(info.frames.count()), reference.frames.size());
    const int last = info.frames.count() - 1;
    for (const int i : {0, last / 2, last, last / 3})
        EXPECT_LT(meanDifference(source->display(info.frames.first + i), reference.frames[size_t(i)]), 1.5)
            << "frame " << i;
    for (const std::string& w : info.warnings) EXPECT_EQ(w.find("cut off"), std::string::npos) << w;
}
INSTANTIATE_TEST_SUITE_P(Movies, OpencvDoc,
                         ::testing::Values("box.mp4", "cup.mp4", "Megamind.avi", "Megamind_bugy.avi", "tree.avi",
                                           "vtest.avi"));

/// The plane through most of the points, fitted to them; they are taken out of the list.
struct Plane3 {
    Eigen::Vector3d normal{0, 0, 1};
    int points = 0;
};
Plane3 largestPlane(std::vector<Eigen::Vector3d>& points, double tolerance) {
    std::mt19937 random(5);
    std::vector<size_t> best;
    for (int draw = 0; draw < 4000; ++draw) {
        const auto &a = points[random() % points.size()], &b = points[random() % points.size()],
                   &c = points[random() % points.size()];
        const Eigen::Vector3d n = (b - a).cross(c - a);
        if (n.norm() < 1e-9) continue;
        std::vector<size_t> in;
        for (size_t i = 0; i < points.size(); ++i)
            if (std::fabs((points[i] - a).dot(n.normalized())) < tolerance) in.push_back(i);
        if (in.size() > best.size()) best = in;
    }
    Eigen::Vector3d mean = Eigen::Vector3d::Zero();
    for (const size_t i : best) mean += points[i] / double(best.size());
    Eigen::Matrix3d scatter = Eigen::Matrix3d::Zero();
    for (const size_t i : best) scatter += (points[i] - mean) * (points[i] - mean).transpose();
    const Plane3 out{Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(scatter).eigenvectors().col(0), int(best.size())};
    for (size_t k = best.size(); k-- > 0;) points.erase(points.begin() + std::ptrdiff_t(best[k]));
    return out;
}

class OpencvBox : public OpencvDoc {};

// A box that is turned by hand before a camera on its stand: two motions, and the box fills most of what has features.
// A box has right angles.
TEST_F(OpencvBox, CameraStandsAndBoxTurnsWithRightAngles) {
    const fs::path file = movie("box.mp4");
    if (file.empty()) GTEST_SKIP() << "opencv-doc is not installed";
    Progress progress;
    const Shot matched = matchShot(withPlate(Shot(), file.string()), progress);
    ASSERT_EQ(matched.solve->motion, Motion::lockedOff);
    const std::string sentence = verdictOn(matched, Step::solve).sentence;
    EXPECT_NE(sentence.find("move before it"), std::string::npos) << sentence;
    EXPECT_GE(matched.frames().size(), 450U);
    const Shot shot = withMoversFound(matched, progress);
    ASSERT_EQ(shot.movers.size(), 1U);
    const SolveResult& box = *shot.movers[0].solve;
    ASSERT_EQ(box.motion, Motion::free);
    EXPECT_EQ(box.solvedCount(), int(shot.frames().size()));
    std::vector<Eigen::Vector3d> points;
    for (const SolvedPoint& p : box.points)
        if (p.rmsPx < 1 && p.observations >= 40) points.push_back(p.position);
    ASSERT_GT(points.size(), 150U);
    std::vector<double> distances;
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const auto& p : points) middle += p / double(points.size());
    for (const auto& p : points) distances.push_back((p - middle).norm());
    std::nth_element(distances.begin(), distances.begin() + std::ptrdiff_t(distances.size() / 2), distances.end());
    const double size = distances[distances.size() / 2];
    const Plane3 first = largestPlane(points, 0.01 * size), second = largestPlane(points, 0.01 * size);
    EXPECT_GT(second.points, 20);
    const double angle = std::acos(std::clamp(std::fabs(first.normal.dot(second.normal)), 0.0, 1.0)) * 180 / M_PI;
    EXPECT_NEAR(angle, 90, 1) << first.points << " and " << second.points << " points";
}

// Which features are drawn must not decide what is found: with these a start pair is best that reaches few frames.
TEST_F(OpencvBox, CameraStandsWhateverFeaturesAreDrawn) {
    const fs::path file = movie("box.mp4");
    if (file.empty()) GTEST_SKIP() << "opencv-doc is not installed";
    Shot shot = withPlate(Shot(), file.string());
    shot.seed = 2;
    Progress progress;
    EXPECT_EQ(matchShot(shot, progress).solve->motion, Motion::lockedOff);
}

}  // namespace
}  // namespace va
