// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/picture.h"
#include "media/plate_source.h"

namespace va {

/// Footage whose every frame shows its own number: two rows of eight blocks, the number in binary and its opposite;
/// below them eight patches of colour, and a texture that moves.
namespace marked {

inline constexpr int width = 160, height = 90;

/// A raw RGB file of `frames` marked frames, made once in `folder`. `scale` enlarges it.
std::filesystem::path rawFile(const std::filesystem::path& folder, int frames, int scale = 1);

/// The number that a picture shows; −1 where it shows none.
int numberIn(const DisplayPicture& picture);

/// Mean colour in the middle of each of the eight patches: red, green, blue, one patch after the other.
std::vector<double> patchColours(const DisplayPicture& picture);

/// All frames of a movie by the ffmpeg program, one after the other as its decoder gives them out
/// (-fps_mode passthrough), with their size.
/// `options` stand before the input, `output` after it.
struct Reference {
    int width = 0, height = 0;
    std::vector<DisplayPicture> frames;
};
Reference byFfmpeg(const std::filesystem::path& movie, const std::string& options = "", const std::string& output = "");

/// What the command prints; empty when it fails.
std::string outputOf(const std::string& command);

}  // namespace marked
}  // namespace va
