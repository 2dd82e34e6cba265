// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include "app/clocks/clocks_station.h"

#include <QApplication>
#include <QKeyEvent>

namespace bindrel {

std::vector<Scene> clocksScenes()
{
    return {
        {"clocks", shows("sluice-node-c-done", Station::Clocks, {Place::Kind::Clock, "DRIVEK", {}})},
        {"clocks-broken", shows("sluice-node-c-tangled", Station::Clocks)},
        {"clocks-reach",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Clocks);
             const Device& device = *w.document().snapshot().device;
             select(w, Place::Kind::Clock, "CANK");
             w.clocks()->reach()->want(*readReachTarget(device, "USBK=48MHz\u00b10.25%"), false);
             w.clocks()->reach()->want(*readReachTarget(device, "CANK=40MHz"), true);
             waitFor([&w] { return !w.clocks()->reach()->isHidden(); });
             w.clocks()->reach()->list()->setCurrentRow(2);
             Q_EMIT w.clocks()->reach()->list()->hovered(2);
             waitFor([&w] { return !w.clocks()->reach()->verdict().contains("Rehearsing"); });
         }},
        {"clocks-impossible",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "SYS");
             w.clocks()->reach()->want(*readReachTarget(*w.document().snapshot().device, "SYS=200MHz"), false);
             waitFor([&w] { return !w.clocks()->reach()->isHidden(); });
         }},
        {"clocks-mode",
         [](MainWindow& w) {
             open(w, "rain-post-b-done");
             w.document().apply(editOf("Enter Deep", SetMode{"DEEP", true}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Mode, "DEEP");
         }},
        {"clocks-hush",
         [](MainWindow& w) {
             open(w, "pump-hall-a-done");
             w.document().apply(editOf("Enter Hush", SetMode{"HUSH", true}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Mode, "HUSH");
         }},
        {"clocks-accuracy",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("USB from its oscillator", SetClock{"UOSC", std::nullopt}));
             w.document().apply(editOf("USB from its oscillator", SetClock{"USBK", InputDecision{"UOSC"}}));
             w.document().apply(editOf("CAN from inside", SetClock{"CANK", InputDecision{"HFI"}}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "USBK");
         }},
        {"clocks-rain", shows("rain-post-b-done", Station::Clocks, {Place::Kind::Clock, "RCO", {}})},
        {"clocks-pump", shows("pump-hall-a-done", Station::Clocks, {Place::Kind::Clock, "R.VCO", {}})},
        {"clocks-folded",
         [](MainWindow& w) {
             open(w, "pump-hall-a-done");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "BUS1");
             QKeyEvent fold(QEvent::KeyPress, Qt::Key_U, Qt::NoModifier, "u");
             QApplication::sendEvent(w.clocks()->ladder(), &fold);
         }},
        {"clocks-ditch", shows("ditch-meter-d-done", Station::Clocks, {Place::Kind::Clock, "HRC", {}})},
        {"night-clocks",
         [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-done");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "UART1K");
         }},
    };
}

} // namespace bindrel
