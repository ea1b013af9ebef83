// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <exception>
#include <stdexcept>
#include <string>

namespace va {

/// What went wrong, told to the artist. `what()` is one or two plain sentences: what happened, to which file or frame,
/// and what to try. `detail()` is for the log only (library messages, numbers).
class Error : public std::runtime_error {
  public:
    explicit Error(const std::string& sentence, std::string detail = {});
    [[nodiscard]] const std::string& detail() const noexcept { return detail_; }

  private:
    std::string detail_;
};

/// A file or plate that can't be read or written. Separate from Error so that the shell program can return its own
/// code.
class InputError : public Error {
  public:
    using Error::Error;
};

/// The artist cancelled. Not an Error: nothing is wrong, and what was done so far is kept by whoever catches it.
class Cancelled : public std::exception {
  public:
    [[nodiscard]] const char* what() const noexcept override { return "Cancelled."; }
};

}  // namespace va
