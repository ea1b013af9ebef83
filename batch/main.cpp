// SPDX-License-Identifier: GPL-3.0-or-later
// vanchor: the steps of Vivid Anchor from the shell, for render queues. Needs no display.
#include <csignal>
#include <cstdio>

#include "base/error.h"
#include "commands.h"
#include "interrupt.h"

#include "media/isolated/plate_reader.h"
#include "media/isolated/reader_fork_server.h"

int main(int argc, char** argv) {
    if (va::isPlateReader(argc, argv)) return va::runPlateReader(argc, argv);
    // A reader that goes away (a pipe into head) must not kill the program half-way through a file.
    std::signal(SIGPIPE, SIG_IGN);
    va::startPlateReaders();
    const va::Interrupt interrupt;
    va::CommandLine program("Matchmove from the shell: track, solve, level, export.",
                            std::string("vanchor ") + VA_VERSION);
    va::Command run;
    va::addMatchCommand(program, run);
    va::addTrackCommand(program, run);
    va::addInfoCommand(program, run);
    va::addLensCommands(program, run);
    va::addResampleCommands(program, run);
    va::addLayoutCommand(program, run);
    va::addExportCommand(program, run);
    va::addProofCommand(program, run);
    addConvertCommands(program, run);
    if (int code = 0; !program.parse(argc, argv, code)) return code;
    try {
        return run();
    } catch (const va::UsageError& e) {
        std::fprintf(stderr, "vanchor: %s\n", e.what());
        return va::exitUsage;
    } catch (const va::InputError& e) {
        std::fprintf(stderr, "vanchor: %s\n", e.what());
        if (!e.detail().empty()) std::fprintf(stderr, "         (%s)\n", e.detail().c_str());
        return va::exitInput;
    } catch (const va::Cancelled&) {
        std::fprintf(stderr, "vanchor: cancelled\n");
        return va::exitCancelled;
    } catch (const std::exception& e) {
        std::fprintf(stderr, "vanchor: %s\n", e.what());
        return va::exitInput;
    }
}
