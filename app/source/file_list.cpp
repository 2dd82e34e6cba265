// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/file_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <QPainter>

namespace bindrel {

void FileList::setFiles(std::vector<FileChange> files)
{
    files_ = std::move(files);
    rowsChanged();
}

void FileList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const FileChange& file = files_[size_t(row)];
    using State = FileChange::State;
    const bool quiet = file.state == State::Same || file.state == State::Yours;
    // A mark each, so that the states are told apart without colour.
    const char* mark = file.state == State::New        ? "+"
                       : file.state == State::Moved    ? "\u2192"
                       : file.state == State::Changed  ? "\u2022"
                       : file.state == State::Merged   ? "\u25d0"
                       : file.state == State::Conflict ? "!"
                       : file.state == State::Obsolete ? "\u2212"
                       : file.state == State::Left     ? "?"
                                                       : "";
    const QColor colour = file.state == State::Conflict ? t.error
                          : file.state == State::Left   ? t.caution
                          : quiet                       ? t.muted
                                                        : t.accent;
    p.setFont(t.mono(12, true));
    p.setPen(colour);
    drawLine(p, QRect(rect.left() + 12, rect.top(), 14, rect.height()), Qt::AlignCenter, QString::fromUtf8(mark));
    p.setFont(t.mono(11));
    p.setPen(quiet ? t.muted : t.ink);
    const QRect text = rect.adjusted(32, 0, -8, 0);
    drawLine(p, text, Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(file.name), Qt::ElideMiddle);
}

QString FileList::rowText(int row) const
{
    const FileChange& file = files_[size_t(row)];
    QString text = QString::fromStdString(file.name) + ": " + nameOf(file.state);
    if (!file.note.empty())
        text += "\n" + QString::fromStdString(file.note);
    return text;
}

} // namespace bindrel
