// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <initializer_list>
#include <memory>
#include <vector>

namespace va {

/// A vector whose copies share their elements until one of them is changed: a copy costs a pointer. Every access that
/// may change something takes a copy of its own first where others share the elements, so that pointers and iterators
/// from before are not of this vector any more. Like std::vector it is safe to read from several threads at once, and
/// different copies may be changed by different threads.
template <class T>
class SharedVector {
  public:
    using value_type = T;
    using iterator = typename std::vector<T>::iterator;
    using const_iterator = typename std::vector<T>::const_iterator;

    SharedVector() = default;
    SharedVector(std::initializer_list<T> values) : data_(std::make_shared<std::vector<T>>(values)) {}
    SharedVector(std::vector<T> values) : data_(std::make_shared<std::vector<T>>(std::move(values))) {}
    template <class It>
    SharedVector(It first, It last) : data_(std::make_shared<std::vector<T>>(first, last)) {}

    [[nodiscard]] size_t size() const { return data_ ? data_->size() : 0; }
    [[nodiscard]] bool empty() const { return size() == 0; }
    [[nodiscard]] const std::vector<T>& values() const {
        static const std::vector<T> none;
        return data_ ? *data_ : none;
    }
    /// The elements to change, this vector's own.
    [[nodiscard]] std::vector<T>& own() {
        if (!data_) data_ = std::make_shared<std::vector<T>>();
        else if (data_.use_count() > 1) data_ = std::make_shared<std::vector<T>>(*data_);
        return *data_;
    }
    /// True where both share their elements: they are equal then without a look at them.
    [[nodiscard]] bool sharesWith(const SharedVector& other) const { return data_ == other.data_; }

    [[nodiscard]] const T& operator[](size_t i) const { return (*data_)[i]; }
    [[nodiscard]] T& operator[](size_t i) { return own()[i]; }
    [[nodiscard]] const T& front() const { return data_->front(); }
    [[nodiscard]] T& front() { return own().front(); }
    [[nodiscard]] const T& back() const { return data_->back(); }
    [[nodiscard]] T& back() { return own().back(); }
    [[nodiscard]] const_iterator begin() const { return values().begin(); }
    [[nodiscard]] const_iterator end() const { return values().end(); }
    [[nodiscard]] iterator begin() { return own().begin(); }
    [[nodiscard]] iterator end() { return own().end(); }

    void reserve(size_t n) { own().reserve(n); }
    void resize(size_t n) { own().resize(n); }
    void clear() { data_.reset(); }
    void push_back(const T& value) { own().push_back(value); }
    template <class... A>
    T& emplace_back(A&&... a) {
        return own().emplace_back(std::forward<A>(a)...);
    }
    void pop_back() { own().pop_back(); }
    template <class... A>
    auto insert(A&&... a) {
        return own().insert(std::forward<A>(a)...);
    }
    template <class... A>
    auto erase(A&&... a) {
        return own().erase(std::forward<A>(a)...);
    }
    /// Removes what a rule holds for; how many that were.
    template <class Rule>
    size_t eraseIf(Rule rule) {
        // Without anything to remove the elements stay shared.
        for (const T& v : values())
            if (rule(v)) return std::erase_if(own(), rule);
        return 0;
    }

    friend bool operator==(const SharedVector& a, const SharedVector& b) {
        return a.sharesWith(b) || a.values() == b.values();
    }

  private:
    std::shared_ptr<std::vector<T>> data_;
};

}  // namespace va
