// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "core/clocks/reach.h"
#include "core/pins/options.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QTextBrowser;

namespace bindrel {

class OptionFinder;

/// Whatever is selected, in full, the same in every station. A clock can be edited here by typing a setting or a rate.
class Inspector : public QWidget {
    Q_OBJECT
public:
    Inspector(Document& document, ViewState& view, OptionFinder& options, QWidget* parent = nullptr);

    QLineEdit* field() const { return field_; }
    /// Puts the cursor into the field, with a first character when one was typed elsewhere.
    void beginEdit(const QString& first);
    QString shownText() const; ///< for tests
    /// Offers the instances that could serve a need, each with what that would take.
    void takeChoice(const std::string& text);
    void askInstance(const std::string& need);
    Background& background() { return background_; }

Q_SIGNALS:
    void optionTaken(int number);
    /// A rate was typed that is to be reached; `also`: in addition to what is wanted already.
    void reachWanted(const bindrel::ReachTarget& target, bool also);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void refresh();
    void noteTyping();
    /// Does what the field says to a clock: a setting at once, a rate by a search when `search`. Why it cannot be;
    /// empty when it is done.
    QString commitField(const std::string& clock, const QString& text, bool search);
    void offerInstances(const std::shared_ptr<const Snapshot>& asked, NeedIndex need,
                        const std::vector<InstanceOption>& options);
    void follow(const QString& link);
    /// Asks for a property of the pad that carries a signal, by a menu of its choices or a field.
    void askNet(const std::string& pad);
    void askProperty(const std::string& need, const std::string& signal, const std::string& property);

    Document& document_;
    ViewState& view_;
    OptionFinder& finder_;
    QLabel* title_ = nullptr;
    QLabel* subtitle_ = nullptr;
    QLineEdit* field_ = nullptr;
    QLabel* trouble_ = nullptr;
    QTextBrowser* text_ = nullptr;
    QString html_;      ///< that it shows
    std::string clock_; ///< whose setting is in the field; empty: none
    Background background_{this};
    bool dark_ = false;
};

} // namespace bindrel
