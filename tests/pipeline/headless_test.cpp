// SPDX-License-Identifier: GPL-3.0-or-later
// The shell program as a render queue runs it: exit codes, files, JSON, no display.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "media/picture_file.h"
#include "shot/shot_file.h"
#include "workflow/track_shot.h"

namespace va {
namespace {

namespace fs = std::filesystem;
const std::string data = std::string(VA_SOURCE_DIR) + "/demo/data/";

class Headless : public ::testing::Test {
  protected:
    void SetUp() override {
        unsetenv("DISPLAY");
        unsetenv("WAYLAND_DISPLAY");
        folder_ = fs::temp_directory_path() / ("va-headless-" + std::to_string(getpid()));
        fs::create_directories(folder_);
    }
    void TearDown() override { fs::remove_all(folder_); }
    struct Run {
        int code = 0;
        std::string out, err;
    };
    Run vanchor(const std::string& arguments) const {
        const std::string command = std::string(VA_VANCHOR) + " " + arguments + " >" + (folder_ / "out").string() +
                                    " 2>" + (folder_ / "err").string();
        const int status = std::system(command.c_str());
        return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, readFile(folder_ / "out"), readFile(folder_ / "err")};
    }
    std::string clip(const std::string& name, const std::string& filter, int frames) const {
        const std::string file = (folder_ / name).string();
        EXPECT_EQ(std::system(("ffmpeg -v error -y " + filter + " -frames:v " + std::to_string(frames) +
                               " -c:v libx264 -pix_fmt yuv420p " + file)
                                  .c_str()),
                  0);
        return file;
    }
    fs::path folder_;
};

// A match that finds no camera must not stand beside the camera of another.
TEST_F(Headless, AnEarlierCameraIsSetAsideWhereNoneIsFound) {
    const fs::path out = folder_ / "run", grey = folder_ / "grey.mp4";
    ASSERT_EQ(vanchor("match '" + data + "jib' --out " + out.string()).code, 0);
    ASSERT_TRUE(fs::exists(out / "camera.json"));
    ASSERT_EQ(
        std::system(("ffmpeg -v error -y -f lavfi -i color=gray:s=320x180 -frames:v 12 " + grey.string()).c_str()), 0);
    const Run none = vanchor("match " + grey.string() + " --out " + out.string());
    EXPECT_EQ(none.code, 4);
    EXPECT_NE(none.err.find("camera.json~"), std::string::npos) << none.err;
    EXPECT_TRUE(fs::exists(out / "shot.vanchor"));
    for (const char* name : {"camera.json", "camera.usda", "cloud.ply"}) {
        EXPECT_FALSE(fs::exists(out / name)) << name;
        EXPECT_TRUE(fs::exists(out / (std::string(name) + "~"))) << name;
    }
}

// The library that reads stills brings two hundred others along, which take longer to load than the rest of the
// program: only stills bring it in. Without it movies are read as ever, and stills say what is missing.
TEST_F(Headless, OnlyStillsBringTheirLibraryIn) {
    const fs::path alone = folder_ / "vanchor";
    fs::copy_file(VA_VANCHOR, alone);
    const auto run = [&](const std::string& before, const std::string& arguments) {
        const std::string command = before + " " + alone.string() + " " + arguments + " >" +
                                    (folder_ / "out").string() + " 2>" + (folder_ / "err").string();
        const int status = std::system(command.c_str());
        return Run{WIFEXITED(status) ? WEXITSTATUS(status) : -1, readFile(folder_ / "out"), readFile(folder_ / "err")};
    };
    // What the loader would load (ld.so(8)).
    const Run loaded = run("LD_TRACE_LOADED_OBJECTS=1", "");
    EXPECT_NE(loaded.out.find("libavformat"), std::string::npos) << loaded.out;
    EXPECT_EQ(loaded.out.find("libOpenImageIO"), std::string::npos) << loaded.out;
    EXPECT_EQ(run("", "info '" + data + "quay/quay.mp4'").code, 0);
    const Run still = run("", "info '" + data + "jib'");
    EXPECT_EQ(still.code, 3);
    EXPECT_NE(still.err.find("va-pictures.so"), std::string::npos) << still.err;
    EXPECT_NE(still.err.find("Install the program anew"), std::string::npos) << still.err;
    EXPECT_EQ(still.err.find("damaged"), std::string::npos) << still.err;
}

// Out in several formats, checked by its manifest, converted on, compared: as a render queue would.
TEST_F(Headless, ScenesGoOutAndComeIn) {
    const std::string out = (folder_ / "jib").string();
    ASSERT_EQ(vanchor("match '" + data + "jib' --fps 24000/1001 --out " + out).code, 0);
    const auto in = [&](const std::string& name) { return "'" + (folder_ / name).string() + "'"; };
    const Run all =
        vanchor("export " + out + "/shot.vanchor --format json,usda,usdz,glb,dae,opentrackio,csv,ply,obj,stmap --out " +
                in("all"));
    EXPECT_EQ(all.code, 0) << all.out << all.err;
    EXPECT_NE(all.out.find("23.976 fps (24000/1001)"), std::string::npos) << all.out;
    EXPECT_TRUE(fs::exists(folder_ / "all/manifest.json") && fs::exists(folder_ / "all/README.txt"));
    EXPECT_EQ(vanchor("verify " + in("all")).code, 0);
    // sha256sum of coreutils agrees with the manifest.
    const auto manifest = nlohmann::json::parse(readFile(folder_ / "all/manifest.json"));
    for (const auto& f : manifest.at("files"))
        EXPECT_EQ(
            std::system(("echo '" + f.at("sha256").get<std::string>() + "  " +
                         (folder_ / "all" / f.at("name").get<std::string>()).string() + "' | sha256sum -c --status")
                            .c_str()),
            0)
            << f.at("name");
    // On through all that carry a camera, in another axis, unit and number, and back.
    ASSERT_EQ(vanchor("convert " + in("all/camera.usdz") + " " + in("a.glb")).code, 0);
    ASSERT_EQ(vanchor("convert " + in("a.glb") + " " + in("b.dae") + " --up z --units cm --in-units m --first 1").code,
              0);
    ASSERT_EQ(vanchor("convert " + in("b.dae") + " " + in("c.csv")).code, 0);
    ASSERT_EQ(vanchor("convert " + in("c.csv") + " " + in("d.opentrackio.json") + " --first 1001").code, 0);
    const Run compared = vanchor("compare " + in("all/camera.json") + " " + in("d.opentrackio.json") + " --table");
    EXPECT_EQ(compared.code, 0) << compared.err;
    double rms = 1, largest = 1;
    const auto colon = compared.out.find("common: ");
    ASSERT_NE(colon, std::string::npos) << compared.out;
    ASSERT_EQ(std::sscanf(compared.out.c_str() + colon, "common: %lf px RMS, at most %lf px", &rms, &largest), 2)
        << compared.out;
    EXPECT_LE(largest, 0.01);
    // Another rate for the same frames.
    ASSERT_EQ(vanchor("convert " + in("a.glb") + " " + in("e.usda") + " --rate 25").code, 0);
    EXPECT_NE(readFile(folder_ / "e.usda").find("frameRateNum = 25"), std::string::npos);
    // A changed file is found.
    writeFileAtomically(folder_ / "all/camera.dae", readFile(folder_ / "all/camera.dae") + " ");
    EXPECT_EQ(vanchor("verify " + in("all")).code, 5);
    for (const auto& [words, code, said] :
         {std::tuple("export " + out + "/shot.vanchor --format nonsense --out " + in("x"), 2, "nonsense"),
          {"export " + out + "/shot.vanchor --format usda --out /nowhere/there/x.usda", 3, "x.usda"},
          {"export " + out + "/shot.vanchor --format usda --layered --out " + in("x.usda"), 3, "layer"},
          {"export " + out + "/shot.vanchor --format usda --first one --out " + in("x.usda"), 2, "--first"},
          {"convert " + in("all/cloud.ply") + " " + in("x.usda"), 3, "not read"},
          {"convert " + in("none.usda") + " " + in("x.usda"), 3, "no file"},
          {"convert " + in("a.glb") + " " + in("x.txt"), 3, "no ending"},
          {"compare " + in("a.glb") + " " + in("all/camera.json") + " --plate 5", 2, "--plate"},
          {std::string("verify /tmp/nowhere"), 3, "manifest"}}) {
        const Run wrong = vanchor(words);
        EXPECT_EQ(wrong.code, code) << words << wrong.err;
        EXPECT_NE(wrong.err.find(said), std::string::npos) << words << ": " << wrong.err;
    }
    EXPECT_FALSE(fs::exists(folder_ / "x.usda"));
}

TEST_F(Headless, ThingsAreLaidOut) {
    const std::string out = (folder_ / "slipway").string(), project = out + "/slipway.vanchor";
    ASSERT_EQ(vanchor("match '" + data + "slipway/slipway.mp4' --out " + out).code, 0);
    std::string file = project;
    for (const auto& e : fs::directory_iterator(out))
        if (e.path().extension() == ".vanchor") file = e.path().string();
    const auto add = [&](const std::string& words) { return vanchor("layout '" + file + "' " + words); };
    EXPECT_EQ(add("--add prop:post --at frame:1060,998,619 --name post").code, 0);
    EXPECT_EQ(add("--add 'label:SLIP 4' --at frame:1060,118,310 --name sign").code, 0);
    EXPECT_EQ(add("--add prop:box --at ground:0.5,0,-1 --size 0.4,0.5,0.6").code, 0);
    const Shot laid = readShot(file);
    ASSERT_EQ(laid.things.size(), 3U);
    EXPECT_EQ(laid.things[0].hang.on, Hang::On::surface);
    EXPECT_EQ(std::get<Label>(laid.things[1].kind).words, "SLIP 4");
    EXPECT_EQ(std::get<Box>(laid.things[2].kind).height, 0.5);
    EXPECT_EQ(laid.things[2].position, Eigen::Vector3d(0.5, 0, -1));
    const int feature = laid.solve->points[10].pathId;
    EXPECT_EQ(add("--add anchor --at feature:" + std::to_string(feature) + " --name mark").code, 0);
    // Another thing's place, as text.
    writeFileAtomically(folder_ / "place.txt", "position 1 2 3\nscale 2\n");
    EXPECT_EQ(add("--paste '" + (folder_ / "place.txt").string() + "' --name box").code, 0);
    const Shot pasted = readShot(file);
    EXPECT_EQ(pasted.things[2].position, Eigen::Vector3d(1, 2, 3));
    EXPECT_EQ(pasted.things[2].scale, 2);
    const Run list = add("--list");
    EXPECT_EQ(list.code, 0);
    EXPECT_NE(list.out.find("sign"), std::string::npos);
    EXPECT_NE(list.out.find("feature " + std::to_string(feature)), std::string::npos) << list.out;
    // What can't be, in a sentence; the project stays as it is.
    for (const auto& [words, code, said] : {std::tuple("--add prop:barnacle --at ground:0,0,0", 2, "no prop"),
                                            {"--add prop:box", 2, "--at"},
                                            {"--add prop:box --at feature:999999", 3, "not solved"},
                                            {"--add prop:box --at nowhere", 3, "no place"},
                                            {"--add mesh:/nowhere/crate.obj --at ground:0,0,0", 3, "not there"},
                                            {"--add 'label: ' --at ground:0,0,0", 3, "no text"},
                                            {"--add prop:box --at ground:0,0,0 --name sign", 3, "already"},
                                            {"--add prop:box --at ground:0,0,0 --size 1,-2,3", 2, "Height"}}) {
        const Run wrong = add(words);
        EXPECT_EQ(wrong.code, code) << words << wrong.err;
        EXPECT_NE(wrong.err.find(said), std::string::npos) << words << wrong.err;
    }
    EXPECT_EQ(readShot(file).things.size(), 4U);
    // They leave with the camera.
    EXPECT_EQ(vanchor("export '" + file + "' --format usda --out " + out + "/scene.usda").code, 0);
    EXPECT_NE(readFile(out + "/scene.usda").find("def Xform \"sign\""), std::string::npos);
}

// A proof as stills with passes, as a movie, and taken up again after it was stopped.
TEST_F(Headless, AProofIsRendered) {
    const std::string out = (folder_ / "jib").string(), shot = out + "/shot.vanchor";
    ASSERT_EQ(vanchor("match '" + data + "jib' --fps 24000/1001 --out " + out).code, 0);
    const Run none = vanchor("proof " + shot + " --out " + out + "/none");
    EXPECT_EQ(none.code, 3);
    EXPECT_NE(none.err.find("Nothing is laid out"), std::string::npos) << none.err;
    ASSERT_EQ(vanchor("layout " + shot + " --add prop:box --at frame:1020,320,260").code, 0);
    const auto info = nlohmann::json::parse(readFile(out + "/camera.json"));
    const std::string stills = out + "/stills";
    const Run exr = vanchor("proof " + shot +
                            " --range 1010-1012 --samples 4 --format exr --bits 32 --insert-only "
                            "--overscan 0.05 --passes shadow,reflection,occlusion,depth,position,motion,masks --out " +
                            stills);
    ASSERT_EQ(exr.code, 0) << exr.err;
    int files = 0;
    fs::path first;
    for (const auto& e : fs::directory_iterator(stills)) {
        EXPECT_EQ(e.path().extension(), ".exr") << e.path();
        if (first.empty() || e.path() < first) first = e.path();
        ++files;
    }
    EXPECT_EQ(files, 3);
    // Read by OpenImageIO's own tool-less reader: channels by name, the plate as the display window.
    const auto in = OIIO::ImageInput::open(first.string());
    ASSERT_TRUE(in) << OIIO::geterror();
    const OIIO::ImageSpec& spec = in->spec();
    EXPECT_EQ(spec.full_width, 640);
    EXPECT_EQ(spec.width, 640 + 2 * 32);
    EXPECT_EQ(spec.x, -32);
    std::vector<float> all(size_t(spec.width) * size_t(spec.height) * size_t(spec.nchannels));
    ASSERT_TRUE(in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, all.data()));
    for (const float v : all) ASSERT_TRUE(std::isfinite(v));
    const auto channel = [&](const char* name) {
        const int c = spec.channelindex(name);
        EXPECT_GE(c, 0) << name;
        std::vector<float> values;
        for (size_t i = size_t(std::max(0, c)); i < all.size(); i += size_t(spec.nchannels)) values.push_back(all[i]);
        return values;
    };
    const auto alpha = channel("A"), depth = channel("depth.Z"), mask = channel("mask.box"),
               shadow = channel("shadow.R");
    int covered = 0, dark = 0;
    for (size_t i = 0; i < alpha.size(); ++i) {
        if (mask[i] > 0.999F) {
            EXPECT_GT(alpha[i], 0.99F);
            EXPECT_GT(depth[i], 0);
            ++covered;
        }
        dark += shadow[i] < 0.8F;
    }
    EXPECT_GT(covered, 200);
    EXPECT_GT(dark, 50);
    for (const char* name : {"R", "reflection.A", "occlusion.Y", "position.X", "motion.U"}) (void)channel(name);
    // One processor gives the same bytes as two.
    for (const char* cpus : {"0", "0,1"})
        ASSERT_EQ(std::system(("taskset -c " + std::string(cpus) + " " + VA_VANCHOR + " proof " + shot +
                               " --range 1015 --samples 6 --out " + out + "/cpu" + std::to_string(strlen(cpus)) +
                               " >/dev/null 2>&1")
                                  .c_str()),
                  0);
    const auto only = [&](const std::string& where) { return readFile(fs::directory_iterator(where)->path()); };
    EXPECT_TRUE(only(out + "/cpu1") == only(out + "/cpu3"));
    // The movie has the range's frames, the plate's rate and size (ffprobe).
    const Run movie = vanchor("proof " + shot + " --range 1005-1014 --samples 1 --out " + out + "/p.mp4");
    ASSERT_EQ(movie.code, 0) << movie.err;
    EXPECT_FALSE(fs::exists(out + "/p.mp4.frames")) << "its stills go when it is whole";
    ASSERT_EQ(std::system(("ffprobe -v error -count_frames -select_streams v -show_entries "
                           "stream=nb_read_frames,r_frame_rate,width,height -of csv=p=0 " +
                           out + "/p.mp4 > " + out + "/probe")
                              .c_str()),
              0);
    EXPECT_EQ(readFile(out + "/probe"), "640,360,24000/1001,10\n");
    // One that was stopped leaves whole stills; the next run goes on from them, and a change begins anew.
    const std::string again = out + "/again";
    const int stopped = std::system(("sh -c '" + std::string(VA_VANCHOR) + " proof " + shot + " --samples 64 --out " +
                                     again + " >/dev/null 2>&1 & p=$!; while ! ls " + again +
                                     "/*.png >/dev/null 2>&1; do sleep 0.05; done; " + "kill -TERM $p; wait $p'")
                                        .c_str());
    EXPECT_EQ(WEXITSTATUS(stopped), 130);
    int kept = 0;
    for (const auto& e : fs::directory_iterator(again)) kept += e.path().extension() == ".png";
    ASSERT_GT(kept, 0);
    ASSERT_LT(kept, 40);
    const Run more =
        vanchor("proof " + shot + " --samples 64 --out " + again + " --range 1001-" + std::to_string(1000 + kept));
    EXPECT_EQ(more.code, 0) << more.err;
    EXPECT_NE(more.out.find(std::to_string(kept) + " were there from before"), std::string::npos) << more.out;
    EXPECT_EQ(vanchor("proof " + shot + " --bits 12 --out " + again).code, 3);
    EXPECT_EQ(vanchor("proof " + shot + " --sun 0,-1,0 --out " + again).code, 3) << "below the horizon";
    EXPECT_EQ(vanchor("proof " + shot + " --set look/f_number=2.8 --out " + again).code, 3) << "no scale";
    EXPECT_EQ(vanchor("proof " + shot + " --range 1-5 --out " + again).code, 3) << "outside of the plate";
    EXPECT_EQ(vanchor("proof " + shot + " --set sun/strength=-1 --out " + again).code, 2);
    EXPECT_EQ(vanchor("proof " + shot + " --passes glitter --format exr --out " + again).code, 3);
    EXPECT_EQ(vanchor("proof " + shot + " --passes depth --out " + again).code, 3) << "PNG holds none";
}

TEST_F(Headless, StillsGiveDepthToAPan) {
    const std::string out = (folder_ / "mast").string();
    const Run r = vanchor("match '" + data + "mast-top/mast-top.mp4' --stills '" + data +
                          "mast-top-stills/*.jpg' --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    const auto j = nlohmann::json::parse(r.out);
    EXPECT_EQ(j["motion"], "rotation");
    EXPECT_GT(j["points"], 100);
    ASSERT_EQ(j["reference_stills"].size(), 2U);
    const auto camera = nlohmann::json::parse(readFile(fs::path(out) / "camera.json"));
    ASSERT_EQ(camera["reference_stills"].size(), 2U);
    EXPECT_NEAR(camera["reference_stills"][0]["focal_px"].get<double>(), 866.7, 10);
    const Run none = vanchor("match '" + data + "mast-top/mast-top.mp4' --stills '" + (folder_ / "no*.jpg").string() +
                             "' --out " + out);
    EXPECT_EQ(none.code, 2) << none.err;
    EXPECT_NE(none.err.find("there is no file"), std::string::npos) << none.err;
}

TEST_F(Headless, StillsThatDoNotJoinAreNamed) {
    const Run r = vanchor("match '" + data + "jib' --stills '" + data + "lens-chart/lens-chart.01.jpg' --out " +
                          (folder_ / "jib").string());
    EXPECT_EQ(r.code, 0) << r.err;
    EXPECT_NE(r.out.find("lens-chart.01: "), std::string::npos) << r.out;
    EXPECT_NE(r.out.find("too few"), std::string::npos) << r.out;
}

// One number far from all others is a slip of the pen: the rest is matched, and what was left out is named.
TEST_F(Headless, FramesThatAreLeftOutAreNamed) {
    fs::create_directories(folder_ / "yard");
    for (const int f : {1011, 1012, 1013, 1014, 1015, 1016, 1017, 1018})
        fs::copy(data + "jib/jib." + std::to_string(f) + ".jpg", folder_ / "yard");
    fs::copy(data + "jib/jib.1019.jpg", folder_ / "yard/jib.999999999.jpg");
    const Run r = vanchor("match " + (folder_ / "yard").string() + " --out " + (folder_ / "out").string() + "-run");
    EXPECT_NE(r.out.find("jib.999999999.jpg"), std::string::npos) << r.out << r.err;
    EXPECT_NE(r.out.find("left out"), std::string::npos) << r.out;
}

TEST_F(Headless, MatchWritesAllFilesAndExportsAgain) {
    const std::string out = (folder_ / "deep" / "er").string();
    const Run r = vanchor("match '" + data + "jib/jib.####.jpg' --fps 25 --seed 3 --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    const auto j = nlohmann::json::parse(r.out);
    EXPECT_EQ(j["motion"], "free");
    EXPECT_EQ(j["solved"], 40);
    EXPECT_GT(j["lens_sigma"]["focal"], 0.0) << "how sure, in px";
    EXPECT_LT(j["lens_sigma"]["focal"], 0.02 * double(j["focal_px"]));
    EXPECT_EQ(j["files"].size(), 3U);
    for (const auto& f : j["files"]) EXPECT_TRUE(f["verified"]);
    // Progress: one JSON object a line, with stage and counts.
    std::istringstream lines(r.err);
    std::string line;
    bool tracked = false;
    while (std::getline(lines, line)) {
        const auto p = nlohmann::json::parse(line);
        tracked = tracked || (p["stage"] == "Tracking features" && p["total"] == 40);
    }
    EXPECT_TRUE(tracked);
    const auto camera = nlohmann::json::parse(readFile(out + "/camera.json"));
    EXPECT_EQ(camera["format"], "vivid-anchor-camera");
    EXPECT_EQ(camera["frame_rate"]["num"], 25);
    EXPECT_EQ(camera["frames"][0]["frame"], 1001);
    EXPECT_EQ(camera["units"], "scene");
    EXPECT_EQ(camera["frames"].size(), 40U);
    EXPECT_EQ(readShot(out + "/shot.vanchor").rate(), (Rational{25, 1}));
    for (const char* format : {"json", "usda", "ply"}) {
        const Run e =
            vanchor("export " + out + "/shot.vanchor --format " + format + " --out " + out + "/again." + format);
        EXPECT_EQ(e.code, 0) << e.err;
        EXPECT_NE(e.out.find("read back"), std::string::npos);
    }
    EXPECT_EQ(readFile(out + "/again.json"), readFile(out + "/camera.json"));
}

TEST_F(Headless, KindOfMoveZoomAndMovers) {
    const std::string out = (folder_ / "out-move").string(), jib = data + "jib";
    Run r = vanchor("match " + jib + " --move rotation --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    EXPECT_EQ(nlohmann::json::parse(r.out)["motion"], "rotation");
    r = vanchor("match " + jib + " --zoom yes --movers --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    const auto j = nlohmann::json::parse(r.out);
    EXPECT_EQ(j["zooms"], true);
    EXPECT_TRUE(j["movers"].empty()) << "nothing moves by itself there";
    EXPECT_EQ(vanchor("match " + jib + " --move sideways --out " + out).code, 2);
    EXPECT_EQ(readShot(fs::path(out) / "shot.vanchor").choices.zoom, ZoomChoice::zooms);
}

TEST_F(Headless, RefinementRowsCheckPointsAndPathEdits) {
    const std::string out = (folder_ / "out-options").string(), jib = data + "jib";
    Run r = vanchor("match " + jib +
                    " --readout solve --refine --smooth 1010-1016:1.5 --leave-out 1030-1030 --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    auto j = nlohmann::json::parse(r.out);
    EXPECT_TRUE(j["readout_sigma"].is_number());
    EXPECT_NE(j["refine_report"].get<std::string>().find("check"), std::string::npos);
    EXPECT_GT(j["expected_slip_px"].get<double>(), 0);
    EXPECT_NE(j["verdict"].get<std::string>().find("filled by interpolation: 1030"), std::string::npos);
    const auto camera = nlohmann::json::parse(readFile(fs::path(out) / "camera.json"));
    EXPECT_EQ(camera["frames"][29]["origin"], "filled");
    EXPECT_EQ(camera["frames"][12]["origin"], "smoothed");
    EXPECT_FALSE(camera["frames"][20].contains("origin"));
    EXPECT_EQ(camera["rolling_shutter"]["pose_row"], 0.5);
    EXPECT_EQ(camera["verdict"], j["verdict"]);

    // A distance between two features that lie where the solve has some.
    const Shot shot = readShot(fs::path(out) / "shot.vanchor");
    std::vector<const PathPoint*> at;
    for (const SolvedPoint& p : shot.solve->points)
        if (const PathPoint* q = shot.path(p.pathId)->at(1020); q && !p.heldBack && p.observations > 30)
            at.push_back(q);
    ASSERT_GT(at.size(), 4U);
    const auto place = [](const PathPoint* p) { return nlohmann::json{{"frame", 1020}, {"x", p->x}, {"y", p->y}}; };
    const nlohmann::json list{{{"name", "keel"},
                               {"kind", "distance"},
                               {"features", {place(at.front()), place(at.back())}},
                               {"length", 2.75}}};
    writeFileAtomically(folder_ / "known.json", list.dump());
    const std::string known = (folder_ / "known.json").string();
    r = vanchor("match " + jib + " --check-points " + known + " --json --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    j = nlohmann::json::parse(r.out);
    ASSERT_EQ(j["check_points"].size(), 1U);
    EXPECT_LT(j["check_points"][0]["off"].get<double>(), 0.01);
    const auto scaled = nlohmann::json::parse(readFile(fs::path(out) / "camera.json"));
    EXPECT_EQ(scaled["units"], "m");
    EXPECT_EQ(scaled["check_points"][0]["name"], "keel");

    writeFileAtomically(folder_ / "known.json", R"([{"name": "x", "kind": "distance", "features": [1]}])");
    r = vanchor("match " + jib + " --check-points " + known + " --out " + out);
    EXPECT_EQ(r.code, 3);
    EXPECT_NE(r.err.find("entry 1"), std::string::npos) << r.err;
    EXPECT_EQ(vanchor("match " + jib + " --readout soon --out " + out).code, 2);
    EXPECT_EQ(vanchor("match " + jib + " --smooth 1010-1016:0 --out " + out).code, 2);
}

TEST_F(Headless, KnownLensIsUsed) {
    writeFileAtomically(folder_ / "lens.json", R"({"k1": -0.03, "k2": 0})");
    const Run r = vanchor("match " + data + "jib --sensor-width 36 --focal 32 --distortion " +
                          (folder_ / "lens.json").string() + " --json --out " + folder_.string());
    ASSERT_EQ(r.code, 0) << r.err;
    const auto j = nlohmann::json::parse(r.out);
    EXPECT_NEAR(j["focal_px"].get<double>(), 32.0 / 36 * 640, 1e-9);
    EXPECT_EQ(j["k1"], -0.03);
}

TEST_F(Headless, MasksAndPixelAspectReachTheSolve) {
    const std::string matte = (folder_ / "matte.png").string();
    ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i color=black:s=640x360 -vf "
                           "drawbox=w=200:h=360:color=white:t=fill -frames:v 1 " +
                           matte)
                              .c_str()),
              0);
    const Run r = vanchor("match " + data + "jib --range 1001-1020 --mask " + matte + " --pixel-aspect 2 --out " +
                          folder_.string());
    ASSERT_TRUE(r.code == 0 || r.code == 4) << r.err;
    const Shot shot = readShot(folder_ / "shot.vanchor");
    EXPECT_EQ(shot.exclusions.matte.spec, matte);
    EXPECT_EQ(shot.pixelAspect(), 2.0);
    for (const Path& p : *shot.paths)
        for (const PathPoint& q : p.points) EXPECT_GE(q.x, 199);
    EXPECT_EQ(vanchor("match " + data + "jib --mask /nowhere/matte.####.png --out " + folder_.string()).code, 3);
}

TEST_F(Headless, SameSeedSameFile) {
    for (const char* name : {"a", "b"})
        ASSERT_EQ(vanchor("match " + data + "jib --range 1005-1025 --seed 5 --out " + (folder_ / name).string()).code,
                  0);
    EXPECT_EQ(readFile(folder_ / "a" / "camera.json"), readFile(folder_ / "b" / "camera.json"));
}

TEST_F(Headless, UsageErrorsAreTwo) {
    EXPECT_EQ(vanchor("").code, 2);
    EXPECT_EQ(vanchor("match").code, 2);
    EXPECT_EQ(vanchor("polish " + data).code, 2);
    EXPECT_EQ(vanchor("match " + data + "jib").code, 2) << "no --out";
    EXPECT_EQ(vanchor("export x --format gif --out y").code, 2);
    EXPECT_EQ(vanchor("--help").code, 0);
    for (const char* bad : {"--range 5", "--range 20-10", "--focal long", "--focal 30", "--fps fast"})
        EXPECT_EQ(vanchor("match " + data + "jib " + bad + " --out " + folder_.string()).code, 2) << bad;
}

TEST_F(Headless, InputErrorsAreThreeWithASentence) {
    Run r = vanchor("match /nowhere/clip.mp4 --out " + folder_.string());
    EXPECT_EQ(r.code, 3);
    EXPECT_NE(r.err.find("/nowhere/clip.mp4"), std::string::npos);
    r = vanchor("match " + data + "jib --range 5000-5010 --out " + folder_.string());
    EXPECT_EQ(r.code, 3);
    EXPECT_NE(r.err.find("outside"), std::string::npos);
    EXPECT_EQ(vanchor("info " + data + "jib/jib.truth.json").code, 3);
    EXPECT_EQ(vanchor("export /nowhere.vanchor --format ply --out x.ply").code, 3);
    EXPECT_EQ(vanchor("match " + data + "jib --out /proc/no").code, 3);
    EXPECT_EQ(vanchor("match " + data + "jib --distortion " + data + "jib/jib.1001.jpg --out " + folder_.string()).code,
              3);
}

TEST_F(Headless, TrackWritesPathsThatMatchReadsBack) {
    const std::string csv = (folder_ / "paths.csv").string();
    const Run few = vanchor("track " + data + "jib --range 1001-1020 --density few --json --out " + csv);
    ASSERT_EQ(few.code, 0) << few.err;
    const auto j = nlohmann::json::parse(few.out);
    EXPECT_TRUE(j["cuts"].empty());
    EXPECT_GT(j["paths"].get<int>(), 60);
    const std::string text = readFile(csv);
    EXPECT_NE(text.substr(0, 80).find("\npath,name,by_hand,set_aside,fra"), std::string::npos) << text.substr(0, 80);
    const Run many =
        vanchor("track " + data + "jib --range 1001-1020 --density many --json --out " + (folder_ / "p.json").string());
    ASSERT_EQ(many.code, 0) << many.err;
    EXPECT_GT(nlohmann::json::parse(many.out)["points"].get<int>(), 2 * j["points"].get<int>());
    // Given paths are kept beside the program's own.
    const Run match = vanchor("match " + data + "jib --range 1001-1020 --density few --paths " + csv +
                              " --json --out " + (folder_ / "m").string());
    ASSERT_EQ(match.code, 0) << match.err;
    EXPECT_GT(nlohmann::json::parse(match.out)["paths"].get<int>(), j["paths"].get<int>());
    const Run bad = vanchor("track " + data + "jib --out " + (folder_ / "p.txt").string());
    EXPECT_EQ(bad.code, 2);
    writeFileAtomically(folder_ / "bad.csv", "path,frame\n1,2\n");
    const Run broken = vanchor("match " + data + "jib --paths " + (folder_ / "bad.csv").string() + " --out " +
                               (folder_ / "n").string());
    EXPECT_EQ(broken.code, 3);
    EXPECT_NE(broken.err.find("bad.csv"), std::string::npos) << broken.err;
}

TEST_F(Headless, MaskShapesOfAProjectKeepFeaturesOut) {
    Shot masks;
    MaskShape m;
    m.id = 1;
    const Eigen::Vector2d none = Eigen::Vector2d::Zero();
    m.setPoints(1001,
                {{{-5, -5}, none, none}, {{320, -5}, none, none}, {{320, 400}, none, none}, {{-5, 400}, none, none}});
    masks.plateSpec = data + "jib";
    masks.exclusions.masks = {m};
    writeShot(masks, folder_ / "masks.vanchor");
    const std::string out = (folder_ / "p.vanchor").string();
    const Run r = vanchor("track " + data + "jib --range 1001-1006 --masks-from " +
                          (folder_ / "masks.vanchor").string() + " --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    const Shot shot = readShot(out);
    ASSERT_GT(shot.paths->size(), 30U);
    for (const Path& p : *shot.paths)
        for (const PathPoint& q : p.points) EXPECT_GT(q.x, 320);
    EXPECT_EQ(shot.exclusions.masks.size(), 1U);
    EXPECT_EQ(trackWorkFor(shot), TrackWork::none) << "the project knows what it was tracked with";
}

TEST_F(Headless, CutsRepeatsAndWovenFieldsAreNamed) {
    const std::string slipway = data + "slipway/slipway.mp4", boardwalk = data + "boardwalk/boardwalk.mp4";
    const std::string cut = clip("cut.mp4",
                                 "-i " + slipway + " -i " + boardwalk +
                                     " -filter_complex "
                                     "'[0]trim=end_frame=12,scale=640:360[a];[1]trim=end_frame=12,scale=640:360,setpts="
                                     "PTS-STARTPTS[b];[a][b]concat'",
                                 24);
    auto track = [&](const std::string& file) {
        const Run r = vanchor("track " + file + " --json --out " + (folder_ / "x.csv").string());
        EXPECT_EQ(r.code, 0) << r.err;
        return nlohmann::json::parse(r.out);
    };
    auto j = track(cut);
    EXPECT_EQ(j["cuts"], nlohmann::json::array({1013}));
    // Half of the frames belong to another scene: a camera for one half, or none, but never a crash.
    const Run matched = vanchor("match " + cut + " --out " + (folder_ / "c").string());
    EXPECT_TRUE(matched.code == 0 || matched.code == 4) << matched.code << matched.err;
    EXPECT_NE(matched.out.find("cut"), std::string::npos) << matched.out;
    // 15 frames a second shown at 30: every second picture is a repeat.
    const std::string repeated = clip("repeat.mp4", "-i " + boardwalk + " -vf 'fps=12.5,fps=25' -crf 12", 24);
    EXPECT_GE(track(repeated)["duplicates"].size(), 8U);
    const std::string woven =
        clip("woven.mp4", "-i " + boardwalk + " -vf 'scale=640:360,tinterlace=interleave_top' -crf 12", 24);
    EXPECT_TRUE(track(woven)["interlaced"].get<bool>());
}

TEST_F(Headless, NoSolveIsFourWithTheVerdict) {
    struct Case {
        const char *name, *filter;
        int frames;
        const char* says;
    };
    const std::string still = "-loop 1 -i " + data + "jib/jib.1001.jpg -r 25";
    const Case cases[] = {{"black.mp4", "-f lavfi -i color=black:s=640x360:r=25", 20, "Too few features"},
                          {"static.mp4", still.c_str(), 20, "Locked-off camera"},
                          {"one.mp4", "-f lavfi -i color=gray:s=640x360:r=25", 1, "nothing to match"}};
    for (const Case& c : cases) {
        const Run r =
            vanchor("match " + clip(c.name, c.filter, c.frames) + " --out " + (folder_ / "out-none").string());
        EXPECT_EQ(r.code, 4) << c.name << r.err;
        EXPECT_NE(r.out.find(c.says), std::string::npos) << c.name << ": " << r.out;
        EXPECT_TRUE(fs::exists(folder_ / "out-none" / "shot.vanchor")) << "the paths are kept";
    }
}

TEST_F(Headless, ALockedOffCameraThatWasAskedForIsDone) {
    const std::string still = clip("still.mp4", "-loop 1 -i " + data + "jib/jib.1001.jpg -r 25", 20);
    const Run r = vanchor("match " + still + " --move fixed --out " + (folder_ / "fixed").string());
    EXPECT_EQ(r.code, 0) << r.out << r.err;
    EXPECT_TRUE(fs::exists(folder_ / "fixed" / "camera.json"));
}

TEST_F(Headless, RangesThatCantBeAreUsage) {
    for (const char* range :
         {"", "7", "1001-", "-", "a-b", "1001-1002x", "1010-1001", "99999999999-99999999999", "1001-99999999999"}) {
        const Run r = vanchor("match " + data + "jib --range '" + range + "' --out " + (folder_ / "r").string());
        EXPECT_EQ(r.code, 2) << range << r.err;
        EXPECT_NE(r.err.find("--range"), std::string::npos) << range << r.err;
    }
}

TEST_F(Headless, ThreeFramesSolveOrSayWhy) {
    const Run r = vanchor("match " + data + "jib --range 1001-1003 --json --out " + folder_.string());
    EXPECT_TRUE(r.code == 0 || r.code == 4) << r.code << r.err;
    EXPECT_FALSE(nlohmann::json::parse(r.out)["verdict"].get<std::string>().empty());
}

// The published chart set of tests/data, through the shell.
TEST_F(Headless, ALensGoesFromChartToUndistortedPlateAndMaps) {
    const std::string chart = std::string(VA_TEST_DATA) + "/chart", lens = (folder_ / "lens.json").string();
    const Run found = vanchor("lens from-chart " + chart + "/left0*.jpg --json --out " + lens);
    ASSERT_EQ(found.code, 0) << found.err;
    const auto j = nlohmann::json::parse(found.out);
    EXPECT_EQ(j.at("stills").size(), 9U);
    EXPECT_LT(j.at("rms_px").get<double>(), 0.3);
    EXPECT_NEAR(j.at("focal_px").get<double>(), 533, 5);
    const Run undistorted = vanchor("undistort " + chart + " --lens " + lens +
                                    " --overscan --format png --range 1-2 --out " + (folder_ / "undistorted").string());
    ASSERT_EQ(undistorted.code, 0) << undistorted.err;
    EXPECT_NE(undistorted.out.find("2 frames undistorted"), std::string::npos) << undistorted.out;
    const auto frame = nlohmann::json::parse(readFile(folder_ / "undistorted" / "undistorted_frame.json"));
    EXPECT_GT(frame.at("image").at("width").get<int>(), 640);
    EXPECT_TRUE(fs::exists(folder_ / "undistorted" / "undistorted.0001.png"));
    const std::string insert = (folder_ / "undistorted" / "undistorted.%04d.png").string();
    const Run distorted = vanchor("redistort '" + insert + "' --lens " + lens +
                                  " --overscan --size 640x480 --format exr --out " + (folder_ / "distorted").string());
    EXPECT_EQ(distorted.code, 0) << distorted.err;
    EXPECT_TRUE(fs::exists(folder_ / "distorted" / "distorted.0002.exr"));
    const Run maps = vanchor("stmap --lens " + lens + " --size 640x480 --out " + (folder_ / "maps").string());
    EXPECT_EQ(maps.code, 0) << maps.err;
    EXPECT_TRUE(fs::exists(folder_ / "maps" / "distort.exr"));

    // Wrong uses say what is wrong.
    const Run small = vanchor("redistort '" + insert + "' --lens " + lens + " --size 640x480 --out " +
                              (folder_ / "distorted").string());
    EXPECT_EQ(small.code, 3);
    EXPECT_NE(small.err.find("choose the other overscan"), std::string::npos) << small.err;
    const Run shape = vanchor("stmap --lens " + lens + " --size 1920x1080 --out " + (folder_ / "maps").string());
    EXPECT_EQ(shape.code, 3);
    EXPECT_NE(shape.err.find("another shape"), std::string::npos) << shape.err;
    const Run mixed =
        vanchor("lens from-chart " + chart + "/left01.jpg " + std::string(VA_TEST_DATA) + "/photos/home.jpg");
    EXPECT_EQ(mixed.code, 3);
    EXPECT_NE(mixed.err.find("one size"), std::string::npos) << mixed.err;
    const Run one = vanchor("lens from-chart " + chart + "/left01.jpg");
    EXPECT_EQ(one.code, 3);
    EXPECT_NE(one.err.find("two stills"), std::string::npos) << one.err;
}

// Nothing may depend on how the work was shared out: sums are taken in a fixed order.
TEST_F(Headless, OneProcessorAndTwoGiveTheSameBytes) {
    const std::string clip = std::string(VA_SOURCE_DIR) + "/demo/data/jib";
    ASSERT_EQ(vanchor("match " + clip + " --out " + (folder_ / "two").string()).code, 0);
    const std::string command = "taskset -c 0 " + std::string(VA_VANCHOR) + " match " + clip + " --out " +
                                (folder_ / "one").string() + " >/dev/null 2>&1";
    ASSERT_EQ(std::system(command.c_str()), 0);
    for (const char* file : {"camera.json", "camera.usda", "cloud.ply"})
        EXPECT_EQ(readFile(folder_ / "one" / file), readFile(folder_ / "two" / file)) << file;
}

TEST_F(Headless, ALensComesFromStraightEdges) {
    const std::string plate = data + "wide-yard/wide-yard.mp4", lens = (folder_ / "edges.json").string();
    const Run found = vanchor("lens from-lines " + plate + " --frame 1001 --focal-px 582 --json --out " + lens);
    ASSERT_EQ(found.code, 0) << found.err;
    const auto j = nlohmann::json::parse(found.out);
    EXPECT_GT(j.at("edges").size(), 20U);
    // The clip's truth: k1 = −0.22 for 582 px.
    EXPECT_NEAR(j.at("lens").at("k1").get<double>(), -0.22, 0.02);
    EXPECT_GT(j.at("map_sigma_px").get<double>(), 0);
    double before = 0, after = 0;
    for (const auto& e : j.at("edges"))
        if (e.at("used")) before += e.at("before_px").get<double>(), after += e.at("after_px").get<double>();
    EXPECT_LT(after, 0.5 * before);
    EXPECT_NEAR(nlohmann::json::parse(readFile(lens)).at("focal_px").get<double>(), 582, 1e-9);
    // Found without the focal length, it is a start value for the solve, and not taken for more.
    const std::string loose = (folder_ / "loose.json").string();
    ASSERT_EQ(vanchor("lens from-lines " + plate + " --frame 1001 --out " + loose).code, 0);
    EXPECT_TRUE(nlohmann::json::parse(readFile(loose)).at("focal_assumed").get<bool>());
    const Run solved = vanchor("match " + plate + " --range 1001-1030 --distortion " + loose + " --json --out " +
                               (folder_ / "m").string());
    ASSERT_EQ(solved.code, 0) << solved.err;
    const auto m = nlohmann::json::parse(solved.out);
    const double scale = m.at("focal_px").get<double>() / 582;
    EXPECT_NEAR(m.at("k1").get<double>() / (scale * scale), -0.22, 0.02) << "the same distortion in px";
    const Run none = vanchor("lens from-lines " + plate + " --frame 1001 --stroke 500,60,505,62");
    EXPECT_EQ(none.code, 3);
    EXPECT_NE(none.err.find("no edge to track"), std::string::npos) << none.err;
    const Run frame = vanchor("lens from-lines " + plate + " --frame 7");
    EXPECT_EQ(frame.code, 3);
    EXPECT_NE(frame.err.find("no picture of frame 7"), std::string::npos) << frame.err;
    EXPECT_EQ(vanchor("lens from-lines " + plate + " --stroke nonsense").code, 2);
}

TEST_F(Headless, AZoomLensIsPutTogetherAndAsked) {
    const auto write = [&](const char* name, double focal, double k1) {
        writeFileAtomically(folder_ / name,
                            "{\"image\": {\"width\": 640, \"height\": 360}, \"focal_px\": " + std::to_string(focal) +
                                ", \"lens\": {\"k1\": " + std::to_string(k1) + "}}");
        return (folder_ / name).string();
    };
    const std::string wide = write("wide.json", 500, -0.1), tele = write("long.json", 900, 0.02),
                      zoom = (folder_ / "zoom.json").string();
    const Run made = vanchor("lens zoom 28=" + wide + " 50=" + tele + " --out " + zoom);
    ASSERT_EQ(made.code, 0) << made.err;
    const std::string maps = (folder_ / "maps").string();
    EXPECT_EQ(vanchor("stmap --lens " + zoom + " --size 640x360 --out " + maps).code, 2) << "at which focal length?";
    EXPECT_EQ(vanchor("stmap --lens " + zoom + " --focal 35 --size 640x360 --out " + maps).code, 0);
    const Run beyond = vanchor("stmap --lens " + zoom + " --focal 85 --size 640x360 --out " + maps);
    EXPECT_EQ(beyond.code, 3);
    EXPECT_NE(beyond.err.find("28 to 50 mm"), std::string::npos) << beyond.err;
    EXPECT_EQ(vanchor("lens zoom 28=" + wide + " 28=" + tele + " --out " + zoom).code, 3);
    EXPECT_EQ(vanchor("lens zoom nonsense --out " + zoom).code, 2);

    // An STMap does in place of the lens, and must be of the plate's size.
    const std::string frames = data + "jib", undistorted = (folder_ / "s").string();
    const Run through = vanchor("undistort " + frames + " --stmap " + maps +
                                "/undistort.exr --range 1001-1001 --format png --out " + undistorted);
    ASSERT_EQ(through.code, 0) << through.err;
    const Run same = vanchor("undistort " + frames + " --lens " + zoom +
                             " --focal 35 --range 1001-1001 --format png --out " + undistorted + "2");
    ASSERT_EQ(same.code, 0) << same.err;
    const Picture a = readPicture(folder_ / "s" / "s.1001.png").picture,
                  b = readPicture(folder_ / "s2" / "s2.1001.png").picture;
    ASSERT_EQ(a.data.size(), b.data.size());
    double worst = 0;
    for (size_t i = 0; i < a.data.size(); ++i)
        worst = std::max(worst, std::fabs(double(a.data[i]) - double(b.data[i])));
    EXPECT_LT(worst, 0.02) << "one and the same map";
    const Run size =
        vanchor("redistort " + frames + " --stmap " + maps + "/distort.exr --size 1280x720 --out " + undistorted);
    EXPECT_EQ(size.code, 3);
    EXPECT_NE(size.err.find("640 × 360"), std::string::npos) << size.err;
    const Run whole = vanchor("undistort " + frames + " --stmap " + data + "jib/jib.1001.jpg --out " + undistorted);
    EXPECT_EQ(whole.code, 3);
    EXPECT_NE(whole.err.find("32-bit float"), std::string::npos) << whole.err;
    EXPECT_EQ(vanchor("undistort " + frames + " --out " + undistorted).code, 2) << "neither lens nor map";
}

TEST_F(Headless, InfoTellsWhatThePlateSays) {
    const Run r = vanchor("info --json " + data + "slipway/slipway.mp4");
    ASSERT_EQ(r.code, 0);
    const auto j = nlohmann::json::parse(r.out);
    EXPECT_EQ(j["width"], 1280);
    EXPECT_EQ(j["frame_rate"]["num"], 25);
    EXPECT_EQ(j["first"], 1001);
    EXPECT_EQ(j["last"], 1120);
    EXPECT_NE(vanchor("info " + data + "jib").out.find("assumed"), std::string::npos);
}

}  // namespace
}  // namespace va
