// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/findings/rules_page.h"
#include "core/kinds/goals_page.h"
#include "core/kinds/roles_page.h"
#include "tests/support/output_fixture.h"

#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;

/// The words of device files are a closed vocabulary, and what they say reaches the registers.
class VocabularyTest : public QObject, public OutputFixture {
    Q_OBJECT

    static Expected<Device> sedgeWith(const std::vector<std::pair<std::string, std::string>>& changes)
    {
        std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        for (const auto& [from, to] : changes)
            family = replaced(family, from, to);
        return parseDevice(textOf(dataPath("devices/sedge/se4332-c64.json")), "own.json", family, "family.json");
    }

    static std::shared_ptr<const Snapshot> runOn(Expected<Device> device, LoadedPlan work = demo())
    {
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        work.device = std::make_shared<const Device>(*std::move(device));
        return run(work);
    }

    static std::uint32_t codeOf(const Snapshot& s, const char* field)
    {
        return s.image.codeOf(*s.device, *s.device->findField(field));
    }

private Q_SLOTS:
    void anotherWordIsAnErrorWithThePlace_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("pointer");
        QTest::addColumn<QString>("says");
        const auto row = [](const char* name, const char* from, const char* to, const char* pointer, const char* says) {
            QTest::newRow(name) << from << to << pointer << says;
        };
        row("a role that is misspelt", R"("transmit_empty": "STAT.TXE", "data": "DATA.BYTE")",
            R"("transmit_emty": "STAT.TXE", "data": "DATA.BYTE")", "/blocks/uart/roles/transmit_emty",
            "Did you mean \"transmit_empty\"?");
        row("a role of the bridge", R"("outputs_enable":)", R"("output_enable":)",
            "/blocks/motor_timer/roles/output_enable", "Did you mean \"outputs_enable\"?");
        row("a role of no kind", R"("parity": "CTL.PARITY",)", R"("parity": "CTL.PARITY", "fraction": "CTL.PARITY",)",
            "/blocks/uart/roles/fraction", "no role of a uart block");
        row("a list without a pattern", R"("parity": "CTL.PARITY",)", R"("parity": ["CTL.PARITY", "CTL.STOP"],)",
            "/blocks/uart/roles/parity", "only patterns with {bit}");
        row("a port's role", R"("open_drain": "CFG{bit}.OD")", R"("opendrain": "CFG{bit}.OD")",
            "/blocks/port/roles/opendrain", "Did you mean \"open_drain#\"?");
        row("a kind", R"("kind": "i2c")", R"("kind": "iic")", "/blocks/i2c/kind", "is no kind of block");
        row("an ability", R"("fraction_bits")", R"("fractional_bits")", "", "is no ability of a uart");
        row("a request", R"("dma": { "RX": 1,)", R"("dma": { "RXD": 1,)", "", "DMA request");
    }
    void anotherWordIsAnErrorWithThePlace()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, pointer);
        QFETCH(QString, says);
        std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        if (family.find(from.toStdString()) == std::string::npos)
            QFAIL("the shipped file has no such words");
        const Expected<Device> device = sedgeWith({{from.toStdString(), to.toStdString()}});
        QVERIFY(!device.ok());
        QVERIFY(device.problem().line > 0);
        if (!pointer.isEmpty())
            COMPARE_TEXT(device.problem().pointer, pointer);
        QVERIFY2(device.problem().message.find(says.toStdString()) != std::string::npos,
                 device.problem().text().c_str());
    }

    void allMistakesAreToldAtOnce()
    {
        std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        family = replaced(replaced(replaced(family, R"("kind": "i2c")", R"("kind": "iic")"), R"("outputs_enable":)",
                                   R"("output_enable":)"),
                          R"("parity": "CTL.PARITY",)", R"("paritie": "CTL.PARITY",)");
        std::vector<Problem> all;
        QVERIFY(!parseDevice(textOf(dataPath("devices/sedge/se4332-c64.json")), "own.json", family, "family.json", &all)
                     .ok());
        QCOMPARE(all.size(), size_t(3));
        for (size_t i = 0; i < all.size(); ++i) {
            COMPARE_TEXT(all[i].file, "family.json");
            QVERIFY(all[i].line > 0 && (i == 0 || all[i].line >= all[i - 1].line));
        }
    }

    void edgesThatNobodyWatchesAreAFinding()
    {
        // A pad without a line, and a lines block that does not know the port.
        const auto blind = runOn(sedgeWith({{R"("enable": "IEN.L{bit}", "flag")", R"("flag")"}}));
        QVERIFY2(findingsText(*blind).find("has no field that enables the interrupt of line") != std::string::npos,
                 findingsText(*blind).c_str());
    }

    /// Of a register whose flags are cleared by writing zeroes, forgetting one leaves the others.
    void forgettingAFlagLeavesTheOthers()
    {
        std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        const size_t flags = family.find("\"FLAG\"");
        QVERIFY(flags != std::string::npos);
        const size_t access = family.find("\"w1c\"", flags);
        family.replace(access, 5, "\"w0c\"");
        const auto device =
            parseDevice(textOf(dataPath("devices/sedge/se4332-c64.json")), "own.json", family, "family.json");
        const auto s = runOn(device);
        int seen = 0;
        for (const Step& step : s->image.steps)
            if (step.why == "Clear earlier edges.") {
                const std::uint32_t flagMask = s->device->fieldOf(step.fields.front().ref).mask();
                std::uint32_t all = 0;
                for (const Field& field : s->device->registerOf(step.fields.front().ref).fields)
                    all |= field.access == Field::Access::WriteZeroToClear ? field.mask() : 0;
                QVERIFY(all != flagMask && (step.value & all) == (all & ~flagMask));
                ++seen;
            }
        QVERIFY(seen > 0);
    }

    /// A block that lacks what its kind must have is never the reason for C with holes.
    void aMissingRoleIsToldAndNothingIsWritten()
    {
        struct Row {
            const char *role, *from, *need;
        };
        for (const auto& [role, from, need] :
             {Row{R"("transmit_empty": "STAT.TXE", )", R"("transmit_empty": "STAT.TXE", "data": "DATA.BYTE")",
                  "uplink"},
              Row{R"("receive_full": "STAT.RXF", )",
                  R"("receive_full": "STAT.RXF", "transmit_empty": "STAT.TXE", "data": "DATA.WORD")", "log-flash"}}) {
            const std::string to = std::string(from).substr(std::string(role).size());
            const std::string name = std::string(role).substr(0, std::string(role).find(':'));
            const Expected<Device> device = sedgeWith({{from, to}});
            QVERIFY(device.ok());
            const std::vector<LintRemark> remarks = lint(*device);
            QCOMPARE(remarks.size(), size_t(1));
            QVERIFY2(remarks.front().check == "role-missing" && remarks.front().text.find(name) != std::string::npos,
                     remarks.front().text.c_str());
            const auto s = runOn(*device);
            QVERIFY2(s->count(Finding::Severity::Error) > 0, "the plan is not clean");
            QVERIFY(findingsText(*s).find("lacks the role " + name) != std::string::npos);
            for (const SourceFile& file : s->source().files)
                QVERIFY2(file.name.find(std::string(need) == "uplink" ? "uplink" : "log_flash") == std::string::npos,
                         file.name.c_str());
            QTemporaryDir dir;
            write(*s, folderOf(dir));
            compile(*s, folderOf(dir));
        }
    }

    /// A port with one flag, that a word is through, is served by that.
    void aPortWithOneFlagIsServed()
    {
        const Expected<Device> device =
            sedgeWith({{R"("transmit_empty": "STAT.TXE", "data": "DATA.WORD")", R"("data": "DATA.WORD")"}});
        QVERIFY(device.ok() && lint(*device).empty());
        const auto s = runOn(*device);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const std::string c = s->source().find("sluice_log_flash.c")->text();
        QVERIFY(c.find("STAT_RXF") != std::string::npos && c.find("STAT_TXE") == std::string::npos);
        // Somebody who only follows must be told when there is room.
        const auto target = runOn(*device, with(demo(), SetGoal{"log-flash", "role", "peripheral"}));
        QVERIFY2(findingsText(*target).find("\"transmit_empty\"") != std::string::npos, findingsText(*target).c_str());
    }

    void codesOfAPortAreTheFilesOwn()
    {
        // Named values say the codes, whatever their order.
        const auto swapped = runOn(sedgeWith({{R"("values": { "none": 0, "up": 1, "down": 2 })",
                                               R"("values": { "down": 1, "up": 2, "none": 0 })"}}),
                                   with(demo(), SetPin{"uplink", "rx", "pull", "up"}));
        const auto plain = run(with(demo(), SetPin{"uplink", "rx", "pull", "up"}));
        const std::string pad = plain->plan.need("uplink")->binding.pads.at("rx");
        const Pad& facts = plain->device->pads[plain->device->findPad(pad)];
        const std::string field =
            plain->device->instances[facts.port].name + ".CFG" + std::to_string(facts.bit) + ".PULL";
        QCOMPARE(codeOf(*plain, field.c_str()), 1u);
        QCOMPARE(codeOf(*swapped, field.c_str()), 2u);
        // So does an encoding: none 3, up 0, down 1.
        const auto encoded = runOn(
            sedgeWith({{R"("pull": "CFG{bit}.PULL")",
                        R"("pull": { "field": "CFG{bit}.PULL", "encoding": { "table": [[0, 3], [1, 0], [2, 1]] } })"}}),
            with(demo(), SetPin{"uplink", "rx", "pull", "up"}));
        QCOMPARE(codeOf(*encoded, field.c_str()), 0u);
        // A pull that the field has no code for is a finding, not another pull.
        const auto upOnly = runOn(
            sedgeWith({{R"("values": { "none": 0, "up": 1, "down": 2 })", R"("values": { "none": 0, "up": 1 })"}}),
            with(demo(), SetPin{"uplink", "rx", "pull", "down"}));
        QVERIFY2(findingsText(*upOnly).find("no code for it") != std::string::npos, findingsText(*upOnly).c_str());
        // Names that mean nothing to a port are told.
        QVERIFY(
            !sedgeWith({{R"("values": { "none": 0, "up": 1, "down": 2 })", R"("values": { "a": 0, "b": 1, "c": 2 })"}})
                 .ok());
    }

    void parityIsWhatTheFieldCallsIt()
    {
        const std::string given = R"("values": { "none": 0, "even": 1, "odd": 2 })";
        const auto other = sedgeWith({{given, R"("values": { "none": 3, "odd": 1, "even": 2 })"}});
        for (const auto& [frame, before, after] : {std::tuple{"8N1", 0u, 3u}, {"8E1", 1u, 2u}, {"8O1", 2u, 1u}}) {
            const LoadedPlan work = with(demo(), SetGoal{"uplink", "frame", frame});
            const std::string field = work.plan.need("uplink")->binding.instance + ".CTL.PARITY";
            QCOMPARE(codeOf(*run(work), field.c_str()), before);
            QCOMPARE(codeOf(*runOn(other, work), field.c_str()), after);
        }
        // A chip without odd parity: a finding.
        const auto evenOnly = runOn(sedgeWith({{given, R"("values": { "none": 0, "even": 1 })"}}),
                                    with(demo(), SetGoal{"uplink", "frame", "8O1"}));
        QVERIFY(hasFinding(*evenOnly, "GOAL-03"));
    }

    void spellingsOfARateAreOneRate()
    {
        LoadedPlan work = demo();
        Need second = *work.plan.need("beacon");
        second.id = "beacon-2";
        second.title = "Second beacon";
        second.part.clear();
        second.terminals.clear();
        second.goals.state("frequency", "0.2 kHz");
        second.binding = {};
        second.binding.instance = work.plan.need("beacon")->binding.instance;
        work.plan.needs.push_back(second);
        QVERIFY(!hasFinding(*run(work), "PIN-02"));
        QVERIFY(goalValue(second, "frequency") == goalValue(*work.plan.need("beacon"), "frequency"));
        work.plan.need("beacon-2")->goals.state("frequency", "0.201 kHz");
        QVERIFY(goalValue(*work.plan.need("beacon-2"), "frequency") !=
                goalValue(*work.plan.need("beacon"), "frequency"));
    }

    void unreadableGoalsAreRefusedByTheEdit()
    {
        const Plan plan = demo().plan;
        for (const auto& [goal, text] : {std::pair{"baud", "fast"}, {"frame", "9Q9"}, {"speed", "1"}, {"peer", "-"}}) {
            Need need = *plan.need("uplink");
            need.goals.state(goal, text);
            const auto changed = applied(plan, editOf("x", ReplaceNeed{"uplink", need}));
            QVERIFY(!changed.ok());
            QVERIFY2(changed.problem().message.find("Uplink") == 0, changed.problem().message.c_str());
            need.id = "other";
            QVERIFY(!applied(plan, editOf("x", InsertNeed{0, need})).ok());
        }
    }

    void pagesMadeFromTheKindsAreUpToDate()
    {
        for (const auto& [name, page] :
             {std::pair{"roles", rolesPage()}, {"goals", goalsPage()}, {"rules", rulesPage()}}) {
            const std::string file = fmt::format("{}/docs/formats/{}.md", BINDREL_SOURCE_ROOT, name);
            if (qEnvironmentVariableIsSet("BINDREL_UPDATE"))
                QVERIFY(writeFileAtomically(file, page).ok());
            COMPARE_TEXT(textOf(file), QString::fromStdString(page));
        }
    }
};

BINDREL_TEST(VocabularyTest)
#include "vocabulary_test.moc"
