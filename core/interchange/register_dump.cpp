// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/register_dump.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <charconv>
#include <optional>
#include <utility>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kLargest = 16u << 20;
constexpr std::size_t kToldAtMost = 200; ///< lines that are not understood

struct Number {
    std::uint64_t value = 0;
    int digits = 0; ///< of a hexadecimal one; else 0
};

std::optional<Number> numberIn(std::string_view word)
{
    const bool hex = word.starts_with("0x") || word.starts_with("0X");
    const bool binary = word.starts_with("0b") || word.starts_with("0B");
    std::string digits(word.substr(hex || binary ? 2 : 0));
    std::erase_if(digits, [](char c) { return c == '_' || c == '\''; });
    if (hex || binary)
        while (!digits.empty() && (digits.back() == 'u' || digits.back() == 'U' || digits.back() == 'L'))
            digits.pop_back();
    Number out;
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), out.value,
                                              hex      ? 16
                                              : binary ? 2
                                                       : 10);
    if (error != std::errc() || end != digits.data() + digits.size() || digits.empty())
        return std::nullopt;
    out.digits = hex ? int(digits.size()) : 0;
    return out;
}

class DumpReader {
public:
    explicit DumpReader(const Device& device) : device_(device)
    {
        for (const InstanceIndex i : device.instances.indices()) {
            const Block& block = device.blockOf(i);
            for (const RegisterIndex r : block.registers.indices()) {
                const At at{int(i), int(r)};
                // The modes of a unit have their registers at the same addresses: each gets the value.
                byAddress_[device.addressOf(i, int(r))].push_back(at);
                byName_.emplace(lowered(device.instances[i].name + "." + block.registers[r].name), at);
            }
        }
    }

    Expected<RegisterDump> read(std::string_view text)
    {
        if (text.size() > kLargest)
            return problemOf(say("the text is larger than {} MB; give a dump of the registers only.", kLargest >> 20));
        const std::string_view first = trimmed(text);
        if (first.starts_with('{') || first.starts_with('[')) {
            if (const Outcome read = readJson(first); !read)
                return read.problem();
        } else {
            readLines(text);
        }
        foldMemory();
        if (out_.values.empty())
            return problemOf(say("nothing in it is a register of {}. Write INSTANCE.REGISTER or an address, and "
                                 "the value.{}",
                                 device_.name, out_.notUnderstood.empty() ? "" : " " + out_.notUnderstood.front()));
        return std::move(out_);
    }

private:
    using At = std::pair<InstanceIndex, RegisterIndex>;

    void tell(int line, std::string what)
    {
        if (out_.notUnderstood.size() < kToldAtMost)
            out_.notUnderstood.push_back(line > 0 ? say("Line {}: {}", line, what) : std::move(what));
        else if (out_.notUnderstood.size() == kToldAtMost)
            out_.notUnderstood.push_back(say("More lines were not understood."));
    }

    /// To every register there.
    void put(std::uint32_t address, std::uint64_t value, int line)
    {
        bool first = true;
        for (const At& at : byAddress_.at(address))
            put(at, value, std::exchange(first, false) ? line : kQuiet);
    }

    void putNamed(const At& at, std::uint64_t value, int line)
    {
        put(at, value, line);
        for (const At& other : byAddress_.at(device_.addressOf(at.first, at.second)))
            if (other != at)
                put(other, value, kQuiet);
    }

    static constexpr int kQuiet = -1;
    void put(const At& at, std::uint64_t value, int line)
    {
        const Register& reg = device_.blockOf(at.first).registers[at.second];
        const std::uint64_t most = reg.width >= 32 ? UINT32_MAX : (std::uint64_t(1) << reg.width) - 1;
        const std::string name = device_.instances[at.first].name + "." + reg.name;
        if (value > most && line == kQuiet)
            return;
        if (value > most)
            return tell(line, say("0x{:X} does not fit into {}, which has {} bits.", value, name, reg.width));
        const auto [known, fresh] = out_.values.emplace(at, std::uint32_t(value));
        if (!fresh && known->second != value) {
            if (line != kQuiet)
                tell(line, say("{} was 0x{:X} before; the later value counts.", name, known->second));
            known->second = std::uint32_t(value);
        }
    }

    /// From an address on; of a register the whole must be known.
    void putMemory(std::uint64_t address, std::uint64_t value, int bytes)
    {
        for (int i = 0; i < bytes && memory_.size() < kLargest; ++i)
            if (address + std::uint64_t(i) <= UINT32_MAX)
                memory_[std::uint32_t(address + std::uint64_t(i))] = std::uint8_t(value >> (8 * i));
    }

    void foldMemory()
    {
        for (const auto& [address, registers] : byAddress_)
            for (const At& at : registers)
                foldMemory(address, at);
    }

    void foldMemory(std::uint32_t address, const At& at)
    {
        {
            const Register& reg = device_.blockOf(at.first).registers[at.second];
            std::uint32_t value = 0;
            bool whole = true;
            for (std::uint32_t i = 0; i < reg.bytes() && whole; ++i) {
                const auto byte = memory_.find(address + i);
                whole = byte != memory_.end();
                value |= whole ? std::uint32_t(byte->second) << (8 * i) : 0;
            }
            // A register of several parts lies at several addresses; its own accessors know how.
            if (whole && reg.parts.empty())
                out_.values.emplace(at, value);
        }
    }

    /// Blanks, commas and signs of assignment part; "->" and "<symbol+4>" go.
    static std::vector<std::string> wordsOf(std::string_view line)
    {
        std::vector<std::string> out;
        std::string word;
        int angle = 0;
        for (size_t i = 0; i < line.size(); ++i) {
            const char c = line[i];
            if (c == '-' && i + 1 < line.size() && line[i + 1] == '>') {
                word += '.';
                ++i;
                continue;
            }
            angle += c == '<';
            if (angle == 0 && c != ' ' && c != '\t' && c != ',' && c != ';' && c != '=' && c != ':' && c != '|' &&
                c != '"' && c != '\r') {
                word += c;
            } else if (!word.empty()) {
                out.push_back(std::move(word));
                word.clear();
            }
            angle -= c == '>' && angle > 0;
        }
        if (!word.empty())
            out.push_back(std::move(word));
        return out;
    }

    /// The register that words begin with, and how many of them name it.
    std::optional<std::pair<At, size_t>> named(const std::vector<std::string>& words) const
    {
        if (words.empty())
            return std::nullopt;
        if (const auto at = byName_.find(lowered(words[0])); at != byName_.end())
            return std::pair(at->second, size_t(1));
        if (words.size() > 1)
            if (const auto at = byName_.find(lowered(words[0] + "." + words[1])); at != byName_.end())
                return std::pair(at->second, size_t(2));
        return std::nullopt;
    }

    void readLines(std::string_view text)
    {
        int number = 0;
        for (const std::string& given : splitted(std::string(text), '\n')) {
            ++number;
            std::string_view line = given;
            for (const std::string_view comment : {"#", "//"})
                line = line.substr(0, line.find(comment));
            const std::vector<std::string> words = wordsOf(line);
            if (words.empty())
                continue;
            if (const auto register_ = named(words))
                readNamed(register_->first, words, register_->second, number);
            else if (const std::optional<Number> address = numberIn(words[0]))
                readMemory(*address, words, number);
            else if (std::none_of(words.begin(), words.end(), numberIn) && heading_.empty() && out_.values.empty())
                readHeading(words);
            else
                tell(number, nearest(words));
        }
    }

    std::string nearest(const std::vector<std::string>& words) const
    {
        std::vector<std::string> names;
        for (const auto& [name, at] : byName_)
            names.push_back(device_.instances[at.first].name + "." +
                            device_.blockOf(at.first).registers[at.second].name);
        return say("\"{}\" is not a register of {}.{}", printable(words[0].substr(0, 80)), device_.name,
                   didYouMean(words[0], names));
    }

    void readHeading(const std::vector<std::string>& words)
    {
        for (const std::string& word : words)
            heading_.push_back(lowered(word));
    }

    void readNamed(const At& at, const std::vector<std::string>& words, size_t used, int line)
    {
        std::vector<Number> numbers;
        std::optional<Number> said;
        for (size_t w = used; w < words.size(); ++w) {
            const std::optional<Number> number = numberIn(words[w]);
            if (!number)
                continue;
            // A name of two words takes two cells of a heading or one.
            for (const size_t column : {w, w + 1 - used})
                if (!said && column < heading_.size() && heading_.size() > 2 && heading_[column] == "value")
                    said = number;
            numbers.push_back(*number);
        }
        if (!numbers.empty() && numbers.size() > 1 && numbers[0].value == device_.addressOf(at.first, at.second))
            numbers.erase(numbers.begin());
        if (!said && numbers.size() == 1)
            said = numbers[0];
        if (said)
            putNamed(at, said->value, line);
        else
            tell(line, numbers.empty()
                           ? say("{} has no value.", words[0])
                           : say("{} has several numbers; write one, or a heading with \"value\".", words[0]));
    }

    void readMemory(const Number& address, const std::vector<std::string>& words, int line)
    {
        std::uint64_t at = address.value;
        if (words.size() == 2)
            if (const auto known = byAddress_.find(std::uint32_t(at)); known != byAddress_.end() && at <= UINT32_MAX)
                if (const std::optional<Number> value = numberIn(words[1]))
                    return put(known->first, value->value, line);
        bool any = false, reached = false;
        for (size_t w = 1; w < words.size(); ++w) {
            const std::optional<Number> value = numberIn(words[w]);
            if (!value)
                break; // what memory holds as letters
            const int bytes = value->digits > 4 || value->digits == 0 ? 4 : value->digits > 2 ? 2 : 1;
            putMemory(at, value->value, bytes);
            for (int i = 0; i < bytes; ++i)
                reached =
                    reached || (at + std::uint64_t(i) <= UINT32_MAX && covers(std::uint32_t(at + std::uint64_t(i))));
            at += std::uint64_t(bytes);
            any = true;
        }
        if (!any)
            tell(line, say("no value stands behind 0x{:X}.", address.value));
        else if (!reached)
            tell(line, say("no register of {} is at 0x{:X}.", device_.name, address.value));
    }

    bool covers(std::uint32_t address) const
    {
        auto after = byAddress_.upper_bound(address);
        if (after == byAddress_.begin())
            return false;
        --after;
        return std::any_of(after->second.begin(), after->second.end(), [&](const At& at) {
            return address - after->first < device_.blockOf(at.first).registers[at.second].bytes();
        });
    }

    static std::optional<Number> numberOf(const Json& value)
    {
        if (value.is_number_unsigned() || value.is_number_integer())
            return value.get<std::int64_t>() < 0 ? std::nullopt : std::optional(Number{value.get<std::uint64_t>(), 0});
        return value.is_string() ? numberIn(trimmed(value.get_ref<const std::string&>())) : std::nullopt;
    }

    Outcome readJson(std::string_view text)
    {
        // Deep nesting is no dump, and the parser goes down with it.
        int depth = 0;
        for (const char c : text) {
            depth += c == '{' || c == '[' ? 1 : c == '}' || c == ']' ? -1 : 0;
            if (depth > 16)
                return problemOf(say("the JSON is nested deeper than a dump of registers is."));
        }
        const Json json = Json::parse(text, nullptr, false);
        if (json.is_discarded())
            return problemOf(say("the text begins as JSON but cannot be read as such."));
        const auto one = [this](const std::string& name, const Json& value) {
            const std::optional<Number> number = numberOf(value);
            const std::vector<std::string> words = wordsOf(name);
            const std::optional<Number> address = words.empty() ? std::nullopt : numberIn(words[0]);
            if (const auto known = named(words); known && number)
                putNamed(known->first, number->value, 0);
            else if (const auto at = address && address->value <= UINT32_MAX
                                         ? byAddress_.find(std::uint32_t(address->value))
                                         : byAddress_.end();
                     at != byAddress_.end() && number)
                put(at->first, number->value, 0);
            else
                tell(0, number ? nearest(words.empty() ? std::vector<std::string>{name} : words)
                               : say("{} has no value that is a number.", printable(name.substr(0, 80))));
        };
        if (json.is_object())
            for (const auto& [name, value] : json.items())
                one(name, value);
        else
            for (const Json& row : json) {
                const Json name =
                    !row.is_object() ? Json() : row.value("name", row.value("register", row.value("address", Json())));
                if (row.is_object() && (name.is_string() || name.is_number()))
                    one(name.is_string() ? name.get<std::string>() : name.dump(), row.value("value", Json()));
                else
                    tell(0, say("A row has no \"name\" or \"address\"."));
            }
        return {};
    }

    const Device& device_;
    std::map<std::uint32_t, std::vector<At>> byAddress_;
    std::map<std::string, At> byName_;
    std::map<std::uint32_t, std::uint8_t> memory_;
    std::vector<std::string> heading_;
    RegisterDump out_;
};

} // namespace

std::optional<std::uint32_t> RegisterDump::codeOf(const Device& device, const FieldRef& ref) const
{
    const auto at = values.find({ref.instance, ref.reg});
    return at == values.end() ? std::nullopt : std::optional(device.fieldOf(ref).in(at->second));
}

Expected<RegisterDump> readRegisterDump(const Device& device, std::string_view text)
{
    return DumpReader(device).read(text);
}

} // namespace bindrel
