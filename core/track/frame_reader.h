// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <future>
#include <map>
#include <vector>

#include "track/pyramid.h"

namespace va {

/// Reads and prepares the next frame while the current one is worked on. Falling frames are read in rising runs, since
/// movies decode forward only.
class FrameReader {
  public:
    /// `levels` of the pyramids; 0 = by the picture's width.
    FrameReader(std::vector<int> frames, std::function<Luma(int)> read,
                std::function<void(int, const Luma&)> watch = {}, int levels = 0);
    ~FrameReader();
    /// The next frame's pyramid; rethrows what reading threw. The memory of `spare` is used again.
    Pyramid next(Pyramid spare = {});
    /// The next frame as it was read; only with `levels` = 1, and not mixed with next().
    Luma nextLuma();

  private:
    void fetch(Pyramid spare = {});
    Luma take(int frame);

    std::vector<int> frames_;
    std::function<Luma(int)> read_;
    std::function<void(int, const Luma&)> watch_;
    int levels_;
    bool falling_;
    size_t next_ = 0;
    std::map<int, Luma> ahead_;
    struct Prepared {
        Luma luma;
        Pyramid pyramid;
    };
    std::future<Prepared> pending_;
};

}  // namespace va
