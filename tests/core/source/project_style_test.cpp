// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"
#include "core/base/files.h"
#include "core/interchange/register_sheet.h"
#include "core/output/output.h"
#include "core/plan/plan_file.h"
#include "core/rehearsal/compile.h"
#include "core/rehearsal/program_size.h"
#include "core/source/writer.h"
#include "tests/support/random_plans.h"
#include "tests/support/rehearse.h"

#include <QProcess>
#include <QRegularExpression>
#include <QStandardPaths>
#include <QTemporaryDir>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The C in the shapes that a team can ask for: as tables, in other editions of the language, with all needs in one
/// file, and without the needs that the team's own code drives.
class ProjectStyleTest : public QObject {
    Q_OBJECT

    static constexpr const char* kPlans[] = {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done",
                                             "ditch-meter-d-done"};

    static bool isLong() { return qEnvironmentVariableIsSet("BINDREL_LONG"); }
    static void plans()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : kPlans)
            QTest::newRow(plan) << plan;
    }
    static LoadedPlan styled(const LoadedPlan& work, ProjectLayout::Style style,
                             ProjectLayout::Standard standard = ProjectLayout::Standard::C11,
                             ProjectLayout::NeedFiles files = ProjectLayout::NeedFiles::Pairs)
    {
        ProjectLayout layout = work.plan.project;
        layout.style = style;
        layout.standard = standard;
        layout.needFiles = files;
        return with(work, SetProject{layout});
    }
    static std::string compiled(const Source& source)
    {
        const QTemporaryDir dir;
        const Outcome outcome = compileSource(source, fs::path(dir.path().toStdString()) / "c");
        return outcome ? std::string() : outcome.problem().text();
    }
    static LoadedPlan without(const LoadedPlan& work, const std::string& id)
    {
        Need need = *work.plan.need(id);
        need.leftOut = true;
        return with(work, ReplaceNeed{id, need});
    }
    static std::string allOf(const Source& source)
    {
        std::string out;
        for (const SourceFile& file : source.files)
            out += file.text();
        return out;
    }
    /// Bytes of code and constants of the linked program, as the tool chain counts them.
    static int textBytes(const Snapshot& s, const char* optimise)
    {
        const QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        for (const SourceFile& file : s.source().files)
            if (!writeFileAtomically(folder / file.name, file.text()))
                return -1;
        QProcess make;
        make.setWorkingDirectory(dir.path());
        make.setProcessChannelMode(QProcess::MergedChannels);
        make.start("sh", {"-c", QString("make OPTIMISE=%1 && %2size build-make/*.elf")
                                    .arg(optimise, QString::fromStdString(s.device->core().toolPrefix))});
        if (!make.waitForFinished(120'000) || make.exitCode() != 0)
            return -1;
        return make.readAll().trimmed().split('\n').last().trimmed().split('\t').first().trimmed().toInt();
    }

private Q_SLOTS:
    void tablesDoTheSameWrites_data() { plans(); }
    /// The machine code of the rows does what is planned, register by register, in that order; in every plan that ships
    /// and with the needs elsewhere.
    void tablesDoTheSameWrites()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = styled(demo(plan.toStdString()), ProjectLayout::Style::Table);
        const auto s = run(work);
        const std::string all = allOf(s->source());
        QVERIFY(all.find("_table_run(rows)") != std::string::npos);
        const std::string trouble = rehearsed(*s);
        QVERIFY2(trouble.empty(), trouble.c_str());
        for (unsigned seed = 0; seed < (isLong() ? 40u : 1u); ++seed) {
            const auto other = run(shuffled(work, 100 + seed));
            if (other->count(Finding::Severity::Error) > 0)
                continue;
            const std::string wrong = rehearsed(*other);
            QVERIFY2(wrong.empty(), wrong.c_str());
        }
    }

    /// Each line of a row leads to its step and its decision, as a statement does.
    void rowsHaveTraces()
    {
        const auto s = run(styled(demo(), ProjectLayout::Style::Table));
        const auto steps = [](const Source& source) {
            std::set<const Step*> out;
            for (const SourceFile& file : source.files)
                for (const SourceLine& line : file.lines)
                    if (line.step)
                        out.insert(line.step);
            return out;
        };
        const auto plain = run(demo());
        QCOMPARE(steps(s->source()).size(), steps(plain->source()).size());
        for (const SourceFile& file : s->source().files)
            for (const SourceLine& line : file.lines)
                QVERIFY(!line.step || line.trace >= 0);
    }

    void everyEditionCompiles_data() { plans(); }
    /// With all warnings as errors, in both styles, with the needs apart and together.
    void everyEditionCompiles()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = demo(plan.toStdString());
        using Layout = ProjectLayout;
        for (const auto& [style, standard, files] :
             {std::tuple{Layout::Style::Readable, Layout::Standard::C99, Layout::NeedFiles::One},
              {Layout::Style::Table, Layout::Standard::C99, Layout::NeedFiles::Pairs},
              {Layout::Style::Readable, Layout::Standard::C17, Layout::NeedFiles::Pairs},
              {Layout::Style::Table, Layout::Standard::C23, Layout::NeedFiles::One}}) {
            if (!isLong() && standard == Layout::Standard::C17)
                continue;
            const auto s = run(styled(work, style, standard, files));
            const std::string wrong = compiled(s->source());
            QVERIFY2(wrong.empty(), wrong.c_str());
            const std::string all = allOf(s->source());
            QCOMPARE(all.find("_Static_assert") == std::string::npos, standard == Layout::Standard::C99);
        }
    }

    /// An assertion of C99 refuses what one of C11 refuses.
    void assertionsOfOldCRefuse()
    {
        Source source = run(styled(demo(), ProjectLayout::Style::Readable, ProjectLayout::Standard::C99))->source();
        QVERIFY(compiled(source).empty());
        for (SourceFile& file : source.files)
            for (SourceLine& line : file.lines)
                if (line.text.starts_with("#define SLUICE_UPLINK_BAUD "))
                    line.text = "#define SLUICE_UPLINK_BAUD 1234u";
        QVERIFY(compiled(source).find("negative") != std::string::npos);
    }

    void oneFileHasAll()
    {
        const LoadedPlan work = demo();
        const auto pairs = run(work);
        const auto one = run(
            styled(work, ProjectLayout::Style::Readable, ProjectLayout::Standard::C11, ProjectLayout::NeedFiles::One));
        QVERIFY(one->source().find("sluice_needs.c") && one->source().find("sluice_needs.h"));
        QVERIFY(!one->source().find("sluice_uplink.c"));
        // Every function and every keep region of the pairs is there, once.
        const QString text = QString::fromStdString(allOf(one->source()));
        static const QRegularExpression function("^\\w[\\w \\*]*?(\\w+)\\([^;]*$", QRegularExpression::MultilineOption),
            region("/\\*~ keep \\w+ \\*/");
        for (const SourceFile& file : pairs->source().files) {
            if (!file.name.ends_with(".c"))
                continue;
            const QString own = QString::fromStdString(file.text());
            for (const QRegularExpression& pattern : {function, region})
                for (auto found = pattern.globalMatch(own); found.hasNext();) {
                    const QString what = found.next().captured();
                    if (!what.startsWith("static"))
                        QVERIFY2(text.contains(what), qPrintable(what));
                }
        }
        const std::string board = one->source().find("sluice_board.c")->text();
        QCOMPARE(QString::fromStdString(board).count("#include \"sluice_needs.h\""), 1);
        const std::string trouble = rehearsed(*one);
        QVERIFY2(trouble.empty(), trouble.c_str());
    }

    void needsAreLeftOut_data() { plans(); }
    /// Without any one of its needs, and without any one kind, a project compiles, names what is left, and the rest
    /// comes up as planned; the rehearsal has all of them.
    void needsAreLeftOut()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = demo(plan.toStdString());
        const auto whole = run(work);
        std::set<std::string> kindsTried;
        std::vector<LoadedPlan> cases;
        for (NeedIndex n = 0; n < int(work.plan.needs.size()); n = int(n) + (isLong() ? 1 : 9))
            cases.push_back(without(work, work.plan.needs[n].id));
        for (const Need& need : work.plan.needs)
            if (kindsTried.insert(need.kind).second && (isLong() || kindsTried.size() % 7 == 1))
                cases.push_back(with(work, SetLeftOut{{}, {need.kind}}));
        for (const LoadedPlan& one : cases) {
            const auto s = run(one);
            const std::string board = allOf(s->source());
            for (const NeedIndex n : s->plan.needs.indices()) {
                const Names names = namesFor(s->facts(), coreOf(s->facts(), n));
                if (!hasFiles(s->facts(), names, n))
                    continue;
                const bool out = s->plan.leavesOut(s->plan.needs[n]);
                QCOMPARE(s->source().find(names.path(n, ".c")) == nullptr, out);
                if (out)
                    QVERIFY(board.find(commentText(s->plan.needs[n].title)) != std::string::npos);
            }
            if (s->count(Finding::Severity::Error) == 0) {
                const std::string wrong = compiled(s->source());
                QVERIFY2(wrong.empty(), wrong.c_str());
            }
            QCOMPARE(makeWholeSource(s->facts()).files.size(), whole->source().files.size());
            const Rehearsal planned = rehearsePlanned(s->facts(), {});
            QVERIFY2(planned.hazards.empty() && planned.gaveUp.empty(), hazardsText(planned).c_str());
            // The plan's file keeps it.
            const Expected<LoadedPlan> again = parsePlan(planText(s->plan), "again", library());
            QVERIFY(again && again->plan == s->plan);
        }
        // What is written of a plan that leaves out every other need runs as machine code and touches nothing of
        // theirs.
        LoadedPlan half = work;
        for (NeedIndex n = 0; n < int(half.plan.needs.size()); n = int(n) + 2)
            half.plan.needs[n].leftOut = true;
        for (Need& need : half.plan.needs)
            need.goals.erase("toggles");
        const auto s = run(half);
        const QTemporaryDir folder;
        const Expected<Rehearsal> machine =
            rehearseMachineCode(s->facts(), makeWholeSource(s->facts()), {}, folder.path().toStdString());
        QVERIFY2(machine.ok(), machine.ok() ? "" : machine.problem().text().c_str());
        QVERIFY2(machine->hazards.empty(), hazardsText(*machine).c_str());
        const std::string wrong = compiled(s->source());
        QVERIFY2(wrong.empty(), wrong.c_str());
    }

    /// A clock gate that several needs use is opened by one that is written, not by one that is left out.
    void sharedGatesAreOpenedByTheWritten()
    {
        for (const char* plan : kPlans) {
            const LoadedPlan work = demo(plan);
            for (const Need& need : work.plan.needs) {
                const auto s = run(without(work, need.id));
                // Bits that are set in the whole bring-up and that any written need's registers depend on: its gate.
                std::map<std::pair<InstanceIndex, RegisterIndex>, std::uint32_t> open;
                for (const Step& step : s->image.steps)
                    if (step.need < 0 || !s->plan.leavesOut(s->plan.needs[step.need]))
                        if (step.kind == Step::Kind::Write || step.kind == Step::Kind::Update)
                            open[{step.instance, step.reg}] |= step.value;
                for (const NeedIndex n : s->plan.needs.indices()) {
                    const BoundNeed& bound = s->bindings.needs[n];
                    if (bound.instance < 0 || s->plan.leavesOut(s->plan.needs[n]))
                        continue;
                    const FieldCode& gate = s->device->instances[bound.instance].gate;
                    if (!gate.valid() || s->device->resetCode(gate.ref) == gate.code || gate.code == 0)
                        continue;
                    if (!hasFiles(s->facts(), namesFor(s->facts(), coreOf(s->facts(), n)), n))
                        continue;
                    const std::uint32_t bits = s->device->fieldOf(gate.ref).at(gate.code);
                    QVERIFY2((open[{gate.ref.instance, gate.ref.reg}] & bits) == bits,
                             (need.id + " left out, " + s->plan.needs[n].id + " not clocked").c_str());
                }
            }
        }
    }

    void whatIsLeftOutIsSaid()
    {
        const LoadedPlan work = demo();
        const auto s = run(without(work, "uplink"));
        const std::string board = s->source().find("sluice_board.c")->text();
        QVERIFY(board.find("your own code initialises: Uplink (UART1)") != std::string::npos);
        QVERIFY(s->source().find("main.c")->text().find("uplink") == std::string::npos);
        QVERIFY(s->source().find("sluice_project.md")->text().find("Uplink (your own code)") != std::string::npos);
        // An output that an interrupt is to toggle cannot be left out alone.
        const Expected<Edit> own = readAssignment(work, "uplink.leave_out=yes");
        QVERIFY(own.ok());
        QCOMPARE(applied(work.plan, *own)->need("uplink")->leftOut, true);
        QVERIFY(!readAssignment(work, "uplink.leave_out=perhaps").ok());
        QVERIFY(readAssignment(work, "leave_out=kind uart, main").ok());
        const Expected<Edit> wrong = readAssignment(work, "leave_out=kind uarrt");
        QVERIFY(!wrong.ok() && wrong.problem().message.find("\"kind uart\"") != std::string::npos);
    }

    void analysersAreClean_data() { plans(); }
    /// What docs/project.md names: another compiler, and two analysers, in both styles.
    void analysersAreClean()
    {
        QFETCH(QString, plan);
        if (QStandardPaths::findExecutable("cppcheck").isEmpty() || QStandardPaths::findExecutable("clang").isEmpty())
            QSKIP("cppcheck or clang is not installed here");
        for (const ProjectLayout::Style style : {ProjectLayout::Style::Readable, ProjectLayout::Style::Table}) {
            const auto s = run(styled(demo(plan.toStdString()), style));
            const QTemporaryDir dir;
            const fs::path folder = fs::path(dir.path().toStdString());
            for (const SourceFile& file : s->source().files)
                QVERIFY(writeFileAtomically(folder / file.name, file.text()));
            const auto ran = [&dir](const QString& command) {
                QProcess shell;
                shell.setWorkingDirectory(dir.path());
                shell.setProcessChannelMode(QProcess::MergedChannels);
                shell.start("sh", {"-c", command});
                if (!shell.waitForFinished(240'000))
                    return QByteArray("did not end");
                return shell.exitCode() == 0 ? QByteArray() : shell.readAll();
            };
            const QByteArray checked =
                ran("cppcheck --enable=warning,performance,portability --std=c11 --quiet --error-exitcode=1 *.c");
            QVERIFY2(checked.isEmpty(), checked.constData());
            for (const CoreIndex core : s->device->cores.indices()) {
                const Source::Program& program = s->source().programs[std::size_t(int(core))];
                QStringList units;
                for (const std::string& unit : program.units)
                    units << QString::fromStdString(unit);
                const bool arm = s->device->cores[core].architecture == Core::Architecture::ArmM;
                const QString target =
                    arm ? QString("--target=arm-none-eabi -mthumb ") +
                              QString::fromStdString(joined(s->device->cores[core].compilerFlags, " "))
                        : QString("--target=riscv32-unknown-elf -march=rv32imac -mabi=ilp32");
                const QByteArray built =
                    ran(QString("clang %1 -std=c11 -ffreestanding -O2 -Wall -Wextra -Wconversion -Wshadow -pedantic "
                                "-Werror -fsyntax-only %2")
                            .arg(target, units.join(' ')));
                QVERIFY2(built.isEmpty(), built.constData());
                if (core > 0 || style == ProjectLayout::Style::Table || (!isLong() && !plan.startsWith("ditch")) ||
                    QStandardPaths::findExecutable("clang-tidy").isEmpty())
                    continue;
                const QByteArray tidy =
                    ran(QString("clang-tidy -quiet -warnings-as-errors='*' "
                                "-checks='-*,bugprone-*,clang-analyzer-*,-bugprone-easily-swappable-parameters,"
                                "-clang-analyzer-core.FixedAddressDereference' %2 -- %1 -std=c11 -ffreestanding")
                            .arg(target, units.join(' ')));
                QVERIFY2(tidy.isEmpty(), tidy.constData());
            }
        }
    }

    void valuesForOwnDrivers_data() { plans(); }
    /// A header by itself that a compiler takes, with each register of the image once; table and JSON say the same.
    void valuesForOwnDrivers()
    {
        QFETCH(QString, plan);
        const auto s = run(demo(plan.toStdString()));
        const std::string text = registerSheetHeader(s->facts());
        const QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        std::string user = "#include \"values.h\"\n#include <stdint.h>\nconst uint32_t all[][3] = {\n";
        const QRegularExpression address("^#define (\\w+)_ADDRESS 0x([0-9A-F]{8})u$",
                                         QRegularExpression::MultilineOption);
        const QString page = QString::fromStdString(text);
        std::map<std::uint32_t, std::uint32_t> said;
        for (auto found = address.globalMatch(page); found.hasNext();) {
            const QRegularExpressionMatch one = found.next();
            const std::string name = one.captured(1).toStdString();
            user += fmt::format("    {{{0}_ADDRESS, {0}_VALUE, {0}_MASK}},\n", name);
            const QRegularExpressionMatch value =
                QRegularExpression("#define " + one.captured(1) + "_VALUE 0x([0-9A-F]{8})u").match(page);
            said[one.captured(2).toUInt(nullptr, 16)] = value.captured(1).toUInt(nullptr, 16);
        }
        user += "};\n";
        QCOMPARE(said.size(), s->image.registers.size());
        for (const RegisterValue& value : s->image.registers)
            QCOMPARE(said.at(s->device->addressOf(value.instance, value.reg)), value.value);
        QVERIFY(writeFileAtomically(folder / "values.h", text) && writeFileAtomically(folder / "user.c", user));
        QProcess compiler;
        compiler.setWorkingDirectory(dir.path());
        compiler.setProcessChannelMode(QProcess::MergedChannels);
        compiler.start(QString::fromStdString(s->device->core().toolPrefix) + "gcc",
                       {"-std=c99", "-ffreestanding", "-Wall", "-Wextra", "-pedantic", "-Werror", "-c", "user.c"});
        QVERIFY(compiler.waitForFinished(60'000));
        QVERIFY2(compiler.exitCode() == 0, compiler.readAll().constData());
        const std::string csv = registerSheetCsv(s->facts()), json = registerSheetJson(s->facts());
        for (const RegisterRow& row : registerRows(s->facts()))
            QVERIFY(csv.find(row.name) != std::string::npos && json.find("\"" + row.value + "\"") != std::string::npos);
    }

    void sectionsHoldTheirVariables_data() { plans(); }
    /// A variable that keeps its value lies outside of what the start-up code writes; a buffer for DMA is zeroed and
    /// has whole words of its own; the heap and the stack begin behind both.
    void sectionsHoldTheirVariables()
    {
        QFETCH(QString, plan);
        LoadedPlan work = demo(plan.toStdString());
        work = with(work, SetText{SetText::What::Heap, "1 KiB"});
        const auto s = run(work);
        const std::string PREFIX = namesFor(s->facts(), 0).PREFIX.text(), p = s->source().prefix;
        const std::string board = s->source().find(p + "_board.h")->text();
        const bool streams = board.find(PREFIX + "_DMA_BUFFER") != std::string::npos;
        const QTemporaryDir dir;
        const fs::path folder = fs::path(dir.path().toStdString());
        std::string text =
            fmt::format("#include \"{0}_board.h\"\nvolatile uint32_t kept {1}_NOT_INITIALISED;\n", p, PREFIX);
        if (streams)
            text += fmt::format("volatile uint8_t odd[3];\nvolatile uint8_t buffer[5] {}_DMA_BUFFER;\n", PREFIX);
        text +=
            fmt::format("int main(void)\n{{\n    (void){0}_bring_up();\n    kept++;\n{1}    for (;;) {{\n    }}\n}}\n",
                        p, streams ? "    odd[1] = 1u;\n    buffer[4] = odd[2];\n" : "");
        for (const SourceFile& file : s->source().files)
            QVERIFY(writeFileAtomically(folder / file.name, file.name == "main.c" ? text : file.text()));
        QProcess make;
        make.setWorkingDirectory(dir.path());
        make.setProcessChannelMode(QProcess::MergedChannels);
        make.start("sh",
                   {"-c", QString("make && %1nm build-make/%2.elf")
                              .arg(QString::fromStdString(s->device->core().toolPrefix), QString::fromStdString(p))});
        QVERIFY(make.waitForFinished(120'000));
        const QByteArray said = make.readAll();
        QVERIFY2(make.exitCode() == 0, said.constData());
        const auto at = [&said](const std::string& symbol) {
            const QRegularExpressionMatch found =
                QRegularExpression("^([0-9a-f]+) . " + QString::fromStdString(symbol) + "$",
                                   QRegularExpression::MultilineOption)
                    .match(QString::fromUtf8(said));
            return found.hasMatch() ? found.captured(1).toUInt(nullptr, 16) : 0u;
        };
        const unsigned kept = at("kept"), zeroed = at(p + "_bss_start"), end = at(p + "_bss_end");
        QVERIFY(kept != 0 && zeroed != 0 && end >= zeroed);
        QVERIFY(kept >= at(p + "_data_end") && (kept + 4 <= zeroed || kept >= end));
        QVERIFY(at(p + "_heap_start") >= std::max(end, kept + 4));
        if (streams) {
            const unsigned buffer = at("buffer"), odd = at("odd");
            QVERIFY(buffer >= zeroed && buffer + 8 <= end && buffer % 4 == 0);
            QVERIFY(odd >= buffer + 8 || odd + 3 <= buffer);
        }
    }

    /// In less flash, where the bring-up is long enough to pay for the function that goes through the rows; the figures
    /// are in docs/project.md.
    void tablesAreSmaller()
    {
        for (const char* optimise : {"-Os"})
            for (const char* plan : {"sluice-node-c-done", "ditch-meter-d-done"}) {
                const int readable = textBytes(*run(demo(plan)), optimise),
                          table = textBytes(*run(styled(demo(plan), ProjectLayout::Style::Table)), optimise);
                qInfo("%s %s: %d readable, %d table", plan, optimise, readable, table);
                QVERIFY(readable > 0 && table > 0);
                QVERIFY2(table < readable, plan);
            }
    }
};

BINDREL_TEST(ProjectStyleTest)
#include "project_style_test.moc"
