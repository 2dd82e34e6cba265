// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/base/problem.h"

#include <QPainter>
#include <QSizeF>
#include <QString>

#include <functional>

namespace bindrel {

/// Writes a picture of a size in pixels as SVG, PDF or (twice as large) PNG, as the path's ending says; `draw` gets the
/// scale. What is at the path is replaced in one step or not at all.
Outcome writePicture(const QString& path, const QString& title, const QSizeF& size,
                     const std::function<void(QPainter&, double scale)>& draw);

} // namespace bindrel
