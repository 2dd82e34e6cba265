// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

class QWidget;

namespace bindrel {

/// Whether the compilers that the plan's chip names may be run: those that Bindrel does not ship are asked about, once
/// for each text of the device's file. A problem when the answer cannot be remembered.
Expected<bool> mayRunCompilers(const Snapshot& snapshot, QWidget* parent);

} // namespace bindrel
