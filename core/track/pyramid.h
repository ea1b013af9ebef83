// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <mutex>
#include <vector>

#include "base/plane.h"

namespace va {

/// Luma at halving sizes. Level 0 is the picture under a light binomial blur (1 2 1)/4 each way, so that cubic sampling
/// between pixels is nearly free of bias; each further level is the one before under (1 4 6 4 1)/16, every second
/// pixel. Pixel (x, y) of level n lies at (x, y)·2ⁿ of the picture: no half-pixel shifts anywhere.
class Pyramid {
  public:
    Pyramid() = default;
    /// Level 0 is made in the picture's own memory. `spare` is a pyramid that is not needed any more: the memory of its
    /// other levels is used again, which saves most of the time that fresh memory costs.
    Pyramid(Luma picture, int levels, Pyramid spare = {});
    /// Takes the memory of level 0 out of a pyramid that is not needed any more; empty when it has none.
    [[nodiscard]] Luma takePicture();
    [[nodiscard]] int levels() const { return int(levels_.size()); }
    [[nodiscard]] const Luma& level(int n) const { return levels_[size_t(n)]; }

    /// Variance of white noise after the blur of level 0, as a share of what it was: (6/16)².
    static constexpr double noiseShare = 0.140625;

    /// Level 0 under (1 2 1)/4 once more: between it and level 1 in blur, at its size. Made when it is first asked for;
    /// any number of threads may ask.
    [[nodiscard]] const Luma& softer() const;

  private:
    struct Softer {
        std::once_flag made;
        Luma luma;
    };
    std::vector<Luma> levels_;
    std::unique_ptr<Softer> softer_;
};

}  // namespace va
