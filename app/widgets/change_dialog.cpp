// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/change_dialog.h"

#include "app/theme/theme.h"
#include "app/widgets/lexers.h"
#include "app/widgets/scintilla.h"
#include "core/base/say.h"
#include "core/output/source_difference.h"
#include "core/pins/layout_change.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>

namespace bindrel {

ChangeDialog::ChangeDialog(const Document& document, const Edit& edit, QWidget* parent) : QDialog(parent)
{
    setWindowTitle(say("What would change"));
    setMinimumWidth(460);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    auto* title = new QLabel(QString::fromStdString(edit.title));
    title->setTextFormat(Qt::PlainText);
    title->setFont(Theme::get().text(14, true));
    column->addWidget(title);
    auto* changes = new QWidget;
    auto* lines = new QVBoxLayout(changes);
    lines->setContentsMargins(0, 0, 0, 0);
    Plan step = document.snapshot().plan;
    for (const Change& change : edit.changes) {
        auto* line = new QLabel(typeset(describe(step, change)));
        line->setTextFormat(Qt::PlainText);
        line->setWordWrap(true);
        line->setFont(Theme::get().mono(11));
        lines->addWidget(line);
        if (const Expected<Plan> next = applied(step, {"", {change}}))
            step = *next;
    }
    lines->addStretch();
    // Of many changes some are scrolled to, so that what they come to stays in sight.
    auto* list = new QScrollArea;
    list->setWidget(changes);
    list->setWidgetResizable(true);
    list->setFrameShape(QFrame::NoFrame);
    list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list->setMinimumHeight(std::min(130, int(edit.changes.size()) * 26));
    list->setMaximumHeight(std::max(26, std::min(200, changes->sizeHint().height() + 40)));
    list->setAccessibleName(say("What would change"));
    column->addWidget(list);
    layout_ = new QLabel;
    layout_->setTextFormat(Qt::PlainText);
    layout_->setWordWrap(true);
    layout_->setFont(Theme::get().text(12));
    layout_->hide();
    column->addSpacing(6);
    column->addWidget(layout_);
    pair_ = new LayoutPair;
    pair_->hide();
    column->addWidget(pair_, 1);
    verdict_ = new QLabel(say("Rehearsing the changed plan\u2026"));
    verdict_->setTextFormat(Qt::PlainText);
    verdict_->setWordWrap(true);
    verdict_->setFont(Theme::get().text(12));
    column->addSpacing(6);
    column->addWidget(verdict_);
    source_ = new QsciScintilla;
    source_->setReadOnly(true);
    source_->setUtf8(true);
    source_->setLexer(diffLexer(source_));
    source_->setPaper(Theme::get().raised);
    source_->setColor(Theme::get().ink);
    source_->setMarginWidth(1, 0);
    source_->setMinimumSize(720, 260);
    source_->setAccessibleName(say("What would be different in the C"));
    source_->hide();
    column->addWidget(source_, 1);
    auto* buttons = new QDialogButtonBox;
    showSource_ = buttons->addButton(say("Show the C"), QDialogButtonBox::ActionRole);
    showSource_->setCheckable(true);
    showSource_->setEnabled(false);
    connect(showSource_, &QPushButton::toggled, this, [this](bool on) {
        // One or the other, so that the dialog stays on a small screen.
        pair_->setVisible(!on && movesAny_);
        source_->setVisible(on);
        adjustSize();
    });
    auto* apply = buttons->addButton(say("Apply"), QDialogButtonBox::AcceptRole);
    apply->setProperty("primary", true);
    apply->setDefault(true);
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addSpacing(8);
    column->addWidget(buttons);
    // Last, because a quick answer is delivered inside this call and fills the widgets above.
    if (const auto after = document.preview(edit))
        background_.run<Outlook>(
            say("Rehearsing"),
            [before = document.sharedSnapshot(), after = *after](const Background::Stopped&) {
                Outlook out{{}, before, after, {}, {}};
                if (before->device->name == after->device->name)
                    out.layout = layoutChange(*after->device, *before->board, before->plan, *after->board, after->plan);
                out.verdict = verdictOn(after->facts(), after->findings);
                if (before->device->canBeWritten() && after->device->canBeWritten())
                    out.source = sourceDifference(before->source(), after->source());
                return out;
            },
            [this](const Outlook& outlook) { tell(outlook); });
}

void ChangeDialog::tell(const Outlook& outlook)
{
    QStringList lines;
    // What it costs stands below the pictures.
    for (const std::string& line : outlook.layout ? movesInWords(*outlook.layout) : std::vector<std::string>()) {
        const QString text = typeset(line);
        lines << text.left(1).toUpper() + text.mid(1);
    }
    layout_->setText(lines.join("\n"));
    layout_->setVisible(!lines.isEmpty());
    movesAny_ = outlook.layout.has_value();
    pair_->setVisible(movesAny_ && !showSource_->isChecked());
    if (outlook.layout) {
        pair_->setLayouts(outlook.before, outlook.after, *outlook.layout);
        setMinimumWidth(780);
        adjustSize();
    }
    source_->setText(outlook.source.empty() ? QString(say("The C stays as it is.\n"))
                                            : QString::fromStdString(outlook.source));
    showSource_->setEnabled(true);
    verdict_->setText(typeset(outlook.verdict.text));
    restyle(verdict_,
            QString("color: %1").arg((outlook.verdict.hazards ? Theme::get().error : Theme::get().muted).name()));
}

} // namespace bindrel
