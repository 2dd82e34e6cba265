// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/lexers.h"

#include "app/theme/theme.h"
#include "app/widgets/scintilla.h"

namespace bindrel {

namespace {
void colourLexer(QsciLexer* lexer)
{
    const Theme& t = Theme::get();
    lexer->setDefaultFont(t.editor());
    lexer->setFont(t.editor());
    lexer->setDefaultColor(t.ink);
    lexer->setColor(t.ink);
    lexer->setDefaultPaper(t.raised);
    lexer->setPaper(t.raised);
}
} // namespace

QsciLexer* cLexer(QObject* parent)
{
    const Theme& t = Theme::get();
    auto* lexer = new QsciLexerCPP(parent);
    colourLexer(lexer);
    for (const int style : {QsciLexerCPP::Comment, QsciLexerCPP::CommentLine, QsciLexerCPP::CommentDoc})
        lexer->setColor(t.muted, style);
    lexer->setColor(t.accent, QsciLexerCPP::Keyword);
    lexer->setColor(t.caution, QsciLexerCPP::PreProcessor);
    lexer->setColor(t.hue(3), QsciLexerCPP::Number);
    lexer->setColor(t.hue(8), QsciLexerCPP::DoubleQuotedString);
    lexer->setFont(t.editor(12, true), QsciLexerCPP::Keyword);
    return lexer;
}

QsciLexer* diffLexer(QObject* parent)
{
    const Theme& t = Theme::get();
    auto* lexer = new QsciLexerDiff(parent);
    colourLexer(lexer);
    lexer->setColor(t.error, QsciLexerDiff::LineRemoved);
    lexer->setColor(t.accent, QsciLexerDiff::LineAdded);
    lexer->setColor(t.muted, QsciLexerDiff::Position);
    return lexer;
}

} // namespace bindrel
