// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/output/output.h"

#include <QWidget>

#include <vector>

class QLabel;
class QPlainTextEdit;
class QPushButton;

namespace bindrel {

/// The places of a file where a person's change and the new text meet, one at a time: the person's text, the new one
/// and what both came from beside each other, and below them what is to stand there.
class ConflictView : public QWidget {
    Q_OBJECT
public:
    explicit ConflictView(QWidget* parent = nullptr);

    /// Shows a file with the choices so far. The place that is looked at stays while its texts do.
    void show(const FileChange& file, const PieceChoices& choices);
    const QString& file() const { return file_; }
    int place() const { return place_; }
    void retheme();

Q_SIGNALS:
    /// A person has settled the place of that key, or taken the choice back.
    void chosen(const QString& file, const QString& key, const std::optional<PieceChoice>& choice);

private:
    void goTo(int place);
    void take(PieceChoice::Take take);
    void showChoice();
    const MergePiece& piece() const { return pieces_[size_t(conflicts_[size_t(place_)])]; }

    QString file_;
    std::vector<MergePiece> pieces_;
    std::vector<int> conflicts_; ///< into `pieces_`
    PieceChoices choices_;
    int place_ = 0; ///< into `conflicts_`
    bool filling_ = false;

    QLabel* where_;
    QPushButton* previous_;
    QPushButton* next_;
    struct Side {
        QLabel* title;
        QPlainTextEdit* text;
    };
    Side mine_, fresh_, base_;
    QPushButton* takeMine_;
    QPushButton* takeNew_;
    QPushButton* takeBoth_;
    QPushButton* reopen_;
    QLabel* result_;
    QPlainTextEdit* text_; ///< what is to stand there
};

} // namespace bindrel
