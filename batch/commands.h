// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>

#include "command_line.h"

namespace va {

/// What the shell gets back. Other codes are not used.
enum ExitCode {
    exitDone = 0,
    exitUsage = 2,
    exitInput = 3,
    exitNoSolve = 4,
    exitVerification = 5,  ///< a file was written, but read back it differed
    exitCancelled = 130    ///< as shells give for an interrupt
};

/// Each adds its subcommand to the program; `run` is called when it was chosen and gives the exit code. They throw
/// va::Error.
using Command = std::function<int()>;
void addMatchCommand(CommandLine& program, Command& run);
void addTrackCommand(CommandLine& program, Command& run);
void addInfoCommand(CommandLine& program, Command& run);
void addLensCommands(CommandLine& program, Command& run);
void addResampleCommands(CommandLine& program, Command& run);
void addLayoutCommand(CommandLine& program, Command& run);
void addExportCommand(CommandLine& program, Command& run);
void addConvertCommands(CommandLine& program, Command& run);
void addProofCommand(CommandLine& program, Command& run);

}  // namespace va
