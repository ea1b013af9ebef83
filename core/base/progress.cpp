// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/progress.h"

#include <algorithm>

#include "base/error.h"

namespace va {

void Progress::stage(const std::string& name, int total, double share) {
    check();
    std::unique_lock lock(mutex_);
    finishedShares_ = std::min(1.0, finishedShares_ + stageShare_);
    stageShare_ = share;
    state_.stage = name;
    state_.done = 0;
    state_.total = total;
    report(lock);
}

void Progress::advance(int units) {
    std::unique_lock lock(mutex_);
    state_.done += units;
    report(lock);
}

void Progress::check() const {
    if (cancelled()) throw Cancelled();
}

Progress::State Progress::state() const {
    std::scoped_lock lock(mutex_);
    return state_;
}

void Progress::report(std::unique_lock<std::mutex>& lock) {
    const double inStage = state_.total > 0 ? std::min(1.0, double(state_.done) / state_.total) : 0.0;
    state_.fraction = std::min(1.0, finishedShares_ + stageShare_ * inStage);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
    // Below a few percent the estimate would jump about; the artist is better off without one.
    state_.secondsLeft = state_.fraction > 0.03 ? seconds * (1 - state_.fraction) / state_.fraction : -1;
    if (!listener_) return;
    const State copy = state_;
    lock.unlock();
    listener_(copy);
}

}  // namespace va
