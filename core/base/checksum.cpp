// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/checksum.h"

#include <git2.h>

namespace bindrel {

std::string checksum(std::string_view bytes)
{
    // The library counts its users; initialising it once for the life of the program is what it asks for.
    [[maybe_unused]] static const int users = git_libgit2_init();
    git_oid name{};
    git_odb_hash(&name, bytes.data(), bytes.size(), GIT_OBJECT_BLOB);
    char digits[GIT_OID_HEXSZ + 1] = {};
    git_oid_tostr(digits, sizeof digits, &name);
    return digits;
}

} // namespace bindrel
