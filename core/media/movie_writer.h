// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <memory>
#include <string>

#include "base/picture.h"
#include "base/rational.h"

namespace va {

/// Whether a file's name is one of a movie that can be written.
bool isMovieName(const std::filesystem::path& path);
/// "*.mp4, …" for messages and help.
std::string movieEndings();

/// Writes a movie frame by frame. By its ending: .mp4 is H.264 with 8 bits at high quality, .h265.mp4 is H.265 with 10,
/// .mov is ProRes 422 HQ with 10, .mkv is FFV1, which loses nothing, with RGB of 16; BT.709, as most plates. Sizes that
/// are odd lose their last column or row, which the codecs can't hold.
class MovieWriter {
  public:
    /// Throws InputError where the file can't be made or the ending is another.
    MovieWriter(const std::filesystem::path& path, int width, int height, const Rational& rate);
    ~MovieWriter();
    MovieWriter(const MovieWriter&) = delete;
    MovieWriter& operator=(const MovieWriter&) = delete;

    /// Display-encoded colour; alpha is not written. Throws InputError.
    void write(const Picture& picture);
    /// Ends the file; without it, it is removed again.
    void finish();

  private:
    struct Held;
    std::unique_ptr<Held> held_;
};

}  // namespace va
