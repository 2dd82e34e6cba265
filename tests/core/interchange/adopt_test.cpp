// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/field_code.h"
#include "core/field_entry.h"
#include "core/interchange/adopt.h"
#include "core/plan/plan_file.h"
#include "tests/support/fixtures.h"

#include <fmt/format.h>

using namespace bindrel;
using namespace bindrel::test;

/// What registers hold becomes a plan that leaves them so.
class AdoptTest : public QObject {
    Q_OBJECT

    static std::vector<std::string> plans()
    {
        std::vector<std::string> out;
        for (const auto& entry : std::filesystem::directory_iterator(BINDREL_EXAMPLES))
            if (entry.path().extension() == ".bindrel" && entry.path().stem().string().ends_with("-done"))
                out.push_back(entry.path().stem().string());
        std::sort(out.begin(), out.end());
        return out;
    }
    static std::string dumpOf(const Snapshot& s, const char* form)
    {
        std::string out;
        for (const RegisterValue& value : s.image.registers)
            out += fmt::format(fmt::runtime(form), s.device->instances[value.instance].name,
                               s.device->blockOf(value.instance).registers[value.reg].name, value.value,
                               s.device->addressOf(value.instance, value.reg));
        return out;
    }
    static std::shared_ptr<const Snapshot> after(const Snapshot& s, const Edit& edit)
    {
        const Expected<Plan> plan = applied(s.plan, edit);
        if (!plan)
            qFatal("%s", plan.problem().message.c_str());
        return computeSnapshot(s.with(*plan));
    }
    /// Data that a plan configures: where outputs begin.
    static bool isCompare(const Snapshot& s, const FieldRef& ref)
    {
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.bindings.needs[n].instance == ref.instance && whyNotEntered(s, n, ref).empty())
                return true;
        return false;
    }
    /// Fields that are configuration and differ.
    static QStringList differences(const Snapshot& was, const Snapshot& is)
    {
        QStringList out;
        for (const RegisterValue& value : was.image.registers) {
            const Register& reg = was.device->blockOf(value.instance).registers[value.reg];
            for (const FieldIndex f : reg.fields.indices()) {
                const FieldRef ref{value.instance, value.reg, int(f)};
                const std::uint32_t a = reg.fields[f].in(value.value), b = is.image.codeOf(*is.device, ref);
                if (a != b && reg.fields[f].keepsWrites() &&
                    (whyNotByHand(*was.device, ref).empty() || isCompare(was, ref)))
                    out << QString("%1: %2, not %3").arg(QString::fromStdString(was.device->nameOf(ref))).arg(b).arg(a);
            }
        }
        return out;
    }

private Q_SLOTS:
    void aPlanSaysItsOwnRegisters()
    {
        for (const std::string& name : plans()) {
            const auto s = run(demo(name));
            const Expected<RegisterDump> dump = readRegisterDump(*s->device, dumpOf(*s, "{0}.{1} = 0x{2:X}\n"));
            QVERIFY2(dump.ok(), name.c_str());
            QVERIFY(dump->notUnderstood.empty());
            const Adoption adoption = adoptRegisters(*s, *dump);
            std::string told;
            for (const std::string& line : adoption.taken)
                told += line + "\n";
            QVERIFY2(adoption.edit.changes.empty(), (name + ": " + told).c_str());
            QVERIFY2(adoption.left.empty(),
                     (name + ": " + (adoption.left.empty() ? "" : adoption.left.front())).c_str());
        }
    }

    /// Clocks, pads and goals gone, needs still there: the registers bring all of it back.
    void registersBringThePlanBack_data()
    {
        QTest::addColumn<QString>("plan");
        for (const std::string& name : plans())
            QTest::newRow(name.c_str()) << QString::fromStdString(name);
    }
    void registersBringThePlanBack()
    {
        QFETCH(QString, plan);
        const auto s = run(demo(plan.toStdString()));
        LoadedPlan bare = demo(plan.toStdString());
        bare.plan.clocks.clear();
        bare.plan.range.clear();
        bare.plan.holds.clear();
        for (Need& need : bare.plan.needs) {
            need.pins.clear();
            for (const auto& [goal, text] : Goals::Texts(need.goals.texts())) {
                const GoalSpec::Type type = findKind(need.kind)->goal(goal)->type;
                if (type == GoalSpec::Type::Baud || type == GoalSpec::Type::BitRate ||
                    type == GoalSpec::Type::Frequency || type == GoalSpec::Type::Ratio)
                    need.goals.erase(goal);
            }
        }
        const auto start = run(bare);
        const Expected<RegisterDump> dump = readRegisterDump(*s->device, dumpOf(*s, "{3:#x} {2:#010x}\n"));
        QVERIFY(dump.ok());
        const Adoption adoption = adoptRegisters(*start, *dump);
        const auto then = after(*start, adoption.edit);
        const QStringList still = differences(*s, *then);
        for (const std::string& line : adoption.left)
            qDebug("left: %s", line.c_str());
        QVERIFY2(still.isEmpty(), qPrintable(still.join("\n")));
        const Expected<Plan> back = applied(then->plan, inverse(start->plan, adoption.edit));
        QVERIFY(back.ok());
        QCOMPARE(planText(*back), planText(start->plan));
    }

    /// A chip that nothing is known of beside its registers: every field that is not taken over is told.
    void aBareChip()
    {
        for (const std::string& name : plans()) {
            const auto s = run(demo(name));
            LoadedPlan bare = demo(name);
            bare.plan.clocks.clear();
            bare.plan.range.clear();
            bare.plan.holds.clear();
            bare.plan.needs.clear();
            const auto start = run(bare);
            const Expected<RegisterDump> dump = readRegisterDump(*s->device, dumpOf(*s, "{0} {1} {2}\n"));
            QVERIFY(dump.ok());
            const Adoption adoption = adoptRegisters(*start, *dump);
            const auto then = after(*start, adoption.edit);
            const QStringList still = differences(*s, *then);
            QVERIFY2(size_t(still.size()) <= adoption.left.size(), name.c_str());
            QVERIFY2(!then->plan.needs.empty(), name.c_str());
            int fields = 0;
            for (const RegisterValue& value : s->image.registers)
                fields += int(value.fields.size());
            qDebug("%s: %d of %d fields are not taken over, %d needs of %d", name.c_str(), int(still.size()), fields,
                   int(then->plan.needs.size()), int(s->plan.needs.size()));
        }
    }

    void formsOfDumps()
    {
        const auto s = run(demo());
        const Device& device = *s->device;
        const InstanceIndex uart = device.findInstance("UART1");
        const std::uint32_t base = device.addressOf(uart, 0);
        const auto value = [&](const std::string& text, RegisterIndex reg) -> QString {
            const Expected<RegisterDump> dump = readRegisterDump(device, text);
            if (!dump)
                return QString::fromStdString(dump.problem().message);
            const auto at = dump->values.find({uart, reg});
            return at == dump->values.end() ? QString("absent") : QString::number(at->second);
        };
        for (const std::string& text :
             {std::string("UART1.CTL = 0x21"), std::string("uart1 CTL\t33"), std::string("UART1->CTL: 0b100001u"),
              fmt::format("{:#x} 0x21", base), fmt::format("{:#x} <usart+0>:\t0x00000021\t0x00000005", base),
              fmt::format("register,address,reset,value,fields\nUART1.CTL,{:#x},0x0,0x21,ON=1 OVS=2", base),
              std::string("{\"UART1.CTL\": \"0x21\"}"), fmt::format("{{\"{:#x}\": 33}}", base),
              std::string("[{\"name\": \"UART1.CTL\", \"value\": 33}]"),
              std::string("# comment\n\n\"UART1.CTL\";\"0x21\" // more\r\n")})
            QVERIFY2(value(text, 0) == "33", (text + ": " + value(text, 0).toStdString()).c_str());
        QCOMPARE(value(fmt::format("{:#x}: 0x00000021 0x00000005", base), 1), QString("5"));
        QCOMPARE(value(fmt::format("{:#x}: 0x21 0x00 0x00 0x00", base), 0), QString("33"));
        QVERIFY(value("", 0).contains("nothing in it"));
        QVERIFY(value("hello world", 0).contains("nothing in it"));
        QVERIFY(value("{\"UART1.CTL\": ", 0).contains("cannot be read"));
        QVERIFY(value(std::string(10'000, '['), 0).contains("deeper"));
        const Expected<RegisterDump> partly =
            readRegisterDump(device, "UART1.CTL = 0x21\nUART1.CTRL = 5\nUART1.CTL = 0x1FFFFFFFF\n0x10: 1");
        QVERIFY(partly.ok());
        QCOMPARE(partly->notUnderstood.size(), size_t(3));
        QVERIFY(QString::fromStdString(partly->notUnderstood[0]).contains("Line 2"));
        QVERIFY(QString::fromStdString(partly->notUnderstood[1]).contains("does not fit"));
    }
};

BINDREL_TEST(AdoptTest)
#include "adopt_test.moc"
