// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <atomic>
#include <chrono>
#include <functional>
#include <mutex>
#include <string>

namespace va {

/// What a long computation tells the outside, and how the outside stops it.
///
/// The computation calls `stage()` when a new part begins and `advance()` as units (frames, usually) are finished, and
/// `check()` at points where stopping is safe; `check()` throws Cancelled once `cancel()` was called from any thread.
/// All functions may be called from any thread. The listener runs on the calling thread and must be quick.
class Progress {
  public:
    struct State {
        std::string stage;        ///< what is being done, as shown to the artist
        int done = 0;             ///< finished units of this stage
        int total = 0;            ///< units of this stage; 0 when it can't be known
        double fraction = 0;      ///< 0..1 over the whole job, from the stages' shares
        double secondsLeft = -1;  ///< estimate for the whole job; negative when unknown
    };
    using Listener = std::function<void(const State&)>;

    Progress() = default;
    explicit Progress(Listener listener) : listener_(std::move(listener)) {}

    /// Begins a stage with `total` units that takes about `share` (0..1) of the whole job.
    void stage(const std::string& name, int total, double share);
    void advance(int units = 1);
    /// Throws Cancelled if somebody called cancel().
    void check() const;
    void cancel() noexcept { cancelled_.store(true, std::memory_order_relaxed); }
    [[nodiscard]] bool cancelled() const noexcept { return cancelled_.load(std::memory_order_relaxed); }
    [[nodiscard]] State state() const;

  private:
    void report(std::unique_lock<std::mutex>& lock);

    mutable std::mutex mutex_;
    Listener listener_;
    State state_;
    double finishedShares_ = 0;
    double stageShare_ = 0;
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
    std::atomic<bool> cancelled_{false};
};

}  // namespace va
