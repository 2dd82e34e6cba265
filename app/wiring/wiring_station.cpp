// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/wiring_station.h"

#include "app/session/path_text.h"
#include "app/tables/net_table_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/change_dialog.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/need_dialog.h"
#include "app/wiring/pin_sheet_view.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/interchange/layout_list.h"
#include "core/interchange/netlist.h"
#include "core/pins/freeing.h"
#include "core/pins/placement_words.h"

#include <QClipboard>
#include <QCoreApplication>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include <algorithm>

namespace bindrel {

WiringStation::WiringStation(Document& document, ViewState& view, OptionFinder& options, QWidget* parent)
    : QWidget(parent), document_(document), view_(view), finder_(options)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);

    const auto fieldRow = [](QVBoxLayout* column, const QString& hint, const QString& name) {
        auto* field = new QLineEdit;
        field->setPlaceholderText(hint);
        field->setAccessibleName(name);
        field->setClearButtonEnabled(true);
        auto* line = new QHBoxLayout;
        line->setContentsMargins(12, 0, 12, 2);
        line->addWidget(field);
        column->addLayout(line);
        return field;
    };
    const auto [left, column] = sidePanel(say("Needs"), 234);
    auto* filter = fieldRow(column, say("Filter"), say("Filter needs"));
    needs_ = new NeedsList(document_, view_, NeedsList::Detail::NeedsAndSignals);
    column->addWidget(needs_, 1);
    left_ = new QStackedWidget;
    left_->setFixedWidth(234);
    left_->addWidget(left);
    const auto [proposalPanel, proposalColumn] = sidePanel(say("Solutions"), 234);
    proposalHeading_ = proposalPanel->findChild<QLabel*>();
    proposalNote_ = new QLabel;
    proposalNote_->setWordWrap(true);
    proposalNote_->setContentsMargins(12, 0, 10, 6);
    proposalNote_->setFont(Theme::get().text(11));
    proposalColumn->addWidget(proposalNote_);
    partFilter_ = fieldRow(proposalColumn, say("Filter"), say("Filter parts"));
    proposals_ = new ProposalList;
    proposalColumn->addWidget(proposals_, 1);
    left_->addWidget(proposalPanel);
    row->addWidget(left_);
    row->addWidget(verticalRule());
    chip_ = new ChipView(document_, view_, finder_);
    sheet_ = new PinSheetView(document_, view_);
    middle_ = new QStackedWidget;
    middle_->addWidget(chip_);
    middle_->addWidget(sheet_);
    row->addWidget(middle_, 1);

    connect(filter, &QLineEdit::textChanged, needs_, &NeedsList::setFilter);
    connect(partFilter_, &QLineEdit::textChanged, this, &WiringStation::filterParts);
    partFilter_->installEventFilter(this);
    connect(needs_, &NeedsList::bindWanted, this, &WiringStation::bindOne);
    connect(needs_, &NeedsList::unbindWanted, this, &WiringStation::unbindSelected);
    connect(needs_, &NeedsList::holdWanted, this, &WiringStation::toggleHold);
    connect(needs_, &NeedsList::optionPicked, this, &WiringStation::takeOptionNumber);
    connect(needs_, &NeedsList::dragMoved, this,
            [this](const Place& what, const QPoint& global) { chip_->dragOver(what, chip_->mapFromGlobal(global)); });
    connect(needs_, &NeedsList::dragDropped, this,
            [this](const Place& what, const QPoint& global) { chip_->dropAt(what, chip_->mapFromGlobal(global)); });
    connect(proposals_, &ProposalList::currentChanged, this, &WiringStation::previewRow);
    connect(proposals_, &ProposalList::hovered, this, &WiringStation::previewRow);
    connect(proposals_, &ProposalList::closed, this, &WiringStation::leaveProposals);
    connect(&background_, &Background::busyChanged, this, [this](const QString& what) {
        if (what.isEmpty() && best_)
            leaveProposals();
    });
    connect(proposals_, &ProposalList::taken, this, [this](int index, bool other) {
        if (index < 0 || index >= proposals_->rowCount())
            return;
        const Proposal proposal = proposals_->proposals()[size_t(index)];
        const std::optional<Edit>& edit = other && proposal.other ? proposal.other : proposal.edit;
        if (!edit) {
            Q_EMIT document_.refused(proposal.title + ": " + proposal.lines.value(0));
            return;
        }
        const std::optional<BoundAll> best = best_;
        leaveProposals();
        if (best) {
            takeBest(*best, {});
            return;
        }
        document_.apply(*edit);
        // What came with a part is what one wants to look at next.
        for (const Change& change : edit->changes)
            if (const auto* added = std::get_if<InsertNeed>(&change)) {
                view_.select({Place::Kind::Need, added->need.id, {}});
                break;
            }
    });
    // What is proposed or searched for is for the plan as it was.
    connect(&document_, &Document::changed, this, [this] {
        background_.cancel();
        leaveProposals();
    });
    // The picture takes the same keys as the list.
    chip_->installEventFilter(this);
    setFocusProxy(needs_);
}

bool WiringStation::proposing() const
{
    return left_->currentIndex() == 1;
}
bool WiringStation::sheetShown() const
{
    return middle_->currentIndex() == 1;
}

bool WiringStation::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == partFilter_ && event->type() == QEvent::KeyPress) {
        // The list is worked from its filter: type, arrow, Enter.
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Up || key == Qt::Key_Down || key == Qt::Key_Return || key == Qt::Key_Enter ||
            key == Qt::Key_Escape)
            return QCoreApplication::sendEvent(proposals_, event);
    }
    // A hand on the picture means the plan as it is.
    if (watched == chip_ && (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::KeyPress))
        leaveProposals();
    if (watched == chip_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        const bool shared = key == Qt::Key_Space || key == Qt::Key_Return || key == Qt::Key_Delete ||
                            key == Qt::Key_H || key == Qt::Key_Up || key == Qt::Key_Down ||
                            (key >= Qt::Key_1 && key <= Qt::Key_9);
        if (shared)
            return QCoreApplication::sendEvent(needs_, event);
    }
    return QWidget::eventFilter(watched, event);
}

void WiringStation::propose(const QString& heading, const QString& note, std::vector<Proposal> proposals)
{
    proposalHeading_->setText(heading);
    proposalNote_->setText(typeset(note));
    partFilter_->setVisible(!parts_.empty());
    proposals_->setAccessibleName(heading);
    proposals_->setProposals(std::move(proposals));
    left_->setCurrentIndex(1);
    if (sheetShown())
        showPicture();
    (parts_.empty() ? static_cast<QWidget*>(proposals_) : partFilter_)->setFocus();
    previewRow(proposals_->currentRow());
}

void WiringStation::untangle()
{
    if (!document_.isOpen())
        return;
    constexpr std::size_t kWays = 5;
    if (document_.snapshot().bindings.contests.empty()) {
        Q_EMIT document_.refused(say("There is no conflict."));
        return;
    }
    background_.run<Untangling>(
        say("Searching for solutions"),
        [s = document_.sharedSnapshot()](const Background::Stopped& stopped) {
            return bindrel::untangle(*s->device, *s->board, s->plan, kWays, stopped);
        },
        [this](Untangling out) {
            if (out.ways.empty()) {
                proposeFreeing(out.why);
                return;
            }
            std::vector<Proposal> proposals;
            for (const Untangling::ConflictSolution& way : out.ways) {
                Proposal proposal;
                proposal.title = QString("%1.  %2")
                                     .arg(proposals.size() + 1)
                                     .arg(way.cost.moved == 1 ? QString(say("one need moves"))
                                                              : QString(say("%1 needs move")).arg(way.cost.moved));
                for (const Change& change : way.edit.changes)
                    proposal.lines << QString::fromStdString(describe(document_.snapshot().plan, change));
                proposal.edit = way.edit;
                proposals.push_back(std::move(proposal));
            }
            parts_.clear();
            propose(say("Solutions"),
                    QString(say("%1 Enter applies the selected one, Esc changes nothing."))
                        .arg(out.proven ? say("The first moves the fewest needs (proven).")
                                        : say("Solutions with fewer moves may exist.")),
                    std::move(proposals));
        });
}

/// Nothing untangles it as it is: what would.
void WiringStation::proposeFreeing(const std::string& why)
{
    background_.run<std::vector<RelaxationOption>>(
        say("Searching for what would free it"),
        [s = document_.sharedSnapshot(), library = document_.library()](const Background::Stopped& stopped) {
            return relaxationOptions(*s->device, *s->board, *s->filedBoard, s->plan, library.devices(), stopped);
        },
        [this, why](std::vector<RelaxationOption> ways) {
            if (ways.empty()) {
                Q_EMIT document_.refused(QString::fromStdString(why));
                return;
            }
            std::vector<Proposal> proposals;
            for (const RelaxationOption& way : ways) {
                const QString text = QString::fromStdString(way.text);
                Proposal proposal{text.section(": ", 0, 0), {}, way.edit, {}};
                proposal.title[0] = proposal.title[0].toUpper();
                if (text.contains(": "))
                    proposal.lines << text.section(": ", 1);
                proposals.push_back(std::move(proposal));
            }
            parts_.clear();
            propose(say("What would free it"),
                    QString::fromStdString(why) + say(" Each of these was tried. Enter applies the selected one."),
                    std::move(proposals));
        });
}

void WiringStation::addPart()
{
    if (!document_.isOpen())
        return;
    background_.run<std::vector<Proposal>>(
        say("Trying the parts of the library"),
        [s = document_.sharedSnapshot(), library = document_.library()](const Background::Stopped& stopped) {
            std::vector<Proposal> out;
            for (const std::string& name : library.partNames()) {
                const Expected<Part> part = library.part(name);
                if (stopped() || !part)
                    continue;
                const Expected<PartOffer> offer = offerPart(*s->device, *s->board, s->plan, *part, stopped);
                Proposal proposal{QString::fromStdString(part->title), {}, {}, {}};
                if (!part->about.empty())
                    proposal.lines << QString::fromStdString(part->about);
                if (!offer) {
                    proposal.lines << QString::fromStdString(offer.problem().message);
                } else {
                    for (const std::string& line : offer->where)
                        proposal.lines << typeset(line);
                    if (!offer->fits)
                        proposal.lines << typeset(say("no room: ") + offer->why);
                    proposal.edit = offer->bound;
                    proposal.other = offer->stated;
                }
                out.push_back(std::move(proposal));
            }
            return out;
        },
        [this](std::vector<Proposal> parts) {
            if (parts.empty()) {
                Q_EMIT document_.refused(
                    say("The library has no parts. Put part files into a folder \"parts\" of your library."));
                return;
            }
            parts_ = std::move(parts);
            partFilter_->clear();
            propose(say("Add a part"),
                    say("Best place shown. Enter adds it, Shift+Enter adds it unbound, Esc cancels."), parts_);
        });
}

void WiringStation::filterParts()
{
    if (!proposing() || parts_.empty())
        return;
    std::vector<Proposal> shown;
    for (const Proposal& part : parts_)
        if ((part.title + " " + part.lines.join(" ")).contains(partFilter_->text().trimmed(), Qt::CaseInsensitive))
            shown.push_back(part);
    proposals_->setProposals(std::move(shown));
    previewRow(proposals_->currentRow());
}

void WiringStation::previewRow(int row)
{
    const bool some = row >= 0 && row < proposals_->rowCount() && proposals_->proposals()[size_t(row)].edit;
    if (!some) {
        view_.setPreview(nullptr);
        return;
    }
    const Expected<std::shared_ptr<const Snapshot>> next =
        document_.preview(*proposals_->proposals()[size_t(row)].edit);
    view_.setPreview(next ? *next : nullptr);
}

void WiringStation::leaveProposals()
{
    if (!proposing())
        return;
    // Whoever leaves what was found so far does not want the rest.
    if (std::exchange(best_, {}))
        background_.cancel();
    view_.setPreview(nullptr);
    left_->setCurrentIndex(0);
    parts_.clear();
    needs_->setFocus();
}

/// Proposals are looked at on the picture.
void WiringStation::showPicture()
{
    middle_->setCurrentIndex(0);
    left_->show();
}

void WiringStation::toggleSheet()
{
    leaveProposals();
    middle_->setCurrentIndex(sheetShown() ? 0 : 1);
    // The rows tell the needs; the columns want the room.
    left_->setVisible(!sheetShown());
    sheetShown() ? sheet_->setFocus() : needs_->setFocus();
}

void WiringStation::exportPicture()
{
    if (!document_.isOpen())
        return;
    const QString path = QFileDialog::getSaveFileName(this, say("Export the picture"),
                                                      QString::fromStdString(document_.snapshot().plan.name) + ".svg",
                                                      say("Drawings (*.svg);;Documents (*.pdf);;Pictures (*.png)"));
    if (path.isEmpty())
        return;
    if (const Outcome done = chip_->exportPicture(path); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
}

void WiringStation::exportSheet()
{
    if (!document_.isOpen())
        return;
    const QString path = QFileDialog::getSaveFileName(
        this, say("Export the pin sheet"), QString::fromStdString(document_.snapshot().plan.name) + "-pins.csv",
        say("Comma-separated values (*.csv);;Workbooks (*.xlsx)"));
    if (path.isEmpty())
        return;
    if (const Outcome done = sheet_->exportTo(path); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
}

void WiringStation::exportNets()
{
    if (!document_.isOpen())
        return;
    const QString path = QFileDialog::getSaveFileName(
        this, say("Export the pins by net"), QString::fromStdString(document_.snapshot().plan.name) + "-nets.csv",
        say("Comma-separated values (*.csv)"));
    if (path.isEmpty())
        return;
    if (const Outcome done = writeFileAtomically(pathOf(path), pinsByNetCsv(document_.snapshot())); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
}

std::optional<std::string> WiringStation::chipInNetlist(const std::string& bytes, const QString& from,
                                                        const Device& device)
{
    if (netlistFormatOf(bytes) == NetlistFormat::None)
        return std::string();
    const Expected<Netlist> netlist = readNetlist(bytes);
    if (!netlist || chipIn(*netlist, device))
        return std::string();
    const std::vector<std::string> refs = partsLikeTheChip(*netlist, device);
    QStringList shown;
    for (const std::string& ref : refs) {
        const auto part = std::ranges::find(netlist->parts, ref, &Netlist::Part::ref);
        shown << typeset(part == netlist->parts.end() ? ref : ref + "  " + part->value);
    }
    if (shown.isEmpty())
        return std::string();
    bool chosen = false;
    const QString answer = QInputDialog::getItem(this, say("Which part is the chip?"),
                                                 QString(say("No single part of %1 is clearly %2. Which one is it?"))
                                                     .arg(from, QString::fromStdString(device.name)),
                                                 shown, 0, false, &chosen);
    return chosen ? std::optional(refs[size_t(shown.indexOf(answer))]) : std::nullopt;
}

void WiringStation::readNets(const std::string& bytes, const QString& from, const QString& path)
{
    if (!document_.isOpen())
        return;
    const auto snapshot = document_.sharedSnapshot();
    const Snapshot& s = *snapshot;
    if (netlistFormatOf(bytes) == NetlistFormat::None) {
        readNetTable(bytes, from, path);
        return;
    }
    const std::optional<std::string> chip = chipInNetlist(bytes, from, *s.device);
    if (!chip)
        return;
    const Expected<NetTable> table = bindrel::readNets(bytes, *s.device, *chip);
    if (!table) {
        Q_EMIT document_.refused(QString("%1, %2").arg(from, QString::fromStdString(table.problem().message)));
        return;
    }
    const Edit edit = editOfNets(s, *table);
    if (edit.changes.empty()) {
        Q_EMIT document_.refused(
            QString(say("%1 has %2 nets; all of them are known already.")).arg(from).arg(table->entries.size()));
        return;
    }
    ChangeDialog dialog(document_, edit, this);
    if (dialog.exec() != QDialog::Accepted || !document_.apply(edit) || table->notes.empty())
        return;
    // What else the schematic tells: pulls, crystals, pins that it has and the package has not.
    QStringList notes;
    for (const std::string& note : table->notes)
        notes << typeset(note);
    constexpr qsizetype kAtOnce = 3;
    Q_EMIT document_.told(
        QString(say("%1 also tells: %2%3"))
            .arg(from, notes.mid(0, kAtOnce).join("; "),
                 notes.size() > kAtOnce ? QString(say("; and %1 more.")).arg(notes.size() - kAtOnce) : QString(".")));
}

void WiringStation::readNetTable(const std::string& bytes, const QString& from, const QString& path)
{
    Expected<Grid> grid = netGrid(bytes);
    const bool table = grid && std::any_of(grid->rows.begin(), grid->rows.end(),
                                           [](const Grid::Row& row) { return row.cells.size() > 1; });
    if (!table) {
        Q_EMIT document_.refused(grid ? QString(say("%1 is neither a netlist nor a table of pins and nets.")).arg(from)
                                      : QString("%1, %2").arg(from, QString::fromStdString(grid.problem().message)));
        return;
    }
    NetTableDialog(document_, *std::move(grid), from, path, this).exec();
}

void WiringStation::readNetsFromFile()
{
    const QString path =
        document_.isOpen()
            ? QFileDialog::getOpenFileName(
                  this, say("Take nets from a netlist or a table"), {},
                  say("Netlists and tables (*.net *.ipc *.d356 *.csv *.tsv *.txt *.xlsx);;All files (*)"))
            : QString();
    if (!path.isEmpty())
        takeNetsFrom(path);
}

void WiringStation::takeNetsFrom(const QString& path)
{
    const Expected<std::string> text = readFile(path.toStdString());
    if (text)
        readNets(*text, QFileInfo(path).fileName(), path);
    else
        Q_EMIT document_.refused(QString::fromStdString(text.problem().text()));
}

void WiringStation::pasteNets()
{
    readNets(QGuiApplication::clipboard()->text().toStdString(), say("The clipboard"));
}

void WiringStation::addNeed(const QString& line)
{
    if (!document_.isOpen())
        return;
    // The dialog looks at this snapshot to its end, also when the document has gone on to the next.
    const auto snapshot = document_.sharedSnapshot();
    const Need* selected = snapshot->plan.need(view_.selectedNeed());
    NeedDialog dialog(*snapshot, nullptr, selected ? selected->part : std::string(), this);
    if (!line.isEmpty())
        dialog.begin(line);
    const Expected<Edit> edit = dialog.exec() == QDialog::Accepted ? dialog.edit() : Expected<Edit>(Edit());
    if (!edit)
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
    else if (!edit->changes.empty() && document_.apply(*edit))
        view_.select({Place::Kind::Need, dialog.need().id, {}});
    needs_->setFocus();
}

void WiringStation::editNeed()
{
    const auto snapshot = document_.sharedSnapshot();
    const Need* need = snapshot ? snapshot->plan.need(view_.selectedNeed()) : nullptr;
    if (!need)
        return;
    NeedDialog dialog(*snapshot, need, need->part, this);
    const Expected<Edit> edit = dialog.exec() == QDialog::Accepted ? dialog.edit() : Expected<Edit>(Edit());
    if (!edit)
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
    else if (!edit->changes.empty())
        document_.apply(*edit);
    needs_->setFocus();
}

void WiringStation::copyNeed()
{
    const Need* need = document_.isOpen() ? document_.snapshot().plan.need(view_.selectedNeed()) : nullptr;
    if (!need)
        return;
    const Plan& plan = document_.snapshot().plan;
    Need copy = *need;
    copy.title = freeNeedTitle(plan, need->title);
    copy.id = freeNeedId(plan, copy.title);
    // Goals and what is said of the pads come along; the places cannot, nor can names and nets, which exist once.
    copy.binding = {};
    for (auto& [signal, said] : copy.pins) {
        said.erase("name");
        said.erase("net");
    }
    std::erase_if(copy.pins, [](const auto& entry) { return entry.second.empty(); });
    const auto at = size_t(need - plan.needs.data()) + 1;
    if (document_.apply(editOf(say("Copy ") + need->title, InsertNeed{at, copy})))
        view_.select({Place::Kind::Need, copy.id, {}});
}

void WiringStation::removeSelected()
{
    const std::string id = view_.selectedNeed();
    const Need* need = document_.isOpen() ? document_.snapshot().plan.need(id) : nullptr;
    if (!need)
        return;
    Edit edit{say("Remove ") + need->title, {}};
    // What was held of it is held no longer.
    for (const Hold& hold : document_.snapshot().plan.holds)
        if (hold.of == Hold::Of::Need && hold.id == id)
            edit.changes.push_back(SetHold{hold, false});
    edit.changes.push_back(RemoveNeed{id});
    // A part that was added for its needs goes with the last of them.
    const Plan& plan = document_.snapshot().plan;
    const auto others =
        std::count_if(plan.needs.begin(), plan.needs.end(), [need](const Need& n) { return n.part == need->part; });
    const bool added =
        std::any_of(plan.parts.begin(), plan.parts.end(), [need](const Part& p) { return p.id == need->part; });
    if (added && others == 1)
        edit.changes.push_back(RemovePart{need->part});
    view_.select({});
    document_.apply(edit);
}

void WiringStation::toggleHold(const Place& place)
{
    if (!document_.isOpen())
        return;
    const std::string need = view_.selectedNeed();
    const Need* facts = document_.snapshot().plan.need(need);
    if (!facts)
        return;
    const Hold target = place.kind == Place::Kind::Signal ? holdOfSignal(need, place.sub) : holdOfNeed(need);
    const bool held = document_.snapshot().plan.held(target);
    document_.apply(editOf((held ? say("Release ") : say("Hold ")) + facts->title, SetHold{target, !held}));
}

void WiringStation::holdSelected()
{
    toggleHold(view_.selected());
}

void WiringStation::toggleOptions()
{
    if (!view_.selectedNeed().empty())
        view_.showOptions(!view_.optionsShown());
}

void WiringStation::takeOptionNumber(int number)
{
    if (document_.isOpen() && number >= 1 && number <= int(finder_.options().size()))
        finder_.take(finder_.options()[size_t(number - 1)]);
}

} // namespace bindrel
