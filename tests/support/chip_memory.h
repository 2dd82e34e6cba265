// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/text.h"
#include "core/output/output.h"
#include "core/source/writer.h"
#include "tests/support/fixtures.h"

#include <QProcess>

#include <cstring>
#include <dlfcn.h>
#include <set>
#include <sys/mman.h>

/// The written C, compiled for this machine and run on plain memory that lies where the chip's registers would be.
namespace bindrel::test {

/// Memory at the chip's addresses, for one test.
class Chip {
public:
    explicit Chip(const Device& device)
    {
        for (size_t i = 0; i < device.instances.size(); ++i)
            for (const RegisterIndex r : device.blockOf(i).registers.indices())
                words_[device.addressOf(i, int(r))] = {device.resetOf(i, int(r)),
                                                       device.blockOf(i).registers[r].bytes()};
        // The core's own interrupt controller, as Arm places it.
        words_[0xE000E100] = {0, 4};
        for (const auto& [address, cell] : words_) {
            const uintptr_t page = address & ~uintptr_t(4095);
            if (pages_.insert(page).second &&
                mmap(reinterpret_cast<void*>(page), 4096, PROT_READ | PROT_WRITE,
                     MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED_NOREPLACE, -1, 0) == MAP_FAILED)
                qFatal("address %lx is taken in this process", static_cast<unsigned long>(page));
            std::memcpy(reinterpret_cast<void*>(uintptr_t(address)), &cell.reset, cell.bytes);
        }
    }
    ~Chip()
    {
        for (const uintptr_t page : pages_)
            munmap(reinterpret_cast<void*>(page), 4096);
    }
    static volatile uint32_t& at(uint32_t address) { return *reinterpret_cast<volatile uint32_t*>(uintptr_t(address)); }
    std::map<uint32_t, uint32_t> words() const
    {
        std::map<uint32_t, uint32_t> out;
        for (const auto& [address, cell] : words_)
            std::memcpy(&out[address], reinterpret_cast<const void*>(uintptr_t(address)), cell.bytes);
        return out;
    }

private:
    struct Cell {
        uint32_t reset = 0;
        uint32_t bytes = 4; ///< little endian, as all chips here
    };
    std::map<uint32_t, Cell> words_;
    std::set<uintptr_t> pages_;
};

/// The source of a plan as a library of this machine.
class Compiled {
public:
    explicit Compiled(const Snapshot& s)
    {
        const std::filesystem::path folder = dir_.path().toStdString();
        const auto preview = previewOutput(s.source(), folder);
        if (!preview || !writeOutput(s.source(), folder, *preview))
            qFatal("could not be written");
        // Only the core itself knows its control registers; letting an interrupt through is nothing to be seen in
        // memory. It waits in no mode of its own here: what would happen meanwhile is for the test to say.
        std::string ofThisMachine = "#include <stdbool.h>\n#include <stdint.h>\n";
        for (const CoreIndex core : s.device->cores.indices()) {
            const std::string p = s.source().prefix + (core > 0 ? "_" + lowered(s.device->cores[core].id) : "");
            ofThisMachine += "uint32_t " + p + "_interrupts_hold(void) { return 0; }\nvoid " + p +
                             "_interrupts_release(uint32_t before) { (void)before; }\n";
            if (core == 0 && !s.image.modes.empty())
                ofThisMachine += "void (*" + p + "_waiting)(bool deep);\nvoid " + p + "_core_wait(bool deep) { " + p +
                                 "_waiting(deep); }\n";
        }
        (void)writeFileAtomically(folder / "core_of_this_machine.c", ofThisMachine);
        QProcess shell;
        shell.setWorkingDirectory(dir_.path());
        shell.setProcessChannelMode(QProcess::MergedChannels);
        // In each pass of a waiting loop the peripherals' flags follow what they follow. (The clocks' are for the test
        // to say.)
        (void)writeFileAtomically(folder / "hardware_of_this_machine.c", "void (*hardware_plays)(void);\n");
        shell.start(
            "sh", {"-c", "rm -f *_start.c *_core.c main*.c && sed -i 's/__asm__ volatile(\"[^;]*;/;/' *.c && sed -i -e "
                         "'1i extern void (*hardware_plays)(void);' -e "
                         "'s/^ *for (; passes > 0u; passes--) {$/&\\nif (hardware_plays) { hardware_plays(); "
                         "}/' *_board.c && gcc -std=c11 -O1 -w -shared -fPIC -o source.so *.c"});
        if (!shell.waitForFinished(120'000) || shell.exitCode() != 0)
            qFatal("%s", shell.readAll().constData());
        library_ = dlopen(dir_.filePath("source.so").toUtf8(), RTLD_NOW | RTLD_LOCAL);
        if (!library_)
            qFatal("%s", dlerror());
        follows().clear();
        for (size_t i = 0; i < s.device->instances.size(); ++i)
            for (RegisterIndex r = 0;
                 !s.device->blockOf(i).kind.empty() && r < int(s.device->blockOf(i).registers.size()); ++r)
                for (const Field& field : s.device->blockOf(i).registers[r].fields)
                    if (field.followsReg >= 0) {
                        const FieldRef control{int(i), field.followsReg, field.followsField};
                        follows().push_back({s.device->addressOf(i, int(r)), field, s.device->addressOf(i, control.reg),
                                             s.device->fieldOf(control), s.device->blockOf(i).registers[r].bytes()});
                    }
        *find<void (*)()>("hardware_plays") = play;
    }
    /// Calls every start function of every core's program.
    void startAll(const Snapshot& s) const
    {
        const Facts facts = s.facts();
        for (size_t core = 0; core < s.device->cores.size(); ++core) {
            const Names names = namesFor(facts, core);
            for (size_t n = 0; n < s.plan.needs.size(); ++n)
                if (void* start = dlsym(library_, (names.need(n).text() + "_start").c_str());
                    start && hasFiles(facts, names, n))
                    reinterpret_cast<void (*)()>(start)();
        }
    }
    /// From here on the hardware does nothing any more.
    void hardwareDies() const { *find<void (*)()>("hardware_plays") = nullptr; }
    ~Compiled() { dlclose(library_); }
    /// The test plays what happens in each pass of a waiting loop.
    void hardwareIs(void (*plays)()) const { *find<void (*)()>("hardware_plays") = plays; }
    bool has(const char* name) const { return dlsym(library_, name) != nullptr; }
    template <typename Function> Function* find(const char* name) const
    {
        void* symbol = dlsym(library_, name);
        if (!symbol)
            qFatal("no function %s", name);
        return reinterpret_cast<Function*>(symbol);
    }

private:
    struct Follow {
        uint32_t status = 0;
        Field statusField;
        uint32_t control = 0;
        Field controlField;
        uint32_t bytes = 4;
    };
    static std::vector<Follow>& follows()
    {
        static std::vector<Follow> all;
        return all;
    }
    static void play()
    {
        for (const Follow& follow : follows()) {
            uint32_t control = 0, status = 0;
            std::memcpy(&control, reinterpret_cast<const void*>(uintptr_t(follow.control)), follow.bytes);
            std::memcpy(&status, reinterpret_cast<const void*>(uintptr_t(follow.status)), follow.bytes);
            const uint32_t code = control >> follow.controlField.lsb & follow.controlField.maxCode();
            status =
                (status & ~follow.statusField.mask()) | (code << follow.statusField.lsb & follow.statusField.mask());
            std::memcpy(reinterpret_cast<void*>(uintptr_t(follow.status)), &status, follow.bytes);
        }
    }

    QTemporaryDir dir_;
    void* library_ = nullptr;
};

} // namespace bindrel::test
