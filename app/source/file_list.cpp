// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/file_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>

namespace bindrel {

namespace {

constexpr const char* kNoLonger = later("No longer written");

} // namespace

std::map<std::string, std::string> groupsOf(const Source& source)
{
    std::map<std::string, std::string> out;
    for (const SourceFile& file : source.files)
        out.emplace(file.name, file.group);
    return out;
}

FileList::FileList(QWidget* parent) : RowList(parent)
{
    connect(this, &RowList::activated, this, [this](int row) {
        if (isHeading(row))
            setOpen(row, closed_.contains(rows_[size_t(row)].group));
    });
}

void FileList::setFiles(std::vector<FileChange> files, const std::map<std::string, std::string>& groups)
{
    files_ = std::move(files);
    groupOf_.clear();
    for (const FileChange& file : files_) {
        const auto group = groups.find(file.name);
        groupOf_.push_back(group == groups.end() ? say(kNoLonger) : say(group->second));
    }
    arrange();
}

/// Groups stand in the order of their first files.
void FileList::arrange()
{
    std::vector<QString> order;
    for (const QString& group : groupOf_)
        if (std::find(order.begin(), order.end(), group) == order.end())
            order.push_back(group);
    rows_.clear();
    for (const QString& group : order) {
        rows_.push_back({group, -1});
        for (std::size_t i = 0; i < files_.size() && !closed_.contains(group); ++i)
            if (groupOf_[i] == group)
                rows_.push_back({group, int(i)});
    }
    rowsChanged();
}

const FileChange* FileList::fileAt(int row) const
{
    return row < 0 || row >= rowCount() || isHeading(row) ? nullptr : &files_[size_t(rows_[size_t(row)].file)];
}

bool FileList::has(const QString& name) const
{
    return std::any_of(files_.begin(), files_.end(),
                       [&name](const FileChange& file) { return QString::fromStdString(file.name) == name; });
}

bool FileList::choose(const QString& name)
{
    for (std::size_t i = 0; i < files_.size(); ++i) {
        if (QString::fromStdString(files_[i].name) != name)
            continue;
        if (closed_.erase(groupOf_[i]) > 0)
            arrange();
        for (int row = 0; row < rowCount(); ++row)
            if (rows_[size_t(row)].file == int(i))
                setCurrentRow(row);
        return true;
    }
    return false;
}

void FileList::setOpen(int row, bool open)
{
    const QString group = rows_[size_t(row)].group;
    if (open == !closed_.contains(group))
        return;
    if (open)
        closed_.erase(group);
    else
        closed_.insert(group);
    arrange();
    for (int r = 0; r < rowCount(); ++r)
        if (isHeading(r) && rows_[size_t(r)].group == group)
            setCurrentRow(r);
}

void FileList::keyPressEvent(QKeyEvent* event)
{
    const int row = currentRow();
    if (row >= 0 && row < rowCount() && (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right)) {
        // From a file, the key to the left leads to its heading.
        for (int heading = row; heading >= 0; --heading)
            if (isHeading(heading)) {
                if (heading == row)
                    setOpen(row, event->key() == Qt::Key_Right);
                else if (event->key() == Qt::Key_Left)
                    setCurrentRow(heading);
                return;
            }
    }
    RowList::keyPressEvent(event);
}

QString FileList::countsOf(const QString& group) const
{
    QStringList out;
    using State = FileChange::State;
    for (const State state :
         {State::New, State::Moved, State::Changed, State::Merged, State::Conflict, State::Obsolete, State::Left}) {
        int count = 0;
        for (std::size_t i = 0; i < files_.size(); ++i)
            count += groupOf_[i] == group && files_[i].state == state;
        if (count > 0)
            out << QString("%1 %2").arg(count).arg(nameOf(state));
    }
    return out.join(", ");
}

QString FileList::rowKey(int row) const
{
    const Row& r = rows_[size_t(row)];
    return r.file < 0 ? say("group ") + r.group : QString::fromStdString(files_[size_t(r.file)].name);
}

int FileList::rowHeight(int row) const
{
    return isHeading(row) ? 24 : 19;
}

void FileList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    if (isHeading(row)) {
        const QString& group = rows_[size_t(row)].group;
        p.setFont(t.text(11, true));
        p.setPen(t.muted);
        drawLine(p, QRect(rect.left() + 8, rect.top(), 14, rect.height()), Qt::AlignCenter,
                 QString::fromUtf8(closed_.contains(group) ? "\u25b8" : "\u25be"));
        const QString counts = countsOf(group);
        p.setFont(t.text(11));
        const int room = counts.isEmpty() ? 0 : p.fontMetrics().horizontalAdvance(counts) + 10;
        p.setPen(counts.contains(nameOf(FileChange::State::Conflict)) ? t.error : t.accent);
        drawLine(p, rect.adjusted(0, 0, -8, 0), Qt::AlignVCenter | Qt::AlignRight, counts);
        p.setFont(t.text(11, true));
        p.setPen(t.ink);
        drawLine(p, rect.adjusted(26, 0, -8 - room, 0), Qt::AlignVCenter | Qt::AlignLeft, group, Qt::ElideRight);
        return;
    }
    const FileChange& file = *fileAt(row);
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
    drawLine(p, QRect(rect.left() + 22, rect.top(), 14, rect.height()), Qt::AlignCenter, QString::fromUtf8(mark));
    p.setFont(t.mono(11));
    p.setPen(quiet ? t.muted : t.ink);
    const QRect text = rect.adjusted(40, 0, -8, 0);
    drawLine(p, text, Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(file.name), Qt::ElideMiddle);
}

QString FileList::rowText(int row) const
{
    if (isHeading(row)) {
        const QString& group = rows_[size_t(row)].group;
        const QString counts = countsOf(group);
        return group + (counts.isEmpty() ? QString() : ": " + counts) +
               (closed_.contains(group) ? say(", closed") : "");
    }
    const FileChange& file = *fileAt(row);
    QString text = QString::fromStdString(file.name) + ": " + nameOf(file.state);
    if (!file.note.empty())
        text += "\n" + QString::fromStdString(file.note);
    return text;
}

} // namespace bindrel
