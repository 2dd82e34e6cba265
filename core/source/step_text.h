// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"
#include "core/source/safe_text.h"

#include <string>
#include <vector>

namespace bindrel {

class Writer;

// What a step of the bring-up has of text, in whatever style it stands in C.

/// "a | b"; "0u" of nothing.
Code orText(const std::vector<Code>& terms);
/// What its fields get, each by its name and constant; with what else a written register must hold.
std::vector<Code> valueTerms(const Writer& w, const Step& step);
/// The masks of its fields.
std::vector<Code> maskTerms(const Writer& w, const Step& step);
/// "SLUICE_PASSES(500u, 48000000u)": how often a wait looks.
Code passesText(const Writer& w, const Step& step);
/// What stands above it: what it achieves, with numbers; empty for none.
std::string headingOf(const Writer& w, const Step& step);
/// "CTL.MODE is set by hand to 3; the goals ask for 1."
std::string byHandText(const Facts& facts, const FieldWrite& write);
/// The decision that it comes from.
Place placeOf(const Writer& w, const Step& step);

} // namespace bindrel
