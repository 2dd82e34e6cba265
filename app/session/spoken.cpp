// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/spoken.h"

#include "core/base/gettext_catalogue.h"
#include "core/base/pseudo_catalogue.h"
#include "core/device/library.h"

#include <QApplication>
#include <QLibraryInfo>
#include <QLocale>
#include <QTranslator>

namespace bindrel {

namespace {

/// Qt's own texts in the language that shows what was not said.
class PseudoTranslator : public QTranslator {
public:
    using QTranslator::QTranslator;
    bool isEmpty() const override { return false; }
    QString translate(const char*, const char* text, const char*, int) const override
    {
        return QString::fromStdString(PseudoCatalogue::accented(text));
    }
};

} // namespace

void speak(QApplication& app)
{
    const Catalogue& reader = readersCatalogue(Library::localeFolder());
    setReader(reader);
    if (&reader == &english())
        return;
    QTranslator* translator = nullptr;
    if (dynamic_cast<const PseudoCatalogue*>(&reader))
        translator = new PseudoTranslator(&app);
    else if (translator = new QTranslator(&app);
             !translator->load(QLocale(), "qtbase", "_", QLibraryInfo::path(QLibraryInfo::TranslationsPath)))
        return; // Qt's dialogs stay in English
    QApplication::installTranslator(translator);
}

} // namespace bindrel
