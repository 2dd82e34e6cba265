// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>

#include <memory>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace bindrel {

/// A place in a text: line and column count from 1; 0 means not known.
struct TextPlace {
    std::string file; ///< as a person would name it
    int line = 0;
    int column = 0;

    bool operator==(const TextPlace&) const = default;
};

/// JSON values that know where they were read: each has a place of its own, or that of the nearest value above it.
/// Values of JSON files have the pointer that they have there instead, so that a place costs nothing until it is asked
/// for.
class PlacedJson {
public:
    PlacedJson();
    ~PlacedJson();
    PlacedJson(PlacedJson&&) noexcept;
    PlacedJson& operator=(PlacedJson&&) noexcept;

    nlohmann::ordered_json& value() { return *value_; }
    const nlohmann::ordered_json& value() const { return *value_; }

    /// Adds a file that values come from; `text` only where its values are placed by pointer. Gives its number.
    int addFile(std::string name, std::shared_ptr<const std::string> text = nullptr);
    void put(std::string pointer, int file, int line, int column = 0);
    void putPointer(std::string pointer, int file, std::string pointerThere);

    /// The file that a value comes from; -1 when nothing is known.
    int fileOf(std::string_view pointer) const;
    const std::vector<std::string>& files() const { return files_; }
    TextPlace place(std::string_view pointer) const;

    /// Takes over files and places of another one below a pointer of this one: what stood at `from` there stands at
    /// `to` here. Its value is not touched.
    void adopt(const PlacedJson& other, const std::string& from, const std::string& to);
    /// Gives `pointer` a place of its own, that which `from` has in another one.
    void adoptOne(const PlacedJson& other, const std::string& from, const std::string& to);
    /// Drops the places of what stands below a pointer; they have that of the pointer then.
    void forgetBelow(const std::string& pointer);

private:
    struct At {
        int file = -1, line = 0, column = 0;
        std::string pointerThere; ///< in the JSON text of that file, instead of line and column
        bool byPointer = false;
    };
    const At* find(std::string_view pointer, std::string_view* rest) const;
    int fileLike(const PlacedJson& other, int file);

    std::unique_ptr<nlohmann::ordered_json> value_;
    std::vector<std::string> files_;
    std::vector<std::shared_ptr<const std::string>> texts_;
    std::unordered_map<std::string, At> places_;
};

/// A key as it stands in a JSON pointer (RFC 6901, 3).
std::string pointerWord(std::string_view key);

/// Line and column of an offset in a text, both from 1.
std::pair<int, int> lineAndColumn(std::string_view text, std::size_t offset);

} // namespace bindrel
