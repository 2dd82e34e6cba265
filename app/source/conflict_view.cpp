// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/conflict_view.h"

#include "app/theme/theme.h"
#include "core/base/text.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTextCursor>
#include <QVBoxLayout>

namespace bindrel {

namespace {

constexpr int kContext = 2; ///< lines of what is agreed, before and behind a place

/// The last or first lines of a text, each with its line end.
std::string lastLines(const std::string& text)
{
    std::vector<std::string> lines = splitted(text, '\n');
    if (!lines.empty() && lines.back().empty())
        lines.pop_back();
    std::string out;
    for (size_t i = lines.size() > kContext ? lines.size() - kContext : 0; i < lines.size(); ++i)
        out += lines[i] + "\n";
    return out;
}
std::string firstLines(const std::string& text)
{
    std::string out;
    int count = 0;
    for (const std::string& line : splitted(text, '\n'))
        if (count++ < kContext)
            out += line + "\n";
    return out;
}

/// Shows a text between what is agreed around it, which is muted.
void fill(QPlainTextEdit& edit, const std::string& before, const std::string& text, const std::string& behind)
{
    const Theme& t = Theme::get();
    edit.clear();
    QTextCursor cursor(edit.document());
    QTextCharFormat muted, plain;
    muted.setForeground(t.muted);
    plain.setForeground(t.ink);
    plain.setBackground(t.band);
    cursor.insertText(QString::fromStdString(before), muted);
    cursor.insertText(text.empty() ? QString("(nothing)\n") : QString::fromStdString(text),
                      text.empty() ? muted : plain);
    std::string rest = behind;
    if (rest.ends_with('\n'))
        rest.pop_back();
    cursor.insertText(QString::fromStdString(rest), muted);
    edit.moveCursor(QTextCursor::Start);
}

} // namespace

ConflictView::ConflictView(QWidget* parent) : QWidget(parent)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 6, 12, 0);
    column->setSpacing(8);
    auto* top = new QHBoxLayout;
    where_ = new QLabel;
    where_->setObjectName("where");
    top->addWidget(where_, 1);
    previous_ = new QPushButton("Previous place");
    next_ = new QPushButton("Next place");
    top->addWidget(previous_);
    top->addWidget(next_);
    column->addLayout(top);
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    const auto side = [&](int at, const char* title, const char* name) {
        auto* label = new QLabel(title);
        auto* text = new QPlainTextEdit;
        text->setReadOnly(true);
        text->setLineWrapMode(QPlainTextEdit::NoWrap);
        text->setTabChangesFocus(true);
        text->setAccessibleName(title);
        text->setObjectName(name);
        text->setMinimumWidth(120);
        label->setBuddy(text);
        grid->addWidget(label, 0, at);
        grid->addWidget(text, 1, at);
        grid->setColumnStretch(at, 1);
        return Side{label, text};
    };
    mine_ = side(0, "Yours, on the disk", "mine");
    fresh_ = side(1, "New, from the plan", "new");
    base_ = side(2, "What both came from", "base");
    const auto button = [&](int at, const char* text, PieceChoice::Take take) {
        auto* out = new QPushButton(text);
        out->setCheckable(true);
        grid->addWidget(out, 2, at);
        connect(out, &QPushButton::clicked, this, [this, take] { this->take(take); });
        return out;
    };
    takeMine_ = button(0, "Take yours", PieceChoice::Take::Mine);
    takeNew_ = button(1, "Take the new", PieceChoice::Take::New);
    takeBoth_ = button(2, "Take yours, then the new", PieceChoice::Take::Both);
    column->addLayout(grid, 3);
    auto* below = new QHBoxLayout;
    result_ = new QLabel;
    below->addWidget(result_, 1);
    reopen_ = new QPushButton("Leave it open");
    below->addWidget(reopen_);
    column->addLayout(below);
    text_ = new QPlainTextEdit;
    text_->setLineWrapMode(QPlainTextEdit::NoWrap);
    text_->setTabChangesFocus(true);
    text_->setAccessibleName("What stands there after the write");
    text_->setObjectName("result");
    column->addWidget(text_, 2);
    connect(previous_, &QPushButton::clicked, this, [this] { goTo(place_ - 1); });
    connect(next_, &QPushButton::clicked, this, [this] { goTo(place_ + 1); });
    connect(reopen_, &QPushButton::clicked, this, [this] {
        const QString key = QString::fromStdString(piece().key());
        choices_.erase(key.toStdString());
        showChoice();
        Q_EMIT chosen(file_, key, std::nullopt);
    });
    connect(text_, &QPlainTextEdit::textChanged, this, [this] {
        if (filling_ || contested_.empty())
            return;
        const PieceChoice choice{PieceChoice::Take::Text, text_->toPlainText().toStdString()};
        choices_[piece().key()] = choice;
        showChoice();
        Q_EMIT chosen(file_, QString::fromStdString(piece().key()), choice);
    });
    retheme();
}

void ConflictView::retheme()
{
    const Theme& t = Theme::get();
    for (QPlainTextEdit* text : {mine_.text, fresh_.text, base_.text, text_})
        text->setFont(t.mono(12));
    for (QLabel* label : {mine_.title, fresh_.title, base_.title, result_})
        label->setFont(t.text(12));
    where_->setFont(t.text(13, true));
    if (!contested_.empty())
        goTo(place_);
}

void ConflictView::show(const FileChange& file, const PieceChoices& choices)
{
    const QString name = QString::fromStdString(file.name);
    const bool same =
        name == file_ && file.pieces.size() == pieces_.size() &&
        std::equal(pieces_.begin(), pieces_.end(), file.pieces.begin(), [](const MergePiece& a, const MergePiece& b) {
            return a.agreed == b.agreed && a.text == b.text && a.key() == b.key();
        });
    choices_ = choices;
    if (same) {
        showChoice();
        return;
    }
    file_ = name;
    pieces_ = file.pieces;
    contested_.clear();
    for (size_t i = 0; i < pieces_.size(); ++i)
        if (!pieces_[i].agreed)
            contested_.push_back(int(i));
    // The first that is open.
    int first = 0;
    while (first + 1 < int(contested_.size()) && choices_.contains(pieces_[size_t(contested_[size_t(first)])].key()))
        ++first;
    if (!contested_.empty())
        goTo(first);
}

void ConflictView::goTo(int place)
{
    place_ = std::clamp(place, 0, int(contested_.size()) - 1);
    const size_t at = size_t(contested_[size_t(place_)]);
    const std::string before = at > 0 ? lastLines(pieces_[at - 1].text) : std::string();
    const std::string behind = at + 1 < pieces_.size() ? firstLines(pieces_[at + 1].text) : std::string();
    fill(*mine_.text, before, piece().mine, behind);
    fill(*fresh_.text, before, piece().fresh, behind);
    fill(*base_.text, before, piece().base, behind);
    previous_->setEnabled(place_ > 0);
    next_->setEnabled(place_ + 1 < int(contested_.size()));
    showChoice();
}

void ConflictView::showChoice()
{
    if (contested_.empty())
        return;
    const auto found = choices_.find(piece().key());
    const bool settledHere = found != choices_.end();
    const int left = open(pieces_, choices_);
    where_->setText(QString("Place %1 of %2, line %3. %4")
                        .arg(place_ + 1)
                        .arg(contested_.size())
                        .arg(piece().line)
                        .arg(left == 0   ? QString("All are settled.")
                             : left == 1 ? QString("One is open.")
                                         : QString("%1 are open.").arg(left)));
    using Take = PieceChoice::Take;
    for (const auto& [button, take] :
         {std::pair(takeMine_, Take::Mine), {takeNew_, Take::New}, {takeBoth_, Take::Both}})
        button->setChecked(settledHere && found->second.take == take);
    reopen_->setEnabled(settledHere);
    result_->setText(settledHere ? "This will stand there. You can edit it."
                                 : "Take one of the texts, or type here what is to stand there.");
    const QString text = settledHere ? QString::fromStdString(settled(piece(), found->second)) : QString();
    // What is being typed keeps its cursor.
    const bool typing = settledHere && found->second.take == Take::Text;
    if (!(typing && text_->toPlainText().toStdString() == found->second.text) && text_->toPlainText() != text) {
        filling_ = true;
        text_->setPlainText(text);
        filling_ = false;
    }
}

void ConflictView::take(PieceChoice::Take take)
{
    const PieceChoice choice{take, {}};
    choices_[piece().key()] = choice;
    showChoice();
    Q_EMIT chosen(file_, QString::fromStdString(piece().key()), choice);
}

} // namespace bindrel
