// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <chrono>
#include <string>
#include <vector>

#include "base/progress.h"
#include "command_line.h"
#include "shot/shot.h"

namespace va {

/// What match and track share: the plate, its range, and what features are tracked.
struct PlateArguments {
    std::string plate, range, rate, pixelAspect, density = "normal", care = "quick", mask, masksFrom, paths, pathsFirst, pathsSize;
    double maskThreshold = 0.5, maskGrow = 0;
    bool maskInvert = false, evenTimes = false, strict = false;
    int maskOffset = 0, stream = -1;
};
void addPlateOptions(CommandLine& command, PlateArguments& a);
/// "1001-1120". Throws UsageError.
FrameRange parseRange(const std::string& text);
/// The shot that the arguments describe, its plate opened. Throws InputError and UsageError.
Shot shotFor(const PlateArguments& a, Progress* progress = nullptr);
/// With --strict, throws InputError where a frame of the range is missing or damaged, as far as it is known by now.
void useStrict(const PlateArguments& a, const Shot& shot);

/// Progress for people (one line that rewrites itself on a terminal) or for programs (a JSON object a line), on
/// standard error.
class ProgressPrinter {
  public:
    explicit ProgressPrinter(bool asJson);
    void operator()(const Progress::State& s);
    void end() const;

  private:
    bool json_, terminal_;
    std::string stage_;
    std::chrono::steady_clock::time_point last_{};
};

/// The files that a name or a pattern with * and ? stands for, in order of their names. Throws UsageError, naming the
/// option, where there are none.
std::vector<std::string> filesNamed(const std::string& option, const std::string& pattern);

/// Makes the folder. Throws InputError.
void makeFolder(const std::string& folder);

}  // namespace va
