// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"
#include "core/output/output.h"

namespace bindrel {

/// The files of the source with what a write would do to each.
class FileList : public RowList {
    Q_OBJECT
public:
    using RowList::RowList;
    void setFiles(std::vector<FileChange> files);
    const std::vector<FileChange>& files() const { return files_; }
    int rowCount() const override { return int(files_.size()); }
    QString rowText(int row) const override;
    QString rowKey(int row) const override { return QString::fromStdString(files_[size_t(row)].name); }

protected:
    int rowHeight(int) const override { return 19; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;

private:
    std::vector<FileChange> files_;
};

} // namespace bindrel
