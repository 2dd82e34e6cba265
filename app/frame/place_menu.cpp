// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done with the thing under the pointer, or with the selected one where a key asks.
#include "app/board/board_station.h"
#include "app/clocks/clocks_station.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/inspector.h"
#include "app/frame/main_window.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/tuning/waveform_view.h"
#include "app/wiring/wiring_station.h"
#include "core/base/say.h"
#include "core/clocks/clock_entry.h"
#include "core/plan/board_facts.h"
#include "core/plan/clock_decision.h"
#include "core/plan/kind.h"
#include "core/plan/stored_settings.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QMenu>

#include <fmt/format.h>

namespace bindrel {

namespace {

/// What the menu is about; nothing to choose.
void addHeading(QMenu& menu, const QString& text)
{
    menu.addAction(text)->setEnabled(false);
    menu.addSeparator();
}

void addCopy(QMenu& menu, const QString& text)
{
    if (!text.isEmpty())
        menu.addAction(QString(say("Copy \"%1\"")).arg(QString(text).replace('&', "&&")), &menu,
                       [text] { QApplication::clipboard()->setText(text); });
}

} // namespace

void MainWindow::addEntryTo(QMenu& menu, const QString& name)
{
    if (QAction* action = entries_.value(name))
        menu.addAction(action);
}

void MainWindow::addNeedEntries(QMenu& menu, const std::string& id)
{
    const Snapshot& s = document_.snapshot();
    const Need* need = s.plan.need(id);
    if (!need)
        return;
    addHeading(menu, QString::fromStdString(need->title).replace('&', "&&"));
    const BoundNeed& bound = s.bindings.needs[NeedIndex(int(need - s.plan.needs.data()))];
    if (bound.state != BoundNeed::State::Bound)
        addEntryTo(menu, say("Bind the selected need"));
    if (!need->binding.empty())
        addEntryTo(menu, say("Unbind the selected need"));
    addEntryTo(menu, say("Show options of the signal"));
    if (!findKind(need->kind)->instanceKind.empty())
        addEntryTo(menu, say("Other instance\u2026"));
    addEntryTo(menu, say("Hold or release"));
    QAction* own = menu.addAction(say("Driven by your own code"), this, [this, id] { toggleLeftOut(id); });
    own->setCheckable(true);
    own->setChecked(s.plan.leavesOut(*need));
    own->setEnabled(!s.plan.leftOutKinds.contains(need->kind));
    menu.addSeparator();
    if (station_ != Station::Tuning)
        menu.addAction(say("Set its goals"), this, [this, id] {
            view_.select({Place::Kind::Need, id, {}});
            showStation(Station::Tuning);
        });
    if (station_ != Station::Wiring)
        menu.addAction(say("Show it in the picture"), this, [this, id] {
            view_.select({Place::Kind::Need, id, {}});
            showStation(Station::Wiring);
        });
    if (const ClockIndex clock = bound.instance >= 0 ? s.device->instances[bound.instance].kernel : ClockIndex();
        clock >= 0)
        menu.addAction(QString(say("Show its clock, %1")).arg(QString::fromStdString(s.device->clocks[clock].name)),
                       this, [this, node = s.device->clocks[clock].id] {
                           view_.jump({Place::Kind::Clock, node, {}});
                       });
    if (station_ == Station::Tuning && tuning_->picture()->hasPicture()) {
        addEntryTo(menu, say("Copy the waveform"));
        addEntryTo(menu, say("Export the waveform\u2026"));
    }
    QMenu* goals = nullptr;
    for (const Need& other : s.plan.needs)
        if (other.kind == need->kind && other.id != id && !findKind(need->kind)->goals.empty()) {
            goals = goals ? goals : menu.addMenu(say("Copy its goals to"));
            goals->addAction(QString::fromStdString(other.title).replace('&', "&&"), this,
                             [this, id, to = other.id] { tuning_->copyGoals(id, to); });
        }
    QMenu* compare = nullptr;
    for (const Need& other : s.plan.needs)
        if (station_ == Station::Tuning && other.kind == need->kind && other.id != id) {
            compare = compare ? compare : menu.addMenu(say("Compare with"));
            compare->addAction(QString::fromStdString(other.title).replace('&', "&&"), this, [this, id, to = other.id] {
                view_.select({Place::Kind::Need, id, {}});
                tuning_->compareWith(to);
            });
        }
    menu.addSeparator();
    addEntryTo(menu, say("Edit the selected need\u2026"));
    addEntryTo(menu, say("Copy the selected need"));
    addEntryTo(menu, say("Remove the selected need"));
}

void MainWindow::addClockEntries(QMenu& menu, const std::string& id)
{
    const Snapshot& s = document_.snapshot();
    const ClockIndex clock = s.device->findClock(id);
    if (clock < 0)
        return;
    const ClockNode& node = s.device->clocks[clock];
    addHeading(menu, QString::fromStdString(node.name).replace('&', "&&"));
    menu.addAction(say("Type a setting or a rate"), this, [this] { inspector_->beginEdit({}); });
    const std::vector<ClockDecision> choices = clockChoices(*s.device, clock);
    constexpr size_t kMostListed = 24;
    if (!choices.empty() && choices.size() <= kMostListed && !s.plan.held(holdOfClock(id))) {
        QMenu* settings = menu.addMenu(say("Setting"));
        const auto saidOf = [id](const Snapshot& of) {
            const auto said = of.plan.clocks.find(id);
            return said == of.plan.clocks.end() ? std::nullopt : std::optional(said->second);
        };
        for (const ClockDecision& choice : choices) {
            QAction* action = settings->addAction(
                QString::fromStdString(clockDecisionText(choice)), this, [this, id, choice, saidOf] {
                    const auto now = document_.sharedSnapshot();
                    const ClockIndex there = now ? now->device->findClock(id) : ClockIndex();
                    if (there < 0)
                        return;
                    const ClockDecision decision = withChoice(saidOf(*now), choice);
                    document_.apply(
                        editOf(fmt::format("{}: {}", now->device->clocks[there].name, clockDecisionText(decision)),
                               SetClock{id, decision}));
                });
            action->setCheckable(true);
            action->setChecked(holdsChoice(saidOf(s), choice));
        }
    }
    if (s.plan.clocks.contains(id) || s.plan.crystals.contains(id))
        menu.addAction(say("Back to the reset value"), this, [this, id] {
            const auto now = document_.sharedSnapshot();
            const ClockIndex there = now ? now->device->findClock(id) : ClockIndex();
            if (there < 0)
                return;
            if (const Expected<ClockEntry> entry = readClockEntry(*now->device, there, ""))
                document_.apply(entry->edit);
        });
    const bool held = s.plan.held(holdOfClock(id));
    menu.addAction(held ? say("Release") : say("Hold"), this, [this, id, held] {
        document_.apply(editOf((held ? say("Release ") : say("Hold ")) + id, SetHold{holdOfClock(id), !held}));
    });
    if (takesCrystal(node))
        menu.addAction(say("State what the board fits\u2026"), this, [this, id] {
            if (!view_.pending().settle())
                return;
            showStation(Station::Board);
            board_->editClock(id);
        });
    addEntryTo(menu, say("Repair limits and goals"));
    if (station_ != Station::Clocks)
        menu.addAction(say("Show it in the clock tree"), this, [this, id] {
            view_.jump({Place::Kind::Clock, id, {}});
        });
    addCopy(menu, QString::fromStdString(id));
}

void MainWindow::addPadEntries(QMenu& menu, const std::string& pad)
{
    const Snapshot& s = document_.snapshot();
    const PadIndex index = s.device->findPad(pad);
    if (index < 0)
        return;
    addHeading(menu, QString::fromStdString(pad));
    menu.addAction(say("Add a need here\u2026"), this, [this, pad] {
        showStation(Station::Wiring);
        wiring_->addNeed(QString(say("gpio on %1")).arg(QString::fromStdString(pad)));
    });
    addEntryTo(menu, say("Pin sheet or picture"));
    addCopy(menu, QString::fromStdString(pad));
    if (const auto net = s.board->nets.find(pad); net != s.board->nets.end())
        addCopy(menu, QString::fromStdString(net->second));
    for (const Claim& claim : s.bindings.padClaims[index])
        if (view_.selectedNeed() == s.plan.needs[claim.need].id)
            addNeedEntries(menu, s.plan.needs[claim.need].id);
}

void MainWindow::addFindingEntries(QMenu& menu)
{
    const int row = findings_->list()->currentRow();
    if (row < 0 || row >= int(document_.findings().size()))
        return;
    const Finding& finding = document_.findings()[size_t(row)];
    addHeading(menu, QString::fromStdString(finding.rule));
    menu.addAction(say("Go to it"), this, [this] { findings_->list()->goTo(findings_->list()->currentRow()); });
    addEntryTo(menu, say("Fix the finding\u2026"));
    addEntryTo(menu, say("Find solutions\u2026"));
    addCopy(menu, typeset(finding.text));
}

void MainWindow::fillPlaceMenu(QMenu& menu)
{
    const Place place = view_.selected();
    switch (place.kind) {
    case Place::Kind::Need:
    case Place::Kind::Signal:
    case Place::Kind::Goal:
        addNeedEntries(menu, place.id);
        break;
    case Place::Kind::Pad:
        addPadEntries(menu, place.id);
        break;
    case Place::Kind::Clock:
        addClockEntries(menu, place.id);
        break;
    case Place::Kind::Mode: {
        const bool entered = document_.snapshot().plan.modes.contains(place.id);
        menu.addAction(entered ? say("Do not enter it") : say("Let the program enter it"), this,
                       [this, place, entered] {
                           document_.apply(editOf(entered ? say("Do not enter ") + place.id : say("Enter ") + place.id,
                                                  SetMode{place.id, !entered}));
                       });
        break;
    }
    case Place::Kind::Stored:
        fillStored(&menu);
        break;
    case Place::Kind::Register:
    case Place::Kind::Instance:
        addCopy(menu, QString::fromStdString(place.id));
        break;
    case Place::Kind::Range:
    case Place::Kind::None:
        break;
    }
    if (!menu.isEmpty())
        menu.addSeparator();
    if (menu.isEmpty() && station_ == Station::Wiring) {
        addEntryTo(menu, say("Add a need\u2026"));
        addEntryTo(menu, say("Add a part\u2026"));
        addEntryTo(menu, say("Bind all open needs"));
        addEntryTo(menu, say("Fit the picture"));
        addEntryTo(menu, say("Export the picture\u2026"));
        menu.addSeparator();
    }
    addEntryTo(menu, say("Undo"));
    addEntryTo(menu, say("Redo"));
}

void MainWindow::contextMenuEvent(QContextMenuEvent* event)
{
    if (!document_.isOpen() || station_ == Station::Start)
        return QMainWindow::contextMenuEvent(event);
    if (!view_.pending().settle())
        return;
    const QWidget* at = event->reason() == QContextMenuEvent::Mouse ? QApplication::widgetAt(event->globalPos())
                                                                    : QApplication::focusWidget();
    QMenu menu(this);
    menu.setAccessibleName(say("What can be done here"));
    if (at && (at == findings_->list() || findings_->list()->isAncestorOf(at)))
        addFindingEntries(menu);
    else
        fillPlaceMenu(menu);
    event->accept();
    if (!menu.isEmpty())
        menu.exec(event->globalPos());
}

} // namespace bindrel
