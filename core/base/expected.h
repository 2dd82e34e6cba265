// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/problem.h"

#include <optional>
#include <utility>
#include <variant>

namespace bindrel {

/// A value, or the problem that kept it from being made. Every failure that a user can cause travels in one of these;
/// exceptions are left for bugs.
/// REQUIRES: value() only when ok(), problem() only when not.
template <typename T> class [[nodiscard]] Expected {
public:
    Expected(T value) : state_(std::in_place_index<0>, std::move(value)) {}
    Expected(Problem problem) : state_(std::in_place_index<1>, std::move(problem)) {}

    bool ok() const { return state_.index() == 0; }
    explicit operator bool() const { return ok(); }

    const T& value() const& { return std::get<0>(state_); }
    T& value() & { return std::get<0>(state_); }
    T&& value() && { return std::get<0>(std::move(state_)); }
    const T& operator*() const& { return value(); }
    T& operator*() & { return value(); }
    T&& operator*() && { return std::move(*this).value(); }
    const T* operator->() const { return &value(); }
    T* operator->() { return &value(); }

    const Problem& problem() const { return std::get<1>(state_); }

private:
    std::variant<T, Problem> state_;
};

/// Success without a value, or a problem.
class [[nodiscard]] Outcome {
public:
    Outcome() = default;
    Outcome(Problem problem) : problem_(std::move(problem)) {}
    bool ok() const { return !problem_; }
    explicit operator bool() const { return ok(); }
    const Problem& problem() const { return *problem_; }

private:
    std::optional<Problem> problem_;
};

} // namespace bindrel
