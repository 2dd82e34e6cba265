// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/main_window.h"
#include "app/theme/theme.h"

#include <benchmark/benchmark.h>

#include <QApplication>
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

/// An edit with the station painted anew: what a person waits for between key and picture.
void editToPicture(benchmark::State& state)
{
    Theme::apply(*qApp, false);
    MainWindow window{Library(BINDREL_SOURCE_DATA)};
    window.openPlan(BINDREL_EXAMPLES "/sluice-node-c-done.bindrel");
    window.show();
    window.showStation(Station(state.range(0)));
    QApplication::processEvents();
    int turn = 0;
    for (auto _ : state) {
        window.document().apply(editOf("", SetClock{"BUS1", turn++ % 2 ? "2" : "4"}));
        benchmark::DoNotOptimize(window.grab());
    }
    window.document().clearJournal();
}
BENCHMARK(editToPicture)->DenseRange(1, 4)->Unit(benchmark::kMillisecond);

} // namespace
