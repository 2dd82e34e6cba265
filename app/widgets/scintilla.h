// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

// QScintilla's headers want Qt's keyword macros, which this program switches off for its own names' sake.
#include <QObject>
#define slots Q_SLOTS
#define signals Q_SIGNALS
#include <Qsci/qscilexercpp.h>
#include <Qsci/qscilexerdiff.h>
#include <Qsci/qsciscintilla.h>
#undef slots
#undef signals
