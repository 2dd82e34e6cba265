// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/json/placed_json.h"

#include "core/json/json_scan.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel {

std::string pointerWord(std::string_view key)
{
    std::string out;
    for (const char c : key) {
        if (c == '~')
            out += "~0";
        else if (c == '/')
            out += "~1";
        else
            out += c;
    }
    return out;
}

std::pair<int, int> lineAndColumn(std::string_view text, std::size_t offset)
{
    const std::string_view before = text.substr(0, std::min(offset, text.size()));
    const auto line = static_cast<int>(std::count(before.begin(), before.end(), '\n')) + 1;
    const std::size_t lineStart = before.rfind('\n');
    const std::size_t column = lineStart == std::string_view::npos ? before.size() : before.size() - lineStart - 1;
    return {line, static_cast<int>(column) + 1};
}

PlacedJson::PlacedJson() : value_(std::make_unique<nlohmann::ordered_json>(nlohmann::ordered_json::object())) {}
PlacedJson::~PlacedJson() = default;
PlacedJson::PlacedJson(PlacedJson&&) noexcept = default;
PlacedJson& PlacedJson::operator=(PlacedJson&&) noexcept = default;

int PlacedJson::addFile(std::string name, std::shared_ptr<const std::string> text)
{
    files_.push_back(std::move(name));
    texts_.push_back(std::move(text));
    return static_cast<int>(files_.size()) - 1;
}

void PlacedJson::put(std::string pointer, int file, int line, int column)
{
    places_[std::move(pointer)] = {file, line, column, {}, false};
}

void PlacedJson::putPointer(std::string pointer, int file, std::string pointerThere)
{
    places_[std::move(pointer)] = {file, 0, 0, std::move(pointerThere), true};
}

const PlacedJson::At* PlacedJson::find(std::string_view pointer, std::string_view* rest) const
{
    std::string above(pointer);
    while (true) {
        if (const auto found = places_.find(above); found != places_.end()) {
            *rest = pointer.substr(above.size());
            return &found->second;
        }
        const std::size_t slash = above.rfind('/');
        if (slash == std::string::npos)
            return nullptr;
        above.resize(slash);
    }
}

int PlacedJson::fileOf(std::string_view pointer) const
{
    std::string_view rest;
    const At* at = find(pointer, &rest);
    return at ? at->file : -1;
}

TextPlace PlacedJson::place(std::string_view pointer) const
{
    std::string_view rest;
    const At* at = find(pointer, &rest);
    if (!at || at->file < 0)
        return {};
    TextPlace out{files_[std::size_t(at->file)], at->line, at->column};
    if (at->byPointer && texts_[std::size_t(at->file)]) {
        const std::string& text = *texts_[std::size_t(at->file)];
        std::string there = at->pointerThere + std::string(rest);
        // A value that is asked for but not there has the place of what is above it.
        while (true) {
            if (const JsonScan scan = scanJson(text, there, 64); scan.found) {
                std::tie(out.line, out.column) = lineAndColumn(text, *scan.found);
                break;
            }
            const std::size_t slash = there.rfind('/');
            if (slash == std::string::npos)
                break;
            there.resize(slash);
        }
    }
    return out;
}

int PlacedJson::fileLike(const PlacedJson& other, int file)
{
    for (std::size_t i = 0; i < files_.size(); ++i)
        if (files_[i] == other.files_[std::size_t(file)] && texts_[i] == other.texts_[std::size_t(file)])
            return static_cast<int>(i);
    return addFile(other.files_[std::size_t(file)], other.texts_[std::size_t(file)]);
}

void PlacedJson::adopt(const PlacedJson& other, const std::string& from, const std::string& to)
{
    adoptOne(other, from, to);
    for (const auto& [pointer, at] : other.places_)
        if (pointer.size() > from.size() && pointer.starts_with(from) && pointer[from.size()] == '/') {
            At copy = at;
            copy.file = at.file < 0 ? -1 : fileLike(other, at.file);
            places_[to + pointer.substr(from.size())] = std::move(copy);
        }
}

void PlacedJson::adoptOne(const PlacedJson& other, const std::string& from, const std::string& to)
{
    std::string_view rest;
    if (const At* at = other.find(from, &rest); at && at->file >= 0) {
        At copy = *at;
        copy.file = fileLike(other, at->file);
        if (copy.byPointer)
            copy.pointerThere += std::string(rest);
        places_[to] = std::move(copy);
    }
}

void PlacedJson::forgetBelow(const std::string& pointer)
{
    std::erase_if(places_, [&pointer](const auto& entry) {
        return entry.first.size() > pointer.size() && entry.first[pointer.size()] == '/' &&
               entry.first.starts_with(pointer);
    });
}

} // namespace bindrel
