// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

class QObject;
class QsciLexer;

namespace bindrel {

/// Colours of the theme that holds now, for C and for differences. Both belong to the parent.
QsciLexer* cLexer(QObject* parent);
QsciLexer* diffLexer(QObject* parent);

} // namespace bindrel
