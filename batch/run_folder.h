// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

namespace va {

/// The files of a run that belong together: written into a folder of their own beside where they go, and moved there
/// all together when the last one is whole. A run that ends early leaves the files of the run before as they were.
class RunFolder {
  public:
    /// Makes the folder. Throws InputError.
    explicit RunFolder(const std::string& out);
    ~RunFolder();
    RunFolder(const RunFolder&) = delete;
    RunFolder& operator=(const RunFolder&) = delete;

    /// Where to write a file of this name for now.
    [[nodiscard]] std::filesystem::path file(const std::string& name);
    /// Where it stands in the end.
    [[nodiscard]] std::filesystem::path place(const std::string& name) const { return out_ / name; }
    /// A file of this name from an earlier run does not belong to this one, which makes none: commit() gives it the
    /// name with ~ behind it, in place of what had that.
    void setAside(const std::string& name) { old_.push_back(name); }
    /// Moves all files to where they go. Throws InputError; then none or all that could be moved are there. Gives the
    /// names of what was set aside.
    std::vector<std::string> commit();

  private:
    std::filesystem::path out_, work_;
    std::vector<std::string> names_, old_;
};

}  // namespace va
