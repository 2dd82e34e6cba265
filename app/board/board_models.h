// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "core/interchange/board_sheet.h"

#include <QAbstractTableModel>

namespace bindrel {

/// Rows of the open plan's board that a cell can state anew. What is entered makes an edit of the document; nothing is
/// kept here.
class BoardModel : public QAbstractTableModel {
    Q_OBJECT
public:
    explicit BoardModel(Document& document, QObject* parent = nullptr);

    /// Whether it follows the document; what nobody sees need not be made anew at every edit.
    void setLive(bool live);
    /// Takes what was entered in a cell; a problem in words when it cannot be.
    QString enter(const QModelIndex& index, const QString& text);
    /// Texts that a cell can have; empty for free text.
    virtual QStringList choices(const QModelIndex&) const { return {}; }

protected:
    virtual Expected<Edit> editFor(const QModelIndex& index, const std::string& text) const = 0;
    /// Makes the rows anew, for the open plan or for none; true when there are as many as before.
    virtual bool remake() = 0;
    /// The same places keep their rows, so that selection and scrolling stay; true when they are the same.
    template <typename Row> bool replaceRows(std::vector<Row>& rows, std::vector<Row> next);

    Document& document_;
    bool live_ = false;

private:
    void refresh();
};

/// Supply, temperature, and what drives each oscillator from outside.
class BoardFactsModel : public BoardModel {
    Q_OBJECT
public:
    enum Column { Title, Value, Source, Range, Columns };
    using BoardModel::BoardModel;

    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(rows_.size()); }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    const BoardFact& row(int index) const { return rows_[size_t(index)]; }

protected:
    Expected<Edit> editFor(const QModelIndex& index, const std::string& text) const override;
    bool remake() override;

private:
    std::vector<BoardFact> rows_;
};

/// Parts, each followed by its terminals and what is known of them.
class BoardPartsModel : public BoardModel {
    Q_OBJECT
public:
    enum Column { Title, LeadsTo, Pull, Voltage, Current, Inactive, Columns };
    using BoardModel::BoardModel;

    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(rows_.size()); }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    QStringList choices(const QModelIndex& index) const override;
    const BoardPartRow& row(int index) const { return rows_[size_t(index)]; }

protected:
    Expected<Edit> editFor(const QModelIndex& index, const std::string& text) const override;
    bool remake() override;

private:
    std::vector<BoardPartRow> rows_;
};

/// What the person who lays out the board wishes, and behind them a row to enter another one.
class BoardWishesModel : public BoardModel {
    Q_OBJECT
public:
    enum Column { Sentence, Strength, State, Columns };
    using BoardModel::BoardModel;

    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(rows_.size()) + 1; }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    QStringList choices(const QModelIndex& index) const override;
    /// A line for each kind of sentence.
    static QString examples();
    /// Null for the row in which another one is entered.
    const BoardWishRow* row(int index) const { return size_t(index) < rows_.size() ? &rows_[size_t(index)] : nullptr; }

protected:
    Expected<Edit> editFor(const QModelIndex& index, const std::string& text) const override;
    bool remake() override;

private:
    std::vector<BoardWishRow> rows_;
};

} // namespace bindrel
