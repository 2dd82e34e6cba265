// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/table_marks.h"

#include <string_view>

namespace bindrel {

bool takeMarks(std::string& text)
{
    static const char* const marks[] = {"\u00b9", "\u00b2", "\u00b3", "\u2070", "\u2074", "\u2075", "\u2076",
                                        "\u2077", "\u2078", "\u2079", "*",      "\u2020", "\u2021"};
    bool any = false;
    for (bool more = true; more;) {
        more = false;
        while (!text.empty() && text.back() == ' ')
            text.pop_back();
        for (const char* mark : marks)
            if (text.ends_with(mark)) {
                text.resize(text.size() - std::string_view(mark).size());
                more = any = true;
            }
        if (text.ends_with(')') || text.ends_with(']')) {
            const std::size_t open = text.find_last_of("([");
            const std::string_view inside = open == std::string::npos
                                                ? std::string_view()
                                                : std::string_view(text).substr(open + 1, text.size() - open - 2);
            if (open > 0 && open != std::string::npos && !inside.empty() && inside.size() <= 2 &&
                inside.find_first_not_of("0123456789") == std::string_view::npos) {
                text.resize(open);
                more = any = true;
            }
        }
    }
    return any;
}

} // namespace bindrel
