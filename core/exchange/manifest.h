// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "exchange/verify.h"

namespace va {

/// SHA-256 (FIPS 180-4) of a file, 64 hex digits. Throws InputError where it can't be read.
std::string sha256Of(const std::filesystem::path& file);

/// The list of what an export wrote (docs/formats.md, "manifest.json"): files with size, hash, what each lacks and its
/// check; picture size, rate, range, axes, unit, film back.
std::string manifestOf(const SceneExport& scene, const std::vector<ExportCheck>& checks,
                       const std::filesystem::path& folder);

/// A plain text for the next person: what each file is, what their program has to show, what is not in which file.
std::string readmeOf(const SceneExport& scene, const std::vector<ExportCheck>& checks);

/// What became of the files of a manifest.
struct ManifestCheck {
    struct File {
        std::string name;
        bool passed = false;
        std::string sentence;
    };
    std::vector<File> files;
    [[nodiscard]] bool passed() const;
};
/// Reads manifest.json in a folder, and every file that it names again: size and hash, and of scene files rate, frames,
/// picture size, and their camera in px against the first one's. Throws InputError: no manifest, a file of it named
/// outside of the folder.
ManifestCheck verifyManifest(const std::filesystem::path& folder);

}  // namespace va
