// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/widgets/layout_pair.h"
#include "core/rehearsal/rehearsal.h"

#include <QDialog>
#include <QLabel>

class QPushButton;
class QsciScintilla;

namespace bindrel {

/// Shows what an edit would change, before and after, what that does to the layout, with the hazards that a rehearsal
/// of the changed plan shows, and asks for leave.
class ChangeDialog : public QDialog {
    Q_OBJECT
public:
    ChangeDialog(const Document& document, const Edit& edit, QWidget* parent = nullptr);
    QString verdict() const { return verdict_->text(); }
    /// A line for each thing that the layout gains or loses; empty when nothing bound moves.
    QString layoutText() const { return layout_->text(); }
    /// The difference in the C, once it is asked for.
    QPushButton* showSource() const { return showSource_; }
    QsciScintilla* source() const { return source_; }
    /// Both layouts side by side; hidden when nothing moves.
    LayoutPair* pair() const { return pair_; }

private:
    struct Outlook {
        std::optional<LayoutChange> layout;
        std::shared_ptr<const Snapshot> before, after;
        Verdict verdict;
        std::string source; ///< what would be different in the C
    };
    void tell(const Outlook& outlook);

    QLabel* layout_ = nullptr;
    LayoutPair* pair_ = nullptr;
    bool movesAny_ = false;
    QPushButton* showSource_ = nullptr;
    QsciScintilla* source_ = nullptr; ///< shown on demand
    QLabel* verdict_ = nullptr;
    Background background_{this};
};

} // namespace bindrel
