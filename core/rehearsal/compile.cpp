// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/compile.h"

#include "core/base/child_process.h"
#include "core/base/files.h"
#include "core/base/fingerprint.h"
#include "core/base/say.h"
#include "core/base/text_cache.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <thread>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

/// A compiler that was started, and where it writes what it has to say.
class Compiler {
public:
    Compiler(const std::vector<std::string>& words, const fs::path& folder, fs::path log)
        : log_(std::move(log)), name_(words.front()), process_(words, folder, log_)
    {
    }
    /// To be called once.
    Outcome wait(const std::function<bool()>& stopped, std::chrono::milliseconds patience) const
    {
        using End = ChildProcess::End;
        switch (process_.wait(stopped, patience)) {
        case End::Success:
            return {};
        case End::NotInstalled:
            return problemOf(say("The cross-compiler {} is not installed. Install it to run the machine code; "
                                 "the planned operations can be rehearsed without it.",
                                 name_));
        case End::NotStarted:
            return problemOf(
                say("The compiler {} could not be started: {}.", name_, std::strerror(process_.startError())));
        case End::Late:
            return problemOf(say("The compiler {} did not finish within {} s and was stopped. Check that it "
                                 "works on its own.",
                                 name_, std::chrono::duration_cast<std::chrono::seconds>(patience).count()));
        case End::Stopped:
            return problemOf(say("Stopped while {} was running.", name_));
        case End::Failure:
            break;
        }
        const Expected<std::string> said = readFile(log_);
        return problemOf(name_ + say(" rejects the generated C: ") + (said ? said->substr(0, 2000) : std::string()));
    }

private:
    fs::path log_;
    std::string name_;
    ChildProcess process_;
};

Outcome compileUnits(const Source& source, const Source::Program& program, const std::string& headers,
                     const fs::path& folder, const std::function<bool()>& stopped, std::chrono::milliseconds patience)
{
    static TextCache objects(32u << 20); // what was compiled, by all that it depends on
    std::vector<std::string> command{program.compiler};
    command.insert(command.end(), program.options.begin(), program.options.end());
    std::string common = headers;
    for (const std::string& word : command)
        common += word + '\n';

    struct Running {
        Compiler compiler;
        std::string key;
        fs::path object;
    };
    std::vector<Running> running;
    Outcome outcome;
    const auto finishOne = [&] {
        const Running one = std::move(running.front());
        running.erase(running.begin());
        if (const Outcome compiled = one.compiler.wait(stopped, patience); !compiled)
            outcome = outcome ? compiled : outcome;
        else if (Expected<std::string> object = readFile(one.object))
            objects.keep(one.key, *std::move(object));
    };
    const std::size_t most = std::max(1u, std::thread::hardware_concurrency());
    for (const std::string& unit : program.units) {
        if (stopped && stopped())
            break;
        std::string key = common + unit + '\n' + source.find(unit)->text();
        const fs::path object = folder / (unit + ".o");
        if (const std::optional<std::string> known = objects.find(key)) {
            if (const Outcome written = writeFileAtomically(object, *known); !written)
                outcome = written;
            continue;
        }
        if (running.size() == most)
            finishOne();
        std::vector<std::string> words = command;
        words.insert(words.end(), {"-c", unit, "-o", unit + ".o"});
        running.push_back({Compiler(std::move(words), folder, folder / (unit + ".txt")), std::move(key), object});
    }
    while (!running.empty())
        finishOne();
    if (outcome && stopped && stopped())
        return problemOf(say("Stopped while compiling the generated C."));
    return outcome;
}

} // namespace

Outcome compileSource(const Source& source, const fs::path& folder, const std::function<bool()>& stopped,
                      std::chrono::milliseconds patience)
{
    std::string headers;
    for (const SourceFile& file : source.files) {
        const std::string text = file.text();
        std::error_code error;
        fs::create_directories((folder / file.name).parent_path(), error);
        if (const Outcome written = writeFileAtomically(folder / file.name, text); !written)
            return written;
        if (file.name.ends_with(".h"))
            headers += fingerprint({&file.name, &text});
    }
    for (const Source::Program& program : source.programs) {
        if (const Outcome compiled = compileUnits(source, program, headers, folder, stopped, patience); !compiled)
            return compiled;
        std::vector<std::string> words{program.compiler};
        words.insert(words.end(), program.options.begin(), program.options.end());
        words.insert(words.end(), {"-nostdlib", "-T", program.linkerScript, "-o", program.output});
        for (const std::string& unit : program.units)
            words.push_back(unit + ".o");
        words.push_back("-lgcc");
        if (const Outcome linked = Compiler(std::move(words), folder, folder / "linker.txt").wait(stopped, patience);
            !linked)
            return linked;
    }
    return {};
}

} // namespace bindrel
