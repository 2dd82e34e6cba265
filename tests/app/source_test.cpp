// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/build_panel.h"
#include "app/source/conflict_view.h"
#include "app/source/file_list.h"
#include "app/source/memory_bars.h"
#include "app/source/search_panel.h"
#include "app/source/source_station.h"
#include "app/source/source_text.h"
#include "app/widgets/change_dialog.h"
#include "app/widgets/scintilla.h"
#include "core/output/backups.h"
#include "tests/support/output_fixture.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QMenuBar>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStandardPaths>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The Source station by real events: the project's layout, a conflict settled place by place, an earlier text that
/// comes back, a build whose error leads to its line.
class SourceTest : public WindowFixture {
    Q_OBJECT

    fs::path folder() const { return dir_->filePath("out").toStdString(); }
    static void put(const fs::path& file, const std::string& text) { QVERIFY(writeFileAtomically(file, text)); }
    void openInFolder(const char* name)
    {
        open(name);
        shortcut(QKeySequence("Ctrl+5"));
        w_->source()->folder()->setText(dir_->filePath("out"));
        Q_EMIT w_->source()->folder()->editingFinished();
        w_->source()->refreshNow();
    }
    void choose(const char* file)
    {
        FileList* list = w_->source()->files();
        QVERIFY2(list->choose(file), file); // scrolls there
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->rowRect(list->currentRow()).center());
        QApplication::processEvents();
        COMPARE_TEXT(w_->source()->shownFile().toStdString(), file);
    }
    static std::string groupOf(MainWindow& window, const char* file)
    {
        return window.document().snapshot().source().find(file)->group;
    }
    FileChange::State state(const char* file) const
    {
        for (const FileChange& change : w_->source()->files()->files())
            if (change.name == file)
                return change.state;
        qFatal("no %s", file);
    }

    /// Tab, until a widget has the focus.
    static bool tabTo(QWidget* target)
    {
        if (!target)
            return false;
        // The offscreen platform does not give the focus back when a dialog closes.
        target->window()->activateWindow();
        (void)QTest::qWaitForWindowActive(target->window());
        for (int i = 0; i < 150; ++i) {
            QWidget* from = QApplication::focusWidget();
            if (from == target)
                return true;
            QTest::keyClick(from ? from : target->window(), Qt::Key_Tab);
        }
        const QWidget* stays = QApplication::focusWidget();
        qWarning("The focus stays in %s.", stays ? stays->metaObject()->className() : "nothing");
        return false;
    }
    /// Goes through the menus by arrow keys, as one who has opened the menu bar does.
    template <typename... Names> void byMenu(const char* top, Names... names)
    {
        QMenu* menu = nullptr;
        for (QAction* action : w_->menuBar()->actions())
            if (action->text().remove('&') == top)
                menu = action->menu();
        QVERIFY(menu);
        menu->popup(w_->mapToGlobal(QPoint(20, 20)));
        for (const QString& name : {QString(names)...}) {
            QMenu* open = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QVERIFY(open);
            for (int i = 0; i < 40; ++i) {
                QTest::keyClick(open, Qt::Key_Down);
                if (open->activeAction() && open->activeAction()->text().remove('&').startsWith(name))
                    break;
            }
            QVERIFY2(open->activeAction() && open->activeAction()->text().remove('&').startsWith(name),
                     qPrintable(name));
            QTest::keyClick(open, open->activeAction()->menu() ? Qt::Key_Right : Qt::Key_Return);
            QApplication::processEvents();
        }
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    /// From a bare chip, in both themes: folders and names typed by keys only; a folder that cannot be is refused
    /// where it is typed.
    void theLayoutIsChosen()
    {
        for (const bool dark : {false, true}) {
            w_->setDark(dark);
            QVERIFY(w_->document().newForDevice("RL1224-Q48"));
            w_->showStation(Station::Source);
            inDialog([this](QWidget* dialog) {
                auto* sources = dialog->findChild<QLineEdit*>("sources_in");
                auto* headers = dialog->findChild<QLineEdit*>("headers_in");
                auto* names = dialog->findChild<QComboBox*>("file_names");
                auto* notice = dialog->findChild<QPlainTextEdit*>("notice");
                QVERIFY(sources && headers && names && notice);
                sources->setFocus();
                QTest::keyClicks(sources, "../up");
                QVERIFY(!button(dialog, "Use this layout")->isEnabled());
                QVERIFY(dialog->findChild<QLabel*>("wrong")->text().contains("../up"));
                sources->selectAll();
                QTest::keyClicks(sources, "src");
                QVERIFY(dialog->findChild<QLabel*>("wrong")->text().isEmpty());
                QTest::keyClick(sources, Qt::Key_Tab);
                QTest::keyClicks(headers, "inc");
                names->setFocus();
                QTest::keyClick(names, Qt::Key_Down);
                for (const char* choice : {"style", "c_standard", "need_files"}) {
                    auto* box = dialog->findChild<QComboBox*>(choice);
                    QVERIFY2(box, choice);
                    box->setFocus();
                    QTest::keyClick(box, Qt::Key_Down);
                }
                notice->setFocus();
                QTest::keyClicks(notice, "Mine");
                QVERIFY2(dialog->findChild<QLabel*>("example")->text().contains("inc/"),
                         qPrintable(dialog->findChild<QLabel*>("example")->text()));
                QTest::mouseClick(button(dialog, "Use this layout"), Qt::LeftButton);
            });
            w_->source()->askForLayout();
            const ProjectLayout& layout = now().plan.project;
            COMPARE_TEXT(layout.sources + " " + layout.headers + " " + layout.notice, "src inc Mine");
            QVERIFY(layout.fileNames == ProjectLayout::FileNames::Hyphens);
            QVERIFY(layout.style == ProjectLayout::Style::Table && layout.standard == ProjectLayout::Standard::C99 &&
                    layout.needFiles == ProjectLayout::NeedFiles::One);
            // Cancelled, nothing changes; one undo takes it all back.
            answer("Cancel");
            w_->source()->askForLayout();
            COMPARE_TEXT(now().plan.project.sources, "src");
            shortcut(QKeySequence("Ctrl+Z"));
            QVERIFY(now().plan.project == ProjectLayout());
        }
        w_->setDark(false);
    }

    /// From a bare chip, in both themes, without a mouse: the folder is typed, the source written, a conflict settled,
    /// a text of before brought back, the project built, a need and a part of the project left out.
    void allOfItByKeysAlone()
    {
        if (QStandardPaths::findExecutable("arm-none-eabi-gcc").isEmpty())
            QSKIP("The compiler is not installed here.");
        for (const bool dark : {false, true}) {
            const QString out = dir_->filePath(dark ? "dark" : "light");
            w_->setDark(dark);
            QVERIFY(w_->document().newForDevice("SE4332-C64"));
            QApplication::processEvents();
            shortcut(QKeySequence("Ctrl+2"));
            for (const char* line : {"uart 115.2k called Uplink", "led called Lamp"}) {
                inDialog([line](QWidget* dialog) {
                    QTest::keyClicks(QApplication::focusWidget(), line);
                    for (int enter = 0; enter < 2 && dialog->isVisible(); ++enter)
                        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
                });
                shortcut(QKeySequence("Ctrl+Shift+A"));
            }
            shortcut(QKeySequence("Ctrl+Shift+B"));
            QTRY_COMPARE(now().bindings.count(BoundNeed::State::Open), 0);
            shortcut(QKeySequence("Ctrl+5"));
            QVERIFY(tabTo(w_->source()->folder()));
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_A, Qt::ControlModifier);
            keys(out);
            const auto write = [this] {
                inDialog([](QWidget* dialog) {
                    QVERIFY(tabTo(button(dialog, "Write")));
                    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
                });
                shortcut(QKeySequence("Ctrl+Return"));
                w_->source()->refreshNow();
            };
            write();
            const std::string name = w_->document().snapshot().source().prefix + "_uplink.c";
            const fs::path file = fs::path(out.toStdString()) / name;
            const std::string first = textOf(file);
            QVERIFY(!first.empty());
            // The same line changes on the disk and in the plan.
            const std::size_t at = first.find("DIV ");
            QVERIFY(at != std::string::npos);
            std::string mine = first;
            put(file, mine.insert(at, "my "));
            QVERIFY(w_->document().apply(editOf("baud", SetGoal{"uplink", "baud", "57600"})));
            w_->source()->refreshNow();
            QCOMPARE(state(name.c_str()), FileChange::State::Conflict);
            QVERIFY(tabTo(w_->source()->files()));
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Home);
            for (int i = 0; i < 80 && w_->source()->shownFile().toStdString() != name; ++i)
                QTest::keyClick(QApplication::focusWidget(), Qt::Key_Down);
            COMPARE_TEXT(w_->source()->shownFile().toStdString(), QString::fromStdString(name));
            ConflictView* view = w_->source()->conflictView();
            QVERIFY(view->isVisible());
            for (int place = 0; place < 20; ++place) {
                QVERIFY(tabTo(button(view, "Take the new")));
                if (!button(view, "Take the new")->isChecked())
                    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
                QApplication::processEvents();
                if (!button(view, "Next place")->isEnabled())
                    break;
                QVERIFY(tabTo(button(view, "Next place")));
                QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
            }
            QTRY_COMPARE(state(name.c_str()), FileChange::State::Merged);
            write();
            QVERIFY(textOf(file) != first && textOf(file).find("my DIV ") == std::string::npos);
            // What was there before comes back.
            inDialog([](QWidget* dialog) {
                auto* list = dialog->findChild<QListWidget*>();
                QVERIFY(tabTo(list) && list->count() > 0);
                QVERIFY(tabTo(button(dialog, "Restore")));
                QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
            });
            byMenu("Plan", "Earlier texts of the source");
            QVERIFY(textOf(file).find("my DIV ") != std::string::npos);
            // As the plan says again: what stands there is the person's, who takes the new once more.
            QVERIFY(w_->document().apply(editOf("baud", SetGoal{"uplink", "baud", "115200"})));
            fs::remove(file);
            w_->source()->refreshNow();
            write();
            shortcut(QKeySequence("Ctrl+Shift+Return"));
            BuildPanel* panel = w_->source()->buildPanel();
            QTRY_VERIFY_WITH_TIMEOUT(!panel->isBuilding(), 120'000);
            COMPARE_TEXT(panel->status().toStdString(), "Built.");
            // The need's own driver is the team's: its files are no longer written, which the station shows.
            QVERIFY(w_->source()->files()->choose(QString::fromStdString(name)));
            byMenu("Plan", "Leave out of the source", "Needs with your own driver", "Uplink");
            QVERIFY(now().plan.need("uplink")->leftOut);
            w_->source()->refreshNow();
            QVERIFY(!now().source().find(name));
            byMenu("Plan", "Leave out of the source", "Debugger commands");
            QVERIFY(now().plan.leftOut.contains(OutputPart::Debugger));
        }
        w_->setDark(false);
    }

    /// Files stand below what they belong to, with counts of what a write would do there; headings close and open by
    /// keys and by mouse, and what is shown stays shown.
    void filesStandBelowWhatTheyBelongTo()
    {
        openInFolder("done");
        FileList* list = w_->source()->files();
        const auto rowOf = [list](const char* begin) {
            for (int row = 0; row < list->rowCount(); ++row)
                if (list->rowText(row).startsWith(begin))
                    return row;
            return -1;
        };
        COMPARE_TEXT(list->rowText(0).toStdString(), "Board: 6 new");
        QVERIFY(rowOf("Build: ") > 0 && rowOf("Start-up: ") > 0 && rowOf("Checks: ") > 0);
        QVERIFY(!list->fileAt(0) && list->fileAt(1));
        choose("sluice_board.c");
        const int rows = list->rowCount();
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Left); // to the heading
        QCOMPARE(list->currentRow(), 0);
        QTest::keyClick(list, Qt::Key_Left);
        QVERIFY(list->rowCount() < rows);
        QVERIFY(list->rowText(0).endsWith(", closed"));
        COMPARE_TEXT(w_->source()->shownFile().toStdString(), "sluice_board.c");
        // An edit leaves it closed, and the person on the heading.
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "57600"})));
        w_->source()->refreshNow();
        QCOMPARE(list->currentRow(), 0);
        QVERIFY(list->rowText(0).endsWith(", closed"));
        QTest::keyClick(list, Qt::Key_Return);
        QCOMPARE(list->rowCount(), rows);
        QTest::mouseDClick(list->viewport(), Qt::LeftButton, {}, list->rowRect(0).center());
        QVERIFY(list->rowCount() < rows);
        // Whoever is led to a line finds its file.
        choose("sluice_board.c");
        QCOMPARE(list->rowCount(), rows);
        QVERIFY(w_->source()->writeNow());
        w_->source()->refreshNow();
        COMPARE_TEXT(list->rowText(0).toStdString(), "Board");
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "9600"})));
        w_->source()->refreshNow();
        const int changed = rowOf((groupOf(*w_, "sluice_uplink.c") + ": ").c_str());
        QVERIFY(changed > 0 && list->rowText(changed).contains("changed"));
    }

    /// The tree's own formatter lays out what is shown, and each line still leads to its decision.
    void theTreesFormatterIsUsed()
    {
        if (QStandardPaths::findExecutable("clang-format").isEmpty())
            QSKIP("clang-format is not installed here");
        put(fs::path(dir_->path().toStdString()) / ".clang-format",
            "BasedOnStyle: LLVM\nIndentWidth: 2\nColumnLimit: 72\n");
        openInFolder("done");
        choose("sluice_pins.c");
        QTRY_VERIFY(w_->source()->text()->text().contains("\n  /* Clock the ports"));
        QVERIFY(w_->source()->writeNow());
        QVERIFY(textOf(folder() / "sluice_pins.c").find("\n  /* Clock the ports") != std::string::npos);
        w_->source()->refreshNow();
        QCOMPARE(state("sluice_pins.c"), FileChange::State::Same);
        fs::remove(fs::path(dir_->path().toStdString()) / ".clang-format");
    }

    void aConflictIsSettledPlaceByPlace()
    {
        openInFolder("done");
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        const fs::path file = folder() / "sluice_uplink.c";
        put(file, replaced(textOf(file), "DIV 163", "DIV 164, by hand"));
        w_->document().apply(editOf("baud", SetGoal{"uplink", "baud", "9600"}));
        w_->source()->refreshNow();
        QCOMPARE(state("sluice_uplink.c"), FileChange::State::Conflict);
        choose("sluice_uplink.c");
        ConflictView* view = w_->source()->conflictView();
        QVERIFY(view->isVisible() && !w_->source()->text()->isVisible());
        const auto text = [view](const char* name) { return view->findChild<QPlainTextEdit*>(name)->toPlainText(); };
        QVERIFY(text("mine").contains("DIV 164, by hand") && text("new").contains("DIV 7813") &&
                text("base").contains("DIV 163"));
        // A conflict blocks the write, until each place is settled.
        inDialog([](QWidget* dialog) {
            QVERIFY(!button(dialog, "Write")->isEnabled());
            QTest::mouseClick(button(dialog, "Cancel"), Qt::LeftButton);
        });
        shortcut(QKeySequence("Ctrl+Return"));
        QTest::mouseClick(button(view, "Take the new"), Qt::LeftButton);
        QTRY_COMPARE(state("sluice_uplink.c"), FileChange::State::Merged);
        QVERIFY(text("result").contains("DIV 7813"));
        // Taken back, it is open again; then in one's own words, by keys.
        QTest::mouseClick(button(view, "Leave it open"), Qt::LeftButton);
        QTRY_COMPARE(state("sluice_uplink.c"), FileChange::State::Conflict);
        for (int place = 0;; ++place) {
            auto* result = view->findChild<QPlainTextEdit*>("result");
            result->setFocus();
            QTest::keyClicks(result, "    /* in my words */");
            QAbstractButton* next = button(view, "Next place");
            if (!next->isEnabled())
                break;
            QTest::mouseClick(next, Qt::LeftButton);
            QVERIFY(place < 20);
        }
        QTRY_COMPARE(state("sluice_uplink.c"), FileChange::State::Merged);
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        QVERIFY(textOf(file).find("    /* in my words */\n") != std::string::npos);
        QVERIFY(!view->isVisible());
    }

    void anEarlierTextComesBack()
    {
        openInFolder("done");
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        const std::string first = textOf(folder() / "sluice_uplink.c");
        w_->document().apply(editOf("baud", SetGoal{"uplink", "baud", "9600"}));
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        choose("sluice_uplink.c");
        inDialog([](QWidget* dialog) {
            auto* list = dialog->findChild<QListWidget*>();
            QVERIFY(list->currentItem()->text().startsWith("sluice_uplink.c"));
            QTest::mouseClick(button(dialog, "Restore"), Qt::LeftButton);
        });
        w_->source()->showEarlier();
        COMPARE_TEXT(textOf(folder() / "sluice_uplink.c"), QString::fromStdString(first));
        // The station sees at once that the file is no longer what the plan says.
        QCOMPARE(state("sluice_uplink.c"), FileChange::State::Changed);
    }

    /// Before a change is made its C can be read.
    void theCOfAChangeThatIsOnlyPreviewed()
    {
        openInFolder("done");
        ChangeDialog dialog(w_->document(), editOf("Slower", SetGoal{"uplink", "baud", "9600"}), w_.get());
        dialog.show();
        QTRY_VERIFY(dialog.showSource()->isEnabled());
        QVERIFY(!dialog.source()->isVisible());
        QTest::mouseClick(dialog.showSource(), Qt::LeftButton);
        QVERIFY(dialog.source()->isVisible());
        QVERIFY(dialog.source()->text().contains("+#define SLUICE_UPLINK_DIVIDER") &&
                dialog.source()->text().contains("-#define SLUICE_UPLINK_DIVIDER"));
        COMPARE_TEXT(goalText(*now().plan.need("uplink"), "baud"),
                     goalText(*demo("sluice-node-c-done").plan.need("uplink"), "baud").c_str());
    }

    /// By keys only: what is found in any file leads to its line and its decision; Esc ends it.
    void everyFileIsSearched()
    {
        openInFolder("done");
        shortcut(QKeySequence::Find);
        QLineEdit* field = w_->source()->search();
        QVERIFY(field->hasFocus());
        QTest::keyClicks(field, "gate_bridge_ticks");
        SearchPanel* found = w_->source()->searchPanel();
        QVERIFY(found->isVisible() && found->list()->count() >= 2);
        int expected = 0;
        for (const SourceFile& file : now().source().files)
            for (const SourceLine& line : file.lines)
                expected += QString::fromStdString(line.text).contains("gate_bridge_ticks", Qt::CaseInsensitive);
        QCOMPARE(found->list()->count(), expected);
        // Enter in the field goes from one to the next.
        for (int turn = 0; turn <= expected; ++turn) {
            QTest::keyClick(field, Qt::Key_Return);
            QCOMPARE(found->list()->currentRow(), turn % expected);
            QVERIFY(field->hasFocus());
        }
        for (int row = 0; row < found->list()->count(); ++row) {
            found->list()->setFocus();
            found->list()->setCurrentRow(row);
            QTest::keyClick(found->list(), Qt::Key_Return);
            int line = 0, column = 0;
            w_->source()->text()->getCursorPosition(&line, &column);
            QVERIFY(w_->source()->text()->text(line).contains("GATE_BRIDGE_TICKS"));
        }
        field->setFocus();
        field->setText("no such words");
        QVERIFY(found->status().startsWith("No line"));
        QTest::keyClick(field, Qt::Key_Escape);
        QVERIFY(field->text().isEmpty() && !found->isVisible());
    }

    void itBuildsAndAnErrorLeadsToItsLine()
    {
        openInFolder("done");
        w_->source()->build();
        BuildPanel* panel = w_->source()->buildPanel();
        QVERIFY(panel->isVisible() && panel->status().contains("write the source first"));
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        shortcut(QKeySequence("Ctrl+Shift+Return"));
        QTRY_VERIFY_WITH_TIMEOUT(!panel->isBuilding(), 120'000);
        COMPARE_TEXT(panel->status().toStdString(), "Built.");
        const auto& rows = panel->findChild<MemoryBars*>()->rows();
        QCOMPARE(rows.size(), size_t(2));
        QVERIFY(rows[0].used > 1000 && rows[0].used < rows[0].all && rows[1].used < rows[1].all);
        // A person's mistake in a generated file.
        const fs::path file = folder() / "sluice_uplink.c";
        const std::string good = textOf(file);
        std::string text = good;
        const std::size_t at = text.find(" = ", text.find("_bring_up(void)\n{"));
        put(file, text.insert(at + 3, "oops + "));
        w_->source()->refreshNow();
        w_->source()->build();
        QTRY_VERIFY_WITH_TIMEOUT(!panel->isBuilding(), 120'000);
        QVERIFY2(panel->status().startsWith("The build failed: "), qPrintable(panel->status()));
        QVERIFY(!panel->messages().empty());
        COMPARE_TEXT(panel->messages()[0].file, "sluice_uplink.c");
        QVERIFY(panel->messages()[0].text.find("oops") != std::string::npos);
        choose("sluice_pins.c");
        QTest::mouseClick(panel->list()->viewport(), Qt::LeftButton, {},
                          panel->list()->visualItemRect(panel->list()->item(0)).center());
        COMPARE_TEXT(w_->source()->shownFile().toStdString(), "sluice_uplink.c");
        int line = 0, column = 0;
        w_->source()->text()->getCursorPosition(&line, &column);
        QCOMPARE(line + 1, panel->messages()[0].line);
        QVERIFY(w_->source()->text()->text(line).contains("oops"));
        COMPARE_TEXT(w_->view().selectedNeed(), "uplink");
        // A build that is cancelled ends, with its compilers.
        put(file, good);
        fs::remove_all(folder() / "build");
        w_->source()->build();
        QApplication::processEvents();
        QVERIFY(panel->isBuilding() && button(panel, "Cancel")->isVisible());
        QTest::mouseClick(button(panel, "Cancel"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!panel->isBuilding(), 5'000);
        COMPARE_TEXT(panel->status().toStdString(), "The build was cancelled.");
    }
};

BINDREL_TEST(SourceTest)
#include "source_test.moc"
