// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/scintilla.h"
#include "core/snapshot.h"

#include <optional>

namespace bindrel {

/// A file of the project to be read: the hue of the part that caused each line stands in the margin, and the lines of
/// what is selected are marked.
class SourceText : public QsciScintilla {
    Q_OBJECT
public:
    enum class Language { None, C, Difference };

    explicit SourceText(QWidget* parent = nullptr);

    void retheme();
    /// Shows another text; `keepsPlace` leaves cursor and first line where they are, as far as the text has them.
    void showText(const QString& content, Language language, bool keepsPlace);
    /// Hues for the lines of a file that is shown as it is generated.
    void markCauses(const SourceFile& file, const Snapshot& snapshot);
    /// Marks the lines of what is selected; none without a file.
    void markSelected(const SourceFile* file, const Place& selected, const std::string& need);

private:
    void setLanguage(Language language);

    std::optional<Language> language_; ///< of the lexer
};

} // namespace bindrel
