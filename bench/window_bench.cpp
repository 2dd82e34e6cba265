// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/clocks/ladder_view.h"
#include "app/frame/main_window.h"
#include "app/source/source_station.h"
#include "app/source/source_text.h"
#include "app/theme/theme.h"
#include "app/widgets/scintilla.h"

#include <benchmark/benchmark.h>

#include "core/plan/clock_decision.h"

#include <QApplication>
#include <QMouseEvent>
#include <QPixmap>

using namespace bindrel;

namespace {

/// From nothing to the first painted plan, as far as this process is concerned.
void windowToFirstPaintedPlan(benchmark::State& state)
{
    Theme::apply(*qApp, false);
    for (auto _ : state) {
        MainWindow window{Library(BINDREL_SOURCE_DATA)};
        window.openPlan(BINDREL_EXAMPLES "/sluice-node-c-done.bindrel");
        window.show();
        QApplication::processEvents();
        benchmark::DoNotOptimize(window.grab());
    }
}
BENCHMARK(windowToFirstPaintedPlan)->Unit(benchmark::kMillisecond);

/// Counts what is painted.
class Paints : public QObject {
public:
    int count = 0;
    bool eventFilter(QObject*, QEvent* event) override
    {
        count += event->type() == QEvent::Paint;
        return false;
    }
};

/// An edit until what it changes is painted: what a person waits for between key and picture.
void editToPicture(benchmark::State& state)
{
    Theme::apply(*qApp, false);
    MainWindow window{Library(BINDREL_SOURCE_DATA)};
    window.openPlan(BINDREL_EXAMPLES "/sluice-node-c-done.bindrel");
    window.show();
    window.showStation(Station(state.range(0)));
    QApplication::processEvents();
    Paints paints;
    qApp->installEventFilter(&paints);
    int turn = 0;
    for (auto _ : state) {
        window.document().apply(editOf("", SetClock{"BUS1", FactorDecision{turn++ % 2 ? 2 : 4}}));
        QApplication::processEvents();
    }
    state.counters["widgets"] = double(paints.count) / double(turn);
    window.document().clearJournal();
}
BENCHMARK(editToPicture)->DenseRange(1, 4)->Unit(benchmark::kMillisecond);

/// An edit until the text of the file that is shown is the new one: it is made beside the interface, which has painted
/// everything else before.
void editToSourceText(benchmark::State& state)
{
    Theme::apply(*qApp, false);
    MainWindow window{Library(BINDREL_SOURCE_DATA)};
    window.openPlan(BINDREL_EXAMPLES "/sluice-node-c-done.bindrel");
    window.show();
    window.showStation(Station::Source);
    QApplication::processEvents();
    QString text = window.source()->text()->text();
    int turn = 0;
    for (auto _ : state) {
        window.document().apply(editOf("", SetClock{"BUS1", FactorDecision{turn++ % 2 ? 2 : 4}}));
        while (window.source()->text()->text() == text)
            QApplication::processEvents();
        text = window.source()->text()->text();
    }
    window.document().clearJournal();
}
BENCHMARK(editToSourceText)->Unit(benchmark::kMillisecond);

/// A mouse move while a mark of the ladder is dragged, by real events and painted: the finest multiplier of the largest
/// chip.
void dragOnTheLadder(benchmark::State& state)
{
    Theme::apply(*qApp, false);
    MainWindow window{Library(BINDREL_SOURCE_DATA)};
    window.openPlan(BINDREL_EXAMPLES "/pump-hall-a-done.bindrel");
    window.show();
    window.showStation(Station::Clocks);
    QApplication::processEvents();
    LadderView* ladder = window.clocks()->ladder();
    // The clock with the most settings that has a mark to grip.
    const Snapshot& s = window.document().snapshot();
    int clock = -1;
    for (const ClockIndex i : s.device->clocks.indices())
        if (s.rates.clocks[i].used && ladder->rowOf(s.device->clocks[i].id) >= 0 &&
            (clock < 0 || clockChoices(*s.device, int(i)).size() > clockChoices(*s.device, clock).size()))
            clock = int(i);
    const QPointF mark = ladder->markOf(clock);
    const auto send = [&](QEvent::Type type, const QPointF& at, Qt::MouseButtons buttons) {
        QMouseEvent event(type, at, ladder->viewport()->mapToGlobal(at),
                          type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton, buttons, Qt::NoModifier);
        QApplication::sendEvent(ladder->viewport(), &event);
    };
    send(QEvent::MouseButtonPress, mark, Qt::LeftButton);
    while (!ladder->dragReady())
        QApplication::processEvents();
    int turn = 0;
    for (auto _ : state) {
        send(QEvent::MouseMove, mark + QPointF(5 + (turn++ % 40), 0), Qt::LeftButton);
        benchmark::DoNotOptimize(ladder->viewport()->grab());
    }
    send(QEvent::MouseButtonRelease, mark, Qt::NoButton);
    window.document().clearJournal();
}
BENCHMARK(dragOnTheLadder)->Unit(benchmark::kMillisecond);

} // namespace
