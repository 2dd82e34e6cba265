// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/start/chip_catalogue.h"
#include "app/widgets/entry_list.h"

#include <QWidget>

namespace bindrel {

/// One thing to begin with.
struct StartEntry {
    enum class Kind { Heading, Recent, Example, Board } kind = Kind::Heading;
    QString title;
    QString detail;
    QString target; ///< path of a plan, name of a board
};

class StartList : public EntryList {
    Q_OBJECT
public:
    using EntryList::EntryList;
    void setEntries(std::vector<StartEntry> entries);
    const std::vector<StartEntry>& entries() const { return entries_; }
    int rowCount() const override { return int(entries_.size()); }
    QString rowText(int row) const override { return entries_[size_t(row)].target; }
    QString rowKey(int row) const override
    {
        return QString::number(int(entries_[size_t(row)].kind)) + entries_[size_t(row)].target;
    }

protected:
    Look look(int row) const override
    {
        const StartEntry& entry = entries_[size_t(row)];
        return {entry.kind == StartEntry::Kind::Heading, entry.title, entry.detail};
    }

private:
    std::vector<StartEntry> entries_;
};

/// Recent plans, example plans, a new plan from a board; beside them the chips to choose from.
class StartStation : public QWidget {
    Q_OBJECT
public:
    StartStation(Document& document, QWidget* parent = nullptr);
    StartList* list() const { return list_; }
    ChipCatalogue* chips() const { return chips_; }
    void refresh(); ///< happens by itself whenever it is shown

Q_SIGNALS:
    void openWanted(const QString& path);
    void copyWanted(const QString& path);
    void newWanted(const QString& board);
    void browseWanted();

protected:
    void showEvent(QShowEvent*) override;

private:
    Document& document_;
    StartList* list_ = nullptr;
    ChipCatalogue* chips_ = nullptr;
};

/// Paths of the plans opened last, the latest first; those that are gone are left out.
QStringList recentPlans();
void rememberPlan(const QString& path);

} // namespace bindrel
