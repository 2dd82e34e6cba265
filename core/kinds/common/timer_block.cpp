// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/timer_block.h"

namespace bindrel {

std::vector<RoleSpec> timerRoles()
{
    using Use = RoleSpec::Use;
    return {
        {"on", Use::Config, true, "", "Runs the counter.", {}},
        {"prescaler", Use::Config, false, "clock cycles per tick", "", {}},
        {"period", Use::Config, true, "ticks", "Of a period; of one slope when it counts up and down.", {}},
        {"update", Use::Command, false, "", "Applies buffered values immediately.", {}},
        {"updated", Use::Status, false, "", "A period is over.", {}},
        {"update_interrupt",
         Use::Config,
         false,
         "",
         "Enables the interrupt at the end of a period. Without it, it is always enabled.",
         {}},
        {"counter", Use::Data, false, "ticks", "The count.", {}},
        {"chain",
         Use::Config,
         false,
         "code of the timer",
         "Takes the periods of another timer instead of the clock: its named values are timers, and `clock`.",
         {}},
        {"hands_on",
         Use::Config,
         false,
         "",
         "1: passes its periods to timers that count them. Without it, it always does.",
         {}},
        {"once", Use::Config, false, "", "Stops after one period.", {}},
        {"input_filter", Use::Config, false, "clock cycles", "Shorter pulses on inputs are ignored.", {}},
        {"captures", Use::Config, false, "", "1: the channels take time stamps.", {}},
        {"captures#", Use::Config, false, "", "1: the channel takes time stamps, where each can be told apart.", {}},
        {"edge#",
         Use::Config,
         false,
         "",
         "The edge that a channel takes.",
         {{"rising", 0}, {"falling", 1}, {"both", 2}}},
        {"compare#",
         Use::Data,
         false,
         "ticks",
         "The channel is active while the count is below. Of a channel that takes time stamps: the last of them.",
         {},
         false,
         {},
         RoleSpec::Encodings::MinusOne},
        {"captured#", Use::Status, false, "", "The channel has taken a time stamp.", {}},
        {"capture_interrupt#", Use::Config, false, "", "Lets a time stamp interrupt.", {}},
        {"index", Use::Config, false, "", "1: a rising edge on channel 3 sets the count of an encoder to zero.", {}},
        {"quadrature",
         Use::Config,
         false,
         "",
         "1: the counter follows the two phases of an encoder on channels 1 and 2, a count each edge, and begins anew "
         "after its period.",
         {}},
    };
}

std::vector<WordSpec> timerSignals()
{
    return {{"CH#", "Output or input of a channel."}};
}

std::vector<WordSpec> timerEvents()
{
    return {{"update", "A period is over."},
            {"capture", "A time stamp was taken."},
            {"fault", "The fault input was active."},
            {"event", "Any of them."}};
}

} // namespace bindrel
