// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/layout_list.h"

#include "core/base/text.h"
#include "core/interchange/csv.h"
#include "core/interchange/pin_sheet.h"
#include "core/plan/pin_property.h"

#include <algorithm>

namespace bindrel {

namespace {

std::string cellOf(const SheetRow& row, std::string_view id)
{
    const auto column =
        std::find_if(sheetColumns().begin(), sheetColumns().end(), [id](const SheetColumn& c) { return c.id == id; });
    return row.cells[std::size_t(column - sheetColumns().begin())];
}

std::string pinOf(const Snapshot& s, const std::string& pad)
{
    const PadIndex index = s.device->findPad(pad);
    return index < 0 ? std::string() : s.device->pinOf(index);
}

/// The net of a signal: what the board has at its pad, else what is said of the signal.
std::string netOf(const Snapshot& s, const Need& need, const std::string& signal, const std::string& pad)
{
    const auto net = s.board->nets.find(pad);
    return net != s.board->nets.end() ? net->second : pinProperty(need, signal, "net").value_or(std::string());
}

} // namespace

std::vector<NetPin> pinsByNet(const Snapshot& s)
{
    std::vector<NetPin> out;
    for (const SheetRow& row : pinSheet(s)) {
        NetPin pin{cellOf(row, "net"),    cellOf(row, "pin"),  cellOf(row, "pad"),
                   cellOf(row, "signal"), cellOf(row, "need"), cellOf(row, "part")};
        if (row.pad >= 0 && (!pin.net.empty() || !pin.signal.empty()))
            out.push_back(std::move(pin));
    }
    std::stable_sort(out.begin(), out.end(), [](const NetPin& a, const NetPin& b) {
        if (a.net.empty() != b.net.empty())
            return b.net.empty();
        return a.net != b.net ? naturalLess(a.net, b.net) : naturalLess(a.pin, b.pin);
    });
    return out;
}

std::string pinsByNetCsv(const Snapshot& s)
{
    std::string out = csvLine({"Net", "Pin", "Pad", "Signal", "Need", "Part"});
    for (const NetPin& pin : pinsByNet(s))
        out += csvLine({pin.net, pin.pin, pin.pad, pin.signal, pin.need, pin.part});
    return out;
}

std::vector<MovedSignal> movedSignals(const Snapshot& before, const Snapshot& after)
{
    std::vector<MovedSignal> out;
    for (const Need& need : after.plan.needs) {
        const Need* was = before.plan.need(need.id);
        if (!was)
            continue;
        for (const auto& [signal, pad] : need.binding.pads) {
            const auto old = was->binding.pads.find(signal);
            if (old == was->binding.pads.end() ||
                (old->second == pad && before.device->package.name == after.device->package.name))
                continue;
            MovedSignal moved{netOf(before, *was, signal, old->second),
                              pinOf(before, old->second),
                              old->second,
                              pinOf(after, pad),
                              pad,
                              need.title,
                              signal};
            if (moved.fromPad != moved.toPad || moved.fromPin != moved.toPin)
                out.push_back(std::move(moved));
        }
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const MovedSignal& a, const MovedSignal& b) { return naturalLess(a.fromPin, b.fromPin); });
    return out;
}

} // namespace bindrel
