// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"
#include "core/snapshot.h"

#include <QColor>
#include <QRectF>

class QPainter;

namespace bindrel {

/// The shapes that say how a thing stands; the hue says whose it is. Used wherever a need or a pad is drawn.

/// Filled: bound; hollow: open; split by a diagonal: contested, in both hues.
void drawStateMark(QPainter& painter, const QRectF& box, BoundNeed::State state, const QColor& hue,
                   const QColor& other = QColor());
/// A small bar at the left of the mark: held.
void drawHoldBar(QPainter& painter, const QRectF& box);
/// A square for an error, a triangle for a caution.
void drawSeverityMark(QPainter& painter, const QRectF& box, Finding::Severity severity);

/// Hue of the part that a need belongs to, in the order of the board's parts; the firmware's own needs share one.
QColor hueOf(const Snapshot& snapshot, const Need& need);

} // namespace bindrel
