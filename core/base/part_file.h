// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>

namespace va {

/// A file that is being written beside where it will stand, and takes that place when it is whole. Until
/// then, whatever ends the writing (an error, cancel, a signal that the program handles) removes it.
class PartFile {
  public:
    /// Names the neighbour of `path`, or of what it leads to where it is a link, which stays one; nothing is made yet.
    /// The ending stays, for writers that go by it. Throws InputError for a pipe or a device.
    explicit PartFile(std::filesystem::path path);
    ~PartFile();
    PartFile(const PartFile&) = delete;
    PartFile& operator=(const PartFile&) = delete;

    /// Where to write.
    [[nodiscard]] const std::filesystem::path& part() const { return part_; }
    /// Puts the written file in its place. Gives 0, or the errno of what went wrong; the old file then stays.
    [[nodiscard]] int commit();

    /// Removes all part files of this process, for a program that is about to end at once.
    static void removeAll() noexcept;

  private:
    std::filesystem::path path_, part_;
};

}  // namespace va
