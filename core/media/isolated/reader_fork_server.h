// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace va {

/// Starts the process that plate readers are forked from, while this one has no threads yet: a reader made by it is
/// there in milliseconds, where loading the program anew takes a good part of a second. To be called first in main().
/// From then on, openPlate() reads every plate in a process of its own (see readPlatesWith).
void startPlateReaders();

/// Has a reader forked that serves `socket` with `memory`. False where there is no such process, or it is gone. With
/// `stills` the library that reads pictures is loaded there first, once for all readers that follow.
bool forkPlateReader(int socket, int memory, bool stills);

/// Whether startPlateReaders() was called and worked.
bool havePlateReaders();

}  // namespace va
