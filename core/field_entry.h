// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <string>
#include <vector>

/// From bits and pictures back to the plan: what a value typed into a field of a register means for a need. Where a
/// goal (or what is said of a pad) expresses it, that changes; where none does the field is set by hand.
namespace bindrel {

struct FieldEntry {
    enum class Kind { Same, Goal, ByHand, Dropped } kind = Kind::Same;
    Edit edit; ///< one undo step; without changes when all is so already
    /// What happens, in words: "Uplink, baud rate: 115.2 kBd → 117.6 kBd", or why it is set by hand.
    std::string told;
};

/// Whether a number (a rate, a time) may move the other fields that it decides: typed into one field it may not, or the
/// baud rate would go elsewhere for a number of samples; where all of them are to be others it may.
enum class OtherFields { Stay, MayMove };

/// Why nothing can be typed into a field for a need: it keeps nothing, acts when it is written, or holds data that the
/// need does not configure. Empty when something can.
std::string whyNotEntered(const Snapshot& s, NeedIndex need, const FieldRef& ref);

/// What putting `code` into a field of a need's registers changes. Fails, changing nothing, when the field is none that
/// the need decides, does not keep what is written, or the code does not fit.
Expected<FieldEntry> enterField(const Snapshot& s, NeedIndex need, const FieldRef& ref, std::uint32_t code,
                                OtherFields others = OtherFields::Stay);
/// The same from a text: a number in decimal, hexadecimal or binary, or the name of one of the field's values. An empty
/// text drops what is set by hand.
Expected<FieldEntry> enterField(const Snapshot& s, NeedIndex need, const FieldRef& ref, std::string_view text);
/// A whole register: every field that differs and can be set, goals first.
Expected<FieldEntry> enterRegister(const Snapshot& s, NeedIndex need, InstanceIndex instance, RegisterIndex reg,
                                   std::uint32_t value);

/// The goal's next value above (`up`) or below that the hardware can make, found at the field that the goal decides;
/// the edit is empty when there is none.
FieldEntry stepGoal(const Snapshot& s, NeedIndex need, std::string_view goal, bool up);

/// The change of the goal that a place in the need's picture states, when it is dragged to another time: the value that
/// the hardware makes next to it. Nothing when it cannot be there.
std::optional<Edit> dragTo(const Snapshot& s, NeedIndex need, const Waveform& picture, const Waveform::Handle& handle,
                           const Duration& at);

} // namespace bindrel
