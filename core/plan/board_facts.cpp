// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/board_facts.h"

#include "core/base/say.h"
#include "core/plan/board_entry.h"
#include "core/quantity/parse.h"

#include <algorithm>

namespace bindrel {

Board boardWithPlan(const Board& filed, const Device& device, const Plan& plan)
{
    Board board = filed;
    if (const Expected<TemperatureRange> said = parseTemperatures(plan.temperature); said)
        board.temperature = *said;
    for (const Part& part : plan.parts) {
        const auto same =
            std::find_if(board.parts.begin(), board.parts.end(), [&part](const Part& p) { return p.id == part.id; });
        if (same == board.parts.end())
            board.parts.push_back(part);
        else
            *same = part;
    }
    if (filed.device != device.name) {
        board.nets.clear();
        board.resistors.clear();
    }
    for (const auto& [pad, resistors] : plan.resistors) {
        if (resistors.none())
            board.resistors.erase(pad);
        else
            board.resistors[pad] = resistors;
    }
    if (const Expected<BoardOutline> said = parseOutline(plan.outline); said)
        board.outline = *said;
    if (const Expected<BoardPlace> said = parsePlace(plan.chipPlace); said)
        board.chipPlace = *said;
    for (const auto& [part, place] : plan.places)
        if (const Expected<BoardPlace> said = parsePlace(place); said)
            board.places[part] = *said;
    for (const auto& [sentence, strength] : plan.wishes) {
        if (strength == WishStrength::Dropped)
            board.wishes.erase(sentence);
        else
            board.wishes[sentence] = strength;
    }
    for (const auto& [pad, net] : plan.nets) {
        if (net.empty())
            board.nets.erase(pad);
        else
            board.nets[pad] = net;
    }
    for (const auto& [clock, crystal] : plan.crystals) {
        if (crystal)
            board.crystals[clock] = *crystal;
        else
            board.crystals.erase(clock);
    }
    return board;
}

bool takesCrystal(const ClockNode& clock)
{
    return clock.type == ClockNode::Type::Crystal || clock.type == ClockNode::Type::External;
}

Board bareBoard(const Device& device)
{
    Board board;
    board.title = say("no board");
    board.device = device.name;
    board.supply = std::clamp(Voltage(Rational(33, 10)), device.supplyMin, device.supplyMax);
    return board;
}

const std::string& terminalOf(const Need& need, const std::string& signal)
{
    const auto known = need.terminals.find(signal);
    return known == need.terminals.end() ? signal : known->second;
}

const TerminalFact* terminalFact(const Board& board, const Need& need, std::string_view signal)
{
    const Part* part = board.part(need.part);
    const auto terminal = need.terminals.find(signal);
    if (!part || terminal == need.terminals.end())
        return nullptr;
    const auto fact = part->facts.find(terminal->second);
    return fact == part->facts.end() ? nullptr : &fact->second;
}

std::optional<TerminalFact> padFact(const Board& board, const Need& need, std::string_view signal, const Pad& pad)
{
    const TerminalFact* said = terminalFact(board, need, signal);
    const auto resistors = board.resistors.find(pad.name);
    const bool pulled = resistors != board.resistors.end() && resistors->second.pull;
    if (!said && !pulled)
        return std::nullopt;
    TerminalFact out = said ? *said : TerminalFact();
    if (!out.pull && pulled)
        out.pull = resistors->second.pull;
    return out;
}

Voltage padSupply(const Device& device, const Board& board, const Plan& plan, const Pad& pad)
{
    if (const auto bank = device.banks.find(pad.bank); bank != device.banks.end())
        return bank->second;
    const Expected<Voltage> said = parseVoltage(plan.supply);
    return said ? *said : board.supply;
}

} // namespace bindrel
