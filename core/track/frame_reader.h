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
    FrameReader(std::vector<int> frames, std::function<Luma(int)> read,
                std::function<void(int, const Luma&)> watch = {});
    ~FrameReader();
    /// The next frame's pyramid; rethrows what reading threw.
    Pyramid next();

  private:
    void fetch();
    Luma take(int frame);

    std::vector<int> frames_;
    std::function<Luma(int)> read_;
    std::function<void(int, const Luma&)> watch_;
    bool falling_;
    size_t next_ = 0;
    std::map<int, Luma> ahead_;
    std::future<Pyramid> pending_;
};

}  // namespace va
