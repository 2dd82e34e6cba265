// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/interchange/csv.h"
#include "core/interchange/open_forms.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"
#include "core/tables/columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace bindrel {

namespace {

using Fact = TableFact::What;

struct ValueRow {
    std::string symbol, words;
    TableFact fact;
    std::string range, least, typical, most; ///< values with their units, or empty
};

/// Collects rows; a value that no decimal says exactly is left out and told.
class ValueRows {
public:
    explicit ValueRows(const Device& device) : device_(device)
    {
        for (const ClockNode& clock : device.clocks)
            addClock(clock);
        for (const OperatingRange& range : device.ranges)
            add({"V_" + range.id,
                 "Supply voltage in " + range.name,
                 {Fact::Supply, range.id},
                 {},
                 voltage(range.supplyMin),
                 {},
                 voltage(range.supplyMax)});
        add({"V_SUPPLY",
             "Supply voltage",
             {Fact::Supply, {}},
             {},
             voltage(device.supplyMin),
             {},
             voltage(device.supplyMax)});
        add({"T_A",
             "Ambient temperature",
             {Fact::Temperature, {}},
             {},
             fmt::format("{} \u00b0C", device.temperature.low),
             {},
             fmt::format("{} \u00b0C", device.temperature.high)});
        for (const auto& [bank, volts] : device.banks)
            add({"V_" + bank, "Voltage of " + bank, {Fact::Bank, bank}, {}, {}, voltage(volts), {}});
        for (const LowPowerMode& mode : device.modes) {
            if (mode.draws.value > Rational(0))
                add({"I_" + mode.id,
                     "Supply current in " + mode.name,
                     {Fact::ModeCurrent, mode.id},
                     {},
                     {},
                     current(mode.draws),
                     {}});
            if (mode.wakeTime.value > Rational(0))
                add({"tW_" + mode.id,
                     "Wake-up time from " + mode.name,
                     {Fact::WakeTime, mode.id},
                     {},
                     {},
                     {},
                     exactly(mode.wakeTime, parseDuration)});
        }
        addPads();
    }

    std::vector<ValueRow> rows;
    std::vector<std::string> left;

private:
    static std::string rate(const Frequency& f) { return exactly(f, parseFrequency); }
    static std::string voltage(const Voltage& v) { return exactly(v, parseVoltage); }
    static std::string current(const Current& i) { return exactly(i, parseCurrent); }
    static std::string optional(const std::optional<Frequency>& f) { return f ? rate(*f) : std::string(); }

    void add(ValueRow row) { rows.push_back(std::move(row)); }

    void addClock(const ClockNode& clock)
    {
        const auto limit = [&](const RateLimit& said, const std::string& range) {
            if (said.min || said.max)
                add({"f_" + clock.id,
                     clock.name + " frequency",
                     {Fact::Limit, clock.id},
                     range,
                     optional(said.min),
                     {},
                     optional(said.max)});
            if (!said.relative.empty())
                left.push_back(fmt::format("{}: limits relative to other clocks", clock.id));
        };
        limit(clock.limit, {});
        for (const auto& [range, said] : clock.limitByRange)
            limit(said, range);
        if (clock.type == ClockNode::Type::Oscillator && clock.rates.empty())
            add({"r_" + clock.id, clock.name + " frequency", {Fact::Rate, clock.id}, {}, {}, rate(clock.rate), {}});
        if (clock.crystalMax.value > Rational(0))
            add({"x_" + clock.id,
                 clock.name + " frequency that may be fitted",
                 {Fact::Crystal, clock.id},
                 {},
                 rate(clock.crystalMin),
                 {},
                 rate(clock.crystalMax)});
        if (clock.tolerance.low.value != Rational(0) || clock.tolerance.high.value != Rational(0)) {
            const auto ppm = [](const Rational& value) { return exactly(Ppm(value), parsePpm); };
            add({"a_" + clock.id,
                 clock.name + " accuracy",
                 {Fact::Tolerance, clock.id},
                 {},
                 "-" + ppm(-clock.tolerance.low.value),
                 {},
                 ppm(clock.tolerance.high.value)});
        }
        if (clock.startup.value > Rational(0))
            add({"t_" + clock.id,
                 clock.name + " start-up time",
                 {Fact::StartUp, clock.id},
                 {},
                 {},
                 {},
                 exactly(clock.startup, parseDuration)});
    }

    void addPads()
    {
        if (device_.pads.empty())
            return;
        const Pad& first = device_.pads.front();
        const auto same = [&](auto member, const char* what) {
            const bool all = std::all_of(device_.pads.begin(), device_.pads.end(),
                                         [&](const Pad& pad) { return pad.*member == first.*member; });
            if (!all)
                left.push_back(fmt::format("{} of the pads, which differ", what));
            return all;
        };
        if (same(&Pad::maxToggle, "toggle rates") && first.maxToggle.value > Rational(0))
            add({"f_PAD", "Toggle frequency of a pad", {Fact::Toggle, {}}, {}, {}, {}, rate(first.maxToggle)});
        if (same(&Pad::slowToggle, "slow toggle rates") && first.slowToggle.value > Rational(0))
            add({"fs_PAD",
                 "Toggle frequency with slow edges",
                 {Fact::SlowToggle, {}},
                 {},
                 {},
                 {},
                 rate(first.slowToggle)});
        if (same(&Pad::drives, "drive strengths"))
            for (const Current& drive : first.drives)
                add({"I_PAD", "Output current of a pad", {Fact::Drive, {}}, {}, {}, {}, current(drive)});
        if (same(&Pad::load, "loads") && first.load.value > Rational(0))
            add({"C_PAD",
                 "Load capacitance of a pad",
                 {Fact::Load, {}},
                 {},
                 {},
                 {},
                 exactly(first.load, parseCapacitance)});
    }

    const Device& device_;
};

/// The words before the unit, and the unit; a value without one has none.
std::pair<std::string, std::string> parted(const std::string& value)
{
    const std::size_t blank = value.rfind(' ');
    return blank == std::string::npos ? std::pair(value, std::string())
                                      : std::pair(value.substr(0, blank), value.substr(blank + 1));
}

} // namespace

std::string waitStateTable(const Device& device)
{
    std::vector<std::string> heading{"Wait states"};
    std::size_t most = 0;
    for (const OperatingRange& range : device.ranges) {
        heading.push_back(range.id);
        most = std::max(most, range.waitStateLimits.size());
    }
    std::string out = csvLine(heading);
    for (std::size_t n = 0; n < most; ++n) {
        std::vector<std::string> cells{std::to_string(n)};
        for (const OperatingRange& range : device.ranges)
            cells.push_back(n < range.waitStateLimits.size() ? exactly(range.waitStateLimits[n], parseFrequency) : "");
        out += csvLine(cells);
    }
    return out;
}

std::string waitStateColumns(const Device& device)
{
    Columns columns;
    columns.columns.push_back({"Wait states", Column::What::Wait, {}, -1, {}});
    for (const OperatingRange& range : device.ranges)
        columns.columns.push_back({range.id, Column::What::Fastest, {}, -1, {}, range.id});
    return columnsText(columns, "the table");
}

std::string valueTable(const Device& device, std::vector<std::string>& left)
{
    const ValueRows values(device);
    left.insert(left.end(), values.left.begin(), values.left.end());
    std::string out = csvLine({"Symbol", "Parameter", "Range", "Min", "Typ", "Max", "Unit"});
    for (const ValueRow& row : values.rows) {
        // One unit for the row where its values share one, else each with its own.
        std::array<std::string, 3> cells{row.least, row.typical, row.most};
        std::string unit;
        bool shared = true;
        for (const std::string& cell : cells)
            if (!cell.empty()) {
                shared = shared && (unit.empty() || parted(cell).second == unit);
                unit = parted(cell).second;
            }
        if (shared)
            for (std::string& cell : cells)
                cell = parted(cell).first;
        out += csvLine({row.symbol, row.words, row.range, cells[0], cells[1], cells[2], shared ? unit : ""});
    }
    return out;
}

std::string valueColumns(const Device& device)
{
    using What = Column::What;
    Columns columns;
    columns.columns = {{"Symbol", What::Quantity, {}, -1, {}}, {"Parameter", What::Ignored, {}, -1, {}},
                       {"Range", What::Range, {}, -1, {}},     {"Min", What::Least, {}, -1, {}},
                       {"Typ", What::Typical, {}, -1, {}},     {"Max", What::Most, {}, -1, {}},
                       {"Unit", What::Unit, {}, -1, {}}};
    for (const ValueRow& row : ValueRows(device).rows) {
        columns.facts[row.symbol] = row.fact;
        if (!row.range.empty())
            columns.facts[row.range] = {Fact::Range, row.range};
    }
    return columnsText(columns, "the table");
}

} // namespace bindrel
