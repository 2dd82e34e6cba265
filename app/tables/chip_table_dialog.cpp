// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tables/chip_table_dialog.h"

#include "app/session/path_text.h"
#include "app/theme/theme.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/proposals.h"
#include "core/device/layer_entry.h"
#include "core/device/layers.h"
#include "core/interchange/netlist.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QVBoxLayout>

namespace bindrel {

namespace {

enum NameColumn { Name, Meaning, Reason };

QStringList words()
{
    QStringList out;
    for (const std::string& word : columnWords())
        out << QString::fromStdString(word);
    return out;
}

} // namespace

ChipTableDialog::ChipTableDialog(std::shared_ptr<const Device> device, std::string bytes, Grid grid,
                                 const QString& path, QWidget* parent)
    : QDialog(parent), device_(std::move(device)), bytes_(std::move(bytes)), grid_(std::move(grid))
{
    const Theme& t = Theme::get();
    const std::filesystem::path home = std::filesystem::path(device_->file).parent_path(), given = pathOf(path);
    const std::filesystem::path within = given.lexically_relative(home);
    // What lies below the device's folder is read where it is; anything else gets a copy there.
    file_ = given.is_absolute() && !within.empty() && *within.begin() != ".." ? given : home / given.filename();
    setWindowTitle(say("Table of a data sheet"));
    resize(900, 640);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    column->setSpacing(8);
    auto* title = new QLabel(pathText(file_.filename()) + say(" for ") + QString::fromStdString(device_->name));
    title->setTextFormat(Qt::PlainText);
    title->setFont(t.text(14, true));
    column->addWidget(title);
    table_ = new ColumnsTable(grid_, words(), true);
    column->addWidget(table_, 3);
    summary_ = new QLabel;
    summary_->setTextFormat(Qt::PlainText);
    summary_->setWordWrap(true);
    column->addWidget(summary_);
    names_ = new QTableWidget;
    names_->setAccessibleName(say("Names in the table and what they stand for"));
    names_->setColumnCount(3);
    names_->setHorizontalHeaderLabels({say("Name"), say("Stands for"), say("Why")});
    names_->horizontalHeader()->setStretchLastSection(true);
    names_->horizontalHeader()->setHighlightSections(false);
    names_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    names_->setColumnWidth(Name, 170);
    names_->setColumnWidth(Meaning, 230);
    names_->verticalHeader()->hide();
    names_->verticalHeader()->setDefaultSectionSize(24);
    names_->setShowGrid(false);
    names_->setSelectionMode(QAbstractItemView::SingleSelection);
    names_->setTabKeyNavigation(false);
    column->addWidget(names_, 3);
    remarks_ = new QListWidget;
    remarks_->setAccessibleName(say("Rows that are not read"));
    remarks_->setFont(t.mono(11));
    remarks_->setSelectionMode(QAbstractItemView::NoSelection);
    column->addWidget(remarks_, 1);
    auto* buttons = new QDialogButtonBox;
    add_ = buttons->addButton(say("Add to ") + pathText(std::filesystem::path(device_->file).filename()),
                              QDialogButtonBox::AcceptRole);
    add_->setProperty("primary", true);
    add_->setDefault(true);
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &ChipTableDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);

    const std::string name = file_.filename().string(), beside = columnsBeside(file_.string());
    Expected<Columns> recognised = recogniseColumns(grid_, name);
    if (const Expected<std::string> text = readFile(beside)) {
        before_ = *text;
        if (Expected<Columns> kept = readColumns(*text, beside, grid_, name))
            recognised = std::move(kept);
        else
            outcome_ = QString::fromStdString(kept.problem().text());
    }
    if (recognised) {
        said_ = *std::move(recognised);
    } else if (!grid_.rows.empty()) {
        // Nothing is recognised: the first row has the headings, and the person says what they mean.
        said_.body = 1;
        for (const std::string& heading : grid_.rows.front().cells) {
            said_.columns.emplace_back();
            said_.columns.back().heading = heading;
        }
    }
    connect(table_, &ColumnsTable::chosen, this, &ChipTableDialog::choose);
    connect(names_, &QTableWidget::cellChanged, this, &ChipTableDialog::mean);
    refresh();
}

ChipTableDialog::~ChipTableDialog()
{
    table_->disconnect(this);
    names_->disconnect(this);
}

void ChipTableDialog::choose(int column, const QString& text)
{
    if (filling_ || column < 0 || size_t(column) >= said_.columns.size())
        return;
    std::optional<Column> read = columnFrom(text.trimmed().toStdString());
    table_->setWrong(column, !read);
    if (!read) {
        summary_->setText(QString(say("\u201C%1\u201D is not what a column can be. \u201Ccode\u201D and \u201Cfastest "
                                      "clock with\u201D need a number, as in \u201Ccode 7\u201D."))
                              .arg(text.trimmed()));
        add_->setEnabled(false);
        return;
    }
    read->heading = said_.columns[size_t(column)].heading;
    if (read->unit.empty())
        read->unit = said_.columns[size_t(column)].unit;
    said_.columns[size_t(column)] = *std::move(read);
    refresh();
}

void ChipTableDialog::mean(int row, int column)
{
    if (filling_ || column != Meaning || !look_ || size_t(row) >= look_->names.size())
        return;
    Expected<Columns> with =
        withMeaning(said_, look_->names[size_t(row)].name, names_->item(row, Meaning)->text().toStdString());
    if (!with) {
        summary_->setText(QString::fromStdString(with.problem().message));
        names_->item(row, Meaning)->setForeground(Theme::get().error);
        add_->setEnabled(false);
        return;
    }
    said_ = *std::move(with);
    refresh();
}

void ChipTableDialog::refresh()
{
    filling_ = true;
    const Theme& t = Theme::get();
    for (std::size_t c = 0; c < said_.columns.size(); ++c)
        table_->setChoice(int(c), QString::fromStdString(textOf(said_.columns[c])));
    table_->setBody(said_.body);
    names_->setRowCount(0);
    remarks_->clear();
    look_.reset();
    Expected<TableLook> look = lookAtTable(grid_, said_, *device_, file_.filename().string(), {});
    add_->setEnabled(look.ok());
    if (!look) {
        summary_->setText(say("Say above the columns what they mean: ") +
                          QString::fromStdString(look.problem().message));
        filling_ = false;
        return;
    }
    look_ = *std::move(look);
    long open = 0;
    names_->setRowCount(int(look_->names.size()));
    for (std::size_t n = 0; n < look_->names.size(); ++n) {
        const TableName& name = look_->names[n];
        const bool sure = name.known || name.confidence >= kLeastConfidence;
        open += !sure;
        auto* title = new QTableWidgetItem(QString::fromStdString(name.name));
        title->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        auto* meaning = new QTableWidgetItem(sure ? QString::fromStdString(name.meaning) : QString());
        meaning->setFont(t.mono(11, name.known));
        auto* why = new QTableWidgetItem(
            name.known
                ? QString("stated")
                : QString::fromStdString(
                      name.reason + (name.alternatives.empty() ? "" : say("; it could also be ") + name.alternatives)));
        why->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        why->setForeground(t.muted);
        why->setToolTip(why->text());
        names_->setItem(int(n), Name, title);
        names_->setItem(int(n), Meaning, meaning);
        names_->setItem(int(n), Reason, why);
    }
    summary_->setText(QString::fromStdString(sayCount(look_->table.rows, "{} row", "{} rows") + say(" read") +
                                             (look_->names.empty() ? "."
                                              : open == 0          ? say("; every name stands for something.")
                                                                   : "; " + sayCount(open, "{} name", "{} names") +
                                                                say(" without a meaning ") +
                                                                (open == 1 ? "is" : "are") + say(" not read."))));
    for (const Problem& remark : look_->table.file.remarks)
        if (remark.message.find("nothing says which") == std::string::npos)
            remarks_->addItem(QString::fromStdString(remark.text()));
    remarks_->setVisible(remarks_->count() > 0);
    filling_ = false;
}

Outcome ChipTableDialog::write()
{
    const std::filesystem::path device = device_->file;
    const std::string beside = columnsBeside(file_.string());
    // The names that were proposed and not struck out are taken with the others.
    Columns taken = said_;
    for (const TableName& name : look_->names)
        if (!name.known && !name.meaning.empty() && name.confidence >= kLeastConfidence)
            if (Expected<Columns> with = withMeaning(taken, name.name, name.meaning))
                taken = *std::move(with);
    const std::string columns = columnsTextOver(before_, taken, file_.filename().string());
    const Expected<std::string> read = readFile(device);
    if (!read)
        return read.problem();
    const std::string relative = file_.lexically_relative(device.parent_path()).generic_string();
    // A maker's file alone has no list of layers: it becomes the first one of a device file.
    std::error_code error;
    const bool alone = formatOf(*read, device.string()) != MakersFormat::Device;
    const std::filesystem::path target = alone ? device.parent_path() / (lowered(device_->name) + ".json") : device;
    if (alone && std::filesystem::exists(target, error))
        return problemOf(say("{} is there already; open that and add the table to it.", target.string()));
    const std::string was = alone ? deviceTextFor(device) : *read;
    const Expected<std::string> now = withLayer(was, target.string(), relative, columnsBeside(relative));
    if (!now)
        return now.problem();
    if (!std::filesystem::exists(file_, error)) {
        if (const Outcome done = writeFileAtomically(file_, bytes_); !done)
            return done;
    } else if (const Expected<std::string> there = readFile(file_); !there || *there != bytes_) {
        return problemOf(say("{} is another table; rename one of the two.", file_.string()));
    }
    const Expected<bool> kept = replaceFile(beside, columns, &before_);
    if (!kept)
        return kept.problem();
    if (!*kept)
        return problemOf(beside + say(" was changed meanwhile; nothing was saved."));
    outcome_ = QString(say("%1 is a layer of %2; what its columns and names mean is in %3."))
                   .arg(pathText(file_.filename()), pathText(target.filename()),
                        QString::fromStdString(columnsBeside(file_.filename().string())));
    if (alone) {
        outcome_ += say(" Open ") + pathText(target.filename()) + say(" from now on.");
        return writeFileAtomically(target, *now);
    }
    if (*now == was)
        return {};
    const Expected<bool> named = replaceFile(device, *now, &was);
    if (!named)
        return named.problem();
    return *named ? Outcome()
                  : Outcome(problemOf(device.string() + say(" was changed meanwhile; its layers were not.")));
}

void ChipTableDialog::accept()
{
    if (!look_ || !add_->isEnabled())
        return;
    if (const Outcome done = write(); !done) {
        summary_->setText(QString::fromStdString(done.problem().text()));
        restyle(summary_, QString("color: %1").arg(Theme::get().error.name()));
        return;
    }
    QDialog::accept();
}

} // namespace bindrel
