// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"

#include <atomic>

namespace bindrel {

namespace {

class English : public Catalogue {
public:
    const char* find(const char*) const override { return nullptr; }
    const char* find(const char*, const char*, long) const override { return nullptr; }
    char decimalMark() const override { return '.'; }
};

std::atomic<const Catalogue*> reading = nullptr;
thread_local const Catalogue* threadsCatalogue = nullptr;

} // namespace

const Catalogue& english()
{
    static const English one;
    return one;
}

const Catalogue& catalogue()
{
    if (threadsCatalogue)
        return *threadsCatalogue;
    const Catalogue* reader = reading.load(std::memory_order_relaxed);
    return reader ? *reader : english();
}

void setReader(const Catalogue& reader)
{
    reading = &reader;
}

InEnglish::InEnglish() : before_(threadsCatalogue)
{
    threadsCatalogue = &english();
}

InEnglish::~InEnglish()
{
    threadsCatalogue = before_;
}

namespace words_detail {

std::string filled(const char* translated, const char* english, fmt::format_args args)
{
    if (translated) {
        try {
            return fmt::vformat(translated, args);
        } catch (const fmt::format_error&) { // a catalogue is a file like any other
        }
    }
    return fmt::vformat(english, args);
}

} // namespace words_detail

} // namespace bindrel
