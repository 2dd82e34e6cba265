// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

const Need* Plan::need(std::string_view id) const
{
    for (const Need& n : needs)
        if (n.id == id)
            return &n;
    return nullptr;
}

Need* Plan::need(std::string_view id)
{
    for (Need& n : needs)
        if (n.id == id)
            return &n;
    return nullptr;
}

namespace {

constexpr std::pair<OnFailure, const char*> kPolicies[] = {
    {OnFailure::Stop, later("stop")}, {OnFailure::GoOn, later("go on")}, {OnFailure::FallBack, later("fall back")}};

constexpr std::pair<OutputPart, const char*> kParts[] = {{OutputPart::StartUp, later("start-up")},
                                                         {OutputPart::LinkerScript, later("linker script")},
                                                         {OutputPart::Main, later("main")},
                                                         {OutputPart::BuildFiles, later("build files")},
                                                         {OutputPart::Verify, later("verify")},
                                                         {OutputPart::ClockRates, later("clock rates")},
                                                         {OutputPart::Debugger, later("debugger commands")},
                                                         {OutputPart::ProjectPage, later("project page")}};

template <typename Table, typename Value> const char* nameIn(const Table& table, Value value)
{
    for (const auto& [known, name] : table)
        if (known == value)
            return name;
    return "";
}

template <typename Value, std::size_t N>
std::optional<Value> valueIn(const std::pair<Value, const char*> (&table)[N], std::string_view name)
{
    for (const auto& [value, known] : table)
        if (name == known)
            return value;
    return std::nullopt;
}

} // namespace

const char* nameOf(OutputPart part)
{
    return nameIn(kParts, part);
}

std::optional<OutputPart> outputPartOf(std::string_view name)
{
    return valueIn(kParts, name);
}

std::vector<std::string> outputPartNames()
{
    std::vector<std::string> out;
    for (const auto& [part, name] : kParts)
        out.push_back(name);
    return out;
}

std::string leftOutKindText(std::string_view kind)
{
    return "kind " + std::string(kind);
}

Outcome addLeftOut(std::string_view text, std::set<OutputPart>& parts, std::set<std::string, std::less<>>& all)
{
    if (const std::optional<OutputPart> part = outputPartOf(text)) {
        parts.insert(*part);
        return {};
    }
    std::vector<std::string> known = outputPartNames();
    for (const KindSpec& kind : kinds()) {
        known.push_back(leftOutKindText(kind.id));
        if (text == known.back()) {
            all.insert(kind.id);
            return {};
        }
    }
    return problemOf(say("\"{}\" cannot be left out of the project; use {}, or \"kind\" and a kind of need. A "
                         "single need is left out by its own leave_out.{}",
                         printable(text), listed(outputPartNames()), didYouMean(text, known)));
}

const char* nameOf(OnFailure policy)
{
    return nameIn(kPolicies, policy);
}

std::optional<OnFailure> onFailureOf(std::string_view name)
{
    return valueIn(kPolicies, name);
}

Hold holdOfClock(std::string_view clock)
{
    return {Hold::Of::Clock, std::string(clock), {}};
}
Hold holdOfNeed(std::string_view need)
{
    return {Hold::Of::Need, std::string(need), {}};
}
Hold holdOfSignal(std::string_view need, std::string_view signal)
{
    return {Hold::Of::Need, std::string(need), std::string(signal)};
}

std::string holdText(const Hold& hold)
{
    return (hold.of == Hold::Of::Clock ? "clock " : "need ") + hold.id +
           (hold.signal.empty() ? std::string() : " " + hold.signal);
}

std::optional<Hold> readHold(std::string_view text)
{
    const std::vector<std::string> words = splitted(text, ' ');
    if (words.size() == 2 && words[0] == "clock")
        return holdOfClock(words[1]);
    if ((words.size() == 2 || words.size() == 3) && words[0] == "need")
        return holdOfSignal(words[1], words.size() == 3 ? words[2] : std::string());
    return std::nullopt;
}

std::string freeNeedId(const Plan& plan, std::string_view title)
{
    std::string base;
    for (char c : lowered(title)) {
        if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'))
            base += c;
        else if (!base.empty() && base.back() != '-')
            base += '-';
    }
    while (!base.empty() && base.back() == '-')
        base.pop_back();
    if (base.empty())
        base = "need";
    // An id has at most 64 characters, a number to tell it from others included.
    base.resize(std::min<std::size_t>(base.size(), 56));
    std::string id = base;
    for (int n = 2; plan.need(id); ++n)
        id = base + "-" + std::to_string(n);
    return id;
}

std::string freeNeedTitle(const Plan& plan, std::string_view wanted)
{
    const auto taken = [&plan](const std::string& title) {
        return std::any_of(plan.needs.begin(), plan.needs.end(), [&title](const Need& n) { return n.title == title; });
    };
    const std::string base(wanted);
    std::string title = base;
    for (int n = 2; taken(title); ++n)
        title = base + " " + std::to_string(n);
    return title;
}

} // namespace bindrel
