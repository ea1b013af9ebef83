// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace va {

/// How a value goes from a key to the next one.
enum class Between : uint8_t {
    hold,    ///< stays, and jumps at the next key
    linear,  ///< evenly
    smooth   ///< by a cubic with a common tangent at each key: the slope between its neighbours (Catmull & Rom 1974)
};

/// Σ w v, the one thing that a type has to offer to be keyed. Numbers and Eigen's vectors offer it by themselves.
template <class T>
T weightedSum(const T* const* values, const double* weights, size_t n) {
    T sum = weights[0] * *values[0];
    for (size_t i = 1; i < n; ++i) sum = T(sum + weights[i] * *values[i]);
    return sum;
}
/// Element by element.
template <class T, size_t N>
std::array<T, N> weightedSum(const std::array<T, N>* const* values, const double* weights, size_t n) {
    std::array<T, N> out;
    std::vector<const T*> parts(n);
    for (size_t k = 0; k < N; ++k) {
        for (size_t i = 0; i < n; ++i) parts[i] = &(*values[i])[k];
        out[k] = weightedSum(parts.data(), weights, n);
    }
    return out;
}
/// Element by element, as far as the shortest goes.
template <class T>
std::vector<T> weightedSum(const std::vector<T>* const* values, const double* weights, size_t n) {
    size_t size = values[0]->size();
    for (size_t i = 1; i < n; ++i) size = std::min(size, values[i]->size());
    std::vector<T> out;
    out.reserve(size);
    std::vector<const T*> parts(n);
    for (size_t k = 0; k < size; ++k) {
        for (size_t i = 0; i < n; ++i) parts[i] = &(*values[i])[k];
        out.push_back(weightedSum(parts.data(), weights, n));
    }
    return out;
}
/// Rotations: the sum of those on the first one's half, normalised; for two of them within 0.3° of the great arc up to
/// 60° apart.
inline Eigen::Quaterniond weightedSum(const Eigen::Quaterniond* const* values, const double* weights, size_t n) {
    Eigen::Vector4d sum = Eigen::Vector4d::Zero();
    for (size_t i = 0; i < n; ++i)
        sum += (values[0]->dot(*values[i]) < 0 ? -weights[i] : weights[i]) * values[i]->coeffs();
    return sum.norm() > 1e-9 ? Eigen::Quaterniond(Eigen::Vector4d(sum.normalized())) : *values[0];
}

template <class T>
struct Key {
    int frame = 0;
    T value{};
    Between between = Between::linear;  ///< to the next key
    friend bool operator==(const Key&, const Key&) = default;
};

/// A value over frames, given by keys. Before the first key and after the last one it stands.
template <class T>
class Keyed {
  public:
    [[nodiscard]] bool empty() const { return keys_.empty(); }
    [[nodiscard]] size_t size() const { return keys_.size(); }
    /// In rising frame order.
    [[nodiscard]] const std::vector<Key<T>>& keys() const { return keys_; }
    [[nodiscard]] auto begin() const { return keys_.begin(); }
    [[nodiscard]] auto end() const { return keys_.end(); }
    [[nodiscard]] const Key<T>& front() const { return keys_.front(); }
    [[nodiscard]] const Key<T>& back() const { return keys_.back(); }

    /// Sets a frame's key, or changes its value.
    void set(int frame, T value) {
        const auto at = slot(frame);
        if (at != keys_.end() && at->frame == frame) at->value = std::move(value);
        else
            keys_.insert(at, {frame, std::move(value), at != keys_.begin() ? std::prev(at)->between : Between::linear});
    }
    /// False where the frame has no key.
    bool setBetween(int frame, Between between) {
        const auto at = slot(frame);
        if (at == keys_.end() || at->frame != frame) return false;
        at->between = between;
        return true;
    }
    bool remove(int frame) {
        return std::erase_if(keys_, [frame](const Key<T>& k) { return k.frame == frame; }) > 0;
    }
    void clear() { keys_.clear(); }
    /// The value at a frame that has a key, else null.
    [[nodiscard]] const T* key(int frame) const {
        const auto at = std::lower_bound(keys_.begin(), keys_.end(), frame, before);
        return at != keys_.end() && at->frame == frame ? &at->value : nullptr;
    }
    /// The last key up to a frame, and the first one from it on; null where there is none.
    [[nodiscard]] const Key<T>* atOrBefore(int frame) const {
        const auto beyond = std::lower_bound(keys_.begin(), keys_.end(), frame + 1, before);
        return beyond == keys_.begin() ? nullptr : &*std::prev(beyond);
    }
    [[nodiscard]] const Key<T>* atOrAfter(int frame) const {
        const auto at = std::lower_bound(keys_.begin(), keys_.end(), frame, before);
        return at == keys_.end() ? nullptr : &*at;
    }
    /// Changes every key's value.
    template <class Change>
    void forEach(Change change) {
        for (Key<T>& k : keys_) change(k.value);
    }
    /// The value in a frame, or between two; there has to be a key.
    [[nodiscard]] T at(double frame) const {
        const auto next =
            std::lower_bound(keys_.begin(), keys_.end(), frame, [](const Key<T>& k, double f) { return k.frame < f; });
        if (next == keys_.begin() || (next != keys_.end() && next->frame == frame)) return next->value;
        const auto last = std::prev(next);
        if (next == keys_.end() || last->between == Between::hold) return last->value;
        const double span = next->frame - last->frame, t = (frame - last->frame) / span;
        if (last->between == Between::linear) {
            const T* values[] = {&last->value, &next->value};
            const double weights[] = {1 - t, t};
            return weightedSum(values, weights, 2);
        }
        // Hermite's cubic; tangents by the neighbours, of the outermost keys by the one neighbour that they have.
        const auto first = last != keys_.begin() ? std::prev(last) : last;
        const auto beyond = std::next(next) != keys_.end() ? std::next(next) : next;
        const double early = span / (next->frame - first->frame), late = span / (beyond->frame - last->frame);
        const double h00 = (1 + 2 * t) * (1 - t) * (1 - t), h10 = t * (1 - t) * (1 - t), h01 = t * t * (3 - 2 * t),
                     h11 = t * t * (t - 1);
        const T* values[] = {&first->value, &last->value, &next->value, &beyond->value};
        const double weights[] = {-h10 * early, h00 - h11 * late, h01 + h10 * early, h11 * late};
        return weightedSum(values, weights, 4);
    }
    /// The values in some frames.
    [[nodiscard]] std::vector<T> in(const std::vector<int>& frames) const {
        std::vector<T> out;
        for (const int f : frames) out.push_back(at(f));
        return out;
    }
    friend bool operator==(const Keyed&, const Keyed&) = default;

  private:
    static bool before(const Key<T>& k, int frame) { return k.frame < frame; }
    [[nodiscard]] auto slot(int frame) { return std::lower_bound(keys_.begin(), keys_.end(), frame, before); }
    std::vector<Key<T>> keys_;
};

}  // namespace va
