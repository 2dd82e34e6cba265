// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/problem.h"

#include <pugixml.hpp>

#include <charconv>
#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

namespace bindrel {

/// How a register description is put together (CMSIS-SVD 1.0 to 1.3), whatever its elements mean: places for
/// messages, numbers, what an element is derived from, properties that are inherited, arrays. Base of the reader.
class RegisterXml {
public:
    using Node = pugi::xml_node;
    /// An element and those that it is derived from, its own first.
    using Chain = std::vector<Node>;

    struct Given {
        int size = 32;
        std::string access = "read-write";
        std::uint64_t reset = 0;
        std::uint64_t resetMask = UINT64_MAX;
    };

    struct Dim {
        int count = 1;
        std::uint64_t increment = 0;
        std::vector<std::string> index; ///< empty: not an array
        bool isArray() const { return !index.empty(); }
        /// First number, where the names are numbers one after the other.
        std::optional<int> firstNumber() const
        {
            int first = 0;
            for (std::size_t i = 0; i < index.size(); ++i) {
                int n = 0;
                const auto [end, error] = std::from_chars(index[i].data(), index[i].data() + index[i].size(), n);
                if (error != std::errc() || end != index[i].data() + index[i].size() || n > 1000 ||
                    std::to_string(n) != index[i] || (i > 0 && n != first + int(i)))
                    return std::nullopt;
                if (i == 0)
                    first = n;
            }
            return first;
        }
    };

    static constexpr std::uint64_t kMaxOffset = 0xFF'FFFC; ///< of a register in its block

    static std::string textAt(const Node& node);

protected:
    /// `text` and `name` outlive this.
    RegisterXml(const std::string& text, const std::string& name);

    int lineAt(std::ptrdiff_t offset) const;
    int lineOf(const Node& node) const { return lineAt(node.offset_debug()); }
    Problem fail(std::ptrdiff_t offset, std::string message);
    Problem fail(const Node& node, std::string message) { return fail(node.offset_debug(), std::move(message)); }
    void giveUp(const Node& node, std::string message);
    void remark(const Node& node, std::string message) { keep(fail(node, std::move(message))); }
    /// Derived elements would repeat the same remark.
    void keep(Problem problem);
    /// scaledNonNegativeInteger: decimal, 0x…, #… or 0b… binary, with k, M, G or T behind.
    std::optional<std::uint64_t> number(const Node& node);
    static std::optional<std::uint64_t> numberOf(std::string text);
    static Node first(const Chain& chain, const char* name);
    /// Whether the element's name is this one, or this one of its array.
    static bool isCalled(const Node& node, std::string_view wanted);
    static std::vector<Node> membersOf(const Node& node);
    /// Members of an element by their names, made when it is looked into first.
    const std::unordered_map<std::string, std::vector<Node>>& namesIn(const Node& from);
    Node descend(const Node& from, const std::vector<std::string>& path, std::size_t at, std::string_view type,
                 const Node& besides);
    /// What "derivedFrom" names: beside the element, else by a path from further and further outside.
    Node target(const Node& node);
    Chain chainOf(const Node& node);
    /// Members of all links, those of the base first; one of the same name further out takes its place.
    static std::vector<Node> members(const Chain& chain);
    void take(Given& given, const Chain& chain, const Node& at);
    Dim dimOf(const Chain& chain);
    static std::string withIndex(std::string name, const std::string& index);

    const std::string& text_;
    const std::string& name_;
    std::map<std::string, Node> peripherals_; ///< set by the reader before anything is derived
    std::optional<Problem> failed_;           ///< the first thing that cannot be
    std::vector<Problem> remarks_;

private:
    std::vector<std::size_t> lineEnds_;
    std::unordered_map<pugi::xml_node_struct*, std::unordered_map<std::string, std::vector<Node>>> names_;
    std::set<std::pair<int, std::string>> told_;
    long looked_ = 0;
};

} // namespace bindrel
