// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/json/json_document.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/json/json_scan.h"
#include "core/json/placed_json.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <functional>
#include <tuple>

namespace bindrel {

using Json = nlohmann::ordered_json;

namespace {

constexpr int kMaxDepth = 64;
constexpr const char* kNoPointer = "\n"; ///< names no value: the scan then only checks

/// nlohmann's sentence without its id, place and repetition of the last token, which may be a whole broken file.
std::string syntaxReason(const std::string& what)
{
    std::string reason = what;
    if (const std::size_t at = reason.rfind("; last read:"); at != std::string::npos)
        reason = reason.substr(0, at);
    for (const char* mark : {"while parsing ", ": "})
        if (const std::size_t at = reason.find(mark); at != std::string::npos) {
            reason = reason.substr(at + (mark[0] == ':' ? 2 : 0));
            break;
        }
    return reason;
}

} // namespace

JsonDocument::JsonDocument(std::string text, std::string file) : text_(std::move(text)), file_(std::move(file))
{
    const auto failAt = [this](std::size_t offset, std::string message) {
        Problem problem = problemOf(std::move(message));
        problem.file = file_;
        std::tie(problem.line, problem.column) = lineAndColumn(text_, offset);
        problems_.push_back(problem);
    };
    value_ = std::make_unique<Json>();
    if (!isUtf8(text_)) {
        failAt(0, say("is not UTF-8 text; save it as UTF-8."));
        return;
    }
    const JsonScan scan = scanJson(text_, kNoPointer, kMaxDepth);
    if (scan.tooDeep) {
        failAt(*scan.tooDeep, say("nests deeper than 64 levels; no file of Bindrel's does."));
        return;
    }
    if (scan.tooMany) {
        failAt(*scan.tooMany, say("a list or an object has more than {} entries; Bindrel reads no more.", kMaxEntries));
        return;
    }
    try {
        *value_ = Json::parse(text_, nullptr, true, true);
    } catch (const Json::parse_error& error) {
        *value_ = Json();
        failAt(error.byte > 0 ? error.byte - 1 : 0, say("is not JSON: ") + syntaxReason(error.what()) + ".");
        return;
    } catch (const Json::exception& error) {
        *value_ = Json();
        failAt(0, std::string(say("cannot be read as JSON: ")) + error.what() + ".");
        return;
    }
    if (scan.duplicate)
        failAt(*scan.duplicate, say("the key \"{}\" is given twice in one object; keep one.", scan.duplicateKey));
}

JsonDocument::JsonDocument(std::shared_ptr<const PlacedJson> values, std::string file)
    : placed_(std::move(values)), file_(std::move(file))
{
}

JsonDocument::~JsonDocument() = default;

const Json& JsonDocument::value() const
{
    return placed_ ? placed_->value() : *value_;
}

JsonNode JsonDocument::root()
{
    return JsonNode(this, &value(), "");
}

void JsonDocument::refuseHiddenText()
{
    // Above the value that is looked at: its key or, in a list, its index.
    struct Step {
        const std::string* key;
        std::size_t index;
    };
    std::vector<Step> above;
    const auto pointer = [&above] {
        std::string out;
        for (const Step& step : above)
            out += "/" + (step.key ? pointerWord(*step.key) : std::to_string(step.index));
        return out;
    };
    const auto check = [&](const std::string& text) {
        if (text.size() > kMaxText)
            fail(pointer(), say("is a text of {} bytes; {} are allowed.", text.size(), kMaxText));
        else if (!isPrintable(text))
            fail(pointer(),
                 say("\"{}\" has a character that cannot be seen or changes the direction of writing; take it out.",
                     printable(text)));
    };
    const std::function<void(const Json&)> walk = [&](const Json& value) {
        if (problems_.size() >= kMaxProblems)
            return;
        if (value.is_string())
            check(value.get_ref<const std::string&>());
        std::size_t index = 0;
        for (auto it = value.begin(); (value.is_object() || value.is_array()) && it != value.end(); ++it, ++index) {
            above.push_back({value.is_object() ? &it.key() : nullptr, index});
            if (value.is_object())
                check(it.key());
            walk(*it);
            above.pop_back();
        }
    };
    walk(value());
}

void JsonDocument::fail(const std::string& pointer, std::string message)
{
    if (problems_.size() >= kMaxProblems ||
        std::any_of(problems_.begin(), problems_.end(),
                    [&pointer](const Problem& known) { return known.pointer == pointer; }))
        return;
    Problem problem = problemOf(std::move(message));
    problem.file = file_;
    problem.pointer = pointer;
    std::tie(problem.line, problem.column) = place(pointer);
    if (placed_)
        if (const TextPlace at = placed_->place(pointer); !at.file.empty())
            problem.file = at.file;
    problems_.push_back(std::move(problem));
}

std::vector<Problem> JsonDocument::problems() const
{
    std::vector<Problem> out = problems_;
    std::stable_sort(out.begin(), out.end(), [](const Problem& a, const Problem& b) {
        return std::tie(a.line, a.column) < std::tie(b.line, b.column);
    });
    return out;
}

std::pair<int, int> JsonDocument::place(const std::string& pointer) const
{
    if (placed_) {
        const TextPlace at = placed_->place(pointer);
        return {std::max(at.line, 1), std::max(at.column, 1)};
    }
    const JsonScan scan = scanJson(text_, pointer, kMaxDepth);
    return scan.found ? lineAndColumn(text_, *scan.found) : std::pair<int, int>{0, 0};
}

void JsonNode::wrongType(std::string_view wanted) const
{
    const std::string given = exists() ? raw().type_name() : "nothing";
    fail(say("must be {}, but is {}.", wanted, given));
}

bool JsonNode::isString() const
{
    return exists() && raw().is_string();
}
bool JsonNode::isObject() const
{
    return exists() && raw().is_object();
}
bool JsonNode::isArray() const
{
    return exists() && raw().is_array();
}
bool JsonNode::isNumber() const
{
    return exists() && raw().is_number();
}
bool JsonNode::has(std::string_view key) const
{
    return isObject() && raw().contains(key);
}

void JsonNode::allowOnly(const std::vector<std::string>& keys) const
{
    if (!isObject()) {
        wrongType(say("an object"));
        return;
    }
    for (const auto& item : raw().items())
        if (std::find(keys.begin(), keys.end(), item.key()) == keys.end()) {
            document_->fail(pointer_ + "/" + pointerWord(item.key()),
                            say("\"{}\" is not a key that is known here.{}", item.key(), didYouMean(item.key(), keys)));
            return;
        }
}

JsonNode JsonNode::child(std::string_view key) const
{
    if (exists() && !isObject())
        wrongType(say("an object"));
    else if (exists() && !has(key))
        fail(say("the key \"{}\" is missing.", key));
    return optionalChild(key);
}

JsonNode JsonNode::optionalChild(std::string_view key) const
{
    const std::string pointer = pointer_ + "/" + pointerWord(key);
    if (!isObject())
        return JsonNode(document_, nullptr, pointer);
    const auto found = raw().find(key);
    return JsonNode(document_, found == raw().end() ? nullptr : &*found, pointer);
}

std::vector<JsonNode> JsonNode::items() const
{
    std::vector<JsonNode> out;
    if (!exists())
        return out;
    if (!isArray()) {
        wrongType(say("a list"));
        return out;
    }
    out.reserve(raw().size());
    for (std::size_t i = 0; i < raw().size(); ++i)
        out.emplace_back(document_, &raw()[i], pointer_ + "/" + std::to_string(i));
    return out;
}

std::vector<std::pair<std::string, JsonNode>> JsonNode::members() const
{
    std::vector<std::pair<std::string, JsonNode>> out;
    if (!exists())
        return out;
    if (!isObject()) {
        wrongType(say("an object"));
        return out;
    }
    for (auto it = raw().begin(); it != raw().end(); ++it)
        out.emplace_back(it.key(), JsonNode(document_, &it.value(), pointer_ + "/" + pointerWord(it.key())));
    return out;
}

std::string JsonNode::asString() const
{
    if (isString())
        return raw().get<std::string>();
    if (exists())
        wrongType(say("a text in quotes"));
    return {};
}

void JsonNode::requireName(std::string_view name) const
{
    const auto allowed = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
               std::string_view("_.+-").find(c) != std::string_view::npos;
    };
    if (name.empty() || name.size() > kMaxName || !std::all_of(name.begin(), name.end(), allowed))
        fail(say("\"{}\" is not a name; use letters, digits, _ . + and -, at most {}.", printable(name.substr(0, 80)),
                 kMaxName));
}

void JsonNode::requireWord(std::string_view name) const
{
    requireName(name);
    if (name.find_first_of(".+-") != std::string_view::npos ||
        (!name.empty() && name.front() >= '0' && name.front() <= '9'))
        fail(say("\"{}\" becomes a name in C; use letters, digits and underscores, not beginning with a digit.", name));
}

std::int64_t JsonNode::asInteger(std::int64_t min, std::int64_t max) const
{
    if (!exists())
        return min;
    if (!raw().is_number_integer()) {
        wrongType(say("a whole number"));
        return min;
    }
    const bool tooLarge = raw().is_number_unsigned() && raw().get<std::uint64_t>() > std::uint64_t(INT64_MAX);
    const std::int64_t value = tooLarge ? INT64_MAX : raw().get<std::int64_t>();
    if (value < min || value > max || tooLarge) {
        fail(say("{} is out of range; it must be from {} to {}.", raw().dump(), min, max));
        return min;
    }
    return value;
}

std::uint32_t JsonNode::asWord() const
{
    if (!isString())
        return static_cast<std::uint32_t>(asInteger(0, UINT32_MAX));
    std::string digits;
    for (char c : asString())
        if (c != ' ')
            digits += c;
    const auto isHex = [](char c) {
        return std::string_view("0123456789abcdefABCDEF").find(c) != std::string_view::npos;
    };
    if (digits.size() < 3 || digits.size() > 10 || !digits.starts_with("0x") ||
        !std::all_of(digits.begin() + 2, digits.end(), isHex)) {
        fail(say("\"{}\" is not a 32-bit word; write it as \"0x4000 2000\" or as a number.", asString()));
        return 0;
    }
    return static_cast<std::uint32_t>(std::stoul(digits, nullptr, 16));
}

bool JsonNode::asBoolean() const
{
    if (exists() && raw().is_boolean())
        return raw().get<bool>();
    if (exists())
        wrongType(say("true or false"));
    return false;
}

namespace {
template <typename Q> Q quantityAt(const JsonNode& node, Expected<Q> (*parse)(std::string_view))
{
    if (!node.exists())
        return Q();
    const std::string text = node.asString();
    if (!node.isString())
        return Q();
    Expected<Q> value = parse(text);
    if (value)
        return *value;
    node.fail(value.problem().message);
    return Q();
}
} // namespace

Frequency JsonNode::asFrequency() const
{
    return quantityAt<Frequency>(*this, parseFrequency);
}
Duration JsonNode::asDuration() const
{
    return quantityAt<Duration>(*this, parseDuration);
}
Voltage JsonNode::asVoltage() const
{
    return quantityAt<Voltage>(*this, parseVoltage);
}
Ppm JsonNode::asPpm() const
{
    return quantityAt<Ppm>(*this, parsePpm);
}
Capacitance JsonNode::asCapacitance() const
{
    return quantityAt<Capacitance>(*this, parseCapacitance);
}
Current JsonNode::asCurrent() const
{
    return quantityAt<Current>(*this, parseCurrent);
}
Ratio JsonNode::asRatio() const
{
    return quantityAt<Ratio>(*this, parseRatio);
}

std::vector<std::string> JsonNode::asStrings() const
{
    std::vector<std::string> out;
    for (const JsonNode& item : items())
        out.push_back(item.asString());
    return out;
}

std::string JsonNode::string(std::string_view key, std::string_view fallback) const
{
    return has(key) ? child(key).asString() : std::string(fallback);
}
std::int64_t JsonNode::integer(std::string_view key, std::int64_t min, std::int64_t max) const
{
    return child(key).asInteger(min, max);
}
std::int64_t JsonNode::integer(std::string_view key, std::int64_t min, std::int64_t max, std::int64_t fallback) const
{
    return has(key) ? child(key).asInteger(min, max) : fallback;
}
std::uint32_t JsonNode::word(std::string_view key, std::uint32_t fallback) const
{
    return has(key) ? child(key).asWord() : fallback;
}
bool JsonNode::boolean(std::string_view key, bool fallback) const
{
    return has(key) ? child(key).asBoolean() : fallback;
}
std::vector<std::string> JsonNode::strings(std::string_view key) const
{
    return optionalChild(key).asStrings();
}

} // namespace bindrel
