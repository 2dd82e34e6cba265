// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <nlohmann/json.hpp>

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace bindrel {

/// One clause of a line: its words with their place, the first being the keyword.
struct FactClause {
    std::string key;                ///< "set by"
    std::vector<std::string> items; ///< what stands behind it, parted by commas
    int column = 1;
};

struct FactLine {
    std::string head;               ///< before the colon; quotes and all
    std::vector<std::string> parts; ///< behind it, parted by commas
    std::vector<int> columns;
    int line = 0;
    bool hasColon = false;
};

/// Cuts lines of facts into what they are about and their clauses, and reads what can stand in those. The first thing
/// that is not understood is kept with its place; what is read after it counts for nothing.
class FactLines {
public:
    explicit FactLines(std::string name) : name_(std::move(name)) {}

    const std::optional<Problem>& failed() const { return failed_; }

protected:
    using Json = nlohmann::ordered_json;

    /// Cuts at a sign that stands outside of quotes and brackets; each piece with its column.
    static std::vector<std::pair<std::string, int>> cut(std::string_view text, char sign, int column);
    /// A line as what it is about and the parts behind its colon.
    static FactLine factOf(const std::string& line, int number);
    void fail(int line, int column, std::string message);
    static std::string withoutComment(std::string line);
    /// "HFX "HF crystal"" as id and name.
    static std::pair<std::string, std::string> idAndName(const std::string& text);
    std::optional<Json> json(const std::string& text, const FactLine& fact, int column);
    /// Puts the clauses of a line together: one that begins with no keyword belongs to the one before.
    std::vector<FactClause> clauses(const FactLine& fact, std::size_t from, const std::vector<std::string>& keys);
    /// The one item of a clause.
    std::string only(const FactClause& clause, const FactLine& fact);
    /// "power of two", or a table: "8 = 0, 7 = 1".
    Json encoding(const FactClause& clause, const FactLine& fact);
    bool with(const FactClause& clause, const FactLine& fact, Json& into);
    /// A text without quotes is a text; with them it is read as JSON.
    static Json textOf(const std::string& text);
    /// A number where it is one, else a text: "2", "2.5".
    static Json factor(const std::string& text);
    std::optional<std::int64_t> number(const std::string& text, const FactLine& fact, int column);
    /// "HFI = 0, HFX = 1" as an object with numbers.
    Json pairs(const std::vector<std::string>& items, const FactLine& fact, int column, bool codeFirst);
    /// The item of a list of objects with ids; made when it is not there.
    Json& itemOf(Json& list, const std::string& id);
    static std::optional<std::pair<std::string, std::string>> assigned(const std::string& text);

private:
    std::string name_;
    std::optional<Problem> failed_;
};

} // namespace bindrel
