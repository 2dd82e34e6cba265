// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/snapshot.h"

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

namespace {

/// Whether a file still reads as C (or a linker script): comments and strings end, brackets pair up, every line is
/// printable ASCII.
bool readsAsC(const std::string& text)
{
    std::string open;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if ((c < ' ' || c > '~') && c != '\n')
            return false;
        if (c == '/' && text.compare(i, 2, "/*") == 0) {
            const std::size_t end = text.find("*/", i + 2);
            if (end == std::string::npos || text.find("/*", i + 2) < end)
                return false;
            i = end + 1;
        } else if (c == '"' || c == '\'') {
            for (++i; i < text.size() && text[i] != c; ++i)
                if (text[i] == '\n' || (text[i] == '\\' && ++i >= text.size()))
                    return false;
            if (i >= text.size())
                return false;
        } else if (c == '(' || c == '{' || c == '[') {
            open += c;
        } else if (c == ')' || c == '}' || c == ']') {
            if (open.empty() || open.back() != (c == ')' ? '(' : c == '}' ? '{' : '['))
                return false;
            open.pop_back();
        } else if (c == '?' && text.compare(i, 2, "??") == 0) {
            return false;
        }
    }
    return open.empty();
}

} // namespace

/// The text of a device family and of a plan, parted by a line of "====": what loads is taken all the way to the C,
/// which must still read as C and be the same the second time.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    using namespace bindrel;
    // The reader of plans looks devices up by name, so the changed family lies in a folder.
    static const std::filesystem::path folder = [] {
        char name[] = "/tmp/bindrel-fuzz-XXXXXX";
        const std::filesystem::path made = ::mkdtemp(name);
        std::filesystem::copy_file(std::string(BINDREL_SOURCE_DATA) + "/devices/sedge/se4332-c64.json",
                                   made / "se4332-c64.json");
        return made;
    }();
    static const Library library = Library{BINDREL_SOURCE_DATA}.with(folder, Origin::Folder);
    const std::string text(reinterpret_cast<const char*>(data), size);
    const std::size_t part = text.find("\n====\n");
    if (part == std::string::npos)
        return 0;
    std::ofstream(folder / "sedge.json") << text.substr(0, part);
    const Expected<LoadedPlan> work = parsePlan(text.substr(part + 6), "fuzz.bindrel", library);
    if (!work)
        return 0;
    const auto s = computeSnapshot(*work);
    for (const SourceFile& file : s->source().files) {
        const bool isC = file.name.ends_with(".c") || file.name.ends_with(".h") || file.name.ends_with(".ld");
        if (isC && !readsAsC(file.text()))
            __builtin_trap();
        // Nothing of a plan's makes a line of its own anywhere, or markup on the page.
        for (const SourceLine& line : file.lines)
            for (const char c : line.text)
                if (!isC && ((c < ' ' && c != '\t') || c > '~' || (c == '<' && file.name.ends_with(".md"))))
                    __builtin_trap();
    }
    return 0;
}
