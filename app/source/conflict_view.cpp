// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/conflict_view.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTextCursor>
#include <QVBoxLayout>

#include <algorithm>

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

/// Shows a text between what is agreed around it, which is muted. What differs from `other`, line by line, stands out.
void fill(QPlainTextEdit& edit, const std::string& before, const std::string& text, const std::string& behind,
          const std::string& other)
{
    const Theme& t = Theme::get();
    edit.clear();
    QTextCursor cursor(edit.document());
    QTextCharFormat muted, plain, strong;
    muted.setForeground(t.muted);
    plain.setForeground(t.ink);
    plain.setBackground(t.band);
    strong = plain;
    strong.setFontWeight(QFont::Bold);
    strong.setForeground(t.accent);
    cursor.insertText(QString::fromStdString(before), muted);
    if (text.empty())
        cursor.insertText(say("(nothing)\n"), muted);
    const std::vector<std::string> lines = splitted(text, '\n'), others = splitted(other, '\n');
    for (size_t i = 0; i < lines.size() && !text.empty(); ++i) {
        if (i + 1 == lines.size() && lines[i].empty())
            break;
        const QString line = QString::fromStdString(lines[i]);
        const QString beside = lines.size() == others.size() ? QString::fromStdString(others[i]) : line;
        qsizetype from = 0, end = 0;
        while (from < std::min(line.size(), beside.size()) && line[from] == beside[from])
            ++from;
        while (end < std::min(line.size(), beside.size()) - from &&
               line[line.size() - 1 - end] == beside[beside.size() - 1 - end])
            ++end;
        cursor.insertText(line.left(from), plain);
        cursor.insertText(line.mid(from, line.size() - from - end), strong);
        cursor.insertText(line.right(end) + "\n", plain);
    }
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
    column->setSpacing(5);
    auto* top = new QHBoxLayout;
    where_ = new QLabel;
    where_->setObjectName("where");
    top->addWidget(where_, 1);
    previous_ = new QPushButton(say("Previous place"));
    next_ = new QPushButton(say("Next place"));
    top->addWidget(previous_);
    top->addWidget(next_);
    column->addLayout(top);
    // One below the other: a line of C is wider than a third of the window.
    const auto side = [&](const char* title, const char* name, const char* action, PieceChoice::Take take,
                          QPushButton*& button) {
        auto* row = new QHBoxLayout;
        auto* label = new QLabel(title);
        row->addWidget(label, 1);
        if (action) {
            button = new QPushButton(action);
            button->setCheckable(true);
            connect(button, &QPushButton::clicked, this, [this, take] { this->take(take); });
            row->addWidget(button);
        }
        column->addLayout(row);
        auto* text = new QPlainTextEdit;
        text->setReadOnly(true);
        text->setLineWrapMode(QPlainTextEdit::NoWrap);
        text->setTabChangesFocus(true);
        text->setAccessibleName(title);
        text->setObjectName(name);
        text->setMinimumHeight(48);
        label->setBuddy(text);
        column->addWidget(text, 1);
        return Side{label, text};
    };
    using Take = PieceChoice::Take;
    QPushButton* none = nullptr;
    base_ = side(say("What both came from"), "base", nullptr, Take::Mine, none);
    mine_ = side(say("Yours, on the disk"), "mine", say("Take yours"), Take::Mine, takeMine_);
    fresh_ = side(say("New, from the plan"), "new", say("Take the new"), Take::New, takeNew_);
    auto* below = new QHBoxLayout;
    result_ = new QLabel;
    // Long words must not widen the window.
    for (QLabel* label : {where_, result_})
        label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    below->addWidget(result_, 1);
    takeBoth_ = new QPushButton(say("Take yours, then the new"));
    takeBoth_->setCheckable(true);
    connect(takeBoth_, &QPushButton::clicked, this, [this] { take(PieceChoice::Take::Both); });
    below->addWidget(takeBoth_);
    reopen_ = new QPushButton(say("Leave it open"));
    below->addWidget(reopen_);
    column->addLayout(below);
    text_ = new QPlainTextEdit;
    text_->setLineWrapMode(QPlainTextEdit::NoWrap);
    text_->setTabChangesFocus(true);
    text_->setAccessibleName(say("What stands there after the write"));
    text_->setObjectName("result");
    text_->setMinimumHeight(48);
    column->addWidget(text_, 1);
    connect(previous_, &QPushButton::clicked, this, [this] { goTo(place_ - 1); });
    connect(next_, &QPushButton::clicked, this, [this] { goTo(place_ + 1); });
    connect(reopen_, &QPushButton::clicked, this, [this] {
        const QString key = QString::fromStdString(piece().key());
        choices_.erase(key.toStdString());
        showChoice();
        Q_EMIT chosen(file_, key, std::nullopt);
    });
    connect(text_, &QPlainTextEdit::textChanged, this, [this] {
        if (filling_ || conflicts_.empty())
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
    if (!conflicts_.empty())
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
    conflicts_.clear();
    for (size_t i = 0; i < pieces_.size(); ++i)
        if (!pieces_[i].agreed)
            conflicts_.push_back(int(i));
    // The first that is open.
    int first = 0;
    while (first + 1 < int(conflicts_.size()) && choices_.contains(pieces_[size_t(conflicts_[size_t(first)])].key()))
        ++first;
    if (!conflicts_.empty())
        goTo(first);
}

void ConflictView::goTo(int place)
{
    place_ = std::clamp(place, 0, int(conflicts_.size()) - 1);
    const size_t at = size_t(conflicts_[size_t(place_)]);
    const std::string before = at > 0 ? lastLines(pieces_[at - 1].text) : std::string();
    const std::string behind = at + 1 < pieces_.size() ? firstLines(pieces_[at + 1].text) : std::string();
    fill(*mine_.text, before, piece().mine, behind, piece().base);
    fill(*fresh_.text, before, piece().fresh, behind, piece().base);
    fill(*base_.text, before, piece().base, behind, piece().base);
    previous_->setEnabled(place_ > 0);
    next_->setEnabled(place_ + 1 < int(conflicts_.size()));
    showChoice();
}

void ConflictView::showChoice()
{
    if (conflicts_.empty())
        return;
    const auto found = choices_.find(piece().key());
    const bool settledHere = found != choices_.end();
    const int left = open(pieces_, choices_);
    where_->setText(QString(say("Place %1 of %2, line %3. %4"))
                        .arg(place_ + 1)
                        .arg(conflicts_.size())
                        .arg(piece().line)
                        .arg(left == 0   ? QString(say("All are settled."))
                             : left == 1 ? QString(say("One is open."))
                                         : QString(say("%1 are open.")).arg(left)));
    using Take = PieceChoice::Take;
    for (const auto& [button, take] :
         {std::pair(takeMine_, Take::Mine), {takeNew_, Take::New}, {takeBoth_, Take::Both}})
        button->setChecked(settledHere && found->second.take == take);
    reopen_->setEnabled(settledHere);
    result_->setText(settledHere ? say("This will stand there. You can edit it.")
                                 : say("Take one of the texts, or type here what is to stand there."));
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
