// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/output/tree_format.h"
#include "core/rehearsal/compile.h"
#include "core/source/keep_regions.h"
#include "core/source/seal.h"
#include "tests/support/output_fixture.h"

#include <QStandardPaths>

#include <random>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The C in the layout of the tree that it is written to, by the tree's .clang-format.
class TreeFormatTest : public QObject, public OutputFixture {
    Q_OBJECT

    static constexpr const char* kNarrow = "BasedOnStyle: LLVM\nIndentWidth: 2\nColumnLimit: 70\n";
    static constexpr const char* kTabs = "BasedOnStyle: Google\nUseTab: Always\nIndentWidth: 8\nTabWidth: 8\n"
                                         "BreakBeforeBraces: Allman\nColumnLimit: 100\nSortIncludes: CaseSensitive\n";

    static bool isInstalled() { return !QStandardPaths::findExecutable("clang-format").isEmpty(); }
    static std::string bare(const std::string& text)
    {
        std::string out;
        for (const char c : text)
            if (c != ' ' && c != '\n' && c != '\t' && c != '*' && c != '\\')
                out += c;
        return out;
    }
    static void writeFormatted(const Snapshot& s, const fs::path& folder)
    {
        const TreeFormatted formatted = inTreeFormat(s.source(), folder);
        QVERIFY2(formatted.trouble.empty(), formatted.trouble.c_str());
        const Expected<OutputPreview> preview = previewOutput(formatted.source, folder);
        QVERIFY2(preview.ok(), preview.ok() ? "" : preview.problem().text().c_str());
        const auto done = writeOutput(formatted.source, folder, *preview);
        QVERIFY2(done.ok(), done.ok() ? "" : done.problem().text().c_str());
    }

private Q_SLOTS:
    void initTestCase()
    {
        if (!isInstalled())
            QSKIP("clang-format is not installed here");
    }

    void theTreeDecides_data()
    {
        QTest::addColumn<QString>("plan");
        QTest::addColumn<QString>("style");
        for (const char* plan : {"sluice-node-c-done", "ditch-meter-d-done"})
            for (const char* style : {kNarrow, kTabs})
                QTest::addRow("%s %s", plan, style == kNarrow ? "narrow" : "tabs") << plan << style;
    }
    /// The same C, laid out otherwise: it compiles, each file knows that nobody has edited it, each line its decision,
    /// and a second write finds nothing to do.
    void theTreeDecides()
    {
        QFETCH(QString, plan);
        QFETCH(QString, style);
        QTemporaryDir dir;
        const fs::path root = fs::path(dir.path().toStdString());
        put(root / ".clang-format", style.toStdString());
        const auto s = run(demo(plan.toStdString()));
        const fs::path folder = root / "firmware" / "board";
        QVERIFY(hasTreeFormat(s->source(), folder));
        const TreeFormatted formatted = inTreeFormat(s->source(), folder);
        QVERIFY2(formatted.trouble.empty(), formatted.trouble.c_str());
        QCOMPARE(formatted.source.files.size(), s->source().files.size());
        int changed = 0;
        std::set<const Step*> before, after;
        for (std::size_t i = 0; i < formatted.source.files.size(); ++i) {
            const SourceFile &plain = s->source().files[i], &laid = formatted.source.files[i];
            const std::string text = laid.text();
            changed += text != plain.text();
            if (!laid.name.ends_with(".c") && !laid.name.ends_with(".h"))
                QCOMPARE(text, plain.text());
            else if (laid.owner == SourceFile::Owner::Generated)
                QVERIFY2(isUntouched(text), laid.name.c_str());
            const auto regions = keepRegions(text), plainRegions = keepRegions(plain.text());
            QVERIFY(regions.ok() && plainRegions.ok() && regions->size() == plainRegions->size());
            for (const SourceLine& line : plain.lines)
                before.insert(line.step);
            for (const SourceLine& line : laid.lines) {
                after.insert(line.step);
                QVERIFY(line.trace < int(laid.traces.size()));
                // A line that does a step names a word of it.
                if (!line.step)
                    continue;
                const std::string own = bare(line.text);
                const bool known = std::any_of(plain.lines.begin(), plain.lines.end(), [&](const SourceLine& other) {
                    return other.step == line.step && !own.empty() &&
                           (bare(other.text).find(own.substr(0, 12)) != std::string::npos ||
                            own.find(bare(other.text).substr(0, 12)) != std::string::npos);
                });
                QVERIFY2(known, (laid.name + ": " + line.text).c_str());
            }
        }
        QVERIFY(changed > 5);
        for (const SourceFile& file : s->source().files)
            for (const SourceLine& line : file.lines)
                QVERIFY2(after.contains(line.step), (file.name + ": " + line.text).c_str());
        writeFormatted(*s, folder);
        for (const FileChange& change : previewOutput(inTreeFormat(s->source(), folder).source, folder)->files)
            QVERIFY2(change.state == FileChange::State::Same || change.state == FileChange::State::Yours,
                     change.name.c_str());
        compile(*s, folder);
        // What is written is what the formatter makes of it: nothing is left for it to do but in the heads.
        const std::string text = textOf(folder / (s->source().prefix + "_pins.c"));
        QVERIFY(text.find(style.contains("Always") ? "\n\t" : "\n  /*") != std::string::npos);
    }

    void thePlanCanForbidIt()
    {
        QTemporaryDir dir;
        const fs::path root = fs::path(dir.path().toStdString());
        put(root / ".clang-format", kNarrow);
        LoadedPlan work = demo();
        work.plan.project.formatting = ProjectLayout::Formatting::AsWritten;
        const auto s = run(work);
        QVERIFY(!hasTreeFormat(s->source(), root / "out"));
        const TreeFormatted as = inTreeFormat(s->source(), root / "out");
        for (std::size_t i = 0; i < as.source.files.size(); ++i)
            QCOMPARE(as.source.files[i].text(), s->source().files[i].text());
    }

    /// What cannot be applied is told, and the C stays as it is.
    void troubleIsTold()
    {
        QTemporaryDir dir;
        const fs::path root = fs::path(dir.path().toStdString());
        const auto s = run(demo());
        put(root / ".clang-format", "BasedOnStyle: Nobody\n");
        const TreeFormatted wrong = inTreeFormat(s->source(), root / "out");
        QVERIFY2(wrong.trouble.find("could not apply") != std::string::npos, wrong.trouble.c_str());
        QCOMPARE(wrong.source.files[0].text(), s->source().files[0].text());
        put(root / ".clang-format", std::string(kNarrow) + "# another\n");
        const QByteArray path = qgetenv("PATH");
        qputenv("PATH", root.c_str());
        const TreeFormatted missing = inTreeFormat(s->source(), root / "out");
        qputenv("PATH", path);
        QVERIFY2(missing.trouble.find("install the package clang-format") != std::string::npos,
                 missing.trouble.c_str());
        // The nearest counts, and one that says so lays out nothing.
        put(root / "out" / ".clang-format", "DisableFormat: true\n");
        const TreeFormatted off = inTreeFormat(s->source(), root / "out");
        QVERIFY(off.trouble.empty());
        QCOMPARE(off.source.find("sluice_pins.c")->text(), s->source().find("sluice_pins.c")->text());
    }

    /// A user's tree with its own folders, names and formatter: the plan changes 200 times, somebody types between the
    /// writes, and every word that was typed is still there.
    void twoHundredRegenerations()
    {
        QTemporaryDir dir;
        const fs::path root = fs::path(dir.path().toStdString());
        put(root / ".clang-format", kTabs);
        const fs::path folder = root / "team";
        LoadedPlan base = demo();
        base.plan.project.sources = "src";
        base.plan.project.headers = "inc";
        base.plan.project.fileNames = ProjectLayout::FileNames::Hyphens;
        base.plan.project.lineEnds = ProjectLayout::LineEnds::CrLf;
        base.plan.project.notice = "Sluice Works\nAll of it ours";
        std::vector<std::shared_ptr<const Snapshot>> plans;
        for (const LoadedPlan& work :
             {base, with(base, SetGoal{"uplink", "baud", "57600"}), with(base, SetBinding{"uplink", {}}),
              with(with(base, SetBinding{"beacon", {}}), SetClock{"BUS1", clockSaid("4")}),
              with(base, SetGoal{"beacon", "frequency", "300 Hz"})})
            plans.push_back(run(work));
        std::mt19937 random(seeded(77));
        std::vector<std::string> typed;
        int written = 0, conflicts = 0;
        for (int round = 0; round < 200; ++round) {
            const auto& plan = plans[random() % plans.size()];
            const TreeFormatted formatted = inTreeFormat(plan->source(), folder);
            QVERIFY2(formatted.trouble.empty(), formatted.trouble.c_str());
            Settlements settlements;
            Expected<OutputPreview> preview = previewOutput(formatted.source, folder);
            QVERIFY(preview.ok());
            for (const FileChange& change : preview->files)
                for (const MergePiece& piece : change.pieces)
                    if (change.state == FileChange::State::Conflict && !piece.agreed)
                        settlements[change.name][piece.key()] = PieceChoice{PieceChoice::Take::Both, {}};
            if (!settlements.empty()) {
                ++conflicts;
                preview = previewOutput(formatted.source, folder, Ownership::OwnOnly, settlements);
                QVERIFY(preview.ok());
            }
            const auto done = writeOutput(formatted.source, folder, *preview);
            QVERIFY2(done.ok(), done.ok() ? "" : done.problem().text().c_str());
            ++written;
            std::string all;
            for (const auto& [path, text] : treeOf(folder))
                if (path.find("/.bindrel/") == std::string::npos)
                    all += text;
            for (const std::string& mine : typed)
                QVERIFY2(all.find(mine) != std::string::npos,
                         fmt::format("{} is lost in round {}", mine, round).c_str());
            for (const char* name : {"src/sluice-uplink.c", "src/sluice-board.c", "inc/sluice-board.h"}) {
                const fs::path file = folder / name;
                if (!fs::exists(file) || random() % 3)
                    continue;
                std::vector<std::string> lines = splitted(textOf(file), '\n');
                const std::string mine = fmt::format("/* typed {} */", typed.size());
                std::size_t into = random() % lines.size();
                for (std::size_t i = 0; i < lines.size(); ++i)
                    if (random() % 2 && lines[i].find("/*~ keep") != std::string::npos)
                        into = i + 1;
                lines.insert(lines.begin() + long(into), mine + "\r");
                put(file, joined(lines, "\n"));
                typed.push_back(mine);
            }
        }
        qInfo("%d writes, %d with conflicts, %zu edits", written, conflicts, typed.size());
        QVERIFY(typed.size() > 100);
    }
};

BINDREL_TEST(TreeFormatTest)
#include "tree_format_test.moc"
