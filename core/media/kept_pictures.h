// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "media/plate_source.h"

namespace va {

/// The luma of a plate's frames as they were read first, within a budget of memory, for steps that read the same frames
/// again. What came when the budget was used up is read from the files each time. Meant for one run of work on one
/// plate: files that change meanwhile are not noticed. May be used by several threads.
class KeptPictures {
  public:
    explicit KeptPictures(size_t budgetBytes = defaultBudget) : budget_(budgetBytes) {}

    static constexpr size_t defaultBudget = size_t(256) << 20;

    /// Keeps a frame's picture: in a byte a pixel if nothing is lost by that, else in two, to 1/512 of a grey level.
    /// Does nothing where it is kept already, the budget is used up, or levels lie outside of 0..255.
    void keep(int frame, const Luma& picture);
    /// The picture as it was kept, made in the memory of `spare`; an empty one if it was not.
    [[nodiscard]] Luma picture(int frame, Luma spare = {}) const;
    [[nodiscard]] size_t bytes() const;
    /// What the plate said of itself when it was opened first; nothing before.
    [[nodiscard]] std::optional<PlateInfo> info() const;
    void keepInfo(const PlateInfo& info);
    /// The answer to PlateSource::quickFrameNear, asked for once.
    [[nodiscard]] int quickFrameNear(int frame, const std::function<int()>& ask);

  private:
    struct Kept {
        int width = 0, height = 0;
        std::vector<uint8_t> bytes;  ///< level = (byte − black) · scale
        float black = 0, scale = 1;
        std::vector<uint16_t> words;  ///< level = word / 256; empty with bytes
    };
    [[nodiscard]] static Kept packed(const Luma& picture);

    size_t budget_, used_ = 0;
    mutable std::mutex mutex_;
    std::map<int, std::shared_ptr<const Kept>> kept_;
    std::optional<PlateInfo> info_;
    std::map<int, int> quick_;
};

/// The plate, with its luma read through `pictures`: where it was opened before, files are opened only for what was not
/// kept. Null `pictures`: the plate as it is. Throws as openPlate, in that case from what reads as well.
std::unique_ptr<PlateSource> openPlateKept(const std::string& spec, const PlateOverrides& overrides,
                                           std::shared_ptr<KeptPictures> pictures, Progress* progress = nullptr);

}  // namespace va
