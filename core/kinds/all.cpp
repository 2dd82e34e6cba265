// SPDX-License-Identifier: GPL-3.0-or-later
// The one table of all kinds of need. A kind is added by a line of BINDREL_KINDS and a folder with its KIND.cpp, in the
// order in which lists offer them.
#include "core/kinds/kind.h"
#include "core/source/stream_functions.h"

#include <algorithm>
#include <map>

#define BINDREL_KINDS(KIND)                                                                                            \
    KIND(uart)                                                                                                         \
    KIND(spi)                                                                                                          \
    KIND(i2c)                                                                                                          \
    KIND(can)                                                                                                          \
    KIND(usb)                                                                                                          \
    KIND(pwm)                                                                                                          \
    KIND(interval)                                                                                                     \
    KIND(capture)                                                                                                      \
    KIND(count)                                                                                                        \
    KIND(quadrature)                                                                                                   \
    KIND(adc)                                                                                                          \
    KIND(dac)                                                                                                          \
    KIND(comparator)                                                                                                   \
    KIND(gpio)                                                                                                         \
    KIND(rtc)                                                                                                          \
    KIND(watchdog)                                                                                                     \
    KIND(copy)                                                                                                         \
    KIND(segments)                                                                                                     \
    KIND(clockout)                                                                                                     \
    KIND(crystal)                                                                                                      \
    KIND(clockin)                                                                                                      \
    KIND(debug)                                                                                                        \
    KIND(custom)

namespace bindrel {

#define BINDREL_DECLARE(name) Kind name##Kind();
BINDREL_KINDS(BINDREL_DECLARE)

namespace {

const std::vector<Kind>& rooms()
{
#define BINDREL_MAKE(name) name##Kind(),
    static const std::vector<Kind> all{BINDREL_KINDS(BINDREL_MAKE)};
    return all;
}

const Kind* roomOf(std::string_view id)
{
    for (const Kind& kind : rooms())
        if (kind.spec.id == id)
            return &kind;
    return nullptr;
}

/// Adds the words that are not there yet; of a role that several kinds use, it is required when one requires it.
template <typename Spec> void merge(std::vector<Spec>& into, const std::vector<Spec>& more)
{
    for (const Spec& spec : more)
        if (std::none_of(into.begin(), into.end(), [&spec](const Spec& known) { return known.name == spec.name; }))
            into.push_back(spec);
}

} // namespace

const std::vector<KindSpec>& kinds()
{
    static const std::vector<KindSpec> all = [] {
        std::vector<KindSpec> out;
        for (const Kind& kind : rooms())
            out.push_back(kind.spec);
        for (KindSpec& kind : out)
            for (GoalSpec& goal : kind.goals)
                if (Expected<GoalValue> value = parseGoal(goal, goal.fallback))
                    goal.fallbackValue = std::move(*value);
        return out;
    }();
    return all;
}

const TuningFacet& tuningOf(std::string_view kind)
{
    static const TuningFacet none;
    const Kind* room = roomOf(kind);
    return room ? room->tuning : none;
}

const SourceFacet& sourceOf(std::string_view kind)
{
    static const SourceFacet none;
    const Kind* room = roomOf(kind);
    return room ? room->source : none;
}

const std::vector<std::string_view>& needSuffixes()
{
    static const std::vector<std::string_view> all = [] {
        std::vector<std::string_view> out{"h", "bring_up", "start", "stop"};
        out.insert(out.end(), streamSuffixes().begin(), streamSuffixes().end());
        for (const Kind& kind : rooms())
            out.insert(out.end(), kind.source.suffixes.begin(), kind.source.suffixes.end());
        return out;
    }();
    return all;
}

const std::vector<BlockKind>& blockKinds()
{
    static const std::vector<BlockKind> all = [] {
        std::map<std::string, BlockKind> byId;
        for (BlockKind& block : chipBlocks())
            byId[block.id] = std::move(block);
        for (const Kind& kind : rooms()) {
            if (kind.spec.instanceKind.empty() || kind.spec.instanceKind == "*")
                continue;
            BlockKind& block = byId[kind.spec.instanceKind];
            block.id = kind.spec.instanceKind;
            merge(block.roles, kind.spec.roles);
            merge(block.abilities, kind.spec.abilities);
            merge(block.signals, kind.spec.instanceSignals);
            merge(block.requests, kind.spec.instanceRequests);
            merge(block.events, kind.spec.instanceEvents);
        }
        std::vector<BlockKind> out;
        for (auto& [id, block] : byId)
            out.push_back(std::move(block));
        return out;
    }();
    return all;
}

} // namespace bindrel
