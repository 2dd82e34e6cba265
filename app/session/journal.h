// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/directory.h"
#include "core/plan/plan.h"

#include <QString>
#include <QStringList>

#include <optional>
#include <vector>

namespace bindrel {

/// Unsaved work, written beside the saved plans so that it outlives the program. Each session of the program has a
/// folder of its own that it holds against others while it lives; a journal of a session that is gone is offered until
/// somebody settles it, and nothing ever overwrites it.
class Journal {
public:
    /// One journal that a session which is gone has left.
    struct Entry {
        QString file;     ///< the journal itself
        QString planPath; ///< of the plan that it belongs to; empty for one that was never saved
        QString when;     ///< for people
    };

    /// Journals lie below this folder; without one the application's own.
    explicit Journal(const QString& folder = {});
    ~Journal();

    /// Where journals lie.
    const QString& folder() const { return root_; }

    /// Writes the plan as it is now; false when that was not possible, which must not get in the way of the work
    /// itself.
    bool write(const QString& planPath, const Plan& plan);
    /// Forgets what this session has written about the open plan.
    void clear();

    /// Of this plan ("" for those never saved), the youngest first.
    std::vector<Entry> leftOver(const QString& planPath) const;
    /// The person has decided about it.
    void settle(const Entry& entry);
    /// A journal that cannot be read is set aside under another name, which is given.
    QString setAside(const Entry& entry);

private:
    bool begin();

    QString root_, session_;
    QString own_; ///< file that is written at present
    std::optional<FolderLock> alive_;
};

} // namespace bindrel
