// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/message.h"

#include <fmt/args.h>

namespace bindrel {

std::string Message::text() const
{
    std::string out;
    for (const Sentence& sentence : sentences_) {
        fmt::dynamic_format_arg_store<fmt::format_context> arguments;
        for (const std::string& argument : sentence.arguments)
            arguments.push_back(std::cref(argument));
        if (!out.empty())
            out += ' ';
        out += words_detail::filled(catalogue().find(sentence.pattern), sentence.pattern, arguments);
    }
    return out;
}

Message& Message::then(const Message& next)
{
    sentences_.insert(sentences_.end(), next.sentences_.begin(), next.sentences_.end());
    return *this;
}

} // namespace bindrel
