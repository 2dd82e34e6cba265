// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/board_facts.h"

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
        board.pulls.clear();
    }
    for (const auto& [pad, pull] : plan.pulls) {
        if (pull)
            board.pulls[pad] = *pull;
        else
            board.pulls.erase(pad);
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
    board.title = "no board";
    board.device = device.name;
    board.supply = std::clamp(Voltage(Rational(33, 10)), device.supplyMin, device.supplyMax);
    return board;
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
    const auto pull = board.pulls.find(pad.name);
    if (!said && pull == board.pulls.end())
        return std::nullopt;
    TerminalFact out = said ? *said : TerminalFact();
    if (!out.pull && pull != board.pulls.end())
        out.pull = pull->second;
    return out;
}

std::string boardPullText(const BoardPull& pull)
{
    return !pull ? "none" : *pull == TerminalFact::Level::High ? "up" : "down";
}

std::optional<BoardPull> boardPullFrom(std::string_view text)
{
    if (text == "none")
        return BoardPull();
    if (text == "up")
        return BoardPull(TerminalFact::Level::High);
    if (text == "down")
        return BoardPull(TerminalFact::Level::Low);
    return std::nullopt;
}

Voltage padSupply(const Device& device, const Board& board, const Plan& plan, const Pad& pad)
{
    if (const auto bank = device.banks.find(pad.bank); bank != device.banks.end())
        return bank->second;
    const Expected<Voltage> said = parseVoltage(plan.supply);
    return said ? *said : board.supply;
}

} // namespace bindrel
