// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/usb/usb_endpoints.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

namespace {

bool isInt(const std::string& text, int& out)
{
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
    return error == std::errc() && end == text.data() + text.size();
}

/// What is wrong with a size; empty when the bus allows it.
std::string troubleOf(UsbEndpoint::Type type, int bytes, bool full)
{
    using Type = UsbEndpoint::Type;
    const bool power = bytes == 8 || bytes == 16 || bytes == 32 || bytes == 64;
    switch (type) {
    case Type::Control:
        return full         ? (power ? "" : say("packets of a control endpoint have 8, 16, 32 or 64 bytes"))
               : bytes == 8 ? ""
                            : say("at low speed packets of a control endpoint have 8 bytes");
    case Type::Bulk:
        return !full   ? say("there are no bulk endpoints at low speed")
               : power ? ""
                       : say("packets of a bulk endpoint have 8, 16, 32 or 64 bytes");
    case Type::Interrupt:
        return bytes >= 1 && bytes <= (full ? 64 : 8) ? ""
               : full                                 ? say("packets of an interrupt endpoint have 1 to 64 bytes")
                      : say("at low speed packets of an interrupt endpoint have 1 to 8 bytes");
    case Type::Isochronous:
        return !full                         ? say("there are no isochronous endpoints at low speed")
               : bytes >= 1 && bytes <= 1023 ? ""
                                             : say("packets of an isochronous endpoint have 1 to 1023 bytes");
    }
    return {};
}

} // namespace

Expected<std::vector<UsbEndpoint>> parseUsbEndpoints(std::string_view text, bool full, int controlBytes)
{
    static const std::vector<std::string> types{"control", "isochronous", "bulk", "interrupt"};
    std::vector<UsbEndpoint> out{{0, false, UsbEndpoint::Type::Control, controlBytes, 0},
                                 {0, true, UsbEndpoint::Type::Control, controlBytes, 0}};
    if (const std::string trouble = troubleOf(UsbEndpoint::Type::Control, controlBytes, full); !trouble.empty())
        return problemOf(say("Endpoint 0 of {} bytes: {}.", controlBytes, trouble));
    for (const std::string& one : splitted(text, ',')) {
        std::vector<std::string> words;
        for (std::string& word : splitted(one, ' '))
            if (!word.empty())
                words.push_back(lowered(word));
        if (words.empty())
            continue;
        UsbEndpoint endpoint;
        const auto type = words.size() == 4 ? std::find(types.begin(), types.end(), words[2]) : types.end();
        if (words.size() != 4 || !isInt(words[0], endpoint.number) || (words[1] != "in" && words[1] != "out") ||
            !isInt(words[3], endpoint.bytes))
            return problemOf(
                say("\"{}\" is no endpoint; write number, direction, type and bytes, as 1 in bulk 64.", trimmed(one)));
        if (type == types.end() || type == types.begin())
            return problemOf(say("\"{}\" is no type for an endpoint of yours; it is bulk, interrupt or isochronous.{}",
                                 words[2], didYouMean(words[2], types)));
        endpoint.in = words[1] == "in";
        endpoint.type = static_cast<UsbEndpoint::Type>(type - types.begin());
        if (endpoint.number < 1 || endpoint.number > 15)
            return problemOf(say("\"{}\": endpoints have the numbers 1 to 15; 0 is the host's to control the device.",
                                 trimmed(one)));
        if (const std::string trouble = troubleOf(endpoint.type, endpoint.bytes, full); !trouble.empty())
            return problemOf(fmt::format("\"{}\": {}.", trimmed(one), trouble));
        if (std::any_of(out.begin(), out.end(), [&endpoint](const UsbEndpoint& other) {
                return other.number == endpoint.number && other.in == endpoint.in;
            }))
            return problemOf(say("Endpoint {} {} is stated twice.", endpoint.number, words[1]));
        out.push_back(endpoint);
    }
    std::stable_sort(out.begin(), out.end(), [](const UsbEndpoint& a, const UsbEndpoint& b) {
        return a.number != b.number ? a.number < b.number : a.in < b.in;
    });
    return out;
}

int layEndpoints(std::vector<UsbEndpoint>& endpoints, int step)
{
    int at = 0;
    for (UsbEndpoint& endpoint : endpoints) {
        endpoint.at = at;
        at += (endpoint.bytes + step - 1) / step * step;
    }
    return at;
}

} // namespace bindrel
