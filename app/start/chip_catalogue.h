// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "core/pins/fit.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QSpinBox;
class QTableView;
class QTextBrowser;

namespace bindrel {

class ChipFilter;
class ChipModel;

/// The chips of the library: filtered by what a job asks for, those that the open plan's needs really fit on (each is
/// placed), and two of them side by side.
class ChipCatalogue : public QWidget {
    Q_OBJECT
public:
    explicit ChipCatalogue(Document& document, QWidget* parent = nullptr);

    void refresh();
    QTableView* table() const { return table_; }
    QString comparison() const;
    /// Names of the chips that the filter leaves.
    QStringList shownChips() const;

    QLineEdit* text() const { return text_; }
    QComboBox* package() const { return package_; }
    QSpinBox* pins() const { return pins_; }
    QSpinBox* flash() const { return flash_; }
    QSpinBox* rate() const { return rate_; }
    QLineEdit* supply() const { return supply_; }
    QComboBox* kind() const { return kind_; }
    QSpinBox* kindCount() const { return kindCount_; }
    QCheckBox* mustFit() const { return mustFit_; }

Q_SIGNALS:
    void newWanted(const QString& device);  ///< a plan for the chip alone
    void moveWanted(const QString& device); ///< the open plan to it

private:
    void filter();
    void place();
    void compare();
    std::vector<int> selectedChips() const; ///< rows of chips_

    Document& document_;
    ChipModel* chips_ = nullptr;
    ChipFilter* shown_ = nullptr;
    std::shared_ptr<const Snapshot> fitsOf_; ///< the plan whose fits the chips tell; null: none
    QLineEdit* text_ = nullptr;
    QComboBox* package_ = nullptr;
    QSpinBox* pins_ = nullptr;
    QSpinBox* flash_ = nullptr;
    QSpinBox* ram_ = nullptr;
    QSpinBox* rate_ = nullptr;
    QLineEdit* supply_ = nullptr;
    QComboBox* kind_ = nullptr;
    QSpinBox* kindCount_ = nullptr;
    QCheckBox* mustFit_ = nullptr;
    QLabel* note_ = nullptr;
    QTableView* table_ = nullptr;
    QTextBrowser* detail_ = nullptr;
    Background background_{this};
};

} // namespace bindrel
