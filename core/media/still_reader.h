// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "base/picture.h"
#include "media/codec/picture_codec.h"
#include "media/rotate.h"

namespace va {

/// One picture file, opened: which of its parts and channels the picture is, and how it stands.
///
/// A file with several parts (OpenEXR, multi-page TIFF) gives the first part that has red, green and blue, else the
/// first. The picture is the display window: where the data window is smaller, the rest is empty; where it is larger,
/// what lies outside is left out (OpenEXR technical introduction, "Display window and data window").
class StillReader {
  public:
    /// Throws InputError: not there, a broken link, empty, not a picture.
    explicit StillReader(const std::filesystem::path& path);

    [[nodiscard]] const PictureLayout& layout() const { return layout_; }
    /// For tags of the picture's part.
    [[nodiscard]] const PictureInput& tags() const { return *input_; }
    [[nodiscard]] std::string format() const { return input_->format(); }
    [[nodiscard]] int width() const { return layout_.fullWidth; }
    [[nodiscard]] int height() const { return layout_.fullHeight; }
    [[nodiscard]] bool grey() const { return colours_.size() < 3; }
    [[nodiscard]] bool alpha() const { return alpha_ >= 0; }
    [[nodiscard]] bool floats() const { return layout_.real; }
    [[nodiscard]] int bits() const { return layout_.bits; }
    /// Whether the numbers are printing densities.
    [[nodiscard]] bool log() const;
    [[nodiscard]] Orientation orientation() const;
    [[nodiscard]] int parts() const { return parts_; }

    /// Code values as float, red, green, blue (and alpha) side by side, or one channel of grey; rows from the top, not
    /// yet turned upright. Throws InputError: cut off, damaged.
    [[nodiscard]] std::vector<float> pixels(bool withAlpha) const;

  private:
    [[nodiscard]] bool choosePart();
    std::filesystem::path path_;
    std::unique_ptr<PictureInput> input_;
    PictureLayout layout_;
    std::vector<int> colours_;  ///< channels of the file: red, green, blue, or one
    int alpha_ = -1, part_ = 0, parts_ = 1;
};

}  // namespace va
