// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "cli/commands.h"
#include "core/base/say.h"
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
    CLI::App* command = app.add_subcommand("lint", say("Check a device description."));
    command->add_option("DEVICE", *device, say("Device file, maker's file, or the name of a shipped device"))
        ->required();
    command->add_flag("--layers", *layers, say("Also list values of a layer that something above it replaces"));
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
                     sayCount(long(problems.size()), "{} problem", "{} problems"));
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
            printFormat("{}: {}, {}, {}\n", loaded->name,
                        sayCount(long(loaded->blocks.size()), "{} block", "{} blocks"),
                        sayCount(long(registers), "{} register", "{} registers"),
                        sayCount(long(fields), "{} field", "{} fields"));
        }
        for (const LintRemark& remark : remarks)
            printFormat("{}: {}\n", remark.check, remark.text);
        printFormat("{}: {}, {}, {}, {}\n", loaded->name, sayCount(long(loaded->pads.size()), "{} pad", "{} pads"),
                    sayCount(long(loaded->instances.size()), "{} instance", "{} instances"),
                    sayCount(long(loaded->clocks.size()) - (loaded->findClock(kUnknownClock) >= 0 ? 1 : 0), "{} clock",
                             "{} clocks"),
                    sayCount(long(remarks.size()), "{} remark", "{} remarks"));
        exitCode = remarks.empty() ? kClean : kFindings;
    });
}

BINDREL_COMMAND(addLint)

} // namespace bindrel::cli
