// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/goto_field.h"
#include "app/session/document.h"
#include "app/session/view_state.h"

#include <QWidget>

class QLabel;
class QToolButton;

namespace bindrel {

/// One line at the top: plan, device, board, supply and range, go-to, tallies.
class Masthead : public QWidget {
    Q_OBJECT
public:
    Masthead(Document& document, ViewState& view, QWidget* parent = nullptr);
    GotoField* gotoField() const { return goto_; }
    QToolButton* tally(int index) const { return tallies_[index]; } ///< open, contested, errors, cautions

Q_SIGNALS:
    void moveWanted();
    void findingWanted(bindrel::Finding::Severity severity);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void refresh();
    void chooseRange();
    Document& document_;
    ViewState& view_;
    QLabel* name_ = nullptr;
    QToolButton* device_ = nullptr;
    QToolButton* range_ = nullptr;
    GotoField* goto_ = nullptr;
    QToolButton* tallies_[4] = {};
};

} // namespace bindrel
