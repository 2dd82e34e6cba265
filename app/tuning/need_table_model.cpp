// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/need_table_model.h"

#include "core/base/say.h"

#include <algorithm>

namespace bindrel {

namespace {
/// The event or the request of a need; a row is about one of them.
bool isSame(const NeedTable::Row& a, const NeedTable::Row& b)
{
    constexpr std::size_t kWhat = 3;
    return a.need == b.need && a.cells[kWhat] == b.cells[kWhat];
}
} // namespace

NeedTableModel::NeedTableModel(Document& document, Sheet sheet, QObject* parent)
    : QAbstractTableModel(parent), document_(document), sheet_(sheet)
{
    refresh();
}

void NeedTableModel::refresh()
{
    if (!document_.isOpen())
        return;
    NeedTable fresh = sheet_(document_.snapshot());
    // As long as its shape stays, so do the selection and the current cell of whoever shows it.
    if (fresh.headings == table_.headings && fresh.rows.size() == table_.rows.size()) {
        // Rows that go to other places take with them what belongs to them.
        std::vector<int> places;
        for (const NeedTable::Row& row : table_.rows) {
            const auto found = std::find_if(fresh.rows.begin(), fresh.rows.end(),
                                            [&row](const NeedTable::Row& other) { return isSame(row, other); });
            places.push_back(found == fresh.rows.end() ? -1 : int(found - fresh.rows.begin()));
        }
        const bool moves = !std::is_sorted(places.begin(), places.end());
        if (moves) {
            Q_EMIT layoutAboutToBeChanged();
            QModelIndexList to;
            const QModelIndexList from = persistentIndexList();
            for (const QModelIndex& one : from)
                to.push_back(places[size_t(one.row())] < 0 ? QModelIndex()
                                                           : index(places[size_t(one.row())], one.column()));
            changePersistentIndexList(from, to);
        }
        table_ = std::move(fresh);
        if (moves)
            Q_EMIT layoutChanged();
        if (!table_.rows.empty())
            Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
        return;
    }
    beginResetModel();
    table_ = std::move(fresh);
    endResetModel();
}

QVariant NeedTableModel::data(const QModelIndex& index, int role) const
{
    if (role != Qt::DisplayRole && role != Qt::EditRole)
        return {};
    const NeedTable::Row& row = table_.rows[size_t(index.row())];
    const Need* need =
        table_.headings[size_t(index.column())] == "need" ? document_.snapshot().plan.need(row.need) : nullptr;
    return QString::fromStdString(need ? need->title : row.cells[size_t(index.column())]);
}

QVariant NeedTableModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Horizontal && role == Qt::TextAlignmentRole)
        return int(Qt::AlignLeft | Qt::AlignVCenter);
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
        return {};
    return say(headingTitle(table_.headings[size_t(section)]));
}

Qt::ItemFlags NeedTableModel::flags(const QModelIndex& index) const
{
    const Qt::ItemFlags flags = Qt::ItemIsSelectable | Qt::ItemIsEnabled;
    const std::string& heading = table_.headings[size_t(index.column())];
    return heading == "priority" || heading == "takes" ? flags | Qt::ItemIsEditable : flags;
}

bool NeedTableModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !flags(index).testFlag(Qt::ItemIsEditable))
        return false;
    const std::string need = needOf(index.row()), text = value.toString().trimmed().toStdString();
    const Need* told = document_.snapshot().plan.need(need);
    // What needs of a pad's edges and of DMA share is theirs: one need, one level.
    const std::string& goal = table_.headings[size_t(index.column())];
    const Change change = SetGoal{need, goal, text.empty() ? std::nullopt : std::optional(text)};
    return told && document_.apply(
                       editOf((goal == "takes" ? say("Handler time of ") : say("Priority of ")) + told->title, change));
}

} // namespace bindrel
