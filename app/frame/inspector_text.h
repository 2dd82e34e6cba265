// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/options.h"
#include "core/snapshot.h"

#include <QString>

namespace bindrel {

/// What the inspector says of a thing, as rich text. Links have the form "kind:id" ("clock:SYS", "need:uplink",
/// "pad:PD3", "hold:clock SYS", "mode:STOP", "option:3").
QString clockText(const Snapshot& snapshot, ClockIndex clock);
QString modeText(const Snapshot& snapshot, int mode);
QString modesSummary(const Snapshot& snapshot);
QString needText(const Snapshot& snapshot, NeedIndex need, const std::string& signal,
                 const std::vector<Option>& options);
QString padText(const Snapshot& snapshot, PadIndex pad);
QString registerText(const Snapshot& snapshot, const std::string& dotted);
QString storedText(const Snapshot& snapshot, const std::string& id, const StoredSetting& setting);
QString planSummary(const Snapshot& snapshot);

} // namespace bindrel
