// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace va {

/// Where the pixels of a stored picture lie, and what its channels are.
struct PictureLayout {
    int x = 0, y = 0, width = 0, height = 0;                  ///< px that the file holds
    int fullX = 0, fullY = 0, fullWidth = 0, fullHeight = 0;  ///< px of the picture that they belong to
    std::vector<std::string> channels = {};
    int alpha = -1;  ///< channel; negative = none
    enum class Values { bytes, words, halfs, floats, others } values = Values::bytes;
    bool real = false;  ///< floating point
    int bits = 8;       ///< of a value
};

/// A picture file that is open. Tags are those of the part that layout() was asked for last.
class PictureInput {
  public:
    virtual ~PictureInput() = default;
    [[nodiscard]] virtual std::string format() const = 0;
    virtual bool hasPart(int part) = 0;
    virtual PictureLayout layout(int part) = 0;
    [[nodiscard]] virtual int number(const char* tag, int otherwise) const = 0;
    [[nodiscard]] virtual float real(const char* tag) const = 0;  ///< 0 where it is not there
    [[nodiscard]] virtual std::string word(const char* tag) const = 0;
    [[nodiscard]] virtual std::optional<std::pair<int, int>> rational(const char* tag) const = 0;
    /// Channels first..end of all pixels that the file holds, side by side. False: `error` says why.
    virtual bool read(int part, int first, int end, float* to, std::string& error) = 0;
};

/// How a picture is to be written.
struct PictureOutput {
    PictureLayout layout;
    std::vector<std::pair<std::string, int>> numbers = {};
    std::vector<std::pair<std::string, float>> reals = {};
    std::vector<std::pair<std::string, std::string>> words = {};
    const std::array<float, 8>* chromaticities = nullptr;
};

/// The library that reads and writes still pictures (OpenImageIO), behind an interface of our own: it brings two
/// hundred other libraries along, which take longer to load than the rest of the program. It is loaded when the first
/// still is touched.
class PictureCodec {
  public:
    virtual ~PictureCodec() = default;
    /// Nothing for what is no picture; `error` says why.
    [[nodiscard]] virtual std::unique_ptr<PictureInput> open(const std::string& path, std::string& error) const = 0;
    /// Of bytes in memory, PNG or JPEG: size, channels and values. False for what is none.
    virtual bool decode(const std::vector<unsigned char>& bytes, bool png, PictureLayout& layout,
                        std::vector<unsigned char>& values) const = 0;

    enum class Encoded { inMemory, byFileOnly, failed };
    /// The bytes of a file of the path's ending, where its writer can write to memory.
    virtual Encoded encode(const std::string& path, const PictureOutput& how, const std::vector<float>& values,
                           std::vector<unsigned char>& bytes, std::string& error) const = 0;
    /// For the other writers: writes the file, and reads its last row again. False: `error` says why.
    virtual bool write(const std::string& path, const PictureOutput& how, const std::vector<float>& values,
                       std::string& error) const = 0;
};

/// Throws InputError where the library can't be loaded.
const PictureCodec& pictureCodec();

}  // namespace va
