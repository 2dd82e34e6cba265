// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/device/digest.h"
#include "core/pins/fit.h"

#include <QAbstractTableModel>
#include <QSortFilterProxyModel>

#include <functional>
#include <map>
#include <memory>

namespace bindrel {

/// The chips of a library, a row each: what a choice among them goes by, and how the open plan fits.
class ChipModel : public QAbstractTableModel {
    Q_OBJECT
public:
    enum Column { Name, PackageName, Pins, Cores, Fastest, Flash, Ram, Supply, Fits, Columns };
    /// What a column is sorted by: a number or a text.
    static constexpr int kSortRole = Qt::UserRole;

    using QAbstractTableModel::QAbstractTableModel;
    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(chips_.size()); }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(Columns); }
    QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role = Qt::DisplayRole) const override;

    void setChips(const std::vector<std::shared_ptr<const Device>>& devices);
    /// How the open plan fits, by the chip's name; empty: it is not known.
    void setFits(std::map<std::string, Fit> fits);
    const Device& device(int row) const { return *chips_[size_t(row)].device; }
    const DeviceDigest& figures(int row) const { return chips_[size_t(row)].figures; }
    bool fits(int row) const;

private:
    QString text(int row, int column) const;
    QVariant sortedBy(int row, int column) const;

    struct Chip {
        std::shared_ptr<const Device> device;
        DeviceDigest figures;
    };
    std::vector<Chip> chips_;
    std::map<std::string, Fit> fits_;
};

/// Those of a ChipModel that a person asks for, sorted by the column that they choose.
class ChipFilter : public QSortFilterProxyModel {
    Q_OBJECT
public:
    explicit ChipFilter(ChipModel& chips, QObject* parent = nullptr);
    void setAccepted(std::function<bool(int row)> accepted);

protected:
    bool filterAcceptsRow(int row, const QModelIndex&) const override { return !accepted_ || accepted_(row); }

private:
    std::function<bool(int)> accepted_;
};

} // namespace bindrel
