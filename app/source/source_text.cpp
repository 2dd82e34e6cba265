// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/source_text.h"

#include "app/theme/theme.h"
#include "app/widgets/lexers.h"
#include "core/base/say.h"

#include <algorithm>

namespace bindrel {

namespace {

constexpr int kHueMargin = 1;
constexpr int kHues = 12; ///< of parts; the marker behind them is that of what belongs to none
constexpr int kMarkSelected = 20;

} // namespace

SourceText::SourceText(QWidget* parent) : QsciScintilla(parent)
{
    setReadOnly(true);
    setFrameShape(QFrame::NoFrame);
    setAccessibleName(say("Source text"));
    setUtf8(true);
    setScrollWidth(1);
    setScrollWidthTracking(true);
}

void SourceText::retheme()
{
    const Theme& t = Theme::get();
    const Language shown = language_.value_or(Language::C);
    language_.reset();
    setLanguage(shown);
    setPaper(t.raised);
    setColor(t.ink);
    setCaretLineVisible(true);
    setCaretLineBackgroundColor(t.sunken);
    setCaretForegroundColor(t.ink);
    setMarginType(0, QsciScintilla::NumberMargin);
    setMarginWidth(0, "00000");
    setMarginType(kHueMargin, QsciScintilla::SymbolMargin);
    setMarginWidth(kHueMargin, 7);
    setMarginMarkerMask(kHueMargin, (1 << (kHues + 1)) - 1);
    setMarginWidth(2, 0);
    for (int i = 0; i <= kHues; ++i) {
        markerDefine(QsciScintilla::FullRectangle, i);
        setMarkerBackgroundColor(i < kHues ? t.hue(i) : t.muted, i);
        setMarkerForegroundColor(i < kHues ? t.hue(i) : t.muted, i);
    }
    markerDefine(QsciScintilla::Background, kMarkSelected);
    setMarkerBackgroundColor(t.band, kMarkSelected);
    setSelectionBackgroundColor(t.accent);
    setSelectionForegroundColor(t.raised);
}

void SourceText::showText(const QString& content, Language language, bool keepsPlace)
{
    const int top = firstVisibleLine();
    int line = 0, column = 0;
    getCursorPosition(&line, &column);
    setLanguage(language);
    if (text() != content)
        setText(content);
    markerDeleteAll();
    setCursorPosition(keepsPlace ? std::min(line, lines() - 1) : 0, 0);
    setFirstVisibleLine(keepsPlace ? top : 0);
}

void SourceText::markCauses(const SourceFile& file, const Snapshot& snapshot)
{
    for (size_t i = 0; i < file.lines.size(); ++i) {
        if (file.lines[i].trace < 0)
            continue;
        const Place& place = file.traces[size_t(file.lines[i].trace)].place;
        const Need* cause = snapshot.plan.need(place.kind == Place::Kind::Pad ? place.sub : place.id);
        int hue = kHues;
        for (size_t p = 0; cause && p < snapshot.board->parts.size(); ++p)
            if (snapshot.board->parts[p].id == cause->part)
                hue = int(p % kHues);
        markerAdd(int(i), hue);
    }
}

void SourceText::markSelected(const SourceFile* file, const Place& selected, const std::string& need)
{
    markerDeleteAll(kMarkSelected);
    if (!file || selected.kind == Place::Kind::None)
        return;
    std::vector<int> marked;
    for (size_t i = 0; i < file->lines.size(); ++i) {
        if (file->lines[i].trace < 0)
            continue;
        const Place& place = file->traces[size_t(file->lines[i].trace)].place;
        if (place.id == selected.id || (!need.empty() && (place.id == need || place.sub == need)))
            marked.push_back(int(i));
    }
    // A file that is the need's own needs no marks; the margin says it.
    if (marked.size() * 2 < file->lines.size())
        for (const int line : marked)
            markerAdd(line, kMarkSelected);
}

/// Another lexer styles the whole text anew, so it is set where the language changes only.
void SourceText::setLanguage(Language language)
{
    if (language_ == language)
        return;
    language_ = language;
    const Theme& t = Theme::get();
    QsciLexer* old = lexer();
    QsciLexer* fresh = language == Language::Difference ? diffLexer(this)
                       : language == Language::C        ? cLexer(this)
                                                        : nullptr;
    setLexer(fresh);
    delete old;
    if (!fresh) {
        setFont(t.editor());
        setPaper(t.raised);
        setColor(t.ink);
    }
    setMarginsFont(t.editor(10));
    setMarginsBackgroundColor(t.paper);
    setMarginsForegroundColor(t.muted);
}

} // namespace bindrel
