// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/goto_targets.h"
#include "app/frame/rail.h"
#include "app/session/document.h"
#include "app/session/view_state.h"

#include <QHash>
#include <QMainWindow>

class QLabel;
class QMenu;
class QStackedWidget;

namespace bindrel {

class Background;
class ClocksStation;
class FindingsDrawer;
class Inspector;
class OptionFinder;
class Masthead;
class BoardStation;
class RehearsalStation;
class SourceStation;
class StartStation;
class TuningStation;
class WiringStation;

/// The frame: rail, masthead, station, inspector, findings; menus and what asks before work is lost.
class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(Library library, QWidget* parent = nullptr);
    ~MainWindow() override;

    Document& document() { return document_; }
    ViewState& view() { return view_; }
    WiringStation* wiring() const { return wiring_; }
    ClocksStation* clocks() const { return clocks_; }
    TuningStation* tuning() const { return tuning_; }
    SourceStation* source() const { return source_; }
    RehearsalStation* rehearsal() const { return rehearsal_; }
    BoardStation* board() const { return board_; }
    StartStation* start() const { return start_; }
    OptionFinder* options() const { return options_; }
    Inspector* inspector() const { return inspector_; }
    Masthead* masthead() const { return masthead_; }
    FindingsDrawer* findings() const { return findings_; }
    Rail* rail() const { return rail_; }
    Station station() const { return station_; }
    /// The last message of the line at the bottom, for tests.
    QString message() const;
    /// The searches that Esc stops, each of which says at the bottom that it runs.
    std::vector<Background*> stoppable() const;

    /// Opens a plan; on failure says why and keeps what is open.
    bool openPlan(const QString& path);
    /// Opens whatever a file is: a plan, a device file or a chip maker's file, as its name says.
    bool openFile(const QString& path);
    /// Offers plans of earlier sessions that were never saved; to be called once the window is there.
    void offerNeverSaved();
    void showStation(Station station);
    void setDark(bool dark);
    /// Asks where the plan is to go, shows what that means, and takes it there.
    void showInterrupts();
    void swapClocks();
    void changeDevice(const QString& device = {});

protected:
    void closeEvent(QCloseEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    void buildRooms();
    void followDocument();
    void followSearches();
    void followStart();
    void followStations();
    void buildMenus();
    void buildPlanMenu();
    void buildEditMenu();
    void buildWiringMenu();
    void buildClocksMenu();
    void buildTuningMenu();
    void buildViewMenu();
    void buildHelpMenu();
    QAction* addEntry(QMenu* menu, const QString& text, const QKeySequence& key, std::function<void()> slot);
    void refresh();
    void showStatus(const QString& message, bool trouble);
    void jumpTo(const Place& place);
    /// Whether what is open may go: what is typed is settled, and what is not saved is asked for.
    bool mayLeave();
    bool isChipTable(const std::string& bytes) const;
    /// Shows how a table of the chip's data sheet is understood, and makes it a layer of the device when the person
    /// agrees.
    void showChipTable(const std::string& bytes, const QString& path);
    void pasteTable();
    bool settleTyping(const QString& leaving);
    bool save();
    bool saveAs();
    void browse();
    void tellDeviceChanges();
    void offerRecovered();
    /// Somebody else has written the plan's file.
    void diskChanged();
    /// Asks what to keep, and does it; false when the person decides later.
    bool settleDisk();
    void showKeys();
    void fillLeftOut(QMenu* menu);
    void exportRegisters();
    void toggleLeftOut(const std::string& id);
    void fillHistory(QMenu* menu);
    void fillStored(QMenu* menu);
    /// What can be done with what is selected.
    void fillPlaceMenu(QMenu& menu);
    void addEntryTo(QMenu& menu, const QString& name); ///< an entry of the menu bar, by its words
    void addNeedEntries(QMenu& menu, const std::string& id);
    void addClockEntries(QMenu& menu, const std::string& id);
    void addPadEntries(QMenu& menu, const std::string& pad);
    void addFindingEntries(QMenu& menu);
    std::vector<GotoTarget> commands() const;

    Document document_;
    ViewState view_{document_};
    Rail* rail_ = nullptr;
    Masthead* masthead_ = nullptr;
    QStackedWidget* stack_ = nullptr;
    StartStation* start_ = nullptr;
    WiringStation* wiring_ = nullptr;
    ClocksStation* clocks_ = nullptr;
    TuningStation* tuning_ = nullptr;
    SourceStation* source_ = nullptr;
    RehearsalStation* rehearsal_ = nullptr;
    BoardStation* board_ = nullptr;
    OptionFinder* options_ = nullptr;
    Inspector* inspector_ = nullptr;
    QWidget* inspectorRule_ = nullptr;
    FindingsDrawer* findings_ = nullptr;
    QLabel* message_ = nullptr;
    QAction* undo_ = nullptr;
    QAction* redo_ = nullptr;
    QMenu* recent_ = nullptr;
    QHash<QString, QAction*> entries_; ///< of the menu bar, by their words
    Station station_ = Station::Start;
};

} // namespace bindrel
