// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include <array>

namespace bindrel {

enum class Station { Start, Wiring, Clocks, Tuning, Source, Rehearsal, Board };
inline constexpr int kStations = 7;

/// The stations in the order of work, each with a small count of what waits there.
class Rail : public QWidget {
    Q_OBJECT
public:
    explicit Rail(QWidget* parent = nullptr);
    void setCurrent(Station station);
    void setCount(Station station, int count, bool error);
    QRect rectOf(Station station) const;

Q_SIGNALS:
    void picked(bindrel::Station station);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;

private:
    struct Count {
        int number = 0;
        bool error = false;
    };
    Station current_ = Station::Start;
    int hovered_ = -1;
    std::array<Count, kStations> counts_;
};

} // namespace bindrel
