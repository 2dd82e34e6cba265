// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <memory_resource>
#include <type_traits>

namespace bindrel {

/// A list that mostly is short and only grows, in memory that is given back all at once: half as large as a vector, so
/// that all that follows from a literal fits a line of the cache.
template <typename T> class ShortList {
    static_assert(std::is_trivially_copyable_v<T>);

public:
    T* begin() { return data_; }
    T* end() { return data_ + size_; }
    const T* begin() const { return data_; }
    const T* end() const { return data_ + size_; }
    std::size_t size() const { return size_; }
    T& operator[](std::size_t at) { return data_[at]; }
    void push_back(const T& value, std::pmr::memory_resource& memory)
    {
        if (size_ == room_)
            grow(memory);
        data_[size_++] = value;
    }
    /// Keeps the first ones.
    void shrink(std::size_t size) { size_ = std::uint32_t(size); }

private:
    void grow(std::pmr::memory_resource& memory)
    {
        room_ = std::max(2u, 2 * room_);
        T* const larger = static_cast<T*>(memory.allocate(room_ * sizeof(T), alignof(T)));
        std::copy(begin(), end(), larger);
        data_ = larger;
    }

    T* data_ = nullptr;
    std::uint32_t size_ = 0, room_ = 0;
};

} // namespace bindrel
