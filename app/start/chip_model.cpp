// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/start/chip_model.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/quantity/format.h"

namespace bindrel {

QString ChipModel::text(int row, int column) const
{
    const auto& [device, figures] = chips_[size_t(row)];
    switch (column) {
    case Name:
        return QString::fromStdString(device->name);
    case PackageName:
        return QString("%1 %2").arg(QString::fromStdString(device->package.name), nameOf(device->package.kind));
    case Pins:
        return QString::number(figures.pins);
    case Cores:
        return QString::fromStdString(figures.cores);
    case Fastest:
        return typeset(format(figures.fastest));
    case Flash:
        return QString(say("%1 KiB")).arg(figures.flashBytes / 1024);
    case Ram:
        return QString(say("%1 KiB")).arg(figures.ramBytes / 1024);
    case Supply: {
        const std::string from = format(device->supplyMin);
        return typeset(from.substr(0, from.find(' ')) + "\u2013" + format(device->supplyMax));
    }
    default:
        break;
    }
    const auto fit = fits_.find(device->name);
    if (fit == fits_.end())
        return {};
    if (!fit->second.fits)
        return QString::fromStdString(fit->second.why);
    const int moved = fit->second.cost.moved;
    return moved == 0 ? QString(say("fits as it is"))
                      : QString(say("fits, %1 %2")).arg(moved).arg(moved == 1 ? say("need moves") : say("needs move"));
}

QVariant ChipModel::sortedBy(int row, int column) const
{
    const auto& [device, figures] = chips_[size_t(row)];
    switch (column) {
    case Pins:
        return figures.pins;
    case Fastest:
        return figures.fastest.toDouble();
    case Flash:
        return qulonglong(figures.flashBytes);
    case Ram:
        return qulonglong(figures.ramBytes);
    case Supply:
        return device->supplyMin.toDouble();
    default:
        return text(row, column);
    }
}

QVariant ChipModel::data(const QModelIndex& index, int role) const
{
    const int column = index.column();
    switch (role) {
    case Qt::DisplayRole:
        return text(index.row(), column);
    case kSortRole:
        return sortedBy(index.row(), column);
    case Qt::ToolTipRole:
        return column == Cores || column == Fits ? QVariant(text(index.row(), column)) : QVariant();
    case Qt::FontRole:
        return column == Name ? QVariant(Theme::get().text(12, true)) : QVariant();
    case Qt::TextAlignmentRole:
        return column == Pins || column == Fastest || column == Flash || column == Ram || column == Supply
                   ? QVariant(int(Qt::AlignRight | Qt::AlignVCenter))
                   : QVariant();
    default:
        return {};
    }
}

QVariant ChipModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    static const char* const titles[] = {later("Chip"), later("Package"), later("Pins"),
                                         later("Core"), later("CPU"),     later("Flash"),
                                         later("RAM"),  later("Supply"),  later("Open plan")};
    if (orientation == Qt::Horizontal && role == Qt::TextAlignmentRole)
        return int(Qt::AlignLeft | Qt::AlignVCenter);
    return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(say(titles[section])) : QVariant();
}

void ChipModel::setChips(const std::vector<std::shared_ptr<const Device>>& devices)
{
    beginResetModel();
    chips_.clear();
    for (const auto& device : devices)
        chips_.push_back({device, digest(*device)});
    endResetModel();
}

void ChipModel::setFits(std::map<std::string, Fit> fits)
{
    fits_ = std::move(fits);
    if (!chips_.empty())
        Q_EMIT dataChanged(index(0, Fits), index(rowCount() - 1, Fits));
}

bool ChipModel::fits(int row) const
{
    const auto fit = fits_.find(device(row).name);
    return fit != fits_.end() && fit->second.fits;
}

ChipFilter::ChipFilter(ChipModel& chips, QObject* parent) : QSortFilterProxyModel(parent)
{
    setSourceModel(&chips);
    setSortRole(ChipModel::kSortRole);
    setDynamicSortFilter(true);
}

void ChipFilter::setAccepted(std::function<bool(int)> accepted)
{
    accepted_ = std::move(accepted);
    invalidateFilter();
}

} // namespace bindrel
