// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/gettext_catalogue.h"

#include "core/base/pseudo_catalogue.h"

#include <libintl.h>

#include <clocale>
#include <cstdlib>
#include <string_view>

namespace bindrel {

namespace {

constexpr const char* kDomain = "bindrel";

class GettextCatalogue : public Catalogue {
public:
    const char* find(const char* english) const override
    {
        // The empty text stands for the head of a catalogue.
        const char* text = *english ? ::dgettext(kDomain, english) : english;
        return text == english ? nullptr : text;
    }
    const char* find(const char* one, const char* many, long number) const override
    {
        const char* text = ::dngettext(
            kDomain, one, many, number < 0 ? -static_cast<unsigned long>(number) : static_cast<unsigned long>(number));
        return text == one || text == many ? nullptr : text;
    }
    char decimalMark() const override { return mark_; }

private:
    /// A catalogue says by this text what its readers expect; a mark of more than one byte is none that is known here.
    const char mark_ = std::string_view(say(".")) == "," ? ',' : '.';
    static const char* say(const char* text) { return ::dgettext(kDomain, text); }
};

} // namespace

const Catalogue& readersCatalogue(const std::filesystem::path& folder)
{
    const char* asked = std::getenv("BINDREL_LANGUAGE");
    if (asked && std::string_view(asked) == "pseudo") {
        static const PseudoCatalogue pseudo;
        return pseudo;
    }
    std::setlocale(LC_MESSAGES, "");
    ::bindtextdomain(kDomain, folder.c_str());
    ::bind_textdomain_codeset(kDomain, "UTF-8");
    if (std::string_view(::dgettext(kDomain, "")).empty())
        return english();
    static const GettextCatalogue reader;
    return reader;
}

} // namespace bindrel
