// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include "app/frame/findings_drawer.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"

#include <QLineEdit>

#include <algorithm>

namespace bindrel {

namespace {

/// A search is answered when it is done.
void waitForProposals(MainWindow& w)
{
    waitFor([&w] { return w.wiring()->proposing(); });
}

} // namespace

std::vector<Scene> wiringScenes()
{
    return {
        {"wiring-open", shows("sluice-node-c-start", Station::Wiring)},
        {"wiring", shows("sluice-node-c-done", Station::Wiring, {Place::Kind::Need, "uplink", {}})},
        {"wiring-options",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             select(w, Place::Kind::Signal, "uplink", "cts");
             w.view().showOptions(true);
             waitFor([&w] { // until each option has its price
                 const std::vector<Option>& found = w.options()->options();
                 return !found.empty() && std::none_of(found.begin(), found.end(), [](const Option& option) {
                     return option.cost == Option::Cost::Contends;
                 });
             });
         }},
        {"wiring-contention",
         [](MainWindow& w) {
             open(w, "sluice-node-c-tangled");
             w.findings()->list()->setCurrentRow(0);
         }},
        {"untangle",
         [](MainWindow& w) {
             open(w, "sluice-node-c-tangled");
             w.wiring()->untangle();
             waitForProposals(w);
         }},
        {"wiring-drag",
         [](MainWindow& w) {
             open(w, "sluice-node-c-start");
             ChipView* chip = w.wiring()->chip();
             select(w, Place::Kind::Need, "level-probes");
             chip->dragOver({Place::Kind::Signal, "level-probes", "scl"}, chip->pinPosition("PB8") + QPointF(2, 3));
         }},
        {"room",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             ChipView* chip = w.wiring()->chip();
             select(w, Place::Kind::Signal, "uplink", "rts");
             chip->dragOver({Place::Kind::Signal, "uplink", "rts"}, chip->pinPosition("PB9") + QPointF(2, 3));
         }},
        {"parts",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.wiring()->addPart();
             waitForProposals(w);
             w.wiring()->partFilter()->setText("radio");
         }},
        {"pin-sheet",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "drive", "strong"}));
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "name", "FLASH_CLK"}));
             w.wiring()->toggleSheet();
             select(w, Place::Kind::Pad, "PA6", "log-flash");
         }},
        {"pad-findings",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "drive", "weak"}));
             w.document().apply(editOf("x", SetGoal{"frost-heater", "level", "high"}));
             select(w, Place::Kind::Signal, "log-flash", "sck");
         }},
        {"turned",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.wiring()->chip()->turn();
         }},
        {"grid-near",
         [](MainWindow& w) {
             open(w, "pump-hall-a-grid");
             w.wiring()->chip()->zoomBy(2.4);
         }},
        {"grid-far",
         [](MainWindow& w) {
             open(w, "pump-hall-a-grid");
             w.wiring()->chip()->zoomBy(0.55);
         }},
        {"night-sheet",
         [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-tangled");
             w.wiring()->toggleSheet();
             select(w, Place::Kind::Pad, "PD3", "uplink");
         }},
        {"night-tangled",
         [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-tangled");
         }},
        {"wiring-rain", shows("rain-post-b-done", Station::Wiring, {Place::Kind::Need, "radio", {}})},
        {"wiring-pump", shows("pump-hall-a-done", Station::Wiring, {Place::Kind::Need, "pump", {}})},
        {"wiring-grid", shows("pump-hall-a-grid", Station::Wiring, {Place::Kind::Need, "pump", {}})},
        {"wiring-ditch", shows("ditch-meter-d-done", Station::Wiring, {Place::Kind::Need, "fence-bus", {}})},
        {"night-wiring",
         [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-done");
             select(w, Place::Kind::Signal, "gate-bridge", "fault");
         }},
    };
}

} // namespace bindrel
