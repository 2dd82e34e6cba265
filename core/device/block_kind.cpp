// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/block_kind.h"

#include <algorithm>

namespace bindrel {

bool isWordOf(std::string_view word, std::string_view pattern)
{
    if (pattern.empty())
        return word.empty();
    const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
    const auto isLetterOrDigit = [&](char c) { return isDigit(c) || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); };
    if (pattern.front() != '#' && pattern.front() != '*')
        return !word.empty() && word.front() == pattern.front() && isWordOf(word.substr(1), pattern.substr(1));
    for (std::size_t length = 1; length <= word.size() && (pattern.front() == '#' ? isDigit(word[length - 1])
                                                                                  : isLetterOrDigit(word[length - 1]));
         ++length)
        if (isWordOf(word.substr(length), pattern.substr(1)))
            return true;
    return false;
}

const RoleSpec* BlockKind::role(std::string_view name) const
{
    for (const RoleSpec& spec : roles)
        if (isWordOf(name, spec.name))
            return &spec;
    return nullptr;
}

const BlockKind* findBlockKind(std::string_view id)
{
    for (const BlockKind& kind : blockKinds())
        if (kind.id == id)
            return &kind;
    return nullptr;
}

std::vector<BlockKind> chipBlocks()
{
    using Use = RoleSpec::Use;
    const std::vector<std::pair<std::string, std::int64_t>> edges{
        {"none|off", 0}, {"rising", 1}, {"falling", 2}, {"both", 3}};
    BlockKind port{"port", {}, {}, {}, {}, {{"edge", "An edge was seen on one of its pads."}}};
    port.roles = {
        {"function#", Use::Config, false, "code of the route", "Picks what the pad carries.", {}},
        {"output#", Use::Config, true, "", "Makes the pad an output.", {{"in|input", 0}, {"out|output", 1}}},
        {"level#", Use::Config, true, "", "Level of an output.", {}},
        {"input#", Use::Status, true, "", "Level at the pad.", {}},
        {"set#", Use::Command, false, "", "Sets the level high.", {}},
        {"clear#", Use::Command, false, "", "Sets the level low.", {}},
        {"toggle#", Use::Command, false, "", "Inverts the level.", {}},
        {"pull#", Use::Config, false, "", "Pull resistor.", {{"none|off", 0}, {"up", 1}, {"down", 2}}},
        {"open_drain#",
         Use::Config,
         false,
         "",
         "The output only pulls low.",
         {{"push-pull|pushpull|off|no", 0}, {"open-drain|opendrain|on|yes", 1}}},
        {"drive#",
         Use::Config,
         false,
         "strength, from the weakest",
         "Drive strength.",
         {{"weak|low", 0}, {"medium|middle", 1}, {"strong|high", 2}}},
        {"speed#", Use::Config, false, "", "Steepness of the edges.", {{"slow", 0}, {"fast", 1}}},
        {"rising#", Use::Config, false, "", "The port watches rising edges of the pad.", {}},
        {"falling#", Use::Config, false, "", "The port watches falling edges of the pad.", {}},
        {"edges#", Use::Config, false, "",
         "Which edges of the pad are watched, where that is one code. Without the role enable# an edge that is watched "
         "interrupts.",
         edges},
        {"enable#", Use::Config, false, "", "Lets an edge of the pad interrupt.", {}},
        {"flag#", Use::Status, false, "", "An edge was seen; cleared as its access says.", {}},
        {"filter#", Use::Config, false, "cycles of the port's clock", "Shorter pulses of the pad tell nothing.", {}},
    };
    BlockKind lines{"lines",
                    {},
                    {},
                    {},
                    {},
                    {{"line", "An edge was seen on a line."},
                     {"line#", "An edge was seen on the line of this number."},
                     {"line#_#", "An edge was seen on one of the lines from one number to the other."}}};
    lines.roles = {
        {"port#", Use::Config, false, "number of the port", "Leads a port's pad to the line.", {}},
        {"rising#", Use::Config, true, "", "Watches rising edges of the line.", {}, false, "edges#"},
        {"falling#", Use::Config, true, "", "Watches falling edges of the line.", {}, false, "edges#"},
        {"edges#", Use::Config, false, "",
         "Which edges of the line are watched, where that is one code. Without the role enable# an edge that is "
         "watched interrupts.",
         edges},
        {"enable#", Use::Config, true, "", "Lets the line interrupt the first core.", {}, false, "edges#"},
        {"enable_*_#", Use::Config, false, "", "Lets the line interrupt the core of that name.", {}},
        {"flag#", Use::Status, true, "", "An edge was seen; cleared as its access says.", {}},
        {"filter#", Use::Config, false, "cycles of the lines' clock", "Shorter pulses tell nothing.", {}},
    };
    BlockKind dma{"dma", {}, {},
                  {},    {}, {{"done", "A channel has moved half or all."}, {"done#", "The same of one channel."}}};
    dma.roles = {
        {"on#", Use::Config, false, "", "Switches a channel on, after all else is set.", {}},
        {"request#", Use::Config, false, "code of the request", "Picks the request that a channel serves.", {}},
        {"direction#",
         Use::Config,
         false,
         "",
         "Whether memory is filled or read.",
         {{"from memory|out", 0}, {"into memory|in", 1}}},
        {"from#", Use::Data, false, "address", "Where the next unit is taken from. All 32 bits.", {}},
        {"to#", Use::Data, false, "address", "Where it is put. All 32 bits.", {}},
        {"memory#",
         Use::Data,
         false,
         "address",
         "Of the memory, where the other end follows from the request. All 32 bits.",
         {}},
        {"count#",
         Use::Data,
         false,
         "units",
         "To be moved. Reads what is left, unless there is a role left#.",
         {},
         false,
         {},
         RoleSpec::Encodings::MinusOne},
        {"left#", Use::Status, false, "units", "That are left to be moved.", {}},
        {"width#",
         Use::Config,
         false,
         "bytes a unit",
         "At both ends. Without it a unit is as large as the ability unit_bytes says.",
         {}},
        {"from_step#", Use::Config, false, "", "1: goes on to the next unit at the end that is read; 0: stays.", {}},
        {"to_step#", Use::Config, false, "", "The same at the end that is written.", {}},
        {"memory_step#",
         Use::Config,
         false,
         "",
         "The same in memory, where the other end follows from the request.",
         {}},
        {"loop#", Use::Config, false, "", "Begins again when all is moved.", {}},
        {"priority#", Use::Config, false, "level", "Which channel goes first.", {}},
        {"done#", Use::Status, false, "", "A channel has moved all.", {}},
        {"half#", Use::Status, false, "", "A channel has moved half.", {}},
        {"done_interrupt#", Use::Config, false, "", "Lets the end interrupt. Without it, it always does.", {}},
        {"half_interrupt#", Use::Config, false, "", "Lets the half interrupt. Without it, it always does.", {}},
    };
    dma.abilities = {{"unit_bytes", "Bytes that are moved at once, where there is no choice; 1 when nothing is said."}};
    BlockKind router{"dma_router", {}, {}, {}, {}, {}};
    router.roles = {
        {"request#", Use::Config, true, "code of the request", "Picks the request that a channel serves.", {}},
    };
    BlockKind interrupts{"interrupts", {}, {}, {}, {}, {}};
    interrupts.roles = {
        {"enable",
         Use::Config,
         true,
         "",
         "First of the registers with a bit for each interrupt that lets it through.",
         {}},
        {"priority#",
         Use::Config,
         false,
         "level",
         "How urgent the interrupt of this number is, in the controller's own levels.",
         {}},
        {"claim", Use::Status, true, "number of an interrupt", "Reading takes the next interrupt; 0: none waits.", {}},
    };
    interrupts.abilities = {{"urgent_is_high", "1: the highest level is the most urgent one; else 0 is."}};
    return {port, lines, dma, router, interrupts};
}

} // namespace bindrel
