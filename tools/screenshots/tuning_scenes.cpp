// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"

namespace bindrel {

std::vector<Scene> tuningScenes()
{
    return {
        {"reached-by", shows("pump-hall-a-done", Station::Tuning, {Place::Kind::Need, "level", {}})},
        {"tuning",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "gate-bridge");
             w.tuning()->goals()->focusGoal("dead");
         }},
        {"tuning-can", shows("sluice-node-c-done", Station::Tuning, {Place::Kind::Need, "moss-bus", {}})},
        {"tuning-adc", shows("sluice-node-c-done", Station::Tuning, {Place::Kind::Need, "supply-sense", {}})},
        {"tuning-display", shows("rain-post-b-done", Station::Tuning, {Place::Kind::Need, "display", {}})},
        {"tuning-watchdog",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("x", SetGoal{"watchdog", "window", "50 %"}));
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "watchdog");
         }},
        {"tuning-uart", shows("sluice-node-c-done", Station::Tuning, {Place::Kind::Need, "uplink", {}})},
        {"tuning-spi",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Tuning);
             w.document().apply(editOf("", SetGoal{"log-flash", "valid", "8 ns"}));
             select(w, Place::Kind::Need, "log-flash");
         }},
        {"tuning-i2c", shows("sluice-node-c-done", Station::Tuning, {Place::Kind::Need, "level-probes", {}})},
        {"tuning-gpio", shows("sluice-node-c-done", Station::Tuning, {Place::Kind::Need, "lid-switch", {}})},
        {"tuning-bound-only", shows("ditch-meter-d-done", Station::Tuning, {Place::Kind::Need, "moss-bus", {}})},
    };
}

} // namespace bindrel
