// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <compare>
#include <type_traits>

namespace bindrel {

/// A place in one of the vectors of a device or a plan; -1 is "none". It is made from a number and counts as one, but
/// one kind of index never becomes another: a pad cannot be handed in as a clock, nor be compared with one.
template <typename Tag> class Index {
public:
    constexpr Index() = default;
    constexpr Index(int at) : at_(at) {}
    template <typename Other> Index(Index<Other>) = delete;
    constexpr operator int() const { return at_; }
    constexpr Index& operator++()
    {
        ++at_;
        return *this;
    }
    constexpr Index& operator--()
    {
        --at_;
        return *this;
    }
    constexpr Index operator--(int)
    {
        const Index before = *this;
        --at_;
        return before;
    }

private:
    int at_ = -1;
};

template <typename A, typename B>
requires(!std::is_same_v<A, B>) bool operator==(Index<A>, Index<B>) = delete;

using PadIndex = Index<struct PadTag>;           ///< into Device::pads
using PinIndex = Index<struct PinTag>;           ///< into Package::pins
using ClockIndex = Index<struct ClockTag>;       ///< into Device::clocks
using InstanceIndex = Index<struct InstanceTag>; ///< into Device::instances
using RouteIndex = Index<struct RouteTag>;       ///< into Device::routes
using DomainIndex = Index<struct DomainTag>;     ///< into Device::domains
using CoreIndex = Index<struct CoreTag>;         ///< into Device::cores
using BlockIndex = Index<struct BlockTag>;       ///< into Device::blocks
using RegisterIndex = Index<struct RegisterTag>; ///< into Block::registers
using FieldIndex = Index<struct FieldTag>;       ///< into Register::fields
using NeedIndex = Index<struct NeedTag>;         ///< into Plan::needs

} // namespace bindrel
