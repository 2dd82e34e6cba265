// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace bindrel {

/// One function object of several, for std::visit.
template <typename... Ts> struct Overloaded : Ts... {
    using Ts::operator()...;
};
template <typename... Ts> Overloaded(Ts...) -> Overloaded<Ts...>;

} // namespace bindrel
