// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/kept_pictures.h"

#include <algorithm>
#include <utility>

#include "base/cpu_clones.h"

namespace va {
namespace {

/// Whether every level is (byte − black) · scale for some byte, which is written to `out`.
VA_CPU_CLONES bool toBytes(const float* __restrict in, size_t n, float black, float scale, uint8_t* __restrict out) {
    const float per = 1 / scale, half = black + 0.5f;
    int off = 0;
    for (size_t i = 0; i < n; ++i) {
        const int byte = int(in[i] * per + half);
        const float back = (float(byte) - black) * scale;
        off |= (byte & ~0xff) | int(back != in[i]);
        out[i] = uint8_t(byte);
    }
    return off == 0;
}

VA_CPU_CLONES bool toWords(const float* __restrict in, size_t n, uint16_t* __restrict out) {
    int off = 0;
    for (size_t i = 0; i < n; ++i) {
        const int word = int(in[i] * 256 + 0.5f);
        off |= (word & ~0xffff) | int(in[i] < 0);
        out[i] = uint16_t(word);
    }
    return off == 0;
}

VA_CPU_CLONES void fromBytes(const uint8_t* in, size_t n, float black, float scale, float* out) {
    for (size_t i = 0; i < n; ++i) out[i] = (float(in[i]) - black) * scale;
}

VA_CPU_CLONES void fromWords(const uint16_t* in, size_t n, float* out) {
    for (size_t i = 0; i < n; ++i) out[i] = float(in[i]) / 256;
}

class KeptSource final : public PlateSource {
  public:
    KeptSource(std::string spec, PlateOverrides overrides, std::shared_ptr<KeptPictures> pictures, Progress* progress)
        : spec_(std::move(spec)), overrides_(std::move(overrides)), pictures_(std::move(pictures)) {
        if (auto known = pictures_->info()) {
            info_ = std::move(*known);
            return;
        }
        source_ = openPlate(spec_, overrides_, progress);
        info_ = source_->info();
        pictures_->keepInfo(info_);
    }

    Luma luma(int frame) override {
        lumaDamage_ = {};
        Luma out = pictures_->picture(frame, std::move(spare_));
        if (out.width > 0) return out;
        source().takeBack(std::move(out));
        out = source().luma(frame);
        lumaDamage_ = source().lumaDamage();
        // What depends on damage is rare, and its mask would have to be kept as well.
        if (lumaDamage_.empty()) pictures_->keep(frame, out);
        return out;
    }
    DisplayPicture display(int frame) override {
        DisplayPicture out = source().display(frame);
        displayDamage_ = source().displayDamage();
        return out;
    }
    Picture colours(int frame) override { return source().colours(frame); }
    [[nodiscard]] int quickFrameNear(int frame) const override {
        return pictures_->quickFrameNear(frame, [&] { return source().quickFrameNear(frame); });
    }

  private:
    PlateSource& source() const {
        if (!source_) source_ = openPlate(spec_, overrides_);
        return *source_;
    }

    std::string spec_;
    PlateOverrides overrides_;
    mutable std::unique_ptr<PlateSource> source_;  ///< null until something is read that was not kept
    std::shared_ptr<KeptPictures> pictures_;
};

}  // namespace

KeptPictures::Kept KeptPictures::packed(const Luma& picture) {
    Kept out;
    out.width = picture.width;
    out.height = picture.height;
    const size_t n = picture.data.size();
    out.bytes.resize(n);
    // Levels of eight bits in full and in limited range.
    const size_t few = std::min<size_t>(n, 4096);
    for (const auto& [black, scale] : {std::pair(0.0f, 1.0f), std::pair(16.0f, 255.0f / 219.0f)})
        if (toBytes(picture.data.data(), few, black, scale, out.bytes.data()) &&
            toBytes(picture.data.data(), n, black, scale, out.bytes.data())) {
            out.black = black;
            out.scale = scale;
            return out;
        }
    out.bytes = {};
    out.words.resize(n);
    if (!toWords(picture.data.data(), n, out.words.data())) out.words = {};
    return out;
}

void KeptPictures::keep(int frame, const Luma& picture) {
    {
        const std::scoped_lock lock(mutex_);
        if (kept_.contains(frame) || used_ + picture.data.size() > budget_) return;
    }
    auto made = std::make_shared<const Kept>(packed(picture));
    const size_t size = made->bytes.size() + 2 * made->words.size();
    const std::scoped_lock lock(mutex_);
    if (size == 0 || used_ + size > budget_ || !kept_.emplace(frame, std::move(made)).second) return;
    used_ += size;
}

Luma KeptPictures::picture(int frame, Luma spare) const {
    std::shared_ptr<const Kept> kept;
    {
        const std::scoped_lock lock(mutex_);
        if (const auto at = kept_.find(frame); at != kept_.end()) kept = at->second;
    }
    Luma out = std::move(spare);
    if (!kept) {
        out.width = out.height = 0;
        return out;
    }
    out.width = kept->width;
    out.height = kept->height;
    out.data.resize(size_t(out.width) * size_t(out.height));
    if (!kept->bytes.empty()) fromBytes(kept->bytes.data(), out.data.size(), kept->black, kept->scale, out.data.data());
    else fromWords(kept->words.data(), out.data.size(), out.data.data());
    return out;
}

size_t KeptPictures::bytes() const {
    const std::scoped_lock lock(mutex_);
    return used_;
}

std::optional<PlateInfo> KeptPictures::info() const {
    const std::scoped_lock lock(mutex_);
    return info_;
}

void KeptPictures::keepInfo(const PlateInfo& info) {
    const std::scoped_lock lock(mutex_);
    info_ = info;
}

int KeptPictures::quickFrameNear(int frame, const std::function<int()>& ask) {
    const std::scoped_lock lock(mutex_);
    const auto [at, fresh] = quick_.emplace(frame, frame);
    if (fresh) at->second = ask();
    return at->second;
}

std::unique_ptr<PlateSource> openPlateKept(const std::string& spec, const PlateOverrides& overrides,
                                           std::shared_ptr<KeptPictures> pictures, Progress* progress) {
    if (!pictures) return openPlate(spec, overrides, progress);
    return std::make_unique<KeptSource>(spec, overrides, std::move(pictures), progress);
}

}  // namespace va
