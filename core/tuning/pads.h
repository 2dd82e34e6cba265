// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/pins/bindings.h"

#include <string>
#include <vector>

namespace bindrel {

struct Setting;

/// How one pad is to be set for the signal that it carries.
struct PadSetup {
    PadIndex pad = -1;
    NeedIndex need = -1;
    int seat = -1;
    int code = 0;       ///< of the pad's function field; -1: nothing is selected at the pad
    bool wired = false; ///< fixed wiring, the port leaves it alone
    bool gpio = false;  ///< the port itself has the pad
    bool output = false;
    bool levelHigh = false; ///< of an output, set before it drives
    enum class Pull { None, Up, Down } pull = Pull::None;
    bool openDrain = false;
    enum class Drive { Weak, Medium, Strong } drive = Drive::Weak;
    bool fast = false;   ///< edges, where the pad can choose
    Frequency toggles;   ///< how fast the signal makes the pad toggle at most; zero where that does not matter
    std::string because; ///< why pull, drive and open drain are as they are, where nobody said so
    std::vector<std::string> said; ///< properties that the plan states: "pull", "drive", …
    bool isSaid(std::string_view property) const;

    int line = -1;  ///< external-interrupt line, -1 for none
    Duration quiet; ///< shorter pulses tell nothing; zero: every edge does
    bool rising = false;
    bool falling = false;
};

PadSetup::Pull pullNamed(std::string_view text);
PadSetup::Drive driveNamed(std::string_view text);
const char* nameOf(PadSetup::Pull pull);
const char* nameOf(PadSetup::Drive drive);

/// The place in the pad's list of strengths: weak is the first, strong the last, medium the middle (of two the
/// stronger). 0 when it lists none.
std::size_t driveIndex(const Pad& pad, PadSetup::Drive drive);

/// How fast a pad can toggle at a drive strength and with these edges; weaker drives charge the line more slowly. Zero
/// when the data sheet gives no figure.
Frequency padToggles(const Pad& pad, PadSetup::Drive drive, bool fast);
/// What a pad can give at a drive strength; zero when the data sheet gives no figure.
Current padGives(const Pad& pad, PadSetup::Drive drive);

/// The pads of all needs that are bound, in the order of the device's pads. Open and contested needs have none: what
/// their pads should be is not decided yet.
std::vector<PadSetup> setUpPads(const Device& device, const Plan& plan, const Bindings& bindings,
                                const IndexVector<NeedIndex, Setting>& settings);

} // namespace bindrel
