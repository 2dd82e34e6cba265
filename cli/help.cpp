// SPDX-License-Identifier: GPL-3.0-or-later
// Help, completion and the manual page, made from the same declarations as the commands themselves.
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel::cli {

namespace {

std::vector<CLI::App*> subcommandsOf(CLI::App& app)
{
    return app.get_subcommands([](const CLI::App*) { return true; });
}

/// "--write", "--format" of a command; without those that are asked for by position.
std::vector<std::string> flagsOf(CLI::App& command)
{
    std::vector<std::string> out;
    for (const CLI::Option* option : command.get_options())
        for (const std::string& name : option->get_lnames())
            out.push_back("--" + name);
    return out;
}

std::vector<std::string> namesOf(CLI::App& app)
{
    std::vector<std::string> out;
    for (const CLI::App* command : subcommandsOf(app))
        out.push_back(command->get_name());
    return out;
}

/// Every command with the words that can follow it, those of subcommands as "device table".
void walk(CLI::App& app, const std::string& above, const std::function<void(const std::string&, CLI::App&)>& tell)
{
    for (CLI::App* command : subcommandsOf(app)) {
        const std::string name = above.empty() ? command->get_name() : above + " " + command->get_name();
        tell(name, *command);
        walk(*command, name, tell);
    }
}

std::string bashCompletion(CLI::App& app)
{
    std::string out = "# Completion of bindrel-cli for bash; made by: bindrel-cli completion bash\n"
                      "_bindrel_cli() {\n"
                      "  local current=${COMP_WORDS[COMP_CWORD]} command=\"\" word\n"
                      "  for word in \"${COMP_WORDS[@]:1:COMP_CWORD-1}\"; do\n"
                      "    case $word in -*) ;; *) case \"$command $word\" in\n";
    std::string cases;
    walk(app, "", [&](const std::string& name, CLI::App& command) {
        out += fmt::format("      \"{}{}\") command=\"{}\" ;;\n", name.find(' ') == std::string::npos ? " " : "", name,
                           name);
        std::vector<std::string> words = namesOf(command);
        const std::vector<std::string> flags = flagsOf(command);
        words.insert(words.end(), flags.begin(), flags.end());
        cases += fmt::format("    \"{}\") words=\"{}\" ;;\n", name, joined(words, " "));
    });
    out += "    esac ;; esac\n  done\n  local words=\"\"\n  case $command in\n";
    std::vector<std::string> first = namesOf(app);
    const std::vector<std::string> flags = flagsOf(app);
    first.insert(first.end(), flags.begin(), flags.end());
    out += fmt::format("    \"\") words=\"{}\" ;;\n{}  esac\n", joined(first, " "), cases);
    out += "  COMPREPLY=($(compgen -W \"$words\" -- \"$current\"))\n"
           "  [ -n \"$command\" ] && [[ $current != -* ]] && COMPREPLY+=($(compgen -f -- \"$current\"))\n"
           "}\ncomplete -o filenames -F _bindrel_cli bindrel-cli\n";
    return out;
}

std::string inZsh(std::string text)
{
    for (size_t at = 0; (at = text.find_first_of("'[]:\\", at)) != std::string::npos; at += 2)
        text.replace(at, 1, text[at] == '\'' ? std::string("''") : std::string("\\") + text[at]);
    return text;
}

std::string zshCompletion(CLI::App& app)
{
    std::string out = "#compdef bindrel-cli\n# Completion of bindrel-cli for zsh; made by: bindrel-cli completion zsh\n"
                      "_bindrel_cli() {\n  setopt localoptions rcquotes\n  local -a commands\n  commands=(\n";
    std::string cases;
    for (CLI::App* command : subcommandsOf(app)) {
        out += fmt::format("    '{}:{}'\n", command->get_name(), inZsh(command->get_description()));
        std::vector<std::string> words = namesOf(*command), flags = flagsOf(*command);
        words.insert(words.end(), flags.begin(), flags.end());
        for (CLI::App* below : subcommandsOf(*command))
            for (const std::string& flag : flagsOf(*below))
                if (std::find(words.begin(), words.end(), flag) == words.end())
                    words.push_back(flag);
        cases += fmt::format("    {}) compadd -- {}; _files ;;\n", command->get_name(), joined(words, " "));
    }
    return out + "  )\n  if (( CURRENT == 2 )); then _describe command commands; return; fi\n  case $words[2] in\n" +
           cases + "  esac\n}\n_bindrel_cli \"$@\"\n";
}

std::string inRoff(const std::string& text)
{
    std::string out;
    for (const char c : text)
        out += c == '-' ? "\\-" : c == '\\' ? "\\e" : std::string(1, c);
    return out.starts_with('.') || out.starts_with('\'') ? "\\&" + out : out;
}

std::string manualPage(CLI::App& app)
{
    std::string out =
        fmt::format(".TH BINDREL\\-CLI 1\n.SH NAME\nbindrel\\-cli \\- {}\n.SH SYNOPSIS\n.B bindrel\\-cli\n"
                    "[options] command [arguments]\n.SH OPTIONS\n",
                    inRoff(app.get_description()));
    const auto options = [&out](CLI::App& command) {
        for (const CLI::Option* option : command.get_options()) {
            const std::string name = option->get_name(option->get_positional());
            out += fmt::format(".TP\n.B {}\n{}\n", inRoff(name), inRoff(option->get_description()));
        }
    };
    options(app);
    out += ".SH COMMANDS\n";
    walk(app, "", [&](const std::string& name, CLI::App& command) {
        out += fmt::format(".SS {}\n{}\n", inRoff(name), inRoff(command.get_description()));
        options(command);
    });
    return out + ".SH EXIT STATUS\n0: success. 1: error findings, or an impossible request. 2: invalid input, or "
                 "output that "
                 "failed.\n.SH FILES\n~/.local/share/bindrel: devices, boards and parts of your own\n";
}

} // namespace

static void addHelp(CLI::App& app, int& exitCode)
{
    auto names = std::make_shared<std::vector<std::string>>();
    CLI::App* help = app.add_subcommand("help", say("Explain a command."));
    help->add_option("COMMAND", *names, say("Command, and its subcommand if it has any"));
    help->callback([names, &app, &exitCode] {
        CLI::App* at = &app;
        std::string path;
        for (const std::string& name : *names) {
            const std::vector<std::string> known = namesOf(*at);
            if (std::find(known.begin(), known.end(), name) == known.end()) {
                exitCode = complain(problemOf(say("\"{}\" is not a command{}.{}", name,
                                                  path.empty() ? "" : say(" of") + path, didYouMean(name, known))));
                return;
            }
            at = at->get_subcommand(name);
            path += " " + name;
        }
        printPlain(at->help());
    });
    auto shell = std::make_shared<std::string>();
    CLI::App* completion = app.add_subcommand("completion", say("Print a script that completes commands and options."));
    completion->add_option("SHELL", *shell, say("bash or zsh"))->required()->check(CLI::IsMember({"bash", "zsh"}));
    completion->callback([shell, &app] { printPlain(*shell == "bash" ? bashCompletion(app) : zshCompletion(app)); });
    app.add_subcommand("manual", say("Print the manual page (roff)."))->callback([&app] {
        printPlain(manualPage(app));
    });
}

BINDREL_COMMAND(addHelp)

} // namespace bindrel::cli
