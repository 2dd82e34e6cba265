// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/pending_text.h"

#include <algorithm>

namespace bindrel {

void PendingText::typed(QWidget* field, Commit commit)
{
    if (!waits(field))
        waiting_.push_back({field, std::move(commit)});
}

void PendingText::forget(QWidget* field)
{
    std::erase_if(waiting_, [field](const Waiting& w) { return !w.field || w.field == field; });
}

bool PendingText::waits(const QWidget* field) const
{
    return std::any_of(waiting_.begin(), waiting_.end(), [field](const Waiting& w) { return w.field == field; });
}

bool PendingText::settle(QWidget* field)
{
    const auto found =
        std::find_if(waiting_.begin(), waiting_.end(), [field](const Waiting& w) { return w.field == field; });
    if (found == waiting_.end())
        return true;
    // Out of the list first: what committing brings about may ask to settle again.
    const Waiting waiting = std::move(*found);
    waiting_.erase(found);
    const QString why = waiting.commit();
    if (why.isEmpty())
        return true;
    if (waiting.field && !waits(waiting.field))
        waiting_.push_back(waiting);
    Q_EMIT refused(why);
    return !waiting.field;
}

bool PendingText::settle()
{
    if (settling_)
        return true;
    settling_ = true;
    std::erase_if(waiting_, [](const Waiting& w) { return !w.field; });
    std::vector<QPointer<QWidget>> fields;
    for (const Waiting& w : waiting_)
        fields.push_back(w.field);
    QWidget* kept = nullptr;
    for (const QPointer<QWidget>& field : fields)
        if (field && !settle(field) && field)
            kept = field;
    settling_ = false;
    if (kept)
        kept->setFocus(Qt::OtherFocusReason);
    return !kept;
}

} // namespace bindrel
