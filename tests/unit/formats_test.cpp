// SPDX-License-Identifier: GPL-3.0-or-later
// Rates, sizes, numbers, axes and units through every format; scenes by others; comparison and manifest.
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <csignal>
#include <filesystem>
#include <numbers>

#include "base/atomic_file.h"
#include "base/error.h"
#include "exchange/compare.h"
#include "exchange/euler.h"
#include "exchange/export_choices.h"
#include "exchange/manifest.h"
#include "exchange/usda_text.h"
#include "exchange/verify.h"

namespace va {
namespace {

namespace fs = std::filesystem;

/// A camera on a curved path over a cloud, with a box, a mark, a mover and a plane.
SceneExport madeUp(int frames = 24) {
    SceneExport s;
    s.width = 1280, s.height = 720;
    s.rate = {24000, 1001};
    s.metric = true;
    s.sensorWidthMm = 23.76;
    s.principalPoint = {(s.width - 1) / 2.0, (s.height - 1) / 2.0};
    s.motion = "free";
    for (int i = 0; i < frames; ++i) {
        SceneExport::Frame f;
        f.frame = 1001 + i;
        f.solved = true;
        const double t = frames > 1 ? double(i) / (frames - 1) : 0;
        f.pose.position = {std::sin(2 * t), 1.6 + 0.2 * t, 4 - t};
        f.pose.worldFromCamera = Eigen::AngleAxisd(0.3 * t, Eigen::Vector3d::UnitY()) *
                                 Eigen::AngleAxisd(-0.1 - 0.1 * t, Eigen::Vector3d::UnitX());
        f.focalPx = 1100;
        s.frames.push_back(f);
    }
    s.plateFrames = {1001, 1000 + frames};
    for (int i = 0; i < 300; ++i)
        s.points.push_back({i + 1,
                            "",
                            {std::fmod(i * 0.37, 4.0) - 2, std::fmod(i * 0.11, 1.5), -std::fmod(i * 0.53, 5.0)},
                            0.1 + i % 7 * 0.01});
    SceneExport::PlacedThing box;
    box.id = 1, box.name = "crate", box.kind = Box(), box.position = {0.4, 0, -1}, box.scale = 0.8;
    box.rotation = Eigen::AngleAxisd(0.5, Eigen::Vector3d::UnitY());
    s.things.push_back(box);
    SceneExport::PlacedThing gull;
    gull.id = 2, gull.name = "gull & co", gull.kind = Ball();
    for (const auto& f : s.frames) {
        const double t = f.frame - 1001;
        gull.samples.push_back({f.frame,
                                {1 + 0.01 * t,
                                 Eigen::Quaterniond(Eigen::AngleAxisd(0.1 * t, Eigen::Vector3d(1, 2, 3).normalized())),
                                 {0.02 * t, 1, -2}},
                                true});
    }
    gull.position = gull.samples[0].place.translation;
    s.things.push_back(gull);
    SceneExport::PlacedThing mark;
    mark.id = 3, mark.name = "door", mark.kind = Anchor(), mark.position = {-1, 0.2, -2};
    s.things.push_back(mark);
    s.planes.push_back({"quay wall", {Eigen::Vector3d(-1, 0, -3), {1, 0, -3}, {1, 2, -3.2}, {-1, 2, -3.2}}});
    SceneExport::Mover m;
    m.name = "trolley";
    for (const auto& f : s.frames)
        m.poses.push_back({f.frame,
                           {{0.01 * (f.frame - 1001), 0, -1.5},
                            Eigen::Quaterniond(Eigen::AngleAxisd(0.02 * (f.frame - 1001), Eigen::Vector3d::UnitY()))}});
    for (int i = 0; i < 20; ++i) m.points.push_back({i, "", {0.05 * i, 0.3, 0.1 * (i % 3)}, 0});
    s.movers.push_back(m);
    return s;
}

class Formats : public ::testing::Test {
  protected:
    void SetUp() override { fs::create_directories(folder_); }
    void TearDown() override { fs::remove_all(folder_); }
    /// Every format passes, within a limit in px.
    void allPass(const SceneExport& s, double limitPx = 1e-3) {
        for (const ExportFormat* f : exportFormats()) {
            const ExportCheck c = exportAndVerify(s, *f, folder_ / f->fileName);
            EXPECT_TRUE(c.passed) << f->word << ": " << c.sentence;
            EXPECT_LE(c.largestPx, limitPx) << f->word;
            EXPECT_GT(c.compared, 0) << f->word;
        }
    }
    fs::path folder_ = fs::temp_directory_path() / ("va-formats-" + std::to_string(::getpid()));
};

TEST_F(Formats, RatesStayExactFractions) {
    for (const Rational rate :
         {Rational{24000, 1001}, {24, 1}, {25, 1}, {30000, 1001}, {30, 1}, {60000, 1001}, {60, 1}}) {
        SceneExport s = madeUp();
        s.rate = rate;
        allPass(s);
        for (const ExportFormat* f : exportFormats())
            if (f->holdsCamera) {
                EXPECT_EQ(f->read(f->write(s).front().content, "t").rate, rate) << f->word << rate.label();
            }
    }
}

TEST_F(Formats, SizesAspectsAndCrops) {
    struct Size {
        int width, height;
        double aspect;
    };
    for (const Size size :
         {Size{1344, 756, 1}, {1280, 1080, 1}, {1080, 1920, 1}, {1828, 1556, 2}, {1437, 811, 16.0 / 15}}) {
        SceneExport s = madeUp();
        s.width = size.width, s.height = size.height, s.pixelAspect = size.aspect;
        s.principalPoint = {(s.width - 1) / 2.0, (s.height - 1) / 2.0};
        allPass(s);
        // A cut-out: the axis lies off the middle.
        s.principalPoint += Eigen::Vector2d(-71.25, 33.5);
        allPass(s);
    }
}

TEST_F(Formats, FrameNumbersOfAnyKind) {
    for (const int first : {-12, 0, 1, 86399, 1500}) {
        SceneExport s = madeUp();
        const int shift = first - 1001;
        for (auto& f : s.frames) f.frame += shift;
        for (auto& t : s.things)
            for (auto& at : t.samples) at.frame += shift;
        for (auto& m : s.movers)
            for (auto& p : m.poses) p.first += shift;
        allPass(s);
    }
    // One frame alone.
    allPass(madeUp(1));
    // Frames without a camera at both ends and within.
    SceneExport s = madeUp();
    for (const size_t i : {0U, 1U, 9U, 23U}) s.frames[i].solved = false;
    allPass(s);
}

TEST_F(Formats, AZoomIsHeldOrRefused) {
    SceneExport s = madeUp();
    for (size_t i = 0; i < s.frames.size(); ++i) s.frames[i].focalPx = 900 + 20.0 * double(i);
    for (const ExportFormat* f : exportFormats()) {
        if (f == &gltfFormat) continue;
        const ExportCheck c = exportAndVerify(s, *f, folder_ / f->fileName);
        EXPECT_TRUE(c.passed) << c.sentence;
    }
    try {
        (void)exportAndVerify(s, gltfFormat, folder_ / "zoom.glb");
        FAIL() << "a zoom must be refused";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("one camera a frame"), std::string::npos);
    }
    EXPECT_FALSE(fs::exists(folder_ / "zoom.glb"));
    s.cameraPerFrame = true;
    const ExportCheck c = exportAndVerify(s, gltfFormat, folder_ / "zoom.glb");
    EXPECT_TRUE(c.passed) << c.sentence;
}

TEST_F(Formats, TwoThousandFrames) {
    SceneExport s = madeUp(2000);
    s.rate = {60000, 1001};
    allPass(s, 2e-3);
}

TEST_F(Formats, AxesAndUnits) {
    const SceneExport s = madeUp();
    for (const bool zUp : {false, true})
        for (const double unit : {1.0, 0.01, 0.0254}) {
            const SceneExport other = inAxes(s, zUp, unit);
            allPass(other);
            // A point keeps its place: by hand, x stays, y goes to z, in the other unit.
            const Eigen::Vector3d p = s.points[7].position / unit, q = other.points[7].position;
            EXPECT_LT((q - (zUp ? Eigen::Vector3d(p.x(), -p.z(), p.y()) : p)).norm(), 1e-9 / unit);
            const SceneExport back = inAxes(other, false, 1);
            EXPECT_LT((back.frames[5].pose.position - s.frames[5].pose.position).norm(), 1e-12);
            // Read by anyone, and brought to ours, it is the same scene.
            const ForeignScene read = inOurAxes(usdaFormat.read(usdaFormat.write(other).front().content, "t"));
            EXPECT_LT((read.points[7].position - s.points[7].position).norm(), 1e-5);
        }
}

TEST_F(Formats, ChoicesDoWhatTheySay) {
    const SceneExport s = madeUp();
    ExportChoices c;
    c.firstFrame = 1;
    c.filmBackMm = 36;
    c.cloudAtMost = 50;
    c.planes = false;
    c.recentre = true;
    const SceneExport out = prepared(s, c);
    EXPECT_EQ(out.frames.front().frame, 1);
    EXPECT_EQ(out.frameShift, -1000);
    EXPECT_EQ(out.things[1].samples.front().frame, 1);
    EXPECT_EQ(out.points.size(), 50U);
    double worst = 0;
    for (const auto& p : out.points) worst = std::max(worst, p.rmsPx);
    EXPECT_LE(worst, 0.12) << "those that fit best stay";
    EXPECT_TRUE(out.planes.empty());
    EXPECT_NEAR(out.focalMm(out.frames[0]), 36 * 1100.0 / 1280, 1e-9);
    EXPECT_NEAR(angleOfView(out, out.frames[0]), 2 * std::atan(640.0 / 1100) * 180 / std::numbers::pi, 1e-9);
    Eigen::Vector3d middle = Eigen::Vector3d::Zero();
    for (const auto& p : out.points) middle += p.position / 50;
    EXPECT_LT(std::hypot(middle.x(), middle.z()), 1e-9);
    allPass(out);
    const std::string words = nextProgramText(out);
    EXPECT_NE(words.find("1280 × 720"), std::string::npos) << words;
    EXPECT_NE(words.find("23.976"), std::string::npos) << words;
    c.farthest = 3;
    for (const auto& p : prepared(s, c).points) {
        double away = 1e9;
        for (const auto& f : out.frames) away = std::min(away, (p.position - f.pose.position).norm());
        EXPECT_LE(away, 3 + 1e-9);
    }
    c = {};
    c.filmBackMm = 1e6;
    EXPECT_THROW((void)prepared(s, c), InputError);
    c = {};
    c.layered = true;
    EXPECT_THROW((void)prepared(s, c), InputError) << "no layer is on";
}

TEST_F(Formats, AChainThroughAllOfThemLosesNothing) {
    SceneExport s = madeUp();
    s.lens = LensModel::brownConrady(-0.11, 0.02, 0, 0.001, -0.0005);
    s.principalPoint += Eigen::Vector2d(12.5, -7.25);
    SceneExport now = s;
    for (const ExportFormat* f : exportFormats()) {
        if (!f->holdsCamera) continue;
        const ForeignScene read = f->read(f->write(now).front().content, f->word);
        now = sceneFrom(read, {});
        EXPECT_EQ(now.rate, s.rate) << f->word;
        ASSERT_EQ(now.frames.size(), s.frames.size()) << f->word;
        EXPECT_EQ(now.frames.front().frame, 1001) << f->word;
    }
    const CameraComparison c = compareCameras(s, now);
    EXPECT_LE(c.largestPx, 0.01) << c.sentence;
    EXPECT_EQ(c.onlyA + c.onlyB, 0);
}

TEST_F(Formats, ComparisonFindsWhatWasChanged) {
    const SceneExport a = madeUp();
    SceneExport b = a;
    // In another world entirely: turned, larger, elsewhere.
    const Similarity world{
        3.7, Eigen::Quaterniond(Eigen::AngleAxisd(1.1, Eigen::Vector3d(1, 2, -1).normalized())), {5, -2, 9}};
    for (auto& f : b.frames) f.pose = world.pose(f.pose);
    EXPECT_LT(compareCameras(a, b).largestPx, 1e-6);
    // A tenth of a degree in one frame: 1100 px · 0.1° = 1.92 px at the axis, more beside it.
    b.frames[11].pose.worldFromCamera =
        b.frames[11].pose.worldFromCamera * Eigen::AngleAxisd(0.1 * std::numbers::pi / 180, Eigen::Vector3d::UnitY());
    const CameraComparison c = compareCameras(a, b);
    EXPECT_EQ(c.worstFrame, 1012);
    EXPECT_NEAR(c.frames[11].turnDeg, 0.1, 0.01);
    EXPECT_GT(c.frames[11].largestPx, 1.7);
    EXPECT_LT(c.frames[11].largestPx, 3.5);
    EXPECT_LT(c.frames[2].largestPx, 0.4);
    EXPECT_NE(comparisonTable(c).find("\n1012,"), std::string::npos);
    // One per cent of focal length shows at the border.
    b = a;
    for (auto& f : b.frames) f.focalPx *= 1.01;
    EXPECT_NEAR(compareCameras(a, b).frames[0].focalPercent, 1, 1e-9);
    b.width = 640;
    EXPECT_THROW((void)compareCameras(a, b), InputError);
    b = a;
    for (auto& f : b.frames) f.frame += 500;
    EXPECT_THROW((void)compareCameras(a, b), InputError);
}

TEST_F(Formats, AManifestSeesEveryChange) {
    const SceneExport s = madeUp();
    std::vector<ExportCheck> checks;
    for (const ExportFormat* f : exportFormats()) checks.push_back(exportAndVerify(s, *f, folder_ / f->fileName));
    writeFileAtomically(folder_ / "manifest.json", manifestOf(s, checks, folder_));
    ManifestCheck good = verifyManifest(folder_);
    for (const auto& f : good.files) EXPECT_TRUE(f.passed) << f.sentence;
    EXPECT_TRUE(good.passed());
    // FIPS 180-4's own example.
    writeFileAtomically(folder_ / "abc", "abc");
    EXPECT_EQ(sha256Of(folder_ / "abc"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    std::string usda = readFile(folder_ / "camera.usda");
    usda[usda.find("focalLength.timeSamples") + 60] = '7';
    writeFileAtomically(folder_ / "camera.usda", usda);
    const ManifestCheck bad = verifyManifest(folder_);
    EXPECT_FALSE(bad.passed());
    fs::remove(folder_ / "camera.usda");
    EXPECT_FALSE(verifyManifest(folder_).passed());
    // Paths that lead out of the folder.
    std::string manifest = readFile(folder_ / "manifest.json");
    manifest.replace(manifest.find("camera.dae"), 10, "../../etc/x");
    writeFileAtomically(folder_ / "manifest.json", manifest);
    EXPECT_THROW((void)verifyManifest(folder_), InputError);
    EXPECT_THROW((void)verifyManifest(folder_ / "none"), InputError);
}

TEST_F(Formats, TextBySomeoneElseIsRead) {
    const std::string usda = R"(#usda 1.0
(
    "made elsewhere"
    defaultPrim = "set"
    metersPerUnit = 0.01
    upAxis = "Z"
    timeCodesPerSecond = 24
    startTimeCode = 1
    endTimeCode = 3
)
class "look" { }
def Xform "set" (
    kind = "assembly"
    variants = { string size = "large" }
    prepend variantSets = "size"
)
{
    double3 xformOp:translate = (100, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    variantSet "size" = {
        "small" { def Cube "c" { } }
        "large" {
            def Mesh "slab" {
                point3f[] points = [(0, 0, 0), (1e1, 0, 0), (10, 10, 0), (0, 10, 0)]
                int[] faceVertexCounts = [4]
                int[] faceVertexIndices = [0, 1, 2, 3]
            }
        }
    }
    def Camera "shotCam" # a comment
    {
        float focalLength = 35
        float horizontalAperture = 24.892
        float verticalAperture = 18.669
        double3 xformOp:translate:at.timeSamples = { 1: (0, 0, 100), 3: (20, 0, 100), }
        float3 xformOp:rotateXYZ = (90, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate:at", "xformOp:rotateXYZ"]
    }
}
)";
    const ForeignScene s = usdaFormat.read(usda, "other.usda");
    EXPECT_TRUE(s.zUp);
    EXPECT_EQ(*s.metresPerUnit, 0.01);
    EXPECT_EQ(*s.rate, (Rational{24, 1}));
    ASSERT_EQ(s.cameras.size(), 1U);
    EXPECT_EQ(s.cameras[0].name, "shotCam");
    ASSERT_EQ(s.cameras[0].frames.size(), 2U);
    EXPECT_EQ(s.cameras[0].frames[1].pose.position, Eigen::Vector3d(120, 0, 100));
    // Turned by 90° about X a camera looks along +Y: ahead, where Z is up.
    EXPECT_LT(
        (s.cameras[0].frames[0].pose.worldFromCamera * Eigen::Vector3d(0, 0, -1) - Eigen::Vector3d(0, 1, 0)).norm(),
        1e-12);
    ASSERT_EQ(s.bodies.size(), 1U);
    EXPECT_EQ(s.bodies[0].name, "slab");
    EXPECT_EQ(s.bodies[0].triangles.size(), 2U);
    // In our axes, metres: it looks along −Z.
    ForeignChoices size;
    size.width = 1920, size.height = 1440;
    const SceneExport ours = sceneFrom(s, size);
    EXPECT_LT((ours.frames[1].pose.position - Eigen::Vector3d(1.1, 1, 0)).norm(), 1e-12)
        << "frame 2 lies between its samples";
    EXPECT_LT((ours.frames[0].pose.worldFromCamera * Eigen::Vector3d(0, 0, -1) - Eigen::Vector3d(0, 0, -1)).norm(),
              1e-12);
    EXPECT_NEAR(ours.frames[0].focalPx, 35 / 24.892 * 1920, 1e-9);
    EXPECT_THROW((void)sceneFrom(s, {}), InputError) << "its size is not said";
}

TEST_F(Formats, BadFilesAreSentences) {
    const auto refused = [&](const std::string& name, const std::string& content) {
        writeFileAtomically(folder_ / name, content);
        try {
            (void)readScene((folder_ / name).string());
            ADD_FAILURE() << name << " was read";
        } catch (const InputError& e) {
            EXPECT_NE(std::string(e.what()).find(name), std::string::npos) << e.what();
        }
    };
    std::string deep = "#usda 1.0\n";
    for (int i = 0; i < 5000; ++i) deep += "def \"a\" {";
    refused("deep.usda", deep);
    std::string brackets = "#usda 1.0\ndef \"a\" { int[] x = ";
    refused("brackets.usda", brackets + std::string(100000, '['));
    refused("nan.usda", "#usda 1.0\ndef Camera \"c\" { float focalLength = nan }");
    refused("inf.usda", "#usda 1.0\ndef Points \"p\" { point3f[] points = [(1e999, 0, 0)] }");
    refused("faces.usda",
            "#usda 1.0\ndef Mesh \"m\" { point3f[] points = [(0,0,0)]\nint[] faceVertexCounts = [1000000000]\nint[] "
            "faceVertexIndices = [0] }");
    refused("utf16.usda", std::string("\xff\xfe#\0u\0s\0d\0a\0", 12));
    refused("empty.dae", "");
    refused("cut.dae", "<?xml version=\"1.0\"?><COLLADA><asset>");
    refused("short.glb", std::string("glTF\x02\0\0\0\x10\x27\0\0", 12));
    refused("outside.gltf", R"({"asset":{"version":"2.0"},"buffers":[{"uri":"../../secret.bin","byteLength":10}]})");
    refused("columns.csv", "frame,x,y\n1,2,3\n");
    refused("words.csv", "frame,x,y,z,qw,qx,qy,qz,focal_mm\n1,2,3,four,1,0,0,0,35\n");
    refused("zero.csv", "frame,x,y,z,qw,qx,qy,qz,focal_mm\n1,2,3,4,0,0,0,0,35\n");
    refused("nothing.json", "[]");
    refused("cut.json", "[{\"timing\":");
    refused("kind.xyz", "x");
    EXPECT_THROW((void)readScene((folder_ / "none.usda").string()), InputError);
    EXPECT_THROW((void)readScene("/dev/zero"), InputError) << "a device is no file";
    // Many that are cut off anywhere are refused or read, and nothing else.
    const SceneExport s = madeUp(4);
    for (const ExportFormat* f : exportFormats()) {
        const std::string whole = f->write(s).front().content;
        for (size_t i = 1; i < 24; ++i) {
            try {
                (void)f->read(whole.substr(0, whole.size() * i / 24), "cut");
            } catch (const InputError&) {  // as it should be
            }
        }
    }
}

TEST_F(Formats, AFolderThatCantBeWrittenLeavesWhatWasThere) {
    // Nothing can be made there, and what stands elsewhere stays.
    const SceneExport s = madeUp(3);
    writeFileAtomically(folder_ / "camera.usda", "before");
    EXPECT_THROW((void)exportAndVerify(s, usdaFormat, "/proc/camera.usda"), InputError);
    EXPECT_THROW((void)exportAndVerify(s, usdaFormat, folder_ / "none" / "camera.usda"), InputError);
    EXPECT_EQ(readFile(folder_ / "camera.usda"), "before");
}

/// A disk that holds no more, as the system tells a program: writing ends amid a file.
TEST_F(Formats, AFullDiskHarmsNoOldFileAndLeavesNoHalfOne) {
    const SceneExport s = madeUp(200);
    for (const ExportFormat* f : exportFormats()) writeFileAtomically(folder_ / f->fileName, "before");
    const auto before = std::signal(SIGXFSZ, SIG_IGN);
    rlimit was{};
    ASSERT_EQ(getrlimit(RLIMIT_FSIZE, &was), 0);
    const rlimit small{4096, was.rlim_max};
    ASSERT_EQ(setrlimit(RLIMIT_FSIZE, &small), 0);
    std::vector<std::string> quiet;
    for (const ExportFormat* f : exportFormats()) {
        try {
            (void)exportAndVerify(s, *f, folder_ / f->fileName);
            quiet.emplace_back(f->word);
        } catch (const InputError&) {  // as it should be
        }
    }
    setrlimit(RLIMIT_FSIZE, &was);
    std::signal(SIGXFSZ, before);
    EXPECT_TRUE(quiet.empty()) << quiet.front();
    for (const ExportFormat* f : exportFormats()) EXPECT_EQ(readFile(folder_ / f->fileName), "before") << f->word;
    for (const auto& entry : fs::directory_iterator(folder_)) EXPECT_LE(entry.file_size(), 4096U) << entry.path();
    EXPECT_LE(std::distance(fs::directory_iterator(folder_), fs::directory_iterator()),
              long(exportFormats().size()) + 3)
        << "only whole files of less than the limit may be new";
}

// Against Eigen's own composition of turns about axes.
TEST(Euler, SixOrdersAndGimbalLock) {
    const auto about = [](double angle, int axis) {
        return Eigen::AngleAxisd(angle, Eigen::Vector3d::Unit(axis)).toRotationMatrix();
    };
    for (const char* order : eulerOrders) {
        const int i = order[0] - 'X', j = order[1] - 'X', k = order[2] - 'X';
        for (double a = -3; a <= 3; a += 0.7)
            for (double b = -1.5; b <= 1.5; b += 0.3)
                for (double c = -3; c <= 3; c += 0.7) {
                    Eigen::Vector3d angles;
                    angles[i] = a, angles[j] = b, angles[k] = c;
                    const Eigen::Matrix3d r = about(c, k) * about(b, j) * about(a, i);
                    EXPECT_LT((rotationFromEuler(angles, order).toRotationMatrix() - r).norm(), 1e-12) << order;
                    EXPECT_LT((eulerFrom(Eigen::Quaterniond(r), order) - angles).norm(), 1e-11) << order;
                }
        // Gimbal lock: the last turn is 0, and the rotation is the same.
        for (const double b : {std::numbers::pi / 2, -std::numbers::pi / 2}) {
            Eigen::Vector3d angles;
            angles[i] = 0.4, angles[j] = b, angles[k] = -0.9;
            const Eigen::Quaterniond q = rotationFromEuler(angles, order);
            const Eigen::Vector3d got = eulerFrom(q, order);
            EXPECT_LT(rotationFromEuler(got, order).angularDistance(q), 1e-7) << order;
        }
    }
    EXPECT_FALSE(isEulerOrder("XYX"));
}

TEST(Rates, DecimalsAreWhatTheTradeMeans) {
    EXPECT_EQ(*rateFrom(23.976), (Rational{24000, 1001}));
    EXPECT_EQ(*rateFrom(29.97), (Rational{30000, 1001}));
    EXPECT_EQ(*rateFrom(59.94), (Rational{60000, 1001}));
    EXPECT_EQ(*rateFrom(24000 / 1001.0), (Rational{24000, 1001}));
    EXPECT_EQ(*rateFrom(25.0000001), (Rational{25, 1}));
    EXPECT_EQ(*rateFrom(12.5), (Rational{25, 2}));
    EXPECT_FALSE(rateFrom(0));
    EXPECT_FALSE(rateFrom(-24));
}

}  // namespace
}  // namespace va
