// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/pin_sheet_model.h"

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"
#include "core/plan/pin_property.h"

#include <QFont>

namespace bindrel {

PinSheetModel::PinSheetModel(Document& document, QObject* parent) : QAbstractTableModel(parent), document_(document)
{
    connect(&document_, &Document::changed, this, &PinSheetModel::refresh);
}

void PinSheetModel::setLive(bool live)
{
    live_ = live;
    refresh();
}

void PinSheetModel::refresh()
{
    std::vector<SheetRow> rows = live_ && document_.isOpen() ? pinSheet(document_.snapshot()) : std::vector<SheetRow>();
    // The same pins keep their rows, so that selection and scrolling stay.
    if (rows.empty() && rows_.empty())
        return;
    const bool same = rows.size() == rows_.size() && !rows.empty() && rows.front().cells[0] == rows_.front().cells[0] &&
                      rows.back().cells[1] == rows_.back().cells[1];
    if (!same) {
        beginResetModel();
        rows_ = std::move(rows);
        endResetModel();
        return;
    }
    rows_ = std::move(rows);
    Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
}

QStringList PinSheetModel::choices(int column)
{
    QStringList out;
    if (const PinProperty* property = findPinProperty(sheetColumns()[size_t(column)].property))
        for (const std::string& choice : property->choices)
            out << QString::fromStdString(choice);
    return out;
}

QVariant PinSheetModel::data(const QModelIndex& index, int role) const
{
    const Theme& t = Theme::get();
    const SheetRow& row = rows_[size_t(index.row())];
    const SheetColumn& column = sheetColumns()[size_t(index.column())];
    const QString text = QString::fromStdString(row.cells[size_t(index.column())]);
    const std::string id = column.id;
    const Snapshot& s = document_.snapshot();
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole:
        return text;
    case Qt::FontRole: {
        // What the plan says stands out against what follows from the signal.
        const bool said = row.need >= 0 && findPinProperty(column.property) && id != "net" &&
                          pinProperty(s.plan.needs[row.need], row.signal, column.property);
        return id == "pin" || id == "pad" || id == "signal" || id == "code" ? t.mono(11, said) : t.text(12, said);
    }
    case Qt::ForegroundRole:
        return row.contested && (id == "need" || id == "signal") ? t.error : row.pad < 0 ? t.muted : t.ink;
    case Qt::DecorationRole:
        if (id == "need" && row.need >= 0)
            return hueOf(s, s.plan.needs[row.need]);
        break;
    case Qt::ToolTipRole:
        if (row.pad >= 0 && *column.property)
            for (const PadSetup& setup : s.pads)
                if (setup.pad == row.pad && !setup.because.empty() && !setup.isSaid(column.property) &&
                    (id == "pull" || id == "drive" || id == "speed" || id == "open_drain"))
                    return QString::fromStdString(say("because ") + setup.because);
        return text;
    default:
        break;
    }
    return {};
}

QVariant PinSheetModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Horizontal && role == Qt::DisplayRole)
        return QString(say(sheetColumns()[size_t(section)].title));
    return {};
}

Qt::ItemFlags PinSheetModel::flags(const QModelIndex& index) const
{
    Qt::ItemFlags flags = QAbstractTableModel::flags(index);
    const SheetRow& row = rows_[size_t(index.row())];
    const std::string property = sheetColumns()[size_t(index.column())].property;
    if (row.pad >= 0 && !property.empty() && (row.need >= 0 || property == "net" || property == "resistor"))
        flags |= Qt::ItemIsEditable;
    return flags;
}

bool PinSheetModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || value.toString() == data(index, Qt::EditRole).toString())
        return false;
    return setCells({{index, value.toString()}}, QString(say("%1 of %2"))
                                                     .arg(sheetColumns()[size_t(index.column())].title,
                                                          QString::fromStdString(row(index.row()).cells[1])));
}

bool PinSheetModel::setCells(const std::vector<std::pair<QModelIndex, QString>>& cells, const QString& title)
{
    const QString why = enterCells(cells, title);
    if (!why.isEmpty())
        Q_EMIT document_.refused(why);
    return why.isEmpty();
}

QString PinSheetModel::enterCells(const std::vector<std::pair<QModelIndex, QString>>& cells, const QString& title)
{
    if (!document_.isOpen())
        return {};
    Edit edit{title.toStdString(), {}};
    for (const auto& [index, text] : cells) {
        const SheetRow& at = row(index.row());
        const Expected<Change> change = cellChange(document_.snapshot(), at, sheetColumns()[size_t(index.column())].id,
                                                   text.trimmed().toStdString());
        if (!change)
            return QString(say("Pin %1: %2"))
                .arg(QString::fromStdString(at.cells[0]), QString::fromStdString(change.problem().message));
        edit.changes.push_back(*change);
    }
    document_.apply(edit);
    return {};
}

} // namespace bindrel
