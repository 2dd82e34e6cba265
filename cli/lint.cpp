// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "cli/commands.h"
#include "core/base/text.h"
#include "core/device/layers.h"
#include "core/device/undescribed.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

static void addLint(CLI::App& app, int& exitCode)
{
    auto device = std::make_shared<std::string>();
    auto layers = std::make_shared<bool>(false);
    CLI::App* command = app.add_subcommand("lint", "Check a device description.");
    command->add_option("DEVICE", *device, "Device file, maker's file, or the name of a shipped device")->required();
    command->add_flag("--layers", *layers, "Also list values of a layer that something above it replaces");
    command->callback([device, layers, &exitCode] {
        std::error_code error;
        std::vector<Problem> problems;
        const auto found = library().deviceFile(*device);
        const Expected<Device> loaded = std::filesystem::exists(*device, error) ? loadDevice(*device, &problems)
                                        : found                                 ? loadDevice(found->file, &problems)
                                                : Expected<Device>(library().device(*device).problem());
        if (!loaded) {
            // All at once: a person mends a file in one go.
            for (size_t i = 0; i + 1 < problems.size(); ++i)
                warn("bindrel-cli: {}\n", problems[i].text());
            exitCode = complain(problems.empty() ? loaded.problem() : problems.back());
            if (problems.size() > 1)
                warn("{}; anything that depends on these was not checked.\n",
                     counted(long(problems.size()), "problem"));
            return;
        }
        const std::vector<LintRemark> remarks = lint(*loaded);
        if (loaded->origins && loaded->origins->values->files().size() > 1) {
            const auto at = [](const TextPlace& place) { return fmt::format("{}:{}", place.file, place.line); };
            for (const Replaced& replaced : loaded->origins->replaced)
                if (*layers)
                    printFormat("{}: {} ({}) replaced by {} ({}){}{}\n", replaced.pointer, replaced.before,
                                at(replaced.below), replaced.after, at(replaced.above),
                                replaced.because.empty() ? "" : ": ", replaced.because);
            for (const Problem& remark : loaded->origins->remarks)
                printFormat("{}\n", remark.text());
            std::size_t registers = 0, fields = 0;
            for (const Block& block : loaded->blocks) {
                registers += block.registers.size();
                for (const Register& reg : block.registers)
                    fields += reg.fields.size();
            }
            printFormat("{}: {}, {}, {}\n", loaded->name, counted(long(loaded->blocks.size()), "block"),
                        counted(long(registers), "register"), counted(long(fields), "field"));
        }
        for (const LintRemark& remark : remarks)
            printFormat("{}: {}\n", remark.check, remark.text);
        printFormat("{}: {}, {}, {}, {}\n", loaded->name, counted(long(loaded->pads.size()), "pad"),
                    counted(long(loaded->instances.size()), "instance"),
                    counted(long(loaded->clocks.size()) - (loaded->findClock(kUnknownClock) >= 0 ? 1 : 0), "clock"),
                    counted(long(remarks.size()), "remark"));
        exitCode = remarks.empty() ? kClean : kFindings;
    });
}

BINDREL_COMMAND(addLint)

} // namespace bindrel::cli
