// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/output/output.h"
#include "tests/support/rehearse.h"

#include <QProcess>

#include <cmath>

using namespace bindrel;
using namespace bindrel::test;

/// A chip whose mechanisms are known is a file and nothing else: one that differs from the shipped chip wherever the
/// format allows goes from its file to C that compiles, and its registers mean what was asked for.
class OtherChipTest : public QObject {
    Q_OBJECT

    static Library bench() { return Library(std::string(BINDREL_SOURCE_ROOT) + "/tests/data/library"); }

    static LoadedPlan plan()
    {
        const char* text = R"({
            "bindrel": 1, "name": "bench", "device": "RD1016-D16", "board": "bench",
            "clocks": { "MUX": "XT", "CORE": "1" },
            "needs": [
                { "id": "terminal", "part": "terminal", "kind": "uart", "goals": { "baud": "115.2 kBd", "frame": "8E2" } },
                { "id": "lamp", "part": "lamp", "kind": "pwm", "goals": { "frequency": "100 Hz", "duty1": "25 %", "steps": "100" } },
                { "id": "key", "part": "lamp", "kind": "gpio", "goals": { "direction": "output", "level": "high" } },
                { "id": "crystal", "part": "clock", "kind": "crystal", "goals": { "clock": "XT" } },
                { "id": "debug", "kind": "debug" }
            ]
        })";
        Expected<LoadedPlan> work = parsePlan(text, "bench.bindrel", bench());
        if (!work)
            qFatal("%s", work.problem().text().c_str());
        const Expected<Edit> edit = bindAllOpen(*work->device, *work->board, work->plan);
        if (!edit)
            qFatal("%s", edit.problem().text().c_str());
        work->plan = *applied(work->plan, *edit);
        return *std::move(work);
    }

    static uint32_t word(const Snapshot& s, uint32_t address)
    {
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == address)
                return value.value;
        qFatal("no register at %x", address);
    }

private Q_SLOTS:
    void itComesUpOnTheSimulatedChip()
    {
        const std::string against = rehearsed(*run(plan()));
        QVERIFY2(against.empty(), against.c_str());
    }

    void itsFileIsClean()
    {
        const Expected<std::shared_ptr<const Device>> device = bench().device("rd1016-d16");
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        const auto remarks = lint(**device);
        QVERIFY2(remarks.empty(), remarks.empty() ? "" : remarks[0].text.c_str());
        QCOMPARE((*device)->pads.front().portCode, 3);
    }

    void resetIsReadFromItsRegisters()
    {
        LoadedPlan work = plan();
        work.plan.clocks.clear();
        const auto s = run(work);
        // OSC resets to 6: the RC oscillator, divided by 2.
        QCOMPARE(hertz(*s, "CORE"), 4e6);
        QCOMPARE(hertz(*s, "SLOW"), 250e3);
    }

    void everythingIsBoundAndMeansWhatWasAsked()
    {
        const auto s = run(plan());
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(hertz(*s, "CORE"), 18.432e6);
        QCOMPARE(*s->rates.waitStates, 1);
        // By hand: 18.432 MHz / (8 x 20) is 115.2 kBd exactly; the field holds one less: 0x13, its upper half in bits
        // 15 to 12.
        QCOMPARE(word(*s, 0x40002000), 0x1003u);
        QCOMPARE(word(*s, 0x40002004), 0x80000053u); // GO, two stop bits, even parity, T and R
        // OSC: crystal on, its input, undivided.
        QCOMPARE(word(*s, 0x40000000) & 0x107, 0x103u);
        // The timer has prescalers 1, 8, 64, 256 only, and 10 bits.
        const std::map<uint32_t, double> prescalers{{0, 1}, {1, 8}, {2, 64}, {3, 256}};
        const double prescaler = prescalers.at((word(*s, 0x40003000) >> 8 & 3) | (word(*s, 0x40003000) >> 12 & 1) << 2),
                     top = (word(*s, 0x40003004) & 0x3FF) + 1;
        QVERIFY(std::abs(18.432e6 / (prescaler * top) / 100 - 1) < 0.001);
        double best = 1;
        for (const auto& [code, p] : prescalers)
            for (double t = 100; t <= 1024; ++t)
                best = std::min(best, std::abs(18.432e6 / (p * t) / 100 - 1));
        QVERIFY(std::abs(18.432e6 / (prescaler * top) / 100 - 1) <= best + 1e-12);
        // The key's pad is given to the port by code 3, as an output, high before.
        const int key = std::stoi(s->plan.need("key")->binding.pads.at("pin").substr(1));
        QCOMPARE(word(*s, 0x40001000 + 4u * uint32_t(key)), 0x301u);
        QCOMPARE(word(*s, 0x40001040) >> (16 + key) & 1, 1u);
    }

    /// What the small chip has of everything: a part that is switched on and dropped, a fence of worlds, a regulator,
    /// memory that is lost, bits here and there, a word and its inverse.
    void itsPowerAndMemory()
    {
        LoadedPlan work = plan();
        work.plan.regulator = "B";
        work.plan.stored = {{"KEEP.PART", "4"}, {"KEEP.LOW", "2.0 V"}};
        work.plan.modes = {"REST"};
        const auto s = run(work);
        for (const Finding& finding : s->findings)
            QVERIFY2(finding.severity != Finding::Severity::Error || finding.rule == "MODE-01",
                     finding.text.text().c_str()); // nothing of the plan wakes it
        QCOMPARE(s->device->resetCode(*s->device->findField("SYS.OSC.DIV")), 1u);
        QCOMPARE(word(*s, 0x40000004) >> 8 & 3, 2u);
        QCOMPARE(word(*s, 0x40000008) >> 28 & 1, 1u);
        QCOMPARE(word(*s, 0x4000000C) >> 16 & 3,
                 1u); // of the two codes that admit the core's world, the one that admits fewer
        for (const Scenario& scenario : scenariosOf(s->facts()))
            if (!scenario.whatIf())
                QVERIFY2(rehearsed(*s, scenario).empty(),
                         (titleOf(s->facts(), scenario) + rehearsed(*s, scenario)).c_str());
        std::string text;
        for (const SourceFile& file : s->source().files)
            text += file.text();
        for (const char* line : {"ram_lost (rw) : ORIGIN = 0x20000800, LENGTH = 2048",
                                 "ORIGIN = 0x00008001, LENGTH = 1", "bench_nonvolatile_keep_inverse __attribute__"})
            QVERIFY2(text.find(line) != std::string::npos, line);
    }

    void waitStatesComeOffAfterTheClockIsSlow()
    {
        LoadedPlan work = plan();
        work.plan.clocks = {{"MUX", InputDecision{"RC"}}, {"CORE", FactorDecision{8}}};
        const auto s = run(work);
        int divided = -1, relaxed = -1;
        for (size_t i = 0; i < s->image.steps.size(); ++i)
            for (const FieldWrite& write : s->image.steps[i].fields) {
                if (s->device->nameOf(write.ref) == "SYS.OSC.DIV")
                    divided = int(i);
                if (s->device->nameOf(write.ref) == "SYS.MEM.WS")
                    relaxed = int(i);
            }
        QVERIFY(divided >= 0 && relaxed > divided);
    }

    void limitsAndFindingsAreItsOwn()
    {
        LoadedPlan slow = plan();
        slow.plan.clocks = {{"MUX", InputDecision{"RC"}}};
        // 2 % of the oscillator, 1 % of the other end: 8 samples and an 11-bit-time frame leave 2.38 %.
        const auto s = run(slow);
        QVERIFY2(hasFinding(*s, "GOAL-01", "terminal"), findingsText(*s).c_str());
        const auto nine = run(with(plan(), SetGoal{"terminal", "frame", "7E1"}));
        QVERIFY(hasFinding(*nine, "GOAL-03")); // no field of this chip says seven bits
        const auto thin = run(with(plan(), SetText{SetText::What::Supply, "1.7 V"}));
        QVERIFY(hasFinding(*thin, "CLK-06", "ALL"));
    }

    /// A spread spectrum draws the rate out to one side: the same rate, less certain, and the same C but for its
    /// switch.
    void aSpreadSpectrumWidensTheTolerance()
    {
        const auto plain = run(plan());
        LoadedPlan work = plan();
        work.plan.clocks["SPREAD"] = clockSaid("WIDE");
        const auto s = run(work);
        const auto tolerance = [](const Snapshot& of) {
            return of.rates.clocks[of.device->findClock("CORE")].tolerance;
        };
        QCOMPARE(hertz(*s, "CORE"), hertz(*plain, "CORE"));
        QVERIFY(tolerance(*s).high == tolerance(*plain).high);
        QVERIFY(tolerance(*s).low.value == tolerance(*plain).low.value - 15'000);
        QCOMPARE(word(*s, 0x40000004) >> 4 & 1, 1u);
        // 1.5 % of the spread and 1 % of the other end are more than 8 samples and this frame leave.
        QVERIFY(!hasFinding(*plain, "GOAL-01", "terminal"));
        QVERIFY2(hasFinding(*s, "GOAL-01", "terminal"), findingsText(*s).c_str());
        const std::string against = rehearsed(*s);
        QVERIFY2(against.empty(), against.c_str());
    }

    void itsSourceCompilesAndLinks()
    {
        QTemporaryDir dir;
        const auto s = run(plan());
        const std::filesystem::path folder = dir.path().toStdString();
        const auto preview = previewOutput(s->source(), folder);
        QVERIFY(preview.ok() && writeOutput(s->source(), folder, *preview).ok());
        QProcess shell;
        shell.setWorkingDirectory(dir.path());
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", QString::fromStdString(s->source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        QVERIFY2(shell.exitCode() == 0, shell.readAll().constData());
    }
};

BINDREL_TEST(OtherChipTest)
#include "other_chip_test.moc"
