// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/clocks/reach_panel.h"
#include "app/frame/move_dialog.h"
#include "app/tables/net_table_dialog.h"
#include "app/tuning/bits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "app/tuning/waveform_view.h"
#include "core/field_entry.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <QFileDialog>
#include <QLineEdit>
#include <QTextBrowser>

using namespace bindrel;
using namespace bindrel::test;

/// Everyday jobs from a bare chip, as a newcomer does them: needs stated in one line, bound, tuned, looked at; then
/// every step back gives the bytes of the beginning.
class JobsTest : public WindowFixture {
    Q_OBJECT

    void station(Station which) { shortcut(QKeySequence(QString("Ctrl+%1").arg(int(which) + 1))); }
    void begin(const char* chip)
    {
        QVERIFY(w_->document().newForDevice(chip));
        w_->showStation(Station::Wiring);
        first_ = planText(now().plan);
    }
    std::string state(const QString& line)
    {
        const size_t before = now().plan.needs.size();
        inDialog([line](QWidget* dialog) {
            auto* field = dialog->findChildren<QLineEdit*>().front();
            QTest::keyClicks(field, line);
            QVERIFY2(button(dialog, "Add it")->isEnabled(), qPrintable(line));
            QTest::keyClick(field, Qt::Key_Return);
            if (dialog->isVisible())
                QTest::keyClick(field, Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+A"));
        return now().plan.needs.size() == before + 1 ? now().plan.needs.back().id : std::string();
    }
    void bindAll(int needs)
    {
        shortcut(QKeySequence("Ctrl+Shift+B"));
        QTRY_COMPARE_WITH_TIMEOUT(now().bindings.count(BoundNeed::State::Bound), needs, 60'000);
    }
    void show(const std::string& need)
    {
        w_->view().select({Place::Kind::Need, need, {}});
        station(Station::Tuning);
        QApplication::processEvents();
    }
    const Setting& setting(const std::string& need) const { return now().settings[needIndex(now().plan, need)]; }
    void backToTheBeginning()
    {
        const std::string last = planText(now().plan);
        while (w_->document().canUndo())
            shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(planText(now().plan), QString::fromStdString(first_));
        while (w_->document().canRedo())
            shortcut(QKeySequence("Ctrl+Shift+Z"));
        COMPARE_TEXT(planText(now().plan), QString::fromStdString(last));
    }

    std::string first_;

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    /// A half bridge on the second core; its dead time is measured between two cursors.
    void aHalfBridge()
    {
        begin("AL7654-F144");
        const std::string bridge = state("half bridge 20 kHz dead time 10 us duty 40 % on core HELP");
        QVERIFY(!bridge.empty());
        COMPARE_TEXT(now().plan.need(bridge)->core, "HELP");
        bindAll(1);
        show(bridge);
        QVERIFY2(setting(bridge).computed, setting(bridge).notComputed.c_str());
        const Waveform wave = *now().lookAt(needIndex(now().plan, bridge)).waveform;
        QCOMPARE(wave.traces.size(), 2u);
        WaveformView* picture = w_->tuning()->picture();
        // The handle of the dead time stands at its end; what it is measured from is the other side's edge.
        const Waveform::Handle* dead = nullptr;
        for (const Waveform::Handle& handle : wave.handles)
            if (handle.goal == "dead")
                dead = dead ? dead : &handle;
        QVERIFY(dead);
        QVERIFY(!(dead->at - dead->from < Duration(Rational(10, 1'000'000)))); // at least what was asked for
        const auto xOf = [&](const Duration& at) {
            int x = 0;
            while (x < picture->width() && picture->timeAt(x) < at.toDouble())
                ++x;
            return x;
        };
        QTest::mousePress(picture, Qt::LeftButton, {}, {xOf(dead->from) - 2, 20});
        QTest::mouseRelease(picture, Qt::LeftButton, {}, {xOf(dead->from) - 2, 20});
        QMouseEvent move(QEvent::MouseMove, QPointF(xOf(dead->at) + 2, 20), QPointF(0, 0), Qt::NoButton, Qt::NoButton,
                         Qt::NoModifier);
        QApplication::sendEvent(picture, &move);
        QVERIFY(!picture->grab().toImage().isNull());
        QVERIFY2(now().count(Finding::Severity::Error) == 0, findingsText(now()).c_str());
        backToTheBeginning();
    }

    /// Who uses which clock; a rate that cannot be had; a crystal stated where the clock is; a clock output; a limit
    /// broken and repaired.
    void clocks()
    {
        begin("SE4332-C64");
        const std::string uart = state("uart 115.2k"), out = state("clock output 4 MHz"), crystal = state("crystal");
        QVERIFY(!uart.empty() && !out.empty() && !crystal.empty());
        bindAll(3);
        station(Station::Clocks);
        const ClockIndex kernel = setting(uart).kernel;
        w_->view().jump({Place::Kind::Clock, now().device->clocks[kernel].id, {}});
        QApplication::processEvents();
        QVERIFY2(w_->inspector()->shownText().contains(QString::fromStdString(now().plan.need(uart)->title)),
                 qPrintable(w_->inspector()->shownText()));
        // Out of reach: what is in the way is said, nothing changes.
        const std::string before = planText(now().plan);
        w_->view().jump({Place::Kind::Clock, "CPU", {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("400 MHz");
        QTRY_VERIFY(w_->clocks()->reach()->isVisible());
        QVERIFY(!w_->clocks()->reach()->note().isEmpty());
        QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Escape);
        COMPARE_TEXT(planText(now().plan), QString::fromStdString(before));
        // A crystal, where its clock is.
        w_->view().jump({Place::Kind::Clock, "HFX", {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("12 MHz, 20 ppm");
        QVERIFY(now().board->crystals.contains("HFX"));
        // The CPU as fast as it may be, by the first solution.
        w_->view().jump({Place::Kind::Clock, "CPU", {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("150 MHz");
        QTRY_VERIFY(w_->clocks()->reach()->isVisible());
        QTRY_VERIFY(w_->view().preview());
        QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Return);
        QVERIFY(now().rates.clocks[now().device->findClock("CPU")].rate == Frequency(Rational(150'000'000)));
        // The output has no source yet: the first of the repairs gives it one, and its rate.
        QVERIFY(hasFinding(now(), "CLK-04"));
        shortcut(QKeySequence("Ctrl+Shift+R"));
        QTRY_VERIFY(w_->clocks()->reach()->isVisible() && w_->clocks()->reach()->list()->rowCount() >= 1);
        QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Return);
        QVERIFY(now().rates.clocks[setting(out).kernel].rate == Frequency(Rational(4'000'000)));
        QVERIFY2(now().count(Finding::Severity::Error) == 0, findingsText(now()).c_str());
        backToTheBeginning();
    }

    /// Pins out to a spreadsheet and in again with nets filled in; the picture turned as the chip stands, and kept.
    void pinsToASpreadsheetAndBack()
    {
        begin("SE4332-C64");
        QVERIFY(!state("uart 9600").empty() && !state("led").empty());
        bindAll(2);
        const std::string before = planText(now().plan);
        const auto file = [this](const QString& path, const char* keysOfCommand) {
            inDialog([path](QWidget* modal) {
                auto* dialog = qobject_cast<QFileDialog*>(modal);
                QVERIFY(dialog);
                dialog->findChild<QLineEdit*>()->setText(path);
                QTest::mouseClick(button(dialog, "Save"), Qt::LeftButton);
            });
            shortcut(QKeySequence(keysOfCommand));
            return QFileInfo(path).size();
        };
        for (const char* ending : {"csv", "xlsx"}) {
            const QString path = dir_->filePath(QString("pins.") + ending);
            QVERIFY2(file(path, "Ctrl+Shift+X") > 400, qPrintable(w_->message()));
            // As it came out: no net is new.
            inDialog([](QWidget* modal) {
                auto* dialog = qobject_cast<NetTableDialog*>(modal);
                QVERIFY(dialog && !dialog->applyButton()->isEnabled());
                QCOMPARE(dialog->columns()->choice(5), QString("net"));
                QTest::keyClick(dialog, Qt::Key_Escape);
            });
            w_->wiring()->takeNetsFrom(path);
            COMPARE_TEXT(planText(now().plan), QString::fromStdString(before));
        }
        // A net typed into the sheet for the pad of the UART's transmit.
        const std::string pad = now().plan.needs.front().binding.pads.at("tx");
        QString text = QString::fromStdString(textOf(dir_->filePath("pins.csv").toStdString()));
        QStringList lines = text.split("\r\n");
        for (QString& line : lines)
            if (QStringList cells = line.split(','); cells.size() > 6 && cells[1] == QString::fromStdString(pad)) {
                cells[5] = "HOST_RX";
                line = cells.join(',');
            }
        QFile edited(dir_->filePath("edited.csv"));
        QVERIFY(edited.open(QIODevice::WriteOnly));
        edited.write(lines.join("\r\n").toUtf8());
        edited.close();
        inDialog([](QWidget* modal) { QTest::keyClick(modal, Qt::Key_Return); });
        w_->wiring()->takeNetsFrom(edited.fileName());
        COMPARE_TEXT(now().board->nets.find(pad)->second, "HOST_RX");
        // The picture, turned by a quarter.
        ChipView* chip = w_->wiring()->chip();
        const QPointF was = chip->pinPosition(pad);
        chip->setFocus();
        QTest::keyClick(chip, Qt::Key_R);
        QVERIFY(chip->pinPosition(pad) != was);
        QVERIFY2(file(dir_->filePath("chip.svg"), "Ctrl+Shift+E") > 2000, qPrintable(w_->message()));
        backToTheBeginning();
    }

    /// Another chip: the largest of the library and the smallest, each looked at first, taken by keys, and back.
    void anotherChip()
    {
        begin("SE4332-C64");
        for (const char* line : {"uart 9600", "spi 1 MHz", "i2c 100 kHz", "500 ms interrupt", "led"})
            QVERIFY2(!state(line).empty(), line);
        bindAll(5);
        const auto take = [this](const char* chip) {
            inDialog([chip](QWidget* modal) {
                auto* move = qobject_cast<MoveDialog*>(modal);
                QVERIFY(move);
                DestinationList* list = move->list();
                list->setFocus();
                for (int i = 0;
                     i < list->rowCount() &&
                     (list->currentRow() < 0 || list->destinations()[size_t(list->currentRow())].title != chip);
                     ++i)
                    QTest::keyClick(list, Qt::Key_Down);
                QCOMPARE(list->destinations()[size_t(list->currentRow())].title, QString(chip));
                QTRY_VERIFY_WITH_TIMEOUT(move->shown(), 60'000);
                QTest::keyClick(list, Qt::Key_Return);
            });
            shortcut(QKeySequence("Ctrl+Shift+D"));
            COMPARE_TEXT(now().device->name, chip);
        };
        take("AL7654-B176");
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), 0);
        QVERIFY2(now().count(Finding::Severity::Error) == 0, findingsText(now()).c_str());
        for (const Station each :
             {Station::Clocks, Station::Tuning, Station::Source, Station::Board, Station::Wiring}) {
            station(each);
            QVERIFY(!w_->grab().isNull());
        }
        take("MS0816-A32");
        for (const Need& need : now().plan.needs)
            QVERIFY2(stateOf(need.id.c_str()) != BoundNeed::State::Open ||
                         std::any_of(now().findings.begin(), now().findings.end(),
                                     [&](const Finding& f) { return f.place.id == need.id; }),
                     need.id.c_str());
        backToTheBeginning();
    }

    /// A UART on the pads of the schematic, one of them moved, found again by its kind.
    void aUartOnTheSchematicsPins()
    {
        begin("SE4332-C64");
        const std::string uart = state("uart 115,200 on PD0/PD1");
        QVERIFY(!uart.empty());
        const auto padOf = [&](const char* signal) {
            const auto& pads = now().plan.need(uart)->binding.pads;
            const auto found = pads.find(signal);
            return found == pads.end() ? std::string() : found->second;
        };
        COMPARE_TEXT(padOf("tx"), "PD0");
        COMPARE_TEXT(padOf("rx"), "PD1");
        // Another pad for one of them, by its number among the options.
        w_->view().select({Place::Kind::Signal, uart, "rx"});
        NeedsList* list = w_->wiring()->needs();
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Space);
        QVERIFY(w_->view().optionsShown());
        const std::string was = padOf("rx");
        int number = 0;
        for (const Option& option : w_->options()->options()) {
            ++number;
            if (now().device->pads[option.pad].name != was)
                break;
        }
        QTest::keyClick(list, Qt::Key(Qt::Key_0 + number));
        QApplication::processEvents();
        QVERIFY2(padOf("rx") != was && !padOf("rx").empty(), padOf("rx").c_str());
        backToTheBeginning();
    }

    /// What a decision does to the bits, what a field says, and a need copied with its goals.
    void bitsAndCopies()
    {
        begin("SE4332-C64");
        const std::string uart = state("uart 9600 8E1");
        QVERIFY(!uart.empty());
        bindAll(1);
        show(uart);
        const InstanceIndex instance = now().bindings.needs.front().instance;
        const FieldRef parity = now().device->roleField(instance, "parity");
        QVERIFY(parity.valid());
        const std::uint32_t even = now().image.codeOf(*now().device, parity);
        auto* frame = qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("frame"));
        if (frame) {
            frame->setFocus();
            frame->selectAll();
            QTest::keyClicks(frame, "8N1");
            QTest::keyClick(frame, Qt::Key_Return);
        } else {
            w_->document().apply(editOf("x", SetGoal{uart, "frame", "8N1"}));
        }
        QVERIFY(now().image.codeOf(*now().device, parity) != even);
        station(Station::Wiring);
        w_->view().select({Place::Kind::Need, uart, {}});
        shortcut(QKeySequence("Ctrl+D"));
        QCOMPARE(now().plan.needs.size(), 2u);
        COMPARE_TEXT(goalText(now().plan.needs[NeedIndex(1)], "baud"),
                     QString::fromStdString(goalText(now().plan.needs.front(), "baud")));
        bindAll(2);
        backToTheBeginning();
    }

    /// A converter's sequence with DMA, an I2C target, a CAN bus, a display, a wake-up, interrupts.
    void allSortsOfNeeds_data()
    {
        QTest::addColumn<QString>("crystal");
        QTest::addColumn<QString>("fitted");
        QTest::addColumn<QStringList>("lines");
        QTest::newRow("MS0816-A48") << "LXO"
                                    << "32.768 kHz, 20 ppm"
                                    << QStringList{"crystal lxo",         "segment display 4x8",
                                                   "button wakes",        "500 ms interrupt priority 2",
                                                   "adc 2 inputs 100 Hz", "rtc"};
        QTest::newRow("SE4332-C100") << "HFX"
                                     << "16 MHz, 30 ppm"
                                     << QStringList{"crystal hfx", "adc 4 inputs 10 kHz dma", "i2c 0x42 target",
                                                    "can 250k",    "button both edges",       "pwm 1 kHz duty 25 %",
                                                    "watchdog 2 s"};
    }
    void allSortsOfNeeds()
    {
        QFETCH(QString, crystal);
        QFETCH(QString, fitted);
        QFETCH(QStringList, lines);
        begin(QTest::currentDataTag());
        for (const QString& line : lines)
            QVERIFY2(!state(line).empty(), qPrintable(line));
        bindAll(int(lines.size()));
        // The crystal, at its clock; after reset some clocks of peripherals are off: repairs give them sources.
        station(Station::Clocks);
        w_->view().jump({Place::Kind::Clock, crystal.toStdString(), {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys(fitted);
        for (int round = 0; round < 4 && now().count(Finding::Severity::Error) > 0; ++round) {
            shortcut(QKeySequence("Ctrl+Shift+R"));
            QTRY_VERIFY(w_->clocks()->reach()->isVisible());
            if (w_->clocks()->reach()->list()->rowCount() == 0)
                break;
            QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Return);
            QApplication::processEvents();
        }
        QVERIFY2(now().count(Finding::Severity::Error) == 0, findingsText(now()).c_str());
        for (const Need& need : IndexVector<NeedIndex, Need>(now().plan.needs)) {
            show(need.id);
            QVERIFY2(setting(need.id).notComputed.empty(), (need.id + ": " + setting(need.id).notComputed).c_str());
        }
        backToTheBeginning();
    }
};

BINDREL_TEST(JobsTest)
#include "jobs_test.moc"
