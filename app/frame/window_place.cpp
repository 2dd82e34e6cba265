// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/window_place.h"

#include <QScreen>
#include <QSettings>
#include <QWidget>

namespace bindrel {

namespace {

QString keyOf(const QScreen& screen)
{
    return QString("window/%1x%2").arg(screen.geometry().width()).arg(screen.geometry().height());
}

} // namespace

void rememberPlace(const QWidget& window)
{
    if (const QScreen* screen = window.screen())
        QSettings().setValue(keyOf(*screen), window.saveGeometry());
}

void restorePlace(QWidget& window)
{
    if (const QScreen* screen = window.screen())
        // Qt refuses what is no place, and moves one that no screen shows any more.
        window.restoreGeometry(QSettings().value(keyOf(*screen)).toByteArray());
}

} // namespace bindrel
