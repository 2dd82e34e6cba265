// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QWidget>

#include <optional>
#include <vector>

namespace bindrel {

/// How much of each memory a program takes, a bar for each.
class MemoryBars : public QWidget {
    Q_OBJECT
public:
    struct Row {
        QString name;                    ///< "sluice, flash"
        std::uint64_t used = 0, all = 0; ///< bytes
    };
    explicit MemoryBars(QWidget* parent = nullptr);
    void setRows(std::vector<Row> rows);
    const std::vector<Row>& rows() const { return rows_; }

    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return sizeHint(); }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    static constexpr int kRow = 20;
    std::vector<Row> rows_;
};

} // namespace bindrel
