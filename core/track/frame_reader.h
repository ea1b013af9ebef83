// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <atomic>
#include <condition_variable>
#include <deque>
#include <exception>
#include <functional>
#include <map>
#include <mutex>
#include <thread>
#include <vector>

#include "track/pyramid.h"

namespace va {

/// Reads and prepares the next frames, on a thread of its own, while the current one is worked on. Falling frames are
/// read in rising runs, since movies decode forward only.
class FrameReader {
  public:
    /// `levels` of the pyramids; 0 = by the picture's width. `giveBack` gets the picture memory of pyramids that
    /// are used up.
    FrameReader(std::vector<int> frames, std::function<Luma(int)> read,
                std::function<void(int, const Luma&)> watch = {}, int levels = 0,
                std::function<void(Luma)> giveBack = {});
    ~FrameReader();
    FrameReader(const FrameReader&) = delete;
    FrameReader& operator=(const FrameReader&) = delete;
    /// The next frame's pyramid; rethrows what reading threw. The memory of `spare` is used again. Asking for more
    /// frames than there are is a mistake of the caller: std::out_of_range.
    Pyramid next(Pyramid spare = {});
    /// Whether pyramids come with their softer() picture made, which otherwise takes the time of those who ask first.
    void makeSofter(bool on) { softer_ = on; }
    /// The next frame as it was read; only with `levels` = 1, and not mixed with next().
    Luma nextLuma();

  private:
    struct Prepared {
        Luma luma;        ///< with one level
        Pyramid pyramid;  ///< with more
        std::exception_ptr failure;
    };
    Prepared wait(Pyramid spare);
    void work();
    Prepared prepare(int frame, Pyramid spare);
    Luma take(int frame);

    std::vector<int> frames_;
    std::function<Luma(int)> read_;
    std::function<void(int, const Luma&)> watch_;
    std::function<void(Luma)> giveBack_;
    int levels_;
    bool falling_;
    size_t next_ = 0;  ///< of the reading thread
    std::map<int, Luma> ahead_;

    std::mutex mutex_;
    std::condition_variable changed_;
    std::deque<Prepared> ready_;
    std::vector<Pyramid> spares_;
    bool stop_ = false;
    std::atomic<bool> softer_ = false;
    std::thread thread_;  ///< the last member: it uses the others
};

}  // namespace va
