// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/base/gettext_catalogue.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_memory.h"
#include "core/device/library.h"
#include "core/snapshot_change.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <unistd.h>

namespace bindrel::cli {

namespace {

std::vector<std::string> deviceFolders;
bool force = false;
bool jsonWanted = false;
std::optional<double> secondsGiven;
double secondsToSearch = 10;
std::optional<std::chrono::steady_clock::time_point> searchEnd;
bool timeWasUp = false;
std::vector<const CLI::App*> storing; // commands that may save their plan
bool planToOutput = false;            // it goes to standard output, which must have nothing else

std::vector<AddCommand>& commands()
{
    static std::vector<AddCommand> all;
    return all;
}

/// Characters that a terminal would obey, as JSON writes them.
std::string escapedJson(const std::string& dumped)
{
    std::string text = dumped;
    for (std::size_t at = 0; (at = text.find('\x7f', at)) != std::string::npos;)
        text.replace(at, 1, "\\u007f");
    return printable(text, true);
}

void tell(const Problem& problem)
{
    warnText(say("bindrel-cli: ") + problem.text() + "\n");
    if (!jsonWanted)
        return;
    printAsJson({{"error",
                  {{"file", problem.file},
                   {"pointer", problem.pointer},
                   {"line", problem.line},
                   {"column", problem.column},
                   {"message", problem.message}}}});
}

} // namespace

bool registerCommand(AddCommand add)
{
    commands().push_back(add);
    return true;
}

void printRaw(std::string_view text)
{
    std::fwrite(text.data(), 1, text.size(), stdout);
}
void printPlain(std::string_view text)
{
    if (planToOutput)
        warnText(text);
    else
        printRaw(printable(text, true));
}
void warnText(std::string_view text)
{
    const std::string shown = printable(text, true);
    std::fwrite(shown.data(), 1, shown.size(), stderr);
}
void printAsJson(const nlohmann::ordered_json& json)
{
    printRaw(escapedJson(json.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace)) + "\n");
}

Library library()
{
    Library out = Library::shipped();
    // Each is put before the others, so that the first that was given ends up first.
    for (auto folder = deviceFolders.rbegin(); folder != deviceFolders.rend(); ++folder)
        out = out.with(absolutePath(*folder), Origin::Folder);
    return out;
}

void addStoreOptions(CLI::App& command)
{
    command.add_flag("--force", force, say("Save even if the plan's file was changed meanwhile"));
    storing.push_back(&command);
}

Outcome storePlan(const OpenPlan& opened, const Plan& plan, const Snapshot& snapshot)
{
    const Library beside = library().with(absolutePath(opened.path).parent_path(), Origin::BesidePlan);
    const auto found = beside.deviceFile(plan.device);
    const Plan noted = stamped(plan, *snapshot.device, found ? found->origin : Origin::Shipped);
    if (opened.path == kStandard) {
        printRaw(planText(noted));
        return {};
    }
    if (force) {
        if (Outcome saved = savePlan(noted, opened.path); !saved)
            return saved;
    } else {
        const Expected<bool> saved = savePlanOver(noted, opened.path, opened.fileText);
        if (!saved)
            return saved.problem();
        if (!*saved) {
            Problem problem =
                problemOf(say("was changed while this command ran; nothing was saved. Run it again, or give "
                              "--force to overwrite the file."));
            problem.file = opened.path;
            return problem;
        }
    }
    (void)rememberDevice(*snapshot.device, deviceMemory());
    return {};
}

void addSearchOptions(CLI::App& command, double byDefault)
{
    command.parse_complete_callback([byDefault] { secondsToSearch = secondsGiven.value_or(byDefault); });
    command.add_option("--within", secondsGiven, say("Search time limit in seconds (default {:g})", byDefault))
        ->check(CLI::Range(0.001, 86400.0));
}

std::function<bool()> searchTime()
{
    if (!searchEnd)
        searchEnd = std::chrono::steady_clock::now() + std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                                                           std::chrono::duration<double>(secondsToSearch));
    return [] {
        timeWasUp = timeWasUp || std::chrono::steady_clock::now() > *searchEnd;
        return timeWasUp;
    };
}

bool searchTimeIsUp()
{
    return timeWasUp;
}

nlohmann::ordered_json costJson(const PlacementCost& cost, const PlacementProof& proof)
{
    constexpr std::array names{"needs_moved", "signals_moved", "unfit_pads", "wishes_broken", "not_as_parts_stand",
                               "extra_sides", "split_needs",   "crossings",  "scarce",        "debug_pads",
                               "spread"};
    static_assert(names.size() == kPlacementLevels);
    nlohmann::ordered_json out;
    nlohmann::ordered_json least;
    for (size_t level = 0; level < names.size(); ++level) {
        out[names[level]] = cost.at(PlacementLevel(level));
        least[names[level]] =
            proof.least[level] ? nlohmann::ordered_json(*proof.least[level]) : nlohmann::ordered_json();
    }
    out["at_least"] = least;
    return out;
}

nlohmann::ordered_json bindingsJson(const Edit& edit)
{
    nlohmann::ordered_json out = nlohmann::ordered_json::array();
    for (const Change& change : edit.changes)
        if (const auto* set = std::get_if<SetBinding>(&change))
            out.push_back({{"need", set->need},
                           {"instance", set->binding.instance},
                           {"pads", set->binding.pads},
                           {"via", set->binding.via},
                           {"dma", set->binding.dma}});
        else if (const auto* led = std::get_if<SetTerminals>(&change))
            out.push_back({{"need", led->need}, {"terminals", led->terminals}});
    return out;
}

int complain(const Problem& problem)
{
    tell(problem);
    return kUnusable;
}

int refuse(const std::string& message)
{
    tell(problemOf(message));
    return kFindings;
}

Expected<std::string> readInput(const std::string& path)
{
    if (path != kStandard)
        return readFile(path);
    constexpr std::size_t kMostBytes = 256'000'000;
    std::string bytes;
    std::array<char, 65536> some;
    while (const std::size_t count = std::fread(some.data(), 1, some.size(), stdin)) {
        bytes.append(some.data(), count);
        if (bytes.size() > kMostBytes)
            return problemOf(say("standard input has more than {} MB.", kMostBytes / 1'000'000));
    }
    return bytes;
}

Outcome writeOutput(const std::string& path, const std::string& bytes)
{
    if (path != kStandard)
        return writeFileAtomically(path, bytes);
    printRaw(bytes);
    return {};
}

namespace {

/// From standard input: files beside the plan are those of the working folder.
Expected<LoadedPlan> planFromInput()
{
    planToOutput = std::ranges::any_of(storing, [](const CLI::App* command) { return command->parsed(); });
    Expected<std::string> text = readInput(kStandard);
    if (!text)
        return text.problem();
    std::error_code error;
    const Library beside = library().with(std::filesystem::current_path(error), Origin::BesidePlan);
    Expected<LoadedPlan> work = parsePlan(*text, say("standard input"), beside);
    if (work)
        work->fileText = *std::move(text);
    return work;
}

} // namespace

OpenPlan openPlan(const std::string& path, int& exitCode)
{
    const bool piped = path == kStandard;
    Expected<LoadedPlan> work = piped ? planFromInput() : loadPlan(path, library());
    if (!work) {
        exitCode = complain(work.problem());
        return {};
    }
    const std::vector<std::string> changes = deviceChanges(*work, deviceMemory());
    if (!changes.empty())
        warn("bindrel-cli: the file of {} has changed since {} was saved:\n", work->device->name, path);
    for (const std::string& change : changes)
        warn("  {}\n", change);
    // By its real name from here on: what is saved takes the place of the file, not of a link to it.
    return {computeSnapshot(*work), piped ? path : realPath(path).string(), work->fileText};
}

namespace {

/// A word that the parser would only call unexpected: what was probably meant.
std::optional<Problem> mistyped(const CLI::App& app, const std::vector<std::string>& arguments)
{
    std::vector<std::string> names;
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
        names.push_back(command->get_name());
    for (std::size_t i = 0; i < arguments.size(); ++i) {
        if (arguments[i] == "--device-dir") {
            ++i;
            continue;
        }
        if (arguments[i].empty() || arguments[i].front() == '-')
            continue;
        if (std::find(names.begin(), names.end(), arguments[i]) != names.end())
            return std::nullopt;
        std::sort(names.begin(), names.end());
        return problemOf(
            say("\"{}\" is not a command; use {}.{}", arguments[i], listed(names), didYouMean(arguments[i], names)));
    }
    return std::nullopt;
}

/// The parser's message, with the nearest option to one that it does not know.
Problem parseProblem(const CLI::App& app, const CLI::ParseError& error, const std::vector<std::string>& arguments)
{
    std::string text = error.what();
    if (error.get_exit_code() == int(CLI::ExitCodes::ExtrasError))
        for (const CLI::App* command : app.get_subcommands([&](const CLI::App* known) {
                 return std::find(arguments.begin(), arguments.end(), known->get_name()) != arguments.end();
             })) {
            std::vector<std::string> known;
            for (const CLI::Option* option : command->get_options())
                for (const std::string& name : option->get_lnames())
                    known.push_back("--" + name);
            for (const std::string& argument : arguments)
                if (const std::string name = argument.substr(0, argument.find('='));
                    name.starts_with("--") && std::find(known.begin(), known.end(), name) == known.end() &&
                    !nearest(name, known).empty())
                    return problemOf(
                        say("\"{}\" is not an option of {}.{}", name, command->get_name(), didYouMean(name, known)));
        }
    if (!text.empty() && text.back() != '.')
        text += '.';
    return problemOf(text + say(" See --help."));
}

int run(int argc, char** argv)
{
    const std::vector<std::string> arguments(argv + std::min(argc, 1), argv + argc);
    for (std::size_t i = 0; i < arguments.size(); ++i)
        jsonWanted = jsonWanted || arguments[i] == "--format=json" ||
                     (arguments[i] == "--format" && i + 1 < arguments.size() && arguments[i + 1] == "json");
    // A program reads what is not plain text.
    std::optional<InEnglish> forPrograms;
    for (std::size_t i = 0; i < arguments.size(); ++i)
        if ((arguments[i].starts_with("--format=") && arguments[i] != "--format=text") ||
            (arguments[i] == "--format" && i + 1 < arguments.size() && arguments[i + 1] != "text"))
            forPrograms.emplace();
    CLI::App app{
        say("Plans pins, clocks and registers of a microcontroller and generates the C that initialises them.")};
    app.name("bindrel-cli");
    app.require_subcommand(1);
    app.set_version_flag("--version", "bindrel-cli " BINDREL_VERSION);
    app.add_option("--device-dir", deviceFolders,
                   say("Folder searched first for device, board and part files; the first one given wins"));
    app.footer(say("Exit codes: 0 success, 1 error findings or impossible request, 2 invalid input or failed output."));
    int exitCode = kClean;
    for (const AddCommand add : commands())
        add(app, exitCode);
    // Folders are looked at before the command runs.
    app.parse_complete_callback([] {
        for (const std::string& folder : deviceFolders) {
            std::error_code error;
            if (folder.empty() || !std::filesystem::is_directory(folder, error))
                throw CLI::ValidationError("--device-dir", folder.empty()
                                                               ? std::string(say("needs the name of a folder"))
                                                               : "\"" + folder + say("\" is not a folder"));
        }
    });
    if (const std::optional<Problem> problem = mistyped(app, arguments))
        return complain(*problem);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        // Help and version are "errors" of code 0 to the parser; all others are unusable input.
        if (error.get_exit_code() == 0)
            return app.exit(error) == 0 ? kClean : kUnusable;
        return complain(parseProblem(app, error, arguments));
    }
    return exitCode;
}

} // namespace

} // namespace bindrel::cli

int main(int argc, char** argv)
{
    using namespace bindrel::cli;
    // A closed descriptor would be given to the next file that is opened, and output would go into that.
    bool outputClosed = false;
    for (int fd = 0; fd < 3; ++fd)
        if (::fcntl(fd, F_GETFD) < 0) {
            outputClosed = outputClosed || fd == 1;
            if (::open("/dev/null", O_RDWR) != fd)
                return kUnusable;
        }
    bindrel::setReader(bindrel::readersCatalogue(bindrel::Library::localeFolder()));
    int exitCode = kUnusable;
    try {
        exitCode = run(argc, argv);
    } catch (const std::bad_alloc&) {
        warnText(bindrel::say("bindrel-cli: out of memory.\n"));
    } catch (const std::exception& error) {
        warnText(bindrel::say("bindrel-cli: internal error: {}. Nothing was saved.\n", error.what()));
    }
    const bool written = std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
    if (!written || outputClosed) {
        warnText(bindrel::say("bindrel-cli: the output could not be written{}.\n",
                              written ? bindrel::say(": standard output is closed")
                                      : std::string(": ") + std::strerror(errno)));
        return kUnusable;
    }
    return exitCode;
}
