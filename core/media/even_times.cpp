// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/even_times.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace va {
namespace {

class EvenTimes final : public PlateSource {
  public:
    explicit EvenTimes(std::unique_ptr<PlateSource> stored) : stored_(std::move(stored)) {
        info_ = stored_->info();
        const std::vector<double>& times = info_.times;
        const int first = info_.frames.first, count = int(std::floor(times.back() * info_.rate.value() + 0.5)) + 1;
        for (int k = 0; k < count; ++k) {
            const double t = k / info_.rate.value();
            auto after = std::lower_bound(times.begin(), times.end(), t);
            if (after == times.end() || (after != times.begin() && t - *(after - 1) <= *after - t)) --after;
            info_.storedFrames.push_back(first + int(after - times.begin()));
        }
        info_.frames.last = first + count - 1;
        info_.times.clear();
        info_.warnings.clear();
        int twice = 0;
        for (size_t k = 1; k < info_.storedFrames.size(); ++k)
            twice += info_.storedFrames[k] == info_.storedFrames[k - 1];
        const int left = stored_->info().frames.count() - (count - twice);
        info_.notes.push_back(
            text("Frames are put on an even grid of %s a second: %d stored frames are shown twice, %d "
                 "are left out.",
                 info_.rate.label().c_str(), twice, std::max(left, 0)));
    }
    Luma luma(int frame) override {
        stored_->takeBack(std::move(spare_));
        Luma out = stored_->luma(storedOf(frame));
        lumaDamage_ = stored_->lumaDamage();
        return out;
    }
    DisplayPicture display(int frame) override {
        DisplayPicture out = stored_->display(storedOf(frame));
        displayDamage_ = stored_->displayDamage();
        return out;
    }
    Picture colours(int frame) override { return stored_->colours(storedOf(frame)); }

  private:
    [[nodiscard]] int storedOf(int frame) const {
        if (!info_.frames.contains(frame))
            throw InputError(text("Frame %d is outside of \"%s\", which has %d–%d on its even grid.", frame,
                                  info_.spec.c_str(), info_.frames.first, info_.frames.last));
        return info_.storedFrames[size_t(frame - info_.frames.first)];
    }
    std::unique_ptr<PlateSource> stored_;
};

}  // namespace

std::unique_ptr<PlateSource> onEvenTimes(std::unique_ptr<PlateSource> stored) {
    return std::make_unique<EvenTimes>(std::move(stored));
}

}  // namespace va
