// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/spoken.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "core/base/files.h"
#include "core/base/pseudo_catalogue.h"
#include "core/base/say.h"
#include "core/plan/kind.h"
#include "core/plan/pin_property.h"
#include "core/plan/project_layout.h"
#include "tests/support/text_recorder.h"
#include "tests/support/window_fixture.h"

#include <nlohmann/json.hpp>

#include <QAbstractItemView>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QTimer>
#include <QTranslator>

using namespace bindrel;
using namespace bindrel::test;

/// The window in a language that nobody speaks: whatever is still English on it was never given to a translator.
class SpokenTest : public WindowFixture {
    Q_OBJECT

    // Of files, of units and of what is typed: the same in every language.
    QSet<QString> known_;
    QStringList phrases_;
    QMap<QString, QString> english_;

    static QStringList wordsIn(const QString& text)
    {
        static const QRegularExpression word("[\\p{L}\\p{N}_]+");
        QStringList out;
        for (auto at = word.globalMatch(text); at.hasNext();)
            out << at.next().captured();
        return out;
    }
    void know(const QString& text)
    {
        const QStringList words = wordsIn(text);
        if (text.contains(' '))
            phrases_ << text;
        else
            for (const QString& word : words)
                known_.insert(word.toLower());
    }
    void know(const std::string& text) { know(QString::fromStdString(text)); }
    void knowAll(const nlohmann::json& value)
    {
        if (value.is_string())
            know(value.get<std::string>());
        if (value.is_structured())
            for (const auto& [key, part] : value.items()) {
                if (value.is_object())
                    know(key);
                knowAll(part);
            }
    }
    void knowFiles(const std::filesystem::path& folder, const char* ending)
    {
        for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
            if (entry.path().extension() == ending)
                knowAll(nlohmann::json::parse(*readFile(entry.path()), nullptr, true, true));
    }

    void look(const QString& text, const QString& where)
    {
        static const QRegularExpression plain("^[A-Za-z]*[a-z][A-Za-z]*$"), tags("<[^>]*>|&[a-z]+;|&(?=\\w)");
        static const QRegularExpression paths("\\S*/\\S*");
        if (text.contains(" -Wall ")) // a command of the build
            return;
        QString shown = text;
        shown.replace(QChar(0xA0), ' ').replace(QChar(0x202F), ' ');
        shown.remove(tags);
        shown.remove(paths);
        for (const QString& phrase : phrases_) {
            shown.remove(phrase, Qt::CaseInsensitive);
            if (phrase.contains(shown.trimmed())) // a line of it
                return;
        }
        for (const QString& word : wordsIn(shown))
            if (word.size() > 2 && plain.match(word).hasMatch() && !known_.contains(word.toLower()))
                english_.insert(shown.mid(std::max(qsizetype(0), shown.indexOf(word) - 80), 160), word + " | " + where);
    }

    void lookAtModel(const QAbstractItemView& view, const QString& where)
    {
        const QAbstractItemModel* model = view.model();
        if (!model)
            return;
        for (int column = 0; column < model->columnCount(); ++column)
            for (const int role : {int(Qt::DisplayRole), int(Qt::ToolTipRole)})
                look(model->headerData(column, Qt::Horizontal, role).toString(), where + " heading");
        for (int row = 0; row < std::min(model->rowCount(), 60); ++row)
            for (int column = 0; column < std::max(1, model->columnCount()); ++column)
                for (const int role : {int(Qt::DisplayRole), int(Qt::ToolTipRole), int(Qt::AccessibleTextRole)})
                    look(model->index(row, column).data(role).toString(), where + " cell");
    }

    void lookAtMenu(const QMenu& menu)
    {
        Q_EMIT const_cast<QMenu&>(menu).aboutToShow();
        for (const QAction* action : menu.actions()) {
            look(action->text(), "menu");
            look(action->toolTip(), "menu");
            if (action->menu())
                lookAtMenu(*action->menu());
        }
    }

    /// What is painted, and what would be on the way of a mouse or a screen reader.
    void lookAtAll(QWidget& top, const QString& where)
    {
        QApplication::processEvents();
        for (QWidget* c : top.findChildren<QWidget*>())
            if (c->inherits("QsciScintillaBase")) // C is written in English
                c->setVisible(false);
        for (const QString& text : TextRecorder::textsOn(top))
            look(text, where + " painted");
        QList<QWidget*> all = top.findChildren<QWidget*>();
        all << &top;
        for (const QWidget* widget : all) {
            if (!widget->isVisible() || widget->objectName().startsWith("qt_"))
                continue;
            const QString here = where + " " + widget->metaObject()->className();
            look(widget->toolTip(), here + " tip");
            look(widget->accessibleName(), here + " name");
            look(widget->accessibleDescription(), here + " description");
            look(widget->windowTitle(), here + " title");
            if (const auto* label = qobject_cast<const QLabel*>(widget))
                look(label->text(), here);
            if (const auto* button = qobject_cast<const QAbstractButton*>(widget))
                look(button->text(), here);
            if (const auto* field = qobject_cast<const QLineEdit*>(widget))
                look(field->placeholderText(), here + " placeholder");
            if (const auto* view = qobject_cast<const QAbstractItemView*>(widget))
                lookAtModel(*view, here);
        }
    }

    void tellEnglish()
    {
        for (auto at = english_.begin(); at != english_.end(); ++at)
            qWarning("%s", qPrintable(at.key() + "  [" + at.value() + "]"));
        QVERIFY2(english_.isEmpty(), qPrintable(QString("%1 texts above are English").arg(english_.size())));
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("BINDREL_LANGUAGE", "pseudo");
        speak(*qApp);
        QCOMPARE(std::string(say("Wiring")), std::string("Ŵîŕîñĝ"));
        prepare();
        for (const char* folder : {"devices", "boards", "parts"})
            knowFiles(dataPath(folder), ".json");
        knowFiles(BINDREL_EXAMPLES, ".bindrel");
        // What is typed, into a plan or into a field, is spelt the same everywhere.
        for (const KindSpec& kind : kinds()) {
            know(kind.id);
            for (const GoalSpec& goal : kind.goals) {
                know(goal.id);
                know(goal.fallback);
                for (const std::string& choice : goal.choices)
                    know(choice);
            }
        }
        for (const LayoutSetting& setting : layoutSettings())
            for (const std::string& choice : setting.choices)
                know(choice);
        know(std::string("not fitted"));
        for (const PinProperty& property : pinProperties())
            for (const std::string& choice : property.choices)
                know(choice);
        for (const char* word : {"kHz", "MHz",   "GHz",        "ppm",          "ppb",      "kbit",   "bit",  "kBd",
                                 "MBd", "KiB",   "MiB",        "Ctrl",         "Shift",    "Return", "Alt",  "Bindrel",
                                 "gcc", "cmake", "CMakeLists", "CMakePresets", "Makefile", "txt",    "json", "gdb",
                                 "Hz",  "plan",  "bindrel",    "start",        "tangled",  "done",   "auto", "and"})
            known_.insert(QString(word).toLower());
        std::sort(phrases_.begin(), phrases_.end(),
                  [](const QString& a, const QString& b) { return a.size() > b.size(); });
        phrases_.removeDuplicates();
    }
    void cleanupTestCase()
    {
        setReader(english());
        qDeleteAll(qApp->findChildren<QTranslator*>());
    }
    void init()
    {
        english_.clear();
        openWindow();
    }
    void cleanup() { closeWindow(); }

    void stationsSpeak_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"start", "tangled", "done", "bare"})
            QTest::newRow(plan) << plan;
    }
    void stationsSpeak()
    {
        QFETCH(QString, plan);
        if (plan == "bare")
            QVERIFY(w_->document().newForDevice("RL1224-Q48"));
        else
            open(qPrintable(plan));
        w_->setDark(plan == "bare");
        w_->resize(1280, 800);
        for (const Station station : {Station::Start, Station::Wiring, Station::Clocks, Station::Tuning,
                                      Station::Source, Station::Rehearsal, Station::Board}) {
            w_->showStation(station);
            lookAtAll(*w_, QString("%1, station %2").arg(plan).arg(int(station)));
        }
        w_->setDark(false);
        tellEnglish();
    }

    void menusSpeak()
    {
        open("done");
        for (const QAction* action : w_->menuBar()->actions()) {
            look(action->text(), "menu bar");
            lookAtMenu(*action->menu());
        }
        tellEnglish();
    }

    /// What every entry of the menus opens.
    void dialogsSpeak()
    {
        open("tangled");
        w_->showStation(Station::Wiring);
        w_->view().select({Place::Kind::Need, "uplink", {}});
        int seen = 0;
        QTimer look;
        QString entry;
        connect(&look, &QTimer::timeout, this, [&] {
            if (QWidget* popup = QApplication::activePopupWidget()) {
                if (auto* menu = qobject_cast<QMenu*>(popup))
                    lookAtMenu(*menu);
                popup->close();
                return;
            }
            QWidget* modal = QApplication::activeModalWidget();
            if (!modal)
                return;
            // Qt's dialog for files shows the names of a disk.
            if (!modal->inherits("QFileDialog"))
                lookAtAll(*modal, "dialog of " + entry);
            ++seen;
            if (auto* dialog = qobject_cast<QDialog*>(modal))
                dialog->reject();
            else
                modal->close();
        });
        look.start(30);
        for (const QAction* menu : w_->menuBar()->actions()) {
            Q_EMIT menu->menu()->aboutToShow();
            for (QAction* action : menu->menu()->actions()) {
                if (!action->isEnabled() || action->menu() || !action->text().endsWith(u'…'))
                    continue;
                entry = action->text();
                qInfo("%s", qPrintable(entry));
                action->trigger();
                QTRY_VERIFY_WITH_TIMEOUT(!w_->wiring()->background().busy(), 60'000);
                QApplication::processEvents();
                lookAtAll(*w_, "window after " + entry);
            }
        }
        QVERIFY2(seen >= 5, qPrintable(QString::number(seen)));
        tellEnglish();
    }

    /// The inspector for each thing that can be selected, and each need where it is tuned.
    void selectionsSpeak()
    {
        open("tangled");
        w_->showStation(Station::Wiring);
        const Snapshot& s = now();
        std::vector<Place> places;
        for (const Need& need : s.plan.needs)
            places.push_back({Place::Kind::Need, need.id, {}});
        for (const ClockNode& clock : s.device->clocks)
            places.push_back({Place::Kind::Clock, clock.id, {}});
        for (const Pad& pad : s.device->pads)
            places.push_back({Place::Kind::Pad, pad.name, {}});
        for (const Instance& instance : s.device->instances)
            places.push_back({Place::Kind::Instance, instance.name, {}});
        for (const LowPowerMode& mode : s.device->modes)
            places.push_back({Place::Kind::Mode, mode.id, {}});
        for (const Place& place : places) {
            w_->view().select(place);
            QApplication::processEvents();
            look(w_->inspector()->findChild<QTextBrowser*>()->toPlainText(),
                 "inspector of " + QString::fromStdString(place.id));
        }
        w_->showStation(Station::Tuning);
        for (const Need& need : s.plan.needs) {
            w_->view().select({Place::Kind::Need, need.id, {}});
            lookAtAll(*w_, "tuning " + QString::fromStdString(need.id));
        }
        tellEnglish();
    }

    /// Each finding is words of the reader's, too.
    void findingsSpeak()
    {
        for (const char* plan : {"start", "tangled", "done"}) {
            open(plan);
            for (const Finding& finding : now().findings) {
                look(QString::fromStdString(finding.text), "finding");
                look(QString::fromStdString(finding.fixTitle), "fix");
            }
            closeWindow();
            openWindow();
        }
        tellEnglish();
    }

    /// What a field shows can be typed, whatever notation the rest of the screen has: entered again, nothing changes.
    void whatFieldsShowCanBeEntered()
    {
        open("tangled");
        QStringList refused;
        connect(&w_->document(), &Document::refused, this, [&](const QString& why) { refused << why; });
        const std::string before = planText(now().plan);
        int entered = 0;
        for (const Station station : {Station::Wiring, Station::Clocks, Station::Tuning, Station::Board}) {
            w_->showStation(station);
            QApplication::processEvents();
            for (auto* view : w_->findChildren<QAbstractItemView*>())
                for (int row = 0; view->model() && row < view->model()->rowCount(); ++row)
                    for (int column = 0; column < view->model()->columnCount(); ++column) {
                        const QModelIndex cell = view->model()->index(row, column);
                        if (!cell.flags().testFlag(Qt::ItemIsEditable) || cell.data(Qt::EditRole).toString().isEmpty())
                            continue;
                        (void)view->model()->setData(cell, cell.data(Qt::EditRole));
                        ++entered;
                        // A first entry may state what was so by default; words and numbers stay.
                        while (planText(now().plan) != before && w_->document().canUndo())
                            w_->document().undo();
                    }
        }
        QVERIFY2(refused.isEmpty(), qPrintable(refused.join("\n")));
        QVERIFY2(entered > 20, qPrintable(QString::number(entered)));
        w_->showStation(Station::Tuning);
        for (const Need& need : now().plan.needs) {
            w_->view().select({Place::Kind::Need, need.id, {}});
            for (const GoalSpec& goal : findKind(need.kind)->goals)
                if (auto* field = qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor(goal.id));
                    field && !field->text().isEmpty())
                    QVERIFY2(checkGoal(goal, field->text().toStdString()), qPrintable(field->text()));
        }
    }

    /// Files say the same whoever writes them.
    void filesStayEnglish()
    {
        open("done");
        const Source mine = now().source();
        const InEnglish whileComparing;
        const Source english = computeSnapshot(now().with(now().plan))->source();
        QCOMPARE(mine.files.size(), english.files.size());
        for (size_t i = 0; i < mine.files.size(); ++i)
            QCOMPARE(mine.files[i].text(), english.files[i].text());
    }
};

BINDREL_TEST(SpokenTest)
#include "spoken_test.moc"
