// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/fact_words.h"

namespace bindrel {

const std::vector<std::string>& clockKeys()
{
    static const std::vector<std::string> all{"set by",    "shown by",  "code",    "on",       "ready",
                                              "starts in", "frozen by", "at most", "at least", "from",
                                              "because",   "tolerance", "draws",   "with"};
    return all;
}
const std::vector<std::string>& instanceKeys()
{
    static const std::vector<std::string> all{"block", "kind", "at",      "bus",        "clock", "gate",
                                              "reset", "unit", "signals", "interrupts", "with"};
    return all;
}
const std::vector<std::string>& padKeys()
{
    static const std::vector<std::string> all{"port", "line", "bank", "carries", "fixed", "after reset", "with"};
    return all;
}

bool startsWithWord(std::string_view text, std::string_view word)
{
    return text == word || (text.size() > word.size() && text.starts_with(word) && text[word.size()] == ' ');
}

} // namespace bindrel
