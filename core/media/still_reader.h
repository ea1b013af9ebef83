// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <OpenImageIO/imageio.h>

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "base/picture.h"
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

    [[nodiscard]] const OIIO::ImageSpec& spec() const { return spec_; }
    [[nodiscard]] std::string format() const { return input_->format_name(); }
    [[nodiscard]] int width() const { return spec_.full_width; }
    [[nodiscard]] int height() const { return spec_.full_height; }
    [[nodiscard]] bool grey() const { return colours_.size() < 3; }
    [[nodiscard]] bool alpha() const { return alpha_ >= 0; }
    [[nodiscard]] bool floats() const { return spec_.format.is_floating_point(); }
    [[nodiscard]] int bits() const;
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
    mutable std::unique_ptr<OIIO::ImageInput> input_;
    OIIO::ImageSpec spec_;
    std::vector<int> colours_;  ///< channels of the file: red, green, blue, or one
    int alpha_ = -1, part_ = 0, parts_ = 1;
};

}  // namespace va
