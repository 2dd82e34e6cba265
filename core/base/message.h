// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"

#include <string>
#include <vector>

namespace bindrel {

/// A text for people that is kept as data: sentences in English with places for arguments, and the arguments. Its words
/// are made where somebody reads them, in the catalogue() of that moment; programs get pattern and arguments.
class Message {
public:
    struct Sentence {
        const char* pattern = ""; ///< "{} runs at {}."; its places are plain or numbered
        std::vector<std::string> arguments;
        friend bool operator==(const Sentence& a, const Sentence& b)
        {
            return std::string_view(a.pattern) == b.pattern && a.arguments == b.arguments;
        }
    };

    Message() = default;
    explicit Message(Sentence sentence) { sentences_.push_back(std::move(sentence)); }

    bool empty() const { return sentences_.empty(); }
    const std::vector<Sentence>& sentences() const { return sentences_; }
    /// The sentences, one behind the other.
    std::string text() const;
    operator std::string() const { return text(); }
    /// Another sentence behind it.
    Message& then(const Message& next);

    friend bool operator==(const Message&, const Message&) = default;

private:
    std::vector<Sentence> sentences_;
};

/// As say(), kept as data. An argument is words of its own or a name; a number or a quantity is in the reader's
/// notation.
template <typename... Args> Message message(fmt::format_string<Args...> pattern, Args&&... args)
{
    return Message({fmt::string_view(pattern).data(), {fmt::format("{}", args)...}});
}

} // namespace bindrel

template <> struct fmt::formatter<bindrel::Message> : fmt::formatter<std::string> {
    auto format(const bindrel::Message& message, fmt::format_context& context) const
    {
        return fmt::formatter<std::string>::format(message.text(), context);
    }
};
