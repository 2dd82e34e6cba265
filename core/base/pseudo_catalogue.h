// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"

#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace bindrel {

/// A language that nobody speaks: English in letters with accents, a third longer, and a decimal comma. What is on a
/// screen without accents was not said with say(), and what is cut off there will be so in other languages.
class PseudoCatalogue : public Catalogue {
public:
    const char* find(const char* english) const override;
    const char* find(const char* one, const char* many, long number) const override;
    char decimalMark() const override { return ','; }

    /// As find(), of any text. Places for arguments, marks of shortcuts, tags, and patterns of file names stay.
    static std::string accented(std::string_view english);

private:
    mutable std::mutex mutex_;
    mutable std::map<std::string, std::unique_ptr<std::string>, std::less<>> texts_;
};

} // namespace bindrel
