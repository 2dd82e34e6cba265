// SPDX-License-Identifier: GPL-3.0-or-later
// The language of texts for people. A text stands in the code in English, inside say(); the reader's language has
// another for it, or none. Who writes files asks in English, whatever the reader speaks: docs/decisions/0047.
#pragma once

#include <fmt/format.h>

#include <string>
#include <string_view>
#include <utility>

namespace bindrel {

class Catalogue {
public:
    virtual ~Catalogue() = default;
    /// The text for an English one: valid as long as the program runs. Null where the language has none.
    virtual const char* find(const char* english) const = 0;
    /// The same for a text that counts, in the form that goes with the number.
    virtual const char* find(const char* one, const char* many, long number) const = 0;
    /// Between the whole and the fraction of a number.
    virtual char decimalMark() const = 0;
};

/// The texts as they stand in the code; decimal point.
const Catalogue& english();

/// The language that texts are made in now: of this thread's innermost InEnglish, else the reader's.
const Catalogue& catalogue();

/// Sets the reader's language, English before. To be called before the first text is made; `reader` must outlive the
/// program's texts.
void setReader(const Catalogue& reader);

/// While one lives, this thread makes its texts in English: for what is written into files and for programs.
class InEnglish {
public:
    InEnglish();
    ~InEnglish();
    InEnglish(const InEnglish&) = delete;
    InEnglish& operator=(const InEnglish&) = delete;

private:
    const Catalogue* before_;
};

namespace words_detail {

/// `english` filled in where the translation does not take these arguments.
std::string filled(const char* translated, const char* english, fmt::format_args args);

} // namespace words_detail

/// A text for people, in the catalogue() of the moment. Valid as long as the program runs.
inline const char* say(const char* text)
{
    const char* translated = catalogue().find(text);
    return translated ? translated : text;
}

/// The same for a text of a table; valid as long as `text` too.
inline const char* say(const std::string& text)
{
    return say(text.c_str());
}

/// A pattern for people, filled in. What is filled in must be said by itself, where it is words.
template <typename... Args> std::string say(fmt::format_string<Args...> pattern, Args&&... args)
{
    const char* text = fmt::string_view(pattern).data(); // a literal: it ends with a zero
    return words_detail::filled(catalogue().find(text), text, fmt::make_format_args(args...));
}

/// The same for a number of things: "{} pad", "{} pads". The number is the first argument of both patterns.
template <typename... Rest>
std::string sayCount(long number, fmt::format_string<long&, Rest...> one, fmt::format_string<long&, Rest...> many,
                     Rest&&... rest)
{
    const char* texts[] = {fmt::string_view(one).data(), fmt::string_view(many).data()};
    return words_detail::filled(catalogue().find(texts[0], texts[1], number), texts[number == 1 ? 0 : 1],
                                fmt::make_format_args(number, rest...));
}

/// What stands in a table that is made before anybody reads: a mark for scripts/messages. It is said where it is shown.
constexpr const char* later(const char* text)
{
    return text;
}

} // namespace bindrel
