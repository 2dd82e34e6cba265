// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <concepts>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

/// Making text from plans and device files, which may come from strangers, safe to stand in what is written. Each
/// language has one way for each place: what a Writer takes are these types, so that raw text cannot be passed to it.
namespace bindrel {

/// Text for a comment of C: ASCII ("±" becomes "+-"), no end or start of a comment, no trigraph, no line splice, one
/// line.
std::string commentText(std::string_view text);

/// A lower-case C identifier made from any text; never empty, never starting with a digit, at most 40 characters.
std::string identifierOf(std::string_view text);

/// Letters, digits and underscores, which mean nothing special in C, in a linker script, in CMake or in a shell.
class Word {
public:
    /// A lower-case identifier: identifierOf().
    static Word of(std::string_view text) { return Word(identifierOf(text)); }
    /// The text in its own case; what no identifier may have becomes an underscore. Empty text becomes one too.
    static Word spelled(std::string_view text);
    /// Of a literal, which is looked at when Bindrel is compiled.
    template <std::size_t N> consteval static bool isWord(const char (&text)[N])
    {
        for (std::size_t i = 0; i + 1 < N; ++i)
            if (!((text[i] >= 'a' && text[i] <= 'z') || (text[i] >= 'A' && text[i] <= 'Z') ||
                  (text[i] >= '0' && text[i] <= '9') || text[i] == '_'))
                return false;
        return N > 1;
    }

    Word upper() const;
    const std::string& text() const { return text_; }
    bool empty() const { return text_.empty(); }
    bool starts_with(std::string_view other) const { return text_.starts_with(other); }

    Word() = default; ///< no word; must not be written

    friend Word operator+(const Word& a, const Word& b) { return Word(a.text_ + b.text_); }
    friend Word operator+(const Word& a, std::int64_t number)
    {
        return Word(a.text_ + std::to_string(number < 0 ? 0 : number));
    }
    friend bool operator==(const Word&, const Word&) = default;
    friend auto operator<=>(const Word&, const Word&) = default;

private:
    explicit Word(std::string text) : text_(std::move(text)) {}
    friend class WordLiteral;
    std::string text_;
};

/// A literal that is a Word.
class WordLiteral {
public:
    template <std::size_t N> consteval WordLiteral(const char (&text)[N]) : text_(text)
    {
        if (!Word::isWord(text))
            throw "letters, digits and underscores only";
    }
    operator Word() const { return Word(std::string(text_)); }
    std::string_view text() const { return text_; }

private:
    const char* text_;
};
inline Word operator+(const Word& a, WordLiteral b)
{
    return a + Word(b);
}
inline Word operator+(WordLiteral a, const Word& b)
{
    return Word(a) + b;
}

enum class Language { C, CMake, Shell, Markdown };

/// Text that is whole and harmless where it stands in a language: an expression, a string with its quotes, a comment
/// with its marks.
template <Language L> class Piece {
public:
    Piece() = default;
    const std::string& text() const { return text_; }
    bool empty() const { return text_.empty(); }

    /// Of text that a function below has made safe; nobody else calls it.
    static Piece trusted(std::string text)
    {
        Piece out;
        out.text_ = std::move(text);
        return out;
    }

private:
    std::string text_;
};
using Code = Piece<Language::C>;

/// What may be put into text of a language by a format string.
template <typename T, Language L>
concept SafeIn = std::is_arithmetic_v<std::remove_cvref_t<T>> || std::same_as<std::remove_cvref_t<T>, Word> ||
    std::same_as<std::remove_cvref_t<T>, WordLiteral> || std::same_as<std::remove_cvref_t<T>, Piece<L>>;

/// Text of a plan or a device in a paragraph or a cell of Markdown: nothing in it is markup.
Piece<Language::Markdown> markdownText(std::string_view text);

/// The format string is a literal (fmt asks for it); what it puts in is safe by its type.
template <Language L, typename... Args>
requires(SafeIn<Args, L>&&...) Piece<L> piece(fmt::format_string<Args...> format, Args&&... args)
{
    return Piece<L>::trusted(fmt::format(format, std::forward<Args>(args)...));
}
template <typename... Args>
requires(SafeIn<Args, Language::C>&&...) Code code(fmt::format_string<Args...> format, Args&&... args)
{
    return Code::trusted(fmt::format(format, std::forward<Args>(args)...));
}

/// "/* text */", as commentText() makes it; C and linker scripts have it alike.
Code cComment(std::string_view text);
/// "\"text\"": what is not printable ASCII as escapes, quotes and backslashes too; no trigraphs.
Code cString(std::string_view text);
/// "# text" to the end of the line.
Piece<Language::CMake> cmakeComment(std::string_view text);
/// A word of a POSIX shell, quoted unless it is plain.
Piece<Language::Shell> shellWord(std::string_view text);
/// Pieces with text between them.
Code joinedCode(const std::vector<Code>& parts, const char* separator);

} // namespace bindrel

template <> struct fmt::formatter<bindrel::Word> : fmt::formatter<std::string_view> {
    auto format(const bindrel::Word& word, format_context& context) const
    {
        return formatter<std::string_view>::format(word.text(), context);
    }
};
template <> struct fmt::formatter<bindrel::WordLiteral> : fmt::formatter<std::string_view> {
    auto format(const bindrel::WordLiteral& word, format_context& context) const
    {
        return formatter<std::string_view>::format(word.text(), context);
    }
};
template <bindrel::Language L> struct fmt::formatter<bindrel::Piece<L>> : fmt::formatter<std::string_view> {
    auto format(const bindrel::Piece<L>& piece, format_context& context) const
    {
        return formatter<std::string_view>::format(piece.text(), context);
    }
};
