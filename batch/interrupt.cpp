// SPDX-License-Identifier: GPL-3.0-or-later
#include "interrupt.h"

#include <pthread.h>
#include <signal.h>
#include <time.h>
#include <unistd.h>

#include <cstdio>
#include <mutex>
#include <thread>

#include "base/part_file.h"
#include "commands.h"

namespace va {
namespace {

std::mutex mutex;
Progress* watched = nullptr;
bool interrupted = false;

constexpr int secondsToStop = 5;

[[noreturn]] void endNow() {
    PartFile::removeAll();
    static constexpr char sentence[] = "vanchor: cancelled\n";
    if (::write(STDERR_FILENO, sentence, sizeof sentence - 1) < 0) {}  // nobody may be listening
    ::_exit(exitCancelled);
}

void wait(sigset_t signals) {
    int which = 0;
    if (sigwait(&signals, &which) != 0) return;
    {
        const std::scoped_lock lock(mutex);
        interrupted = true;
        // Without work that can be cancelled, nothing is half done but files that are being written.
        if (!watched) endNow();
        watched->cancel();
    }
    const timespec limit{secondsToStop, 0};
    sigtimedwait(&signals, nullptr, &limit);
    endNow();
}

}  // namespace

Interrupt::Interrupt() {
    sigset_t signals;
    sigemptyset(&signals);
    for (const int s : {SIGINT, SIGTERM, SIGHUP}) {
        // A shell that started the program with nohup wants it to go on.
        struct sigaction had {};
        if (sigaction(s, nullptr, &had) == 0 && had.sa_handler == SIG_IGN) continue;
        sigaddset(&signals, s);
    }
    pthread_sigmask(SIG_BLOCK, &signals, nullptr);  // threads made from here on leave them to the one that waits
    std::thread(wait, signals).detach();
}

void Interrupt::watch(Progress* progress) {
    const std::scoped_lock lock(mutex);
    watched = progress;
    if (progress && interrupted) progress->cancel();
}

}  // namespace va
