// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity/quantity.h"

#include <atomic>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace bindrel {

struct KindSpec;

/// A word of a choice, by its place in GoalSpec::choices; and its number, where the word is one ("12").
struct Chosen {
    std::size_t index = 0;
    std::int64_t number = 0;
    friend bool operator==(const Chosen&, const Chosen&) = default;
};

/// What the text of a goal says. Monostate: "none", or a text that its goal does not take.
using GoalValue =
    std::variant<std::monostate, Frequency, Duration, Voltage, Ratio, Ppm, std::int64_t, Chosen, std::string>;

/// All goals of a kind as values, stated or by default, in the order of KindSpec::goals.
struct GoalValues {
    const KindSpec* kind = nullptr;
    std::vector<GoalValue> values;
    /// What the kind makes of them; see goalsOf().
    struct Own {
        virtual ~Own() = default;
    };
    mutable std::atomic<std::shared_ptr<const Own>> own;
};

/// What a need states, as typed. What that says is parsed when it is first asked for, and again after a change only:
/// every copy of a need has it. Reading from several threads is safe.
class Goals {
public:
    using Texts = std::map<std::string, std::string, std::less<>>;
    using value_type = Texts::value_type;

    Goals() = default;
    Goals(std::initializer_list<value_type> texts) : texts_(texts) {}
    Goals(Texts texts) : texts_(std::move(texts)) {}
    Goals(const Goals& other) : texts_(other.texts_), read_(other.read_.load()) {}
    Goals(Goals&& other) noexcept : texts_(std::move(other.texts_)), read_(other.read_.load()) { other.forget(); }
    Goals& operator=(const Goals& other);
    Goals& operator=(Goals&& other) noexcept;

    Texts::const_iterator begin() const { return texts_.begin(); }
    Texts::const_iterator end() const { return texts_.end(); }
    Texts::const_iterator find(std::string_view goal) const { return texts_.find(goal); }
    bool contains(std::string_view goal) const { return texts_.contains(goal); }
    bool empty() const { return texts_.empty(); }
    std::size_t size() const { return texts_.size(); }
    /// REQUIRES: it contains the goal.
    const std::string& at(const std::string& goal) const { return texts_.at(goal); }
    const Texts& texts() const { return texts_; }

    void state(std::string_view goal, std::string text);
    void erase(std::string_view goal);

    /// As goals of the kind.
    std::shared_ptr<const GoalValues> valuesFor(const KindSpec& kind) const;

    friend bool operator==(const Goals& a, const Goals& b) { return a.texts_ == b.texts_; }

private:
    void forget() { read_.store(nullptr); }

    Texts texts_;
    mutable std::atomic<std::shared_ptr<const GoalValues>> read_;
};

} // namespace bindrel
