// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <compare>
#include <cstddef>
#include <vector>

namespace va {

/// Which of a solve's frames, counted from 0: an index into Observations::frames and whatever else holds one value a
/// frame. It is not the plate's frame number, and neither turns into the other by itself; Observations::number() does.
class FrameIndex {
  public:
    constexpr FrameIndex() = default;
    constexpr explicit FrameIndex(int index) : index_(index) {}
    [[nodiscard]] constexpr int value() const { return index_; }
    constexpr explicit operator size_t() const { return size_t(index_); }
    friend constexpr auto operator<=>(FrameIndex, FrameIndex) = default;
    friend constexpr FrameIndex operator+(FrameIndex f, int frames) { return FrameIndex(f.index_ + frames); }
    friend constexpr FrameIndex operator-(FrameIndex f, int frames) { return FrameIndex(f.index_ - frames); }
    /// Frames from b to a.
    friend constexpr int operator-(FrameIndex a, FrameIndex b) { return a.index_ - b.index_; }
    constexpr FrameIndex& operator++() {
        ++index_;
        return *this;
    }

  private:
    int index_ = 0;
};

/// 0, 1 … count − 1, for a loop over frames.
class FrameIndices {
  public:
    constexpr explicit FrameIndices(int count) : count_(count) {}
    struct Iterator {
        FrameIndex at;
        constexpr FrameIndex operator*() const { return at; }
        constexpr Iterator& operator++() {
            ++at;
            return *this;
        }
        constexpr bool operator!=(const Iterator& other) const { return at != other.at; }
    };
    [[nodiscard]] constexpr Iterator begin() const { return {FrameIndex(0)}; }
    [[nodiscard]] constexpr Iterator end() const { return {FrameIndex(count_)}; }

  private:
    int count_;
};

/// One value a frame.
template <class T>
class ByFrame {
  public:
    ByFrame() = default;
    explicit ByFrame(size_t frames, const T& value = T()) : values_(frames, value) {}
    explicit ByFrame(std::vector<T> values) : values_(std::move(values)) {}
    [[nodiscard]] const T& operator[](FrameIndex f) const { return values_[size_t(f)]; }
    [[nodiscard]] T& operator[](FrameIndex f) { return values_[size_t(f)]; }
    [[nodiscard]] bool empty() const { return values_.empty(); }
    [[nodiscard]] int count() const { return int(values_.size()); }
    [[nodiscard]] FrameIndices indices() const { return FrameIndices(count()); }
    void assign(size_t frames, const T& value) { values_.assign(frames, value); }
    void clear() { values_.clear(); }
    [[nodiscard]] auto begin() const { return values_.begin(); }
    [[nodiscard]] auto end() const { return values_.end(); }

  private:
    std::vector<T> values_;
};

}  // namespace va
