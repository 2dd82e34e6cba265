// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/document.h"
#include "app/frame/view_state.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QTextBrowser;

namespace bindrel {

/// Whatever is selected, in full, the same in every station. A clock can be edited here by typing a setting or a rate.
class Inspector : public QWidget {
    Q_OBJECT
public:
    Inspector(Document& document, ViewState& view, QWidget* parent = nullptr);

    QLineEdit* field() const { return field_; }
    /// Puts the cursor into the field, with a first character when one was typed elsewhere.
    void beginEdit(const QString& first);
    QString shownText() const; ///< for tests

Q_SIGNALS:
    void optionTaken(int number);

private:
    void refresh();
    void commitField();
    void follow(const QString& link);

    Document& document_;
    ViewState& view_;
    QLabel* title_ = nullptr;
    QLabel* subtitle_ = nullptr;
    QLineEdit* field_ = nullptr;
    QLabel* trouble_ = nullptr;
    QTextBrowser* text_ = nullptr;
};

} // namespace bindrel
