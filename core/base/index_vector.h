// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <concepts>
#include <cstddef>
#include <initializer_list>
#include <utility>
#include <vector>

namespace bindrel {

/// A vector that is subscripted by its own kind of index: neither a number nor the index of another vector is taken.
/// As for a vector, the index must be inside it. Everything else is std::vector's.
template <typename I, typename T> class IndexVector : public std::vector<T> {
    using Base = std::vector<T>;

public:
    using typename Base::const_reference;
    using typename Base::reference;

    /// The indices from the first to the last, to be walked through.
    class Indices {
    public:
        class Iterator {
        public:
            explicit Iterator(I at) : at_(at) {}
            I operator*() const { return at_; }
            Iterator& operator++()
            {
                ++at_;
                return *this;
            }
            bool operator==(const Iterator& other) const { return int(at_) == int(other.at_); }

        private:
            I at_;
        };

        explicit Indices(I end) : end_(end) {}
        Iterator begin() const { return Iterator(I(0)); }
        Iterator end() const { return Iterator(end_); }

    private:
        I end_;
    };

    using Base::Base;
    IndexVector() = default;
    IndexVector(std::initializer_list<T> values) : Base(values) {}
    explicit IndexVector(std::vector<T> values) : Base(std::move(values)) {}

    template <std::same_as<I> At> reference operator[](At at) { return Base::operator[](std::size_t(int(at))); }
    template <std::same_as<I> At> const_reference operator[](At at) const
    {
        return Base::operator[](std::size_t(int(at)));
    }

    Indices indices() const { return Indices(I(int(Base::size()))); }
    /// Of the last; -1 for an empty vector.
    I lastIndex() const { return I(int(Base::size()) - 1); }
    bool contains(I at) const { return at >= 0 && at < int(Base::size()); }
};

} // namespace bindrel
