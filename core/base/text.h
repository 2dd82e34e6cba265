// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

std::string lowered(std::string_view text);
std::string uppered(std::string_view text);
std::string_view trimmed(std::string_view text);
std::vector<std::string> splitted(std::string_view text, char separator);
std::string joined(const std::vector<std::string>& parts, std::string_view separator);

/// "a", "a and b", "a, b and c".
std::string listed(const std::vector<std::string>& parts);

/// "1 error", "2 errors".
std::string counted(long number, std::string_view what);

/// True when `text` is well-formed UTF-8 (RFC 3629: no surrogates, no overlong forms).
bool isUtf8(std::string_view text);

/// The candidate that a mistyped `word` most likely meant, or an empty string when none is near.
/// Near means: an edit distance of at most a third of the word's length, and at least 1.
std::string nearest(std::string_view word, const std::vector<std::string>& candidates);

/// " Did you mean X?" or an empty string; to be put behind a message about an unknown name.
std::string didYouMean(std::string_view word, const std::vector<std::string>& candidates);

/// Line ends CR LF become LF.
std::string withLineFeeds(std::string_view text);
/// `text`, whose lines end with LF, with the line ends of `like`: CR LF when most of its lines end so.
std::string withLineEndsOf(std::string_view like, std::string text);

/// Text of unknown origin for a terminal or a message: control characters and those that change the direction of
/// writing are shown as "\x1b" and "\u202e"; line feeds too, unless they are allowed. What is not UTF-8 becomes "\xff".
std::string printable(std::string_view text, bool allowLineFeeds = false);
/// Whether printable() would change it.
bool isPrintable(std::string_view text);

/// Order in which people expect names: runs of digits compare as numbers ("PA2" before "PA10").
bool naturalLess(std::string_view a, std::string_view b);

} // namespace bindrel
