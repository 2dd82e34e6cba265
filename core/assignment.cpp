// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/clock_entry.h"
#include "core/device/field_code.h"
#include "core/device/net_resistors.h"
#include "core/field_entry.h"
#include "core/pins/bindings.h"
#include "core/pins/options.h"
#include "core/plan/board_entry.h"
#include "core/plan/board_facts.h"
#include "core/plan/kind.h"
#include "core/plan/memory_size.h"
#include "core/plan/pin_property.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

class Assignment {
public:
    Assignment(const LoadedPlan& work, const std::string& what, const std::string& value)
        : work_(work), device_(*work.device), plan_(work.plan),
          board_(boardWithPlan(*work.board, *work.device, work.plan)), what_(what), value_(value)
    {
    }

    Expected<Edit> read()
    {
        if (const Expected<std::optional<Edit>> text = ofPlan(); !text)
            return text.problem();
        else if (*text)
            return **text;
        if (const ClockIndex clock = clockCalled(what_); clock >= 0) {
            const Expected<ClockEntry> entry = readClockEntry(device_, clock, value_);
            if (!entry)
                return entry.problem();
            if (entry->wish)
                return problemOf(say("{} is a rate, which follows from the clock tree. Give the clock's own "
                                     "setting, or search for settings that reach the rate.",
                                     value_));
            return entry->edit;
        }
        const size_t dot = what_.find('.');
        if (dot == std::string::npos)
            return unknown(what_);
        const std::string head = what_.substr(0, dot), rest = what_.substr(dot + 1);
        if (head == "project")
            return project(rest);
        if (head == "net")
            return net(rest);
        if (head == "resistors" || head == "pull") // as it was called before there were others
            return resistors(rest);
        if (head == "place") {
            if (!board_.part(rest)) {
                std::vector<std::string> ids;
                for (const Part& part : board_.parts)
                    ids.push_back(part.id);
                return problemOf(say("\"{}\" is no part of the board.{}", rest, didYouMean(rest, ids)));
            }
            const Expected<BoardPlace> read = parsePlace(value_);
            if (given() && !read)
                return read.problem();
            return edit(SetPlace{rest, given() ? std::optional(placeText(*read)) : std::nullopt});
        }
        if (head == "wish")
            return wish(rest);
        if (head == "mode")
            return mode(rest);
        if (head == "nonvolatile")
            return stored(rest);
        if (head == "hold")
            return hold(rest);
        if (const Need* need = plan_.need(head))
            return ofNeed(*need, rest);
        return unknown(head);
    }

private:
    Edit edit(Change change) const
    {
        return editOf(fmt::format("{} = {}", what_, value_.empty() ? "default" : value_), std::move(change));
    }
    std::optional<std::string> given() const { return value_.empty() ? std::nullopt : std::optional(value_); }

    ClockIndex clockCalled(const std::string& id) const
    {
        for (const ClockIndex c : device_.clocks.indices())
            if (lowered(device_.clocks[c].id) == lowered(id))
                return ClockIndex(int(c));
        return ClockIndex(-1);
    }

    Expected<std::optional<Edit>> ofPlan() const
    {
        using What = SetText::What;
        const auto one = [&](const std::string& among, const std::vector<std::string>& known) -> Outcome {
            return value_.empty() || std::find(known.begin(), known.end(), value_) != known.end()
                       ? Outcome()
                       : Outcome(problemOf(say("\"{}\" is not {} of {}; it has {}.{}", value_, among, device_.name,
                                               known.empty() ? "none" : listed(known), didYouMean(value_, known))));
        };
        if (what_ == "name") {
            if (value_.empty())
                return problemOf(say("a plan must have a name."));
            return std::optional(edit(SetText{What::Name, value_}));
        }
        if (what_ == "supply") {
            if (const Expected<Voltage> read = parseVoltage(value_); !value_.empty() && !read)
                return read.problem();
            return std::optional(edit(SetText{What::Supply, value_}));
        }
        if (what_ == "temperature") {
            if (value_.empty())
                return std::optional(edit(SetText{What::Temperature, {}}));
            const Expected<TemperatureRange> read = parseTemperatures(value_);
            if (!read)
                return read.problem();
            return std::optional(edit(SetText{What::Temperature, temperatureText(*read)}));
        }
        if (what_ == "stack" || what_ == "heap") {
            const Expected<std::uint32_t> size = parseMemorySize(value_);
            if (!value_.empty() && !size)
                return size.problem();
            return std::optional(edit(
                SetText{what_ == "stack" ? What::Stack : What::Heap, size ? memorySizeText(*size) : std::string()}));
        }
        if (what_ == "outline") {
            const Expected<BoardOutline> read = parseOutline(value_);
            if (!value_.empty() && !read)
                return read.problem();
            return std::optional(edit(SetText{What::Outline, read ? outlineText(*read) : std::string()}));
        }
        if (what_ == "chip") {
            const Expected<BoardPlace> read = parsePlace(value_);
            if (!value_.empty() && !read)
                return read.problem();
            return std::optional(edit(SetText{What::ChipPlace, read ? placeText(*read) : std::string()}));
        }
        if (what_ == "range") {
            std::vector<std::string> ids;
            for (const auto& range : device_.ranges)
                ids.push_back(range.id);
            if (const Outcome known = one(say("an operating range"), ids); !known)
                return known.problem();
            return std::optional(edit(SetText{What::Range, value_}));
        }
        if (what_ == "regulator") {
            std::vector<std::string> ids;
            for (const Regulator& regulator : device_.regulators)
                ids.push_back(regulator.id);
            if (const Outcome known = one(say("a regulator"), ids); !known)
                return known.problem();
            return std::optional(edit(SetText{What::Regulator, value_}));
        }
        if (what_ == "prefix") {
            const bool word =
                std::all_of(value_.begin(), value_.end(),
                            [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_'; }) &&
                (value_.empty() || (value_[0] >= 'a' && value_[0] <= 'z')) && value_.size() <= 40;
            if (!word)
                return problemOf(
                    say("a prefix is a word of lower-case letters, digits and underscores that begins with a "
                        "letter, of at most 40 characters."));
            return std::optional(edit(SetText{What::Prefix, value_}));
        }
        if (what_ == "on_failure") {
            const std::optional<OnFailure> policy = value_.empty() ? OnFailure::Stop : onFailureOf(value_);
            if (!policy)
                return problemOf(say("\"{}\" is not possible; use stop, go on or fall back.", value_));
            return std::optional(edit(SetOnFailure{*policy}));
        }
        if (what_ == "leave_out") {
            SetLeftOut out;
            for (const std::string& name : value_.empty() ? std::vector<std::string>() : splitted(value_, ','))
                if (const Outcome known = addLeftOut(trimmed(name), out.parts, out.kinds); !known)
                    return known.problem();
            return std::optional(edit(std::move(out)));
        }
        return std::optional<Edit>();
    }

    Expected<bool> yesOrNo() const
    {
        if (value_ == "yes" || value_ == "on")
            return true;
        if (value_.empty() || value_ == "no" || value_ == "off")
            return false;
        return problemOf(say("\"{}\" is not possible; use yes or no.", value_));
    }

    std::string padCalled(const std::string& name) const
    {
        for (const Pad& pad : device_.pads)
            if (lowered(pad.name) == lowered(name))
                return pad.name;
        return {};
    }
    Problem noPad(const std::string& name) const
    {
        std::vector<std::string> pads;
        for (const Pad& pad : device_.pads)
            pads.push_back(pad.name);
        return problemOf(say("\"{}\" is not a pad of {}.{}", name, device_.name, didYouMean(name, pads)));
    }

    Expected<Edit> net(const std::string& name) const
    {
        const std::string pad = padCalled(name);
        if (pad.empty())
            return noPad(name);
        return edit(SetNet{pad, given()});
    }
    Expected<Edit> project(const std::string& key) const
    {
        const LayoutSetting* setting = layoutSetting(key);
        if (!setting)
            return problemOf(say("\"{}\" is not a setting of the project; it has {}.{}", key, listed(layoutKeys()),
                                 didYouMean(key, layoutKeys())));
        ProjectLayout layout = plan_.project;
        if (const Outcome set = setting->set(layout, value_); !set)
            return set.problem();
        return edit(SetProject{std::move(layout)});
    }
    Expected<Edit> wish(const std::string& sentence) const
    {
        const Expected<Wish> read = parseWish(sentence);
        if (!read)
            return read.problem();
        if (!given())
            return edit(SetWish{wishText(*read), std::nullopt});
        const std::optional<WishStrength> strength = wishStrengthOf(value_);
        if (!strength)
            return problemOf(say("\"{}\" is not how strong a wish is; use wish, rule or dropped.", value_));
        return edit(SetWish{wishText(*read), *strength});
    }
    Expected<Edit> resistors(const std::string& name) const
    {
        const std::string pad = padCalled(name);
        if (pad.empty())
            return noPad(name);
        if (!given())
            return edit(SetResistors{pad, std::nullopt});
        const Expected<NetResistors> resistors = resistorsFrom(value_);
        if (!resistors)
            return resistors.problem();
        return edit(SetResistors{pad, *resistors});
    }
    Expected<Edit> mode(const std::string& id) const
    {
        std::vector<std::string> ids;
        for (const auto& mode : device_.modes)
            ids.push_back(mode.id);
        if (device_.findMode(id) < 0)
            return problemOf(say("\"{}\" is not a low-power mode of {}; it has {}.{}", id, device_.name,
                                 ids.empty() ? "none" : listed(ids), didYouMean(id, ids)));
        const Expected<bool> on = yesOrNo();
        if (!on)
            return on.problem();
        return edit(SetMode{id, *on});
    }
    Expected<Edit> stored(const std::string& id) const
    {
        if (!findStored(device_, id))
            return problemOf(say("\"{}\" is not a setting in the non-volatile memory of {}.{}", id, device_.name,
                                 didYouMean(id, storedIds(device_))));
        if (const Expected<std::uint32_t> code = storedCode(device_, id, value_); !value_.empty() && !code)
            return code.problem();
        return edit(SetStored{id, given()});
    }
    Expected<Edit> hold(const std::string& of) const
    {
        const Expected<bool> on = yesOrNo();
        if (!on)
            return on.problem();
        const size_t dot = of.find('.');
        const Need* need = plan_.need(of.substr(0, dot));
        if (need && dot == std::string::npos)
            return edit(SetHold{holdOfNeed(need->id), *on});
        if (need) {
            for (const SignalSpec& signal : signalsOf(*need))
                if (signal.id == of.substr(dot + 1))
                    return edit(SetHold{holdOfSignal(need->id, signal.id), *on});
        } else if (const ClockIndex clock = clockCalled(of); clock >= 0) {
            return edit(SetHold{holdOfClock(device_.clocks[clock].id), *on});
        }
        return problemOf(say("\"{}\" is neither a clock, nor a need, nor a signal of one.", of));
    }

    Expected<Edit> ofNeed(const Need& need, const std::string& what) const
    {
        const KindSpec* kind = findKind(need.kind);
        // A few goals are called as their signals: the value says which is meant.
        const std::vector<SignalSpec> signals = signalsOf(need);
        const bool isSignal = std::any_of(signals.begin(), signals.end(),
                                          [&what](const SignalSpec& signal) { return signal.id == what; });
        if (kind->goal(what) && !(isSignal && !padCalled(value_).empty())) {
            if (!value_.empty())
                if (const Expected<std::string> checked = checkGoal(*kind->goal(what), value_); !checked)
                    return problemOf(fmt::format("{}: {}", kind->goal(what)->title, checked.problem().message));
            if (!matters(need, what))
                return problemOf(say("{} does not apply to {} with its other goals.", what, need.title));
            return edit(SetGoal{need.id, what, given()});
        }
        Need with = need;
        if (what == "title") {
            if (value_.empty() || value_.size() > 60)
                return problemOf(say("a title has 1 to 60 characters."));
            with.title = value_;
            return edit(ReplaceNeed{need.id, with});
        }
        if (what == "core") {
            std::vector<std::string> ids;
            for (const Core& core : device_.cores)
                ids.push_back(core.id);
            if (!value_.empty() && std::find(ids.begin(), ids.end(), value_) == ids.end())
                return problemOf(say("\"{}\" is not a core of this chip; it has {}.{}", value_, listed(ids),
                                     didYouMean(value_, ids)));
            with.core = value_ == ids.front() ? std::string() : value_;
            return edit(ReplaceNeed{need.id, with});
        }
        if (what == "leave_out") {
            const Expected<bool> yes = yesOrNo();
            if (!yes)
                return yes.problem();
            with.leftOut = *yes;
            return edit(ReplaceNeed{need.id, with});
        }
        const NeedIndex index = static_cast<int>(&need - plan_.needs.data());
        if (what == "instance")
            return instance(index);
        const size_t dot = what.find('.');
        for (const SignalSpec& signal : signalsOf(need)) {
            if (signal.id == what)
                return pad(index, signal.id);
            if (dot != std::string::npos && signal.id == what.substr(0, dot)) {
                const std::string property = what.substr(dot + 1);
                std::vector<std::string> ids;
                for (const PinProperty& known : pinProperties())
                    ids.push_back(known.id);
                if (!findPinProperty(property))
                    return problemOf(say("\"{}\" is not a property of a pad; there are {}.{}", property, listed(ids),
                                         didYouMean(property, ids)));
                if (!value_.empty())
                    if (const Expected<std::string> checked = checkPinProperty(property, value_); !checked)
                        return checked.problem();
                return edit(pinPropertyChange(need, signal.id, property, given()));
            }
        }
        if (const InstanceIndex own = device_.findInstance(need.binding.instance); own >= 0)
            for (const Register& reg : device_.blockOf(own).registers)
                if (reg.name == what.substr(0, dot))
                    return bits(index, own, reg, dot == std::string::npos ? std::string() : what.substr(dot + 1));
        std::vector<std::string> known{"title", "core", "instance", "leave_out"};
        for (const GoalSpec& goal : kind->goals)
            known.push_back(goal.id);
        for (const SignalSpec& signal : signalsOf(need))
            known.push_back(signal.id);
        return problemOf(say("{} has no goal and no signal \"{}\".{} It has {}.", need.title, what,
                             didYouMean(what, known), listed(known)));
    }

    /// "uplink.CTL.MODE=2" and "uplink.CTL=0x21": a goal where one expresses it, else set by hand.
    Expected<Edit> bits(NeedIndex need, InstanceIndex own, const Register& reg, const std::string& name) const
    {
        const auto s = computeSnapshot(work_);
        const Register* first = s->device->blockOf(own).registers.data();
        const RegisterIndex at = static_cast<int>(&reg - device_.blockOf(own).registers.data());
        Expected<FieldEntry> entry = problemOf("");
        if (name.empty()) {
            const Expected<std::uint32_t> word = wordValue(reg, value_);
            if (!word)
                return word.problem();
            entry = enterRegister(*s, need, own, at, *word);
        } else {
            std::vector<std::string> fields;
            for (const Field& field : first[at].fields)
                fields.push_back(field.name);
            const auto found = std::find(fields.begin(), fields.end(), name);
            if (found == fields.end())
                return problemOf(say("{} has no field \"{}\".{} It has {}.", reg.name, name, didYouMean(name, fields),
                                     listed(fields)));
            entry = enterField(*s, need, {own, at, static_cast<int>(found - fields.begin())}, value_);
        }
        if (!entry)
            return entry.problem();
        return std::move(entry->edit);
    }

    Expected<Edit> instance(NeedIndex index) const
    {
        const Need& need = plan_.needs[index];
        if (value_.empty())
            return edit(SetBinding{need.id, {}});
        std::vector<std::string> names;
        for (const InstanceOption& option : instanceOptions(device_, board_, plan_, index)) {
            const std::string& name = device_.instances[option.instance].name;
            names.push_back(name);
            if (lowered(name) != lowered(value_))
                continue;
            if (option.cost == Option::Cost::Current)
                return Edit{what_, {}};
            if (option.cost != Option::Cost::Free)
                return problemOf(say("{} cannot be on {} as things are: {}.", need.title, name, option.reason));
            return Edit{what_ + " = " + name, option.edit.changes};
        }
        return problemOf(say("\"{}\" cannot serve {}; what can: {}.{}", value_, need.title,
                             names.empty() ? "nothing" : listed(names), didYouMean(value_, names)));
    }

    Expected<Edit> pad(NeedIndex index, const std::string& signal) const
    {
        const Need& need = plan_.needs[index];
        if (value_.empty()) {
            Binding binding = need.binding;
            binding.pads.erase(signal);
            return edit(SetBinding{need.id, binding});
        }
        const std::string name = padCalled(value_);
        if (name.empty())
            return noPad(value_);
        const Bindings bindings = bind(device_, plan_);
        std::string why = say("{} does not have that signal", name);
        for (const Option& option : optionsFor(device_, board_, plan_, bindings, index, signal)) {
            if (device_.pads[option.pad].name != name)
                continue;
            if (option.cost == Option::Cost::Current)
                return Edit{what_, {}};
            if (option.cost == Option::Cost::Free || option.cost == Option::Cost::Moves)
                return Edit{what_ + " = " + name,
                            takeOption(device_, board_, plan_, bindings, index, signal, option).changes};
            why = option.reason;
        }
        return problemOf(say("{} {} cannot be on {}: {}.", need.title, signal, name, why));
    }

    Problem unknown(const std::string& name) const
    {
        std::vector<std::string> known{"name",   "supply",     "temperature", "range", "regulator",
                                       "prefix", "on_failure", "net",         "mode",  "nonvolatile",
                                       "hold",   "leave_out",  "resistors",   "wish",  "outline",
                                       "chip",   "place",      "stack",       "heap",  "project"};
        for (const ClockNode& clock : device_.clocks)
            known.push_back(clock.id);
        for (const Need& need : plan_.needs)
            known.push_back(need.id);
        return problemOf(say("\"{}\" is neither a clock of {}, nor the id of a need, nor a setting of the "
                             "plan.{}",
                             name, device_.name, didYouMean(name, known)));
    }

    const LoadedPlan& work_;
    const Device& device_;
    const Plan& plan_;
    const Board board_;
    const std::string what_;
    const std::string value_;
};

} // namespace

Expected<Edit> readAssignment(const LoadedPlan& work, std::string_view text)
{
    const size_t equals = text.find('=');
    if (equals == std::string_view::npos || text.size() > 2000 || !isUtf8(text))
        return problemOf(
            say("\"{}\" is not WHAT=VALUE, as in SYS=HFX or uplink.baud=9600.", std::string(text.substr(0, 80))));
    const std::string what(trimmed(text.substr(0, equals))), value(trimmed(text.substr(equals + 1)));
    return Assignment(work, what, value).read();
}

Expected<Plan> assigned(const LoadedPlan& start, const std::vector<std::string>& assignments,
                        std::vector<std::string>* told)
{
    LoadedPlan work = start;
    for (const std::string& assignment : assignments) {
        const Expected<Edit> edit = readAssignment(work, assignment);
        if (!edit)
            return problemOf(assignment.substr(0, assignment.find('=')) + ": " + edit.problem().message);
        for (const Change& change : edit->changes)
            if (told)
                told->push_back(describe(work.plan, change));
        Expected<Plan> next = applied(work.plan, *edit);
        if (!next)
            return next.problem();
        work.plan = *std::move(next);
    }
    return std::move(work.plan);
}

} // namespace bindrel
