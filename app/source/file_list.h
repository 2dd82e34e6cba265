// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"
#include "core/output/output.h"

#include <map>
#include <set>

namespace bindrel {

/// What each file of a source belongs to, by its name.
std::map<std::string, std::string> groupsOf(const Source& source);

/// The files of the source with what a write would do to each, below what they belong to. A heading counts what a write
/// would do there; Enter, a double click, and the keys to the left and right close and open it.
class FileList : public RowList {
    Q_OBJECT
public:
    explicit FileList(QWidget* parent = nullptr);
    /// `groups`: what each file belongs to, by name; a file that has none is no longer written.
    void setFiles(std::vector<FileChange> files, const std::map<std::string, std::string>& groups);
    const std::vector<FileChange>& files() const { return files_; }
    /// The file of a row; null for a heading and for none.
    const FileChange* fileAt(int row) const;
    bool has(const QString& name) const;
    /// Makes a file current, and opens what it belongs to; false when there is no such file.
    bool choose(const QString& name);
    int rowCount() const override { return int(rows_.size()); }
    QString rowText(int row) const override;
    QString rowKey(int row) const override;

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    struct Row {
        QString group;
        int file = -1; ///< into files_; -1: the group's heading
    };
    void arrange();
    void setOpen(int row, bool open);
    bool isHeading(int row) const { return row >= 0 && row < rowCount() && rows_[size_t(row)].file < 0; }
    /// "2 changed, 1 new"; empty when a write would do nothing there.
    QString countsOf(const QString& group) const;

    std::vector<FileChange> files_;
    std::vector<QString> groupOf_; ///< by file
    std::vector<Row> rows_;
    std::set<QString> closed_;
};

} // namespace bindrel
