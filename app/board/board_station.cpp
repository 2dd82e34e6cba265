// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_station.h"

#include "app/theme/theme.h"
#include "app/widgets/cell_editor.h"
#include "app/widgets/panel.h"
#include "app/wiring/pin_sheet_model.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/interchange/board_text.h"
#include "core/plan/board_entry.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSortFilterProxyModel>
#include <QStackedWidget>
#include <QTableView>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <memory>

namespace bindrel {

namespace {

/// Of the pin sheet, what concerns the board: pads, their nets, and what they carry.
class NetColumns : public QSortFilterProxyModel {
public:
    using QSortFilterProxyModel::QSortFilterProxyModel;
    static const char* columnId(int column) { return sheetColumns()[size_t(column)].id; }

protected:
    bool filterAcceptsColumn(int column, const QModelIndex&) const override
    {
        constexpr std::array shown{"pin", "pad", "signal", "net", "resistor"};
        return std::ranges::find(shown, std::string_view(columnId(column))) != shown.end();
    }
    bool filterAcceptsRow(int row, const QModelIndex&) const override
    {
        return static_cast<const PinSheetModel*>(sourceModel())->row(row).pad >= 0;
    }
    bool lessThan(const QModelIndex& a, const QModelIndex& b) const override
    {
        return naturalLess(a.data().toString().toStdString(), b.data().toString().toStdString());
    }
};

/// A part fits when its title or any of its terminals does, and is shown whole.
class PartsFilter : public QSortFilterProxyModel {
public:
    using QSortFilterProxyModel::QSortFilterProxyModel;

protected:
    bool filterAcceptsRow(int row, const QModelIndex&) const override
    {
        const QString sought = filterRegularExpression().pattern();
        const auto* model = static_cast<const BoardPartsModel*>(sourceModel());
        const std::string& part = model->row(row).part;
        int first = row, last = row;
        while (first > 0 && model->row(first - 1).part == part)
            --first;
        while (last + 1 < model->rowCount() && model->row(last + 1).part == part)
            ++last;
        for (int r = first; r <= last; ++r)
            for (int c = 0; c < model->columnCount(); ++c)
                if (model->index(r, c).data().toString().contains(sought, Qt::CaseInsensitive))
                    return true;
        return false;
    }
};

} // namespace

BoardStation::BoardStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 10, 0, 0);
    column->setSpacing(8);
    column->addLayout(headRow());
    factsModel_ = new BoardFactsModel(document_, this);
    partsModel_ = new BoardPartsModel(document_, this);
    wishesModel_ = new BoardWishesModel(document_, this);
    pins_ = new PinSheetModel(document_, this);
    partsShown_ = new PartsFilter(this);
    partsShown_->setSourceModel(partsModel_);
    netsShown_ = new NetColumns(this);
    netsShown_->setSourceModel(pins_);

    addTables(*column);
    addEditors();
    selectWhatIsCurrent();
    keepCurrentPart();
    connect(&document_, &Document::changed, this, &BoardStation::refresh);
    refresh();
}

QHBoxLayout* BoardStation::headRow()
{
    auto* head = new QHBoxLayout;
    head->addWidget(panelHeading(say("Board")));
    title_ = new QLabel;
    title_->setMinimumWidth(10);
    head->addWidget(title_, 1);
    const auto button = [&](const QString& text, auto act) {
        auto* made = new QPushButton(text);
        connect(made, &QPushButton::clicked, this, act);
        head->addWidget(made);
    };
    button(say("New part\u2026"), [this] { askForPart(); });
    button(say("From the library\u2026"), [this] {
        if (view_.pending().settle())
            Q_EMIT partWanted();
    });
    button(say("Take nets\u2026"), [this] {
        if (view_.pending().settle())
            Q_EMIT netsWanted();
    });
    button(say("Save as file\u2026"), [this] {
        if (view_.pending().settle())
            askForFile();
    });
    head->addSpacing(12);
    return head;
}

void BoardStation::addTables(QVBoxLayout& column)
{
    // What is long takes the room that is there.
    const auto stretch = [](QTableView* cells, int section) {
        cells->horizontalHeader()->setStretchLastSection(false);
        cells->horizontalHeader()->setSectionResizeMode(section, QHeaderView::Stretch);
    };
    auto* above = new QHBoxLayout;
    above->setContentsMargins(12, 0, 0, 0);
    above->setSpacing(16);
    facts_ = table(say("Supply, temperature and clocks of the board"), factsModel_, {100, 290, 72, 122});
    stretch(facts_, BoardFactsModel::Value);
    above->addWidget(facts_, 3);
    nets_ = table(say("Nets of the pads"), netsShown_, {36, 42, 80, 66, 58});
    constexpr int kNetsNarrowest = 296, kNetsWidest = 400;
    nets_->setMinimumWidth(kNetsNarrowest);
    nets_->setMaximumWidth(kNetsWidest);
    nets_->setSortingEnabled(true);
    nets_->sortByColumn(0, Qt::AscendingOrder);
    above->addWidget(nets_, 2);
    column.addLayout(above, 1);

    parts_ = table(say("Parts and their terminals"), partsShown_, {170, 300, 64, 72, 72, 72});
    stretch(parts_, BoardPartsModel::LeadsTo);
    wishes_ = table(say("Wishes for the layout"), wishesModel_, {420, 70, 300});
    stretch(wishes_, BoardWishesModel::State);
    lower_ = new QStackedWidget;
    for (QWidget* page : {static_cast<QWidget*>(parts_), outlinePage(), static_cast<QWidget*>(wishes_)})
        lower_->addWidget(page);
    column.addLayout(lowerHead());
    auto* below = new QHBoxLayout;
    below->setContentsMargins(12, 0, 0, 0);
    below->addWidget(lower_);
    column.addLayout(below, 2);
    setFocusProxy(facts_);
}

/// Which of three things is shown below, and what goes with it.
QHBoxLayout* BoardStation::lowerHead()
{
    auto* head = new QHBoxLayout;
    head->setContentsMargins(12, 0, 12, 0);
    const auto button = [&](const QString& text, const QString& tip, Lower page) {
        auto* made = new QPushButton(text);
        made->setCheckable(true);
        made->setAutoExclusive(true);
        made->setToolTip(tip);
        made->setChecked(page == Lower::Parts);
        connect(made, &QPushButton::clicked, this, [this, page] { showLower(page); });
        head->addWidget(made);
        lowerButtons_.push_back(made);
    };
    button(say("Pa&rts"), say("Parts and connectors with their terminals, as far as the chip must know of them"),
           Lower::Parts);
    button(say("Outli&ne"), say("Where parts stand on the board, and how the chip is turned there"), Lower::Outline);
    button(say("Wis&hes"), say("What the layout of the board asks for, kept by every search"), Lower::Wishes);
    head->addSpacing(12);
    filter_ = new QLineEdit;
    filter_->setPlaceholderText(say("Filter parts"));
    filter_->setAccessibleName(say("Filter parts"));
    filter_->setClearButtonEnabled(true);
    filter_->setMaximumWidth(240);
    connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
        partsShown_->setFilterRegularExpression(QRegularExpression(QRegularExpression::escape(text)));
    });
    head->addWidget(filter_);
    hint_ = new QLabel;
    hint_->setMinimumWidth(10);
    head->addWidget(hint_, 1);
    return head;
}

QWidget* BoardStation::outlinePage()
{
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 4);
    column->setSpacing(4);
    picture_ = new BoardPicture(document_, view_);
    column->addWidget(picture_, 1);
    auto* row = new QHBoxLayout;
    placeLabel_ = new QLabel;
    placeLabel_->setTextFormat(Qt::PlainText);
    row->addWidget(placeLabel_);
    placeField_ = new QLineEdit;
    placeField_->setMaximumWidth(260);
    placeField_->setMaxLength(60);
    placeField_->setPlaceholderText(say("12.5, 30 mm, turned 90, below"));
    placeField_->setAccessibleName(say("Place of what is chosen"));
    placeLabel_->setBuddy(placeField_);
    placeField_->installEventFilter(this);
    row->addWidget(placeField_, 1);
    row->addStretch(1);
    column->addLayout(row);
    connect(picture_, &BoardPicture::chosenChanged, this, &BoardStation::showPlace);
    connect(&view_, &ViewState::selectionChanged, this, [this] {
        if (!view_.pending().waits(placeField_))
            picture_->choosePartOf(view_.selectedNeed());
    });
    connect(picture_, &BoardPicture::textWanted, this, [this] {
        placeField_->setFocus();
        placeField_->selectAll();
    });
    connect(placeField_, &QLineEdit::textEdited, this, &BoardStation::noteTyping);
    connect(placeField_, &QLineEdit::returnPressed, this, [this] {
        noteTyping();
        if (view_.pending().settle(placeField_))
            picture_->setFocus();
    });
    return page;
}

void BoardStation::showLower(Lower page)
{
    if (view_.pending().settle()) {
        lower_->setCurrentIndex(int(page));
        picture_->setLive(page == Lower::Outline && isVisible());
        QWidget* const focus[] = {parts_, picture_, wishes_};
        focus[int(page)]->setFocus();
    }
    lowerButtons_[size_t(lower_->currentIndex())]->setChecked(true);
    refresh();
}

void BoardStation::showPlace()
{
    const BoardItem* item = picture_->chosen();
    if (!item || view_.pending().waits(placeField_))
        return;
    placeLabel_->setText(
        QString(say("&Place of %1")).arg(QString::fromStdString(item->title).replace("&", "&&").left(40)));
    placeField_->setText(item->place ? QString::fromStdString(placeText(*item->place)) : QString());
}

void BoardStation::noteTyping()
{
    if (const BoardItem* item = picture_->chosen())
        view_.pending().typed(placeField_,
                              [this, part = item->part] { return commitPlace(part, placeField_->text()); });
}

QString BoardStation::commitPlace(const std::string& part, const QString& text)
{
    if (!document_.isOpen())
        return {};
    const Expected<BoardPlace> place = parsePlace(text.toStdString());
    if (!place && !text.trimmed().isEmpty())
        return QString::fromStdString(place.problem().message);
    document_.apply(placeEdit(document_.snapshot(), part, place ? std::optional(*place) : std::nullopt));
    return {};
}

void BoardStation::addEditors()
{
    const auto editorFor = [this](QTableView* cells, auto choices, auto commit) {
        constexpr int kLongest = 400;
        auto* editor = new CellEditor(choices, say("not stated"), commit, view_.pending(), cells);
        editor->setMaxLength(kLongest);
        cells->setItemDelegate(editor);
    };
    const auto free = [](const QModelIndex&) { return QStringList(); };
    editorFor(facts_, free,
              [this](const QModelIndex& index, const QString& text) { return factsModel_->enter(index, text); });
    editorFor(
        parts_, [this](const QModelIndex& index) { return partsModel_->choices(partsShown_->mapToSource(index)); },
        [this](const QModelIndex& index, const QString& text) {
            return partsModel_->enter(partsShown_->mapToSource(index), text);
        });
    editorFor(
        wishes_, [this](const QModelIndex& index) { return wishesModel_->choices(index); },
        [this](const QModelIndex& index, const QString& text) { return wishesModel_->enter(index, text); });
    editorFor(nets_, free, [this](const QModelIndex& index, const QString& text) {
        const QModelIndex cell = netsShown_->mapToSource(index);
        if (!cell.isValid() || text.trimmed() == cell.data(Qt::EditRole).toString())
            return QString();
        return pins_->enterCells({{cell, text.trimmed()}}, say("Net of ") + cell.siblingAtColumn(1).data().toString());
    });
}

void BoardStation::selectWhatIsCurrent()
{
    connect(facts_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        if (now.isValid() && !factsModel_->row(now.row()).clock.empty())
            view_.select({Place::Kind::Clock, factsModel_->row(now.row()).clock, {}});
    });
    connect(parts_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        const QModelIndex index = partsShown_->mapToSource(now);
        if (index.isValid() && !restoring_ && !partsModel_->row(index.row()).need.empty())
            view_.select(
                {Place::Kind::Signal, partsModel_->row(index.row()).need, partsModel_->row(index.row()).signal});
    });
    connect(wishes_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        const BoardWishRow* wish = now.isValid() ? wishesModel_->row(now.row()) : nullptr;
        if (wish && !wish->need.empty())
            view_.select({wish->signal.empty() ? Place::Kind::Need : Place::Kind::Signal, wish->need, wish->signal});
    });
    connect(nets_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex& now) {
        const QModelIndex index = netsShown_->mapToSource(now);
        if (index.isValid() && pins_->row(index.row()).pad >= 0)
            view_.select({Place::Kind::Pad, pins_->row(index.row()).cells[1], {}});
    });
}

void BoardStation::askForPart()
{
    if (!document_.isOpen() || !view_.pending().settle())
        return;
    bool entered = false;
    const QString line = QInputDialog::getText(
        this, say("New part"),
        say("Title and terminals, as in: Pressure sensor: sda, scl; or Connector: 1, 2, 3 in a row"), QLineEdit::Normal,
        {}, &entered);
    if (!entered)
        return;
    const Expected<Edit> edit = newPartEdit(document_.snapshot(), line.toStdString());
    if (!edit)
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
    else
        document_.apply(*edit);
}

QTableView* BoardStation::table(const QString& name, QAbstractItemModel* model, const std::vector<int>& widths)
{
    auto* made = new EditableTable;
    made->setAccessibleName(name);
    made->setModel(model);
    made->setFrameShape(QFrame::NoFrame);
    made->setShowGrid(false);
    made->setSelectionMode(QAbstractItemView::SingleSelection);
    made->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                          QAbstractItemView::AnyKeyPressed);
    made->setTabKeyNavigation(false);
    made->verticalHeader()->hide();
    made->verticalHeader()->setDefaultSectionSize(22);
    made->horizontalHeader()->setStretchLastSection(true);
    made->horizontalHeader()->setHighlightSections(false);
    made->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    for (size_t c = 0; c < widths.size(); ++c)
        made->setColumnWidth(int(c), widths[c]);
    made->installEventFilter(this);
    return made;
}

void BoardStation::refresh()
{
    for (QLabel* label : {title_, hint_})
        restyle(label, QString("color: %1").arg(Theme::get().muted.name()));
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    const auto page = Lower(lower_->currentIndex());
    filter_->setVisible(page == Lower::Parts);
    hint_->setText(
        page == Lower::Parts
            ? (s.board->parts.empty() ? say("No parts yet. New part\u2026 takes a title and its terminals.") : "")
        : page == Lower::Wishes ? say("Kept by every search where that is possible; a rule is kept always.")
                                : "");
    const auto broken =
        std::ranges::count_if(s.findings, [](const Finding& finding) { return finding.rule == "BRD-02"; });
    lowerButtons_[size_t(Lower::Wishes)]->setText(broken > 0 ? QString(say("Wis&hes \u00b7 %1 not kept")).arg(broken)
                                                             : QString(say("Wis&hes")));
    title_->setText(s.plan.board.empty() ? QString(say("no board file; what is entered here is saved in the plan"))
                                         : QString(say("%1; what differs from its file is saved in the plan"))
                                               .arg(QString::fromStdString(s.board->title)));
}

void BoardStation::showEvent(QShowEvent*)
{
    factsModel_->setLive(true);
    partsModel_->setLive(true);
    wishesModel_->setLive(true);
    picture_->setLive(lower_->currentIndex() == int(Lower::Outline));
    pins_->setLive(true);
}

void BoardStation::hideEvent(QHideEvent*)
{
    factsModel_->setLive(false);
    partsModel_->setLive(false);
    wishesModel_->setLive(false);
    picture_->setLive(false);
    pins_->setLive(false);
}

void BoardStation::editClock(const std::string& clock)
{
    for (int r = 0; r < factsModel_->rowCount(); ++r)
        if (factsModel_->row(r).clock == clock) {
            const QModelIndex cell = factsModel_->index(r, BoardFactsModel::Value);
            facts_->setCurrentIndex(cell);
            facts_->setFocus();
            facts_->edit(cell);
        }
}

void BoardStation::keepCurrentPart()
{
    struct Was {
        std::string part, terminal;
        int column = 0;
    };
    auto was = std::make_shared<Was>();
    connect(partsModel_, &QAbstractItemModel::modelAboutToBeReset, this, [this, was] {
        const QModelIndex index = partsShown_->mapToSource(parts_->currentIndex());
        *was = index.isValid()
                   ? Was{partsModel_->row(index.row()).part, partsModel_->row(index.row()).terminal, index.column()}
                   : Was{};
    });
    // The view hears of the reset behind the model between them.
    connect(partsShown_, &QAbstractItemModel::modelReset, this, [this, was] {
        int found = -1;
        for (int r = 0; r < partsModel_->rowCount(); ++r)
            if (partsModel_->row(r).part == was->part && (found < 0 || partsModel_->row(r).terminal == was->terminal))
                found = r;
        if (found < 0)
            return;
        restoring_ = true;
        parts_->setCurrentIndex(partsShown_->mapFromSource(partsModel_->index(found, was->column)));
        restoring_ = false;
    });
}

std::string BoardStation::selectedPart() const
{
    const QModelIndex index = partsShown_->mapToSource(parts_->currentIndex());
    return index.isValid() ? partsModel_->row(index.row()).part : std::string();
}

void BoardStation::editTerminals()
{
    const std::string id = selectedPart();
    const Part* part = document_.isOpen() ? document_.snapshot().board->part(id) : nullptr;
    if (!part)
        return;
    bool entered = false;
    const QString list =
        QInputDialog::getText(this, say("Terminals"),
                              say("Terminals of ") + QString::fromStdString(part->title) +
                                  say(", in their order; end with \"in a row\" for a connector:"),
                              QLineEdit::Normal, QString::fromStdString(terminalList(*part)), &entered);
    if (!entered)
        return;
    const Expected<Edit> edit = partTerminalsEdit(document_.snapshot(), id, list.toStdString());
    if (!edit)
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
    else
        document_.apply(*edit);
}

void BoardStation::askForFile()
{
    if (!document_.isOpen())
        return;
    const QString path = QFileDialog::getSaveFileName(
        this, say("Save the board as a file"), QString::fromStdString(document_.snapshot().plan.name) + "-board.json",
        say("Board files (*.json)"));
    if (!path.isEmpty())
        saveAsFile(path);
}

void BoardStation::saveAsFile(const QString& path)
{
    if (!path.endsWith(".json")) {
        Q_EMIT document_.refused(say("A board file's name must end in .json."));
        return;
    }
    const std::string name = QFileInfo(path).completeBaseName().toStdString();
    if (const Outcome done = writeFileAtomically(path.toStdString(), boardText(document_.snapshot(), name)); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
    else
        Q_EMIT document_.told(say("Saved ") + path + ".");
}

bool BoardStation::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == placeField_) {
        if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
            view_.pending().forget(placeField_);
            showPlace();
            picture_->setFocus();
            return true;
        }
        // As in every other field; but looking into the data sheet in another window is not leaving it.
        if (event->type() == QEvent::FocusOut && static_cast<QFocusEvent*>(event)->reason() != Qt::PopupFocusReason &&
            static_cast<QFocusEvent*>(event)->reason() != Qt::ActiveWindowFocusReason)
            view_.pending().settle(placeField_);
        return QWidget::eventFilter(watched, event);
    }
    auto* view = qobject_cast<QTableView*>(watched);
    if (!view || event->type() != QEvent::KeyPress)
        return QWidget::eventFilter(watched, event);
    auto* key = static_cast<QKeyEvent*>(event);
    const QModelIndex now = view->currentIndex();
    const bool plain = key->modifiers() == Qt::NoModifier;
    if (plain && (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) && now.isValid() &&
        !view->indexWidget(now)) {
        // On the name of a terminal: the list of all of them.
        if (now.flags().testFlag(Qt::ItemIsEditable))
            view->edit(now);
        else if (view == parts_)
            editTerminals();
        return true;
    }
    if (plain && key->key() == Qt::Key_Delete && now.isValid()) {
        if (view == wishes_) {
            if (wishesModel_->row(now.row()))
                (void)wishesModel_->enter(wishesModel_->index(now.row(), BoardWishesModel::Sentence), {});
        } else if (view == facts_) {
            (void)factsModel_->enter(factsModel_->index(now.row(), BoardFactsModel::Value), {});
        } else if (view == nets_) {
            const QModelIndex cell = netsShown_->mapToSource(now);
            const bool resistor = std::string_view(NetColumns::columnId(cell.column())) == "resistor";
            const auto column = std::ranges::find(sheetColumns(), std::string_view(resistor ? "resistor" : "net"),
                                                  [](const SheetColumn& c) { return std::string_view(c.id); });
            pins_->setCells({{cell.siblingAtColumn(int(column - sheetColumns().begin())), QString()}},
                            (resistor ? say("Resistors at ") : say("Net of ")) +
                                cell.siblingAtColumn(1).data().toString());
        } else if (const QModelIndex cell = partsShown_->mapToSource(now);
                   partsModel_->row(cell.row()).terminal.empty()) {
            const Expected<Edit> edit = partRemoval(document_.snapshot(), partsModel_->row(cell.row()).part);
            if (!edit)
                Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
            else
                document_.apply(*edit);
        } else if (cell.flags().testFlag(Qt::ItemIsEditable)) {
            (void)partsModel_->enter(cell, {});
        }
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

} // namespace bindrel
