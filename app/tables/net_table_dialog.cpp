// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tables/net_table_dialog.h"

#include "app/session/path_text.h"
#include "app/theme/theme.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/interchange/netlist.h"

#include <QDialogButtonBox>
#include <QVBoxLayout>

namespace bindrel {

namespace {
const char* const kIgnored = later("not used");
const char* const kPin = later("pin or pad");
const char* const kNet = later("net");
constexpr int kMostLines = 200;
} // namespace

NetTableDialog::NetTableDialog(Document& document, Grid grid, const QString& from, const QString& path, QWidget* parent)
    : QDialog(parent), document_(document), grid_(std::move(grid)), path_(path)
{
    setWindowTitle(say("Nets from a table"));
    resize(760, 560);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    column->setSpacing(8);
    auto* title = new QLabel(from);
    title->setTextFormat(Qt::PlainText);
    title->setFont(Theme::get().text(14, true));
    column->addWidget(title);
    table_ = new ColumnsTable(grid_, {say(kIgnored), say(kPin), say(kNet)}, false);
    column->addWidget(table_, 3);
    summary_ = new QLabel;
    summary_->setTextFormat(Qt::PlainText);
    summary_->setWordWrap(true);
    column->addWidget(summary_);
    list_ = new QListWidget;
    list_->setAccessibleName(say("What would change, and rows that are not read"));
    list_->setFont(Theme::get().mono(11));
    list_->setSelectionMode(QAbstractItemView::NoSelection);
    column->addWidget(list_, 2);
    auto* buttons = new QDialogButtonBox;
    apply_ = buttons->addButton(say("Apply"), QDialogButtonBox::AcceptRole);
    apply_->setProperty("primary", true);
    apply_->setDefault(true);
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &NetTableDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);

    const Device& device = *document_.snapshot().device;
    recognised_ = recogniseNetColumns(grid_, device);
    said_ = recognised_;
    if (!path_.isEmpty())
        if (const std::string beside = columnsBeside(pathOf(path_).string()); true)
            if (const Expected<std::string> text = readFile(beside))
                if (const Expected<NetColumns> kept = readNetColumns(*text, beside, grid_, pathOf(path_).string()))
                    said_ = recognised_ = *kept;
    connect(table_, &ColumnsTable::chosen, this, &NetTableDialog::choose);
    refresh();
}

NetTableDialog::~NetTableDialog()
{
    table_->disconnect(this);
}

void NetTableDialog::choose(int column, const QString& text)
{
    if (choosing_ != column)
        before_ = said_;
    choosing_ = column;
    said_ = before_;
    // A column is one thing, and each thing is said by one column.
    if (said_.pinColumn == column)
        said_.pinColumn = -1;
    if (said_.netColumn == column)
        said_.netColumn = -1;
    if (text == say(kPin))
        said_.pinColumn = column;
    else if (text == say(kNet))
        said_.netColumn = column;
    // Headings are what stands before the first pin.
    if (text == say(kPin))
        said_.body = firstPinRow(grid_, said_.pinColumn, *document_.snapshot().device);
    refresh();
}

void NetTableDialog::refresh()
{
    const Snapshot& s = document_.snapshot();
    for (int c = 0; c < table_->columnCount(); ++c)
        table_->setChoice(c, say(c == said_.pinColumn ? kPin : c == said_.netColumn ? kNet : kIgnored));
    table_->setBody(said_.body);
    list_->clear();
    nets_ = readNetRows(grid_, said_, *s.device);
    edit_ = editOfNets(s, nets_);
    const bool whole = said_.pinColumn >= 0 && said_.netColumn >= 0;
    apply_->setEnabled(whole && !edit_.changes.empty());
    if (!whole) {
        summary_->setText(said_.pinColumn < 0 && said_.netColumn < 0
                              ? say("Choose above the table which column is the pin or pad, and "
                                    "which is the net.")
                          : said_.pinColumn < 0 ? say("Choose which column is the pin or pad.")
                                                : say("Choose which column is the net."));
        return;
    }
    const std::string rows = sayCount(long(nets_.entries.size()), "{} net", "{} nets");
    summary_->setText(QString::fromStdString(
        nets_.entries.empty()   ? say("No row gives a net of a pad of ") + s.device->name + "."
        : edit_.changes.empty() ? rows + say("; all of them are known already.")
                                : rows + ", " + sayCount(long(edit_.changes.size()), "{} change", "{} changes") + ":"));
    Plan step = s.plan;
    for (const Change& change : edit_.changes) {
        if (list_->count() >= kMostLines)
            break;
        list_->addItem(typeset(describe(step, change)));
        if (const Expected<Plan> next = applied(step, {"", {change}}))
            step = *next;
    }
    for (const std::string& note : nets_.notes) {
        if (list_->count() >= kMostLines)
            break;
        auto* item = new QListWidgetItem(say("not read: ") + typeset(note));
        item->setForeground(Theme::get().caution);
        list_->addItem(item);
    }
}

void NetTableDialog::accept()
{
    if (!apply_->isEnabled() || !document_.apply(edit_))
        return;
    // What was said by hand holds for the next edition of the table.
    if (!path_.isEmpty() && said_ != recognised_ && said_.body > 0) {
        const std::filesystem::path file = pathOf(path_);
        const Outcome kept =
            writeFileAtomically(columnsBeside(file.string()), netColumnsText(grid_, said_, file.filename().string()));
        if (!kept)
            Q_EMIT document_.refused(QString::fromStdString(kept.problem().text()));
    }
    QDialog::accept();
}

} // namespace bindrel
