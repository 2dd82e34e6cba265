// SPDX-License-Identifier: GPL-3.0-or-later
// Runs a fuzz target without a fuzzer: on its seeds, then on seeds changed by lot. It needs no build of its own, so
// that every run of the tests can afford it; a coverage-guided fuzzer (preset "fuzz") gets further.
#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <random>
#include <string>
#include <vector>

#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size);

namespace {

constexpr std::size_t longest = 131072;
constexpr rlim_t mostMemory = rlim_t(4) << 30;

std::string current;   // the input that runs, for the handler
std::string foundPath; // where it is left when it breaks something

extern "C" void leaveInput(int signal)
{
    const int file = open(foundPath.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
    if (file >= 0) {
        for (std::size_t done = 0; done < current.size();) {
            const ssize_t written = write(file, current.data() + done, current.size() - done);
            if (written <= 0)
                break;
            done += std::size_t(written);
        }
        close(file);
    }
    const char* text = signal == SIGALRM ? "ERROR: takes too long\n" : "ERROR: killed by a signal\n";
    (void)!write(2, text, signal == SIGALRM ? 22 : 26);
    std::signal(signal, SIG_DFL);
    raise(signal);
    _exit(1);
}

void catchSignals()
{
    static std::vector<char> stack(1 << 16); // an overflow of the stack leaves none for the handler
    stack_t other{};
    other.ss_sp = stack.data();
    other.ss_size = stack.size();
    sigaltstack(&other, nullptr);
    struct sigaction action {};
    action.sa_handler = leaveInput;
    action.sa_flags = SA_ONSTACK;
    for (const int signal : {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGTRAP, SIGABRT, SIGALRM})
        sigaction(signal, &action, nullptr);
    // A checker of memory takes several times as much for itself.
    const rlimit memory{mostMemory, mostMemory};
    if (!std::getenv("BINDREL_UNLIMITED_MEMORY"))
        setrlimit(RLIMIT_AS, &memory);
}

void run(const std::string& input, unsigned secondsEach)
{
    current = input;
    alarm(secondsEach);
    // A copy of its exact size, so that a reader that goes beyond the end is likelier to be seen.
    const std::vector<uint8_t> data(current.begin(), current.end());
    LLVMFuzzerTestOneInput(data.data(), data.size());
    alarm(0);
}

/// Changes texts as damage, careless editing and malice do.
class Changer {
public:
    Changer(unsigned seed, std::vector<std::string> seeds, std::vector<std::string> words)
        : lot_(seed), seeds_(std::move(seeds)), words_(std::move(words))
    {
    }

    std::string next()
    {
        std::string text = seeds_[below(seeds_.size())];
        for (std::size_t changes = 1 + below(4); changes > 0; --changes)
            change(text);
        if (text.size() > longest)
            text.resize(longest);
        return text;
    }

private:
    std::size_t below(std::size_t bound)
    {
        return bound == 0 ? 0 : std::uniform_int_distribution<std::size_t>(0, bound - 1)(lot_);
    }

    std::string span(const std::string& text)
    {
        const std::size_t from = below(text.size());
        return text.substr(from, 1 + below(std::min<std::size_t>(64, text.size())));
    }

    void change(std::string& text)
    {
        const std::size_t at = below(text.size() + 1);
        switch (below(8)) {
        case 0: // a bit
            if (at < text.size())
                text[at] = char(text[at] ^ (1 << below(8)));
            break;
        case 1:
            text.insert(at, 1, char(below(256)));
            break;
        case 2:
            text.erase(at, 1 + below(32));
            break;
        case 3: // cut off
            text.resize(at);
            break;
        case 4: // said twice, or in another place
            text.insert(at, span(text));
            break;
        case 5: // a piece of another
            text.insert(at, span(seeds_[below(seeds_.size())]));
            break;
        case 6:
            if (!words_.empty())
                text.insert(at, words_[below(words_.size())]);
            break;
        default: // a number
            changeNumber(text, at);
        }
    }

    void changeNumber(std::string& text, std::size_t at)
    {
        static const char* const numbers[] = {"0",
                                              "-1",
                                              "1",
                                              "31",
                                              "32",
                                              "64",
                                              "255",
                                              "65536",
                                              "4294967295",
                                              "4294967296",
                                              "9223372036854775807",
                                              "9223372036854775808",
                                              "-9223372036854775808",
                                              "1e999",
                                              "0.0000000001",
                                              "0xffffffffffffffff"};
        const std::size_t from = text.find_first_of("0123456789", at);
        if (from == std::string::npos)
            return;
        const std::size_t to = text.find_first_not_of("0123456789", from);
        text.replace(from, (to == std::string::npos ? text.size() : to) - from, numbers[below(std::size(numbers))]);
    }

    std::mt19937 lot_;
    std::vector<std::string> seeds_;
    std::vector<std::string> words_;
};

std::string contents(const std::filesystem::path& path)
{
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

/// The words of a fuzzer's dictionary: what stands between quotes at the end of a line, backslashes taken away.
std::vector<std::string> dictionary(const std::filesystem::path& path)
{
    std::vector<std::string> out;
    std::ifstream file(path);
    for (std::string line; std::getline(file, line);) {
        const std::size_t from = line.find('"');
        const std::size_t to = line.rfind('"');
        if (line.starts_with('#') || from == std::string::npos || to <= from)
            continue;
        std::string word;
        for (std::size_t i = from + 1; i < to; ++i)
            if (line[i] != '\\' || (i > from + 1 && line[i - 1] == '\\'))
                word += line[i];
        out.push_back(word);
    }
    return out;
}

} // namespace

int main(int argc, char** argv)
{
    if (argc < 6) {
        std::fprintf(stderr, "usage: %s FOLDER-OF-SEEDS SECONDS SECONDS-EACH SEED FOUND [DICTIONARY]\n", argv[0]);
        return 2;
    }
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(std::atoi(argv[2]));
    const unsigned each = unsigned(std::atoi(argv[3]));
    foundPath = argv[5];
    std::vector<std::filesystem::path> paths;
    for (const auto& entry : std::filesystem::directory_iterator(argv[1]))
        paths.push_back(entry.path());
    std::sort(paths.begin(), paths.end());
    std::vector<std::string> seeds;
    for (const std::filesystem::path& path : paths)
        seeds.push_back(contents(path));
    if (seeds.empty()) {
        std::fprintf(stderr, "ERROR: no seeds in %s\n", argv[1]);
        return 2;
    }
    catchSignals();
    long runs = 0;
    for (const std::string& seed : seeds) {
        run(seed, each);
        ++runs;
    }
    Changer changer(unsigned(std::atoi(argv[4])), seeds, argc > 6 ? dictionary(argv[6]) : std::vector<std::string>());
    for (; std::chrono::steady_clock::now() < end; ++runs)
        run(changer.next(), each);
    std::printf("stat::number_of_executed_units: %ld\n", runs);
    return 0;
}
