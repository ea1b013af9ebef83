// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace va {

/// How a value goes from a key to the next one.
enum class Between : uint8_t {
    hold,    ///< stays, and jumps at the next key
    linear,  ///< evenly
    /// By a cubic with a common tangent at each key: the slope between its neighbours (Catmull & Rom 1974). Numbers,
    /// component by component, never go beyond their keys (smoothNumber); shapes and rotations may, a little.
    smooth
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

/// The slope at a key between two spans with the mean slopes `early` and `late`, where the plain one is `slope`:
/// nothing at a turning point, and at most three times the flatter span's slope. With such tangents a cubic stays
/// between its keys (Fritsch & Carlson, SIAM J. Numer. Anal. 17, 1980; the square of de Boor & Swartz 1977, which needs
/// no look at the spans beyond).
inline double monotoneSlope(double slope, double early, double late) {
    if (early * late <= 0) return 0;
    const double limit = 3 * std::min(std::fabs(early), std::fabs(late));
    return std::clamp(slope, -limit, limit);
}

/// Hermite's cubic from `v[1]` to `v[2]` over `span` frames, at the share `t` of it. `v[0]` and `v[3]` lie `before` and
/// `after` frames beyond; 0 where there is no such key.
inline double smoothNumber(const double (&v)[4], double before, double span, double after, double t) {
    const double here = (v[2] - v[1]) / span;
    const auto slope = [&](double other, double far, double outer, double inner, double sign) {
        return far > 0 ? monotoneSlope(sign * (other - outer) / (far + span), sign * (inner - outer) / far, here)
                       : here;
    };
    const double m1 = slope(v[2], before, v[0], v[1], 1), m2 = slope(v[1], after, v[3], v[2], -1);
    return (1 + 2 * t) * (1 - t) * (1 - t) * v[1] + t * (1 - t) * (1 - t) * span * m1 + t * t * (3 - 2 * t) * v[2] +
           t * t * (t - 1) * span * m2;
}

/// What smoothNumber() does, for each type that is keyed. Types whose components mean nothing alone go by the sum of
/// weights of their four keys.
template <class T>
T smoothBetween(const T* const* v, double before, double span, double after, double t) {
    const double early = span / (before + span), late = span / (span + after);
    const double h00 = (1 + 2 * t) * (1 - t) * (1 - t), h10 = t * (1 - t) * (1 - t), h01 = t * t * (3 - 2 * t),
                 h11 = t * t * (t - 1);
    const double weights[] = {-h10 * early, h00 - h11 * late, h01 + h10 * early, h11 * late};
    return weightedSum(v, weights, 4);
}
inline double smoothBetween(const double* const* v, double before, double span, double after, double t) {
    return smoothNumber({*v[0], *v[1], *v[2], *v[3]}, before, span, after, t);
}
template <int N>
Eigen::Vector<double, N> smoothBetween(const Eigen::Vector<double, N>* const* v, double before, double span,
                                       double after, double t) {
    Eigen::Vector<double, N> out;
    for (int k = 0; k < N; ++k)
        out[k] = smoothNumber({(*v[0])[k], (*v[1])[k], (*v[2])[k], (*v[3])[k]}, before, span, after, t);
    return out;
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
        const auto first = last != keys_.begin() ? std::prev(last) : last;
        const auto beyond = std::next(next) != keys_.end() ? std::next(next) : next;
        const T* values[] = {&first->value, &last->value, &next->value, &beyond->value};
        return smoothBetween(static_cast<const T* const*>(values), double(last->frame - first->frame), span,
                             double(beyond->frame - next->frame), t);
    }
    /// Moves every key in time: frame → round(pivot + stretch (frame − pivot)) + by. Keys that fall together become the
    /// last of them.
    void retime(double pivot, double stretch, int by) {
        std::vector<Key<T>> keys;
        for (Key<T>& k : keys_) {
            k.frame = int(std::lround(pivot + stretch * (k.frame - pivot))) + by;
            keys.push_back(std::move(k));
        }
        std::stable_sort(keys.begin(), keys.end(), [](const auto& a, const auto& b) { return a.frame < b.frame; });
        keys_.clear();
        for (Key<T>& k : keys) {
            if (!keys_.empty() && keys_.back().frame == k.frame) keys_.back() = std::move(k);
            else keys_.push_back(std::move(k));
        }
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
