// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/move_dialog.h"

#include "app/theme/theme.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/digest.h"
#include "core/plan/board_facts.h"
#include "core/quantity/format.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace bindrel {

void DestinationList::setDestinations(std::vector<Destination> destinations)
{
    destinations_ = std::move(destinations);
    rowsChanged();
}

MoveDialog::MoveDialog(Document& document, QWidget* parent) : QDialog(parent), document_(document)
{
    setWindowTitle(say("Change chip or board"));
    resize(860, 560);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 12);
    auto* across = new QHBoxLayout;
    across->setSpacing(0);
    list_ = new DestinationList;
    list_->setFixedWidth(280);
    list_->setAccessibleName(say("Chips and boards"));
    across->addWidget(list_);
    across->addWidget(verticalRule());
    text_ = new QTextBrowser;
    text_->setFrameShape(QFrame::NoFrame);
    text_->setAccessibleName(say("What would become of the plan"));
    text_->document()->setDocumentMargin(16);
    across->addWidget(text_, 1);
    column->addLayout(across, 1);
    column->addWidget(horizontalRule());
    auto* buttons = new QDialogButtonBox;
    buttons->setContentsMargins(12, 8, 12, 0);
    take_ = buttons->addButton(say("Apply"), QDialogButtonBox::AcceptRole);
    take_->setProperty("primary", true);
    take_->setEnabled(false);
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);

    const Snapshot& s = document_.snapshot();
    std::vector<Destination> all;
    all.push_back({Destination::Kind::Heading, say("Chips and packages, same board"), {}, {}, {}});
    for (const auto& device : document_.library().devices()) {
        const DeviceDigest figures = digest(*device);
        QString detail = QString(say("%1, %2 KiB flash, %3 KiB RAM"))
                             .arg(QString::fromStdString(device->package.name))
                             .arg(figures.flashBytes / 1024)
                             .arg(figures.ramBytes / 1024);
        if (device->name == s.device->name)
            detail = say("now; ") + detail;
        all.push_back({Destination::Kind::Device, QString::fromStdString(device->name), detail, device, s.filedBoard});
    }
    all.push_back({Destination::Kind::Heading, say("Boards with their chips"), {}, {}, {}});
    for (const std::string& name : document_.library().boardNames()) {
        Expected<Board> board = document_.library().board(name);
        const auto device = board ? document_.library().device(board->device)
                                  : Expected<std::shared_ptr<const Device>>(problemOf("none"));
        if (!device)
            continue;
        const QString detail =
            typeset(board->device + ", " + format(board->supply) + (board->name == s.plan.board ? say(", now") : ""));
        const QString title = QString::fromStdString(board->title);
        all.push_back(
            {Destination::Kind::Board, title, detail, *device, std::make_shared<const Board>(*std::move(board))});
    }
    list_->setDestinations(std::move(all));
    connect(list_, &RowList::currentChanged, this, &MoveDialog::look);
    connect(list_, &RowList::activated, this, [this] {
        if (take_->isEnabled())
            accept();
    });
    text_->setHtml(
        QString(say("<p style='color:%1'>Choose a chip or a board. What stays, what moves and what cannot be "
                    "kept is shown before anything is done.</p>"))
            .arg(Theme::get().muted.name()));
    list_->setFocus();
}

void MoveDialog::showDevice(const std::string& name)
{
    for (int row = 0; row < list_->rowCount(); ++row)
        if (const Destination& d = list_->destinations()[size_t(row)];
            d.kind == Destination::Kind::Device && d.device->name == name) {
            list_->setCurrentRow(row);
            look(row);
            return;
        }
}

void MoveDialog::look(int row)
{
    shown_.reset();
    take_->setEnabled(false);
    const Destination destination = list_->destinations()[size_t(row)];
    const auto s = document_.sharedSnapshot();
    // A plan without a board stays without one.
    const auto board = s->plan.board.empty() && destination.kind == Destination::Kind::Device
                           ? std::make_shared<const Board>(bareBoard(*destination.device))
                           : destination.board;
    background_.run<Relocation>(
        say("Placing the needs"),
        [s, device = destination.device, board](const Background::Stopped& stopped) {
            return relocate(*device, *board, *s->board, s->plan, stopped);
        },
        [this](Relocation there) { tell(there); });
}

void MoveDialog::tell(const Relocation& there)
{
    using Fate = Relocation::Fate;
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    shown_ = there;
    const auto escaped = [](const std::string& text) { return typeset(text).toHtmlEscaped(); };
    const auto titleOf = [&](const std::string& id) {
        const Need* need = there.plan.need(id);
        return QString::fromStdString(need ? need->title : id).toHtmlEscaped();
    };
    const bool nothing = there.edit.changes.empty();
    QString body = QString("<h3 style='margin:0'>%1</h3>")
                       .arg(nothing ? QString(say("The plan's present chip or board")) : escaped(there.edit.title));
    const int opens = there.count(Fate::Opens);
    QStringList sum;
    sum << QString(say("%1 stay")).arg(there.count(Fate::Stays))
        << QString(say("%1 move")).arg(there.count(Fate::Moves));
    if (opens > 0)
        sum << QString(say("<b style='color:%1'>%2 cannot be placed</b>")).arg(t.error.name()).arg(opens);
    if (there.count(Fate::Open) > 0)
        sum << QString(say("%1 stay unbound")).arg(there.count(Fate::Open));
    if (there.count(Fate::Added) > 0)
        sum << QString(say("%1 are added")).arg(there.count(Fate::Added));
    body += say("<p>Of the needs ") + sum.join(", ") + ".</p>";
    const auto section = [&](Fate fate, const QString& heading, const QColor& colour) {
        QString rows;
        for (const Relocation::Item& item : there.items)
            if (item.fate == fate)
                rows += QString("<tr><td style='padding:1px 14px 1px 0'>%1</td><td style='color:%2'>%3</td></tr>")
                            .arg(titleOf(item.need), colour.name(), escaped(item.text));
        if (!rows.isEmpty())
            body += QString("<p style='color:%1; margin:10px 0 2px 0'>%2</p><table>%3</table>")
                        .arg(t.muted.name(), heading, rows);
    };
    section(Fate::Opens, say("Cannot be placed; they stay in the plan, unbound"), t.error);
    section(Fate::Moves, say("Move"), t.ink);
    if (!there.lost.empty()) {
        QString rows;
        for (const std::string& lost : there.lost)
            rows += "<li>" + escaped(lost) + "</li>";
        body += QString(say("<p style='color:%1; margin:10px 0 2px 0'>Cannot be kept</p><ul style='margin:0 0 0 14px; "
                            "-qt-list-indent:0'>%2</ul>"))
                    .arg(t.muted.name(), rows);
    }
    section(Fate::Added, say("Added"), t.ink);
    const Expected<std::shared_ptr<const Snapshot>> after = document_.preview(there.edit);
    if (after) {
        const int errors = (*after)->count(Finding::Severity::Error);
        body += QString(say("<p>Afterwards the plan has %1 (now %2).</p>"))
                    .arg(QString::fromStdString(sayCount(errors, "{} error", "{} errors")))
                    .arg(s.count(Finding::Severity::Error));
    }
    text_->setHtml(body);
    take_->setEnabled(!nothing && !there.cancelled);
}

} // namespace bindrel
