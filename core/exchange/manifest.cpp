// SPDX-License-Identifier: GPL-3.0-or-later
#include "exchange/manifest.h"

#include <openssl/evp.h>

#include <algorithm>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/atomic_file.h"
#include "base/error.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/compare.h"
#include "exchange/export_body.h"
#include "exchange/export_choices.h"
#include "exchange/foreign_export.h"

namespace va {

using nlohmann::ordered_json;
namespace fs = std::filesystem;

std::string sha256Of(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in) throw InputError(text("\"%s\" can't be read. Check that it is there.", file.string().c_str()));
    const std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> hash(EVP_MD_CTX_new(), EVP_MD_CTX_free);
    EVP_DigestInit_ex(hash.get(), EVP_sha256(), nullptr);
    std::vector<char> block(1 << 16);
    while (in.read(block.data(), std::streamsize(block.size())), in.gcount() > 0)
        EVP_DigestUpdate(hash.get(), block.data(), size_t(in.gcount()));
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    EVP_DigestFinal_ex(hash.get(), digest, &size);
    std::string out;
    for (unsigned i = 0; i < size; ++i) out += formatted("%02x", digest[i]);
    return out;
}

std::string manifestOf(const SceneExport& s, const std::vector<ExportCheck>& checks, const fs::path& folder) {
    ordered_json j{{"format", "vivid-anchor-manifest"}, {"version", 1}};
    j["image"] = {{"width", s.width}, {"height", s.height}, {"pixel_aspect", s.pixelAspect}};
    j["frame_rate"] = {{"num", s.rate.num}, {"den", s.rate.den}};
    j["range"] = {s.frames.front().frame, s.frames.back().frame};
    j["frame_shift"] = s.frameShift;
    j["up_axis"] = s.zUp ? "z" : "y";
    j["metres_per_unit"] = s.metric ? ordered_json(s.metresPerUnit) : ordered_json(nullptr);
    j["film_back_mm"] = {s.sensorWidthMm, backHeightMm(s)};
    j["plate"] = s.plate;
    j["moved_by"] = {s.movedBy.x(), s.movedBy.y(), s.movedBy.z()};
    ordered_json& files = j["files"] = ordered_json::array();
    for (const ExportCheck& c : checks) {
        ordered_json o{{"name", fs::relative(c.file, folder).generic_string()}};
        if (c.format) o["format"] = c.format->word;
        o["bytes"] = fs::file_size(c.file);
        o["sha256"] = sha256Of(c.file);
        o["verified"] = c.passed;
        if (c.compared > 0) o["largest_px"] = c.largestPx;
        if (!c.lacks.empty()) o["lacks"] = c.lacks;
        files.push_back(std::move(o));
        for (const fs::path& other : c.companions)
            files.push_back({{"name", fs::relative(other, folder).generic_string()},
                             {"belongs_to", c.file.filename().string()},
                             {"bytes", fs::file_size(other)},
                             {"sha256", sha256Of(other)}});
    }
    return dumpJson(j, 1) + "\n";
}

std::string readmeOf(const SceneExport& s, const std::vector<ExportCheck>& checks) {
    std::string out = text("What your program has to show:\n\n");
    out += nextProgramText(s);
    if (!s.lens.isZero())
        out += text(
            "\nThe picture is distorted: undistort the plate, or distort your render. The numbers of the lens stand in "
            "the "
            "files.\n");
    if (s.frameShift != 0) out += text("\nFrame numbers are the plate's plus %d.\n", s.frameShift);
    out += text("\nFiles:\n\n");
    for (const ExportCheck& c : checks) {
        out += "  " + c.file.filename().string() + "  " + (c.format ? c.format->label : "") + "\n";
        if (c.compared > 0) out += text("      read back and compared: %.5f px at most\n", c.largestPx);
        if (!c.lacks.empty()) out += text("      not in it: %s\n", c.lacks.c_str());
        for (const fs::path& other : c.companions) out += "      " + other.filename().string() + "\n";
    }
    std::string edited;
    for (const auto& f : s.frames)
        if (!f.solved) edited += text("  %d has no camera\n", f.frame);
        else if (f.origin != PoseOrigin::solved) edited += text("  %d was edited\n", f.frame);
    if (!edited.empty()) out += text("\nFrames to look at:\n\n") + edited;
    return out;
}

bool ManifestCheck::passed() const {
    return !files.empty() && std::all_of(files.begin(), files.end(), [](const File& f) { return f.passed; });
}

namespace {

/// A file of the manifest in its folder; links count as what they point to.
fs::path within(const fs::path& folder, const std::string& name) {
    const fs::path path(name);
    std::error_code code;
    const fs::path whole = fs::weakly_canonical(folder / path, code), root = fs::weakly_canonical(folder, code);
    const auto inside = std::mismatch(root.begin(), root.end(), whole.begin(), whole.end()).first == root.end();
    if (name.empty() || path.is_absolute() || !inside)
        throw InputError(
            text("The manifest names \"%s\", which lies outside of its folder: nothing was checked.", name.c_str()));
    return folder / path;
}

}  // namespace

ManifestCheck verifyManifest(const fs::path& folder) {
    const ordered_json j = ordered_json::parse(readFile(folder / "manifest.json"), nullptr, false);
    if (j.is_discarded() || !j.is_object() || j.value("format", "") != "vivid-anchor-manifest")
        throw InputError(text("\"%s\" holds no manifest of an export. Name the folder that was exported to.",
                              folder.string().c_str()));
    ManifestCheck out;
    try {
        ForeignChoices choices;
        choices.width = j.at("image").at("width").get<int>(), choices.height = j.at("image").at("height").get<int>();
        choices.pixelAspect = j.at("image").at("pixel_aspect").get<double>();
        choices.rate =
            reduced(j.at("frame_rate").at("num").get<int64_t>(), j.at("frame_rate").at("den").get<int64_t>());
        const int first = j.at("range").at(0).get<int>(), last = j.at("range").at(1).get<int>();
        std::optional<SceneExport> reference;
        for (const ordered_json& o : j.at("files")) {
            ManifestCheck::File& f = out.files.emplace_back();
            f.name = o.at("name").get<std::string>();
            const fs::path path = within(folder, f.name);
            std::error_code code;
            if (!fs::is_regular_file(path, code)) {
                f.sentence = text("%s is missing.", f.name.c_str());
                continue;
            }
            if (fs::file_size(path, code) != o.at("bytes").get<uintmax_t>() ||
                sha256Of(path) != o.at("sha256").get<std::string>()) {
                f.sentence = text("%s was changed since the export.", f.name.c_str());
                continue;
            }
            const ExportFormat* format = formatNamed(o.value("format", ""));
            if (!format || !format->holdsCamera) {
                f.passed = true;
                f.sentence = text("%s is as it was written.", f.name.c_str());
                continue;
            }
            const ForeignScene found = readScene(path.string());
            if (found.rate && !(*found.rate == *choices.rate)) {
                f.sentence = text("%s has another frame rate than the manifest.", f.name.c_str());
                continue;
            }
            SceneExport scene = sceneFrom(found, choices);
            if (scene.frames.front().frame < first || scene.frames.back().frame > last) {
                f.sentence = text("%s has frames outside of %d–%d.", f.name.c_str(), first, last);
                continue;
            }
            if (!reference) reference = scene;
            // One of them may have no place for the distortion: then it is left out of both.
            SceneExport against = *reference;
            if (scene.lens.isZero() || against.lens.isZero()) scene.lens = against.lens = LensModel();
            const CameraComparison c = compareCameras(against, scene);
            f.passed = c.largestPx <= exportTolerancePx && c.onlyA + c.onlyB == 0;
            f.sentence =
                f.passed ? text("%s agrees to %.5f px over %zu frames.", f.name.c_str(), c.largestPx, c.frames.size())
                         : text("%s is %.4f px off in frame %d. Do not use it; export again.", f.name.c_str(),
                                c.largestPx, c.worstFrame);
        }
    } catch (const nlohmann::json::exception&) {
        throw InputError(
            text("\"%s\" is no whole manifest. Export again.", (folder / "manifest.json").string().c_str()));
    }
    return out;
}

}  // namespace va
