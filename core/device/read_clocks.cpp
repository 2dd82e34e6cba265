// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/device/device_reader.h"
#include "core/device/reset_state.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <numeric>

namespace bindrel {

namespace {

constexpr std::int64_t kMaxFactor = 1 << 20;

ClockNode::Type readType(const JsonNode& node)
{
    const std::vector<std::pair<std::string, ClockNode::Type>> known{
        {"oscillator", ClockNode::Type::Oscillator}, {"crystal", ClockNode::Type::Crystal},
        {"external", ClockNode::Type::External},     {"select", ClockNode::Type::Select},
        {"divide", ClockNode::Type::Divide},         {"multiply", ClockNode::Type::Multiply},
        {"follow", ClockNode::Type::Follow},         {"gate", ClockNode::Type::Gate}};
    const std::string text = node.string("type");
    std::vector<std::string> names;
    for (const auto& [name, type] : known) {
        if (name == text)
            return type;
        names.push_back(name);
    }
    node.child("type").fail(say("\"{}\" is not a clock type; use {}.{}", text, listed(names), didYouMean(text, names)));
    return ClockNode::Type::Divide;
}

/// What a clock of a type can say: a key of another type would be read by nobody.
std::vector<std::string> keysOf(ClockNode::Type type, bool hasRates)
{
    using Type = ClockNode::Type;
    std::vector<std::string> keys{"id", "name", "tier", "type", "adds", "draws", "draws_per_mhz", "limit", "limits"};
    const auto add = [&keys](std::initializer_list<const char*> more) {
        keys.insert(keys.end(), more.begin(), more.end());
    };
    switch (type) {
    case Type::Oscillator:
        add({"tolerance", "tolerance_over", "startup", "enable", "ready", "trim", "monitor"});
        if (hasRates)
            add({"rates", "control", "calibration", "frozen_by"});
        else
            add({"rate"});
        break;
    case Type::Crystal:
        add({"crystal", "loads", "load_control", "drives", "drive_control", "bypass", "startup", "enable", "ready",
             "trim", "monitor"});
        break;
    case Type::External:
        add({"crystal", "startup", "enable", "ready", "trim", "monitor"});
        break;
    case Type::Select:
        add({"inputs", "control", "status", "enable", "ready", "startup", "frozen_by"});
        break;
    case Type::Divide:
    case Type::Multiply:
        add({"from", "factors", "unit", "fraction", "encoding", "control", "enable", "ready", "startup", "frozen_by"});
        break;
    case Type::Follow:
        add({"from", "follows", "factor"});
        break;
    case Type::Gate:
        add({"from", "enable", "ready", "startup"});
        break;
    }
    return keys;
}

/// "2", "2.5", 2: what can be divided or multiplied by, where it need not be whole.
Rational readFactor(const JsonNode& node)
{
    if (!node.isString())
        return node.asInteger(1, kMaxFactor);
    const std::string text = node.asString();
    const size_t point = text.find('.');
    const std::string whole = text.substr(0, point);
    const std::string part = point == std::string::npos ? "" : text.substr(point + 1);
    const auto digits = [](const std::string& s) {
        return std::all_of(s.begin(), s.end(), [](char c) { return c >= '0' && c <= '9'; });
    };
    if (whole.empty() || whole.size() > 7 || part.size() > 4 || (point != std::string::npos && part.empty()) ||
        !digits(whole) || !digits(part)) {
        node.fail(say("\"{}\" is not a factor; write 4, or \"2.5\" with at most four decimals.", text));
        return 1;
    }
    std::int64_t scale = 1;
    for (size_t i = 0; i < part.size(); ++i)
        scale *= 10;
    const Rational value(std::stoll(whole + part), scale);
    if (value < Rational(1, scale) || value > Rational(kMaxFactor))
        node.fail(say("must be above 0 and at most {}.", kMaxFactor));
    return value;
}

} // namespace

std::vector<Rational> readFactors(const JsonNode& node)
{
    std::vector<Rational> out;
    if (node.isArray()) {
        for (const JsonNode& item : node.items())
            out.push_back(readFactor(item));
    } else if (!node.isString() || node.asString().find("..") == std::string::npos) {
        out.push_back(readFactor(node));
    } else {
        const std::string text = node.asString();
        const size_t dots = text.find("..");
        const auto isNumber = [](const std::string& s) {
            return !s.empty() && s.size() <= 7 &&
                   std::all_of(s.begin(), s.end(), [](char c) { return c >= '0' && c <= '9'; });
        };
        const std::string low = text.substr(0, dots);
        const std::string high = dots == std::string::npos ? "" : text.substr(dots + 2);
        if (!isNumber(low) || !isNumber(high) || std::stol(low) < 1 || std::stol(high) < std::stol(low) ||
            std::stol(high) - std::stol(low) > 65536) {
            node.fail(say("\"{}\" is not a range of factors; write \"1..16\" or a list.", text));
            return {1};
        }
        for (std::int64_t f = std::stol(low); f <= std::stol(high); ++f)
            out.push_back(f);
    }
    if (out.empty())
        node.fail(say("lists no factor; give at least one."));
    return out;
}

namespace {

/// Codes by the place in the list, or pairs of a factor and its code: values in 1/unit.
Encoding readFactorEncoding(const JsonNode& node, const std::vector<Rational>& listed, std::int64_t unit)
{
    if (node.exists() && node.isString() && node.asString() == "in order") {
        Encoding encoding;
        encoding.kind = Encoding::Kind::Table;
        for (const Rational& factor : listed)
            encoding.table.emplace_back((factor * unit).floor(), static_cast<std::uint32_t>(encoding.table.size()));
        return encoding;
    }
    if (unit == 1 || !node.exists() || !node.isObject() || !node.has("table"))
        return readEncoding(node);
    node.allowOnly({"table"});
    Encoding encoding;
    encoding.kind = Encoding::Kind::Table;
    for (const JsonNode& row : node.child("table").items()) {
        const std::vector<JsonNode> pair = row.items();
        if (pair.size() != 2) {
            row.fail(say("must be a pair: factor, code."));
            continue;
        }
        const Rational value = readFactor(pair[0]) * unit;
        if (!value.isInteger())
            pair[0].fail(say("is none of the factors."));
        encoding.table.emplace_back(value.floor(), static_cast<std::uint32_t>(pair[1].asInteger(0, UINT32_MAX)));
    }
    return encoding;
}

/// "1", "1/2": of another clock.
Rational readPart(const JsonNode& node)
{
    const std::string text = node.asString();
    const std::vector<std::string> parts = splitted(text, '/');
    constexpr std::int64_t kMost = 9999;
    const std::optional<std::int64_t> num = wholeNumber(parts.front(), kMost);
    const std::optional<std::int64_t> den = parts.size() == 1 ? 1 : wholeNumber(parts[1], kMost);
    if (parts.size() > 2 || num.value_or(0) < 1 || den.value_or(0) < 1) {
        node.fail(say("\"{}\" is not a part; write \"1\" or \"1/2\".", text));
        return 1;
    }
    return Rational(*num, *den);
}

} // namespace

RateLimit DeviceReader::readLimit(const JsonNode& node)
{
    node.allowOnly({"min", "max", "relative_to", "relative_max", "relative_min", "relative", "because"});
    RateLimit limit;
    if (node.has("min"))
        limit.min = node.child("min").asFrequency();
    if (node.has("max"))
        limit.max = node.child("max").asFrequency();
    if (limit.min && limit.max && *limit.min > *limit.max)
        node.fail(say("its minimum is above its maximum."));
    limit.because = node.string("because", "");
    const auto add = [&](const JsonNode& row, const char* to, const char* most, const char* least) {
        const int other = clockAt(row.child(to));
        if (!row.has(most) && !row.has(least))
            row.fail(say("says nothing of the other clock; give \"{}\", \"{}\" or both.", most, least));
        if (row.has(most))
            limit.relative.push_back({other, readPart(row.child(most)), false, limit.because});
        // mirrorLimits() hands it to the other clock when all are known.
        if (row.has(least))
            limit.relative.push_back({other, Rational(1) / readPart(row.child(least)), true, limit.because});
    };
    if (node.has("relative_to"))
        add(node, "relative_to", "relative_max", "relative_min");
    else
        for (const char* key : {"relative_max", "relative_min"})
            if (node.has(key))
                node.child(key).fail(say("needs \"relative_to\", the clock that it is measured by."));
    for (const JsonNode& row : node.optionalChild("relative").items()) {
        row.allowOnly({"to", "max", "min"});
        add(row, "to", "max", "min");
    }
    return limit;
}

/// The least that a clock may be beside another is the most that the other may be beside it, and is kept there: with
/// the one that can be too fast.
void DeviceReader::mirrorLimits()
{
    struct Least {
        size_t clock;
        std::string range;
        RelativeLimit limit;
    };
    std::vector<Least> all;
    for (const ClockIndex i : device_.clocks.indices()) {
        ClockNode& node = device_.clocks[i];
        std::vector<RateLimit*> kept{&node.limit};
        for (auto& [range, limit] : node.limitByRange)
            kept.push_back(&limit);
        for (const RateLimit* limit : kept)
            for (const RelativeLimit& relative : limit->relative)
                if (relative.to == int(i))
                    section("clocks").items()[i].fail(say("has a limit that is measured by itself."));
        for (const OperatingRange& range : device_.ranges)
            for (const RelativeLimit& limit : node.limitIn(range.id).relative)
                if (limit.mirrored)
                    all.push_back({size_t(int(i)), range.id, limit});
        for (RateLimit* limit : kept)
            std::erase_if(limit->relative, [](const RelativeLimit& relative) { return relative.mirrored; });
    }
    for (const Least& least : all) {
        ClockNode& other = device_.clocks[least.limit.to];
        other.limitByRange.try_emplace(least.range, other.limit)
            .first->second.relative.push_back({int(least.clock), least.limit.max, true, least.limit.because});
    }
}

void DeviceReader::readClocks()
{
    const JsonNode list = section("clocks");
    const std::vector<JsonNode> rows = list.items();
    UniqueWords words;
    for (const JsonNode& row : rows) {
        ClockNode node;
        node.id = row.string("id");
        words.add(node.id, row.child("id"));
        if (device_.findClock(node.id) >= 0)
            row.child("id").fail(say("the clock \"{}\" is described twice.", node.id));
        device_.clocks.push_back(std::move(node));
    }
    if (!ok())
        return;
    for (ClockIndex i = 0; i < int(rows.size()); ++i) {
        const JsonNode& row = rows[i];
        ClockNode& node = device_.clocks[i];
        node.name = row.string("name", node.id);
        node.tier = row.string("tier");
        if (node.tier != "source" && node.tier != "multiplier" && node.tier != "system" && node.tier != "kernel")
            row.child("tier").fail(say("\"{}\" is not a tier; use source, multiplier, system or kernel.", node.tier));
        node.type = readType(row);
        if (!ok())
            return;
        row.allowOnly(keysOf(node.type, row.has("rates")));
        readSource(node, row);
        if (row.has("startup"))
            node.startup = row.child("startup").asDuration();
        if (row.has("enable"))
            node.enable = fieldCodeAt(row.child("enable"));
        else if (node.type == ClockNode::Type::Gate)
            row.fail(say("a gate needs an \"enable\" field."));
        if (row.has("ready"))
            node.ready = fieldCodeAt(row.child("ready"));
        if (row.has("adds"))
            node.adds = toleranceAt(row.child("adds"));
        readDraws(row, node.draws, node.drawsPerMegahertz);
        if (const JsonNode frozen = row.optionalChild("frozen_by"); frozen.exists())
            for (const JsonNode& by : frozen.isArray() ? frozen.items() : std::vector<JsonNode>{frozen})
                node.frozenBy.push_back(clockAt(by));
        for (const ClockIndex by : node.frozenBy)
            if (by >= 0 && ok() && !rows[size_t(by)].has("enable"))
                row.child("frozen_by")
                    .fail(say("{} has no \"enable\": what it freezes could never be set.", device_.clocks[by].id));
        readClockInputs(node, row);
        readClockControl(node, row);
        if (row.has("limit"))
            node.limit = readLimit(row.child("limit"));
        for (const auto& [range, limit] : row.optionalChild("limits").members()) {
            if (device_.findRange(range) < 0)
                limit.fail(say("\"{}\" is not an operating range of this device.", range));
            node.limitByRange[range] = readLimit(limit);
        }
        if (!ok())
            return;
        resetClock(node, row);
    }
    orderClocks();
    mirrorLimits();
}

/// What an oscillator, a crystal or an external clock is.
void DeviceReader::readSource(ClockNode& node, const JsonNode& row)
{
    using Type = ClockNode::Type;
    if (row.has("tolerance"))
        node.tolerance = toleranceAt(row.child("tolerance"));
    for (const JsonNode& over : row.optionalChild("tolerance_over").items()) {
        over.allowOnly({"temperature", "tolerance"});
        node.toleranceOver.push_back(
            {readTemperatures(over.child("temperature")), toleranceAt(over.child("tolerance"))});
    }
    if (node.type == Type::Oscillator && row.has("rates")) {
        for (const JsonNode& choice : row.child("rates").items()) {
            choice.allowOnly({"rate", "code", "tolerance", "calibration"});
            ClockNode::RateChoice rate;
            rate.rate = choice.child("rate").asFrequency();
            rate.code = static_cast<std::uint32_t>(choice.integer("code", 0, 65535));
            if (choice.has("tolerance"))
                rate.tolerance = toleranceAt(choice.child("tolerance"));
            if (choice.has("calibration"))
                rate.calibration = fieldAt(choice.child("calibration"));
            if (!(rate.rate.value > Rational(0)))
                choice.child("rate").fail(say("must be above zero."));
            node.rates.push_back(rate);
        }
        node.control = fieldAt(row.child("control"));
        if (row.has("calibration"))
            node.calibrationInto = fieldAt(row.child("calibration"));
        for (const ClockNode::RateChoice& rate : node.rates)
            if (rate.calibration.valid() && !node.calibrationInto.valid())
                row.fail(
                    say("its rates have calibration values but there is no \"calibration\" field to copy them into."));
        if (node.rates.empty())
            row.child("rates").fail(say("lists no rate; give at least one."));
    } else if (node.type == Type::Oscillator) {
        node.rate = row.child("rate").asFrequency();
        if (!(node.rate.value > Rational(0)))
            row.child("rate").fail(say("must be above zero."));
    }
    if (node.type == Type::Crystal || node.type == Type::External) {
        const std::vector<JsonNode> bounds = row.child("crystal").items();
        if (bounds.size() != 2) {
            row.fail(say("\"crystal\" must be the lowest and the highest rate that may be fitted."));
        } else {
            node.crystalMin = bounds[0].asFrequency();
            node.crystalMax = bounds[1].asFrequency();
        }
    }
    for (const JsonNode& load : row.optionalChild("loads").items()) {
        const std::vector<JsonNode> pair = load.items();
        if (pair.size() != 2)
            load.fail(say("must be a pair: load capacitance, code."));
        else
            node.loads.emplace_back(pair[0].asCapacitance(),
                                    static_cast<std::uint32_t>(pair[1].asInteger(0, UINT32_MAX)));
    }
    if (!node.loads.empty())
        node.loadControl = fieldAt(row.child("load_control"));
    else if (row.has("load_control"))
        row.child("load_control").fail(say("needs \"loads\", the codes by capacitance."));
    for (const JsonNode& drive : row.optionalChild("drives").items()) {
        const std::vector<JsonNode> pair = drive.items();
        if (pair.size() != 2) {
            drive.fail(say("must be a pair: highest rate of a crystal, code."));
            continue;
        }
        node.drives.emplace_back(pair[0].asFrequency(), static_cast<std::uint32_t>(pair[1].asInteger(0, UINT32_MAX)));
        if (node.drives.size() > 1 && !(node.drives[node.drives.size() - 2].first < node.drives.back().first))
            drive.fail(say("must come in rising order of the rates."));
    }
    if (!node.drives.empty()) {
        node.driveControl = fieldAt(row.child("drive_control"));
        if (node.drives.back().first < node.crystalMax)
            row.child("drives").fail(say("says nothing of the fastest crystals that may be fitted."));
    } else if (row.has("drive_control")) {
        row.child("drive_control").fail(say("needs \"drives\", the codes by the crystal's rate."));
    }
    if (row.has("bypass"))
        node.bypass = fieldCodeAt(row.child("bypass"));
    if (const JsonNode trim = row.optionalChild("trim"); trim.exists()) {
        trim.allowOnly({"by", "by_signal", "enable", "tolerance"});
        ClockNode::Trim facts;
        if (trim.has("by"))
            facts.by = clockAt(trim.child("by"));
        else
            facts.bySignal = trim.string("by_signal");
        facts.enable = fieldCodeAt(trim.child("enable"));
        facts.tolerance = toleranceAt(trim.child("tolerance"));
        node.trim = std::move(facts);
    }
    if (const JsonNode monitor = row.optionalChild("monitor"); monitor.exists()) {
        monitor.allowOnly({"enable", "falls_back_to", "interrupt", "flag"});
        node.monitor = ClockNode::Monitor{fieldCodeAt(monitor.child("enable")), clockAt(monitor.child("falls_back_to")),
                                          monitor.string("interrupt", ""),
                                          monitor.has("flag") ? fieldAt(monitor.child("flag")) : FieldRef()};
    }
}

void DeviceReader::readClockInputs(ClockNode& node, const JsonNode& from)
{
    if (node.isSource())
        return;
    if (node.type != ClockNode::Type::Select) {
        node.inputs.push_back({clockAt(from.child("from")), 0});
        return;
    }
    for (const auto& [name, code] : from.child("inputs").members()) {
        ClockInput input;
        input.code = static_cast<std::uint32_t>(code.asInteger(0, UINT32_MAX));
        if (name != "none") {
            input.node = device_.findClock(name);
            if (input.node < 0) {
                std::vector<std::string> ids;
                for (const ClockNode& other : device_.clocks)
                    ids.push_back(other.id);
                code.fail(say("\"{}\" is not a clock of this device.{}", name, didYouMean(name, ids)));
            }
        }
        node.inputs.push_back(input);
    }
    if (node.inputs.empty())
        from.child("inputs").fail(say("lists no input; give at least one."));
}

void DeviceReader::readFactorsInto(ClockNode& node, const JsonNode& from)
{
    const std::vector<Rational> listed = readFactors(from.child("factors"));
    node.unit = from.integer("unit", 2, 1 << 24, 1);
    node.dense = node.unit > 1;
    for (const Rational& factor : listed)
        if (!node.dense)
            node.unit = std::lcm(node.unit, factor.den());
        else if (!factor.isInteger())
            from.child("factors").fail(
                say("with \"unit\" the factors are whole; every 1/{} between them is possible.", node.unit));
    if (node.unit > 1 << 24) {
        from.child("factors").fail(say("have no common step of at least 1/16777216."));
        node.unit = 1;
    }
    const std::int64_t scale = node.dense ? 1 : node.unit;
    for (const Rational& factor : listed)
        node.factors.push_back((factor * scale).floor());
    node.encoding = readFactorEncoding(from.optionalChild("encoding"), listed, scale);
    std::sort(node.factors.begin(), node.factors.end());
    if (const auto twice = std::adjacent_find(node.factors.begin(), node.factors.end()); twice != node.factors.end())
        from.child("factors").fail(say("lists {} twice.", Rational(*twice, scale).text()));
}

void DeviceReader::readClockControl(ClockNode& node, const JsonNode& from)
{
    switch (node.type) {
    case ClockNode::Type::Select:
        node.control = fieldAt(from.child("control"));
        if (from.has("status"))
            node.status = fieldAt(from.child("status"));
        break;
    case ClockNode::Type::Divide:
    case ClockNode::Type::Multiply:
        readFactorsInto(node, from);
        if (from.has("fraction")) {
            if (!node.dense)
                from.child("fraction").fail(say("needs \"unit\": how many of its steps make one."));
            node.fraction = fieldAt(from.child("fraction"));
            if (ok() && std::int64_t(device_.fieldOf(node.fraction).maxCode()) + 1 < node.unit)
                from.child("fraction")
                    .fail(say("a fraction in 1/{} does not fit into {}.", node.unit, device_.nameOf(node.fraction)));
        }
        if (node.dense && !from.has("control"))
            from.fail(say("has fractions but no \"control\" field that holds them."));
        if (from.has("control"))
            node.control = fieldAt(from.child("control"));
        else if (node.factors.size() > 1)
            from.fail(say("has several factors but no \"control\" field that chooses among them."));
        break;
    case ClockNode::Type::Follow:
        if (from.has("follows")) {
            node.follows = clockAt(from.child("follows"));
            const JsonNode factor = from.child("factor");
            factor.allowOnly({"when_one", "else"});
            node.factorWhenOne = factor.integer("when_one", 1, 64);
            node.factorElse = factor.integer("else", 1, 64);
        }
        break;
    case ClockNode::Type::Oscillator:
    case ClockNode::Type::Crystal:
    case ClockNode::Type::External:
    case ClockNode::Type::Gate:
        break;
    }
}

/// What the register holds after reset says how the clock stands then, so that the fact is in one place.
void DeviceReader::resetClock(ClockNode& node, const JsonNode& from)
{
    using Type = ClockNode::Type;
    const std::optional<std::int64_t> setting = resetSettingOf(device_, node);
    node.onAtReset = !node.enable.valid() || device_.resetCode(node.enable.ref) == node.enable.code;
    node.resetValue = setting.value_or(node.factors.empty() ? 0 : node.settingOf(node.factors.front()));
    if (!node.control.valid())
        return;
    const std::string holds =
        say("{} that {} holds after reset", device_.resetCode(node.control), device_.nameOf(node.control));
    if (!setting && node.type == Type::Select)
        from.child("inputs").fail(say("no input has the code {}.", holds));
    else if (!setting && !node.rates.empty())
        from.child("rates").fail(say("no rate has the code {}.", holds));
    else if (!setting)
        from.fail(say("{} resets to {}, which means no permitted factor.", device_.nameOf(node.control),
                      device_.resetCode(node.control)));
    if (node.type != Type::Divide && node.type != Type::Multiply)
        return;
    const std::uint32_t maxCode = device_.fieldOf(node.control).maxCode();
    const std::int64_t scale = node.dense && !node.fraction.valid() ? node.unit : 1;
    for (const std::int64_t factor : node.factors)
        if (const auto has = node.encoding.encode(factor * scale); !has || *has > maxCode) {
            from.fail(say("the factor {} has no code in {}.", Rational(factor, node.dense ? 1 : node.unit).text(),
                          device_.nameOf(node.control)));
            return;
        }
}

/// Every clock must come after its inputs, so that one pass computes all rates; a file in another order is refused.
void DeviceReader::orderClocks()
{
    for (const ClockIndex i : device_.clocks.indices()) {
        const ClockNode& node = device_.clocks[i];
        const auto check = [&](ClockIndex other) {
            if (other >= static_cast<int>(i))
                section("clocks").items()[i].fail(say("{} comes before {}, which it depends on; list a clock after "
                                                      "its inputs (a loop cannot be listed so).",
                                                      node.id, device_.clocks[other].id));
        };
        for (const ClockInput& input : node.inputs)
            check(input.node);
        check(node.follows);
        check(node.trim ? node.trim->by : ClockIndex());
    }
}

} // namespace bindrel
