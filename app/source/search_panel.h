// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/output/output.h"

#include <QWidget>

#include <vector>

class QLabel;
class QListWidget;

namespace bindrel {

/// Lines of all files that hold a text; choosing one leads there.
class SearchPanel : public QWidget {
    Q_OBJECT
public:
    explicit SearchPanel(QWidget* parent = nullptr);

    /// Looks for the text, in either case of letters, in what the files hold after a write. Hidden for an empty text.
    void search(const QString& text, const std::vector<FileChange>& files);
    /// To the next line that was found, from the last to the first.
    void goToNext();
    QString status() const;
    QListWidget* list() const { return list_; }
    void retheme();

Q_SIGNALS:
    void placeChosen(const QString& file, int line);

private:
    struct Match {
        QString file;
        int line = 0; ///< from 1
    };
    std::vector<Match> matches_;
    QLabel* status_;
    QListWidget* list_;
};

} // namespace bindrel
