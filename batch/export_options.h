// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <string>
#include <utility>

#include "base/rational.h"
#include "command_line.h"
#include "exchange/export_choices.h"

namespace va {

/// Options that several commands have for what a scene is written as.
class ExportOptions {
  public:
    /// Adds --up, --units, --first and --film-back.
    void addTo(CommandLine& c);
    /// Adds what only a whole project has: parts, cloud, layers, distortion.
    void addProjectTo(CommandLine& c);
    /// Throws UsageError.
    [[nodiscard]] ExportChoices choices() const;
    [[nodiscard]] bool unitsGiven() const { return !units_.empty(); }

  private:
    std::string up_ = "y", units_, first_, order_ = "ZXY", leave_, points_;
    double filmBack_ = 0, nearest_ = 0, farthest_ = 0;
    int cloud_ = 0;
    bool undistorted_ = false, layered_ = false, recentre_ = false, perFrame_ = false;
};

/// "1920x1080". Throws UsageError naming the option.
std::pair<int, int> sizeFrom(const std::string& option, const std::string& words);
/// "24", "23.976", "24000/1001". Throws UsageError.
Rational rateFromWords(const std::string& option, const std::string& words);
/// A whole number, negative ones too. Throws UsageError.
int wholeFrom(const std::string& option, const std::string& words);

}  // namespace va
