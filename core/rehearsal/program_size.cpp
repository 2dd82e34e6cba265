// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/program_size.h"

namespace bindrel {

ProgramSize sizeOf(const ProgramImage& program, const Core& core, const std::string& prefix)
{
    ProgramSize out;
    for (const ProgramImage::Piece& piece : program.pieces)
        if (piece.address >= core.flashBase && piece.address - core.flashBase < core.flashBytes)
            out.flash += piece.bytes.size();
    const auto symbol = [&](const char* name) -> std::optional<std::uint32_t> {
        const auto found = program.symbols.find(prefix + "_" + name);
        return found == program.symbols.end() ? std::nullopt : std::optional(found->second);
    };
    const std::optional<std::uint32_t> from = symbol("data_start"), to = symbol("bss_end"),
                                       heapEnd = symbol("heap_end"), bottom = symbol("stack_bottom"),
                                       top = symbol("stack_top");
    if (!from || !to || *to < *from)
        return out;
    const std::uint32_t end = heapEnd && *heapEnd >= *to ? *heapEnd : *to;
    out.ram = end - *from;
    if (bottom && top && *top > *bottom)
        *out.ram += *top - *bottom;
    return out;
}

} // namespace bindrel
