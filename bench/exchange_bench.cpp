// SPDX-License-Identifier: GPL-3.0-or-later
#include <assimp/scene.h>

#include <assimp/Importer.hpp>
#include <cmath>
#include <filesystem>

#include "base/atomic_file.h"
#include "exchange/verify.h"
#include "table.h"

namespace va::bench {
namespace {

/// A camera on a curve over a cloud of so many points.
SceneExport scene(int frames, int points) {
    SceneExport s;
    s.width = 1920, s.height = 1080;
    s.rate = {24, 1};
    s.metric = true;
    s.principalPoint = {959.5, 539.5};
    s.motion = "free";
    for (int i = 0; i < frames; ++i) {
        const double t = double(i) / frames;
        SceneExport::Frame f;
        f.frame = 1001 + i;
        f.solved = true;
        f.focalPx = 1500;
        f.pose = {{std::sin(3 * t), 1.5, 5 - t},
                  Eigen::Quaterniond(Eigen::AngleAxisd(0.2 * t, Eigen::Vector3d::UnitY()))};
        s.frames.push_back(f);
    }
    s.plateFrames = {1001, 1000 + frames};
    for (int i = 0; i < points; ++i)
        s.points.push_back(
            {i + 1, "", {std::fmod(i * 0.377, 8.0) - 4, std::fmod(i * 0.119, 3.0), -std::fmod(i * 0.531, 9.0)}, 0.1});
    return s;
}

}  // namespace

void measureExchange(Table& table) {
    namespace fs = std::filesystem;
    const fs::path folder = fs::temp_directory_path() / "va-bench-exchange";
    fs::create_directories(folder);
    const SceneExport s = scene(1000, 20000);
    bool passed = true;
    const double all = bestSeconds(2, [&] {
        for (const ExportFormat* f : exportFormats())
            passed = exportAndVerify(s, *f, folder / f->fileName).passed && passed;
    });
    table.push_back({"export_all_seconds", passed ? all : -1, "s", "<= 10",
                     "1000 frames, 20 000 points, all formats, each read back and compared"});
    // A large layer: 50 MB of points.
    const std::string large = usdaFormat.write(scene(100, 1400000)).front().content;
    ForeignScene found;
    const double read = bestSeconds(2, [&] { found = usdaFormat.read(large, "large"); });
    char note[120];
    std::snprintf(note, sizeof note, "%.0f MB of OpenUSD text, %zu points", double(large.size()) / 1e6,
                  found.points.size());
    table.push_back({"usda_read_50mb_seconds", read * 50e6 / double(large.size()), "s", "<= 3", note});
    // The same points as PLY by assimp, for scale.
    const SceneExport cloud = scene(2, 200000);
    const std::string ply = plyFormat.write(cloud).front().content;
    const double ours = bestSeconds(3, [&] { found = usdaFormat.read(usdaFormat.write(cloud).front().content, "t"); });
    const double theirs = bestSeconds(3, [&] {
        Assimp::Importer importer;
        (void)importer.ReadFileFromMemory(ply.data(), ply.size(), 0, "ply");
    });
    table.push_back({"usda_write_read_vs_assimp_ply", ours / theirs, "x", "",
                     "200 000 points written and read as OpenUSD text, against assimp reading them as PLY text"});
    fs::remove_all(folder);
}

}  // namespace va::bench
