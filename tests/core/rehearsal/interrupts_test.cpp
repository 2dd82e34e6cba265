// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/edited_chip.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// Interrupts that arrive at the written machine code: a right program passes with every combination of flags, and each
/// fault that a program can have in its handlers is seen.
class InterruptsTest : public QObject {
    Q_OBJECT

    /// Several flags in one register, one of which reading clears.
    static LoadedPlan watched()
    {
        LoadedPlan work = demo();
        for (const auto& [goal, value] :
             {std::pair{"interrupt", "yes"}, {"watch", "yes"}, {"watch_low", "500"}, {"watch_high", "2500"}})
            work = with(work, SetGoal{"shunt-amplifier", goal, value});
        return work;
    }

    /// The hazards of a program in which a line of a file was changed.
    static std::string judged(const Snapshot& s, const std::string& file,
                              const std::vector<std::pair<std::string, std::string>>& changes)
    {
        Source source = s.source();
        for (const auto& [from, to] : changes) {
            bool changed = false;
            for (SourceFile& one : source.files)
                for (SourceLine& line : one.lines)
                    if (const size_t at = line.text.find(from);
                        one.name == file && !changed && at != std::string::npos) {
                        line.text.replace(at, from.size(), to);
                        changed = true;
                    }
            if (!changed)
                return "not in the text: " + from;
        }
        const QTemporaryDir folder;
        const Expected<Rehearsal> run = rehearseMachineCode(s.facts(), source, {}, folder.path().toStdString());
        return run ? hazardsText(*run) : run.problem().text();
    }

private Q_SLOTS:
    /// All examples, each need with every interrupt that its kind offers.
    void everyHandlerOfTheExamples()
    {
        int handlers = 0;
        for (const char* name : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            LoadedPlan work = demo(name);
            for (const Need& need : demo(name).plan.needs)
                if (const KindSpec* kind = findKind(need.kind))
                    for (const GoalSpec& goal : kind->goals)
                        if (goal.id == "interrupt" || goal.id == "alarm")
                            for (const std::string& choice : goal.choices) {
                                const LoadedPlan more = with(work, SetGoal{need.id, goal.id, choice});
                                if (run(more)->findings.empty()) {
                                    work = more;
                                    ++handlers;
                                }
                            }
            const auto s = run(work);
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            const QTemporaryDir folder;
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
            QVERIFY2(machine.ok(), machine.ok() ? "" : machine.problem().text().c_str());
            QVERIFY2(hazardsText(*machine).empty(), (std::string(name) + hazardsText(*machine)).c_str());
            // What the handlers write is not among the operations of the bring-up.
            const Rehearsal planned = rehearsePlanned(s->facts(), {});
            QVERIFY(compareWrites(*s->device, planned, *machine).empty());
        }
        QVERIFY2(handlers > 20, std::to_string(handlers).c_str());
    }

    void faultsOfHandlersAreSeen_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("says");
        QTest::newRow("a flag that is read twice") << "if ((flags & SLUICE_ADC_STAT_DONE)"
                                                   << "if ((SLUICE_ADC2->STAT & SLUICE_ADC_STAT_DONE)"
                                                   << "does not call sluice_shunt_amplifier_done";
        QTest::newRow("a flag that is not cleared") << "SLUICE_ADC2->STAT = SLUICE_ADC_STAT_OUTSIDE;"
                                                    << ";"
                                                    << "leaves ADC2.STAT.OUTSIDE set";
        QTest::newRow("the wrong function") << "sluice_shunt_amplifier_watched();"
                                            << "sluice_shunt_amplifier_done();"
                                            << "does not call sluice_shunt";
        QTest::newRow("no question") << "if ((flags & SLUICE_ADC_STAT_OUTSIDE) != 0u)"
                                     << "if (1)"
                                     << "calls sluice_shunt_amplifier_watched although nothing is due";
        QTest::newRow("everybody's flags") << "SLUICE_EDGES->FLAG = SLUICE_LINES_FLAG_L6;"
                                           << "SLUICE_EDGES->FLAG = 0xFFFFFFFFu;"
                                           << "does not call sluice_";
        QTest::newRow("no return") << "sluice_shunt_amplifier_watched();"
                                   << "for (;;) { }"
                                   << "does not return";
    }

    void faultsOfHandlersAreSeen()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, says);
        const auto s = run(watched());
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QVERIFY(judged(*s, "sluice_interrupts.c", {}).empty());
        const std::string told = judged(*s, "sluice_interrupts.c", {{from.toStdString(), to.toStdString()}});
        QVERIFY2(QString::fromStdString(told).contains(says), told.c_str());
    }

    /// A flag that lies beside what its need sets: a handler that writes it back as it was read undoes what start set.
    void aHandlerInTheMiddleOfAStart()
    {
        EditedChip chip = EditedChip::sedge();
        Json& timer = chip.block("general_timer");
        std::string flag = timer["roles"]["updated"];
        std::string enable = timer["roles"]["update_interrupt"];
        // The flag moves into the register that enables it.
        const std::string flagRegister = flag.substr(0, flag.find('.')),
                          enableRegister = enable.substr(0, enable.find('.'));
        QVERIFY(flagRegister != enableRegister);
        timer["registers"][enableRegister]["fields"]["CAME"] = Json{{"bits", "31"}, {"access", "w1c"}};
        timer["roles"]["updated"] = enableRegister + ".CAME";
        const auto s = chip.with(demo());
        const QTemporaryDir folder;
        const Expected<Rehearsal> machine =
            rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
        QVERIFY(machine.ok());
        // The start of such a need reads the register and writes it back, and so does its handler.
        const std::string told = hazardsText(*machine);
        QVERIFY2(told.empty() || told.find("between two instructions of") != std::string::npos, told.c_str());
        // Nothing else of the register is wiped when the flag is forgotten.
        for (const Step& step : s->image.steps)
            for (const FieldWrite& write : step.fields)
                if (s->device->fieldOf(write.ref).name == "CAME")
                    QVERIFY(step.kind == Step::Kind::Update);
    }
};

BINDREL_TEST(InterruptsTest)
#include "interrupts_test.moc"
