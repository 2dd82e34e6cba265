// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/kinds/kind.h"
#include "core/kinds/usb/usb_endpoints.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

#include <algorithm>

namespace bindrel {

namespace {

struct UsbGoals {
    bool full = true; ///< speed
    Expected<std::vector<UsbEndpoint>> endpoints;

    static UsbGoals of(const Need& need)
    {
        const bool full = goalIs(need, "speed", "full");
        return {full, parseUsbEndpoints(goalName(need, "endpoints"), full, int(goalNumber(need, "control")))};
    }
};

/// USB 2.0, 7.1.11: 0.25 % at full speed, 1.5 % at low speed.
Accuracy usbAccuracy(const TuningContext& c)
{
    const bool full = goalsOf<UsbGoals>(c.need).full;
    const Frequency wanted = megahertz(48);
    Accuracy out;
    out.rate = wanted;
    out.allowed = Ppm(full ? 2'500 : 15'000);
    out.given = Ppm(errorOf(c.kernel().rate, wanted).value.abs() + worstOf(c).value);
    out.asks = formatIfNeeded(c, "48 MHz {}", plusMinus(*out.allowed));
    out.effect = formatIfNeeded(c, "{} data rate, {} speed", plusMinus(out.given), full ? "full" : "low");
    return out;
}

bool isSerialPort(const Need& need)
{
    return goalIs(need, "class", "serial port");
}

/// The endpoints that a need states, laid out where it is known how; none when they cannot be read.
std::vector<UsbEndpoint> endpointsOf(const Need& need, int step = 8)
{
    const Expected<std::vector<UsbEndpoint>>& stated = goalsOf<UsbGoals>(need).endpoints;
    std::vector<UsbEndpoint> out = stated ? *stated : std::vector<UsbEndpoint>();
    layEndpoints(out, step);
    return out;
}

const UsbEndpoint* firstOf(const std::vector<UsbEndpoint>& endpoints, UsbEndpoint::Type type, bool in)
{
    const auto at = std::find_if(endpoints.begin(), endpoints.end(),
                                 [&](const UsbEndpoint& one) { return one.type == type && one.in == in; });
    return at == endpoints.end() ? nullptr : &*at;
}

std::string serialPortTrouble(const std::vector<UsbEndpoint>& endpoints)
{
    using Type = UsbEndpoint::Type;
    return firstOf(endpoints, Type::Interrupt, true) && firstOf(endpoints, Type::Bulk, true) &&
                   firstOf(endpoints, Type::Bulk, false)
               ? ""
               : say("a serial port takes an interrupt endpoint in, a bulk one in and a bulk one out, as 1 in bulk 64, "
                     "1 "
                     "out bulk 64, 2 in interrupt 8.");
}

/// Endpoints as the registers have them, and their places in the packet memory. They are set by a function, since each
/// reset of the bus takes them back.
void solveEndpoints(const TuningContext& c, Setting& out)
{
    const std::string text = goalName(c.need, "endpoints"), &name = c.device.instances[c.bound.instance].name;
    const std::int64_t numbers = c.device.ability(c.bound.instance, "endpoints", 0),
                       memory = c.device.ability(c.bound.instance, "packet_bytes", 0);
    if (text.empty()) {
        if (numbers > 0)
            out.achieved.push_back({"endpoints",
                                    say("Endpoints"),
                                    "",
                                    formatIfNeeded(c, "{} available", numbers),
                                    std::nullopt,
                                    true,
                                    say("none is stated"),
                                    {},
                                    true});
        return;
    }
    Achieved row{"endpoints", say("Endpoints"), text, "none", std::nullopt, false, {}, {}};
    const Expected<std::vector<UsbEndpoint>>& stated = goalsOf<UsbGoals>(c.need).endpoints;
    const auto fails = [&](std::string trouble) {
        row.trouble = std::move(trouble);
        out.achieved.push_back(row);
    };
    if (!stated)
        return fails(stated.problem().message);
    if (!c.has("endpoint_type0") || (!c.has("endpoint_size0") && !c.has("endpoint_in_size0")))
        return fails(
            formatIfNeeded(c, "the device file does not describe the endpoints of {}. Set them in your driver.", name));
    std::vector<UsbEndpoint> endpoints = *stated;
    const int taken = layEndpoints(endpoints, int(c.device.ability(c.bound.instance, "packet_step", 8)));
    if (memory > 0 && taken > memory)
        return fails(formatIfNeeded(
            c, "they need {} bytes of packet memory, but {} has only {}. Use fewer or smaller endpoints.", taken, name,
            memory));
    for (const UsbEndpoint& one : endpoints) {
        const std::string n = std::to_string(one.number), way = one.in ? "in" : "out";
        if (!c.has("endpoint_type" + n))
            return fails(formatIfNeeded(c, "{} has no endpoint {}.", name, one.number));
        for (const UsbEndpoint& other : endpoints)
            if (other.number == one.number &&
                (other.type != one.type || (c.has("endpoint_size" + n) && other.bytes != one.bytes)))
                return fails(formatIfNeeded(
                    c, "{} has one {} for both directions of endpoint {}. Use another number for one of them.", name,
                    other.type != one.type ? "type" : "size", one.number));
        const auto use = [&](const std::string& role, std::int64_t value) {
            if (c.has(role) && std::none_of(out.roles.begin(), out.roles.end(),
                                            [&role](const RoleValue& known) { return known.role == role; }))
                out.roles.push_back({role, value, "endpoints", RoleValue::When::Use});
        };
        use("endpoint_type" + n, std::int64_t(one.type));
        use("endpoint_size" + n, one.bytes);
        use("endpoint_" + way + "_size" + n, one.bytes);
        use("endpoint_" + way + "_at" + n, one.at);
        use("endpoint_" + way + n, 1);
    }
    row.ok = true;
    row.achieved = formatIfNeeded(c, "{} and the control one",
                                  sayCount(long(endpoints.size()) - 2, "{} endpoint", "{} endpoints"));
    row.formula = memory > 0 ? formatIfNeeded(c, "{} of {} bytes of packet memory", taken, memory)
                             : formatIfNeeded(c, "{} bytes of packet memory", taken);
    out.achieved.push_back(row);
}

/// Descriptors of a serial port: USB 2.0, 9.6, and of the class for communication devices (CDC 1.2, 5.2;
/// PSTN 1.2, 5.3).
struct Bytes {
    const char* what;
    std::vector<int> bytes;
};
std::vector<Bytes> deviceDescriptor(const Need& need)
{
    const long vendor = goalNumber(need, "vendor"), product = goalNumber(need, "product");
    return {{"length, DEVICE, USB 2.0", {18, 1, 0x00, 0x02}},
            {"class: communication, packets of endpoint 0", {2, 0, 0, int(goalNumber(need, "control"))}},
            {"vendor, product, release 1.00",
             {int(vendor & 255), int(vendor >> 8), int(product & 255), int(product >> 8), 0x00, 0x01}},
            {"no strings, one configuration", {0, 0, 0, 1}}};
}
std::vector<Bytes> configurationDescriptor(const Need& need)
{
    using Type = UsbEndpoint::Type;
    const std::vector<UsbEndpoint> endpoints = endpointsOf(need);
    const UsbEndpoint notify = *firstOf(endpoints, Type::Interrupt, true), in = *firstOf(endpoints, Type::Bulk, true),
                      out = *firstOf(endpoints, Type::Bulk, false);
    const auto endpoint = [](const UsbEndpoint& one, int interval) {
        return std::vector<int>{
            7, 5, one.number | (one.in ? 0x80 : 0), int(one.type), one.bytes & 255, one.bytes >> 8, interval};
    };
    return {{"length, CONFIGURATION, 67 bytes in all, two interfaces, from the bus, 100 mA",
             {9, 2, 67, 0, 2, 1, 0, 0x80, 50}},
            {"INTERFACE 0: communication, abstract control model", {9, 4, 0, 0, 1, 2, 2, 0, 0}},
            {"header of the class, 1.20", {5, 0x24, 0x00, 0x20, 0x01}},
            {"call management: none", {5, 0x24, 0x01, 0, 1}},
            {"abstract control: line coding and state", {4, 0x24, 0x02, 2}},
            {"union of interfaces 0 and 1", {5, 0x24, 0x06, 0, 1}},
            {"ENDPOINT: notifications", endpoint(notify, 16)},
            {"INTERFACE 1: data", {9, 4, 1, 0, 2, 0x0A, 0, 0, 0}},
            {"ENDPOINT: from the host", endpoint(out, 0)},
            {"ENDPOINT: to the host", endpoint(in, 0)}};
}

void writeDescriptor(Writer& w, const Word& name, WordLiteral ending, const std::vector<Bytes>& parts)
{
    size_t count = 0;
    for (const Bytes& part : parts)
        count += part.bytes.size();
    w.line();
    w.linef("const uint8_t {}_{}[{}] = {{", name, ending, count);
    for (const Bytes& part : parts) {
        std::vector<Code> bytes;
        for (const int byte : part.bytes)
            bytes.push_back(code("0x{:02X}u", byte));
        w.linef("    {}, {}", joinedCode(bytes, ", "), cComment(part.what));
    }
    w.line("};");
}

Setting solveUsb(const TuningContext& c)
{
    Setting out;
    const bool full = goalsOf<UsbGoals>(c.need).full;
    const std::string& name = c.device.instances[c.bound.instance].name;
    const Frequency wanted = megahertz(48);
    // How accurate it must be is asked of its accuracy, with the clock's tolerance.
    const Achieved clock{"speed",
                         say("Clock"),
                         formatIfNeeded(c, wanted),
                         formatIfNeeded(c, c.kernel().rate),
                         errorOf(c.kernel().rate, wanted),
                         true,
                         {},
                         {}};
    out.achieved.push_back(clock);
    if (c.has("low_speed"))
        out.roles.push_back({"low_speed", !full, "speed"});
    else if (!full)
        out.achieved.push_back({"speed",
                                say("Speed class"),
                                "low",
                                "full",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} supports full speed only.", name)});
    const bool sensing = goalIs(c.need, "sensing", "pad");
    if (c.has("sensing"))
        out.roles.push_back({"sensing", sensing, "sensing"});
    else if (sensing)
        out.achieved.push_back({"sensing",
                                say("VBUS sensing"),
                                "pad",
                                "none",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} has no VBUS sensing. Use a separate input for it.", name)});
    solveEndpoints(c, out);
    if (isSerialPort(c.need)) {
        const std::string trouble = serialPortTrouble(endpointsOf(c.need));
        const bool named = goalNumber(c.need, "vendor") > 0;
        Achieved row{"class",
                     say("Class"),
                     say("serial port"),
                     say("serial port"),
                     std::nullopt,
                     trouble.empty() && named,
                     say("CDC, abstract control model"),
                     {}};
        row.trouble = !trouble.empty() ? trouble
                      : named          ? ""
                                       : say("a device needs a vendor ID and a product ID: set Vendor and Product.");
        if (!row.ok)
            row.achieved = "none";
        out.achieved.push_back(row);
    }
    if (goalIs(c.need, "interrupt", "yes") && c.has("bus_reset"))
        out.events.push_back({"event",
                              "bus_reset_interrupt",
                              "bus_reset",
                              "bus_reset",
                              say("Called by the interrupt when the host resets the bus: set the endpoints here."),
                              {}});
    if (c.has("on"))
        out.roles.push_back({"on", 1, ""});
    if (c.has("attach"))
        out.roles.push_back({"attach", 1, "", RoleValue::When::Start});
    return out;
}

bool setsEndpoints(const Setting& setting)
{
    return std::any_of(setting.roles.begin(), setting.roles.end(),
                       [](const RoleValue& value) { return value.when == RoleValue::When::Use; });
}

void declareUsb(Writer& w, NeedIndex need)
{
    const Need& need_ = w.facts.plan.needs[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.comment("Sets up clock, pads and the bus connection; transfers and the answers to host requests are up to your "
              "driver. start connects the device to the bus, stop disconnects it.");
    if (setsEndpoints(w.facts.settings[need])) {
        for (const UsbEndpoint& one :
             endpointsOf(need_, int(w.facts.device.ability(w.facts.bindings.needs[need].instance, "packet_step", 8)))) {
            const Word way = one.in ? Word::of("IN") : Word::of("OUT");
            w.linef("#define {}_EP{}_{}_BYTES {}u", NAME, one.number, way, one.bytes);
            w.linef("#define {}_EP{}_{}_AT {}u {}", NAME, one.number, way, one.at, cComment("in the packet memory"));
        }
        w.comment("Configures the endpoints; call it after each bus reset, which clears them.");
        w.linef("void {}_set_endpoints(void);", name);
    }
    if (isSerialPort(need_) && w.facts.settings[need].goal("class") && w.facts.settings[need].goal("class")->ok) {
        w.comment("Descriptors of a serial port.");
        w.linef("extern const uint8_t {}_device_descriptor[18];", name);
        w.linef("extern const uint8_t {}_configuration_descriptor[67];", name);
    }
    if (w.facts.device.roleField(w.facts.bindings.needs[need].instance, "bus_reset").valid() &&
        !goalIs(w.facts.plan.needs[need], "interrupt", "yes")) {
        w.comment("True if the host has reset the bus since the last call.");
        w.linef("bool {}_was_reset(void);", w.names.need(need));
    }
}

void defineUsb(Writer& w, NeedIndex need)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    const FieldRef flag = w.facts.device.roleField(instance, "bus_reset");
    const Setting& setting = w.facts.settings[need];
    if (setsEndpoints(setting)) {
        w.line();
        w.linef("void {}_set_endpoints(void)", w.names.need(need));
        w.line("{");
        for (const RoleValue& value : setting.roles)
            if (value.when == RoleValue::When::Use)
                writeRoleCode(
                    w, instance, value.role,
                    w.facts.device.blockOf(instance).role(value.role)->encoding.encode(value.value).value_or(0), 4);
        w.line("}");
    }
    if (isSerialPort(w.facts.plan.needs[need]) && setting.goal("class") && setting.goal("class")->ok) {
        writeDescriptor(w, w.names.need(need), WordLiteral("device_descriptor"),
                        deviceDescriptor(w.facts.plan.needs[need]));
        writeDescriptor(w, w.names.need(need), WordLiteral("configuration_descriptor"),
                        configurationDescriptor(w.facts.plan.needs[need]));
    }
    if (!flag.valid() || goalIs(w.facts.plan.needs[need], "interrupt", "yes"))
        return;
    w.line();
    w.linef("bool {}_was_reset(void)", w.names.need(need));
    w.line("{");
    takeFlag(w, instance, "bus_reset");
    w.line("    return true;");
    w.line("}");
}

} // namespace

Kind usbKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "usb";
    spec.title = "USB device";
    spec.otherNames = {{"usb device", {}}};
    spec.instanceKind = "usb";
    spec.goals = {
        {"speed", "Speed class", T::Choice, "full", {"full", "low"}, "Full: 12 Mbit/s; low: 1.5 Mbit/s."},
        {"sensing", "VBUS sensing", T::Choice, "none", {"none", "pad"}, "none: the board cannot detect a host."},
        {"control",
         "Endpoint 0",
         T::Integer,
         "64",
         {},
         "Bytes of its packets: 8, 16, 32 or 64; at low speed 8.",
         8,
         64,
         true},
        {"endpoints",
         "Endpoints",
         T::Text,
         "",
         {},
         "Beside endpoint 0: number, direction as the host sees it, type and bytes, as 1 in bulk 64, 1 out bulk 64, 2 "
         "in interrupt 8.",
         0,
         0,
         true},
        {"class",
         "Class",
         T::Choice,
         "none",
         {"none", "serial port"},
         "Serial port: the descriptors are written for it.",
         0,
         0,
         true},
        {"vendor", "Vendor", T::Integer, "0", {}, "Number that the USB organisation gave.", 0, 65535, true},
        {"product", "Product", T::Integer, "0", {}, "Number that the vendor gave.", 0, 65535, true},
        {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "When the host resets the bus.", 0, 0, true},
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
    };
    spec.relevant = [](const Need& need, std::string_view goal) {
        return (goal != "vendor" && goal != "product") || isSerialPort(need);
    };
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"dp", "data plus", "DP", -1, D::Both, false},
                                    {"dm", "data minus", "DM", -1, D::Both, false}};
        if (goalIs(need, "sensing", "pad"))
            out.push_back({"sense", "supply sensing", "SENSE", -1, D::In, false});
        return out;
    };
    spec.brief = [](const Need& need) { return say("{} speed", goalText(need, "speed")); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the device on.", {}},
        {"attach", Use::Config, false, "", "Connects the device to the bus.", {}},
        {"low_speed", Use::Config, false, "", "1: low speed; without it the device supports full speed only.", {}},
        {"endpoint_type#",
         Use::Config,
         false,
         "",
         "",
         {{"control", 0}, {"isochronous", 1}, {"bulk", 2}, {"interrupt", 3}}},
        {"endpoint_size#", Use::Config, false, "bytes", "Of a packet at most, in both directions.", {}},
        {"endpoint_in_size#", Use::Config, false, "bytes", "The same to the host alone.", {}},
        {"endpoint_out_size#", Use::Config, false, "bytes", "And from the host.", {}},
        {"endpoint_in#", Use::Config, false, "", "It sends to the host.", {}},
        {"endpoint_out#", Use::Config, false, "", "It takes from the host.", {}},
        {"endpoint_in_at#", Use::Config, false, "bytes", "Place of its packets in the packet memory.", {}},
        {"endpoint_out_at#", Use::Config, false, "bytes", "", {}},
        {"bus_reset", Use::Status, false, "", "The host resets the bus.", {}},
        {"bus_reset_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"sensing", Use::Config, false, "", "The supply of the bus is sensed.", {}}};
    spec.instanceEvents = {{"event", "Anything on the bus."}, {"wake", "The host wakes the device."}};
    kind.tuning.solve = solveUsb;
    kind.source = {declareUsb,
                   defineUsb,
                   {"was_reset", "bus_reset", "set_endpoints", "device_descriptor", "configuration_descriptor"}};
    spec.abilities = {{"endpoints", "Numbers of endpoints, each with both directions."},
                      {"packet_bytes", "Of the packet memory."},
                      {"packet_step", "Bytes at whose multiples a buffer can stand in it; 8 when nothing is said."}};
    spec.solderedToItsPads = true;
    spec.instanceSignals = {
        {"DP", "Data +.", "both"}, {"DM", "Data -.", "both"}, {"SENSE", "Supply of the bus.", "in both analog"}};
    kind.tuning.accuracy = usbAccuracy;
    return kind;
}

} // namespace bindrel
