// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_file.h"
#include "core/rehearsal/simulated_clocks.h"
#include "core/source/clock_rates.h"
#include "core/source/writer.h"
#include "tests/support/chip_memory.h"

#include <QRegularExpression>
#include <QStandardPaths>

#include <random>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// What makes a folder of C a project: build files with all that a programmer and a debugger want, a page that explains
/// it, and a function that compares the chip with the plan.
class ProjectFilesTest : public QObject {
    Q_OBJECT

    static void plans()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(plan) << plan;
    }
    static QByteArray ran(const fs::path& folder, const QString& command, int& code)
    {
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folder.string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", command});
        code = shell.waitForFinished(240'000) ? shell.exitCode() : -1;
        return shell.readAll();
    }
    static void write(const Snapshot& s, const fs::path& folder)
    {
        const Expected<OutputPreview> preview = previewOutput(s.source(), folder);
        QVERIFY(preview.ok());
        QVERIFY(writeOutput(s.source(), folder, *preview).ok());
    }
    /// Puts a word into this machine's memory where the chip has a register.
    static void put(const Device& d, InstanceIndex instance, RegisterIndex index, std::uint32_t word)
    {
        const Register& reg = d.blockOf(instance).registers[index];
        const std::uint32_t base = d.instances[instance].base;
        for (const RegisterPart& part : reg.parts) {
            const std::uint32_t bits = word >> part.lsb & part.mask();
            std::memcpy(reinterpret_cast<void*>(uintptr_t(base + part.offset)), &bits, part.bytes());
        }
        if (reg.parts.empty())
            std::memcpy(reinterpret_cast<void*>(uintptr_t(base + reg.offset)), &word, reg.bytes());
    }
    /// The bytes that a file of Intel HEX loads, by address.
    static std::map<std::uint32_t, std::uint8_t> loaded(const fs::path& file)
    {
        std::map<std::uint32_t, std::uint8_t> out;
        std::uint32_t upper = 0;
        for (const std::string& line : splitted(textOf(file), '\n')) {
            if (!line.starts_with(":"))
                continue;
            const QByteArray record = QByteArray::fromHex(QByteArray::fromStdString(line.substr(1)));
            const auto byte = [&record](int i) { return std::uint32_t(std::uint8_t(record[i])); };
            const std::uint32_t at = byte(1) << 8 | byte(2);
            if (byte(3) == 2)
                upper = (byte(4) << 8 | byte(5)) << 4;
            if (byte(3) == 4)
                upper = (byte(4) << 8 | byte(5)) << 16;
            for (std::uint32_t i = 0; byte(3) == 0 && i < byte(0); ++i)
                out[upper + at + i] = std::uint8_t(byte(4 + int(i)));
        }
        return out;
    }

private Q_SLOTS:
    void itBuilds_data() { plans(); }
    void itBuilds()
    {
        QFETCH(QString, plan);
        QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        const auto s = run(demo(qPrintable(plan)));
        write(*s, folder);
        const std::string p = s->source().prefix;
        int code = 0;
        const QByteArray built = ran(folder,
                                     "cmake -G Ninja -B build --preset small && cmake --build build && "
                                     "cmake --list-presets=build",
                                     code);
        QVERIFY2(built.contains("\"small\"") && built.contains("\"debug\""), built.constData());
        QVERIFY2(code == 0 && !built.contains("warning"), built.constData());
        QVERIFY2(built.contains("text") && built.contains("bss"), built.constData());
        const QByteArray made = ran(folder, "make OPTIMISE=-Os", code);
        QVERIFY2(code == 0 && !made.contains("warning"), made.constData());
        for (const CoreIndex core : s->device->cores.indices()) {
            const std::string name = namesFor(s->facts(), core).prefix.text();
            const fs::path own = core > 0 && s->device->cores[core].toolPrefix != s->device->core().toolPrefix
                                     ? folder / "build" / name
                                     : folder / "build";
            QVERIFY2(fs::exists(own / (name + ".map")), name.c_str());
            QVERIFY(fs::exists(own / "compile_commands.json"));
            // Both ways give one program, and its binary image is what the records load into flash.
            const auto cmake = loaded(own / (name + ".hex")), make = loaded(folder / "build-make" / (name + ".hex"));
            QVERIFY2(cmake.size() > 500 && cmake.size() == make.size(), name.c_str());
            const std::string image = textOf(folder / "build-make" / (name + ".bin"));
            const std::uint32_t base = s->device->cores[core].flashBase;
            QVERIFY(image.size() <= s->device->cores[core].flashBytes);
            for (std::size_t i = 0; i < image.size(); ++i)
                if (const auto at = make.find(base + std::uint32_t(i)); at != make.end())
                    QCOMPARE(std::uint8_t(image[i]), at->second);
        }
    }

    /// What a team has of its own is not written; with its own files in the folder all builds as before.
    void partsAreLeftOut()
    {
        const LoadedPlan work = demo("pump-hall-a-done");
        const auto whole = run(work);
        const std::map<OutputPart, QStringList> files{
            {OutputPart::StartUp, {"pump_start.c", "pump_help_start.c"}},
            {OutputPart::LinkerScript, {"pump.ld", "pump_help.ld"}},
            {OutputPart::Main, {"main.c", "main_help.c"}},
            {OutputPart::BuildFiles,
             {"CMakeLists.txt", "CMakePresets.json", "Makefile", "pump_toolchain.cmake", "pump_help_toolchain.cmake"}},
            {OutputPart::Verify, {"pump_verify.c", "pump_verify.h", "pump_help_verify.c", "pump_help_verify.h"}},
            {OutputPart::ClockRates, {"pump_clock_hz.c", "pump_clock_hz.h"}},
            {OutputPart::Debugger, {"pump.gdb", "pump_help.gdb"}},
            {OutputPart::ProjectPage, {"pump_project.md"}}};
        QCOMPARE(files.size(), outputPartNames().size());
        const auto namesOf = [](const Source& source) {
            QStringList out;
            for (const SourceFile& file : source.files)
                out << QString::fromStdString(file.name);
            out.sort();
            return out;
        };
        for (const auto& [part, own] : files) {
            const auto s = run(with(work, SetLeftOut{{part}}));
            QStringList expected = namesOf(whole->source());
            for (const QString& name : own)
                QVERIFY2(expected.removeOne(name), qPrintable(name));
            QCOMPARE(namesOf(s->source()), expected);
            QCOMPARE(namesOf(makeWholeSource(s->facts())), namesOf(whole->source()));
            // The plan's file says it, and takes nothing else for a part.
            const Expected<LoadedPlan> again = parsePlan(planText(s->plan), "again", library());
            QVERIFY(again && again->plan.leftOut == s->plan.leftOut);
            std::string wrong = planText(s->plan);
            wrong.replace(wrong.find(nameOf(part), wrong.find("leave_out")), 3, "xyz");
            const Expected<LoadedPlan> refused = parsePlan(wrong, "wrong", library());
            QVERIFY(!refused && refused.problem().message.find("be left out") != std::string::npos);
        }
        QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        write(*run(with(work, SetLeftOut{{OutputPart::StartUp, OutputPart::LinkerScript, OutputPart::Main}})), folder);
        for (const OutputPart part : {OutputPart::StartUp, OutputPart::LinkerScript, OutputPart::Main})
            for (const QString& name : files.at(part)) {
                QVERIFY(!fs::exists(folder / name.toStdString()));
                QVERIFY(
                    writeFileAtomically(folder / name.toStdString(), whole->source().find(name.toStdString())->text()));
            }
        int code = 0;
        const QByteArray made = ran(folder, "make", code);
        QVERIFY2(code == 0, made.constData());
    }

    void theDebuggerTakesItsCommands()
    {
        const QString debugger = QStandardPaths::findExecutable("gdb");
        if (debugger.isEmpty())
            QSKIP("there is no debugger here");
        QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        const auto s = run(demo());
        write(*s, folder);
        int code = 0;
        const QByteArray told = ran(folder,
                                    "gdb -nx -batch -x sluice.gdb -ex 'help sluice_load' -ex 'show user "
                                    "sluice_uplink_show' 2>&1",
                                    code);
        QVERIFY2(code == 0 && told.contains("stops at main") && told.contains("printf \"UART"), told.constData());
        // Looking takes nothing out of the chip: no received byte, no flag that reading clears.
        QVERIFY2(!told.contains(".DATA "), told.constData());
    }

    /// A first main starts what the plan has, but for what drives outputs or must be fed: that is named.
    void aFirstMainStartsThePlan_data() { plans(); }
    void aFirstMainStartsThePlan()
    {
        QFETCH(QString, plan);
        for (const OnFailure policy : {OnFailure::Stop, OnFailure::GoOn}) {
            const auto s = run(with(demo(qPrintable(plan)), SetOnFailure{policy}));
            const Facts facts = s->facts();
            int started = 0, named = 0;
            for (const CoreIndex core : s->device->cores.indices()) {
                const Names names = namesFor(facts, core);
                const std::string text =
                    s->source()
                        .find(core == 0 ? std::string("main.c") : "main_" + lowered(s->device->cores[core].id) + ".c")
                        ->text();
                for (const NeedIndex n : s->plan.needs.indices()) {
                    const std::string& kind = s->plan.needs[n].kind;
                    const std::string call = names.need(n).text() + "_start()";
                    const bool calls = text.find("    " + call + ";") != std::string::npos;
                    const bool drives = kind == "pwm" || kind == "dac" || kind == "watchdog";
                    QCOMPARE(calls, hasFiles(facts, names, n) && hasStart(facts, n) && !drives);
                    started += calls;
                    named += !calls && text.find(call + " is for your program") != std::string::npos;
                }
            }
            QVERIFY2(started > 2 && named > 0, fmt::format("{} started, {} named", started, named).c_str());
        }
    }

    void thePageNamesEverything_data() { plans(); }
    void thePageNamesEverything()
    {
        QFETCH(QString, plan);
        const auto s = run(demo(qPrintable(plan)));
        const std::string text = s->source().find(s->source().prefix + "_project.md")->text();
        const QString page = QString::fromStdString(text);
        for (const Need& need : s->plan.needs)
            QVERIFY2(page.contains("| " + QString::fromStdString(markdownText(need.title).text()) + " |"),
                     need.title.c_str());
        for (const PadSetup& setup : s->pads)
            QVERIFY(page.contains("| " + QString::fromStdString(markdownText(s->device->pads[setup.pad].name).text()) +
                                  " |"));
        // Each row of a table has as many cells as its heading.
        static const QRegularExpression bar("(?<!\\\\)\\|");
        qsizetype cells = 0;
        for (const QString& line : page.split('\n')) {
            if (!line.startsWith('|')) {
                cells = 0;
                continue;
            }
            const qsizetype own = line.count(bar);
            QVERIFY2(cells == 0 || own == cells, qPrintable(line));
            cells = own;
        }
    }

    /// Registers drawn by lot, and what the simulated chip makes of them: the functions say the same of every clock.
    void ratesFollowFromTheRegisters_data() { plans(); }
    void ratesFollowFromTheRegisters()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        QFETCH(QString, plan);
        const auto s = run(demo(qPrintable(plan)));
        const Device& d = *s->device;
        const Chip chip(d);
        const Compiled compiled(*s);
        const std::vector<Word> functions = clockRateFunctions(s->facts(), namesFor(s->facts(), 0));
        QCOMPARE(functions.size(), d.clocks.size());
        const auto show = [&d](const SimulatedRegisters& registers, const FieldRef& ref) {
            if (ref.valid())
                put(d, ref.instance, ref.reg, registers.cell(registers.cellOf(ref.instance, ref.reg)).value);
        };
        std::mt19937 random(seeded(60));
        int running = 0, stopped = 0;
        for (int round = 0; round < 200; ++round) {
            SimulatedRegisters registers(d);
            for (const RegisterValue& value : s->image.registers)
                for (const FieldWrite& write : value.fields)
                    registers.put(write.ref, write.code);
            // The first time as planned.
            for (const ClockNode& node : d.clocks)
                for (const FieldRef& ref : {node.control, node.fraction, node.enable.ref, node.bypass.ref})
                    if (ref.valid() && round > 0 && random() % 4 == 0)
                        // No data sheet says what a select does with a code that it does not have.
                        registers.put(ref, ref == node.control && node.type == ClockNode::Type::Select
                                               ? node.inputs[random() % node.inputs.size()].code
                                               : std::uint32_t(random()) & d.fieldOf(ref).maxCode());
            SimulatedClocks clocks(registers, *s->board, s->rates.supply, {});
            for (int pass = 0; pass < 8; ++pass) // multipliers lock one after the other
                clocks.settle(Moment(pass) << 45);
            for (const ClockNode& node : d.clocks)
                for (const FieldRef& ref :
                     {node.control, node.fraction, node.status, node.enable.ref, node.ready.ref, node.bypass.ref})
                    show(registers, ref);
            for (ClockIndex i = 0; i < int(functions.size()); ++i) {
                const auto told = compiled.find<std::uint32_t()>(functions[i].text().c_str())();
                const Rational rate = clocks.clock(int(i)).rate;
                const std::int64_t hertz = std::min<std::int64_t>(rate.floor(), UINT32_MAX);
                QVERIFY2(std::int64_t(told) == hertz,
                         fmt::format("round {}, {}: {} for {}", round, d.clocks[i].id, told, hertz).c_str());
                (hertz > 0 ? running : stopped) += 1;
                if (round == 0 && s->rates.clocks[i].running && s->rates.clocks[i].used)
                    QCOMPARE(std::int64_t(told), s->rates.clocks[i].rate.value.floor());
            }
        }
        QVERIFY2(running > 500 && stopped > 500, fmt::format("{} run, {} do not", running, stopped).c_str());
    }

    /// The memory of this machine holds what the plan says: nothing differs. Each bit that was planned, turned over:
    /// the register is named.
    void differencesAreNamed_data()
    {
        plans();
    }
    void differencesAreNamed()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        QFETCH(QString, plan);
        const auto s = run(demo(qPrintable(plan)));
        const Device& d = *s->device;
        const Chip chip(d);
        const Compiled compiled(*s);
        for (const RegisterValue& value : s->image.registers)
            put(d, value.instance, value.reg, value.value);
        const auto says = [&](size_t core) -> std::string {
            const std::string function = namesFor(s->facts(), core).prefix.text() + "_verify";
            const char* told = compiled.find<const char*()>(function.c_str())();
            return told ? told : "";
        };
        for (size_t core = 0; core < d.cores.size(); ++core)
            QVERIFY2(says(core).empty(), says(core).c_str());
        std::mt19937 random(seeded(50));
        int named = 0, silent = 0;
        for (int round = 0; round < 400; ++round) {
            const RegisterValue& value = s->image.registers[random() % s->image.registers.size()];
            if (value.fields.empty())
                continue;
            const FieldWrite& write = value.fields[random() % value.fields.size()];
            const Field& field = d.fieldOf(write.ref);
            put(d, value.instance, value.reg, value.value ^ field.at(1u << random() % std::uint32_t(field.width)));
            std::string told;
            for (size_t core = 0; core < d.cores.size(); ++core)
                told += says(core);
            put(d, value.instance, value.reg, value.value);
            if (told.empty()) {
                ++silent; // what the program changes itself, or hardware does
                continue;
            }
            QCOMPARE(told, d.instances[value.instance].name + "." + d.registerOf(write.ref).name);
            ++named;
        }
        QVERIFY2(named >= 50 && named > silent, fmt::format("{} named, {} silent", named, silent).c_str());
    }
};

BINDREL_TEST(ProjectFilesTest)
#include "project_files_test.moc"
