// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace va {

/// Runs as the process that reads plates for another one: `argv` is {program, plateReaderFlag, socket, shared memory}.
/// Serves until the other side closes the socket; gives the exit code. Its memory is bounded, so that a hostile file
/// takes this process and nothing else.
int runPlateReader(int argc, char** argv);

/// The same for two file descriptors that are there already.
int servePlates(int socket, int memory);

/// The first argument of such a process.
inline constexpr const char* plateReaderFlag = "--plate-reader";

/// Whether the arguments ask for it; to be looked at first in main().
bool isPlateReader(int argc, char** argv);

}  // namespace va
