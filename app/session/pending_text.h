// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QPointer>
#include <QString>
#include <QWidget>

#include <functional>
#include <vector>

namespace bindrel {

/// Text that somebody is typing and that the plan does not have yet. A field says what it is for when typing begins, so
/// that the text goes there whatever is selected by the time it is settled; and whoever selects, saves, writes,
/// searches or closes settles it first.
class PendingText : public QObject {
    Q_OBJECT
public:
    /// Puts the text where it belongs; a problem in words when it cannot go there. Called once at most.
    using Commit = std::function<QString()>;
    using QObject::QObject;

    /// To be called at every keystroke in a field; the first one since it was settled counts.
    void typed(QWidget* field, Commit commit);
    /// The text of a field is given up, or has gone its own way.
    void forget(QWidget* field);
    void forgetAll() { waiting_.clear(); }
    bool waits() const { return !waiting_.empty(); }
    bool waits(const QWidget* field) const;
    /// Commits the text of one field; true when it waits no longer.
    bool settle(QWidget* field);
    /// Commits all of it. False when a text is refused: its field is named by refused(), and has the focus again.
    bool settle();

Q_SIGNALS:
    void refused(const QString& why);

private:
    struct Waiting {
        QPointer<QWidget> field;
        Commit commit;
    };
    std::vector<Waiting> waiting_;
    bool settling_ = false;
};

} // namespace bindrel
