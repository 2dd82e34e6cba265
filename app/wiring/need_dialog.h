// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/need_line.h"
#include "core/snapshot.h"

#include <QDialog>

class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QStringListModel;

namespace bindrel {

/// Asks for a new need, or for what is different about one: its part, its kind, a title, the core that owns it, and
/// which terminal of the part each signal goes to. A new one can be stated in one typed line, goals too; later they are
/// set in Tuning.
class NeedDialog : public QDialog {
    Q_OBJECT
public:
    /// `need` null: a new one, for the part of this id.
    NeedDialog(const Snapshot& snapshot, const Need* need, const std::string& part, QWidget* parent = nullptr);
    /// The need as asked for; a new one has an id that the plan does not have yet.
    /// Begins the line with a text, of which the first word (the kind) is marked, to be typed over.
    void begin(const QString& line);
    Need need() const;
    /// The same as one undo step, with the part that was made up here.
    Expected<Edit> edit() const;

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void readLine();
    void offerWords();
    void refillTerminals();
    void check();
    bool newPart() const;
    std::string partId() const;

    const Snapshot& snapshot_;
    const Need* existing_;
    QFormLayout* form_ = nullptr;
    QLineEdit* line_ = nullptr;           ///< of a new need: all of it in words
    QStringListModel* offered_ = nullptr; ///< the line as it could go on
    StatedNeed stated_;                   ///< by the line, when it can be read
    QString unread_;                      ///< why it cannot
    QComboBox* part_ = nullptr;
    QLineEdit* partTitle_ = nullptr; ///< of a part that is made up here
    QComboBox* kind_ = nullptr;
    QLineEdit* title_ = nullptr;
    QComboBox* core_ = nullptr;
    QComboBox* openTo_ = nullptr;                               ///< null: the chip keeps nobody out
    std::vector<std::pair<std::string, QComboBox*>> terminals_; ///< by signal
    QLabel* note_ = nullptr;
    QPushButton* done_ = nullptr;
};

} // namespace bindrel
