// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/board/board_models.h"
#include "app/board/board_picture.h"
#include "app/session/view_state.h"

#include <QWidget>

class QHBoxLayout;
class QPushButton;
class QStackedWidget;
class QLabel;
class QLineEdit;
class QSortFilterProxyModel;
class QTableView;
class QVBoxLayout;

namespace bindrel {

class PinSheetModel;

/// What is soldered around the chip, as far as the chip must know of it: supply, temperature, crystals and clocks that
/// are fed in, parts with their terminals, nets. Each cell states it, for a bare chip too.
class BoardStation : public QWidget {
    Q_OBJECT
public:
    BoardStation(Document& document, ViewState& view, QWidget* parent = nullptr);

    QTableView* facts() const { return facts_; }
    QTableView* parts() const { return parts_; }
    QTableView* nets() const { return nets_; }
    QTableView* wishes() const { return wishes_; }
    QLineEdit* filter() const { return filter_; }
    BoardPicture* picture() const { return picture_; }
    QLineEdit* placeField() const { return placeField_; }

    /// The cell where it is said what drives a clock, being edited when there is one.
    void editClock(const std::string& clock);
    /// Writes all of it as a board file for other plans.
    void saveAsFile(const QString& path);

    enum class Lower { Parts, Outline, Wishes };
    /// What is shown below facts and nets.
    void showLower(Lower page);

public Q_SLOTS:
    void askForFile();
    /// Asks for the terminals of the selected part.
    void editTerminals();

Q_SIGNALS:
    void partWanted(); ///< another one
    void netsWanted(); ///< from a netlist or a table

protected:
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    QHBoxLayout* headRow();
    void addTables(QVBoxLayout& column);
    void addEditors();
    /// The inspector shows what a row is about.
    void selectWhatIsCurrent();
    QHBoxLayout* lowerHead();
    QWidget* outlinePage();
    void showPlace();
    void noteTyping();
    QString commitPlace(const std::string& part, const QString& text);
    void askForPart();
    QTableView* table(const QString& name, QAbstractItemModel* model, const std::vector<int>& widths);
    void refresh();
    std::string selectedPart() const;
    /// Other rows, the same place: that of the part where its terminal is gone.
    void keepCurrentPart();

    Document& document_;
    ViewState& view_;
    BoardFactsModel* factsModel_ = nullptr;
    BoardPartsModel* partsModel_ = nullptr;
    BoardWishesModel* wishesModel_ = nullptr;
    PinSheetModel* pins_ = nullptr;
    QSortFilterProxyModel* partsShown_ = nullptr;
    QSortFilterProxyModel* netsShown_ = nullptr;
    QTableView* facts_ = nullptr;
    QTableView* parts_ = nullptr;
    QTableView* nets_ = nullptr;
    QTableView* wishes_ = nullptr;
    QLineEdit* filter_ = nullptr;
    QStackedWidget* lower_ = nullptr;
    std::vector<QPushButton*> lowerButtons_; ///< by what they show
    BoardPicture* picture_ = nullptr;
    QLabel* placeLabel_ = nullptr;
    QLineEdit* placeField_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* hint_ = nullptr;
    bool restoring_ = false;
};

} // namespace bindrel
