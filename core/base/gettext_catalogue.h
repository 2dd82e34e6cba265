// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"

#include <filesystem>

namespace bindrel {

/// The catalogue of the reader's language, as LANGUAGE, LC_ALL, LC_MESSAGES and LANG name it: bindrel.mo in
/// `folder`/LANGUAGE/LC_MESSAGES, made by msgfmt. English where there is none. BINDREL_LANGUAGE=pseudo chooses the
/// language that shows what was not said. Sets the program's locale of messages; to be called once, before there are
/// threads.
const Catalogue& readersCatalogue(const std::filesystem::path& folder);

} // namespace bindrel
