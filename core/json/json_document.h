// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/quantity/quantity.h"

#include <nlohmann/json_fwd.hpp>

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace bindrel {

class JsonNode;
class PlacedJson;

/// A JSON text (RFC 8259, with // and /* */ comments allowed) that is being read, and the problems met in it.
///
/// Reading code asks the nodes for what it needs and looks at problem() once, at the end: where there is a problem
/// an accessor gives a harmless default, so that readers stay straight-line code. Refused before any node is handed
/// out: text that is not UTF-8, nesting deeper than 64, a key given twice in one object.
class JsonDocument {
public:
    /// `file` is only for messages.
    JsonDocument(std::string text, std::string file);
    /// Values that were put together from several files. `file` is for what has no place.
    JsonDocument(std::shared_ptr<const PlacedJson> values, std::string file);
    ~JsonDocument();
    JsonDocument(const JsonDocument&) = delete;
    JsonDocument& operator=(const JsonDocument&) = delete;

    JsonNode root();
    bool ok() const { return problems_.empty(); }
    /// REQUIRES: !ok()
    const Problem& problem() const { return problems_.front(); }
    /// All that were met, in the order of their places; at most kMaxProblems.
    std::vector<Problem> problems() const;
    static constexpr std::size_t kMaxProblems = 100;

    /// Refuses texts and keys with characters that cannot be seen, and texts over kMaxText: for files that become
    /// source.
    void refuseHiddenText();
    static constexpr std::size_t kMaxText = 1000; ///< bytes
    /// Records a problem at a place. Of several at one place the first is kept: the others mostly follow from it.
    void fail(const std::string& pointer, std::string message);
    /// Where the value of `pointer` starts, as line and column from 1; {0, 0} when it is not there.
    std::pair<int, int> place(const std::string& pointer) const;
    const nlohmann::ordered_json& value() const;

private:
    std::shared_ptr<const PlacedJson> placed_; ///< null: all comes from text_
    std::string text_;
    std::string file_;
    std::unique_ptr<nlohmann::ordered_json> value_;
    std::vector<Problem> problems_;
};

/// One value of a JsonDocument, with its place. Cheap to copy; must not outlive the document.
class JsonNode {
public:
    JsonNode(JsonDocument* document, const nlohmann::ordered_json* value, std::string pointer)
        : document_(document), value_(value), pointer_(std::move(pointer))
    {
    }

    const std::string& pointer() const { return pointer_; }
    bool exists() const { return value_ != nullptr; }
    bool isString() const;
    bool isObject() const;
    bool isArray() const;
    bool isNumber() const;
    bool has(std::string_view key) const;
    void fail(std::string message) const { document_->fail(pointer_, std::move(message)); }

    /// Refuses every key that is not named, with the nearest that is.
    void allowOnly(const std::vector<std::string>& keys) const;

    /// A member that must be there / that may be missing (then exists() is false).
    JsonNode child(std::string_view key) const;
    JsonNode optionalChild(std::string_view key) const;
    std::vector<JsonNode> items() const;
    std::vector<std::pair<std::string, JsonNode>> members() const;

    /// Refuses a name that is not of letters, digits, _ . + -, or longer than kMaxName; or, as a word, no identifier of
    /// C.
    void requireName(std::string_view name) const;
    void requireWord(std::string_view name) const;
    static constexpr std::size_t kMaxName = 48;

    /// This node itself, read as a type.
    std::string asString() const;
    std::int64_t asInteger(std::int64_t min, std::int64_t max) const;
    /// A number, or a string in hexadecimal ("0x4000 2000", blanks allowed).
    std::uint32_t asWord() const;
    bool asBoolean() const;
    Frequency asFrequency() const;
    Duration asDuration() const;
    Voltage asVoltage() const;
    Ppm asPpm() const;
    Capacitance asCapacitance() const;
    Current asCurrent() const;
    Ratio asRatio() const;
    std::vector<std::string> asStrings() const;

    /// Members: required, or with a default.
    std::string string(std::string_view key) const { return child(key).asString(); }
    std::string string(std::string_view key, std::string_view fallback) const;
    std::int64_t integer(std::string_view key, std::int64_t min, std::int64_t max) const;
    std::int64_t integer(std::string_view key, std::int64_t min, std::int64_t max, std::int64_t fallback) const;
    std::uint32_t word(std::string_view key, std::uint32_t fallback) const;
    bool boolean(std::string_view key, bool fallback) const;
    std::vector<std::string> strings(std::string_view key) const; ///< empty when missing

private:
    const nlohmann::ordered_json& raw() const { return *value_; }
    void wrongType(std::string_view wanted) const;

    JsonDocument* document_;
    const nlohmann::ordered_json* value_;
    std::string pointer_;
};

} // namespace bindrel
